"""What contradicts a press: one table for every door. What is found is asked before it is logged."""

from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from uuid import UUID

from cool_sheen.core.climate.series import instant
from cool_sheen.core.coatings.products import Product
from cool_sheen.core.coatings.sheet_fields import TOUCH_WORDS
from cool_sheen.core.coatings.systems import Coat, Layer
from cool_sheen.core.drying.phases import Phase
from cool_sheen.core.inspection.rungs import skipped
from cool_sheen.core.log.history import Zones
from cool_sheen.core.part.film_clock import CoatClock
from cool_sheen.core.part.key import sandable
from cool_sheen.core.part.memory import side_up
from cool_sheen.core.part.placing import gates_of
from cool_sheen.core.part.situation import Situation, ZoneFilm
from cool_sheen.core.part.turning import turning
from cool_sheen.core.units import Millilitres
from cool_sheen.core.work.labour import minutes_of
from cool_sheen.core.work.owed import last_done
from cool_sheen.core.work.steps import WIPES, CoatStep, SandStep, Step, only_on

ENOUGH_IN_CUP = 0.8  # of what a coat takes by the estimate: yields differ by that much
FOLLOWS_AT_ONCE = ("mist", "stripe", "drop")  # coats that the next one may follow while they are wet
NOT_ON_WET = ("wash", "degrease", "wipe", "tack", "mask", "polish", "degloss")
_A_DAY = timedelta(days=1)


@dataclass(frozen=True, slots=True)
class Contradiction:
    """What a press contradicts: the name of the check, and the question in words, which stays with the entry."""

    code: str
    words: str


@dataclass(frozen=True, slots=True)
class Intent:
    """What a press means to log.

    Attributes:
        situation: The part.
        does: ``coat``, ``sand``, ``bake``, ``skip`` or the kind of a step.
        zones: Where, each of them named.
        at: When it ended.
        clock: How an instant is written in the shop.
        step: The step of the part that it serves; None for work of one's own.
        layer: Of a coat, its layer.
        coat: Of a coat, its kind and film.
        grit: Of a sanding.
        ticked: What was ticked of what the step asks for.
        leaves_out: The steps that are skipped.
        cup_ml: What is left in the cup that it comes out of; None for no cup.
        takes_ml: What it takes out of it.
        dehumidifier_in: The space in which a dehumidifier is not stamped off.
    """

    situation: Situation
    does: str
    zones: Zones
    at: datetime
    clock: Callable[[datetime], str]
    step: Step | None = None
    layer: Layer | None = None
    coat: Coat | None = None
    grit: str = ""
    ticked: tuple[str, ...] = ()
    leaves_out: tuple[Step, ...] = ()
    cup_ml: Millilitres | None = None
    takes_ml: Millilitres = 0.0
    dehumidifier_in: str = ""

    @property
    def product(self) -> Product | None:
        """The coating of a coat."""
        return self.situation.products.get(self.layer.product) if self.layer else None

    @property
    def films(self) -> list[ZoneFilm]:
        """The films on its zones."""
        return [film for film in self.situation.films if film.zones & self.zones]

    @property
    def tops(self) -> list[CoatClock]:
        """The coats on top of its zones."""
        return [film.top for film in self.films if film.top]

    @property
    def place(self) -> int | None:
        """Where it stands in the plan; what is put in before a coat stands there; None for work of one's own."""
        steps = self.situation.owed.steps
        names = (self.step.id, self.step.id.rpartition(":")[0]) if self.step else ()
        found = next((n for name in names for n, s in enumerate(steps) if s.id == name), None)
        if found is not None or self.layer is None:
            return found
        of_layer = [n for n, s in enumerate(steps) if isinstance(s, CoatStep) and s.layer.id == self.layer.id]
        return max(of_layer, default=None)

    def on(self, zones: Zones) -> str:
        """Name some zones, where they are not all of the part: `` on Sill``."""
        names = self.situation.names(zones)
        return f" on {names}" if names else ""


# --- what comes before it ---------------------------------------------------------------------------------
def _below_a_later_coat(intent: Intent) -> Iterator[str]:
    """It ended before the coat on top, and would lie below it."""
    for top in intent.tops:
        if intent.at < top.coat.ended_at:
            ended, at = intent.clock(top.coat.ended_at), intent.clock(intent.at)
            yield f"{top.product.name} was applied at {ended}. At {at} this coat would be under it."
            return


def _owed_before(intent: Intent) -> Iterator[str]:
    """Steps that the plan has before it are not done."""
    owed, mine = intent.situation.owed, intent.place
    if mine is None:
        return
    missing: dict[int, set[UUID]] = {}
    for zone in intent.zones & owed.by_zone.keys():
        for n in owed.ahead(zone):
            if n < mine and owed.steps[n].kind != "wait" and not owed.steps[n].holds:
                missing.setdefault(n, set()).add(zone)
    if missing:
        words = [f"{owed.steps[n].label}{_where(intent, owed.steps[n], zones)}" for n, zones in sorted(missing.items())]
        more = f" and {len(words) - 4} more" if len(words) > 4 else ""
        yield f"Not done before it: {'; '.join(words[:4])}{more}."


def _where(intent: Intent, step: Step, zones: set[UUID]) -> str:
    return "" if ": " in step.label and step.zones == zones else intent.on(frozenset(zones))


def _waits(intent: Intent) -> Iterator[str]:
    """A wait of the system is not over."""
    owed, mine = intent.situation.owed, intent.place
    if mine is None:
        return
    done = last_done(intent.situation.history, intent.situation.zones, intent.situation.now)
    for zone in [z.uuid for z in intent.situation.zones if z.uuid in intent.zones]:
        until = done.get(zone, intent.at)
        for step in (owed.steps[n] for n in owed.ahead(zone) if n <= mine):
            until += timedelta(minutes=step.wait_minutes)
            if step.wait_minutes and intent.at < until:
                why = f": {step.why}" if step.why else ""
                label = step.label if step.kind == "wait" else f"{step.label} waits{why}"
                yield f"{label}, until {intent.clock(until)}."
                return


def _holds(intent: Intent) -> Iterator[str]:
    """A check that holds what follows was not passed."""
    owed, mine = intent.situation.owed, intent.place
    places = {n for zone in intent.zones & owed.by_zone.keys() for n in owed.ahead(zone) if n < (mine or 0)}
    for n in sorted(places):
        if owed.steps[n].holds:
            yield f"{owed.steps[n].label} holds what follows, and was not passed."
            return


def _lies_down(intent: Intent) -> Iterator[str]:
    """Its face lies down: the part is to be turned first."""
    settings = {z.uuid: z.setting for z in intent.situation.zones}
    up, mine = side_up(intent.situation, settings), {settings[z] for z in intent.zones if z in settings}
    if up is None or mine <= {up}:
        return
    lies = turning(intent.situation)
    when = ""
    if lies and lies.band and lies.band.late and lies.band.late > intent.at:
        when = f" It can be turned from {intent.clock(lies.band.late)}."
    down = frozenset(z for z in intent.zones if settings.get(z) != up)
    yield f"No turn is logged, and{intent.on(down).replace(' on ', ' ', 1) or ' this side'} lies down.{when}"


# --- the film below it ------------------------------------------------------------------------------------
def _still_wet(intent: Intent) -> Iterator[str]:
    """The film below is wet."""
    for top in intent.tops:
        early = top.opens.early if top.opens else None
        if top.coat.payload.coat_kind in FOLLOWS_AT_ONCE and intent.does == "coat":
            continue
        if top.coat.ended_at <= intent.at and (early is None or intent.at < early):
            since = minutes_since(intent.at - top.coat.ended_at)
            when = f"It opens from {intent.clock(early)}." if early else "It does not dry in this climate."
            yield f"{top.product.name} is {since} old and wet by the clock. {when}"
            return


def _coat_on_wet(intent: Intent) -> Iterator[str]:
    return _still_wet(intent) if intent.coat is None or intent.coat.kind not in FOLLOWS_AT_ONCE else iter(())


def _closed(intent: Intent) -> Iterator[str]:
    """The window of the film below has closed, and it was not sanded; or a coat would lift it."""
    for film in intent.films:
        top = film.top
        if top is None or film.key.sanded is not None or intent.at < top.coat.ended_at:
            continue
        phase = top.phase_at(intent.at).phase
        if phase is Phase.LOCKED:
            lifts = top.bands[top.rule.lifts_until].likely if top.rule.lifts_until else None
            why = "a coat would lift it" if top.rule.lifts_until and (lifts is None or intent.at < lifts) else ""
            yield f"{top.product.name}{intent.on(film.zones)} is past its window{f': {why}' if why else ', unsanded'}."
            return
        if phase is Phase.KEY or (phase is Phase.SHUT and not _is_fresh(intent, top)):
            closed = f" at {intent.clock(top.closes.likely)}" if top.closes and top.closes.likely else ""
            how = "Sand it first." if "sand" in top.keyed_by else "De-gloss it first." if top.keyed_by else ""
            yield f"The window of {top.product.name}{intent.on(film.zones)} closed{closed}. {how}".strip()
            return


def _is_fresh(intent: Intent, top: CoatClock) -> bool:
    """Whether a coat is the fresh coat of itself that a film without a key gets."""
    return not top.keyed_by and intent.product is not None and intent.product.key == top.product.key


def _not_tested(intent: Intent) -> Iterator[str]:
    """A test that the sheet of the film below asks for is missing."""
    for film in intent.films:
        top = film.top
        if top is None or film.key.sanded is not None or intent.at < top.coat.ended_at:
            continue
        if top.phase_at(intent.at).phase not in (Phase.OPEN, Phase.CLOSING):
            continue
        ready = {
            t.payload.how
            for t in intent.situation.history.touches
            if t.payload.ready and t.payload.milestone == top.rule.opens and top.coat.uuid in t.payload.coats
        }
        if missing := [TOUCH_WORDS[how] for how in top.product.ready_tests if how not in ready]:
            yield f"{top.product.name} asks for a test before the next coat that is not logged: {', '.join(missing)}."
            return


def _not_wiped(intent: Intent) -> Iterator[str]:
    """A sanded film was not wiped, or over 12 h ago."""
    places = {n for zone in intent.zones for n in intent.situation.owed.ahead(zone) if n < (intent.place or 0)}
    if any(intent.situation.owed.steps[n].kind in WIPES for n in places):
        return  # it is named as a step that is not done
    for film in intent.films:
        if film.top and film.key.wants_wipe(intent.at):
            if film.key.wiped is None:
                yield f"{film.top.product.name}{intent.on(film.zones)} was sanded and not wiped."
            else:
                yield f"Wipe again{intent.on(film.zones)}: the last wipe is over 12 h old."
            return


def _not_sandable(intent: Intent) -> Iterator[str]:
    """The film cannot be sanded yet: it does not count as keying."""
    for top in intent.tops:
        if intent.at >= top.coat.ended_at and not sandable(top, intent.at):
            mark = top.bands.get(top.rule.sand) if top.rule.sand else None
            when = f" It can be sanded from {intent.clock(mark.likely)}." if mark and mark.likely else ""
            since = minutes_since(intent.at - top.coat.ended_at)
            yield f"{top.product.name} is {since} old and too soft to sand.{when} This won't count as keying."
            return


def _skips_grits(intent: Intent) -> Iterator[str]:
    """The grit does not remove the scratches of the one before. Who follows the plan's own grits is not asked."""
    history = intent.situation.history
    done = [w for w in history.works if w.kind == "sand" and w.grit and w.zones & intent.zones]
    since = max((c.place for c in history.coats if c.zones & intent.zones), default=-1)
    before = next((w.grit for w in reversed(done) if w.place > since and w.grit), None)
    missing = skipped(before, intent.grit) if before else ()
    if missing and before and not _planned_after(intent, before):
        yield f"{intent.grit} won't remove {before} scratches. Use {' and '.join(missing)} in between."


def _planned_after(intent: Intent, before: str) -> bool:
    """Whether a grit of the plan follows another one in the plan itself."""
    rungs = [s for s in intent.situation.owed.steps if isinstance(s, SandStep)]
    place = next((n for n, s in enumerate(rungs) if intent.step is not None and s.id == intent.step.id), 0)
    return place > 0 and rungs[place - 1].grit == before and rungs[place - 1].slot == rungs[place].slot


# --- the day, the weather, the cup, the room --------------------------------------------------------------
def _too_many_today(intent: Intent) -> Iterator[str]:
    """The sheet allows so many coats a day."""
    product, day = intent.product, intent.situation.day
    if product is None or product.coats_a_day is None:
        return
    today = day.day_of(intent.at)
    hashes = {p.content_hash for p in intent.situation.products.values() if p.key == product.key}
    hashes |= {c.product.content_hash for f in intent.films for c in f.clocks if c.product.key == product.key}
    mine = [
        c for c in intent.situation.history.coats if c.payload.coating in hashes and day.day_of(c.ended_at) == today
    ]
    most = max((sum(zone in c.zones for c in mine) for zone in intent.zones), default=0)
    if most >= product.coats_a_day:
        risk = "solvent stays in, and the film shrinks and cracks later"
        if not any(window.redissolves for window in product.windows):
            risk = "the coats below stay soft, and sink back later"
        yield f"{product.name} has {most} coats today, and its sheet allows {product.coats_a_day}. With more {risk}."


def _outside_limits(intent: Intent) -> Iterator[str]:
    """Air or surface are outside the limits of the sheet, or leave them before the coat is safe."""
    coat = _coat_step(intent)
    if coat is None:
        return
    began = intent.at - timedelta(minutes=minutes_of(coat))
    shut = [s for gate in gates_of(intent.situation, coat, began) if (s := gate.shut_at(began))]
    worst = max(shut, key=lambda s: s.to_s, default=None)
    if worst is not None:
        until = "" if worst.to_s == float("inf") else f" Within the limits from {intent.clock(instant(worst.to_s))}."
        yield f"Outside the limits of the sheet: {worst.reason}.{until}"


def _coat_step(intent: Intent) -> CoatStep | None:
    """The coat that goes on, as a step on its zones, whether the plan has it or not."""
    if intent.layer is None or intent.coat is None:
        return None
    steps = [s for s in intent.situation.owed.steps if isinstance(s, CoatStep) and s.layer.id == intent.layer.id]
    like = intent.step if isinstance(intent.step, CoatStep) else next(iter(steps), None)
    if like is None or not intent.zones:
        return None
    return replace(only_on(like, intent.zones, intent.situation.zones), layer=intent.layer, coat=intent.coat)


def left_to_tick(situation: Situation, step: Step, at: datetime) -> list[str]:
    """Return what a step asks to be ticked. What was ticked with a piece of the same coat counts for all."""
    near = [
        c.payload.ticked
        for c in situation.history.coats
        if c.planned_step == step.id and timedelta(0) <= at - c.ended_at < _A_DAY
    ]
    seen = {words for ticked in near for words in ticked}
    return [words for words in step.to_tick if words not in seen]


def _not_ticked(intent: Intent) -> Iterator[str]:
    """Something that the step asks for is not ticked."""
    left = left_to_tick(intent.situation, intent.step, intent.at) if intent.step else ()
    if missing := [words for words in left if words not in intent.ticked]:
        yield f"Not ticked: {'; '.join(missing)}."


def _cup_too_small(intent: Intent) -> Iterator[str]:
    """The cup holds less than the coat takes."""
    if intent.cup_ml is not None and intent.cup_ml < ENOUGH_IN_CUP * intent.takes_ml:
        yield f"The cup has {max(0.0, intent.cup_ml):.0f} ml left, and this coat takes {intent.takes_ml:.0f} ml."


def _dehumidifier_on(intent: Intent) -> Iterator[str]:
    """Whoever keeps the list of the room today has not stamped the dehumidifier off."""
    if intent.dehumidifier_in:
        yield f"Is the dehumidifier in {intent.dehumidifier_in} off? It can ignite solvent vapour."


def _heat_too_soon(intent: Intent) -> Iterator[str]:
    """The heat before it was not over."""
    ends = [h.bake.end for h in intent.situation.history.bakes if h.zones & intent.zones]
    if ends and intent.at < max(ends):
        yield f"The heat before it ended {intent.clock(max(ends))}, and this one began {intent.clock(intent.at)}."


def _grit_uncovered(intent: Intent) -> Iterator[str]:
    """A coat that covers loose grit is left out."""
    left_out = {s.id for s in intent.leaves_out if isinstance(s, CoatStep)}
    for film in intent.films:
        following = next((s for z in film.zones if (s := intent.situation.owed.following(z))), None)
        if film.top and film.top.gritty and following is not None and following.id in left_out:
            yield f"{following.label} covers the grit{intent.on(film.zones)}. Without it the grit comes off in use."
            return


@dataclass(frozen=True, slots=True)
class Check:
    """A row of the table: its name, when it asks, in words, of which presses, and how it is found."""

    code: str
    asks_when: str
    of: frozenset[str]
    found: Callable[[Intent], Iterable[str]]


_COAT, _ANY = frozenset({"coat"}), frozenset({"*"})
CHECKS: tuple[Check, ...] = (
    Check("order", "a coat ended before the one on top of it", _COAT, _below_a_later_coat),
    Check("before", "steps that the plan has before it are not done", _ANY, _owed_before),
    Check("wait", "a wait of the system is not over", _ANY, _waits),
    Check("holds", "an inspection that holds what follows was not passed", _ANY, _holds),
    Check("turn", "the face that is coated lies down", _COAT, _lies_down),
    Check("wet", "the film below has not flashed off", _COAT, _coat_on_wet),
    Check("wet", "the film is wet", frozenset(NOT_ON_WET), _still_wet),
    Check("wet", "the film is too soft to sand", frozenset({"sand"}), _not_sandable),
    Check("closed", "the window of the film below is closed or it would lift, and it is not sanded", _COAT, _closed),
    Check("tests", "a test that the sheet asks for before the next coat is missing", _COAT, _not_tested),
    Check("wipe", "a sanded film was not wiped, or over 12 h ago", _COAT, _not_wiped),
    Check("day", "the sheet's coats a day are on", _COAT, _too_many_today),
    Check("gate", "air or surface are outside the limits of the sheet, or leave them too soon", _COAT, _outside_limits),
    Check("ticks", "something that the step asks for is not ticked", _ANY, _not_ticked),
    Check("cup", "the cup holds less than four fifths of what the coat takes", _COAT, _cup_too_small),
    Check("dehumidifier", "the dehumidifier is not stamped off, in a room whose list is kept", _COAT, _dehumidifier_on),
    Check("skip", "the grit does not remove the scratches of the one before", frozenset({"sand"}), _skips_grits),
    Check("heat", "a bake began before the last one was over", frozenset({"bake"}), _heat_too_soon),
    Check("grit", "the coat over loose grit is left out", frozenset({"skip"}), _grit_uncovered),
)


def contradictions(intent: Intent) -> list[Contradiction]:
    """Return all that a press contradicts, in the order of the table.

    Args:
        intent: What it means to log.

    The table is told in docs/confirmations.md.
    """
    return [
        Contradiction(check.code, words)
        for check in CHECKS
        if intent.does in check.of or (check.of is _ANY and intent.does != "skip")
        for words in check.found(intent)
    ]


def minutes_since(gone: timedelta) -> str:
    """Write how old something is: ``8 s``, ``12 min``, ``3 h``, ``2 d``."""
    seconds = max(0, int(gone.total_seconds()))
    for size, sign in ((86_400, "d"), (3_600, "h"), (60, "min")):
        if seconds >= 2 * size or (seconds >= size and sign == "min"):
            return f"{seconds // size} {sign}"
    return f"{seconds} s"

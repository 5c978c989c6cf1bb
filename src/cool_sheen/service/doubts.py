"""What contradicts the clock, the cup or the log: it is taken, but asked back once, and remembered with the entry."""

import re
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from cool_sheen.core.inspection.rungs import skipped
from cool_sheen.core.log.batches import BatchState
from cool_sheen.core.log.entries import MIXING, Recorded
from cool_sheen.core.log.history import Zones
from cool_sheen.core.log.standing import unvoided
from cool_sheen.core.part.film_clock import CoatClock
from cool_sheen.core.part.key import sandable
from cool_sheen.core.takeoff.amounts import paint_of
from cool_sheen.core.work.owed import last_done
from cool_sheen.core.work.steps import CoatStep, SandStep, Step
from cool_sheen.service.batches import transfer_of, transfer_on, used_by_coats
from cool_sheen.service.histories import entries_of
from cool_sheen.service.part_now import PartNow
from cool_sheen.service.rooms import room_list, stamps_today
from cool_sheen.service.unit import Refused, Unit
from cool_sheen.store.models import Space

HASTY = timedelta(seconds=1)  # nobody has read what a button says in less
_EMPTY = 0.2  # of what a coat takes: less than that in the cup is no coat
_ALONE = ("mist", "stripe", "drop")  # coats that the next one may follow at once
_ON_WET = ("wash", "degrease", "wipe", "tack", "mask", "polish", "degloss")  # work that a wet film does not bear
_SEQ = re.compile(r"[0-9]{1,18}")
ALL = "1"  # sure of whatever was asked


@dataclass(frozen=True, slots=True)
class Doubt:
    """Something that is asked back: its name, and the words of the question, which stay with the entry."""

    code: str
    words: str


class AskedBack(Refused):
    """What was pressed is asked back: said once more it is taken."""

    def __init__(self, doubts: Sequence[Doubt]) -> None:
        super().__init__(" ".join(d.words for d in doubts), {"sure": "If it is so, say it once more."}, status=409)
        self.doubts = tuple(doubts)


def settle(unit: Unit, doubts: Iterable[Doubt], *, always: bool = False) -> str | None:
    """Ask back what the presser is not sure of, and return what is remembered of the rest with the entry.

    Args:
        unit: The unit of work: who presses, and of what they are sure.
        doubts: What is doubtful.
        always: Whether a script is asked, too.

    Raises: AskedBack.
    """
    found = list(doubts)
    sure = unit.asking.sure
    open_ones = [d for d in found if d.code not in sure and ALL not in sure]
    if open_ones and (always or unit.asking.offered):
        raise AskedBack(found)
    return " ".join(d.words for d in found)[:4000] or None


def offer_of(found: PartNow) -> str:
    """Return the mark of what a part's buttons offer: the newest entry that they know of, and the next action."""
    return f"{found.version[1]}:{_step_of(found)}"


def _step_of(found: PartNow) -> str:
    action = found.action
    return action.step.id if action.step is not None else action.does


def check_offer(unit: Unit, found: PartNow) -> None:
    """See to it that a press logs what its button offered.

    Raises: AskedBack: that is logged already, and the next action is another one; or the button had only just changed.
    """
    seq, _, step = unit.asking.offered.partition(":")
    if not _SEQ.fullmatch(seq):
        return
    since = [row for row in _entries(unit, found) if row.seq > int(seq)] if int(seq) != found.version[1] else []
    if unit.asking.mine and all(str(row.entry.uuid) in unit.asking.mine for row in since):
        return
    if since and step != _step_of(found):
        row = next((r for r in reversed(since) if r.entry.planned_step == step), since[-1])
        raise AskedBack([Doubt("offer", f"{_was_logged(unit, row)} What comes next is: {found.action.says}.")])
    if since or "offer" in unit.asking.sure:
        return
    newest = next((row for row in reversed(_entries(unit, found)) if row.entry.payload.kind != "move"), None)
    if newest and newest.entry.device == unit.device and timedelta(0) <= unit.now - newest.recorded_at < HASTY:
        words = f"{_was_logged(unit, newest)} This button had only just come: what it says is {found.action.says}."
        raise AskedBack([Doubt("offer", words)])


def _entries(unit: Unit, found: PartNow) -> list[Recorded]:
    """What was done to a part, in sequence; what is in a cup is pressed elsewhere."""
    rows = unvoided(entries_of(unit, found.part.uuid))
    return sorted((r for r in rows if r.entry.payload.kind not in (*MIXING, "stamp")), key=lambda row: row.seq)


def _was_logged(unit: Unit, row: Recorded) -> str:
    by = "by this device" if row.entry.device == unit.device else "by another device"
    return f"That was logged already, {ago(unit.now - row.recorded_at)} ago, {by}."


def ago(gone: timedelta) -> str:
    """Write how long something is ago: ``8 s``, ``12 min``, ``3 h``, ``2 d``."""
    seconds = max(0, int(gone.total_seconds()))
    for size, sign in ((86_400, "d"), (3_600, "h"), (60, "min")):
        if seconds >= 2 * size or (seconds >= size and sign == "min"):
            return f"{seconds // size} {sign}"
    return f"{seconds} s"


def of_coat(
    unit: Unit, found: PartNow, step: CoatStep | None, kind: str, zones: Zones, at: datetime, cup: BatchState | None
) -> list[Doubt]:
    """What is doubtful about a coat: on a film that is not open, out of an empty cup, in a room that is not ready."""
    out: list[Doubt] = []
    tops = tops_on(found, zones)
    out += _first(_under(unit, top, at) for top in tops)
    if kind not in _ALONE:
        out += _first(_too_soon(unit, top, at) for top in tops if top.coat.payload.coat_kind not in _ALONE)
    out += _out_of_an_empty_cup(unit, found, step, cup)
    out += _dehumidifier(unit, found)
    return out


def _under(unit: Unit, top: CoatClock, at: datetime) -> Doubt | None:
    """A coat that ended before the one on top would lie below it."""
    if at >= top.coat.ended_at:
        return None
    words = f"A coat of {top.product.name} was on by {_clock(unit, top.coat.ended_at)}: this one would lie below it."
    return Doubt("order", words)


def _too_soon(unit: Unit, top: CoatClock, at: datetime) -> Doubt | None:
    early = top.opens.early if top.opens else None
    if early is None or not top.coat.ended_at <= at < early:
        return None
    since = ago(at - top.coat.ended_at)
    return Doubt("wet", f"The coat before it was on for {since}, and opens from {_clock(unit, early)} by the clock.")


def _out_of_an_empty_cup(unit: Unit, found: PartNow, step: CoatStep | None, cup: BatchState | None) -> list[Doubt]:
    if cup is None or step is None or cup.ended is not None:
        return []
    transfer = transfer_of(unit)
    left = cup.cup.ready_ml - used_by_coats(unit, cup, transfer)
    takes = paint_of(step, found.zones, found.products, transfer_on(found.part.lands_pct, transfer)).ml
    if left >= _EMPTY * takes:
        return []
    words = f"The cup has {max(0.0, left):.0f} ml left by the coats out of it, and this coat takes {takes:.0f} ml."
    return [Doubt("cup", words)]


def _dehumidifier(unit: Unit, found: PartNow) -> list[Doubt]:
    """Who keeps the room's list today and has not stamped the dehumidifier off is asked whether it is."""
    space = unit.session.get(Space, found.space.uuid)
    if space is None or space.dehumidifier_max_rh_pct is None or not stamps_today(unit, space.uuid):
        return []
    listed = room_list(unit, space)
    kept = any(s.done_at is not None for s in listed if s.step.key not in ("reading", "dehumidifier_off"))
    off = next((s for s in listed if s.step.key == "dehumidifier_off"), None)
    if off is None or off.done_at is not None or not kept:
        return []
    return [Doubt("dehumidifier", f"The dehumidifier of {space.name} is not stamped off today: it sparks.")]


def of_sanding(unit: Unit, found: PartNow, step: SandStep | None, grit: str, zones: Zones, at: datetime) -> list[Doubt]:
    """What is doubtful about a sanding: a film that cannot be sanded yet, or a grit that skips those between."""
    return [*_first(_not_sandable(unit, top, at) for top in tops_on(found, zones)), *_skips(found, step, grit, zones)]


def _skips(found: PartNow, step: SandStep | None, grit: str, zones: Zones) -> list[Doubt]:
    """Whoever follows the system's own rungs is not asked: it was looked over when it was built."""
    on = (zones or found.situation.all_zones) & found.situation.all_zones
    done = [w for w in found.history.works if w.kind == "sand" and w.grit and w.zones & on]
    since = max((c.place for c in found.history.coats if c.zones & on), default=-1)
    before = next((w.grit for w in reversed(done) if w.place > since and w.grit), None)
    missing = skipped(before, grit) if before else ()
    if not missing or before is None or _system_has(found, step, before):
        return []
    words = f"{before} came before, and {grit} does not reach its scratches: {', '.join(missing)} between them."
    return [Doubt("skip", words)]


def _system_has(found: PartNow, step: SandStep | None, before: str) -> bool:
    """Whether a rung of the plan follows another one in the plan itself."""
    rungs = [s for s in found.owed.steps if isinstance(s, SandStep)]
    place = next((n for n, s in enumerate(rungs) if step is not None and s.id == step.id), 0)
    return place > 0 and rungs[place - 1].grit == before and rungs[place - 1].slot == rungs[place].slot


def _not_sandable(unit: Unit, top: CoatClock, at: datetime) -> Doubt | None:
    if at < top.coat.ended_at or sandable(top, at):
        return None
    mark = top.bands.get(top.rule.sand) if top.rule.sand else None
    when = f", sandable from {_clock(unit, mark.early)}" if mark and mark.early else ""
    return Doubt(
        "wet", f"{top.product.name} was on for {ago(at - top.coat.ended_at)}{when} by the clock: it is no key."
    )


def of_step(unit: Unit, found: PartNow, kind: str, zones: Zones, at: datetime) -> list[Doubt]:
    """What is doubtful about a step: a wet film under it."""
    if kind not in _ON_WET:
        return []
    return _first(_too_soon(unit, top, at) for top in tops_on(found, zones))


def of_what_holds(unit: Unit, found: PartNow, step: Step | None, zones: Zones, at: datetime) -> list[Doubt]:
    """What is doubtful about work that goes past what holds it: a wait, or a check that was not passed."""
    mine = next((n for n, s in enumerate(found.owed.steps) if step is not None and s.id == step.id), None)
    if mine is None or step is None:
        return []
    out: dict[str, Doubt] = {}
    done = last_done(found.history, found.zones, found.now)
    for zone in zones or step.zones:
        until = done.get(zone, at)
        for n in [n for n in found.owed.ahead(zone) if n <= mine]:
            ahead = found.owed.steps[n]
            until += timedelta(minutes=ahead.wait_minutes)
            if ahead.wait_minutes and at < until:
                label = (
                    ahead.label
                    if ahead.kind == "wait"
                    else f"{ahead.label} waits{f': {ahead.why}' if ahead.why else ''}"
                )
                out[f"wait:{n}"] = Doubt("wait", f"{label}, until {_clock(unit, until)}.")
            if n < mine and ahead.holds:
                out[f"holds:{n}"] = Doubt("holds", f"{ahead.label} holds what follows, and was not passed.")
    return list(out.values())


def of_heat(unit: Unit, found: PartNow, zones: Zones, began: datetime) -> list[Doubt]:
    """What is doubtful about a bake: it began before the last one was over."""
    ends = [h.bake.end for h in found.history.bakes if h.zones & zones]
    if not ends or began >= max(ends):
        return []
    return [
        Doubt("heat", f"The heat before it ended {_clock(unit, max(ends))}, and this one began {_clock(unit, began)}.")
    ]


def tops_on(found: PartNow, zones: Zones) -> list[CoatClock]:
    """Return the coats that lie on top of some zones; of all when none is named."""
    wanted = zones or found.situation.all_zones
    return [film.top for film in found.situation.films if film.top and film.zones & wanted]


def _first(doubts: Iterable[Doubt | None]) -> list[Doubt]:
    found = next((doubt for doubt in doubts if doubt is not None), None)
    return [found] if found else []


def _clock(unit: Unit, at: datetime) -> str:
    local, today = at.astimezone(unit.zone), unit.now.astimezone(unit.zone).date()
    return f"{local:%H:%M}" if local.date() == today else f"{local:%a %H:%M}"

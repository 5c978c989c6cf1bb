"""The one account: what a part's zones take next, from when to when and why. Every plan and every screen asks here.

The next action of a part is the first thing that is placed, and its plan is all of them, so that the two never differ.
"""

from collections.abc import Iterator, Mapping
from contextlib import suppress
from copy import copy
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from uuid import UUID

from cool_sheen.core.climate.series import seconds
from cool_sheen.core.coatings.products import Product
from cool_sheen.core.coatings.systems import Coat, Layer
from cool_sheen.core.drying.clock import Band
from cool_sheen.core.part.due import STILL_IN_TIME, Order
from cool_sheen.core.part.gate import CoatGate, dust_mark
from cool_sheen.core.part.hands import Asked
from cool_sheen.core.part.memory import Memory
from cool_sheen.core.part.placed import Fit, Missed, Planned, Stuck, Wait
from cool_sheen.core.part.situation import Situation
from cool_sheen.core.part.times import Times, waited
from cool_sheen.core.part.top import Top, Window
from cool_sheen.core.work.steps import (
    ABRADES,
    WIPES,
    CoatStep,
    HeatStep,
    SandStep,
    Step,
    WorkStep,
    Zones,
    only_on,
    waits_for,
)

MOST_WIPES = 3
PIECE_SHARE = 0.25  # of the window that a coat leaves: what takes longer is done piece by piece
WIPED_AHEAD = timedelta(minutes=30)  # a wipe that a coat wants again may come that long before it
_NEVER = datetime(9000, 1, 1, tzinfo=UTC)


def place_all(situation: Situation, zones: Zones | None = None) -> Iterator[Planned]:
    """Give every step that is owed its time, one after the other, as one painter does them.

    Args:
        situation: The part at this moment.
        zones: Those that are worked on, as if nothing were owed to the others; all when None.

    Yields: Steps in order of time. Openings are taken late and closings at their limit, but what can start at this very
        moment goes by the likely edge, for the finger to judge; where a window cannot be met, the key or the fresh coat
        is put in; wipes and turns stand where they are wanted.
    Raises: Stuck: a step that never opens in this climate.
    """
    placer = Placer(situation)
    if zones is not None:
        placer.memory.ahead = {zone: places for zone, places in placer.memory.ahead.items() if zone in zones}
    while (planned := placer.place()) is not None:
        yield planned


def lay_all(situation: Situation) -> tuple[list[Planned], Mapping[UUID, Top | None], str]:
    """Lay out everything that is owed, as far as it goes.

    Args:
        situation: The part at this moment.

    Returns: The steps; the film on top of each zone when they are done; and what stopped them, in words.
    """
    placer, steps = Placer(situation), []
    try:
        while (planned := placer.place()) is not None:
            steps.append(planned)
    except Stuck as stuck:
        return steps, placer.memory.tops, str(stuck)
    return steps, placer.memory.tops, ""


def gates_of(situation: Situation, step: CoatStep, at: datetime) -> list[CoatGate]:
    """Return the gates of a coat as it will really go on: one for each film below it, in the climate that it sees.

    Args:
        situation: The part at this moment.
        step: The coat, for the zones that it names.
        at: When it starts: the mix in use is taken as long as it can be used.
    """
    return Times(Memory(situation)).gates(step, situation.products[step.layer.product], at)


def slowest_gate(situation: Situation, step: CoatStep, at: datetime) -> CoatGate:
    """Return the gate of a coat on the film that keeps it from being safe the longest, as of a start at an instant."""
    return max(gates_of(situation, step, at), key=lambda gate: gate.safe_s(seconds(at)))


class Placer:
    """Serial generation, one step at a time, with the film on top of each zone as its memory."""

    def __init__(self, situation: Situation, memory: Memory | None = None) -> None:
        self.memory = memory or Memory(situation)
        self.times = Times(self.memory)
        self.order = Order()  # of an earlier plan

    def ahead(self) -> list[Step]:
        """All that is still owed to any zone, in order."""
        return [self.memory.steps[n] for n in sorted({n for places in self.memory.ahead.values() for n in places})]

    def due(self) -> datetime | None:
        """When an earlier plan goes on with the part; None where it has nothing of it."""
        owed: dict[int, set[UUID]] = {}
        for zone, places in self.memory.ahead.items():
            for place in places:
                owed.setdefault(place, set()).add(zone)
        left = [(self.memory.steps[n], frozenset(zones)) for n, zones in owed.items()]
        found = self.order.first(lambda due: any(due.is_for(step, zones) for step, zones in left))
        return found.at if found else None

    def closes_next(self, zones: Zones) -> datetime | None:
        """When the first window closes that the next coat of some zones has to find open: nothing keys it before."""
        closings = []
        for zone in zones:
            ahead = [self.memory.steps[n] for n in self.memory.ahead[zone]]
            place = next((n for n, s in enumerate(ahead) if isinstance(s, CoatStep)), None)
            if place is None or any(s.kind in ABRADES for s in ahead[:place]):
                continue
            coat = ahead[place]
            if isinstance(coat, CoatStep):
                groups = self.memory.windows(frozenset({zone}), self.memory.product(coat.layer))
                closings += [at for _, w in groups if w and (at := self.memory.edge(w.closes))]
        return min(closings, default=None)

    def closes_first(self) -> datetime | None:
        """When the first window of the part closes that is open by now, or will be; None where none does."""
        closes = self.closes_next(frozenset(self.memory.ahead))
        return closes if closes and closes > self.memory.now else None

    def dust_free(self, step: CoatStep) -> datetime:
        """When the last film that a coat left is dust free, by the late edge; as it ends, where that is unknown."""
        ends = [
            band.late
            for top in self.memory.tops_on(step.zones)
            if (band := top.bands.get(dust_mark(top.product.drying).name)) and band.late
        ]
        return max(ends, default=self.memory.now)

    def copy(self) -> "Placer":
        """The same part at the same point of its plan: what is placed on the one is not on the other."""
        other = copy(self)
        other.memory = self.memory.copy()
        other.times = Times(other.memory)
        return other

    def place(self) -> Planned | None:
        """Give the next thing its time, and remember it; None when nothing is left. Raises Stuck."""
        while fronts := self._fronts():
            place, zones = self._as_planned(fronts) or self._pick(fronts)
            step = only_on(self.memory.steps[place], zones, self.memory.sit.zones)
            if step.kind == "wait":
                planned, placed = self._wait(step)
            else:
                planned, placed = self._coat(step) if isinstance(step, CoatStep) else self._other(step)
            for zone in placed:
                self.memory.ahead[zone].remove(place)
            if planned is not None:
                self.order = self.order.after(planned)
                return planned
        return None

    # --- which step comes next ---------------------------------------------------------------------
    def _fronts(self) -> dict[int, Zones]:
        """The first thing that is owed to each zone, by its place in the plan."""
        fronts: dict[int, set[UUID]] = {}
        for zone, places in self.memory.ahead.items():
            if places:
                fronts.setdefault(places[0], set()).add(zone)
        return {place: frozenset(zones) for place, zones in fronts.items()}

    def _pick(self, fronts: dict[int, Zones]) -> tuple[int, Zones]:
        """The first in the order of the system; but a coat on the same side goes first where its window would close.

        Unless the first would lose its own window by that. Nothing waits for a branch that mends some zones alone.
        """
        first = min(fronts)
        if len(fronts) == 1:
            return first, fronts[first]
        step = only_on(self.memory.steps[first], fronts[first], self.memory.sit.zones)
        begins, ends = self._span(step)
        if step.apart and (sooner := self._sooner(fronts, first, begins)):
            return sooner
        for place, zones in sorted(fronts.items())[1:]:
            other = self.memory.steps[place]
            if not isinstance(other, CoatStep) or self.memory.up not in (None, other.setting):
                continue
            for group, window in self.memory.windows(zones, self.memory.product(other.layer)):
                if window is None or not self.times.misses(window, ends):
                    continue
                start, end = self._span(only_on(other, group, self.memory.sit.zones))
                if not self.times.misses(window, start) and not self._loses(step, begins, end):
                    return place, zones
        return first, fronts[first]

    def _sooner(self, fronts: dict[int, Zones], first: int, begins: datetime) -> tuple[int, Zones] | None:
        """What can be begun on other zones before a branch goes on: the rest of a part keeps its clocks."""
        for place, zones in sorted(fronts.items()):
            other = only_on(self.memory.steps[place], zones, self.memory.sit.zones)
            lies = isinstance(other, CoatStep) and self.memory.up not in (None, other.setting)
            if place != first and not lies and other.kind != "wait" and self._span(other)[0] < begins:
                return place, zones
        return None

    def _as_planned(self, fronts: dict[int, Zones]) -> tuple[int, Zones] | None:
        """What an earlier plan has next, and on which zones, if that is still in time."""
        steps = {place: self.memory.steps[place] for place in fronts}
        due = self.order.first(lambda d: any(d.is_for(step, fronts[n]) for n, step in steps.items()))
        if due is None or self.memory.now > due.at + STILL_IN_TIME:
            return None
        place, step = next((n, step) for n, step in steps.items() if due.is_for(step, fronts[n]))
        return place, fronts[place] & due.zones if due.step == step.id else fronts[place]

    def _loses(self, step: Step, start: datetime, later: datetime) -> bool:
        """Whether a coat that could start in its window would have missed it later on."""
        if not isinstance(step, CoatStep):
            return False
        windows = [w for _, w in self.memory.windows(step.zones, self.memory.product(step.layer)) if w]
        return any(self.times.misses(w, later) and not self.times.misses(w, start) for w in windows)

    def _span(self, step: Step) -> tuple[datetime, datetime]:
        """When a step that is owed could start and be done, for the choice alone; never, where it is stuck."""
        try:
            if step.kind == "wait":  # it takes nobody's time
                return self.memory.now, self.memory.now
            if not isinstance(step, CoatStep):
                fit, end = self._hours(step, self._fit(step)[0])
                return fit.at, end
            product = self.memory.product(step.layer)
            start = self.times.time(step, product, self.memory.windows(step.zones, product)).at
            return start, start + self.memory.labour(step)
        except Stuck:
            return _NEVER, _NEVER

    # --- waits, work that leaves no film ---------------------------------------------------------------------
    def _wait(self, step: Step) -> tuple[Planned | None, Zones]:
        """Remember a wait; what is over by now is not placed. It takes nobody's time: other zones go on meanwhile."""
        begins = max(self.memory.now, min(self.memory.done[z] for z in step.zones))
        until = self.memory.wait(step)
        if until <= self.memory.now:
            return None, step.zones
        words = "nothing follows on it before that is over"
        return Planned(step, begins, until, words, timedelta(0), Wait.TIME), step.zones

    def _other(self, step: Step) -> tuple[Planned, Zones]:
        """Place work, sanding or heat."""
        return self._add(step, *self._fit(step)), step.zones

    def _fit(self, step: Step) -> tuple[Fit, Band | None]:
        """When the film lets work be done: it waits for its milestone on every zone that it is for."""
        name = waits_for(step)
        earliest, because, band, wait = self.memory.now, "follows at once", None, Wait.NOTHING
        if name is not None and (found := self.times.milestone(step, name)):
            earliest, band = found
            because = f"{'sandable' if name == 'sand' else 'ready'} by the late clock"
            wait = Wait.FILM if earliest > self.memory.now else Wait.NOTHING
        if (held := self.memory.held(step)) and held.until > max(earliest, self.memory.now):
            earliest, because, wait, band = held.until, waited(held), Wait.TIME, None
        if step.kind in WIPES and (damp := self.memory.damp_on(step.zones)) and damp > earliest:
            earliest, because, wait = damp, "once the water of the wet sanding has left", Wait.DAMP
        return Fit.by(earliest, wait, because), band

    def _hours(self, step: Step, fit: Fit) -> tuple[Fit, datetime]:
        """When work begins, by whoever does it, and when it is done, its hold included."""
        labour = self.memory.labour(step)
        hold = step.hold(winter=self.memory.sit.winter) if isinstance(step, HeatStep) else None
        lasts = labour + timedelta(minutes=hold or 0)
        if fit.at < self.memory.now:
            fit = replace(fit, at=self.memory.now)
        while (busy := self.memory.hands.busy(Asked(step, fit.at, labour, lasts))) is not None:
            fit = fit.held(busy.until, busy.wait, busy.because, by=busy.by)
        return fit, fit.at + lasts

    def _add(self, step: Step, fit: Fit, band: Band | None = None, *, inserted: bool = False) -> Planned:
        """Give work its time within the working day, and remember what it does to the film."""
        labour = self.memory.labour(step)
        fit, end = self._hours(step, fit)
        films = tuple(self.memory.tops_on(step.zones)) if waits_for(step) else ()
        self.memory.now = end
        self.memory.work(step, end)
        return Planned(
            step, fit.at, end, fit.because, labour, fit.wait, band, shut=fit.shut, inserted=inserted, holds=fit.holds,
            films=films,
        )  # fmt: skip

    # --- coats --------------------------------------------------------------------------------------------
    def _coat(self, step: CoatStep) -> tuple[Planned, Zones]:
        """Place a coat, or what its zones want before it. Returns the zones that got it, too."""
        product = self.memory.product(step.layer)
        step = self._piece(step, product)
        if (first := self._wanted_before(step)) is not None:
            return first, frozenset()
        part, fit, windows = self._fitted(step, product)
        if isinstance(part, Planned):  # a key or a fresh coat on zones whose window would close
            return part, frozenset()
        start, labour, blend = fit.at, self.memory.labour(part), self.memory.mix(part.layer, fit.at)
        if stale := self.memory.stale(part.zones, start):
            self._not_for_ever(part)
            wipe = _work(part, "wipe", "Wipe again, then coat", stale, self.memory.sit)
            wipe = replace(wipe, id=f"{part.id}:again")
            before = start - self.memory.labour(wipe) - WIPED_AHEAD
            due = self.order.first(lambda d: d.step == wipe.id and bool(d.zones & wipe.zones))
            just_before = max(self.memory.now, min(before, due.at if due else before))
            because = f"the last wipe is over a night old; {fit.because}"
            return self._add(wipe, replace(fit, at=just_before, because=because), inserted=True), frozenset()
        closing = min(
            (w.closes for w in windows if w and w.closes and w.closes.early),
            key=lambda b: b.early or start,
            default=None,
        )
        spare = closing.early - start if closing and closing.early else None
        opening = max((w.opens for w in windows if w and w.opens), key=lambda b: b.late or start, default=None)
        films = tuple(self.memory.tops_on(part.zones))
        self.memory.now = start + labour
        self.memory.lay(part, product)
        end = self.memory.now
        planned = Planned(
            part,
            start,
            end,
            fit.because,
            labour,
            fit.wait,
            opening,
            closing,
            spare,
            fit.shut,
            holds=fit.holds,
            blend=blend,
            films=films,
        )
        return planned, part.zones

    def _not_for_ever(self, step: CoatStep) -> None:
        """A wipe that is over a night old whenever its coat can be on is wiped for ever. Raises Stuck."""
        wiped = self.memory.wiped_again[step.id] = self.memory.wiped_again.get(step.id, 0) + 1
        if wiped > MOST_WIPES * len(self.memory.sit.zones):
            words = f"{step.label}: its wipe and the coat itself never come within one night of each other."
            raise Stuck(words, step, Wait.HOURS, "the wipe is over a night old whenever the coat can be on")

    def _piece(self, step: CoatStep, product: Product) -> CoatStep:
        """What is done of a coat in one go: piece by piece, where it takes long beside the window that it leaves.

        So the first piece is not closing while the last one is wet.
        """
        zones, window = self.memory.in_order(step.zones), self._leaves(step, product)
        if len(zones) < 2 or window is None or self.memory.labour(step) <= window * PIECE_SHARE:
            return step
        chosen = [zones[0]]
        for zone in zones[1:]:
            piece = only_on(step, frozenset([*chosen, zone]), self.memory.sit.zones)
            if self.memory.labour(piece) > window * PIECE_SHARE:
                break
            chosen.append(zone)
        return only_on(step, frozenset(chosen), self.memory.sit.zones)

    def _leaves(self, step: CoatStep, product: Product) -> timedelta | None:
        """How long the window is open that a coat leaves for the next one, by its sheet; None where nothing closes."""
        place = next(n for n, s in enumerate(self.memory.steps) if s.id == step.id)
        after = [n for z in step.zones for n in self.memory.ahead[z] if n > place]
        following = next((n for n in sorted(after) if isinstance(self.memory.steps[n], CoatStep)), None)
        if following is None or any(self.memory.steps[n].kind in ABRADES for n in after if n < following):
            return None
        coat = self.memory.steps[following]
        rule = product.rule_for(self.memory.product(coat.layer) if isinstance(coat, CoatStep) else None)
        opens, closes = product.drying.named(rule.opens), product.drying.named(rule.closes)
        if rule.redissolves or opens is None or closes is None:
            return None
        return timedelta(minutes=closes.ref_minutes - opens.ref_minutes)

    def _wanted_before(self, step: CoatStep) -> Planned | None:
        """A turn to the side that is coated, or the first wipe after sanding."""
        if self.memory.up is not None and step.setting != self.memory.up:
            return self._turn(step)
        dusty = frozenset(
            z for z in step.zones if (t := self.memory.tops.get(z)) and t.key.sanded and t.key.wiped is None
        )
        if not dusty:
            self.memory.up = step.setting
            return None
        damp = self.memory.damp_on(dusty)
        fit = Fit(self.memory.now, Wait.NOTHING, "after sanding")
        if damp and damp > self.memory.now:
            fit = Fit.by(damp, Wait.DAMP, "once the water of the wet sanding has left")
        return self._add(_work(step, "wipe", "Wipe down", dusty, self.memory.sit), fit, inserted=True)

    def _turn(self, step: CoatStep) -> Planned:
        lying = frozenset(z for z, s in self.memory.settings.items() if s == self.memory.up and self.memory.tops.get(z))
        turn = _work(step, "turn", "Turn: coat the other side", lying or step.zones, self.memory.sit)
        turn = replace(turn, id=f"{step.id}:turn@{step.setting}", after="turn")
        found = self.times.milestone(turn, "turn") if lying else None
        earliest, band = found or (self.memory.now, None)
        wait = Wait.FILM if earliest > self.memory.now else Wait.NOTHING
        because = "ready by the late clock" if found else "follows at once"
        planned = self._add(turn, Fit.by(earliest, wait, because), band, inserted=True)
        self.memory.up = step.setting
        return planned

    def _fitted(self, step: CoatStep, product: Product) -> tuple[CoatStep | Planned, Fit, list[Window | None]]:
        """Find the time of a coat on its zones together; where one would miss its window by waiting, it goes first."""
        groups = self.memory.windows(step.zones, product)
        fit = self.times.time(step, product, groups)
        missed = [(zones, w) for zones, w in groups if w and self.times.misses(w, fit.at)]
        if own := [zones for zones, _ in missed if self._is_its_own_way(zones, product)]:
            groups = [(zones, w.for_itself if w and zones in own else w) for zones, w in groups]
            fit = self.times.time(step, product, groups)
            missed = [(zones, w) for zones, w in groups if w and self.times.misses(w, fit.at)]
        if not missed:
            return step, fit, [w for _, w in groups]
        for zones, window in sorted(missed, key=lambda g: self.times.closing(g[1])):
            alone = only_on(step, zones, self.memory.sit.zones)
            soon = self.times.time(alone, product, [(zones, window)])
            if not self.times.misses(window, soon.at):
                return alone, soon, [window]
        late = frozenset().union(*(z for z, _ in missed))
        rest = [(zones, w) for zones, w in groups if not zones & late]
        done = _NEVER
        with suppress(Stuck):
            done = self._hours(*self._opened_again(step, product, late)[:2])[1]
        if any(w and self.times.misses(w, done) for _, w in rest):  # what is still open goes first
            alone = only_on(step, step.zones - late, self.memory.sit.zones)
            return alone, self.times.time(alone, product, rest), [w for _, w in rest]
        closings = (self.times.closing(w) for _, w in missed)
        return self._put_in(*self._opened_again(step, product, late), Missed(min(closings), fit.at)), fit, []

    def _is_its_own_way(self, zones: Zones, product: Product) -> bool:
        """Whether a coat is the fresh coat of itself that a film without a key wants when its window has closed."""
        top = self.memory.tops_on(zones)[0]
        return not top.keyed_by and top.product.key == product.key

    def _opened_again(self, step: CoatStep, product: Product, zones: Zones) -> tuple[Step, Fit, Band | None]:
        """What opens zones again whose window would close: a key, or a fresh coat of itself where nothing keys it."""
        flaky = frozenset(z for z in zones if (t := self.memory.tops.get(z)) and not t.keyed_by)
        return self._fresh(step, product, flaky) if flaky else self._key(step, product, zones)

    def _put_in(self, step: Step, fit: Fit, band: Band | None, missed: Missed) -> Planned:
        if not isinstance(step, CoatStep):
            return replace(self._add(step, fit, band, inserted=True), missed=missed)
        labour, blend = self.memory.labour(step), self.memory.mix(step.layer, fit.at)
        self.memory.now = fit.at + labour
        self.memory.lay(step, self.memory.tops_on(step.zones)[0].product)
        because = f"past its window, and never sanded: a fresh coat of itself; {fit.because}"
        end = self.memory.now
        return Planned(
            step,
            fit.at,
            end,
            because,
            labour,
            fit.wait,
            shut=fit.shut,
            inserted=True,
            holds=fit.holds,
            missed=missed,
            blend=blend,
        )

    def _key(self, step: CoatStep, product: Product, zones: Zones) -> tuple[Step, Fit, Band | None]:
        """The abrading that opens zones again whose window would close, and when the film can take it."""
        top = self.memory.tops_on(zones)[0]
        how = (top.keyed_by, top.product.key_grit)
        same = frozenset(z for z in zones if (t := self.memory.tops.get(z)) and (t.keyed_by, t.product.key_grit) == how)
        sand = only_on(_abrading(step, top), same, self.memory.sit.zones)
        found = self.times.milestone(sand, "sand")
        earliest, band = found or (self.memory.now, None)
        lifts = [w.lifts for _, w in self.memory.windows(same, product) if w and w.lifts]
        for lift in lifts:
            until = self.memory.edge(lift, opening=True)
            if until and until > earliest:
                earliest, band = until, lift
        wait = Wait.FILM if earliest > self.memory.now else Wait.NOTHING
        closed = any(w and self.times.misses(w, self.memory.now) for _, w in self.memory.windows(zones, product))
        because = "the recoat window has closed" if closed else "the window would close before the coat can go on"
        return sand, Fit.by(earliest, wait, because), band

    def _fresh(self, step: CoatStep, product: Product, zones: Zones) -> tuple[CoatStep, Fit, None]:
        """A fresh coat of what lies on top, and when the weather lets it on."""
        top = self.memory.tops_on(zones)[0]
        same = frozenset(z for z in zones if (t := self.memory.tops.get(z)) and t.product is top.product)
        layer = self._layer_of(top, step.layer)
        coat = Coat(kind="drop", wet_film_um=top.product.ref_wet_film_um)
        label = f"{layer.name}, fresh coat"
        of_layer = replace(
            step, id=f"{step.id}:fresh", label=label, layer=layer, coat=coat, needs=(), number=0, slot=layer.id
        )
        fresh = only_on(of_layer, same, self.memory.sit.zones)
        windows = self.memory.windows(same, top.product)
        fit = self.times.time(fresh, top.product, windows)
        if any(w and self.times.misses(w, fit.at) for _, w in windows):
            fit = self.times.time(fresh, top.product, [(z, w.for_itself if w else None) for z, w in windows])
        return fresh, fit, None

    def _layer_of(self, top: Top, otherwise: Layer) -> Layer:
        layers = (s.layer for s in self.memory.steps if isinstance(s, CoatStep))
        return next((la for la in layers if la.id == top.layer_id), otherwise)


def _abrading(step: CoatStep, top: Top) -> Step:
    """What keys a film for a coat: its grit, or a pad where its sheet says so."""
    if "sand" in top.keyed_by:
        grit = top.product.key_grit
        return SandStep(
            id=f"{step.id}:key",
            label=f"Sand {grit} to key",
            zones=step.zones,
            area_m2=step.area_m2,
            slot=step.slot,
            grit=grit,
        )
    return WorkStep(
        id=f"{step.id}:pad",
        label="De-gloss with a pad to key",
        zones=step.zones,
        area_m2=step.area_m2,
        slot=step.slot,
        kind="degloss",
        after="sand",
    )


def _work(step: CoatStep, kind: str, label: str, zones: Zones, situation: Situation) -> WorkStep:
    """Work that a coat wants before it, on some of its zones."""
    whole = WorkStep(
        id=f"{step.id}:{kind}", label=label, zones=step.zones, area_m2=step.area_m2, slot=step.slot, kind=kind
    )
    made = only_on(whole, zones, situation.zones)
    return made if isinstance(made, WorkStep) else whole

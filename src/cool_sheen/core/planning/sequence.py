"""The rest of a part's work laid along time: each step as soon as film, weather and working hours let it."""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from datetime import datetime, time, timedelta
from functools import partial
from uuid import UUID
from zoneinfo import ZoneInfo

from cool_sheen.core.coatings.products import Product
from cool_sheen.core.drying.clock import Band, Clock, Film, stacked
from cool_sheen.core.planning.film_clock import CoatClock, keyed_since, taught
from cool_sheen.core.planning.labour import labour_minutes
from cool_sheen.core.planning.next_action import Outlook, mark_of
from cool_sheen.core.planning.steps import Step
from cool_sheen.core.units import SquareMetres

_TRIES = 60


@dataclass(frozen=True, slots=True)
class WorkingDay:
    """When the shop works, by its own clock."""

    opens: time
    closes: time
    zone: ZoneInfo

    def fit(self, at: datetime, labour: timedelta) -> datetime:
        """Return the first instant from ``at`` on at which this much work fits into one day.

        Work that is longer than a day starts with the day.
        """
        local = at.astimezone(self.zone)
        opens = datetime.combine(local.date(), self.opens, self.zone)
        closes = datetime.combine(local.date(), self.closes, self.zone)
        if local < opens:
            return opens.astimezone(at.tzinfo)
        if local + labour <= closes or (local == opens and labour > closes - opens):
            return at
        tomorrow = datetime.combine(local.date() + timedelta(days=1), self.opens, self.zone)
        return tomorrow.astimezone(at.tzinfo)


@dataclass(frozen=True, slots=True)
class Planned:
    """A step with its time, and why it stands there.

    A step that waits for the film below has the band of that wait; a coat with a closing has the time left to it.
    """

    step: Step
    start: datetime
    end: datetime
    because: str
    labour: timedelta
    spare: timedelta | None = None
    waits: Band | None = None


@dataclass(frozen=True, slots=True)
class Sequence:
    """The steps that could be placed; ``stuck`` says why the rest could not."""

    steps: list[Planned]
    stuck: str = ""


@dataclass(frozen=True, slots=True)
class _Top:
    """The film on top while the plan goes on."""

    product: Product
    film: Film
    coat: CoatClock | None  # the real coat, whose touch tests count
    keyed: datetime | None = None
    ended: datetime | None = None


class _Stuck(Exception):
    pass


def plan_rest(steps: list[Step], look: Outlook, day: WorkingDay, area_m2: SquareMetres) -> Sequence:
    """Lay out the steps that remain on a part.

    Args:
        steps: What is left to do, in order.
        look: The part as it stands, its climate, and the present.
        day: Working hours.
        area_m2: Area of the part, for the hands-on time. [m2]

    Returns: Steps with start and end. Openings are taken late and closings early; where a window cannot be met,
        the keying step is put in.
    """
    plan = _Plan(look, day, area_m2, steps)
    try:
        for place in range(len(steps)):
            plan.place(place)
    except _Stuck as stuck:
        return Sequence(plan.out, str(stuck))
    return Sequence(plan.out)


_WHOLE: frozenset[UUID | None] = frozenset({None})  # the zones of a part that has none


class _Plan:
    """Serial generation: one step after the other, with the film on top of each zone as its memory."""

    def __init__(self, look: Outlook, day: WorkingDay, area_m2: SquareMetres, steps: list[Step]) -> None:
        self.look, self.day, self.area, self.steps = look, day, area_m2, steps
        self.out: list[Planned] = []
        self.now = look.now
        self.stack: list[tuple[frozenset[UUID | None], Clock, Film]] = []
        self.tops: dict[UUID | None, _Top] = {}
        self.zones: frozenset[UUID | None] = frozenset(look.whole.builds) or _WHOLE
        for zones, clocks in look.groups or ((self.zones, look.clocks),):
            self._remember(frozenset(zones), clocks)
        self.top: _Top | None = None
        self.here = self.zones
        self.coats_on: list[datetime] = [c.ended_at for c in look.whole.coats]

    def _remember(self, zones: frozenset[UUID | None], clocks: list[CoatClock]) -> None:
        self.stack += [(zones, self.look.climate.clock(c.product), c.film) for c in clocks]
        if not clocks:
            return
        keyed = keyed_since(self.look.whole.seen_by(frozenset(z for z in zones if z)))
        top = _Top(clocks[-1].product, clocks[-1].film, clocks[-1], keyed, clocks[-1].coat.ended_at)
        self.tops |= dict.fromkeys(zones, top)

    def place(self, index: int) -> None:
        """Give one step its time."""
        step = self.steps[index]
        self.here = frozenset(step.zones) or self.zones
        below = [top for zone, top in self.tops.items() if zone in self.here]
        self.top = max(below, key=lambda top: top.ended or self.look.now, default=None)
        if step.kind == "coat":
            self._place_coat(step)
        elif self.top and step.kind == "sand":
            ready, why, waits = self._milestone("sand")
            self._add(step, ready, f"sandable {why}", waits)
            self._keyed_here()
        elif self.top and step.after:
            ready, why, waits = self._milestone(step.after)
            self._add(step, ready, f"ready {why}", waits)
            if step.kind == "degloss":
                self._keyed_here()
        else:
            self._add(step, self.now, "follows at once")
            if self.top and self.top.keyed:
                self._keyed_here()

    def _keyed_here(self) -> None:
        self.tops |= {z: replace(top, keyed=self.now) for z, top in self.tops.items() if z in self.here}
        if self.top:
            self.top = replace(self.top, keyed=self.now)

    def _labour(self, step: Step) -> timedelta:
        area = self.area if step.area_m2 is None else step.area_m2
        return timedelta(minutes=labour_minutes(step.kind, area, step.method))

    def _add(self, step: Step, earliest: datetime, because: str, waits: Band | None = None) -> None:
        labour = self._labour(step)
        start = self.day.fit(max(earliest, self.now), labour)
        if start > max(earliest, self.now):
            because += ", then working hours"
        end = start + labour + timedelta(minutes=step.hold_minutes or 0)
        self.out.append(Planned(step, start, end, because, labour, waits=waits))
        self.now = end

    def _milestone(self, name: str) -> tuple[datetime, str, Band | None]:
        assert self.top is not None
        mark = mark_of(self.top.product, name)
        if mark is None:
            return self.now, "at once: the product names no time", None
        band = self._bands()[mark]
        if band.late is None:
            raise _Stuck(f"{self.top.product.name} does not get {mark.replace('_', ' ')} in this climate.")
        return band.late, "by the late clock", band

    def _bands(self) -> Mapping[str, Band]:
        assert self.top is not None
        if self.top.coat is not None:
            return self.top.coat.bands
        known = partial(self.look.factor, self.top.product.key, None)
        return taught(self.look.climate.clock(self.top.product), self.top.film, [], known)

    def _place_coat(self, step: Step) -> None:
        assert step.layer is not None
        assert step.coat is not None
        product = self.look.products[step.layer.product]
        earliest, because, waits = self._opening(product)
        start, because = self._gated(step, product, earliest, because)
        closing = self._closing(product)
        if closing is not None and start > closing:
            self._key(step, product)
            earliest, because, waits = self.now, "keyed: the window would have closed", None
            start, because = self._gated(step, product, earliest, because)
            closing = None
        labour = self._labour(step)
        spare = closing - start if closing else None
        self.out.append(Planned(step, start, start + labour, because, labour, spare, waits))
        self.now = start + labour
        self._laid(step, product)

    def _opening(self, product: Product) -> tuple[datetime, str, Band | None]:
        if self.top is None or self.top.keyed:
            return self.now, "follows at once", None
        band = self._bands().get(self.top.product.rule_for(product).opens)
        if band is None or band.late is None:
            raise _Stuck(f"{self.top.product.name} does not flash in this climate.")
        return max(band.late, self.now), "open by the late clock", band

    def _closing(self, product: Product) -> datetime | None:
        if self.top is None or self.top.keyed:
            return None
        rule = self.top.product.rule_for(product)
        if rule.redissolves or rule.closes is None:
            return None
        return self._bands()[rule.closes].early

    def _gated(self, step: Step, product: Product, earliest: datetime, because: str) -> tuple[datetime, str]:
        labour, at = self._labour(step), earliest
        for _ in range(_TRIES):
            fitted = self.day.fit(at, labour)
            if fitted > at:
                at, because = fitted, f"{because.split(', then')[0]}, then working hours"
            if self._day_is_full(product, at):
                local = at.astimezone(self.day.zone)
                at = datetime.combine(local.date() + timedelta(days=1), self.day.opens, self.day.zone).astimezone(
                    at.tzinfo
                )
                because = f"{product.coats_a_day} coats a day at most"
                continue
            gate = self.look.climate.gate_at(product, at, self.look.now)
            if gate is None:
                return at, because
            because = f"the gate was shut: {gate.reason}"
            opens = self.look.climate.opens_at(gate)
            if opens is None:
                break
            at = opens
        raise _Stuck(f"No gate for {product.name} within the forecast: {because.removeprefix('the gate was shut: ')}.")

    def _day_is_full(self, product: Product, at: datetime) -> bool:
        if product.coats_a_day is None:
            return False
        day = at.astimezone(self.day.zone).date()
        return sum(c.astimezone(self.day.zone).date() == day for c in self.coats_on) >= product.coats_a_day

    def _key(self, step: Step, product: Product) -> None:
        assert self.top is not None
        ready, _, waits = self._milestone("sand")
        rule = self.top.product.rule_for(product)
        lifts = self._bands()[rule.lifts_until] if rule.lifts_until else None
        if lifts and lifts.late and lifts.late > ready:
            ready, waits = lifts.late, lifts
        grit = self.top.product.key_grit
        key = Step(f"{step.id}:key", "sand", f"Sand {grit} to key", slot=step.slot, grit=grit, area_m2=step.area_m2)
        self._add(key, ready, "the window would close before the coat can go on", waits)
        wipe = Step(f"{step.id}:wipe", "wipe", "Wipe down", slot=step.slot, area_m2=step.area_m2)
        self._add(wipe, self.now, "after sanding")
        self._keyed_here()

    def _laid(self, step: Step, product: Product) -> None:
        layer, coat = step.layer, step.coat
        assert layer is not None
        assert coat is not None
        movement = self.look.climate.air_movement
        film = Film(self.now, coat.wet_film_um, movement, layer.hardener_speed, layer.reducer_speed)
        below = [(clock, under) for zones, clock, under in self.stack if zones & self.here]
        clock = self.look.climate.clock(product)
        film = stacked([*below[-3:], (clock, film)])[-1]  # what lies deeper is dry enough not to weigh
        self.stack.append((self.here, clock, film))
        self.tops |= {zone: _Top(product, film, None, ended=self.now) for zone in self.here}
        self.coats_on.append(self.now)

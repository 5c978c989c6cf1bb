"""The one account: what a part's zones take next, from when to when and why. Every plan and every screen asks here.

The next action of a part is the first thing that is placed, and its plan is all of them, so that the two never differ.
"""

import math
from collections.abc import Generator, Iterable, Iterator
from dataclasses import dataclass, replace
from datetime import date, datetime, timedelta
from enum import StrEnum
from uuid import UUID

from cool_sheen.core.climate.gates import Shut
from cool_sheen.core.climate.series import instant
from cool_sheen.core.coatings.products import Product
from cool_sheen.core.coatings.systems import Coat, Layer
from cool_sheen.core.drying.clock import Band, Film
from cool_sheen.core.log.history import LaidCoat, Work
from cool_sheen.core.part.climate import PartClimate
from cool_sheen.core.part.gate import CoatGate, GoingOn, safe_mark
from cool_sheen.core.part.key import abraded, damp_until, wiped
from cool_sheen.core.part.situation import Pot, Situation
from cool_sheen.core.part.top import Top, Window, laid
from cool_sheen.core.work.labour import labour_minutes
from cool_sheen.core.work.steps import ABRADES, WIPES, CoatStep, SandStep, Step, WorkStep, Zones, only_on

_TRIES = 60


class Wait(StrEnum):
    """What a step waits for, the first that holds it."""

    NOTHING = "nothing"
    FILM = "film"
    DAMP = "damp"
    GATE = "gate"
    LIMIT = "limit"  # coats a day
    HOURS = "hours"


@dataclass(frozen=True, slots=True)
class Planned:
    """A step with its time, and why it stands there. ``step.zones`` are those that it is placed for.

    A step that waits for the film below has the band of that wait; a coat with a closing has the time left to it.
    """

    step: Step
    start: datetime
    end: datetime
    because: str
    labour: timedelta
    wait: Wait = Wait.NOTHING
    waits: Band | None = None
    closes: Band | None = None
    spare: timedelta | None = None
    shut: Shut | None = None
    inserted: bool = False


class Stuck(Exception):
    """A step that has no time within the forecast; its text says why."""

    def __init__(self, words: str, step: Step, wait: Wait, because: str) -> None:
        super().__init__(words)
        self.step, self.wait, self.because = step, wait, because


@dataclass(frozen=True, slots=True)
class _Fit:
    """A time that a step was given, and what held it."""

    at: datetime
    wait: Wait
    because: str
    shut: Shut | None = None

    def held(self, at: datetime, wait: Wait, because: str, shut: Shut | None = None) -> "_Fit":
        """A later time: what held it first is what is said first."""
        if self.wait is Wait.NOTHING:
            return _Fit(at, wait, f"{self.because}, {because}" if wait is Wait.HOURS else because, shut)
        known = because in self.because
        return _Fit(at, self.wait, self.because if known else f"{self.because}, {because}", self.shut or shut)


def place_all(situation: Situation) -> Iterator[Planned]:
    """Give every step that is owed its time, one after the other, as one painter does them.

    Args:
        situation: The part at this moment.

    Yields: Steps in order of time. Openings are taken late and closings early, but what can start at this very moment
        goes by the likely edge, for the finger to judge; where a window cannot be met, the key or the fresh coat is put
        in; wipes and turns stand where they are wanted.
    Raises: Stuck: a step that never opens in this climate.
    """
    return _Placer(situation).run()


def gates_of(situation: Situation, step: CoatStep, at: datetime) -> list[CoatGate]:
    """Return the gates of a coat as it will really go on: one for each film below it, in the climate that it sees.

    Args:
        situation: The part at this moment.
        step: The coat, for the zones that it names.
        at: When it starts: the mix in use is taken as long as it can be used.
    """
    return _Placer(situation).gates(step, situation.products[step.layer.product], at)


class _Placer:
    """Serial generation, with the film on top of each zone as its memory."""

    def __init__(self, situation: Situation) -> None:
        self.sit = situation
        self.now = situation.now
        self.steps = situation.owed.steps
        self.ahead = {zone: situation.owed.ahead(zone) for zone in situation.owed.by_zone}
        self.tops: dict[UUID, Top | None] = {}
        self.seen: dict[UUID, PartClimate] = {}
        for film in situation.films:
            self.seen |= dict.fromkeys(film.zones, film.climate)
            self.tops |= dict.fromkeys(film.zones, Top.of(film))
        self.settings = {z.uuid: z.setting for z in situation.zones}
        self.up = _side_up(situation, self.settings)
        self.coats = [(c.payload.coating, situation.day.day_of(c.ended_at), c.zones) for c in situation.history.coats]
        self.hashes = {p.content_hash: p.key for p in situation.products.values()}
        self.hashes |= {c.product.content_hash: c.product.key for f in situation.films for c in f.clocks}

    def run(self) -> Iterator[Planned]:
        while fronts := self._fronts():
            place = self._pick(fronts)
            step = only_on(self.steps[place], fronts[place], self.sit.zones)
            placed = yield from (self._coat(step) if isinstance(step, CoatStep) else self._other(step))
            for zone in placed:
                self.ahead[zone].remove(place)

    # --- which step comes next ---------------------------------------------------------------------
    def _fronts(self) -> dict[int, Zones]:
        """The first thing that is owed to each zone, by its place in the plan."""
        fronts: dict[int, set[UUID]] = {}
        for zone, places in self.ahead.items():
            if places:
                fronts.setdefault(places[0], set()).add(zone)
        return {place: frozenset(zones) for place, zones in fronts.items()}

    def _pick(self, fronts: dict[int, Zones]) -> int:
        """The first in the order of the system; but a window that would close meanwhile on the same side goes first."""
        first = min(fronts)
        step = only_on(self.steps[first], fronts[first], self.sit.zones)
        ends = max(self.now, self._ready(step)) + self._labour(step)
        for place, zones in sorted(fronts.items())[1:]:
            other = self.steps[place]
            if not isinstance(other, CoatStep) or self.up not in (None, other.setting):
                continue
            windows = [w for _, w in self._windows(zones, self._product(other.layer))]
            closings = [edge for w in windows if w and (edge := self._edge(w.closes))]
            opens = max((w.opens.late for w in windows if w and w.opens and w.opens.late), default=self.now)
            if closings and opens <= min(closings) < ends:
                return place
        return first

    def _ready(self, step: Step) -> datetime:
        """About when a step could start, for the choice alone."""
        if not isinstance(step, CoatStep):
            return self.now
        windows = [w for _, w in self._windows(step.zones, self._product(step.layer))]
        return max((w.opens.late for w in windows if w and w.opens and w.opens.late), default=self.now)

    # --- work that leaves no film ---------------------------------------------------------------------
    def _other(self, step: Step) -> Generator[Planned, None, Zones]:
        """Place work, sanding or heat: it waits for its milestone on every zone that it is for."""
        name = "sand" if isinstance(step, SandStep) else getattr(step, "after", None)
        earliest, because, band, wait = self.now, "follows at once", None, Wait.NOTHING
        if name is not None and (found := self._milestone(step, name)):
            earliest, band = found
            because = f"{'sandable' if name == 'sand' else 'ready'} by the late clock"
            wait = Wait.FILM if earliest > self.now else Wait.NOTHING
        if step.kind in WIPES and (damp := self._damp(step.zones)) and damp > earliest:
            earliest, because, wait = damp, "once the water of the wet sanding has left", Wait.DAMP
        yield self._add(step, _Fit(earliest, wait, because), band)
        return step.zones

    def _milestone(self, step: Step, name: str) -> tuple[datetime, Band | None] | None:
        """When the last of a step's zones reaches a milestone; None where nothing is on them that has it."""
        latest: tuple[datetime, Band] | None = None
        for top in self._tops(step.zones):
            mark, band = top.band_of(name)
            if mark is None or band is None:
                continue
            ready = self._edge(band, opening=True)
            if ready is None:
                words = f"{top.product.name} does not get {mark.replace('_', ' ')} in this climate."
                raise Stuck(words, step, Wait.FILM, "the film stands still in this climate")
            if name == "sand":
                ready, band = self._unlocked(top, ready, band, step.zones)
            if latest is None or ready > latest[0]:
                latest = ready, band
        return latest

    def _unlocked(self, top: Top, ready: datetime, band: Band, zones: Zones) -> tuple[datetime, Band]:
        """A film that would lift is neither coated nor sanded from its closing until then."""
        coats = (self.steps[n] for z in zones for n in self.ahead.get(z, ()))
        following = next((self._product(s.layer) for s in coats if isinstance(s, CoatStep)), None)
        rule = top.product.rule_for(following)
        if not rule.lifts_until or not rule.closes or rule.redissolves:
            return ready, band
        lift = top.bands[rule.lifts_until]
        closes, lifts = self._edge(top.bands[rule.closes]), self._edge(lift, opening=True)
        return (lifts, lift) if closes and lifts and ready >= closes and lifts > ready else (ready, band)

    def _edge(self, band: Band | None, *, opening: bool = False) -> datetime | None:
        """What lies ahead is taken late when it opens and early when it closes; what is there by now, as is likely."""
        if band is None:
            return None
        if opening:
            return band.likely if self._is_present and band.likely and band.likely <= self.now else band.late
        return band.likely if self._is_present else band.early

    @property
    def _is_present(self) -> bool:
        return self.now == self.sit.now

    def _damp(self, zones: Zones) -> datetime | None:
        return max((t.key.damp_until for t in self._tops(zones) if t.key.damp_until), default=None)

    def _add(self, step: Step, fit: _Fit, band: Band | None = None, *, inserted: bool = False) -> Planned:
        """Give work its time within the working day, and remember what it does to the film."""
        labour = self._labour(step)
        start = self.sit.day.fit(max(fit.at, self.now), labour)
        if start > max(fit.at, self.now):
            fit = fit.held(start, Wait.HOURS, "then working hours")
        end = start + labour + timedelta(minutes=getattr(step, "hold_minutes", None) or 0)
        self.now = end
        self._worked(step, end)
        return Planned(step, start, end, fit.because, labour, fit.wait, band, shut=fit.shut, inserted=inserted)

    def _worked(self, step: Step, end: datetime) -> None:
        for zone in step.zones:
            top = self.tops.get(zone)
            if top is None:
                continue
            if step.kind in ABRADES and not top.product.never_sanded:
                wet = isinstance(step, SandStep) and step.wet
                damp = damp_until(top.product, end, top.climate) if wet else None
                self.tops[zone] = top.with_key(abraded(top.key, end, damp))
            elif step.kind in WIPES and top.key.sanded:
                self.tops[zone] = top.with_key(wiped(top.key, end))
        if step.kind == "turn":
            self.up = next((s for s in self.settings.values() if step.id.endswith(f"@{s}")), self.up)
        self._share(step.zones)

    def _share(self, zones: Iterable[UUID]) -> None:
        """Zones that became the same film again share it, so that it is looked at once."""
        seen: dict[tuple[int, object], Top] = {}
        for zone in zones:
            top = self.tops.get(zone)
            if top is not None:
                self.tops[zone] = seen.setdefault((id(top.bands), top.key), top)

    def _labour(self, step: Step) -> timedelta:
        return timedelta(minutes=labour_minutes(step.kind, step.area_m2, step.method))

    def _tops(self, zones: Zones) -> list[Top]:
        return list(dict.fromkeys(t for z in self.sit.zones if z.uuid in zones and (t := self.tops.get(z.uuid))))

    # --- coats --------------------------------------------------------------------------------------------
    def _coat(self, step: CoatStep) -> Generator[Planned, None, Zones]:
        """Place a coat, with all that its zones want before it. Returns the zones that got it."""
        product = self._product(step.layer)
        while (first := self._wanted_before(step)) is not None:
            yield first
        part, fit, windows = self._fitted(step, product)
        if isinstance(part, Planned):  # a key or a fresh coat on zones whose window would close
            yield part
            return frozenset()
        start, labour = fit.at, self._labour(part)
        if stale := self._stale(part.zones, start):
            yield self._add(
                _work(part, "wipe", "Wipe again, then coat", stale, self.sit),
                replace(fit, because=f"the last wipe is over a night old; {fit.because}"),
                inserted=True,
            )
            return frozenset()
        closing = min(
            (w.closes for w in windows if w and w.closes and w.closes.early),
            key=lambda b: b.early or start,
            default=None,
        )
        spare = closing.early - start if closing and closing.early else None
        opening = max((w.opens for w in windows if w and w.opens), key=lambda b: b.late or start, default=None)
        self.now = start + labour
        self._laid(part, product)
        yield Planned(part, start, self.now, fit.because, labour, fit.wait, opening, closing, spare, fit.shut)
        return part.zones

    def _wanted_before(self, step: CoatStep) -> Planned | None:
        """A turn to the side that is coated, or the first wipe after sanding."""
        if self.up is not None and step.setting != self.up:
            return self._turn(step)
        dusty = frozenset(z for z in step.zones if (t := self.tops.get(z)) and t.key.sanded and t.key.wiped is None)
        if not dusty:
            self.up = step.setting
            return None
        damp = self._damp(dusty)
        fit = _Fit(self.now, Wait.NOTHING, "after sanding")
        if damp and damp > self.now:
            fit = _Fit(damp, Wait.DAMP, "once the water of the wet sanding has left")
        return self._add(_work(step, "wipe", "Wipe down", dusty, self.sit), fit, inserted=True)

    def _turn(self, step: CoatStep) -> Planned:
        lying = frozenset(z for z, s in self.settings.items() if s == self.up and self.tops.get(z))
        turn = _work(step, "turn", "Turn: coat the other side", lying or step.zones, self.sit)
        turn = replace(turn, id=f"{step.id}:turn@{step.setting}", after="turn")
        found = self._milestone(turn, "turn") if lying else None
        earliest, band = found or (self.now, None)
        wait = Wait.FILM if earliest > self.now else Wait.NOTHING
        because = "ready by the late clock" if found else "follows at once"
        planned = self._add(turn, _Fit(earliest, wait, because), band, inserted=True)
        self.up = step.setting
        return planned

    def _windows(self, zones: Zones, product: Product) -> list[tuple[Zones, Window | None]]:
        """The windows of some zones, those with one film together; None where nothing closes: bare or keyed."""
        groups: dict[int, set[UUID]] = {}
        for zone in zones:
            groups.setdefault(id(self.tops.get(zone)), set()).add(zone)
        out: list[tuple[Zones, Window | None]] = []
        for group in groups.values():
            top = self.tops.get(next(iter(group)))
            keyed = top is None or top.key.sanded is not None
            out.append((frozenset(group), None if top is None or keyed else top.window(product)))
        return out

    def _fitted(self, step: CoatStep, product: Product) -> tuple[CoatStep | Planned, _Fit, list[Window | None]]:
        """Find the time of a coat on its zones together; where one would miss its window by waiting, it goes first."""
        groups = self._windows(step.zones, product)
        fit = self._time(step, product, groups)
        missed = [(zones, w) for zones, w in groups if w and self._misses(w, fit.at)]
        if not missed:
            return step, fit, [w for _, w in groups]
        if len(groups) > 1:
            for zones, window in sorted(missed, key=lambda g: self._closing(g[1])):
                alone = only_on(step, zones, self.sit.zones)
                soon = self._time(alone, product, [(zones, window)])
                if not self._misses(window, soon.at):
                    return alone, soon, [window]
        zones = frozenset().union(*(z for z, _ in missed))
        return self._key(step, product, zones), fit, []

    def _closing(self, window: Window | None) -> datetime:
        return (self._edge(window.closes) if window else None) or self.sit.now

    def _misses(self, window: Window, start: datetime) -> bool:
        if window.closes is None:
            return False
        edge = window.closes.likely if start == self.sit.now else window.closes.early
        return edge is not None and start > edge

    def _time(self, step: CoatStep, product: Product, groups: list[tuple[Zones, Window | None]]) -> _Fit:
        """When a coat can start: its film open, and then by the day's limit, the gate and the working hours."""
        earliest = self.now
        for zones, window in groups:
            if window is None:
                continue
            opens = self._edge(window.opens, opening=True)
            if opens is None:
                name = self._tops(zones)[0].product.name
                raise Stuck(
                    f"{name} does not flash in this climate.", step, Wait.FILM, "the film stands still in this climate"
                )
            earliest = max(earliest, opens)
        if earliest > self.now:
            fit = _Fit(earliest, Wait.FILM, "open by the late clock")
        else:
            keyed = any(t.key.since for t in self._tops(step.zones))
            fit = _Fit(earliest, Wait.NOTHING, "keyed" if keyed else "follows at once")
        return self._allowed(step, product, fit)

    def _allowed(self, step: CoatStep, product: Product, fit: _Fit) -> _Fit:
        labour = self._labour(step)
        for _ in range(_TRIES):
            if self._day_is_full(product, step.zones, fit.at):
                fit = fit.held(
                    self.sit.day.next_midnight(fit.at), Wait.LIMIT, f"{product.coats_a_day} coats a day at most"
                )
                continue
            if shut := self._shut(step, product, fit.at):
                if math.isinf(shut.to_s):
                    words = f"No gate for {product.name} within the forecast: {shut.reason}."
                    raise Stuck(words, step, Wait.GATE, f"{shut.reason}, as far as the forecast goes")
                fit = fit.held(instant(shut.to_s), Wait.GATE, f"the gate was shut: {shut.reason}", shut)
                continue
            fitted = self.sit.day.fit(fit.at, labour)
            if fitted <= fit.at:
                return fit
            fit = fit.held(fitted, Wait.HOURS, "then working hours")
        raise Stuck(f"No gate for {product.name} within the forecast: {fit.because}.", step, Wait.GATE, fit.because)

    def _shut(self, step: CoatStep, product: Product, at: datetime) -> Shut | None:
        """What keeps a coat from starting: of zones with several films below, the one that needs the longest."""
        return next((shut for gate in self.gates(step, product, at) if (shut := gate.shut_at(at))), None)

    def gates(self, step: CoatStep, product: Product, at: datetime) -> list[CoatGate]:
        """The gates of the coat that will really go on, for each film that it goes on."""
        mean, spread = self.sit.factor(product, None, safe_mark(product.drying).mode)
        hardener, reducer, doses = self._mix(step.layer, at)
        minutes = self._labour(step).total_seconds() / 60
        coat = GoingOn(
            product.drying, product.limits.limits(), step.coat.wet_film_um, minutes, hardener, reducer,
            mean + math.log(doses), spread,
        )  # fmt: skip
        below = dict.fromkeys((self.seen[z], t.stack if (t := self.tops.get(z)) else ()) for z in step.zones)
        return [CoatGate(climate, replace(coat, below=stack)) for climate, stack in below]

    def _mix(self, layer: Layer, at: datetime) -> tuple[str, str, float]:
        """The hardener, reducer and doses of a coat: those of the pot in use, as long as it can be used."""
        pot: Pot | None = self.sit.pots.get(layer.product)
        if pot is not None and (pot.ends is None or at < pot.ends):
            return pot.hardener_speed, pot.reducer_speed, pot.time_factor
        return layer.hardener_speed, layer.reducer_speed, 1.0

    def _day_is_full(self, product: Product, zones: Zones, at: datetime) -> bool:
        """Whether a zone has had the coats of this product that a day allows; those of others do not count."""
        if product.coats_a_day is None:
            return False
        day: date = self.sit.day.day_of(at)
        mine = [had for coating, when, had in self.coats if when == day and self.hashes.get(coating) == product.key]
        return any(sum(zone in had for had in mine) >= product.coats_a_day for zone in zones)

    def _stale(self, zones: Zones, start: datetime) -> Zones:
        return frozenset(z for z in zones if (t := self.tops.get(z)) and t.key.wants_wipe(start))

    def _key(self, step: CoatStep, product: Product, zones: Zones) -> Planned:
        """What opens zones again whose window would close: a key, or a fresh coat of itself where nothing is sanded."""
        flaky = frozenset(z for z in zones if (t := self.tops.get(z)) and t.product.never_sanded)
        if flaky:
            return self._fresh(step, flaky)
        top = self._tops(zones)[0]
        same = frozenset(z for z in zones if (t := self.tops.get(z)) and t.product.key_grit == top.product.key_grit)
        key = SandStep(
            id=f"{step.id}:key", label=f"Sand {top.product.key_grit} to key", zones=step.zones, area_m2=step.area_m2,
            slot=step.slot, grit=top.product.key_grit,
        )  # fmt: skip
        sand = only_on(key, same, self.sit.zones)
        found = self._milestone(sand, "sand")
        earliest, band = found or (self.now, None)
        lifts = [w.lifts for _, w in self._windows(same, product) if w and w.lifts]
        for lift in lifts:
            until = self._edge(lift, opening=True)
            if until and until > earliest:
                earliest, band = until, lift
        wait = Wait.FILM if earliest > self.now else Wait.NOTHING
        return self._add(
            sand, _Fit(earliest, wait, "the window would close before the coat can go on"), band, inserted=True
        )

    def _fresh(self, step: CoatStep, zones: Zones) -> Planned:
        top = self._tops(zones)[0]
        same = frozenset(z for z in zones if (t := self.tops.get(z)) and t.product is top.product)
        product, layer = top.product, self._layer_of(top, step.layer)
        coat = Coat(kind="drop", wet_film_um=product.ref_wet_film_um)
        fresh = only_on(
            replace(step, id=f"{step.id}:fresh", label=f"{layer.name}, fresh coat", layer=layer, coat=coat, needs=(),
                    number=0, slot=layer.id), same, self.sit.zones,
        )  # fmt: skip
        windows = [(z, Window(w.opens, None, None) if w else None) for z, w in self._windows(same, product)]
        fit = self._time(fresh, product, windows)
        labour = self._labour(fresh)
        self.now = fit.at + labour
        self._laid(fresh, product)
        because = f"past its window, and never sanded: a fresh coat of itself; {fit.because}"
        return Planned(fresh, fit.at, self.now, because, labour, fit.wait, shut=fit.shut, inserted=True)

    def _layer_of(self, top: Top, otherwise: Layer) -> Layer:
        layers = (s.layer for s in self.steps if isinstance(s, CoatStep))
        return next((la for la in layers if la.id == top.layer_id), otherwise)

    def _product(self, layer: Layer) -> Product:
        return self.sit.products[layer.product]

    def _laid(self, step: CoatStep, product: Product) -> None:
        hardener, reducer, doses = self._mix(step.layer, self.now)
        film = Film(self.now, step.coat.wet_film_um, self.sit.climate.air_movement, hardener, reducer,
                    ln_factor_mean=math.log(doses))  # fmt: skip
        made: dict[tuple[int, PartClimate], Top] = {}
        for zone in step.zones:
            below = self.tops.get(zone)
            key = (id(below), self.seen[zone])
            if key not in made:
                made[key] = laid(below, product, step.layer.id, film, self.seen[zone], self.sit.factor)
            self.tops[zone] = made[key]
        self.coats.append((product.content_hash, self.sit.day.day_of(self.now), step.zones))
        self.hashes[product.content_hash] = product.key


def _work(step: CoatStep, kind: str, label: str, zones: Zones, situation: Situation) -> WorkStep:
    """Work that a coat wants before it, on some of its zones."""
    whole = WorkStep(id=f"{step.id}:{kind}", label=label, zones=step.zones, area_m2=step.area_m2, slot=step.slot,
                     kind=kind)  # fmt: skip
    made = only_on(whole, zones, situation.zones)
    return made if isinstance(made, WorkStep) else whole


def _side_up(situation: Situation, settings: dict[UUID, int]) -> int | None:
    """Which setting-up the part is in: that of its last coat, unless it was turned since; None before the first."""
    numbers = sorted(set(settings.values()))
    if len(numbers) < 2:
        return None
    turns = [w for w in situation.history.works if w.kind == "turn"]
    up: int | None = None
    happened: list[LaidCoat | Work] = [*situation.history.coats, *turns]
    for event in sorted(happened, key=lambda e: e.place):
        if isinstance(event, Work):
            named = [n for n in numbers if (event.planned_step or "").endswith(f"@{n}")]
            others = [n for n in numbers if n != up]
            up = named[0] if named else others[0] if len(others) == 1 else None
        else:
            here = {settings[z] for z in event.zones if z in settings}
            up = up if up in here else min(here, default=up)
    return up

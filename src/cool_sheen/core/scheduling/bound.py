"""The soonest that a shop can be done, whatever the plan: a bound that no plan beats.

Each zone is laid out alone on films that are easier than they are: no window closes, nothing is wiped twice, and each
film dries as if the coats below it had been put on at the instants that suit it best. What is left never comes sooner
for a later start, so that as soon as can be is the soonest. And all hands together do no more than the hours have.
"""

from collections.abc import Iterable, Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass, replace
from datetime import UTC, datetime, timedelta
from uuid import UUID

from cool_sheen.core.coatings.products import Product
from cool_sheen.core.drying.blend import drying_with
from cool_sheen.core.drying.clock import Band, Film, FilmBelow, film_with, still_to_go
from cool_sheen.core.drying.milestones import DryingData
from cool_sheen.core.part.climate import PartClimate
from cool_sheen.core.part.film_clock import known_of, mark_of, taught
from cool_sheen.core.part.hands import Alone, Asked, Busy
from cool_sheen.core.part.memory import Memory
from cool_sheen.core.part.placed import Stuck, Wait
from cool_sheen.core.part.placing import Placer
from cool_sheen.core.part.situation import Situation
from cool_sheen.core.part.top import Top, Window
from cool_sheen.core.scheduling.booking import Job
from cool_sheen.core.scheduling.crew import HELPS, Shop
from cool_sheen.core.survey.zones import ZoneFacts
from cool_sheen.core.units import Micron, Minutes
from cool_sheen.core.work.hours import WorkingHours
from cool_sheen.core.work.labour import minutes_of
from cool_sheen.core.work.steps import CoatStep, Zones, only_on

_HOURS_LATER = (0, 0.25, 0.5, 0.75, 1, 1.5, 2, 3, 4, 5, 6, 7, 8, 10, 12, 15, 18, 21, 24, 30, 36, 48, 72, 96)
_LATER = tuple(timedelta(hours=h) for h in _HOURS_LATER)  # how much later a coat might go on
_MOST_PASSED = 80
_A_MINUTE = timedelta(minutes=1)
_FAR = datetime(9000, 1, 1, tzinfo=UTC)


def soonest(jobs: Sequence[Job], shop: Shop) -> datetime:
    """Return the instant before which no plan has all of it done.

    Args:
        jobs: The parts.
        shop: Who works when.

    Source: docs/trade.md, Plan: the zone that takes the longest alone, and all work in all hours.
    """
    ends: dict[UUID, datetime] = {}
    for job in _in_order(jobs):
        begins = ends.get(job.after, shop.earliest) if job.after else shop.earliest
        ends[job.key] = soonest_alone(job, shop, max(begins, shop.earliest))
    return max([_all_hands(jobs, shop), *ends.values()], default=shop.now)


def _in_order(jobs: Sequence[Job]) -> list[Job]:
    """Parts after those that come first; those that go round in a circle have no plan, and no bound."""
    named, out = {job.key for job in jobs}, []
    known: set[UUID] = set()
    while ready := [j for j in jobs if j.key not in known and (j.after not in named or j.after in known)]:
        out += ready
        known |= {job.key for job in ready}
    return out


def soonest_alone(job: Job, shop: Shop, begins: datetime) -> datetime:
    """Return when a part is done at the soonest, if the whole shop waits for it.

    Args:
        job: The part.
        shop: Who works when.
        begins: Before which nothing is done on it.
    """
    situation = replace(job.situation, day=shop.hours, now=shop.now)
    minutes = [m for m, _ in _minutes(situation)]
    ends = [worked(shop.hours, begins, timedelta(minutes=sum(minutes)), max(minutes, default=0.0))]
    alone = {zone.uuid: _alone(situation, zone, begins) for zone in _unlike(situation)}
    return max([*ends, *(run.ends for run in alone.values()), _turned(situation, alone, begins)])


def _unlike(situation: Situation) -> list[ZoneFacts]:
    """Zones, one for all of those that are alike."""
    whole = Memory(situation)
    found: dict[object, ZoneFacts] = {}
    for zone in situation.zones:
        state = (id(whole.tops.get(zone.uuid)), whole.seen[zone.uuid], tuple(whole.ahead[zone.uuid]))
        found.setdefault((*state, zone.area_m2, zone.setting), zone)
    return list(found.values())


@dataclass(frozen=True, slots=True)
class _Run:
    """A zone laid out alone: when all of it is done, the last of its coats, and when that can be turned."""

    zone: ZoneFacts
    ends: datetime
    last_coat: str
    turned: datetime | None


def _alone(situation: Situation, zone: ZoneFacts, begins: datetime, waits: "_Waits | None" = None) -> _Run:
    """Lay a zone out as soon as can be; where it cannot be laid out to the end, as far as it goes."""
    memory = _Easier(situation, zone.uuid)
    memory.now, memory.hands = begins, waits or memory.hands
    coats = [memory.steps[n].id for n in memory.ahead[zone.uuid] if isinstance(memory.steps[n], CoatStep)]
    placer, ends = Placer(situation, memory), begins
    with suppress(Stuck):
        while (planned := placer.place()) is not None:
            ends = max(ends, planned.end)
    top = memory.tops[zone.uuid]
    band = top.band_of("turn")[1] if top else None
    return _Run(zone, ends, coats[-1] if coats else "", band.late if band else None)


@dataclass(frozen=True, slots=True)
class _Waits:
    """Hands that begin a step no sooner than an instant, because the part is not turned before."""

    day: WorkingHours
    step: str
    until: datetime

    def busy(self, asked: Asked) -> Busy | None:
        """Say until when the side that is up cannot be turned, and then when the hours let a step begin."""
        if asked.step.id == self.step and asked.at < self.until:
            return Busy(self.until, Wait.FILM, "the other side is turned first")
        return Alone(self.day).busy(asked)


def _turned(situation: Situation, alone: Mapping[UUID, _Run], begins: datetime) -> datetime:
    """When a part of several sides is done at the soonest: one of them gets its last coat last.

    Whichever that is: the others lie with their last coats on before it, and are turned no sooner than those can be.
    """
    sides: dict[int, list[_Run]] = {}
    for run in alone.values():
        if run.last_coat:
            sides.setdefault(run.zone.setting, []).append(run)
    if len(sides) < 2:
        return begins
    ready = {side: max((r.turned for r in runs if r.turned), default=begins) for side, runs in sides.items()}
    ends = []
    for last, runs in sides.items():
        until = max(at for side, at in ready.items() if side != last)
        late = (_alone(situation, r.zone, begins, _Waits(situation.day, r.last_coat, until)).ends for r in runs)
        ends.append(min(late))
    return min(ends)


def _minutes(situation: Situation) -> Iterable[tuple[float, str]]:
    """The hands-on time of each step that is owed, and its kind. [min]"""
    memory = Memory(situation)
    for place in {place for places in memory.ahead.values() for place in places}:
        mine = frozenset(zone for zone, places in memory.ahead.items() if place in places)
        step = only_on(memory.steps[place], mine, situation.zones)
        yield minutes_of(step), step.kind


def _all_hands(jobs: Sequence[Job], shop: Shop) -> datetime:
    """When all that painters do is done if none of them ever waits, the hours being what they are."""
    mine = [m for job in jobs for m, kind in _minutes(job.situation) if not (shop.crew.helper and kind in HELPS)]
    return worked(shop.hours, shop.earliest, timedelta(minutes=sum(mine)) / shop.crew.painters, max(mine, default=0.0))


def worked(hours: WorkingHours, at: datetime, labour: timedelta, longest_min: Minutes) -> datetime:
    """Return when so much work is done at the soonest, if nothing ever waits for anything.

    Args:
        hours: When the shop works.
        at: From when on.
        labour: The work.
        longest_min: The longest of its steps: whoever stays late ends it, whatever the hours say. [min]
    """
    if hours.until is not None and hours.until > at:
        late = hours.until + timedelta(minutes=longest_min)
        if labour <= late - at:
            return at + labour
        at, labour = late, labour - (late - at)
    while labour > timedelta(0):
        at = hours.fit(at, min(labour, _A_MINUTE))
        done = min(labour, max(hours.closing(at) - at, _A_MINUTE))
        labour, at = labour - done, at + done
    return at


# --- films that are easier than they are -------------------------------------------------------------------
@dataclass(frozen=True, slots=True)
class _Passed:
    """One way in which the coats of a layer may have gone on: the last of them no sooner, what dries below no less."""

    on: datetime
    below: FilmBelow | None = None

    def load(self, climate: PartClimate, at: datetime | None) -> Micron:
        """What of it still dries when a coat covers it; nothing where that is in the long run. [um]"""
        return 0.0 if at is None else still_to_go(self.below, climate.clock, at)


class _Easier(Memory):
    """A memory of one zone in which no window closes and each film dries as well as it ever could."""

    def __init__(self, situation: Situation, zone: UUID) -> None:
        super().__init__(situation)
        self.ahead = {zone: self.ahead[zone]}
        self.tops, self.settings, self.up = {zone: self.tops.get(zone)}, {zone: self.settings[zone]}, None
        top = self.tops[zone]
        self.passed = [_Passed(self.now, top.below)] if top else []

    def windows(self, zones: Zones, product: Product) -> list[tuple[Zones, Window | None]]:
        """Windows that stay open; they open with the key, where that could be made any sooner."""
        out: list[tuple[Zones, Window | None]] = []
        for group, window in super().windows(zones, product):
            top = self.tops_on(group)[0] if window else None
            sand = top.band_of("sand")[1] if top and top.keyed_by and mark_of(top.product, "sand") else None
            opens = window.opens if window else None
            if opens and sand:
                opens = _sooner(opens, sand)
            out.append((group, window and Window(opens, None, None)))
        return out

    def stale(self, zones: Zones, start: datetime) -> Zones:
        """No wipe is too old."""
        return frozenset()

    def lay(self, step: CoatStep, product: Product) -> None:
        """Lay a coat as if it, and those below it, had gone on whenever suits each mark best."""
        (zone,) = step.zones
        self.done[zone], climate = self.now, self.seen[zone]
        best: dict[str, Band] = {}
        ways: list[_Passed] = []
        for blend in dict.fromkeys((self.mix(step.layer, self.now), self.mix(step.layer, _FAR))):
            film = film_with(self.now, step.coat.wet_film_um, step.coat.kind, blend)
            data = drying_with(product.drying, blend.hardener)
            mine = list(self._ways(film, data, climate, self.labour(step)))
            known = known_of(self.sit.factor, product, film.coat_kind)
            for on, below_um in _foremost((w.on, w.below.film.below_um) for w in mine if w.below):
                bands = taught(
                    climate.clock(data), replace(film, start=on, below_um=below_um), [], known, climate.stands
                )
                best = {name: _sooner(band, best[name]) if name in best else band for name, band in bands.items()}
            ways += mine
        self.passed = _fewer(ways)
        self.tops[zone] = Top(product, best, None, climate, layer_id=step.layer.id)
        self.coats.append((product.content_hash, self.sit.day.day_of(self.now), step.zones))
        self.hashes[product.content_hash] = product.key

    def _ways(self, film: Film, data: DryingData, climate: PartClimate, labour: timedelta) -> Iterable[_Passed]:
        """How the coat may go on: at once, or some time later in the hours, on each of the ways of those below."""
        for way in self.passed or [_Passed(self.now)]:
            base = max(self.now, way.on)
            for since, to in zip(_LATER, (*_LATER[1:], None), strict=True):
                on = self.sit.day.fit(base + since - labour, labour) + labour
                if to is not None and on >= base + to:
                    continue  # out of hours
                laid = replace(film, start=on, below_um=way.load(climate, base + to if to else None))
                yield _Passed(on, FilmBelow(data, laid))
                if not way.load(climate, on):
                    break  # nothing below dries any more: later is only later


def _foremost(ways: Iterable[tuple[datetime, float]]) -> list[tuple[datetime, float]]:
    """Of starts and weights those that no other has both sooner and lighter."""
    out: list[tuple[datetime, float]] = []
    for on, below_um in sorted(ways):
        if not out or below_um < out[-1][1]:
            out.append((on, below_um))
    return out


def _sooner(one: Band, other: Band) -> Band:
    """Of two bands whichever edge comes sooner; what never comes is later than what does."""

    def first(a: datetime | None, b: datetime | None) -> datetime | None:
        return min((at for at in (a, b) if at), default=None)

    return Band(first(one.early, other.early), first(one.likely, other.likely), first(one.late, other.late))


def _fewer(ways: list[_Passed]) -> list[_Passed]:
    """Not too many ways: those that another one beats are left out, and neighbours taken together as if as good."""
    kept: list[_Passed] = []
    for way in sorted(ways, key=lambda w: w.on):
        if not any(_beats(other, way) for other in kept):
            kept.append(way)
    share = -(-len(kept) // _MOST_PASSED)
    return [_together(kept[n : n + share]) for n in range(0, len(kept), share)]


def _beats(one: _Passed, other: _Passed) -> bool:
    """Whether one way is no later than another, and its film dries no later and weighs no more."""
    if one.below is None or other.below is None:
        return one.below is None and one.on <= other.on
    mine, its = one.below.film, other.below.film
    return one.on <= other.on and mine.start <= its.start and mine.below_um <= its.below_um


def _together(ways: Sequence[_Passed]) -> _Passed:
    """Several ways as one that is as good as the best of each."""
    on, films = min(w.on for w in ways), [w.below for w in ways if w.below]
    if len(films) < len(ways):
        return _Passed(on)
    start, load = min(f.film.start for f in films), min(f.film.below_um for f in films)
    return _Passed(on, replace(films[0], film=replace(films[0].film, start=start, below_um=load)))

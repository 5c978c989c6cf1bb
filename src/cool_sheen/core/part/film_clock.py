"""Where the log meets the clock: the film of each coat of a zone, with what touch tests said of it."""

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from uuid import UUID

from cool_sheen.core.climate.series import seconds
from cool_sheen.core.coatings.products import Product
from cool_sheen.core.drying.blend import drying_with
from cool_sheen.core.drying.clock import DEFAULT_LN_SD, Band, Believed, Clock, Film, film_with, stacked
from cool_sheen.core.drying.heat import MAY_MISS_K, Bake
from cool_sheen.core.drying.milestones import DryingData, Milestone, Mode
from cool_sheen.core.drying.phases import RecoatRule, Span, likely, never_keyed, phases, with_closing
from cool_sheen.core.drying.touch import TouchTest, learn
from cool_sheen.core.log.history import LaidCoat, Touch, ZoneHistory
from cool_sheen.core.part.climate import PartClimate, Stand
from cool_sheen.core.units import Minutes

ANYWHERE = Stand(-math.inf, None, "gentle")

Factor = tuple[float, float]  # mean and spread of ln factor


@dataclass(frozen=True, slots=True)
class FactorAsked:
    """Whose factor is asked for: of a sheet's mode in a space; without the tests of one coat; of mists or the rest."""

    product: Product
    mode: Mode
    space: UUID | None
    mist: bool = False
    without: UUID | None = None


FactorOf = Callable[[FactorAsked], Factor]  # what the shop knows of a sheet's times
KnownOf = Callable[[Mode, UUID | None], Factor]  # the same of one coat: in a mode, in a space
MOST_COATS = 20  # what lies deeper has dried long ago; no label lays more


def unknown_factor(asked: FactorAsked) -> Factor:
    """The factor of a shop that has learned nothing: one, with the usual spread."""
    return 0.0, DEFAULT_LN_SD


_FEW_MINUTES, _A_MINUTE, _SHORT_WAIT_SHARE = timedelta(minutes=5), timedelta(minutes=1), 0.1
_WILD_EARLY, _WILD_LATE = 2 / 3, 1.5
_ASK_AGAIN_SHARE, _ASK_AGAIN_AT_LEAST = 0.1, timedelta(minutes=2)

# Milestones that stand in for one that a product does not have.
STAND_IN: dict[str, tuple[str, ...]] = {
    "unmask": ("tack_free", "dust_free", "flash"),
    "tape_over": ("handle", "sand", "tack_free", "dust_free"),
    "turn": ("handle", "sand", "tack_free"),
    "sand": ("handle", "tack_free", "flash"),
    "dry": ("tack_free", "dust_free", "handle", "sand", "flash"),
    "handle": ("sand", "full_cure"),
    "assemble": ("handle", "full_cure"),
    "polish": ("full_cure", "handle"),
    "full_cure": ("polish", "assemble", "handle", "sand"),
}


def mark_of(product: Product, name: str) -> str | None:
    """Return the milestone of a product that answers for ``name``."""
    own = {m.name for m in product.milestones}
    return next((n for n in (name, *STAND_IN.get(name, ())) if n in own), None)


@dataclass(frozen=True, slots=True)
class CoatClock:
    """One coat: its film as the clock sees it, its milestones, and the phases until the next coat."""

    coat: LaidCoat
    product: Product
    film: Film
    bands: Mapping[str, Band]
    rule: RecoatRule
    spans: list[Span]
    tested: bool  # somebody touched it and it was ready for the next coat
    drying: DryingData  # the sheet's times, with what the hardener says of itself
    gritty: bool = False  # grit was broadcast into it: it is never sanded

    @property
    def keyed_by(self) -> tuple[str, ...]:
        """The work that keys this film; grit that lies in it takes no key."""
        return () if self.gritty else self.product.keyed_by

    @property
    def opens(self) -> Band | None:
        """When the next coat may go on."""
        return self.bands.get(self.rule.opens)

    @property
    def closes(self) -> Band | None:
        """When the next coat may no longer go on as the film is; None for what has no closing."""
        return None if self.rule.redissolves or self.rule.closes is None else self.bands[self.rule.closes]

    def phase_at(self, at: datetime) -> Span:
        """Return the span that holds an instant; the first one for an instant before it."""
        return next((s for s in self.spans if s.to is None or at < s.to), self.spans[-1])


@dataclass(frozen=True, slots=True)
class WeighedCoat:
    """One coat as the clock sees it, with what lies below it."""

    coat: LaidCoat
    product: Product
    film: Film
    clock: Clock


def weighed_coats(zone: ZoneHistory, climate: PartClimate, revisions: Mapping[str, Product]) -> list[WeighedCoat]:
    """Return every coat on a zone with its film and its clock, bottom first: what its tests are held against."""
    sheets = [revisions[c.payload.coating] for c in zone.coats]
    timed = [drying_with(sheet.drying, c.payload.blend.hardener) for c, sheet in zip(zone.coats, sheets, strict=True)]
    clocks = [climate.clock(data) for data in timed]
    films = stacked(list(zip(clocks, [film_of(c) for c in zone.coats], strict=True)))
    return [WeighedCoat(*one) for one in zip(zone.coats, sheets, films, clocks, strict=True)]


def coat_clocks(
    zone: ZoneHistory,
    climate: PartClimate,
    following: Product | None,
    revisions: Mapping[str, Product],
    factor: FactorOf = unknown_factor,
) -> list[CoatClock]:
    """Work out the clock of every coat on a zone, bottom first.

    Args:
        zone: What was done to it.
        climate: What it sees, its bakes included.
        following: The product that comes on top of the last coat; None when nothing does.
        revisions: Product data by content hash, as the coats were put on with them.
        factor: What the shop has learned of these products where the part stands.
    """
    weighed, out = weighed_coats(zone, climate, revisions), []
    for place, one in enumerate(weighed):
        coat, sheet, film, clock = one.coat, one.product, one.film, one.clock
        rule = sheet.rule_for(weighed[place + 1].product if place + 1 < len(weighed) else following)
        tests = zone.tests_of(coat.uuid)
        counting = _counting(tests, {rule.opens: frozenset(sheet.ready_tests)})
        known = known_of(factor, sheet, coat.payload.coat_kind, coat.uuid)
        bands = taught(clock, film, counting, known, climate.stands)
        bands = {**bands, **_by_heat(sheet, [b for b in zone.bakes if b.start >= film.start])}
        spans = phases(film.start, rule, likely(bands))
        gritty = zone.gritty(place)
        spans = with_closing(spans if sheet.keyed_by and not gritty else never_keyed(spans))
        tested = any(t.payload.ready and t.payload.milestone == rule.opens for t in counting)
        out.append(CoatClock(coat, sheet, film, bands, rule, spans, tested, clock.data, gritty))
    return out


def known_of(factor: FactorOf, sheet: Product, coat_kind: str, without: UUID | None = None) -> KnownOf:
    """What the shop knows of one coat: mists by mists, the rest by the rest."""

    def known(mode: Mode, space: UUID | None) -> Factor:
        return factor(FactorAsked(sheet, mode, space, coat_kind == "mist", without))

    return known


def film_of(coat: LaidCoat) -> Film:
    """A logged coat as the clock sees it, alone."""
    return film_with(coat.ended_at, coat.payload.film_um, coat.payload.coat_kind, coat.payload.blend)


def _by_heat(sheet: Product, bakes: list[Bake]) -> dict[str, Band]:
    """Milestones that only heat brings: reached with the last of the sheet's stages, each held in its order."""
    stages = list(sheet.heat_stages)
    reached: datetime | None = None
    for bake in sorted(bakes, key=lambda b: b.start):
        if (
            stages
            and bake.metal_temp_c >= stages[0].metal_temp_c - MAY_MISS_K
            and (bake.minutes >= min(stages[0].hold(winter=w) for w in (True, False)) - 0.5)
        ):
            stages.pop(0)
            reached = bake.end
    if stages or reached is None:
        return {}
    return {m.name: Band(reached, reached, reached) for m in sheet.milestones if m.mode is Mode.HEAT}


def _counting(tests: list[Touch], wanted: Mapping[str, frozenset[str]]) -> list[Touch]:
    """Leave "ready" out where a product asks for several tests at once and not all of them were ready yet."""
    kept: list[Touch] = []
    ready: dict[str, set[str]] = {}
    for test in tests:
        asked = wanted.get(test.payload.milestone, frozenset())
        if test.payload.ready and asked:
            ready.setdefault(test.payload.milestone, set()).add(test.payload.how)
            if not asked <= ready[test.payload.milestone]:
                continue
        kept.append(test)
    return kept


def taught(
    clock: Clock,
    film: Film,
    tests: list[Touch],
    known: KnownOf | None = None,
    stands: Sequence[Stand] = (ANYWHERE,),
) -> dict[str, Band]:
    """Bands of a film by the shop's factor and its own touch tests: each teaches its drying mode; ready means ready.

    Args:
        clock: The product over the climate.
        film: The coat; its own ln factor is what doses do to its times.
        tests: Touch tests of this coat.
        known: The shop's factor of a mode in a space, without the tests of this coat; the usual spread when None.
        stands: Where the film was, one stay after the other: each has the factor that was learned there.
    """
    factors: dict[Mode, list[Believed]] = {}
    for mode in {m.mode for m in clock.data.milestones}:
        told = [known(mode, s.space) if known else (0.0, film.ln_factor_sd) for s in stands]
        along = [Believed(s.since_s, mean, sd) for s, (mean, sd) in zip(stands, told, strict=True)]
        if own := evidence_of(clock, film, tests, along, mode):
            belief = learn(own, prior_ln_sd=along[-1].ln_sd)  # of the coat itself, beside what is believed of its stays
            along = [Believed(b.since_s, b.ln_mean + belief.ln_mean, belief.ln_sd) for b in along]
        factors[mode] = [replace(b, ln_mean=b.ln_mean + film.ln_factor_mean) for b in along]
    bands = clock.bands(film, factors)
    if not tests:
        return bands
    limits = {m.name for m in clock.data.milestones if m.is_limit}
    return {
        name: band
        if name in limits
        else _overruled(band, film.start, [t for t in tests if t.payload.milestone == name])
        for name, band in bands.items()
    }


def evidence_of(
    clock: Clock, film: Film, tests: Sequence[Touch], along: Sequence[Believed], mode: Mode
) -> tuple[TouchTest, ...]:
    """What the tests of a coat say of the factor of a mode, beside what is believed of its stays; doses taken out."""
    marks = [m for m in clock.data.milestones if m.mode is mode and not m.is_limit] if tests else []
    return tuple(found for mark in marks if (found := _evidence(clock, film, mark, tests, along)))


def _evidence(
    clock: Clock, film: Film, mark: Milestone, tests: Sequence[Touch], along: Sequence[Believed]
) -> TouchTest | None:
    """One interval from all tests of a milestone, in minutes of progress, so that the climate is taken out."""
    mine = sorted((t for t in tests if t.payload.milestone == mark.name), key=lambda t: t.at)
    made = {t.uuid: _made_min(clock, film, mark, t.at, along) for t in mine}
    ready = min((made[t.uuid] for t in mine if t.payload.ready), default=None)
    not_yet = [made[t.uuid] for t in mine if not t.payload.ready and made[t.uuid] > 0]
    before = max((m for m in not_yet if ready is None or m < ready), default=None)
    if not (ready or before):
        return None
    needed = clock.needed_s(mark, film) * math.exp(film.ln_factor_mean) / 60
    prompted = mine[0].payload.ready and was_asked_for(film.start, mine[0])
    return TouchTest(needed, before or None, ready or None, prompted) if math.isfinite(needed) else None


def _made_min(clock: Clock, film: Film, mark: Milestone, at: datetime, along: Sequence[Believed]) -> Minutes:
    """Progress until an instant, each stay's by its factor. [min]"""
    ends = [*(b.since_s for b in along[1:]), math.inf]
    start, until, curve = seconds(film.start), seconds(at), clock.curve(mark)
    made = 0.0
    for stay, end in zip(along, ends, strict=True):
        begin = max(start, stay.since_s)
        made += curve.progress(begin, min(until, end)) / math.exp(stay.ln_mean) if min(until, end) > begin else 0.0
    return made / 60


def was_asked_for(start: datetime, test: Touch) -> bool:
    """Whether a film was touched when the screen said so: within a few minutes, fewer where the wait is short.

    Source: docs/trade.md, Touch.
    """
    asked = test.payload.asked_at
    if asked is None:
        return False
    few = min(_FEW_MINUTES, max(_A_MINUTE, (asked - start) * _SHORT_WAIT_SHARE))
    return abs(test.at - asked) <= few


def is_wild(start: datetime, band: Band, at: datetime, *, ready: bool) -> bool:
    """Whether a first test of a film is so far from its band that it is asked back.

    Source: docs/trade.md, Touch.
    """
    if ready:
        return band.early is not None and at < start + (band.early - start) * _WILD_EARLY
    return band.late is not None and at > start + (band.late - start) * _WILD_LATE


def _overruled(band: Band, start: datetime, tests: list[Touch]) -> Band:
    """The coat at hand goes by the finger: ready is ready, and not ready is asked again after a tenth of its time."""
    ready = min((t.at for t in tests if t.payload.ready), default=None)
    if ready is not None:
        return Band(ready, ready, ready)
    refused = max((t.at for t in tests), default=None)
    if refused is None:
        return band
    again = refused + max((refused - start) * _ASK_AGAIN_SHARE, _ASK_AGAIN_AT_LEAST)
    early, middle, late = (None if t is None else max(t, again) for t in (band.early, band.likely, band.late))
    return Band(early, middle, late)

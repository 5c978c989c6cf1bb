"""How likely a plan holds: followed in many worlds at once, in which films and weather come otherwise.

A world is a draw of what is not known: the factor of each product, drying mode and space, and the error of the
forecast. In each of them every part is followed as planned, and later where it has to wait; a window that has closed by
then, or a gate that is shut, is one that did not hold. Hands are not drawn: a part that is late delays itself alone.
"""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime
from uuid import UUID

import numpy as np
from numpy.typing import NDArray

from cool_sheen.core.climate.air import Floats, relative_humidity
from cool_sheen.core.climate.gates import GUST_M_PER_S, RAIN_MM_PER_H, SUN_SHARE, WIND_M_PER_S
from cool_sheen.core.climate.series import Series, instant, seconds
from cool_sheen.core.drying import modes
from cool_sheen.core.drying.blend import drying_with, limits_with
from cool_sheen.core.drying.clock import FilmBelow, film_with, still_to_go
from cool_sheen.core.drying.milestones import DryingData, Milestone
from cool_sheen.core.part.climate import PartClimate
from cool_sheen.core.part.film_clock import known_of
from cool_sheen.core.part.gate import dust_mark, safe_mark
from cool_sheen.core.part.placed import Planned
from cool_sheen.core.part.top import Top
from cool_sheen.core.scheduling.booking import Booked, Job
from cool_sheen.core.scheduling.serial import ShopPlan
from cool_sheen.core.work.steps import CoatStep, waits_for

DRAWS, SEED = 1000, 20
Holds = NDArray[np.bool_]  # in which worlds
_PCT_A_KELVIN = 5.0  # a degree of dew point is about five per cent of humidity
_LOOKS = 9  # at the climate while a film is open
_A_MINUTE_S = 60.0


@dataclass(frozen=True, slots=True)
class Errors:
    """How wrong a forecast is: spreads at once, and what each day ahead adds, up to a most. Shop figures.

    Indoors, where walls and heaters hold the air, a share of them.
    """

    temp_k: tuple[float, float, float] = (0.5, 0.4, 3.0)
    rh_pct: tuple[float, float, float] = (3.0, 1.5, 12.0)
    ln_wind: float = 0.25
    ln_rain: float = 0.7
    indoors: float = 0.4


AS_FORECASTS_ARE = Errors()


@dataclass(frozen=True)
class Risk:
    """What comes of a plan in many worlds.

    Attributes:
        chance: The share of worlds in which every window and gate holds. [0 to 1]
        by_line: The same of each coat alone, by its place among the lines.
        finish: When all is done: in the best tenth of worlds, the middle one, the worst tenth.
    """

    chance: float
    by_line: Mapping[int, float]
    finish: tuple[datetime, datetime, datetime] | None

    @property
    def weakest(self) -> int | None:
        """The line that holds the least often; None where all hold always."""
        least = min(self.by_line, key=lambda n: self.by_line[n], default=None)
        return least if least is not None and self.by_line[least] < 1 else None


def risk(plan: ShopPlan, errors: Errors = AS_FORECASTS_ARE, draws: int = DRAWS, seed: int = SEED) -> Risk:
    """Follow a plan in many worlds at once.

    Args:
        plan: The plan.
        errors: How wrong the forecast is.
        draws: How many worlds.
        seed: The same seed draws the same worlds.

    Source: docs/trade.md, Plan.
    """
    worlds = _Worlds(seconds(plan.shop.now), errors, draws, seed)
    jobs = {p.job.key: p.job for p in plan.parts}
    by_line: dict[int, Holds] = {}
    ends = []
    mine: dict[UUID, list[tuple[int, Booked]]] = {}
    for n, line in enumerate(plan.lines):
        if line.part is not None and line.planned is not None and line.kind != "wait":
            mine.setdefault(line.part, []).append((n, line))
    for part, lines in mine.items():
        followed = _Followed(jobs[part], plan, worlds)
        for n, line in lines:
            held = followed.go_on(line)
            if held is not None:
                by_line[n] = held
        ends.append(followed.end)
    all_hold = np.logical_and.reduce(list(by_line.values())) if by_line else np.ones(draws, bool)
    return Risk(float(all_hold.mean()), {n: float(held.mean()) for n, held in by_line.items()}, _finish(ends))


def _finish(ends: Sequence[Floats]) -> tuple[datetime, datetime, datetime] | None:
    if not ends:
        return None
    early, middle, late = (instant(float(x)) for x in np.quantile(np.maximum.reduce(list(ends)), [0.1, 0.5, 0.9]))
    return early, middle, late


@dataclass
class _Worlds:
    """The draws: each of what is not known is drawn once, and shared by all that depends on it."""

    now_s: float
    errors: Errors
    draws: int
    seed: int
    _drawn: dict[tuple[object, ...], Floats] = field(default_factory=dict)

    def normal(self, *about: object) -> Floats:
        """A standard normal draw for each world: the same whenever the same is asked about. [1]"""
        if about not in self._drawn:
            stable = [self.seed, *(abs(hash_of(str(a))) for a in about)]
            self._drawn[about] = np.random.default_rng(stable).standard_normal(self.draws)
        return self._drawn[about]

    def off_by(self, kind: str, at_s: Floats, space: UUID | None, outdoors: bool) -> Floats:
        """How far the forecast is off at an instant: [K] or [%]."""
        first, more, most = self.errors.temp_k if kind == "temp" else self.errors.rh_pct
        spread = np.minimum(first + more * np.maximum(at_s - self.now_s, 0.0) / 86_400.0, most)
        return np.asarray(self.normal(kind, space) * spread * (1.0 if outdoors else self.errors.indoors))


def hash_of(text: str) -> int:
    """A number that a text has on every machine and in every run."""
    return int.from_bytes(text.encode()[-24:], "big") % (2**63)


@dataclass
class _Followed:
    """A part that is followed in all worlds at once."""

    job: Job
    plan: ShopPlan
    worlds: _Worlds
    end: Floats = field(init=False)
    _ended: dict[datetime, Floats] = field(default_factory=dict)  # by when it was to end: when it does

    def __post_init__(self) -> None:
        self.end = np.full(self.worlds.draws, seconds(self.plan.shop.now))

    def go_on(self, line: Booked) -> Holds | None:
        """Do a line of the plan: as planned, or as soon after as can be. Of a coat, in which worlds it holds."""
        planned = line.planned
        if planned is None:
            return None
        start, step = np.maximum(self.end, seconds(planned.start)), planned.step
        shuts = np.full(self.worlds.draws, np.inf)
        for top in planned.films:
            opens, closes = self._window(top, planned)
            start, shuts = np.maximum(start, opens), np.minimum(shuts, closes)
        start = self._in_hours(start, planned)
        self.end = start + (planned.end - planned.start).total_seconds()
        self._ended[planned.end] = self.end
        if not isinstance(step, CoatStep):
            return None
        return np.asarray((start <= shuts + _A_MINUTE_S) & self._gate_open(planned, step, start))

    def _window(self, top: Top, planned: Planned) -> tuple[Floats, Floats]:
        """From when to when a film takes what is planned on it, in each world."""
        step, at_once, always = planned.step, np.full(self.worlds.draws, -np.inf), np.full(self.worlds.draws, np.inf)
        if not isinstance(step, CoatStep):
            mark = top.band_of(waits_for(step) or "")[0]
            ready = at_once if mark is None else self._reached(top, mark)
            lifts = self._lifts(top, planned)
            return (ready if lifts is None else np.maximum(ready, self._reached(top, lifts))), always
        if top.key.sanded is not None:
            return at_once, always
        rule = top.product.rule_for(self.job.situation.products[step.layer.product])
        closing = None if rule.redissolves or planned.inserted else rule.closes
        return self._reached(top, rule.opens), self._reached(top, closing) if closing else always

    def _lifts(self, top: Top, planned: Planned) -> str | None:
        """The mark until which a film would lift that a key is put in for."""
        if not planned.opens_again:
            return None
        coat = next((s for s in self.job.situation.owed.steps if s.id == planned.step.id.rpartition(":")[0]), None)
        product = self.job.situation.products[coat.layer.product] if isinstance(coat, CoatStep) else None
        return top.product.rule_for(product).lifts_until

    def _in_hours(self, start: Floats, planned: Planned) -> Floats:
        """What comes too late for its day comes the next morning."""
        hours, late = self.plan.shop.hours, start > seconds(planned.start) + _A_MINUTE_S
        if not late.any():
            return start
        closing = seconds(hours.closing(planned.start)) - planned.labour.total_seconds()
        opening = seconds(hours.next_opening(planned.start))
        return np.where(late & (start > closing), np.maximum(start, opening), start)

    def _reached(self, top: Top, name: str) -> Floats:
        """When a film reaches a mark, in each world; never where it does not."""
        band, under = top.bands[name], top.below
        mark = under.data.named(name) if under else None
        if band.likely is None or mark is None or under is None:
            return np.full(self.worlds.draws, np.inf if band.likely is None else seconds(band.likely))
        if band.early == band.late and not mark.is_limit:  # it was touched
            return np.full(self.worlds.draws, seconds(band.likely))
        curve, begun = top.climate.clock(under.data).curve(mark), seconds(under.film.start)
        needed = curve.progress(begun, seconds(band.likely))
        begins = self._ended.get(under.film.start, np.full(self.worlds.draws, begun))
        found = curve.reached(begins, needed * self._times(top, under, mark, begins))
        return np.where(np.isnan(found), np.inf, found)

    def _times(self, top: Top, under: FilmBelow, mark: Milestone, at_s: Floats) -> Floats:
        """The factor on a film's times, in each world: that of product, mode and space, and that of the weather."""
        _, spread = known_of(self.job.situation.factor, top.product, under.film.coat_kind)(mark.mode, top.climate.space)
        return self._drawn(top.product.key, mark, under.data, top.climate, spread, at_s)

    def _drawn(
        self, product: str, mark: Milestone, data: DryingData, climate: PartClimate, spread: float, at_s: Floats
    ) -> Floats:
        dries = self.worlds.normal("factor", product, mark.mode, climate.space)
        warmer = self.worlds.off_by("temp", at_s, climate.space, climate.outdoors)
        warmth = -per_kelvin(mark, data, climate, float(at_s.mean())) * warmer
        if mark.is_limit:  # it has no spread, and only warmth moves it
            return np.exp(np.minimum(warmth, 0.0))
        return np.exp(spread * dries + warmth)

    def _gate_open(self, planned: Planned, step: CoatStep, start: Floats) -> Holds:
        """Whether air, surface, humidity, dew margin and sky stay inside the limits until the film is safe."""
        product = self.job.situation.products[step.layer.product]
        climate = planned.films[0].climate if planned.films else self.job.situation.climate
        data = drying_with(product.drying, planned.blend.hardener)
        limits, ends = (
            limits_with(product.limits.limits(), planned.blend.hardener),
            start + planned.labour.total_seconds(),
        )
        safe, dust = (
            self._safe(planned, step, climate, data, mark, ends) for mark in (safe_mark(data), dust_mark(data))
        )
        at = start + (np.minimum(safe, climate.ends_s) - start) * np.linspace(0.0, 1.0, _LOOKS)[:, None]
        instants, places = np.unique(at, return_inverse=True)
        seen, places = climate.series.sampled(instants), places.reshape(at.shape)
        warmer, damper = (self.worlds.off_by(k, at, climate.space, climate.outdoors) for k in ("temp", "rh"))
        air, surface = (x[places] + warmer for x in (seen.air_temp_c, seen.surface_temp_c))
        rh = relative_humidity(air, seen.humidity_ratio[places]) + damper
        margin = surface - seen.dew_point_c[places] - damper / _PCT_A_KELVIN
        kept = ((air, limits.air_c), (surface, limits.surface_c), (rh, limits.rh_pct))
        inside = [(x >= low) & (x <= high) for x, (low, high) in kept]
        open_ = np.logical_and.reduce([*inside, margin >= limits.dew_margin_k]).all(axis=0)
        return np.asarray(open_ & self._sky_open(climate, at, dust))

    def _safe(
        self, planned: Planned, step: CoatStep, climate: PartClimate, data: DryingData, mark: Milestone, ends: Floats
    ) -> Floats:
        """When a coat is past a mark, in each world."""
        film = film_with(planned.end, step.coat.wet_film_um, step.coat.kind, planned.blend)
        if planned.films:
            film = replace(film, below_um=still_to_go(planned.films[0].below, climate.clock, planned.end))
        product, clock = self.job.situation.products[step.layer.product], climate.clock(data)
        mean, spread = known_of(self.job.situation.factor, product, step.coat.kind)(mark.mode, climate.space)
        times = self._drawn(product.key, mark, data, climate, spread, ends) * math.exp(film.ln_factor_mean + mean)
        found = clock.curve(mark).reached(ends, clock.needed_s(mark, film) * times)
        return np.where(np.isnan(found), climate.ends_s, found)

    def _sky_open(self, climate: PartClimate, at: Floats, dust_free: Floats) -> Holds:
        """Wind, gusts and rain until it is safe, sun until it is dust free."""
        if climate.sky is None:
            return np.ones(self.worlds.draws, bool)
        instants, places = np.unique(at, return_inverse=True)
        sky, places = climate.sky.sampled(instants), places.reshape(at.shape)
        gusty = np.exp(self.worlds.errors.ln_wind * self.worlds.normal("wind", climate.space))
        wet = np.exp(self.worlds.errors.ln_rain * self.worlds.normal("rain", climate.space))
        calm = (sky.wind_m_per_s[places] * gusty <= WIND_M_PER_S) & (sky.gust_m_per_s[places] * gusty <= GUST_M_PER_S)
        dry = sky.rain_mm_per_h[places] * wet <= RAIN_MM_PER_H
        shaded = (sky.sun[places] <= SUN_SHARE) | (at > dust_free)
        return np.asarray((calm & dry & shaded).all(axis=0))


def per_kelvin(mark: Milestone, data: DryingData, climate: PartClimate, at_s: float) -> float:
    """How much faster a film dries for a degree more at an instant, its moisture left as it is, as a logarithm. [1/K]

    Source: docs/trade.md, Clock: the rate of its mode, a degree apart; none where it stands still.
    """
    here = climate.series.sampled(np.array([at_s]))
    rh = relative_humidity(here.air_temp_c + 1, here.humidity_ratio)
    warmer = Series(here.at_s, here.air_temp_c + 1, rh, here.surface_temp_c + 1)
    was, will = (float(modes.rate(mark, data, series)[0]) for series in (here, warmer))
    return math.log(will / was) if was > 0 and will > 0 else 0.0

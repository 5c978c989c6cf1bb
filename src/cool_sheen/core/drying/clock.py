"""The drying clock: when a film reaches its milestones in the climate that it sees."""

import math
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from datetime import datetime

import numpy as np

from cool_sheen.core.climate.air import Floats
from cool_sheen.core.climate.series import Series, instant, seconds
from cool_sheen.core.drying import modes
from cool_sheen.core.drying.milestones import (
    AIR_FACTOR,
    SURFACE_MARKS,
    DryingData,
    Milestone,
    Mode,
    film_exponent,
    speed_factor,
)
from cool_sheen.core.units import Micron

NEAR_STEP_S, FAR_STEP_S, NEAR_S, MOST_KNOTS = 60.0, 600.0, 3 * 86_400.0, 150_000
DEFAULT_LN_SD = 0.25
P90 = 1.2815515655446004  # standard normal deviate of the 90th percentile


@dataclass(frozen=True, slots=True)
class Band:
    """When something happens: 10th, 50th and 90th percentile; None when it does not in the series' reach."""

    early: datetime | None
    likely: datetime | None
    late: datetime | None


@dataclass(frozen=True, slots=True)
class Film:
    """One coat, as far as the clock cares."""

    start: datetime
    wet_film_um: Micron
    air_movement: str = "gentle"
    hardener_speed: str = "standard"
    reducer_speed: str = "medium"
    below_um: Micron = 0.0  # what the coats below still had to go, as wet film
    ln_factor_mean: float = 0.0
    ln_factor_sd: float = DEFAULT_LN_SD


@dataclass(frozen=True, eq=False)
class Curve:
    """Progress summed up along time, in reference seconds; it never runs backwards."""

    at_s: Floats
    total_s: Floats

    def reached(self, start_s: Floats, needed_s: Floats) -> Floats:
        """Instants at which this much progress has been made since each start; NaN where it is not.

        Args:
            start_s: Starts, of any shape. [s since 1970]
            needed_s: Progress wanted, broadcast with the starts. [reference s]
        """
        target = np.interp(start_s, self.at_s, self.total_s) + needed_s
        # The knot from which to go on: the last one below the target.
        after = np.clip(np.searchsorted(self.total_s, target, side="left"), 1, len(self.at_s) - 1)
        t0, t1 = self.at_s[after - 1], self.at_s[after]
        p0, p1 = self.total_s[after - 1], self.total_s[after]
        with np.errstate(divide="ignore", invalid="ignore"):
            found = t0 + (t1 - t0) * np.where(p1 > p0, (target - p0) / (p1 - p0), 0.0)
        out_of_reach = (target > self.total_s[-1] * (1 + 1e-12)) | (start_s > self.at_s[-1])
        return np.where(out_of_reach, np.nan, np.maximum(found, start_s))

    def begun(self, until_s: float, needed_s: float) -> float:
        """Latest start from which this much progress is made until an instant; minus infinity when there is none.

        Args:
            until_s: When it has to be made. [s since 1970]
            needed_s: Progress wanted. [reference s]
        """
        target = float(np.interp(until_s, self.at_s, self.total_s)) - needed_s
        if target < self.total_s[0]:
            return -math.inf
        after = int(np.searchsorted(self.total_s, target, side="right"))
        if after >= len(self.at_s):
            return until_s
        t0, t1 = float(self.at_s[after - 1]), float(self.at_s[after])
        p0, p1 = float(self.total_s[after - 1]), float(self.total_s[after])
        return min(until_s, t0 + (t1 - t0) * (target - p0) / (p1 - p0))

    def progress(self, start_s: float, until_s: float) -> float:
        """Progress made between two instants. [reference s]"""
        begin, end = np.interp([start_s, max(start_s, until_s)], self.at_s, self.total_s)
        return float(end - begin)


def grid(series: Series, start_s: float, near_s: float = NEAR_S) -> Floats:
    """Instants at which the clock looks at the climate: every minute at first, then every ten, and at each point.

    Args:
        series: The climate; the grid goes on to the end of its reach.
        start_s: Where the grid begins. [s since 1970]
        near_s: How long the fine part is. [s]
    """
    end = series.ends_s
    if end <= start_s:
        return np.array([start_s, start_s + 1.0])
    first, last = float(series.at_s[0]), float(series.at_s[-1])
    far_step = max(FAR_STEP_S, (last - start_s) / MOST_KNOTS)  # decades of climate are looked at less closely
    turn = min(start_s + near_s, last)  # the climate stands still outside the points, and needs no looking at
    parts = [
        np.array([start_s]),
        np.arange(max(start_s, first), turn, NEAR_STEP_S),
        np.arange(max(turn, start_s, first), last, far_step),
        series.at_s[series.at_s > start_s],
        np.array([end]),
    ]
    return np.unique(np.concatenate(parts))


@dataclass(eq=False)
class Clock:
    """The curves of one product over one climate, built when first asked for and shared by all its coats."""

    series: Series
    data: DryingData
    knots_s: Floats
    _midpoints: Series | None = None
    _curves: dict[tuple[Mode, float], Curve] = field(default_factory=dict)

    @classmethod
    def over(cls, series: Series, data: DryingData, start: datetime) -> "Clock":
        """Make a clock for coats that end at ``start`` or later."""
        return cls(series, data, grid(series, seconds(start)))

    def curve(self, milestone: Milestone) -> Curve:
        """Progress of a milestone's mode in gently moving air."""
        key = modes.shared_key(milestone)
        if key not in self._curves:
            middle = (self.knots_s[1:] + self.knots_s[:-1]) / 2  # a rate may jump at a knot, so look between them
            if self._midpoints is None:
                self._midpoints = self.series.sampled(middle)
            gained = modes.rate(milestone, self.data, self._midpoints) * np.diff(self.knots_s)
            if self.series.ends_s <= self.knots_s[0]:
                gained = np.zeros_like(gained)  # the start lies out of the series' reach
            self._curves[key] = Curve(self.knots_s, np.concatenate([[0.0], np.cumsum(gained)]))
        return self._curves[key]

    def needed_s(self, milestone: Milestone, film: Film) -> float:
        """Progress that a film needs for a milestone, at the factor of one. [reference s]

        Source: docs/trade.md, Clock: reference time x (wet film / reference wet film)^n x speed / movement of the air.
        """
        surface = milestone.name in SURFACE_MARKS
        thickness = film.wet_film_um if surface else film.wet_film_um + film.below_um
        share = (thickness / self.data.ref_wet_film_um) ** film_exponent(milestone.name, milestone.mode)
        air = AIR_FACTOR[film.air_movement] if milestone.mode in modes.AIR_MOVES else 1.0
        speed = speed_factor(milestone.mode, film.hardener_speed, film.reducer_speed)
        return float(milestone.ref_minutes * 60 * share * speed / air)

    def band(self, name: str, film: Film) -> Band | None:
        """When a film reaches a milestone; None when the product does not have it."""
        milestone = self.data.named(name)
        return None if milestone is None else self._bands([milestone], film, None)[name]

    def bands(self, film: Film, factors: Mapping[Mode, tuple[float, float]] | None = None) -> dict[str, Band]:
        """When a film reaches each milestone of its product, by name in the product's order.

        Args:
            film: The coat.
            factors: Mean and spread of the ln factor of each mode; the film's own for all of them when None.
        """
        by_curve: dict[tuple[Mode, float], list[Milestone]] = {}
        for milestone in self.data.milestones:
            by_curve.setdefault(modes.shared_key(milestone), []).append(milestone)
        found = {name: band for marks in by_curve.values() for name, band in self._bands(marks, film, factors).items()}
        return {m.name: found[m.name] for m in self.data.milestones}

    def _bands(
        self, marks: list[Milestone], film: Film, factors: Mapping[Mode, tuple[float, float]] | None
    ) -> dict[str, Band]:
        """Bands of milestones that share a curve, in one look at it."""
        mean, spread = factors[marks[0].mode] if factors else (film.ln_factor_mean, film.ln_factor_sd)
        times = np.exp(mean + spread * np.array([-P90, 0.0, P90]))
        needed = np.array([[self.needed_s(m, film)] for m in marks]) * times
        found = self.curve(marks[0]).reached(np.full_like(needed, seconds(film.start)), needed)
        instants = [[None if math.isnan(t) else instant(t) for t in row] for row in found.tolist()]
        return {m.name: Band(*row) for m, row in zip(marks, instants, strict=True)}

    def share_done(self, name: str, film: Film, at: datetime) -> float:
        """How far a film is on the way to a milestone, by the likely factor; 1 where there is no such mark. [0 to 1]"""
        milestone = self.data.named(name)
        if milestone is None:
            return 1.0
        needed = self.needed_s(milestone, film) * math.exp(film.ln_factor_mean)
        return min(1.0, self.curve(milestone).progress(seconds(film.start), seconds(at)) / needed)


def stacked(films: list[tuple[Clock, Film]]) -> list[Film]:
    """Give each coat of a stack, bottom first, the weight of what still dries below it.

    A coat below counts while it has not reached ``sand``, with the share that it still had to go when it was
    covered: three coats wet on wet dry like one thick film, coats a day apart nearly like thin ones.
    """
    done: list[tuple[Clock, Film]] = []
    carried: list[tuple[int, float]] = []  # (place in the stack, wet film still to go when covered)
    for clock, film in films:
        if done:
            below_clock, below = done[-1]
            left = 1 - below_clock.share_done("sand", below, film.start)
            carried.append((len(done) - 1, left * below.wet_film_um))
        open_still = sum(
            um for place, um in carried if done[place][0].share_done("sand", done[place][1], film.start) < 1
        )
        done.append((clock, replace(film, below_um=open_still)))
    return [film for _, film in done]


def simulate(data: DryingData, series: Series, film: Film) -> Mapping[str, Band]:
    """Return the bands of every milestone for a single coat."""
    return Clock.over(series, data, film.start).bands(film)

"""The drying clock: when a film reaches its milestones in the climate that it sees."""

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime

import numpy as np

from cool_sheen.core.climate.air import Floats
from cool_sheen.core.climate.series import Series, instant, seconds
from cool_sheen.core.drying import modes
from cool_sheen.core.drying.blend import Blend
from cool_sheen.core.drying.milestones import (
    AIR_FACTOR,
    SURFACE_MARKS,
    Basis,
    DryingData,
    Milestone,
    Mode,
    film_exponent,
    speed_factor,
)
from cool_sheen.core.units import Micron

NEAR_STEP_S, FAR_STEP_S, NEAR_S, MOST_KNOTS = 60.0, 600.0, 3 * 86_400.0, 150_000
DEFAULT_LN_SD = 0.25
_DAY_S = 86_400.0
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
    hardener_speed: str = "standard"
    reducer_speed: str = "medium"
    below_um: Micron = 0.0  # what the coats below still had to go, as wet film
    coat_kind: str = "full"
    doses: tuple[tuple[Mode, float], ...] = ()  # what they do to the times of each mode
    hardener_factor: float | None = None  # of a hardener with a speed of its own
    ln_factor_mean: float = 0.0
    ln_factor_sd: float = DEFAULT_LN_SD


def film_with(start: datetime, wet_film_um: Micron, coat_kind: str, blend: Blend) -> Film:
    """A coat of a mix."""
    return Film(
        start,
        wet_film_um,
        blend.hardener_speed,
        blend.reducer_speed,
        coat_kind=coat_kind,
        doses=blend.doses,
        hardener_factor=blend.hardener.factor if blend.hardener else None,
        ln_factor_mean=math.log(blend.factor),
    )


@dataclass(frozen=True, slots=True)
class Believed:
    """What is believed of the factor on a film's times, from an instant on. [s since 1970]"""

    since_s: float
    ln_mean: float
    ln_sd: float


@dataclass(frozen=True, slots=True)
class Moving:
    """How the air moves, from an instant on. [s since 1970]"""

    since_s: float
    air_movement: str


STILL_SO = (Moving(-math.inf, "gentle"),)


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
        after = np.minimum(np.maximum(np.searchsorted(self.total_s, target, side="left"), 1), len(self.at_s) - 1)
        t0, t1 = self.at_s[after - 1], self.at_s[after]
        p0, p1 = self.total_s[after - 1], self.total_s[after]
        with np.errstate(divide="ignore", invalid="ignore"):
            found = t0 + (t1 - t0) * np.where(p1 > p0, (target - p0) / (p1 - p0), 0.0)
        out_of_reach = (target > self.total_s[-1] * (1 + 1e-12)) | (start_s > self.at_s[-1])
        return np.where(out_of_reach, np.nan, np.maximum(found, start_s))

    def reached_once(self, start_s: float, needed_s: float) -> float:
        """The instant at which this much progress has been made since one start; infinite when it never is.

        The same as ``reached`` for one start alone, which is asked thousands of times where gates are looked for.

        Args:
            start_s: The start. [s since 1970]
            needed_s: Progress wanted. [reference s]
        """
        target = float(np.interp(start_s, self.at_s, self.total_s)) + needed_s
        if target > float(self.total_s[-1]) * (1 + 1e-12) or start_s > float(self.at_s[-1]):
            return math.inf
        after = min(max(int(self.total_s.searchsorted(target)), 1), len(self.at_s) - 1)
        t0, t1 = float(self.at_s[after - 1]), float(self.at_s[after])
        p0, p1 = float(self.total_s[after - 1]), float(self.total_s[after])
        share = (target - p0) / (p1 - p0) if p1 > p0 else 0.0
        return max(t0 + (t1 - t0) * share, start_s)

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
    moving: tuple[Moving, ...] = STILL_SO  # how the air moves where the part stands, stay by stay
    goes_on: bool = False  # beyond the climate's last point as in its last day, not as in its last minute
    _curves: dict[tuple[Mode, float, bool], Curve] = field(default_factory=dict)

    @classmethod
    def over(cls, series: Series, data: DryingData, start: datetime, air_movement: str = "gentle") -> "Clock":
        """Make a clock for coats that end at ``start`` or later."""
        moving = (Moving(-math.inf, air_movement),)
        return cls(series, data, grid(series, seconds(start)), moving=moving)

    def curve(self, milestone: Milestone) -> Curve:
        """Progress of a milestone's mode, in the air as it moves."""
        key = modes.shared_key(milestone)
        if key not in self._curves:
            knots, middle = self._knots(milestone)
            gained = modes.rate(milestone, self.data, middle) * np.diff(knots)
            if milestone.mode in modes.AIR_MOVES:
                gained *= self._air(middle.at_s)
            if modes.never_slower(milestone):
                gained = np.maximum(gained, np.diff(knots))
            if self.goes_on:
                gained[-1] = _as_in_the_last_day(knots, gained)
            if self.series.ends_s <= knots[0]:
                gained = np.zeros_like(gained)  # the start lies out of the series' reach
            self._curves[key] = Curve(knots, np.concatenate([[0.0], np.cumsum(gained)]))
        return self._curves[key]

    def _knots(self, milestone: Milestone) -> tuple[Floats, Series]:
        """Where a rate is looked at, and the climate between: where it may jump there is a knot."""
        threshold = modes.stands_still_below(milestone, self.data)
        crossings = np.empty(0) if threshold is None else _crossings(self.series, threshold, float(self.knots_s[0]))
        if len(crossings):
            knots = np.unique(np.concatenate([self.knots_s, crossings]))
            return knots, self.series.sampled((knots[1:] + knots[:-1]) / 2)
        if self._midpoints is None:
            self._midpoints = self.series.sampled((self.knots_s[1:] + self.knots_s[:-1]) / 2)
        return self.knots_s, self._midpoints

    def _air(self, at_s: Floats) -> Floats:
        factors = np.array([AIR_FACTOR[m.air_movement] for m in self.moving])
        begins = np.array([m.since_s for m in self.moving[1:]])
        return np.asarray(factors[np.searchsorted(begins, at_s, side="right")])

    def needed_s(self, milestone: Milestone, film: Film) -> float:
        """Progress that a film needs for a milestone, at the factor of one. [reference s]"""
        return needed_s(self.data, milestone, film)

    def band(self, name: str, film: Film) -> Band | None:
        """When a film reaches a milestone; None when the product does not have it."""
        milestone = self.data.named(name)
        return None if milestone is None else self._bands([milestone], film, None)[name]

    def bands(self, film: Film, factors: Mapping[Mode, Sequence[Believed]] | None = None) -> dict[str, Band]:
        """When a film reaches each milestone of its product, by name in the product's order.

        Args:
            film: The coat.
            factors: What is believed of the factor of each mode, stay by stay; the film's own when None.
        """
        by_curve: dict[tuple[Mode, float, bool], list[Milestone]] = {}
        for milestone in self.data.milestones:
            by_curve.setdefault(modes.shared_key(milestone), []).append(milestone)
        found = {name: band for marks in by_curve.values() for name, band in self._bands(marks, film, factors).items()}
        return {m.name: found[m.name] for m in self.data.milestones}

    def _bands(
        self, marks: list[Milestone], film: Film, factors: Mapping[Mode, Sequence[Believed]] | None
    ) -> dict[str, Band]:
        """Bands of milestones that share a curve, in one look at it."""
        own = (Believed(-math.inf, film.ln_factor_mean, film.ln_factor_sd),)
        needed = np.array([[self.needed_s(m, film)] for m in marks])
        along: Sequence[Believed] = factors[marks[0].mode] if factors else own
        if marks[0].is_limit:  # what was learned may shorten it; it has no spread
            along = [Believed(b.since_s, min(0.0, b.ln_mean), 0.0) for b in along]
        found = _reached_along(self.curve(marks[0]), seconds(film.start), needed, along)
        instants = [[None if math.isnan(t) else instant(t) for t in row] for row in found.tolist()]
        return {m.name: Band(*row) for m, row in zip(marks, instants, strict=True)}

    def share_done(self, name: str, film: Film, at: datetime) -> float:
        """How far a film is on the way to a milestone, by the likely factor; 1 where there is no such mark. [0 to 1]"""
        milestone = self.data.named(name)
        if milestone is None:
            return 1.0
        needed = self.needed_s(milestone, film) * math.exp(film.ln_factor_mean)
        return min(1.0, self.curve(milestone).progress(seconds(film.start), seconds(at)) / needed)


def needed_s(data: DryingData, milestone: Milestone, film: Film) -> float:
    """Progress that a film needs for a milestone, at the factor of one. [reference s]

    Args:
        data: The sheet's times.
        milestone: Which of them.
        film: The coat, with the load of what still dries below it.

    Source: docs/trade.md, Clock: reference time x (load / reference load)^n x speed; a limit knows no film, and
        nothing makes it later.
    """
    milestone = data.after(film.coat_kind, milestone)
    speed = speed_factor(milestone.mode, film.hardener_speed, film.reducer_speed)
    if milestone.mode is Mode.REACTIVE and film.hardener_factor is not None:
        speed = film.hardener_factor
    speed *= dict(film.doses).get(milestone.mode, 1.0)
    if milestone.is_limit:
        return float(milestone.ref_minutes * 60 * min(1.0, speed))
    return float(milestone.ref_minutes * 60 * film_factor(data, milestone, film) * speed)


def film_factor(data: DryingData, milestone: Milestone, film: Film) -> float:
    """Factor of the film on a label's time. [1]

    Args:
        data: The sheet's reference film.
        milestone: What its time is for.
        film: The coat, with the load of what still dries below it.

    Source: docs/trade.md, Clock: (load / reference load)^n, for a build never under half.
    """
    of_itself = milestone.basis is Basis.LAST or (milestone.basis is Basis.COAT and milestone.name in SURFACE_MARKS)
    load = film.wet_film_um if of_itself else film.wet_film_um + film.below_um
    usual = film_exponent(milestone.name, milestone.mode)
    exponent = usual if milestone.exponent is None else milestone.exponent
    factor = (load / (milestone.ref_film_um or data.ref_wet_film_um)) ** exponent
    return float(max(milestone.least_share, factor) if milestone.basis is Basis.BUILD else factor)


def _reached_along(curve: Curve, start_s: float, needed_s: Floats, along: Sequence[Believed]) -> Floats:
    """When progress is reached at the 10th, 50th and 90th percentile of a factor that changes from stay to stay.

    Args:
        curve: Progress at the factor of one.
        start_s: When the film begins. [s since 1970]
        needed_s: Progress wanted, one row a milestone. [reference s]
        along: The factor, stay by stay; a stay's own counts while the film is there.
    """
    ends = [*(b.since_s for b in along[1:]), math.inf]
    stays = [(b, end) for b, end in zip(along, ends, strict=True) if end > start_s]
    left, begin = np.broadcast_to(needed_s, (len(needed_s), 3)), start_s
    found = np.full(left.shape, np.nan)
    for stay, end in stays:
        times = np.exp(stay.ln_mean + stay.ln_sd * np.array([-P90, 0.0, P90]))
        reached = curve.reached(np.full(left.shape, begin), left * times)
        if math.isinf(end):
            return np.where(np.isnan(found), reached, found)
        found = np.where(np.isnan(found) & (reached < end), reached, found)
        left, begin = np.maximum(left - curve.progress(begin, end) / times, 0.0), end
    return found


def _as_in_the_last_day(knots: Floats, gained: Floats) -> float:
    """What the last, long stretch of a curve gains: a month ahead no night lasts for ever. [reference s]"""
    last = knots[-2]
    day = (knots[:-2] >= last - _DAY_S) & (knots[1:-1] <= last)
    span = float(np.diff(knots)[:-1][day].sum())
    if span <= 0:
        return float(gained[-1])
    return float(gained[:-1][day].sum() / span * (knots[-1] - last))


def _crossings(series: Series, threshold_c: float, start_s: float) -> Floats:
    """Instants from a start on at which a surface crosses a temperature. [s since 1970]"""
    over = series.surface_temp_c - threshold_c
    left = np.flatnonzero((over[1:] >= 0) != (over[:-1] >= 0))
    share = over[left] / (over[left] - over[left + 1])
    found = series.at_s[left] + share * (series.at_s[left + 1] - series.at_s[left])
    return np.asarray(found[found > start_s])


@dataclass(frozen=True, slots=True)
class FilmBelow:
    """The last coat of a stack, as the next one finds it: its own film, with the load of what lies below it."""

    data: DryingData
    film: Film


def still_to_go(below: FilmBelow | None, clock_of: Callable[[DryingData], Clock], at: datetime) -> Micron:
    """The load that a stack puts on the coat that covers it. [um]

    The last coat of a stack is sandable when all below it is: what it still has to go, the whole stack has. So three
    coats wet on wet dry like one thick film, and coats days apart like thin ones.

    Args:
        below: The last coat of the stack; None on something dry.
        clock_of: The clock of a sheet where the stack is.
        at: When the coat ends that covers it.

    Source: docs/trade.md, Clock: (1 - p) of its own ``sand``, times its load.
    """
    if below is None:
        return 0.0
    left = 1 - clock_of(below.data).share_done("sand", below.film, at)
    return left * (below.film.wet_film_um + below.film.below_um)


def stacked(films: list[tuple[Clock, Film]]) -> list[Film]:
    """Give each coat of a stack, bottom first, the load of what still dries below it."""
    clocks = {clock.data: clock for clock, _ in films}
    below: FilmBelow | None = None
    out: list[Film] = []
    for clock, film in films:
        out.append(replace(film, below_um=still_to_go(below, clocks.__getitem__, film.start)))
        below = FilmBelow(clock.data, out[-1])
    return out


def simulate(data: DryingData, series: Series, film: Film, air_movement: str = "gentle") -> Mapping[str, Band]:
    """Return the bands of every milestone for a single coat."""
    return Clock.over(series, data, film.start, air_movement).bands(film)

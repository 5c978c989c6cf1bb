"""The climate that a part's surface sees, and the clocks over it, built when first asked for and shared."""

import math
from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime
from uuid import UUID

import numpy as np

from cool_sheen.core.climate.air import Floats, relative_humidity
from cool_sheen.core.climate.gates import Breach, Limits, breaches
from cool_sheen.core.climate.rooms import OPEN_DOOR_LAG_H, bends, surface_temperature
from cool_sheen.core.climate.series import JUST_BEFORE_S, Series, seconds
from cool_sheen.core.climate.sky import Exposure
from cool_sheen.core.drying.clock import Clock, Moving
from cool_sheen.core.drying.heat import Bake, baked
from cool_sheen.core.drying.milestones import DryingData
from cool_sheen.core.units import Celsius, Hours, Percent

GATE_AHEAD_S = 14 * 86_400.0
_FINE_S = 5 * 86_400.0
_BEYOND_S = 400 * 86_400.0  # what cures for months has a date, too


_BEND = 600.0 * np.arange(6 * 12 + 1)  # s: half a day in steps of ten minutes


@dataclass(frozen=True, slots=True)
class Change:
    """What would be done to a room or around a part from now on, and to the mix."""

    heat_to_c: Celsius | None = None
    dry_to_pct: Percent | None = None
    hardener_speed: str | None = None
    vent: bool = False
    shade: bool = False
    wind_break: bool = False

    @property
    def is_of_the_place(self) -> bool:
        """Whether it changes what the part sees."""
        place = (self.heat_to_c is not None, self.dry_to_pct is not None)
        return any((*place, self.vent, self.shade, self.wind_break))


@dataclass(frozen=True, slots=True)
class Stand:
    """From when on a part stands in a space, and how the air moves there. [s since 1970]"""

    since_s: float
    space: UUID | None
    air_movement: str
    outdoors: bool = False


@dataclass(eq=False)
class PartClimate:
    """A series and the clocks over it. ``origin`` is the earliest coat that will be asked about.

    Clocks and breaches are kept by what the sheet says, not by its name: two revisions never share one that differs.
    """

    series: Series
    origin: datetime
    air_movement: str = "gentle"  # where the part stands last
    lag_h: Hours = 0.0  # how the surface follows the air
    near: datetime | None = None  # the present: the days around it are looked at more finely
    stands: tuple[Stand, ...] = ()  # where it stood, one stay after the other
    sky: Exposure | None = None  # what of the sky reaches it; None for nothing
    outdoor: Series | None = None  # the weather outside, for a room that is vented
    _clocks: dict[DryingData, Clock] = field(init=False, default_factory=dict)
    _breaches: dict[Limits, list[Breach]] = field(init=False, default_factory=dict)
    _heated: dict[tuple[Bake, ...], "PartClimate"] = field(init=False, default_factory=dict)
    _grid: Floats = field(init=False)
    _middle: Series = field(init=False)
    _seen: Series | None = field(init=False, default=None)

    def __post_init__(self) -> None:
        if not self.stands:
            self.stands = (Stand(-math.inf, None, self.air_movement),)
        start = seconds(self.origin)
        present = seconds(self.near) if self.near else float(self.series.at_s[-1]) - GATE_AHEAD_S
        near = max(start, present - 2 * 86_400)
        pieces = [np.arange(start, near, 600.0), np.arange(near, near + _FINE_S, 120.0)]
        last = float(self.series.at_s[-1])  # after it the climate stands still
        inside = self.series.at_s[self.series.at_s > start]
        rest = [inside, np.arange(near + _FINE_S, last, 600.0), np.array([last, last + _BEYOND_S])]
        self._grid = np.unique(np.concatenate([*pieces, *rest]))
        self._grid = self._grid[self._grid >= start]
        self._middle = self.series.sampled((self._grid[1:] + self._grid[:-1]) / 2)

    @property
    def space(self) -> UUID | None:
        """Where the part stands last."""
        return self.stands[-1].space

    @property
    def outdoors(self) -> bool:
        """Whether it stands in the open."""
        return self.stands[-1].outdoors

    def sky_at(self, at: datetime) -> Exposure | None:
        """What of the sky reaches it at an instant; None where it never does."""
        return None if self.sky is None else self.sky.sampled(np.array([seconds(at)]))

    def clock(self, data: DryingData) -> Clock:
        """The clock of a sheet in this climate."""
        if data not in self._clocks:
            moving = tuple(Moving(s.since_s, s.air_movement) for s in self.stands)
            self._clocks[data] = Clock(self.series, data, self._grid, self._middle, moving, goes_on=True)
        return self._clocks[data]

    def breaches(self, limits: Limits) -> list[Breach]:
        """When this climate is outside these limits."""
        if limits not in self._breaches:
            if self._seen is None:
                last = float(self.series.at_s[-1])
                self._seen = self.series.sampled(self._grid[self._grid <= max(last, float(self._grid[0]))])
            self._breaches[limits] = breaches(self._seen, limits, self.sky)
        return self._breaches[limits]

    @property
    def ends_s(self) -> float:
        """Where the forecast ends. [s since 1970]"""
        return float(self.series.at_s[-1])

    def air_at(self, at: datetime) -> Celsius:
        """Air at an instant. [C]"""
        return float(self.at(at).air_temp_c[0])

    def humidity_at(self, at: datetime) -> Percent:
        """Relative humidity at an instant. [%]"""
        return float(self.at(at).rh_pct[0])

    def at(self, at: datetime) -> Series:
        """The climate at one instant."""
        return self.series.sampled(np.array([seconds(at)]))

    def heated(self, bakes: Sequence[Bake]) -> "PartClimate":
        """What zones saw that were baked: the holds, and their cooling by their own lag."""
        key = tuple(bakes)
        if not key:
            return self
        if key not in self._heated:
            self._heated[key] = replace(self, series=baked(self.series, key, self.lag_h))
        return self._heated[key]

    def changed(self, now: datetime, change: Change) -> "PartClimate":
        """The same place with something done about it from now on; what was is as it was.

        Args:
            now: From when on.
            change: Warmth that the air never falls under, humidity that it never rises over (heating adds no water);
                the doors open; shade, or a wind-break.
        """
        if not change.is_of_the_place:
            return self
        begin = seconds(now)
        last = max(begin, float(self.series.at_s[-1]))
        finely = [begin + _BEND, bends([begin], self.lag_h), bends([begin], OPEN_DOOR_LAG_H if change.vent else 0.0)]
        at = np.unique(np.concatenate([self.series.at_s, *(f[f <= last] for f in finely)]))
        was = self.series.sampled(at)
        later = at >= begin
        air, moist = was.air_temp_c.copy(), was.humidity_ratio.copy()
        if change.vent and self.outdoor is not None:
            outside = self.outdoor.sampled(at[later])
            air[later] = surface_temperature(outside, OPEN_DOOR_LAG_H, start_c=float(air[later][0]))
            moist[later] = outside.humidity_ratio
        if change.heat_to_c is not None:
            air[later] = np.maximum(air[later], change.heat_to_c)
        rh = np.where(later, relative_humidity(air, moist), was.rh_pct)
        if change.dry_to_pct is not None:
            rh[later] = np.minimum(rh[later], change.dry_to_pct)
        sky = self._sky_changed(begin, change)
        surface = was.surface_temp_c.copy()
        ahead = Series(at[later], air[later], rh[later])
        first = float(np.interp(begin, self.series.at_s, self.series.surface_temp_c))
        offset = 0.0 if sky is None else sky.sampled(at[later]).offset_k
        surface[later] = surface_temperature(ahead, self.lag_h, offset, first)
        return replace(self, series=Series(at, air, rh, surface), sky=sky)

    def _sky_changed(self, begin_s: float, change: Change) -> Exposure | None:
        if self.sky is None:
            return None
        knots = np.array([begin_s - JUST_BEFORE_S, begin_s])
        sky = self.sky.sampled(np.unique(np.concatenate([self.sky.at_s, knots])))
        later = sky.at_s >= begin_s
        return sky.behind(shade=later & change.shade, wind_break=later & change.wind_break)

"""The climate that a part's surface sees, and the clocks over it, built when first asked for and shared."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import datetime

import numpy as np

from cool_sheen.core.climate.air import Floats, relative_humidity
from cool_sheen.core.climate.gates import Breach, Limits, breaches
from cool_sheen.core.climate.rooms import surface_temperature
from cool_sheen.core.climate.series import Series, seconds
from cool_sheen.core.drying.clock import Clock
from cool_sheen.core.drying.heat import Bake, baked
from cool_sheen.core.drying.milestones import DryingData
from cool_sheen.core.units import Celsius, Hours, Percent

GATE_AHEAD_S = 14 * 86_400.0
_FINE_S = 5 * 86_400.0


_BEND = 600.0 * np.arange(6 * 12 + 1)  # s: half a day in steps of ten minutes


@dataclass(frozen=True, slots=True)
class Change:
    """What would be done to a room from now on, and to the mix."""

    heat_to_c: Celsius | None = None
    dry_to_pct: Percent | None = None
    hardener_speed: str | None = None


@dataclass(eq=False)
class PartClimate:
    """A series and the clocks over it. ``origin`` is the earliest coat that will be asked about.

    Clocks and breaches are kept by what the sheet says, not by its name: two revisions never share one that differs.
    """

    series: Series
    origin: datetime
    air_movement: str = "gentle"
    lag_h: Hours = 0.0  # how the surface follows the air
    near: datetime | None = None  # the present: the days around it are looked at more finely
    _clocks: dict[DryingData, Clock] = field(default_factory=dict)
    _breaches: dict[Limits, list[Breach]] = field(default_factory=dict)
    _heated: dict[tuple[Bake, ...], "PartClimate"] = field(default_factory=dict)
    _grid: Floats = field(init=False)
    _middle: Series = field(init=False)
    _seen: Series | None = None

    def __post_init__(self) -> None:
        start = seconds(self.origin)
        present = seconds(self.near) if self.near else float(self.series.at_s[-1]) - GATE_AHEAD_S
        near = max(start, present - 2 * 86_400)
        pieces = [np.arange(start, near, 600.0), np.arange(near, near + _FINE_S, 120.0)]
        last = float(self.series.at_s[-1])  # after it the climate stands still
        inside = self.series.at_s[self.series.at_s > start]
        rest = [inside, np.arange(near + _FINE_S, last, 600.0), np.array([last, self.series.ends_s])]
        self._grid = np.unique(np.concatenate([*pieces, *rest]))
        self._grid = self._grid[self._grid >= start]
        self._middle = self.series.sampled((self._grid[1:] + self._grid[:-1]) / 2)

    def clock(self, data: DryingData) -> Clock:
        """The clock of a sheet in this climate."""
        if data not in self._clocks:
            self._clocks[data] = Clock(self.series, data, self._grid, self._middle)
        return self._clocks[data]

    def breaches(self, limits: Limits) -> list[Breach]:
        """When this climate is outside these limits."""
        if limits not in self._breaches:
            if self._seen is None:
                last = float(self.series.at_s[-1])
                self._seen = self.series.sampled(self._grid[self._grid <= max(last, float(self._grid[0]))])
            self._breaches[limits] = breaches(self._seen, limits)
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
            series = baked(self.series, key, self.lag_h)
            self._heated[key] = PartClimate(series, self.origin, self.air_movement, self.lag_h, self.near)
        return self._heated[key]

    def changed(self, now: datetime, change: Change) -> "PartClimate":
        """The same place with a room that is heated or dried from now on; what was is as it was.

        Args:
            now: From when on.
            change: Warmth that the air never falls under, humidity that it never rises over. Heating adds no water.
        """
        if change.heat_to_c is None and change.dry_to_pct is None:
            return self
        begin = seconds(now)
        finely = begin + _BEND  # a surface that follows a step is no straight line from hour to hour
        at = np.unique(np.concatenate([self.series.at_s, finely[finely <= max(begin, self.series.at_s[-1])]]))
        was = self.series.sampled(at)
        later = at >= begin
        air = was.air_temp_c.copy()
        if change.heat_to_c is not None:
            air[later] = np.maximum(air[later], change.heat_to_c)
        rh = np.where(later, relative_humidity(air, was.humidity_ratio), was.rh_pct)
        if change.dry_to_pct is not None:
            rh[later] = np.minimum(rh[later], change.dry_to_pct)
        ahead = Series(at[later], air[later], rh[later])
        first = float(np.interp(begin, self.series.at_s, self.series.surface_temp_c))
        surface = was.surface_temp_c.copy()
        surface[later] = surface_temperature(ahead, self.lag_h, start_c=first)
        return PartClimate(Series(at, air, rh, surface), self.origin, self.air_movement, self.lag_h, self.near)

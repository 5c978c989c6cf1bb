"""The climate that one part sees, and what it means for each product: clocks and gates, worked out once."""

from dataclasses import dataclass, field
from datetime import datetime

import numpy as np

from cool_sheen.core.climate.air import Floats, relative_humidity
from cool_sheen.core.climate.gates import Shut, shut_spans
from cool_sheen.core.climate.rooms import surface_temperature
from cool_sheen.core.climate.series import Series, instant, seconds
from cool_sheen.core.coatings.products import Product
from cool_sheen.core.drying.clock import Clock, Film
from cool_sheen.core.units import Celsius, Hours, Percent

GATE_STEP_S = 600.0
GATE_AHEAD_S = 14 * 86_400.0
_FINE_S = 5 * 86_400.0


@dataclass(frozen=True, slots=True)
class Change:
    """What would be done to a room from now on, and to the mix."""

    heat_to_c: Celsius | None = None
    dry_to_pct: Percent | None = None
    hardener_speed: str = "standard"


@dataclass(eq=False)
class PartClimate:
    """A series and the clocks over it. ``origin`` is the earliest coat that will be asked about."""

    series: Series
    origin: datetime
    air_movement: str = "gentle"
    lag_h: Hours = 0.0  # how the surface follows the air
    near: datetime | None = None  # the present: the days around it are looked at more finely
    _clocks: dict[str, Clock] = field(default_factory=dict)
    _gates: dict[tuple[str, str], list[Shut]] = field(default_factory=dict)
    _grid: Floats = field(init=False)
    _middle: Series = field(init=False)

    def __post_init__(self) -> None:
        start = seconds(self.origin)
        present = seconds(self.near) if self.near else float(self.series.at_s[-1]) - GATE_AHEAD_S
        near = max(start, present - 2 * 86_400)
        pieces = [np.arange(start, near, 600.0), np.arange(near, near + _FINE_S, 120.0)]
        last = float(self.series.at_s[-1])  # after it the climate stands still
        end = max(self.series.ends_s, near + _FINE_S + 600)
        self._grid = np.unique(np.concatenate([*pieces, np.arange(near + _FINE_S, last, 600.0), [last, end]]))
        self._middle = self.series.sampled((self._grid[1:] + self._grid[:-1]) / 2)

    def clock(self, product: Product) -> Clock:
        """The clock of a product in this climate."""
        if product.key not in self._clocks:
            self._clocks[product.key] = Clock(self.series, product.drying, self._grid, self._middle)
        return self._clocks[product.key]

    def air_at(self, at: datetime) -> Celsius:
        """Air at an instant. [C]"""
        return float(self.series.sampled(np.array([seconds(at)])).air_temp_c[0])

    def humidity_at(self, at: datetime) -> Percent:
        """Relative humidity at an instant. [%]"""
        return float(self.series.sampled(np.array([seconds(at)])).rh_pct[0])

    def changed(self, now: datetime, change: Change) -> "PartClimate":
        """The same place with a room that is heated or dried from now on; what was is as it was.

        Args:
            now: From when on.
            change: Warmth that the air never falls under, humidity that it never rises over. Heating adds no water.
        """
        if change.heat_to_c is None and change.dry_to_pct is None:
            return self
        begin = seconds(now)
        at = np.unique(np.concatenate([self.series.at_s, [begin]]))
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

    def shut(self, product: Product, now: datetime, hardener_speed: str = "standard") -> list[Shut]:
        """When a coat of a product may not start, from two hours ago until the series ends."""
        key = (product.key, hardener_speed)
        if key not in self._gates:
            at = np.arange(seconds(now) - 7200, self.series.at_s[-1], GATE_STEP_S)
            if not len(at):
                return []
            clock = self.clock(product)
            mark = clock.data.named("dew_safe") or clock.data.named("dust_free") or clock.data.milestones[0]
            film = Film(now, product.ref_wet_film_um, self.air_movement, hardener_speed)
            safe = clock.curve(mark).reached(at, np.full(len(at), clock.needed_s(mark, film)))
            self._gates[key] = shut_spans(self.series.sampled(at), product.limits.limits(), safe)
        return self._gates[key]

    def opens_at(self, shut: Shut) -> datetime | None:
        """When a shut gate opens; None when it stays shut as far as the series goes."""
        return instant(shut.to_s) if shut.to_s < self.series.at_s[-1] - GATE_STEP_S else None

    def gate_at(self, product: Product, at: datetime, now: datetime) -> Shut | None:
        """The span that keeps a coat from starting at an instant; None when it may start."""
        when = seconds(at)
        return next((s for s in self.shut(product, now) if s.since_s <= when < s.to_s), None)

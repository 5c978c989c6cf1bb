"""The climate that one part sees, and what it means for each product: clocks and gates, worked out once."""

from dataclasses import dataclass, field
from datetime import datetime

import numpy as np

from cool_sheen.core.climate.air import Floats
from cool_sheen.core.climate.gates import Shut, shut_spans
from cool_sheen.core.climate.series import Series, instant, seconds
from cool_sheen.core.coatings.products import Product
from cool_sheen.core.drying.clock import Clock, Film

GATE_STEP_S = 600.0
GATE_AHEAD_S = 14 * 86_400.0
_FINE_S = 5 * 86_400.0


@dataclass(eq=False)
class PartClimate:
    """A series and the clocks over it. ``origin`` is the earliest coat that will be asked about."""

    series: Series
    origin: datetime
    air_movement: str = "gentle"
    _clocks: dict[str, Clock] = field(default_factory=dict)
    _gates: dict[str, list[Shut]] = field(default_factory=dict)
    _grid: Floats = field(init=False)
    _middle: Series = field(init=False)

    def __post_init__(self) -> None:
        start = seconds(self.origin)
        near = max(start, float(self.series.at_s[-1]) - GATE_AHEAD_S - 2 * 86_400)
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

    def shut(self, product: Product, now: datetime) -> list[Shut]:
        """When a coat of a product may not start, from two hours ago until the series ends."""
        if product.key not in self._gates:
            at = np.arange(seconds(now) - 7200, self.series.at_s[-1], GATE_STEP_S)
            if not len(at):
                return []
            clock = self.clock(product)
            mark = clock.data.named("dew_safe") or clock.data.named("dust_free") or clock.data.milestones[0]
            film = Film(now, product.ref_wet_film_um, self.air_movement)
            safe = clock.curve(mark).reached(at, np.full(len(at), clock.needed_s(mark, film)))
            self._gates[product.key] = shut_spans(self.series.sampled(at), product.limits.limits(), safe)
        return self._gates[product.key]

    def opens_at(self, shut: Shut) -> datetime | None:
        """When a shut gate opens; None when it stays shut as far as the series goes."""
        return instant(shut.to_s) if shut.to_s < self.series.at_s[-1] - GATE_STEP_S else None

    def gate_at(self, product: Product, at: datetime, now: datetime) -> Shut | None:
        """The span that keeps a coat from starting at an instant; None when it may start."""
        when = seconds(at)
        return next((s for s in self.shut(product, now) if s.since_s <= when < s.to_s), None)

"""A simulated bench scale: noise, a settling pan, and a hand that pours. It stands in for a real one."""

import math
import random
from dataclasses import dataclass
from datetime import datetime

from cool_sheen.core.units import Grams

_SETTLES_S = 0.6
_NOISE_G = 0.15
_RESOLUTION_G = 0.1
_FLOW_G_PER_S = 60.0
_STILL_G = 1.0


@dataclass(frozen=True, slots=True)
class ScaleReading:
    """What the display shows; ``steady`` once the pan has come to rest."""

    grams: Grams
    steady: bool


class SimulatedScale:
    """One scale on the bench. The same seed and the same moves show the same figures."""

    def __init__(self, seed: int = 11) -> None:
        self.seed = seed
        self._from_g = 0.0
        self._to_g = 0.0
        self._since: datetime | None = None
        self._pouring = False
        self._tare_g = 0.0

    def tare(self, now: datetime) -> None:
        """Call what is on the pan nought."""
        self._tare_g = self._load(now)

    def put(self, grams: Grams, now: datetime) -> None:
        """Put a weight on the pan, in place of what was there."""
        self._tare_g = 0.0
        self._move(grams, now, pouring=False)

    def pour_to(self, grams: Grams, now: datetime) -> None:
        """Pour in a steady stream until the display would show so much: a hand stops a little late."""
        late = random.Random(f"{self.seed}:{grams:.1f}").gauss(0.4, 0.3)  # noqa: S311 - a simulation
        self._move(grams + late + self._tare_g, now, pouring=True)

    def _move(self, grams: Grams, now: datetime, *, pouring: bool) -> None:
        self._from_g = self._load(now)
        self._to_g, self._since, self._pouring = max(0.0, grams), now, pouring

    def _load(self, now: datetime) -> Grams:
        if self._since is None:
            return self._to_g
        elapsed = max(0.0, (now - self._since).total_seconds())
        way = self._to_g - self._from_g
        if self._pouring:
            return self._from_g + math.copysign(min(abs(way), _FLOW_G_PER_S * elapsed), way)
        return self._to_g - way * math.exp(-elapsed / _SETTLES_S)

    def reading(self, now: datetime) -> ScaleReading:
        """What the display shows now. [g]"""
        load = self._load(now)
        noise = random.Random(f"{self.seed}:{now.isoformat()}").gauss(0, _NOISE_G)  # noqa: S311 - a simulation
        shown = round((load + noise) / _RESOLUTION_G) * _RESOLUTION_G
        return ScaleReading(round(max(0.0, shown - self._tare_g), 1), abs(self._to_g - load) < _STILL_G)

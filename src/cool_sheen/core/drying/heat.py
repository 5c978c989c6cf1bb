"""Heat: what a bake is worth in air cure, and what a part's surface does in it and after it."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

import numpy as np

from cool_sheen.core.climate.rooms import surface_temperature
from cool_sheen.core.climate.series import Series, seconds
from cool_sheen.core.drying.milestones import DEFAULT_ACTIVATION, Mode
from cool_sheen.core.drying.modes import GAS_CONSTANT
from cool_sheen.core.errors import OutOfRange
from cool_sheen.core.units import ZERO_CELSIUS_K, Celsius, Hours, Kelvin, Minutes

MAY_MISS_K: Kelvin = 5.0  # how far under its target a reading may stay
MAY_PASS_K: Kelvin = 15.0  # and how far over: too fast blisters
_HOTTEST_C: Celsius = 200.0  # a series ends there; what is hotter is a heat stage of its own


@dataclass(frozen=True, slots=True)
class Bake:
    """A hold at a metal temperature."""

    start: datetime
    end: datetime
    metal_temp_c: Celsius

    @property
    def minutes(self) -> Minutes:
        """How long it was held. [min]"""
        return (self.end - self.start).total_seconds() / 60


def air_cure_equivalent(
    metal_temp_c: Celsius, minutes: Minutes, ref_temp_c: Celsius, activation_kj_per_mol: float | None = None
) -> Minutes:
    """Minutes of air cure at the reference temperature that a bake is worth.

    Args:
        metal_temp_c: Metal temperature of the hold. [C]
        minutes: How long it is held. [min]
        ref_temp_c: Reference temperature of the product. [C]
        activation_kj_per_mol: Activation energy; the reactive mode's when None. [kJ/mol]

    Returns: Minutes at the reference temperature. [min]
    Raises: OutOfRange: a hold of nought.
    Source: docs/trade.md, Heat: air-cure equivalents follow the reactive clock at metal temperature.
    """
    if not minutes > 0:
        raise OutOfRange("A hold lasts longer than nought.", "minutes")
    energy = DEFAULT_ACTIVATION[Mode.REACTIVE] if activation_kj_per_mol is None else activation_kj_per_mol
    inverse = 1 / (metal_temp_c + ZERO_CELSIUS_K) - 1 / (ref_temp_c + ZERO_CELSIUS_K)
    return float(minutes * np.exp(-1000 * energy / GAS_CONSTANT * inverse))


def baked(climate: Series, bakes: Sequence[Bake], lag_h: Hours) -> Series:
    """Put bakes into what a part's surface sees: the hold, and its cooling by its own lag afterwards.

    Args:
        climate: Air and surface without the heat.
        bakes: Holds, in any order.
        lag_h: How the surface follows the air. [h]
    """
    for bake in sorted(bakes, key=lambda b: b.start):
        begin, end = seconds(bake.start), seconds(bake.end)
        if end <= climate.at_s[0] or begin >= climate.at_s[-1]:
            continue
        cooling = end + 3600 * max(lag_h, 0.1) * np.array([0.25, 0.5, 1.0, 1.5, 2.0, 3.0, 4.0])
        knots = [climate.at_s, [begin - 1, begin, end], cooling[cooling < climate.at_s[-1]]]
        at = np.unique(np.concatenate([np.asarray(k, dtype=float) for k in knots]))
        at = at[at >= climate.at_s[0]]
        was = climate.sampled(at)
        surface = was.surface_temp_c.copy()
        surface[at >= begin] = min(bake.metal_temp_c, _HOTTEST_C)
        after = at >= end
        if after.sum() > 1:
            tail = Series(at[after], was.air_temp_c[after], was.rh_pct[after])
            surface[after] = surface_temperature(tail, max(lag_h, 0.1), start_c=min(bake.metal_temp_c, _HOTTEST_C))
        climate = was.with_surface(surface)
    return climate

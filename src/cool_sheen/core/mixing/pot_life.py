"""How long a mix can be used: the pot life, and how the warmth of the room eats it."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

import numpy as np

from cool_sheen.core.climate.air import Floats
from cool_sheen.core.climate.series import Series, instant, seconds
from cool_sheen.core.errors import OutOfRange
from cool_sheen.core.units import Celsius, Kelvin, Minutes

HALVES_PER_K: Kelvin = 10.0
_REACH = timedelta(days=3)
_STEP_S = 60.0
_MOST_HALVINGS = 50  # beyond any temperature at which something is mixed


def pot_life(
    ref_minutes: Minutes, ref_temp_c: Celsius, temp_c: Celsius, halves_per_k: Kelvin = HALVES_PER_K
) -> Minutes:
    """Pot life at a temperature that stays as it is.

    Args:
        ref_minutes: Pot life at the reference temperature. [min, above 0]
        ref_temp_c: Reference temperature. [C]
        temp_c: Temperature of the mix. [C]
        halves_per_k: How much warmer halves it. [K, above 0]

    Returns: Pot life. [min]
    Raises: OutOfRange: a pot life of nought, or nought kelvin to halve it.
    Source: docs/trade.md, Mixing: it halves for each 10 K warmer.
    """
    if not ref_minutes > 0:
        raise OutOfRange("A pot life is above nought.", "ref_minutes")
    if not halves_per_k > 0:
        raise OutOfRange("The kelvin that halve a pot life are above nought.", "halves_per_k")
    halvings = (temp_c - ref_temp_c) / halves_per_k
    if abs(halvings) > _MOST_HALVINGS:
        raise OutOfRange("So far from its reference temperature no pot life can be told.", "temp_c")
    return float(ref_minutes * 2**-halvings)


def pot_life_ends(
    start: datetime, ref_minutes: Minutes, ref_temp_c: Celsius, climate: Series, halves_per_k: Kelvin = HALVES_PER_K
) -> datetime | None:
    """When a mix gels that stands in a climate.

    Args:
        start: When the hardener went in.
        ref_minutes: Pot life at the reference temperature. [min]
        ref_temp_c: Reference temperature. [C]
        climate: What the room does; the mix has the temperature of its air.
        halves_per_k: How much warmer halves it. [K]

    Returns: The end, or None when it lies more than three days away.
    Source: docs/trade.md, Mixing: the share that is used up is the integral of dt / pot life (temperature).
    """
    begin = seconds(start)
    at = np.arange(begin, begin + _REACH.total_seconds() + _STEP_S, _STEP_S)
    return Aging.along(at, climate, ref_temp_c, halves_per_k).gels(start, ref_minutes)


@dataclass(frozen=True, eq=False)
class Aging:
    """How mixes age in a climate, at their reference temperature's pace: drawn once, and asked for many starts."""

    at_s: Floats
    minutes: Floats  # at the reference temperature, until each instant

    @classmethod
    def along(cls, at_s: Floats, climate: Series, ref_temp_c: Celsius, halves_per_k: Kelvin = HALVES_PER_K) -> "Aging":
        """Sum up a climate's pace between instants. [s since 1970]"""
        temp = climate.sampled((at_s[1:] + at_s[:-1]) / 2).air_temp_c
        passed = 2 ** ((temp - ref_temp_c) / halves_per_k) * np.diff(at_s) / 60
        return cls(at_s, np.concatenate([[0.0], np.cumsum(passed)]))

    def gels(self, start: datetime, ref_minutes: Minutes) -> datetime | None:
        """When a mix gels that got its hardener at an instant; None when not as far as is looked."""
        end = float(np.interp(seconds(start), self.at_s, self.minutes)) + ref_minutes
        return None if end > self.minutes[-1] else instant(float(np.interp(end, self.minutes, self.at_s)))


def way_in_time(coats_end: Sequence[datetime], now: datetime, gels: datetime) -> str:
    """Say what to do about a batch that gels before the last of its coats is on.

    Args:
        coats_end: When each coat is on by the plan, in order.
        now: When it would be mixed.
        gels: When it would gel.

    Returns: Fewer coats now, later, or later and in more than one batch.
    Source: docs/trade.md, Mixing: a batch serves what lies within one pot life.
    """
    fits = sum(end <= gels for end in coats_end)
    if fits:
        return f"Mix for {fits} of {len(coats_end)} coats now"
    if coats_end and coats_end[-1] - coats_end[0] < gels - now:
        return "Mix it later, just before the coat"
    return "Mix it later, just before the coat, and for fewer coats at a time"

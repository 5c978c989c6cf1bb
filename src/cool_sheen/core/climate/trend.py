"""Two readings on the way to a limit: when it would be reached if it went on straight. An estimate, and no more."""

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from cool_sheen.core.climate.air import dew_point
from cool_sheen.core.climate.corrections import BRIDGED_S, INSTRUMENT_K, INSTRUMENT_PCT
from cool_sheen.core.climate.gates import Limits
from cool_sheen.core.units import Celsius, Percent

_LONGEST_S = 12 * 3600.0  # what lies further ahead no straight line tells


@dataclass(frozen=True, slots=True)
class Read:
    """A reading of a space; the surface where it was measured. [s since 1970, C, %, C]"""

    at_s: float
    air_temp_c: Celsius
    rh_pct: Percent
    surface_temp_c: Celsius | None = None


@dataclass(frozen=True, slots=True)
class Expected:
    """When a limit would be reached. [s since 1970]"""

    at_s: float
    words: str


def expected(readings: Sequence[Read], limits: Limits) -> list[Expected]:
    """Say when the limits that the last reading is outside of would be reached, by it and the one before.

    Args:
        readings: Readings of one space, in order of time.
        limits: What a product asks for.

    Returns: One estimate for each limit that the air is on its way to, the soonest first: none where the last two
        readings lie over three hours apart, where they differ by no more than the instrument's own error, or where the
        way leads elsewhere.
    Source: docs/trade.md, Readings.
    """
    if len(readings) < 2:
        return []
    before, last = readings[-2:]
    apart = last.at_s - before.at_s
    if not 0 < apart <= BRIDGED_S:
        return []
    found = []
    for figure in _figures(before, last, limits):
        wanted = figure.wanted
        slope = (figure.now - figure.was) / apart
        if wanted is None or abs(figure.now - figure.was) <= figure.error + 1e-9 or (wanted - figure.now) * slope <= 0:
            continue
        at = last.at_s + (wanted - figure.now) / slope
        if at - last.at_s <= _LONGEST_S:
            found.append(Expected(at, f"{figure.name} {wanted:g} {figure.unit}"))
    return sorted(found, key=lambda e: e.at_s)


@dataclass(frozen=True, slots=True)
class _Figure:
    """What has limits: what it was and is, its range, the instrument's own error."""

    name: str
    unit: str
    was: float
    now: float
    low: float
    high: float
    error: float

    @property
    def wanted(self) -> float | None:
        """The limit that it is outside of, in the unit of the figure; None where it is inside. [of the figure]"""
        return self.low if self.now < self.low else self.high if self.now > self.high else None


def _figures(before: Read, last: Read, limits: Limits) -> list[_Figure]:
    out = [
        _Figure("air", "°C", before.air_temp_c, last.air_temp_c, *limits.air_c, INSTRUMENT_K),
        _Figure("humidity", "%", before.rh_pct, last.rh_pct, *limits.rh_pct, INSTRUMENT_PCT),
    ]
    if before.surface_temp_c is not None and last.surface_temp_c is not None:
        was, now = before.surface_temp_c, last.surface_temp_c
        margins = was - _dew_c(before), now - _dew_c(last)
        out.append(_Figure("surface", "°C", was, now, *limits.surface_c, INSTRUMENT_K))
        out.append(_Figure("dew margin", "K", *margins, limits.dew_margin_k, math.inf, INSTRUMENT_K))
    return out


def _dew_c(read: Read) -> Celsius:
    return float(dew_point(np.array(read.air_temp_c), np.array(read.rh_pct)))

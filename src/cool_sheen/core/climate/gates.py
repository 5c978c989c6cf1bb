"""The climate gate: when a climate is outside the limits of a film that is open, and what a start then meets."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from cool_sheen.core.climate.air import Floats
from cool_sheen.core.climate.series import Series
from cool_sheen.core.climate.sky import Exposure
from cool_sheen.core.units import Celsius, Kelvin, Percent

WIND_M_PER_S, GUST_M_PER_S = 5.0, 8.0  # outdoors; the gusts by shop rule
RAIN_MM_PER_H = 0.1  # what is less is no rain
SUN_SHARE = 0.2  # of a high sun in a clear sky: what is more is direct sun on the part. A shop rule


@dataclass(frozen=True, slots=True)
class Limits:
    """Ranges that air, surface, humidity and dew margin must keep while a film is open."""

    air_c: tuple[Celsius, Celsius]
    surface_c: tuple[Celsius, Celsius]
    rh_pct: tuple[Percent, Percent]
    dew_margin_k: Kelvin = 3.0


@dataclass(frozen=True, slots=True)
class Shut:
    """A stretch in which a coat may not start, and the first reason. Ends are seconds since 1970.

    Both ends are the last and the first instant at which a start is safe.
    """

    since_s: float
    to_s: float
    reason: str


@dataclass(frozen=True, slots=True)
class Breach:
    """A stretch in which the climate itself is outside a limit; ``to_s`` is infinite where the climate ends so.

    Until when a film minds it: until it is dew safe, or no longer than until it is dust free.
    """

    since_s: float
    to_s: float
    reason: str
    until_dust_free: bool = False


def breaches(climate: Series, limits: Limits, sky: Exposure | None = None) -> list[Breach]:
    """Find the stretches in which a climate is outside the limits.

    Args:
        climate: The climate at every instant at which a line may bend, and as finely as the dew point asks for.
        limits: What the product asks for.
        sky: What of the sky reaches the part; None for nothing.

    Returns: Stretches in order of their begin, each with its limit; several may overlap. Between two points a quantity
        runs straight, and a limit is crossed where the straight line crosses it. A value on the limit is inside.
    """
    margin = climate.surface_temp_c - climate.dew_point_c
    low, high = limits.air_c
    s_low, s_high = limits.surface_c
    over: list[tuple[str, Floats]] = [
        (f"air under {low:g} °C", low - climate.air_temp_c),
        (f"air over {high:g} °C", climate.air_temp_c - high),
        (f"surface under {s_low:g} °C", s_low - climate.surface_temp_c),
        (f"surface over {s_high:g} °C", climate.surface_temp_c - s_high),
        (f"humidity under {limits.rh_pct[0]:g} %", limits.rh_pct[0] - climate.rh_pct),
        (f"humidity over {limits.rh_pct[1]:g} %", climate.rh_pct - limits.rh_pct[1]),
        (f"dew margin under {limits.dew_margin_k:g} K", limits.dew_margin_k - margin),
    ]
    found = [Breach(*ends, words) for words, by in over for ends in _positive(climate.at_s, by)]
    return sorted([*found, *_by_the_sky(sky)], key=lambda b: b.since_s)


def _by_the_sky(sky: Exposure | None) -> list[Breach]:
    """Wind, gusts and rain until a film is dew safe; direct sun until it is dust free: after that it helps."""
    if sky is None:
        return []
    over: list[tuple[str, Floats, bool]] = [
        (f"wind over {WIND_M_PER_S:g} m/s", sky.wind_m_per_s - WIND_M_PER_S, False),
        (f"gusts over {GUST_M_PER_S:g} m/s", sky.gust_m_per_s - GUST_M_PER_S, False),
        ("rain", sky.rain_mm_per_h - RAIN_MM_PER_H, False),
        ("direct sun", sky.sun - SUN_SHARE, True),
    ]
    return [Breach(*ends, words, dust) for words, by, dust in over for ends in _positive(sky.at_s, by)]


def _positive(at_s: Floats, by: Floats) -> list[tuple[float, float]]:
    """Stretches in which a broken line is above nought; the last one has no end where the line ends above it."""
    inside = by > 0
    if not inside.any():
        return []
    edges = np.flatnonzero(np.diff(np.concatenate([[False], inside, [False]]).astype(int)))
    out = []
    for begin, end in zip(edges[::2].tolist(), edges[1::2].tolist(), strict=True):
        since = -np.inf if begin == 0 else _crossing(at_s, by, begin - 1)
        to = np.inf if end == len(by) else _crossing(at_s, by, end - 1)
        out.append((float(since), float(to)))
    return out


def _crossing(at_s: Floats, by: Floats, left: int) -> float:
    one, other = float(by[left]), float(by[left + 1])  # of which one alone is above nought
    share = one / (one - other)
    return float(at_s[left] + share * (at_s[left + 1] - at_s[left]))


def first_met(found: Sequence[Breach], since_s: float, until_s: float, dust_free_s: float) -> Breach | None:
    """Return the first breach that a film meets which is open between two instants; None when it meets none.

    Args:
        found: Breaches in order of their begin.
        since_s: When the film begins to be open. [s since 1970]
        until_s: When it is dew safe. [s since 1970]
        dust_free_s: When it is dust free. [s since 1970]
    """
    met = (b for b in found if b.to_s > since_s and b.since_s < (dust_free_s if b.until_dust_free else until_s))
    return next(met, None)

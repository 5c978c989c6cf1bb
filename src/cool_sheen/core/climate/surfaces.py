"""What a part's surface sees and is: stays in several spaces put together, and a surface that lags and was measured."""

from collections.abc import Sequence

import numpy as np

from cool_sheen.core.climate.air import Floats
from cool_sheen.core.climate.rooms import bends, surface_temperature
from cool_sheen.core.climate.series import JUST_BEFORE_S, Series
from cool_sheen.core.climate.sky import Exposure
from cool_sheen.core.units import Celsius, Hours

_JUMP_S = 1.5 * JUST_BEFORE_S


def airs_joined(pieces: Sequence[Series]) -> Series:
    """The air of one stay after the other."""
    columns = zip(*((p.at_s, p.air_temp_c, p.rh_pct) for p in pieces), strict=True)
    return Series(*(np.concatenate(column) for column in columns))


def skies_joined(pieces: Sequence[Exposure]) -> Exposure:
    """What of the sky reaches a part in one stay after the other."""
    columns = zip(
        *((p.at_s, p.wind_m_per_s, p.gust_m_per_s, p.rain_mm_per_h, p.sun, p.night_k) for p in pieces), strict=True
    )
    return Exposure(*(np.concatenate(column) for column in columns))


def surface_seen(
    air: Series, lag_h: Hours, sky: Exposure | None = None, read: Sequence[tuple[float, Celsius]] = ()
) -> Series:
    """The air that a part sees, over its surface.

    Args:
        air: The air; where it jumps it has a knot on both sides.
        lag_h: How the surface follows it. [h, 0 for none]
        sky: What of the sky reaches the part; None for nothing.
        read: When the surface itself was measured, and what it was: it goes on from there. [s since 1970, °C]

    Returns: The same air at more instants: after each jump and each reading finely, since a surface that follows a jump
        is no straight line.
    Source: docs/trade.md, Surfaces and rooms.
    """
    first, last = float(air.at_s[0]), float(air.at_s[-1])
    read = sorted({at: temp for at, temp in read if first < at < last}.items())  # of one instant the last word counts
    measured = np.array([at for at, _ in read])
    jumps = air.at_s[1:][np.diff(air.at_s) < _JUMP_S]
    knots = [air.at_s, bends(jumps, lag_h), measured, measured - JUST_BEFORE_S, bends(measured, lag_h)]
    at = np.unique(np.concatenate(knots))
    seen = air.sampled(at[(at >= first) & (at <= last)])
    offset = np.zeros(len(seen.at_s)) if sky is None else sky.sampled(seen.at_s).offset_k
    begins = [0, *np.searchsorted(seen.at_s, measured).tolist()]
    starts = [None, *(temp for _, temp in read)]
    surface = [
        _marched(seen, offset, begin, end, lag_h, start)
        for begin, end, start in zip(begins, [*begins[1:], len(seen.at_s)], starts, strict=True)
    ]
    return seen.with_surface(np.concatenate(surface))


def _marched(air: Series, offset: Floats, begin: int, end: int, lag_h: Hours, start_c: Celsius | None) -> Floats:
    part = Series(air.at_s[begin:end], air.air_temp_c[begin:end], air.rh_pct[begin:end])
    # A surface without a lag is at the air's temperature a moment after it was measured.
    return surface_temperature(part, lag_h, offset[begin:end], start_c)

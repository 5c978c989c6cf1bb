"""How a room follows the weather, and how a surface follows its air."""

import math
from dataclasses import dataclass

import numpy as np

from cool_sheen.core.climate.air import Floats, humidity_ratio, relative_humidity
from cool_sheen.core.climate.series import Series
from cool_sheen.core.units import Celsius, Hours, Kelvin, Percent

# Thermal lag of a part's surface by what it is made of (surface follows air; hours).
SURFACE_LAG_H: dict[str, Hours] = {
    "sheet_metal": 0.25,
    "glass_fibre": 0.35,
    "timber": 0.8,
    "casting": 2.5,
    "masonry": 6.0,
}

# Lag of the air in a space behind the air outdoors.
SPACE_LAG_H: dict[str, Hours] = {
    "outdoors": 0.0,
    "open_shed": 1.0,
    "garage": 6.0,
    "insulated_shop": 12.0,
    "booth": 12.0,
}


@dataclass(frozen=True, slots=True)
class Room:
    """What the space model needs to know of a space."""

    lag_h: Hours
    heater_min_c: Celsius | None = None
    dehumidifier_max_rh_pct: Percent | None = None


def surface_temperature(
    series: Series, lag_h: Hours, offset_k: Kelvin | Floats = 0, start_c: Celsius | None = None
) -> Floats:
    """Temperature of a part's surface along a climate series.

    Args:
        series: The air. Its own surface temperatures are ignored.
        lag_h: Time constant of the part. [h, 0 for none]
        offset_k: What sky or sun adds to the air, for all points or for each. [K]
        start_c: Surface at the first point; the air's when None. [°C]

    Returns: One temperature a point. [°C]
    Source: docs/trade.md, Surfaces and rooms: dTs/dt = (Ta + offset - Ts) / tau, solved exactly.
    """
    target = series.air_temp_c + offset_k
    if lag_h == 0:
        return target
    first = float(series.air_temp_c[0]) if start_c is None else start_c
    return _follow(series.at_s, target, lag_h, first, floor=-math.inf)


def room_climate(outdoor: Series, room: Room, start_temp_c: Celsius | None = None) -> Series:
    """Climate of a space that follows the weather outdoors.

    Args:
        outdoor: The weather.
        room: Lag, heater, dehumidifier.
        start_temp_c: Indoor air at the first point; the outdoor air's when None. [°C]

    Returns: Indoor air at the same instants; its surfaces are at the air's temperature.
    Source: docs/trade.md, Surfaces and rooms: first-order lag, with the outdoor humidity ratio of the same instant at
        101325 Pa.
    """
    floor = -math.inf if room.heater_min_c is None else room.heater_min_c
    first = float(outdoor.air_temp_c[0]) if start_temp_c is None else start_temp_c
    if room.lag_h == 0:
        air = np.maximum(outdoor.air_temp_c, floor)
    else:
        air = _follow(outdoor.at_s, outdoor.air_temp_c, room.lag_h, first, floor)
    rh = relative_humidity(air, humidity_ratio(outdoor.air_temp_c, outdoor.rh_pct))
    if room.dehumidifier_max_rh_pct is not None:
        rh = np.minimum(rh, room.dehumidifier_max_rh_pct)
    return Series(outdoor.at_s, air, rh)


def _follow(at_s: Floats, target: Floats, lag_h: Hours, first: float, floor: float) -> Floats:
    """March a first-order lag behind a piecewise linear target, never below ``floor``.

    With target a + b s over a step of h: T(h) = a + b (h - tau) + (T0 - a + b tau) exp(-h / tau).
    """
    steps = np.diff(at_s) / 3600
    decay = np.exp(-steps / lag_h)
    slopes = np.diff(target) / steps
    settled = target[1:] - slopes * lag_h  # where the lag ends when the step is long
    begun = target[:-1] - slopes * lag_h
    state = max(first, floor)
    out = [state]
    for d, end, start in zip(decay.tolist(), settled.tolist(), begun.tolist(), strict=True):
        state = max(end + (state - start) * d, floor)
        out.append(state)
    return np.array(out)

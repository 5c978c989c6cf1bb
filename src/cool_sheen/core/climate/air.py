"""Moist air: the one place that knows PsychroLib, and its formulas over whole arrays."""

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
import psychrolib  # noqa: TID251 - this is the wrapper
from numpy.typing import NDArray

from cool_sheen.core.errors import OutOfRange
from cool_sheen.core.units import SEA_LEVEL_PA, Celsius, Kelvin, Pascal, Percent

if TYPE_CHECKING:
    from collections.abc import Callable

psychrolib.SetUnitSystem(psychrolib.SI)

Floats = NDArray[np.float64]

# ASHRAE Handbook of Fundamentals (2017) ch. 1, eqn 5 (over ice, below the triple point) and 6 (over water).
_ICE = (-5.6745359e3, 6.3925247, -9.677843e-3, 6.2215701e-7, 2.0747825e-9, -9.484024e-13, 4.1635019)
_WATER = (-5.8002206e3, 1.3914993, -4.8640239e-2, 4.1764768e-5, -1.4452093e-8, 0.0, 6.5459673)
_TRIPLE_POINT_C = 0.01
_WATER_TO_AIR = 0.621945


@dataclass(frozen=True, slots=True)
class Air:
    """What a temperature and a humidity say about the air."""

    dew_point_c: Celsius
    humidity_ratio_g_per_kg: float
    saturation_pressure_pa: Pascal
    dew_margin_k: Kelvin | None


def _checked(function: "Callable[..., float]", *arguments: float) -> float:
    try:
        return float(function(*arguments))
    except ValueError as error:
        message = f"There is no psychrometric figure for this air ({error}). Enter air nearer to a workshop's."
        raise OutOfRange(message, "rh_pct") from error


def describe_air(
    air_temp_c: Celsius, rh_pct: Percent, surface_temp_c: Celsius | None = None, pressure_pa: Pascal = SEA_LEVEL_PA
) -> Air:
    """Dew point, moisture and dew margin of air.

    Args:
        air_temp_c: Air temperature. [°C, -100 to 200]
        rh_pct: Relative humidity, over ice below 0 °C. [%, above 0 to 100]
        surface_temp_c: Temperature of the part's surface, if it is known. [°C]
        pressure_pa: Barometric pressure. [Pa, above 0]

    Returns: Dew point [°C; frost point below 0 °C], humidity ratio [g/kg], saturation pressure [Pa], dew margin [K].
    Raises: OutOfRange: humidity of nought or over 100, or a state that PsychroLib cannot solve.
    Source: ASHRAE Handbook of Fundamentals (2017) ch. 1, from PsychroLib.
    """
    if not 0 < rh_pct <= 100:
        raise OutOfRange(f"A relative humidity of {rh_pct:g} % is not above 0 and up to 100 %.", "rh_pct")
    rh = rh_pct / 100
    dew_point = _checked(psychrolib.GetTDewPointFromRelHum, air_temp_c, rh)
    saturation = _checked(psychrolib.GetSatVapPres, air_temp_c)
    if rh * saturation >= pressure_pa:
        raise OutOfRange(
            f"At {pressure_pa:g} Pa the air cannot hold {rh_pct:g} % at {air_temp_c:g} °C: it would be all vapour.",
            "pressure_pa",
        )
    ratio = _checked(psychrolib.GetHumRatioFromRelHum, air_temp_c, rh, pressure_pa)
    margin = None if surface_temp_c is None else surface_temp_c - dew_point
    return Air(dew_point, 1000 * ratio, saturation, margin)


def saturation_pressure(temp_c: Floats) -> Floats:
    """Saturation vapour pressure over ice or water, for whole arrays.

    Args:
        temp_c: Temperatures. [°C, -100 to 200]

    Returns: Pressures, of the same shape. [Pa]
    Source: ASHRAE Handbook of Fundamentals (2017) ch. 1, eqn 5 and 6; agrees with PsychroLib.
    """
    temp_c = np.asarray(temp_c, dtype=float)
    kelvin = temp_c + 273.15
    over_ice = temp_c <= _TRIPLE_POINT_C
    logarithm = _fit(kelvin, _WATER)
    if np.any(over_ice):
        logarithm = np.where(over_ice, _fit(kelvin, _ICE), logarithm)
    return np.asarray(np.exp(logarithm))


def _fit(kelvin: Floats, c: tuple[float, ...]) -> Floats:
    series = c[0] / kelvin + c[1] + kelvin * (c[2] + kelvin * (c[3] + kelvin * (c[4] + kelvin * c[5])))
    return np.asarray(series + c[6] * np.log(kelvin))


def humidity_ratio(temp_c: Floats, rh_pct: Floats, pressure_pa: Pascal = SEA_LEVEL_PA) -> Floats:
    """Mass of water by mass of dry air, for whole arrays.

    Args:
        temp_c: Air temperatures. [°C]
        rh_pct: Relative humidities. [%, 0 to 100]
        pressure_pa: Barometric pressure. [Pa]

    Returns: Ratios, never negative. [kg/kg]
    Source: ASHRAE Handbook of Fundamentals (2017) ch. 1, eqn 20.
    """
    vapour = np.asarray(rh_pct) / 100 * saturation_pressure(temp_c)
    return np.asarray(_WATER_TO_AIR * vapour / np.maximum(pressure_pa - vapour, 1.0))


def relative_humidity(temp_c: Floats, ratio: Floats, pressure_pa: Pascal = SEA_LEVEL_PA) -> Floats:
    """Relative humidity of air that holds this much water, capped at 100, for whole arrays.

    Args:
        temp_c: Air temperatures. [°C]
        ratio: Humidity ratios. [kg/kg]
        pressure_pa: Barometric pressure. [Pa]

    Returns: Relative humidities. [%, 0 to 100]
    Source: ASHRAE Handbook of Fundamentals (2017) ch. 1, eqn 20 solved for the vapour pressure.
    """
    ratio = np.asarray(ratio)
    vapour = pressure_pa * ratio / (_WATER_TO_AIR + ratio)
    return np.asarray(np.clip(100 * vapour / saturation_pressure(temp_c), 0, 100))


def dew_point(temp_c: Floats, rh_pct: Floats) -> Floats:
    """Temperature at which this air leaves water (below 0 °C: frost) on a surface, for whole arrays.

    Args:
        temp_c: Air temperatures. [°C, -60 to 80]
        rh_pct: Relative humidities; nought is taken as a trace. [%, 0 to 100]

    Returns: Dew points, never above the air. [°C]
    Source: ASHRAE eqn 5 and 6, inverted on a table of 0.05 K steps; within 0.005 K of PsychroLib.
    """
    vapour = np.maximum(np.asarray(rh_pct), 1e-3) / 100 * saturation_pressure(temp_c)
    return np.asarray(np.minimum(np.interp(np.log(vapour), _TABLE_LN_PA, _TABLE_C), temp_c))


_TABLE_C = np.arange(-100.0, 120.0, 0.05)
_TABLE_LN_PA = np.log(saturation_pressure(_TABLE_C))

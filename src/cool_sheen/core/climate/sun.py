"""The sun over a place: when it rises and sets, and how high it stands."""

from dataclasses import dataclass
from datetime import datetime
from functools import lru_cache
from zoneinfo import ZoneInfo

import numpy as np
from astral import Observer
from astral.sun import elevation, sunrise, sunset

from cool_sheen.core.climate.air import Floats
from cool_sheen.core.climate.series import instant
from cool_sheen.core.errors import OutOfRange

STEP_S = 1800.0
_DAY_S, _A_DAY = 86_400.0, 48


@dataclass(frozen=True, slots=True)
class SunTimes:
    """Sunrise and sunset of a day; None where the sun does neither."""

    rises: datetime | None
    sets: datetime | None


def sun_times(day: datetime, latitude: float, longitude: float, zone: ZoneInfo) -> SunTimes:
    """When the sun rises and sets on the day of an instant.

    Args:
        day: Any instant of the day.
        latitude: North is positive. [degrees]
        longitude: East is positive. [degrees]
        zone: Whose day it is.

    Raises: OutOfRange: no place on earth.
    Source: the Astral package.
    """
    place = _place(latitude, longitude)
    date = day.astimezone(zone).date()

    def when(event: object) -> datetime | None:
        try:
            return event(place, date=date, tzinfo=zone)  # type: ignore[operator,no-any-return]
        except ValueError:  # polar day or night
            return None

    return SunTimes(when(sunrise), when(sunset))


def is_winter(at: datetime, latitude: float | None) -> bool:
    """Whether it is the cold half of the year: November to March, in the south May to September."""
    return at.month in ((5, 6, 7, 8, 9) if latitude is not None and latitude < 0 else (11, 12, 1, 2, 3))


def sun_sine(at_s: Floats, latitude: float, longitude: float) -> Floats:
    """Sine of the height of the sun.

    Args:
        at_s: Instants. [s since 1970]
        latitude: North is positive. [degrees]
        longitude: East is positive. [degrees]

    Returns: One figure an instant, under nought by night. [1]
    Source: docs/trade.md, Surfaces and rooms; the height of the sun by the Astral package, every half hour.
    """
    _place(latitude, longitude)
    days = range(int(at_s[0] // _DAY_S), int((at_s[-1] + STEP_S) // _DAY_S) + 1)
    heights = np.concatenate([_heights(latitude, longitude, day) for day in days])
    coarse = days[0] * _DAY_S + STEP_S * np.arange(len(heights))
    return np.asarray(np.sin(np.radians(np.interp(at_s, coarse, heights))))


@lru_cache(maxsize=800)
def _heights(latitude: float, longitude: float, day: int) -> Floats:
    """Height of the sun at every half hour of a day since 1970, in UTC: it goes the same way at each look. [degrees]"""
    place = _place(latitude, longitude)
    return np.array([elevation(place, instant(day * _DAY_S + STEP_S * n)) for n in range(_A_DAY)])


def _place(latitude: float, longitude: float) -> Observer:
    if not (-90 <= latitude <= 90 and -180 <= longitude <= 180):
        raise OutOfRange("A place has a latitude from -90 to 90 and a longitude from -180 to 180.", "latitude")
    return Observer(latitude, longitude)

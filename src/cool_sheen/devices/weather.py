"""A simulated forecast and a simulated thermo-hygrometer: the same seed gives the same weather, at any instant."""

import math
from dataclasses import dataclass
from datetime import datetime

import numpy as np

from cool_sheen.core.climate.air import Floats, relative_humidity
from cool_sheen.core.climate.air import humidity_ratio as ratio_of
from cool_sheen.core.climate.corrections import Readings
from cool_sheen.core.climate.series import Series, seconds
from cool_sheen.core.climate.sky import Sky

_DAY_S = 86_400.0
_YEAR_S = 365.2422 * _DAY_S
_COLDEST_S = 20 * _DAY_S  # around the twentieth of January
_WARMEST_OF_DAY_S = 15 * 3600.0
_STAND_IN_RANK = 3


def _wobble(at_s: Floats, seed: int, periods_h: tuple[float, ...]) -> Floats:
    """Smooth noise of about unit size that needs no memory: sines with seeded phases."""
    phases = np.random.default_rng(seed).uniform(0, 2 * math.pi, len(periods_h))
    waves = [np.sin(2 * math.pi * at_s / 3600 / p + phase) for p, phase in zip(periods_h, phases, strict=True)]
    return np.asarray(np.sum(waves, axis=0) / math.sqrt(len(periods_h)))


@dataclass(frozen=True, slots=True)
class SimulatedForecast:
    """Weather of a temperate inland place, north of the equator."""

    seed: int
    zone_offset_s: float = 3600.0

    def hourly(self, since: datetime, until: datetime) -> Series:
        """Return the weather of each full hour between two instants."""
        at = _full_hours(since, until)
        season = -np.cos(2 * math.pi * (at - _COLDEST_S) / _YEAR_S)
        course = np.cos(2 * math.pi * (at + self.zone_offset_s - _WARMEST_OF_DAY_S) / _DAY_S)
        front = _wobble(at, self.seed, (61.0, 97.0, 151.0, 233.0))
        gust = _wobble(at, self.seed + 1, (5.0, 7.7, 13.0))
        air = 10.5 + 8.5 * season + 3.2 * front + (3.4 + 1.6 * season) * course + 0.4 * gust
        moisture = 7.5 + 7.5 * season + 3.0 * front - 0.9 + 1.4 * _wobble(at, self.seed + 2, (43.0, 71.0, 119.0))
        dew = np.minimum(moisture, air - 0.6)
        rh = relative_humidity(air, ratio_of(dew, np.full_like(dew, 100.0)))
        return Series(at, air, np.clip(rh, 25, 99))

    def sky(self, since: datetime, until: datetime) -> Sky:
        """Return wind, gusts, rain and cloud of each full hour between two instants: damp air, a covered sky."""
        air = self.hourly(since, until)
        at = air.at_s
        course = np.cos(2 * math.pi * (at + self.zone_offset_s - _WARMEST_OF_DAY_S) / _DAY_S)
        wind = 2.6 + 1.1 * course + 1.0 * _wobble(at, self.seed + 3, (11.0, 31.0, 67.0, 139.0))
        wind = np.clip(wind, 0.2, None)
        squall = np.clip(_wobble(at, self.seed + 4, (3.1, 7.3, 17.0)), 0, None)
        damp = (air.rh_pct - 50) / 45
        cloud = np.clip(damp + 0.25 * _wobble(at, self.seed + 5, (9.0, 23.0, 53.0)), 0, 1)
        rain = np.clip(4.0 * (damp + 0.3 * _wobble(at, self.seed + 6, (6.0, 19.0)) - 1.05), 0, None)
        return Sky(at, wind, wind * (1.4 + 0.25 * squall), rain, cloud)


def _full_hours(since: datetime, until: datetime) -> Floats:
    first = math.floor(seconds(since) / 3600) * 3600.0
    return np.arange(first, seconds(until) + 3600.0, 3600.0)


@dataclass(frozen=True, slots=True)
class SimulatedThermoHygrometer:
    """An instrument that hangs in a space and reads it every ten minutes, a little off the model of the room."""

    seed: int

    def readings(self, room: Series, since: datetime, until: datetime) -> Readings:
        """Return what it read between two instants; nothing of the future is asked of it."""
        at = np.arange(math.ceil(seconds(since) / 600) * 600.0, seconds(until), 600.0)
        true = room.sampled(at)
        air = true.air_temp_c + 0.5 * _wobble(at, self.seed, (1.7, 4.1, 9.0))
        rh = true.rh_pct + 2.0 * _wobble(at, self.seed + 7, (2.3, 5.9, 11.0))
        return Readings(_STAND_IN_RANK, at, np.round(air, 1), np.clip(np.round(rh), 1, 100))

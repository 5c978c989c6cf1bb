"""What was measured in a space, and seen of the sky: typed readings and records that were brought in."""

from collections.abc import Callable
from datetime import datetime, timedelta
from uuid import UUID

import numpy as np

from cool_sheen.core.climate.air import Floats
from cool_sheen.core.climate.corrections import BRIDGED_S, Readings
from cool_sheen.core.climate.series import instant, seconds
from cool_sheen.core.climate.sky import Sky
from cool_sheen.core.log.entries import ClimateReadingPayload, SkySeen
from cool_sheen.core.log.standing import unvoided
from cool_sheen.service.unit import Unit
from cool_sheen.service.weather_now import SENSOR_BACK, Weather
from cool_sheen.store import changes, log
from cool_sheen.store import climate as records
from cool_sheen.store.models import Space

_TYPED_RANK, _IMPORT_RANK = 0, 2
_SOURCES = {_TYPED_RANK: "reading", _IMPORT_RANK: "record"}


def typed_readings(unit: Unit) -> list[tuple[datetime, ClimateReadingPayload]]:
    """Return the readings that were typed and stand, in order of time."""
    number = changes.generations(unit.session).get(changes.AIR, 0)

    def read() -> list[tuple[datetime, ClimateReadingPayload]]:
        rows = unvoided(log.of_kind(unit.session, "climate_reading"))
        said = ((row.entry.occurred_at, row.entry.payload) for row in rows)
        return [(at, payload) for at, payload in said if isinstance(payload, ClimateReadingPayload)]

    found: list[tuple[datetime, ClimateReadingPayload]] = unit.kept.get(
        ("typed", number), read, lambda rows: 2_000 * len(rows)
    )
    return found


def records_of(unit: Unit, space: UUID, since: datetime, until: datetime) -> list[Readings]:
    """Imports and typed readings of a space."""
    taken = records.taken_points(unit.session, since, until, space)
    typed = [(at, said.air_temp_c, said.rh_pct) for at, said in typed_readings(unit) if said.space == space]
    return [readings_of(rank, rows) for rank, rows in ((_TYPED_RANK, typed), (_IMPORT_RANK, taken)) if rows]


def readings_of(rank: int, rows: list[tuple[datetime, float, float]]) -> Readings:
    """Return rows of time, air [C] and humidity [%] as readings of a rank."""
    at, air, rh = zip(*sorted(rows), strict=True)
    return Readings(rank, np.array([seconds(a) for a in at]), np.array(air, float), np.array(rh, float))


def measured_spans(unit: Unit, space: Space, since: datetime, weather: Weather) -> list[tuple[datetime, datetime, str]]:
    """Return the stretches in which a space was measured, each with its source; over three hours apart is a gap."""
    rows = [
        (instant(float(t)), _SOURCES[r.rank]) for r in records_of(unit, space.uuid, since, weather.tick) for t in r.at_s
    ]
    if space.has_sensor:
        first = min((at for at, _ in rows), default=weather.tick)
        rows += [(max(since, weather.tick - SENSOR_BACK), "sensor"), (min(first, weather.tick), "sensor")]
    out: list[tuple[datetime, datetime, str]] = []
    for source in ("reading", "record", "sensor"):
        mine = sorted(at for at, whose in rows if whose == source and at >= since)
        for at in mine:
            joined = source == "sensor" or (out and at - out[-1][1] <= timedelta(seconds=BRIDGED_S))
            if out and out[-1][2] == source and joined:
                out[-1] = (out[-1][0], at, source)
            else:
                out.append((at, at, source))
    return out


def sightings(unit: Unit, yards: set[UUID]) -> Sky:
    """What was seen of the sky, by whoever typed a reading outdoors."""
    said = [(seconds(at), r.sky) for at, r in typed_readings(unit) if r.space in yards and r.sky is not None]

    def column(of: Callable[[SkySeen], float | None]) -> Floats:
        return np.array([of(sky) for _, sky in said], dtype=float)

    wind = column(lambda s: s.wind_m_per_s)
    cloud = column(lambda s: None if s.cloud_pct is None else s.cloud_pct / 100)
    return Sky(np.array([at for at, _ in said]), wind, wind, column(lambda s: s.rain_mm_per_h), cloud)

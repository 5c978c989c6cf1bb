"""The air that a project rests on: the weather outside of each shop, and what hung and was read in its spaces."""

from collections.abc import Collection, Iterable
from dataclasses import dataclass
from datetime import datetime
from uuid import UUID, uuid5

import numpy as np
from sqlalchemy import select

from cool_sheen.core.climate.series import instant, seconds
from cool_sheen.formats.project_document import ReadSaid, RecordSaid, ShopSaid, WeatherSaid
from cool_sheen.service.climate import sensor_readings
from cool_sheen.service.outside import outside_of
from cool_sheen.service.unit import Unit
from cool_sheen.service.weather_now import RUN_IN, newest_weather, span_of
from cool_sheen.store.elsewhere import COLUMNS, weather
from cool_sheen.store.models import ClimateImport, ClimatePoint, ShopElsewhere, Space

_DIGITS = 4  # finer than any instrument, and than any clock minds
_SENSOR = "sensor"


@dataclass(frozen=True, slots=True)
class Stretch:
    """From when until when the air counts; ``as_it_came`` when nothing was written since it was brought in."""

    since: datetime
    until: datetime
    as_it_came: bool


def shops_of(unit: Unit, spaces: Iterable[Space], stretch: Stretch) -> tuple[ShopSaid, ...]:
    """Return the shops whose spaces these are, each with its weather."""
    named = {space.elsewhere_uuid for space in spaces}
    return tuple(sorted((_shop(unit, uuid, stretch) for uuid in named), key=lambda shop: shop.uuid.hex))


def _shop(unit: Unit, elsewhere: UUID | None, stretch: Stretch) -> ShopSaid:
    shop = unit.the_shop if elsewhere is None else unit.session.get_one(ShopElsewhere, elsewhere)
    return ShopSaid(
        uuid=shop.uuid,
        name=shop.name,
        latitude=shop.latitude,
        longitude=shop.longitude,
        weather=tuple(_weather(unit, elsewhere, stretch)),
    )


def _weather(unit: Unit, elsewhere: UUID | None, stretch: Stretch) -> list[WeatherSaid]:
    if elsewhere is not None and stretch.as_it_came:
        rows = weather(unit.session, elsewhere, stretch.since, stretch.until)
        return [WeatherSaid.model_construct(at=at, **dict(zip(COLUMNS, figures, strict=True))) for at, *figures in rows]
    span = span_of(stretch.since + RUN_IN, None, newest_weather(unit))
    outside = outside_of(unit, span, elsewhere)
    knots = np.unique(np.concatenate([outside.air.at_s, outside.sky.at_s]))
    ends = max(seconds(stretch.since), float(knots[0])), seconds(stretch.until)
    at = np.unique(np.concatenate([knots[(knots > ends[0]) & (knots < ends[1])], ends]))
    air, sky = outside.air.sampled(at), outside.sky.sampled(at)
    columns = (air.air_temp_c, air.rh_pct, sky.wind_m_per_s, sky.gust_m_per_s, sky.rain_mm_per_h, 100 * sky.cloud)
    rows = np.round(np.column_stack(columns), _DIGITS).tolist()
    return [
        WeatherSaid.model_construct(at=instant(round(s, 3)), **dict(zip(COLUMNS, figures, strict=True)))
        for s, figures in zip(at.tolist(), rows, strict=True)
    ]


def records_of_spaces(unit: Unit, spaces: Collection[Space], stretch: Stretch) -> tuple[RecordSaid, ...]:
    """Return the records that were brought in for these spaces, cut to the stretch, and what their sensors read."""
    query = select(ClimateImport).where(
        ClimateImport.kind == "record",
        ClimateImport.state == "taken",
        ClimateImport.space_uuid.in_([space.uuid for space in spaces]),
    )
    found = unit.session.scalars(query.order_by(ClimateImport.recorded_at, ClimateImport.uuid))
    records = [_record(unit, row, stretch) for row in found]
    sensors = [_sensor(unit, space, stretch) for space in spaces if space.has_sensor]
    return tuple(record for record in [*records, *sensors] if record is not None and record.points)


def _record(unit: Unit, row: ClimateImport, stretch: Stretch) -> RecordSaid:
    columns = [getattr(ClimatePoint, name) for name in ReadSaid.model_fields]
    within = ClimatePoint.at.between(stretch.since, stretch.until)
    query = select(*columns).where(ClimatePoint.import_uuid == row.uuid, within).order_by(ClimatePoint.at)
    points = tuple(ReadSaid.model_construct(**said._mapping) for said in unit.session.execute(query))
    return RecordSaid(
        uuid=row.uuid,
        space=row.space_uuid,
        file_name=row.file_name[:200],
        content_hash=row.content_hash,
        recorded_at=row.recorded_at,
        points=points,
    )


def _sensor(unit: Unit, space: Space, stretch: Stretch) -> RecordSaid | None:
    """What the sensor of a space read: it hangs there, and its readings go along as a record."""
    read = sensor_readings(unit, space, newest_weather(unit))
    at = [instant(float(s)) for s in read.at_s] if read is not None else []
    points = (
        tuple(
            ReadSaid.model_construct(at=t, air_temp_c=air, rh_pct=rh)
            for t, air, rh in zip(at, read.air_temp_c.tolist(), read.rh_pct.tolist(), strict=True)
            if stretch.since <= t <= stretch.until
        )
        if read is not None
        else ()
    )
    if not points:
        return None
    name = uuid5(space.uuid, f"{_SENSOR} {points[-1].at.isoformat()}")
    return RecordSaid(
        uuid=name,
        space=space.uuid,
        file_name=_SENSOR,
        content_hash=name.hex * 2,
        recorded_at=points[-1].at,
        points=points,
    )

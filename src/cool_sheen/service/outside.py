"""The weather outside: forecast and typical year, overruled by what was measured and seen."""

from dataclasses import dataclass
from typing import Any
from uuid import UUID

import numpy as np
from sqlalchemy import select

from cool_sheen.core.climate.air import Floats
from cool_sheen.core.climate.corrections import believed, corrected
from cool_sheen.core.climate.series import Series, seconds
from cool_sheen.core.climate.sky import Exposure, Sky, as_seen, exposed, overruled
from cool_sheen.core.climate.sun import STEP_S, sun_sine
from cool_sheen.devices.weather import SimulatedForecast
from cool_sheen.service.measured import readings_of, records_of, sightings
from cool_sheen.service.unit import Unit
from cool_sheen.service.weather_now import RUN_IN, Span
from cool_sheen.store import climate as records
from cool_sheen.store.elsewhere import weather
from cool_sheen.store.models import ShopElsewhere, Space

_USUAL_GUST = 1.4  # times the wind


@dataclass(frozen=True, slots=True)
class Outside:
    """The weather outside: its air, and what the sky does to a part that stands in the open."""

    air: Series
    sky: Sky
    exposure: Exposure


def outside_of(unit: Unit, span: Span, elsewhere: UUID | None = None) -> Outside:
    """Return the weather outside in a stretch.

    Args:
        unit: The unit of work.
        span: The stretch.
        elsewhere: The shop whose weather it is; this one's when None.
    """

    def make() -> Outside:
        return _here(unit, span) if elsewhere is None else _there(unit, span, elsewhere)

    found: Outside = unit.kept.get(("outdoor", elsewhere, *span.key), make, lambda o: 4 * bytes_of(o.air))
    return found


def _here(unit: Unit, span: Span) -> Outside:
    since, until = span.since - RUN_IN, span.until
    shop = unit.shop
    seed = shop.weather_seed if shop else 0
    stand_in = SimulatedForecast(seed)
    forecast, sky = stand_in.hourly(since, until), stand_in.sky(since, until)
    for kind in ("typical_year", "forecast"):  # each overrules the one before where it speaks
        if points := records.taken_points(unit.session, since, until, kind=kind):
            forecast = corrected(forecast, readings_of(0, points))
            sky = overruled(sky, _sky_of(records.taken_sky(unit.session, since, until, kind)))
    own = unit.session.scalars(select(Space.uuid).where(Space.elsewhere_uuid.is_(None)))
    if rows := records.taken_sky(unit.session, since, until, "record", own):
        sky = overruled(sky, _measured_sky(rows))
    yards = _yards(unit, None)
    air, sky = _as_measured(unit, span, yards, forecast, sky)
    place = (shop.latitude, shop.longitude) if shop else (None, None)
    return Outside(air, sky, _exposed(sky, air, *place))


def _there(unit: Unit, span: Span, shop: UUID) -> Outside:
    """The weather of another shop: as it knew it, as far as that goes; beyond, that of here."""
    here, place = outside_of(unit, span), unit.session.get_one(ShopElsewhere, shop)
    air, sky = here.air, here.sky
    if rows := weather(unit.session, shop, span.since - RUN_IN, span.until):
        at, temp, rh, wind, gust, rain, cloud = zip(*rows, strict=True)
        at_s = np.array([seconds(a) for a in at])
        air = air.replaced_by(Series(at_s, np.array(temp), np.array(rh)))
        sky = sky.replaced_by(Sky(at_s, np.array(wind), np.array(gust), np.array(rain), np.array(cloud) / 100))
    air, sky = _as_measured(unit, span, _yards(unit, shop), air, sky)
    return Outside(air, sky, _exposed(sky, air, place.latitude, place.longitude))


def _yards(unit: Unit, shop: UUID | None) -> set[UUID]:
    """The places in the open of a shop."""
    mine = Space.elsewhere_uuid.is_not_distinct_from(shop)
    return set(unit.session.scalars(select(Space.uuid).where(Space.kind == "outdoors", mine)))


def _as_measured(unit: Unit, span: Span, yards: set[UUID], air: Series, sky: Sky) -> tuple[Series, Sky]:
    """The weather, overruled by what was measured in the open, and seen."""
    sources = [reading for yard in yards for reading in records_of(unit, yard, span.since - RUN_IN, span.until)]
    return corrected(air, believed(sources)), as_seen(sky, sightings(unit, yards))


def _exposed(sky: Sky, air: Series, latitude: float | None, longitude: float | None) -> Exposure:
    if latitude is None or longitude is None:
        return exposed(sky, np.zeros(len(sky.at_s)))
    knots = np.arange(float(air.at_s[0]), float(air.at_s[-1]), STEP_S)
    fine = sky.sampled(np.unique(np.concatenate([sky.at_s, knots])))
    return exposed(fine, sun_sine(fine.at_s, latitude, longitude))


def _measured_sky(rows: list[tuple[Any, ...]]) -> Sky:
    """The sky of a record: what it has no column for, it says nothing of."""
    at, _, *sky = zip(*rows, strict=True)
    wind, gust, rain, cloud = (np.array(column, dtype=float) for column in sky)
    return Sky(np.array([seconds(a) for a in at]), wind, _gusts(wind, gust), rain, cloud / 100)


def _gusts(wind: Floats, gust: Floats) -> Floats:
    """Gusts; where only the wind is known, they go with it."""
    return np.where(np.isnan(gust), _USUAL_GUST * wind, gust)


def _sky_of(rows: list[tuple[Any, ...]]) -> Sky:
    """The sky of a forecast; where it says nothing of the clouds, damp air stands for a covered sky."""
    at, rh, wind, gust, rain, cloud = (np.array(column, dtype=object) for column in zip(*rows, strict=True))
    known = [np.array(c, dtype=float) for c in (wind, gust, rain, cloud)]
    damp = np.clip((np.array(rh, dtype=float) - 50) / 45, 0, 1)
    covered = np.where(np.isnan(known[3]), damp, known[3] / 100)
    wind, gust, rain = known[:3]
    return Sky(np.array([seconds(a) for a in at]), wind, _gusts(wind, gust), rain, covered)


def bytes_of(series: Series) -> int:
    """What a series takes."""
    return int(6 * series.at_s.nbytes)

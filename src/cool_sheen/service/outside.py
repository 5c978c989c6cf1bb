"""The weather outside: forecast and typical year, overruled by what was measured and seen."""

from dataclasses import dataclass
from typing import Any

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
from cool_sheen.store.models import Space

_USUAL_GUST = 1.4  # times the wind


@dataclass(frozen=True, slots=True)
class Outside:
    """The weather outside: its air, and what the sky does to a part that stands in the open."""

    air: Series
    sky: Sky
    exposure: Exposure


def outside_of(unit: Unit, span: Span) -> Outside:
    """Return the weather outside in a stretch."""
    since, until = span.since - RUN_IN, span.until

    def make() -> Outside:
        shop = unit.shop
        seed = shop.weather_seed if shop else 0
        stand_in = SimulatedForecast(seed)
        forecast, sky = stand_in.hourly(since, until), stand_in.sky(since, until)
        for kind in ("typical_year", "forecast"):  # each overrules the one before where it speaks
            if points := records.taken_points(unit.session, since, until, kind=kind):
                forecast = corrected(forecast, readings_of(0, points))
                sky = overruled(sky, _sky_of(records.taken_sky(unit.session, since, until, kind)))
        if rows := records.taken_sky(unit.session, since, until, "record"):
            sky = overruled(sky, _measured_sky(rows))
        yards = list(unit.session.scalars(select(Space).where(Space.kind == "outdoors")))
        sources = [reading for space in yards for reading in records_of(unit, space.uuid, since, until)]
        air = corrected(forecast, believed(sources))
        sky = as_seen(sky, sightings(unit, {space.uuid for space in yards}))
        if shop is None or shop.latitude is None or shop.longitude is None:
            return Outside(air, sky, exposed(sky, np.zeros(len(sky.at_s))))
        knots = np.arange(float(air.at_s[0]), float(air.at_s[-1]), STEP_S)
        fine = sky.sampled(np.unique(np.concatenate([sky.at_s, knots])))
        return Outside(air, sky, exposed(fine, sun_sine(fine.at_s, shop.latitude, shop.longitude)))

    found: Outside = unit.kept.get(("outdoor", *span.key), make, lambda o: 4 * bytes_of(o.air))
    return found


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

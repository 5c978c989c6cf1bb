"""Air, over JSON."""

from datetime import datetime
from typing import Annotated

from fastapi import APIRouter
from pydantic import Field

from cool_sheen.core.climate.air import describe_air
from cool_sheen.core.climate.rooms import Room, room_climate, surface_temperature
from cool_sheen.core.climate.series import Series
from cool_sheen.core.errors import CoreError
from cool_sheen.core.units import SEA_LEVEL_PA
from cool_sheen.web.api.models import Answer, Climate, ClimatePoint, Humidity, NotNegative, Shape, Temp, series_of

router = APIRouter(tags=["climate"])


class AirShape(Shape):
    """Air, and the surface in it."""

    air_temp_c: Temp
    rh_pct: Annotated[float, Field(strict=True, allow_inf_nan=False, gt=0, le=100)]
    surface_temp_c: Temp | None = None
    pressure_pa: Annotated[float, Field(strict=True, allow_inf_nan=False, gt=0, le=1e7)] = SEA_LEVEL_PA


class AirAnswer(Answer):
    """What the air holds; the dew point is a frost point below 0 °C."""

    dew_point_c: float
    humidity_ratio_g_per_kg: float
    saturation_pressure_pa: float
    dew_margin_k: float | None


@router.post("/climate/air")
def air(asked: AirShape) -> AirAnswer:
    """Dew point, moisture, saturation pressure and dew margin of air."""
    found = describe_air(asked.air_temp_c, asked.rh_pct, asked.surface_temp_c, asked.pressure_pa)
    return AirAnswer(
        dew_point_c=found.dew_point_c,
        humidity_ratio_g_per_kg=found.humidity_ratio_g_per_kg,
        saturation_pressure_pa=found.saturation_pressure_pa,
        dew_margin_k=found.dew_margin_k,
    )


Offset = Annotated[float, Field(strict=True, allow_inf_nan=False, ge=-100, le=100)]


class SurfaceShape(Shape):
    """A part in a stretch of climate; surface temperatures in the series are ignored."""

    lag_h: NotNegative
    offset_k: Offset = 0
    start_surface_temp_c: Temp | None = None
    series: Climate


class SurfacePoint(Answer):
    """The surface at one instant."""

    at: datetime
    surface_temp_c: float


class SurfaceAnswer(Answer):
    """The surface at each point of the series."""

    series: list[SurfacePoint]


class SpaceShape(Shape):
    """A space that follows the weather."""

    lag_h: NotNegative
    heater_min_c: Temp | None = None
    dehumidifier_max_rh_pct: Humidity | None = None
    start_temp_c: Temp | None = None
    outdoor: Climate


class SpacePoint(Answer):
    """Indoor air at one instant."""

    at: datetime
    air_temp_c: float
    rh_pct: float


class SpaceAnswer(Answer):
    """Indoor air at each point of the weather."""

    series: list[SpacePoint]


def _named(points: list[ClimatePoint], field: str) -> Series:
    """Return a series whose refusals name the request's own field."""
    try:
        return series_of(points)
    except CoreError as error:
        raise type(error)(str(error), error.field.replace("climate", field, 1)) from error


@router.post("/climate/surface")
def surface(asked: SurfaceShape) -> SurfaceAnswer:
    """Temperature of a part's surface, which lags its air."""
    air_series = _named(asked.series, "series")
    found = surface_temperature(air_series, asked.lag_h, asked.offset_k, asked.start_surface_temp_c).tolist()
    rows = zip(asked.series, found, strict=True)
    return SurfaceAnswer(series=[SurfacePoint(at=point.at, surface_temp_c=value) for point, value in rows])


@router.post("/climate/space")
def space(asked: SpaceShape) -> SpaceAnswer:
    """Climate of a space that follows the weather outdoors."""
    room = Room(asked.lag_h, asked.heater_min_c, asked.dehumidifier_max_rh_pct)
    found = room_climate(_named(asked.outdoor, "outdoor"), room, asked.start_temp_c)
    rows = zip(asked.outdoor, found.air_temp_c.tolist(), found.rh_pct.tolist(), strict=True)
    return SpaceAnswer(series=[SpacePoint(at=point.at, air_temp_c=air, rh_pct=rh) for point, air, rh in rows])

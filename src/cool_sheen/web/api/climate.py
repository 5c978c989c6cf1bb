"""Air, over JSON."""

from typing import Annotated

from fastapi import APIRouter
from pydantic import Field

from cool_sheen.core.climate.air import describe_air
from cool_sheen.core.units import SEA_LEVEL_PA
from cool_sheen.web.api.models import Answer, Shape, Temp

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

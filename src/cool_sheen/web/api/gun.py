"""The gun bench, over JSON."""

from typing import Annotated

from fastapi import APIRouter
from pydantic import Field

from cool_sheen.core.errors import Inconsistent
from cool_sheen.core.gun.air import duty, hose_loss, water
from cool_sheen.core.gun.fan import pass_film, pass_speed
from cool_sheen.web.api.models import AboveNought, Answer, Humidity, NotNegative, Shape, Temp

router = APIRouter(tags=["gun"])

Fraction = Annotated[float, Field(strict=True, allow_inf_nan=False, ge=1e-6, le=1)]
Overlap = Annotated[float, Field(strict=True, allow_inf_nan=False, ge=0, lt=1)]


class PassShape(Shape):
    """Strokes that overlap: at a speed, or for a film; exactly one of the two."""

    flow_ml_per_min: AboveNought
    transfer_efficiency: Fraction
    fan_mm: AboveNought
    overlap: Overlap
    speed_mm_per_s: AboveNought | None = None
    target_wet_um: AboveNought | None = None


class PassAnswer(Answer):
    """The film as the mean over a pitch, and the speed that lays it."""

    wet_film_um: float
    speed_mm_per_s: float


class HoseShape(Shape):
    """A hose, and the air that goes through it; pressure above the atmosphere."""

    flow_l_per_s: NotNegative
    length_m: NotNegative
    bore_mm: AboveNought
    inlet_bar: NotNegative


class HoseAnswer(Answer):
    """What the hose takes, and what is left."""

    loss_bar: float
    outlet_bar: float


class CompressorShape(Shape):
    """A compressor, and a gun that hangs on it."""

    tank_l: AboveNought
    cut_in_bar: NotNegative
    cut_out_bar: AboveNought
    fad_l_per_min: AboveNought
    demand_l_per_min: NotNegative


class CompressorAnswer(Answer):
    """Whether it keeps up, or how long it lends and is waited for."""

    continuous: bool
    spray_s: float | None
    recover_s: float | None


class WaterShape(Shape):
    """Air that a compressor takes in, and the line that it goes into."""

    intake_temp_c: Temp
    intake_rh_pct: Humidity
    line_temp_c: Temp
    line_bar: NotNegative
    free_air_l_per_min: NotNegative


class WaterAnswer(Answer):
    """What falls out before the tap, and what goes on as vapour."""

    condensate_g_per_h: float
    carried_g_per_h: float


@router.post("/gun/pass")
def gun_pass(asked: PassShape) -> PassAnswer:
    """Film of strokes at a speed, or the speed for a film."""
    if (asked.speed_mm_per_s is None) == (asked.target_wet_um is None):
        raise Inconsistent("Give the speed or the film that is wanted: exactly one of them.", "target_wet_um")
    laid = (asked.flow_ml_per_min, asked.transfer_efficiency, asked.fan_mm, asked.overlap)
    if asked.speed_mm_per_s is not None:
        return PassAnswer(wet_film_um=pass_film(*laid, asked.speed_mm_per_s), speed_mm_per_s=asked.speed_mm_per_s)
    wanted = asked.target_wet_um or 0.0
    return PassAnswer(wet_film_um=wanted, speed_mm_per_s=pass_speed(*laid, wanted))


@router.post("/gun/hose")
def gun_hose(asked: HoseShape) -> HoseAnswer:
    """Pressure that a hose costs."""
    loss = hose_loss(asked.flow_l_per_s, asked.length_m, asked.bore_mm, asked.inlet_bar)
    return HoseAnswer(loss_bar=loss, outlet_bar=asked.inlet_bar - loss)


@router.post("/gun/compressor")
def gun_compressor(asked: CompressorShape) -> CompressorAnswer:
    """Whether a compressor keeps up with a gun."""
    found = duty(asked.tank_l, asked.cut_in_bar, asked.cut_out_bar, asked.fad_l_per_min, asked.demand_l_per_min)
    return CompressorAnswer(continuous=found.continuous, spray_s=found.spray_s, recover_s=found.recover_s)


@router.post("/gun/water")
def gun_water(asked: WaterShape) -> WaterAnswer:
    """Water that falls out of compressed air."""
    found = water(asked.intake_temp_c, asked.intake_rh_pct, asked.line_temp_c, asked.line_bar, asked.free_air_l_per_min)
    return WaterAnswer(condensate_g_per_h=found.falls_g_per_h, carried_g_per_h=found.carried_g_per_h)

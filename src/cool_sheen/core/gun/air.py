"""The air that a gun lives on: what a hose loses, how long a tank lends, the water that falls out."""

import math
from dataclasses import dataclass

from cool_sheen.core.climate.air import humidity_ratio, saturation_pressure
from cool_sheen.core.errors import Inconsistent, OutOfRange
from cool_sheen.core.units import SEA_LEVEL_PA, ZERO_CELSIUS_K, Bar, Celsius, Percent, Seconds

ATMOSPHERE_BAR: Bar = SEA_LEVEL_PA / 1e5
_HOSE, _POWER = 450.0, 1.85
_DRY_AIR_J_PER_KG_K = 287.042  # ASHRAE Handbook of Fundamentals (2017) ch. 1
_PA_PER_BAR, _SECONDS_PER_MINUTE, _G_PER_KG = 1e5, 60, 1000


def hose_loss(flow_l_per_s: float, length_m: float, bore_mm: float, inlet_bar: Bar) -> Bar:
    """Pressure that a hose costs.

    Args:
        flow_l_per_s: Free air through it. [l/s, from 0]
        length_m: Its length. [m, from 0]
        bore_mm: Its inner diameter. [mm, above 0]
        inlet_bar: Pressure where the air goes in, above the atmosphere. [bar]

    Returns: Loss, never over the inlet's pressure. [bar]
    Raises: OutOfRange: no bore. Inconsistent: the hose would lose more than there is.
    Source: docs/trade.md, Gun: dp = 450 Q^1.85 L / (d^5 p), with p the absolute pressure at the inlet.
    """
    loss = _resistance(flow_l_per_s, length_m, bore_mm) / (inlet_bar + ATMOSPHERE_BAR)
    if loss > inlet_bar:
        raise Inconsistent(
            f"This hose would lose {loss:.3g} bar of {inlet_bar:g} bar: so much air does not go through it. "
            "Enter a wider or shorter hose, less air, or more pressure.",
            "inlet_bar",
        )
    return loss


def hose_feed(flow_l_per_s: float, length_m: float, bore_mm: float, outlet_bar: Bar) -> Bar:
    """Pressure that must go into a hose for so much to come out of it.

    Args:
        flow_l_per_s: Free air through it. [l/s, from 0]
        length_m: Its length. [m, from 0]
        bore_mm: Its inner diameter. [mm, above 0]
        outlet_bar: Pressure wanted where the air comes out, above the atmosphere. [bar]

    Returns: Pressure at the inlet. [bar]
    Raises: OutOfRange: no bore.
    Source: docs/trade.md, Gun: the loss of a hose, solved for the pressure that goes in.
    """
    out = outlet_bar + ATMOSPHERE_BAR
    feed = (out + math.sqrt(out * out + 4 * _resistance(flow_l_per_s, length_m, bore_mm))) / 2
    return feed - ATMOSPHERE_BAR


def _resistance(flow_l_per_s: float, length_m: float, bore_mm: float) -> float:
    """Loss times absolute pressure. [bar2]"""
    if not bore_mm > 0:
        raise OutOfRange("The bore of a hose is above nought.", "bore_mm")
    return float(_HOSE * flow_l_per_s**_POWER * length_m / bore_mm**5)


@dataclass(frozen=True, slots=True)
class Duty:
    """How long a compressor keeps up with a gun, and how long it then has to be waited for.

    Attributes:
        spray_s: From a full tank to its cut-in; None where it keeps up for ever. [s]
        recover_s: From cut-in to cut-out with the trigger released; None where it keeps up. [s]
    """

    spray_s: Seconds | None = None
    recover_s: Seconds | None = None

    @property
    def continuous(self) -> bool:
        """Whether it keeps up for ever."""
        return self.spray_s is None

    @property
    def slowing(self) -> float:
        """How many times as long a spell at the gun takes with its pauses. [1, from 1]"""
        return 1.0 if self.spray_s is None or self.recover_s is None else 1 + self.recover_s / self.spray_s


def duty(tank_l: float, cut_in_bar: Bar, cut_out_bar: Bar, fad_l_per_min: float, demand_l_per_min: float) -> Duty:
    """Say whether a compressor keeps up with a gun, or for how long its tank lends.

    Args:
        tank_l: What the tank holds. [l, above 0]
        cut_in_bar: Where the compressor starts. [bar]
        cut_out_bar: Where it stops. [bar, above the cut-in]
        fad_l_per_min: Free air that it delivers. [l/min, above 0]
        demand_l_per_min: Free air that the gun wants. [l/min, from 0]

    Returns: The spell and the pause.
    Raises: OutOfRange: no tank, no delivery. Inconsistent: a cut-in that is not below the cut-out.
    Source: docs/trade.md, Gun: t = V (p1 - p2) / (demand - FAD), and a pause of V (p1 - p2) / FAD.
    """
    if not tank_l > 0:
        raise OutOfRange("A tank holds more than nought.", "tank_l")
    if not fad_l_per_min > 0:
        raise OutOfRange("A compressor delivers more than nought.", "fad_l_per_min")
    if not cut_in_bar < cut_out_bar:
        raise Inconsistent("A compressor cuts in below the pressure at which it cuts out.", "cut_in_bar")
    if demand_l_per_min <= fad_l_per_min:
        return Duty()
    lends = tank_l * (cut_out_bar - cut_in_bar) * _SECONDS_PER_MINUTE
    return Duty(lends / (demand_l_per_min - fad_l_per_min), lends / fad_l_per_min)


@dataclass(frozen=True, slots=True)
class Water:
    """What becomes of the water in the air that a compressor breathes. [g/h]

    Attributes:
        falls_g_per_h: Condenses before the tap. [g/h]
        carried_g_per_h: Goes on as vapour. [g/h]
        intake_g_per_kg: Held by the air outside, by dry air. [g/kg]
        line_g_per_kg: Most that air at line temperature and pressure holds. [g/kg]
    """

    falls_g_per_h: float
    carried_g_per_h: float
    intake_g_per_kg: float
    line_g_per_kg: float


def water(
    intake_temp_c: Celsius, intake_rh_pct: Percent, line_temp_c: Celsius, line_bar: Bar, free_air_l_per_min: float
) -> Water:
    """Water that falls out of compressed air.

    Args:
        intake_temp_c: Air that the compressor breathes. [°C]
        intake_rh_pct: Its humidity. [%, 0 to 100]
        line_temp_c: Air in the line, cooled down. [°C]
        line_bar: Pressure in the line, above the atmosphere. [bar]
        free_air_l_per_min: Moist air that is taken in. [l/min]

    Returns: What falls out and what goes on.
    Raises: OutOfRange: an intake that would be vapour for the most part.
    Source: docs/trade.md, Gun; humidity ratios from the ASHRAE Handbook of Fundamentals (2017) ch. 1, eqn 20 and 26.
    """
    vapour_pa = intake_rh_pct / 100 * float(saturation_pressure(intake_temp_c))  # type: ignore[arg-type]
    if vapour_pa >= SEA_LEVEL_PA:
        raise OutOfRange("Such air would be nothing but vapour: enter air that a compressor breathes.", "intake_temp_c")
    taken = _G_PER_KG * float(humidity_ratio(intake_temp_c, intake_rh_pct))  # type: ignore[arg-type]
    kelvin = intake_temp_c + ZERO_CELSIUS_K
    dry_kg_per_m3 = (SEA_LEVEL_PA - vapour_pa) / (_DRY_AIR_J_PER_KG_K * kelvin)
    dry_kg_per_h = dry_kg_per_m3 * free_air_l_per_min / 1000 * 60
    line_pa = line_bar * _PA_PER_BAR + SEA_LEVEL_PA
    holds = math.inf
    if float(saturation_pressure(line_temp_c)) < line_pa:  # type: ignore[arg-type]
        holds = _G_PER_KG * float(humidity_ratio(line_temp_c, 100.0, line_pa))  # type: ignore[arg-type]
    falls = max(0.0, taken - holds) * dry_kg_per_h
    return Water(falls, taken * dry_kg_per_h - falls, taken, holds)

"""Which nozzle, strainer and screen a product asks for, and what is wrong with those that are in the gun."""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from cool_sheen.core.coatings.products import Product
from cool_sheen.core.gun.guns import GunType, Opening
from cool_sheen.core.units import Bar, Micron

HEAVY_FROM_MM = 1.7  # a product that wants such a nozzle goes through no screen in the gun
GRAINS_ABREAST, LEAST_FOR_GRIT_MM = 3.0, 2.0
_WATER_G_PER_ML, _DISCHARGE = 1.0, 0.8

Level = Literal["bad", "care", "good"]


@dataclass(frozen=True, slots=True)
class Finding:
    """What is to be said of a set-up, and why."""

    level: Level
    says: str
    why: str = ""


def opening_for(
    product: Product, gun: GunType, openings: Sequence[Opening], grain_mm: float = 0.0
) -> tuple[float, float]:
    """Nozzle or tip that a product asks for.

    Args:
        product: Its sheet, which is asked first.
        gun: An airless gun has tips, any other a nozzle.
        openings: The table by family and role, which is asked then.
        grain_mm: Of grit that is sprayed with it, or dry. [mm]

    Returns: Least and most. [mm]
    Source: docs/trade.md, Gun: nozzles by product; grit wants three grains abreast, and 2 mm at least.
    """
    row = next((o for o in openings if o.fits(product.family, product.role)), None)
    said = row.tip_mm if row and gun.feed == "pump" else product.nozzle_mm or (row.nozzle_mm if row else (1.3, 1.5))
    if grain_mm <= 0:
        return said
    least = max(LEAST_FOR_GRIT_MM, GRAINS_ABREAST * grain_mm)
    return max(least, said[0]), max(1.5 * least, said[1])


def paint_flow(gun: GunType, opening_mm: float, pump_bar: Bar | None = None) -> float | None:
    """Paint that leaves a gun, as an estimate until it was measured.

    Args:
        gun: With its flow through one nozzle.
        opening_mm: The nozzle or tip that is in it. [mm]
        pump_bar: Pressure of the paint, of an airless gun. [bar]

    Returns: Flow; None where the gun says nothing of it. [ml/min]
    Source: docs/trade.md, Gun: by the area of the nozzle; of a tip 0.8 A sqrt(2 p / rho).
    """
    if gun.feed == "pump" and pump_bar is not None:
        area_m2 = math.pi / 4 * (opening_mm / 1000) ** 2
        speed = math.sqrt(2 * pump_bar * 1e5 / (1000 * _WATER_G_PER_ML))
        return _DISCHARGE * area_m2 * speed * 6e7
    if gun.flow_ml_per_min is None or gun.flow_nozzle_mm is None:
        return gun.flow_ml_per_min
    return gun.flow_ml_per_min * (opening_mm / gun.flow_nozzle_mm) ** 2


def fitted(
    gun: GunType, product: Product, wanted: tuple[float, float], opening_mm: float, grain_mm: float = 0.0
) -> list[Finding]:
    """Judge nozzle, strainer and screen for a product.

    Args:
        gun: The gun.
        product: What goes through it.
        wanted: Least and most opening that it asks for. [mm]
        opening_mm: What is in it. [mm]
        grain_mm: Of grit that goes through it. [mm]

    Source: docs/trade.md, Gun.
    """
    out = [_nozzle(gun, product, wanted, opening_mm, grain_mm)]
    out += [finding for finding in (_screen(gun, product, wanted, grain_mm), _strainer(product, grain_mm)) if finding]
    if gun.source == "turbine" and wanted[0] >= HEAVY_FROM_MM:
        out.append(
            Finding(
                "bad",
                "A turbine has not the pressure for so heavy a product: thin it within its cap, or take another gun.",
                f"It asks for a nozzle from {wanted[0]:g} mm.",
            )
        )
    if gun.method not in product.methods:
        out.append(
            Finding("care", f"Its sheet names other ways to put it on: {', '.join(product.methods)}.", product.source)
        )
    return out


def _nozzle(gun: GunType, product: Product, wanted: tuple[float, float], mm: float, grain_mm: float) -> Finding:
    what = "tip" if gun.feed == "pump" else "nozzle"
    span, this = f"Asked for: {wanted[0]:g} to {wanted[1]:g} mm.", f"{what} of {mm:g} mm"
    if grain_mm > 0 and mm < wanted[0]:
        return Finding(
            "bad",
            f"This {this} is too small for the grit: take one from {wanted[0]:g} mm.",
            f"Three grains of {grain_mm:g} mm have to pass abreast, and 2 mm is the least for grit.",
        )
    if mm < wanted[0]:
        return Finding("care", f"This {this} is small: it starves the fan, and lays it dry.", span)
    if mm > wanted[1]:
        return Finding("care", f"This {this} is wide: it lays it wet, and runs sooner.", span)
    return Finding("good", f"The {this} suits it.", span)


def _screen(gun: GunType, product: Product, wanted: tuple[float, float], grain_mm: float) -> Finding | None:
    """A screen in the gun stops what is gritty or heavy, and what a coarser strainer lets through."""
    if gun.screen_um is None:
        return None
    out = f"Take the gun's own screen of {gun.screen_um:g} µm out"
    strainer = product.mix.strainer_um or 0.0
    if grain_mm > 0:
        return Finding("bad", f"{out}: it would hold the grit back.", f"Grains of {grain_mm:g} mm.")
    if product.screen_out:
        return Finding("care", f"{out}: its sheet says so.", product.source)
    if gun.feed != "pump" and wanted[0] >= HEAVY_FROM_MM:
        return Finding("care", f"{out}: so heavy a product clogs it.", f"It asks for a nozzle from {wanted[0]:g} mm.")
    if strainer > gun.screen_um:
        why = f"The sheet asks for a strainer of {strainer:g} µm."
        return Finding("care", f"{out}: it is finer than the strainer, and stops what that lets through.", why)
    return Finding("good", f"The gun's own screen of {gun.screen_um:g} µm may stay in.", "")


def _strainer(product: Product, grain_mm: float) -> Finding | None:
    if grain_mm > 0:
        return Finding("care", "No strainer: it would take the grit out. Strain the paint before the grit goes in.", "")
    strainer: Micron | None = product.mix.strainer_um
    if strainer is None:
        return None
    return Finding("good", f"Strain it through {strainer:g} µm, each fill through a fresh one.", product.source)

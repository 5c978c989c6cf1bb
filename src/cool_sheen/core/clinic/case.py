"""What the log knows of the coat in which a defect was seen: figures, each of them None where nobody knows."""

from dataclasses import dataclass
from typing import Literal

from cool_sheen.core.coatings.products import Product
from cool_sheen.core.units import Celsius, Hours, Kelvin, Micron, Minutes, Percent

Off = Literal["low", "right", "high"]  # against the band of its kind


@dataclass(frozen=True, slots=True)
class Case:
    """The suspect coat, what was under it, and what happened around it.

    Attributes:
        product: Its sheet.
        film_um: Its wet film: measured, else planned. [um]
        measured: Whether the film was measured.
        coats_that_day: Coats on the zone within a day up to it, itself included.
        coats_of_layer, coats_planned: Coats that count, and how many the system has.
        air_c, rh_pct: The air when it went on. [°C, %]
        margin_k: Least dew margin until it was dew safe. [K]
        wind: Whether wind was over its limit while it was open; None indoors.
        fall_k: Largest fall of the air within a day after it, up to when the defect was seen. [K]
        gap_min: From the coat below to it. [min]
        phase_below: Phase of the film below when it went on: wet, open, locked, key, cured.
        keyed: Whether the film below was sanded, or padded, before it.
        over_verdict: What the table says of it over what is below.
        baked_early: Whether it was heated before it had flashed.
        moved_early: Whether the part was turned or moved before it could be.
        unmasked_min, tape_from_min: When it was unmasked after it, and from when on that is good. [min]
        reducer: How its speed stands to the heat of the day: low is slow, high is fast.
        reduced_pct, reducer_cap_pct, reducer_usual_pct: How far it was thinned. [%]
        ratio_off_pct: By how much the hardener is off. [%]
        pot_share: Age of the mix by its pot life. [1]
        viscosity_high: Whether the cup or the stick said too thick.
        degreased, wiped, tacked: Whether that was done since the film, or the ground, below was last sanded.
        wiped_in_vain: How often the cloth was not clean.
        last_grit_um, asked_grit_um: Mean grain of the last sanding, and of the one that it asks for. [um]
        hard_pad: Whether it was sanded with something hard.
        went_through: Whether a sanding went through.
        wet_sanded_h: How long before it the film below was sanded wet. [h]
        bare_h: How long bare metal stood. [h]
        bar, distance: The gun's pressure and distance against their bands.
        air_drained, floor_damped, swept, filters: Stamps of the room that day; None where the room has no such step.
        old_finish: What the survey says is below: none, unknown, or a family.
        stains: Whether the survey, or the ground, may stain: tannin, rust, an old red.
    """

    product: Product
    film_um: Micron
    measured: bool = False
    coats_that_day: int = 1
    coats_of_layer: int | None = None
    coats_planned: int | None = None
    air_c: Celsius | None = None
    rh_pct: Percent | None = None
    margin_k: Kelvin | None = None
    wind: bool | None = None
    fall_k: Kelvin | None = None
    gap_min: Minutes | None = None
    opens_min: Minutes | None = None
    phase_below: str | None = None
    keyed: bool | None = None
    over_verdict: str | None = None
    baked_early: bool | None = None
    moved_early: bool | None = None
    unmasked_min: Minutes | None = None
    tape_from_min: Minutes | None = None
    reducer: Off | None = None
    reduced_pct: Percent | None = None
    reducer_cap_pct: Percent | None = None
    reducer_usual_pct: Percent | None = None
    ratio_off_pct: Percent | None = None
    pot_share: float | None = None
    viscosity_high: bool | None = None
    degreased: bool | None = None
    wiped: bool | None = None
    tacked: bool | None = None
    wiped_in_vain: int = 0
    last_grit_um: Micron | None = None
    asked_grit_um: Micron | None = None
    hard_pad: bool | None = None
    went_through: bool | None = None
    wet_sanded_h: Hours | None = None
    bare_h: Hours | None = None
    bar: Off | None = None
    distance: Off | None = None
    air_drained: bool | None = None
    floor_damped: bool | None = None
    swept: bool | None = None
    filters: bool | None = None
    old_finish: str | None = None
    stains: bool | None = None

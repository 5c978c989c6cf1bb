"""The forms of the gun bench: what was chosen and typed, and what stands there as fields."""

import re
from collections.abc import Mapping
from typing import Any, cast, get_args
from uuid import UUID

from cool_sheen.core.gun.guns import AirSupply, OwnGun, Place, State
from cool_sheen.core.gun.handling import Lay, Stroke
from cool_sheen.service.gun.bench import Asked, SetUp
from cool_sheen.web.forms import Typed
from cool_sheen.web.pages.shop_form import in_units

MOST_BAR, MOST_FLOW, MOST_AIR, MOST_SPAN = 500.0, 20_000.0, 20_000.0, 5000.0
# Quantities of a card and of a gun: field, dimension, most.
CARD_FIELDS: tuple[tuple[str, str, float, str], ...] = (
    ("cap_bar", "pressure", MOST_BAR, "At the cap"),
    ("inlet_bar", "pressure", MOST_BAR, "At the gun's inlet"),
    ("regulator_bar", "pressure", MOST_BAR, "At the regulator"),
    ("flow_ml_per_min", "paint flow", MOST_FLOW, "Paint flow"),
    ("fan_mm", "span", MOST_SPAN, "Fan"),
    ("distance_mm", "span", MOST_SPAN, "Distance"),
    ("speed_mm_per_s", "gun speed", 5000.0, "Speed"),
)
CARD_TURNS = (("fluid_turns", "Fluid, turns out"), ("fan_turns", "Fan, turns out"), ("air_turns", "Air, turns out"))
GUN_FIELDS: tuple[tuple[str, str, float, str], ...] = (
    ("start_bar", "pressure", MOST_BAR, "Starting pressure"),
    ("demand_l_per_min", "air flow", MOST_AIR, "Air that it takes"),
    ("flow_ml_per_min", "paint flow", MOST_FLOW, "Paint flow, controls open"),
    ("fan_mm", "span", MOST_SPAN, "Widest fan"),
)
AIR_FIELDS: tuple[tuple[str, str, float, str], ...] = (
    ("tank_l", "capacity", 5000.0, "Tank"),
    ("cut_in_bar", "pressure", 40.0, "Cuts in at"),
    ("cut_out_bar", "pressure", 40.0, "Cuts out at"),
    ("fad_l_per_min", "air flow", MOST_AIR, "Free air delivery"),
    ("hose_m", "length", 200.0, "Hose, length"),
    ("hose_bore_mm", "span", 60.0, "Hose, bore"),
    ("treatment_bar", "pressure", 3.0, "Filter and dryer take"),
    ("line_over_k", "difference", 80.0, "The line is warmer than the intake by"),
    ("bowl_ml", "volume", 5000.0, "Bowl of the water trap"),
)
_OF_A_GUN = ("opening", "bar", "place", "state", "flow", "fan", "distance", "speed")  # another gun has others
_OF_A_PRODUCT = ("opening", "target", "speed")
_FROM_NOUGHT = {"hose_m", "treatment_bar"}
_LABELS_OF_AIR = {name: label for name, _, _, label in AIR_FIELDS}


def read_asked(typed: Typed) -> Asked:
    """Read what was chosen; what cannot be read gets its sentence, and counts as not said."""
    gun, product = typed.text("gun", most=60), typed.text("product", most=80)
    stale = _stale(typed, {"gun": gun, "product": product, "part": typed.text("part", most=60)})
    typed.values = {name: value for name, value in typed.values.items() if name not in stale}
    gun, product = typed.text("gun", most=60), typed.text("product", most=80)
    return Asked(
        gun=gun,
        product=product,
        part=_uuid(typed, "part"),
        space=_uuid(typed, "space"),
        opening_mm=typed.number("opening", 0.1, 12),
        bar=typed.quantity("bar", "pressure", 0, MOST_BAR, optional=True),
        place=cast("Place | None", _one_of(typed, "place", get_args(Place))),
        state=cast("State | None", _one_of(typed, "state", get_args(State))),
        flow_ml_per_min=typed.quantity("flow", "paint flow", 0, MOST_FLOW, optional=True),
        grit=typed.text("grit", most=80),
        lay=cast("Lay | None", _one_of(typed, "lay", get_args(Lay))),
        stroke=cast("Stroke", _one_of(typed, "stroke", get_args(Stroke)) or "across"),
    )


def _stale(typed: Typed, now: Mapping[str, str]) -> tuple[str, ...]:
    """Fields that belong to what was chosen before: another part has its own product, another gun its own nozzle."""
    was = dict(zip(now, typed.text("was", most=250).split("|"), strict=False))
    if len(was) < len(now):
        return ()
    if now["part"] and was["part"] != now["part"]:
        return ("product", "gun", "space", *_OF_A_GUN, *_OF_A_PRODUCT)
    if was["gun"] != now["gun"]:
        return _OF_A_GUN
    return _OF_A_PRODUCT if was["product"] != now["product"] else ()


def _uuid(typed: Typed, name: str) -> UUID | None:
    try:
        return UUID(typed.text(name, most=60))
    except ValueError:
        return None


def _one_of(typed: Typed, name: str, there: tuple[str, ...]) -> str | None:
    said = typed.text(name, most=40)
    return said if said in there else None


def shown(found: SetUp, typed: Typed) -> dict[str, Any]:
    """Return the fields of the page: what was typed, and what was taken where nothing was."""
    part = str(found.at.waiting.found.part.uuid) if found.at.waiting else ""
    values: dict[str, Any] = {
        "gun": found.one.key, "product": found.at.product.key, "space": str(found.space.uuid),
        "part": part, "place": found.feed.place, "state": found.feed.state,
        "opening": f"{found.fit.opening_mm:g}", "lay": found.lies, "stroke": found.asked.stroke,
        "grit": found.asked.grit, "was": f"{found.one.key}|{found.at.product.key}|{part}",
    }  # fmt: skip
    if found.feed.bar is not None:
        values["bar"] = in_units(found.feed.bar, "pressure", typed.units)
    typed_so = {name: value for name, value in typed.values.items() if name in ("bar", "flow") and value}
    return values | typed_so


def quantities(
    typed: Typed, fields: tuple[tuple[str, str, float, str], ...], *, optional: bool = True
) -> dict[str, float | None]:
    """Read quantities by name; what is left empty is None."""
    return {
        name: typed.quantity(name, dimension, *_bounds(name, most), optional=optional)
        for name, dimension, most, _ in fields
    }


def _bounds(name: str, most: float) -> tuple[float, float]:
    return (-41.0 if name == "line_over_k" else -1e-9 if name in _FROM_NOUGHT else 0.0), most


def read_air(typed: Typed) -> dict[str, object]:
    """Read compressor, hose and treatment. Raises Refused with a note at each field that is wrong."""
    said = quantities(typed, AIR_FIELDS, optional=False)
    typed.stop()
    return {
        name: max(0.0, value) if name in _FROM_NOUGHT and value is not None else value for name, value in said.items()
    }


def air_values(air: AirSupply | None, units: str) -> dict[str, str]:
    """Return the air supply as fields; the usual ones of hose and treatment where nothing is known."""
    if air is None:
        air = AirSupply(tank_l=1, cut_in_bar=1, cut_out_bar=2, fad_l_per_min=1)
        kept = {"hose_m", "hose_bore_mm", "treatment_bar", "line_over_k", "bowl_ml"}
    else:
        kept = set(AirSupply.model_fields)
    return {n: in_units(getattr(air, n), dimension, units) for n, dimension, _, _ in AIR_FIELDS if n in kept}


def read_gun(typed: Typed) -> dict[str, object]:
    """Read a gun of the shop. Raises Refused with a note at each field that is wrong."""
    said: dict[str, object] = dict(quantities(typed, GUN_FIELDS))
    said |= {"name": typed.text("name", "a name", most=80), "type": typed.text("type", most=60)}
    openings = _openings(typed)
    screen = typed.number("screen_um", 20, 2000)
    typed.stop()
    return said | {"nozzles_mm": openings, "screen_um": screen, "no_screen": typed.flag("no_screen")}


def _openings(typed: Typed) -> tuple[float, ...]:
    """Nozzles in a row, such as ``1.3 1.4; 1.8``. [mm]"""
    text = typed.text("nozzles", most=120)
    out = []
    for word in re.split(r"[;\s]+|,\s+", text.replace("mm", " ").strip()) if text else ():
        try:
            out.append(float(word.replace(",", ".")))
        except ValueError:
            out.append(-1.0)
    if any(not 0.1 <= mm <= 12 for mm in out):
        typed.notes["nozzles"] = "Enter nozzles in millimetres from 0.1 to 12, such as 1.3 1.4 1.8."
    if len(out) > 12:
        typed.notes["nozzles"] = "Enter twelve nozzles at most."
    return tuple(sorted(set(out)))


def gun_values(own: OwnGun, units: str) -> dict[str, str]:
    """Return a gun of the shop as fields."""
    values: dict[str, str] = {"name": own.name, "type": own.type, "no_screen": "1" if own.no_screen else ""}
    values["nozzles"] = " ".join(f"{mm:g}" for mm in own.nozzles_mm)
    values["screen_um"] = f"{own.screen_um:g}" if own.screen_um else ""
    for name, dimension, _, _ in GUN_FIELDS:
        value = getattr(own, name)
        values[name] = in_units(value, dimension, units) if value is not None else ""
    return values


def card_values(found: SetUp, units: str) -> dict[str, str]:
    """Return what a card of this set-up would say, as fields."""
    gun, pressures = found.gun, found.feed.found
    known: dict[str, float | None] = {
        "fan_mm": gun.fan_mm,
        "distance_mm": gun.distance_mm[1] if gun.distance_mm else None,
        "flow_ml_per_min": found.asked.flow_ml_per_min,
    }
    if pressures is not None:
        there: tuple[Place, ...] = ("cap", "inlet", "regulator")
        known |= {f"{place}_bar": pressures.at(place, "pulled") for place in there}
    elif found.feed.bar is not None:
        known[f"{found.feed.place}_bar"] = found.feed.bar
    return {n: in_units(v, dim, units) for n, dim, _, _ in CARD_FIELDS if (v := known.get(n)) is not None}


def read_card(typed: Typed) -> dict[str, Any]:
    """Read a card. Raises Refused with a note at each field that is wrong."""
    said: dict[str, Any] = dict(quantities(typed, CARD_FIELDS))
    said |= {name: typed.number(name, 0, 20) for name, _ in CARD_TURNS}
    said["overlap_pct"] = typed.number("overlap_pct", 0, 95)
    said["opening_mm"] = typed.number("opening", 0.1, 12)
    said["note"] = typed.text("note", most=200)
    typed.stop()
    return said


def labels() -> Mapping[str, str]:
    """What the fields of the air supply are called, for whoever changed them meanwhile."""
    return _LABELS_OF_AIR

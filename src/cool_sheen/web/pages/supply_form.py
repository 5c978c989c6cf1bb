"""A supply as a form: what each kind of it has, and nothing that it has not."""

from typing import Any

from cool_sheen.core.coatings.families import FAMILY_WORDS
from cool_sheen.core.coatings.supplies import SUPPLY_WORDS
from cool_sheen.core.film.grits import MEAN_UM
from cool_sheen.core.mixing.ratios import BASIS_WORDS
from cool_sheen.formats.catalogue import shipped
from cool_sheen.web.forms import Typed
from cool_sheen.web.pages.sheet_form import KEY, MODE_WORDS
from cool_sheen.web.pages.sheet_layout import Box, Layout, choice, ticks

_SPEEDS = [(s, s) for s in ("fast", "standard", "slow")]
_REDUCER_SPEEDS = [("fast", "fast"), ("medium", "medium"), ("slow", "slow"), ("extra_slow", "extra slow")]
_LIQUID = ("reducer", "hardener", "retarder", "accelerator", "stripper", "cleaner")
_DOSED = ("retarder", "accelerator")

NAMED = (
    Box("name", "Name", "words", hint="Generic, with its speed or grade."),
    choice("kind", "It is a", SUPPLY_WORDS.items()),
    Box("source", "Source of the data", "words", hint="The data sheet and its date."),
    Box("note", "Note", "words"),
)
# Each field with the kinds that have it.
_OF: tuple[tuple[Box, tuple[str, ...]], ...] = (
    (choice("hardener_speed", "Speed", _SPEEDS), ("hardener",)),
    (choice("reducer_speed", "Speed", _REDUCER_SPEEDS), ("reducer",)),
    (choice("used_by", "For", (("any", "any way of applying"), ("spray", "spraying"), ("brush", "brush and roller"))),
     ("hardener", "reducer")),
    (Box("best_from_c", "Best from", "temperature"), ("hardener", "reducer", "retarder", "accelerator")),
    (Box("best_to_c", "Best to", "temperature"), ("hardener", "reducer", "retarder", "accelerator")),
    (Box("density_g_per_ml", "Density", "density"), _LIQUID),
    (Box("dose_ml_per_l", "Usual dose", unit="ml for a litre"), _DOSED),
    (Box("max_dose_ml_per_l", "Largest dose", unit="ml for a litre"), _DOSED),
    (choice("dose_of", "A litre", BASIS_WORDS.items(), "What the doses count for."), _DOSED),
    (Box("time_factor", "Times become, at the usual dose", unit="×", hint="Over 1: slower. Under 1: faster."), _DOSED),
    (choice("acts_on", "It moves the times driven by", MODE_WORDS.items(), "Left empty: as its kind does."), _DOSED),
    (Box("measured_in", "Counted in", "words", hint="A capful, a drop: left empty, in ml."), _DOSED),
    (Box("ml_each", "One of them is", "volume"), _DOSED),
    (Box("speed_factor", "Times become, with it", unit="×", hint="Left empty: as its speed does."), ("hardener",)),
    (Box("stall_temp_c", "Stalls under", "temperature", hint="Left empty: as the product's sheet."), ("hardener",)),
    (Box("air_min_c", "Air, least", "temperature"), ("hardener",)),
    (Box("air_max_c", "Air, most", "temperature"), ("hardener",)),
    (Box("keeps_days_opened", "Keeps, once opened", unit="days"), _LIQUID),
    (Box("dwell_minutes", "Leave it on", "time"), ("stripper", "cleaner")),
    (ticks("grits", "Grits", [(grit, grit) for grit in MEAN_UM]), ("abrasive",)),
    (Box("grain_mm", "Grain", unit="mm", hint="Of a blend: the one that it is called by."), ("grit",)),
    (ticks("families", "Goes with", FAMILY_WORDS.items()), ("reducer", "hardener", "retarder", "accelerator")),
)  # fmt: skip
_CAUTIONS = ticks("cautions", "Cautions", [(key, c.title) for key, c in shipped().cautions.items()])
BLEND = ("Blended with", (Box("grain_mm", "Grain", unit="mm"), Box("parts", "parts to one", unit="")))
LAYOUT = Layout(
    boxes=(KEY, *NAMED, *(box for box, _ in _OF), _CAUTIONS),
    rows={"blend": BLEND},
    groups={"sheet": "The sheet"},
)


def boxes_of(kind: str) -> list[Box]:
    """Return the fields that a kind of supply has."""
    return [*(box for box, kinds in _OF if kind in kinds), _CAUTIONS]


def read(typed: Typed) -> dict[str, Any]:
    """Return the typed form as a supply's data; what its kind has not is left behind."""
    kind = typed.text("kind")
    mine = {box.name for box in (KEY, *NAMED, *boxes_of(kind))} | ({"blend"} if kind == "grit" else set())
    return {name: value for name, value in LAYOUT.read(typed).items() if name in mine}

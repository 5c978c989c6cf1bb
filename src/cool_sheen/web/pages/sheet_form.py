"""A product sheet as a form: in short what a label says, the rest folded; and what of it stands where."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from cool_sheen.core.coatings.families import FAMILY_WORDS, ROLE_WORDS
from cool_sheen.core.coatings.products import Product
from cool_sheen.core.coatings.sheet_fields import TOUCH_WORDS
from cool_sheen.core.drying.milestones import WORDS, Basis, Mode, usual_basis
from cool_sheen.core.errors import NotReadable
from cool_sheen.core.film.grits import MEAN_UM
from cool_sheen.core.mixing.ratios import BASIS_WORDS
from cool_sheen.core.units import read_minutes
from cool_sheen.core.work.labour import WAYS
from cool_sheen.formats.catalogue import shipped
from cool_sheen.web.forms import Typed, is_place
from cool_sheen.web.pages.sheet_layout import Box, Layout, choice, ticks

_MARKS = [(key, words) for key, words in WORDS.items()]
_FOLLOWS = [("any", "anything"), ("itself", "itself"), *FAMILY_WORDS.items()]
MODE_WORDS: dict[str, str] = {
    Mode.SOLVENT: "solvent that leaves", Mode.WATER: "water that leaves", Mode.REACTIVE: "its hardener",
    Mode.OXIDATIVE: "oxygen", Mode.MOISTURE: "moisture of the air", Mode.HEAT: "heat",
}  # fmt: skip
TIMES = "Times as they are printed: 45 min, 16 h, 1 h 30, 7 days, 2-4 h."
_PAST = (("fresh", "a fresh coat of itself"), ("pad", "a pad, then the next coat"))
COUNTED_FROM: dict[str, str] = {
    Basis.COAT: "after one coat", Basis.BUILD: "after the last of its coats", Basis.LAST: "after the last coat alone",
}  # fmt: skip
_AFTER = (("mist", "a mist coat"), ("stripe", "a stripe coat"), ("drop", "a drop coat"), ("cover", "a cover coat"))
_GRITS = [(grit, grit) for grit in MEAN_UM]

# What a label says, group by group: the sheet in short. Waits stand apart, see ``waits``.
SHORT: dict[str, tuple[Box, ...]] = {
    "Product": (
        Box("name", "Name", "words", hint="Generic, with the colour."),
        choice("role", "It is a", ROLE_WORDS.items()),
        Box("swatch", "Colour on the drawings", "colour"),
        Box("source", "Source of the data", "words", hint="The data sheet and its date."),
    ),
    "Mix": (
        choice("mix.measure", "Ratio by", (("volume", "volume"), ("weight", "weight"))),
        Box("mix.pot_life_minutes", "Pot life", "time", hint=TIMES),
        Box("mix.induction_minutes", "Induction", "time"),
        Box("mix.reducer.name", "Reducer", "words", suggests="reducers",
            hint="Of the shelf, or one of its own with its density. Left empty: not thinned."),
        Box("mix.reducer.usual_pct", "Usually", "share", unit="%", hint="Parts are read, too: 3 : 1."),
        Box("mix.reducer.max_pct", "At most", "share", unit="%"),
        choice("mix.reducer.of", "Percentage of", [(k, w.removeprefix("of ")) for k, w in BASIS_WORDS.items()]),
        Box("mix.reducer.density_g_per_ml", "Its density", "density", hint="Left empty: as the shelf has it."),
    ),
    "Film": (
        Box("volume_solids_pct", "Volume solids of the ready mix", unit="%"),
        Box("wet_film_min_um", "Wet film, least", "film"),
        Box("wet_film_max_um", "Wet film, most", "film"),
        Box("label_m2_per_l", "The label promises", "coverage"),
        Box("coats_a_day", "Coats a day at most"),
    ),
    "Limits": (
        Box("limits.air_min_c", "Air, least", "temperature"),
        Box("limits.air_max_c", "Air, most", "temperature"),
        Box("limits.surface_min_c", "Surface, least", "temperature"),
        Box("limits.rh_max_pct", "Humidity, most", unit="%"),
        Box("limits.dew_margin_k", "Dew margin", "difference"),
    ),
}  # fmt: skip
REST: dict[str, tuple[Box, ...]] = {
    "More of the product": (
        choice("family", "Family", FAMILY_WORDS.items(), "The compatibility rules go by it."),
        Box("note", "Note", "words"),
        Box("first_coat", "What a first coat looks like", "words"),
        Box("prompts", "To be ticked with each coat", "words", hint="Parted by semicolons: strainer in; vent open."),
        Box("needs_over", "Why it is no top coat", "words", hint="Left empty: it may be the last layer."),
        ticks("cautions", "Cautions", [(key, c.title) for key, c in shipped().cautions.items()]),
    ),
    "More of the film": (
        Box("sag_limit_um", "Runs over", "film", hint="Left empty: a fifth over the most."),
        Box("hiding_um", "Dry film that hides black on white", "film", hint="For colours."),
        Box("thin_under_pct", "A reading is thin under", unit="% of the least film"),
        Box("film_adds_up", "Its coats are one film: readings add up", "flag"),
        Box("film_exponent", "Power of the film in its times", hint="Left empty: as it dries. 0: it sets by itself."),
        choice("key_grit", "Key with grit", _GRITS),
        Box("never_sanded", "Never sanded before clear (metallic, pearl)", "flag"),
        choice("past_window", "Never sanded, and past its window", _PAST),
        ticks("methods", "Put on by", [(key, way.words) for key, way in WAYS.items()]),
        Box("nozzle_mm.0", "Nozzle from", unit="mm"),
        Box("nozzle_mm.1", "Nozzle to", unit="mm"),
        Box("screen_out", "The gun's own screen comes out for it", "flag"),
        ticks("ready_tests", "Ready for the next coat by", TOUCH_WORDS.items(), "All of those that are ticked."),
        Box("aerosol.can_ml", "Can holds", "volume", hint="For a coating that comes in a can."),
        Box("aerosol.usable_fraction", "Share that sprays well"),
    ),
    "Reference of the times": (
        Box("ref_temp_c", "Reference temperature", "temperature"),
        Box("ref_rh_pct", "Reference humidity", unit="%"),
        Box("ref_wet_film_um", "Reference wet film", "film"),
        Box("stall_temp_c", "Stalls under", "temperature", hint="For reactive films."),
        Box("min_film_forming_temp_c", "No film under", "temperature", hint="For water films."),
    ),
    "More limits and mixing": (
        Box("limits.surface_max_c", "Surface, most", "temperature"),
        Box("limits.rh_min_pct", "Humidity, least", unit="%"),
        Box("mix.strainer_um", "Strainer", "film"),
        Box("mix.tolerance_pct", "A pour may be off by", unit="%"),
    ),
}  # fmt: skip
ROWS: dict[str, tuple[str, tuple[Box, ...]]] = {
    "mix.parts": ("Components", (
        Box("name", "Component", "words", suggests="components"), Box("parts", "parts"),
        Box("density_g_per_ml", "density", "density"),
    )),
    "milestones": ("Milestones", (
        choice("name", "It is", _MARKS), choice("mode", "driven by", MODE_WORDS.items()),
        Box("ref_minutes", "after", kind="time"), choice("counts_for", "counted", COUNTED_FROM.items()),
        choice("after", "put on before it", _AFTER), Box("film_um", "for a film of", "film"),
        Box("activation_kj_per_mol", "activation", unit="kJ/mol"),
    )),
    "windows": ("Recoat windows", (
        choice("follows", "Followed by", _FOLLOWS), choice("opens", "opens when", _MARKS),
        choice("closes", "closes when", _MARKS, "The same as it opens with: only when it was sanded."),
        choice("lifts_until", "lifts until", _MARKS),
        choice("sand", "sandable when", _MARKS), Box("redissolves", "redissolves", "flag"),
    )),
    "heat_stages": ("Heat stages", (
        Box("metal_temp_c", "Metal at", "temperature"), Box("hold_minutes", "held for", kind="time"),
        Box("winter_hold_minutes", "in winter for", kind="time"),
        Box("prompts", "to be ticked", "words", hint="Parted by semicolons, such as: vent open; people out."),
    )),
}  # fmt: skip
KEY = Box("key", "Key", "words", hint="Left empty: made of the name.")
COATS = Box("build_coats", "Coats that the label recommends", hint="Left empty: 2.")
COMPONENTS = ("base", "hardener", "water", "demineralised water")
LAYOUT = Layout(
    boxes=(KEY, COATS, *(box for group in (*SHORT.values(), *REST.values()) for box in group)),
    rows=ROWS,
    groups={"sheet": "The sheet", "limits": "Climate limits", "mix": "Mix", "aerosol": "Can", "nozzle_mm": "Nozzle"},
    row_words=WORDS,
    share_of="mix.reducer.of",
    soonest=("pot_life_minutes", "recoat_closes"),
)
# The waits of a label, by the milestone that each stands for.
WAITS: tuple[tuple[str, str], ...] = (
    ("flash", "Between coats"), ("recoat_closes", "The next coat within"), ("sand", "Before sanding"),
    ("tape_over", "Before taping over"), ("handle", "Before handling"), ("full_cure", "Until fully cured"),
)  # fmt: skip


@dataclass(frozen=True, slots=True)
class WaitField:
    """A wait as a label says it: the row of its milestone; ``mode`` for one that the sheet does not have yet."""

    words: str
    mark: str
    row: int
    mode: str = ""

    @property
    def path(self) -> str:
        """What the names of its fields begin with."""
        return f"milestones.{self.row}"


def waits(values: Mapping[str, Any]) -> list[WaitField]:
    """Return the waits of a label with the rows of the form that they stand in.

    Args:
        values: The form as it is.
    """
    rows = {
        str(value): int(place)
        for name, value in values.items()
        if name.startswith("milestones.") and name.endswith(".name") and not values.get(name[:-4] + "after")
        if is_place(place := name.split(".")[1])
    }
    modes = {mark: str(values.get(f"milestones.{row}.mode", "")) for mark, row in rows.items()}
    usual = next((modes[m] for m in ("sand", "handle", "full_cure", "flash") if modes.get(m)), Mode.SOLVENT.value)
    free = _FIRST_NEW
    out = []
    for mark, words in WAITS:
        if mark in rows:
            row = rows[mark]
            new = str(values.get(f"milestones.{row}.{NEW}", ""))
            out.append(WaitField(words, mark, row, modes[mark] if new else ""))
        else:
            out.append(WaitField(words, mark, free, usual))
            free += 1
    return out


def bases(values: Mapping[str, Any]) -> dict[str, list[tuple[str, str]]]:
    """What the time of each wait may be counted from, the usual one of its mark first and preset.

    Args:
        values: The form as it is, with the coats that its label recommends.
    """
    coats = str(values.get(COATS.name) or Product.model_fields[COATS.name].default)
    words = {**COUNTED_FROM, Basis.BUILD.value: f"after the last of {coats} coats"}
    redissolves = any(v and n.startswith("windows.") and n.endswith(".redissolves") for n, v in values.items())
    found = {}
    for wait in waits(values):
        minutes = _minutes_typed(str(values.get(f"{wait.path}.ref_minutes", "")))
        usual = usual_basis(wait.mark, minutes, opens=False, redissolves=redissolves)
        said = str(values.get(f"{wait.path}.counts_for") or "")
        kept = usual.value if said == usual else ""  # what the sheet says stays said
        found[wait.mark] = [(kept, words[usual]), *((key, text) for key, text in words.items() if key != usual)]
    return found


def _minutes_typed(text: str) -> float:
    try:
        return read_minutes(text)
    except NotReadable:
        return 0.0


_FIRST_NEW = 34  # rows behind all others, and before the last that a form reads
NEW = "new"  # marks a row that the short sheet adds: without a time it is none


def read(typed: Typed) -> dict[str, Any]:
    """Return the typed form as a sheet's data; what cannot be read is noted at its field.

    A wait that was left empty is none: a window that closed with it does not close.
    """
    gone = _without_time(typed)
    kept = {name: v for name, v in typed.values.items() if not name.startswith(tuple(f"milestones.{n}." for n in gone))}
    whole, typed.values = typed.values, kept
    data = LAYOUT.read(typed)
    typed.values = whole
    marks = {typed.text(f"milestones.{n}.name") for n in gone}
    for window in data.get("windows", []) if "recoat_closes" in marks else []:
        if isinstance(window, dict) and window.get("closes") == "recoat_closes":
            window.pop("closes")
    mix = data.get("mix")
    if isinstance(mix, dict) and isinstance(mix.get("reducer"), dict) and not mix["reducer"].get("name"):
        mix.pop("reducer")
    return data


def _without_time(typed: Typed) -> set[str]:
    """The rows of waits that have no time: of those that a label may leave out."""
    out = set()
    for name in typed.values:
        path, _, last = name.rpartition(".")
        is_empty = path.startswith("milestones.") and last == "name" and not typed.text(f"{path}.ref_minutes")
        if is_empty and (typed.text(f"{path}.{NEW}") or typed.text(name) == "recoat_closes"):
            out.add(path.split(".")[1])
    return out

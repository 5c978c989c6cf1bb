"""A product sheet as a form: which fields it has, how they are written, and how they are read back."""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from cool_sheen.core.coatings.families import FAMILY_WORDS, ROLE_WORDS
from cool_sheen.core.coatings.products import Product
from cool_sheen.core.coatings.sheet_fields import TOUCH_WORDS
from cool_sheen.core.drying.milestones import WORDS, Mode
from cool_sheen.core.errors import NotReadable
from cool_sheen.core.units import amount, read_minutes, read_quantity, shown
from cool_sheen.service.shelf import Difference
from cool_sheen.web.forms import Typed, is_place

_MARKS = [(key, words) for key, words in WORDS.items()]
_FOLLOWS = [("any", "anything"), ("itself", "itself"), *FAMILY_WORDS.items()]
_METHODS = ("hvlp", "conventional", "airless", "aerosol", "brush", "roller")


@dataclass(frozen=True, slots=True)
class Box:
    """One field of the form."""

    name: str
    label: str
    kind: str = "number"  # text, number, time, film, temperature, choice, flag, words
    unit: str = ""
    choices: tuple[tuple[str, str], ...] = ()
    hint: str = ""


def _choice(name: str, label: str, choices: Any, hint: str = "") -> Box:
    return Box(name, label, "choice", choices=tuple(choices), hint=hint)


TIMES = "Times as they are printed: 45 min, 16 h, 1 h 30, 7 days, 2-4 h."
_PAST = (("fresh", "a fresh coat of itself"), ("pad", "a pad, then the next coat"))
HEAD = (
    Box("key", "Key", "words", hint="Small letters, figures and hyphens, such as epoxy-primer-red."),
    Box("name", "Name", "words", hint="Generic, with the colour."),
    _choice("family", "Family", FAMILY_WORDS.items(), "The compatibility rules go by it."),
    _choice("role", "Role", ROLE_WORDS.items()),
    Box("swatch", "Colour on the drawings", "words", hint="A hexadecimal colour such as #8a9a95."),
    Box("source", "Source of the data", "words", hint="The data sheet and its date."),
    Box("note", "Note", "words"),
    Box("first_coat", "What a first coat looks like", "words"),
)
FILM = (
    Box("volume_solids_pct", "Volume solids of the ready mix", unit="%"),
    Box("wet_film_min_um", "Wet film, least", "film"),
    Box("wet_film_max_um", "Wet film, most", "film"),
    Box("sag_limit_um", "Runs over", "film", hint="Left empty: a fifth over the most."),
    Box("label_m2_per_l", "The label promises", unit="m² for a litre"),
    Box("hiding_um", "Dry film that hides black on white", "film", hint="For colours."),
    Box("coats_a_day", "Coats a day at most"),
    Box("build_coats", "Coats of a finished build", hint="What “the finished build” means in the times below."),
    Box("film_exponent", "Power of the film in its times", hint="Left empty: as it dries. Nought: it sets by itself."),
    Box("key_grit", "Key with grit", "words"),
    Box("needs_over", "Why it is no top coat", "words", hint="Left empty: it may be the last layer."),
    Box("never_sanded", "Never sanded before clear (metallic, pearl)", "flag"),
    _choice("past_window", "Never sanded, and past its window", _PAST),
    Box("methods", "Put on by", "words", hint=f"From {', '.join(_METHODS)}; commas between."),
    Box("nozzle_mm", "Nozzle from, to", "words", unit="mm", hint="Two figures with a comma between."),
    Box("ready_tests", "Ready for the next coat by", "words", hint=f"All of them: {', '.join(TOUCH_WORDS)}."),
    Box("cautions", "Cautions", "words", hint="Keys with commas between."),
    Box("aerosol.can_ml", "Can holds", unit="ml", hint="For a coating that comes in a can."),
    Box("aerosol.usable_fraction", "Share that sprays well"),
)
REFERENCE = (
    Box("ref_temp_c", "Reference temperature", "temperature"),
    Box("ref_rh_pct", "Reference humidity", unit="%"),
    Box("ref_wet_film_um", "Reference wet film", "film"),
    Box("stall_temp_c", "Stalls under", "temperature", hint="For reactive films."),
    Box("min_film_forming_temp_c", "No film under", "temperature", hint="For water films."),
)
LIMITS = (
    Box("limits.air_min_c", "Air, least", "temperature"),
    Box("limits.air_max_c", "Air, most", "temperature"),
    Box("limits.surface_min_c", "Surface, least", "temperature"),
    Box("limits.surface_max_c", "Surface, most", "temperature"),
    Box("limits.rh_min_pct", "Humidity, least", unit="%"),
    Box("limits.rh_max_pct", "Humidity, most", unit="%"),
    Box("limits.dew_margin_k", "Dew margin", unit="K"),
)
MIX = (
    _choice("mix.measure", "Ratio by", (("volume", "volume"), ("weight", "weight"))),
    Box("mix.induction_minutes", "Induction", kind="time", unit="min"),
    Box("mix.pot_life_minutes", "Pot life at the reference temperature", "time", unit="min", hint=TIMES),
    Box("mix.strainer_um", "Strainer", "film"),
    Box("mix.tolerance_pct", "A pour may be off by", unit="%"),
    Box("mix.reducer.name", "Reducer", "words"),
    Box("mix.reducer.usual_pct", "Usually", unit="%"),
    Box("mix.reducer.max_pct", "At most", unit="%"),
    _choice(
        "mix.reducer.of", "Percentage of",
        (("mixed", "the mixed paint and hardener"), ("paint", "the paint alone"), ("ready", "the ready mix")),
    ),
)  # fmt: skip
_COUNTS_FOR = (("coat", "one coat"), ("build", "the finished build, from the last coat on"))
_AFTER = (("mist", "a mist coat"), ("stripe", "a stripe coat"), ("drop", "a drop coat"), ("cover", "a cover coat"))
ROWS: dict[str, tuple[str, tuple[Box, ...]]] = {
    "milestones": ("Milestones", (
        _choice("name", "It is", _MARKS), _choice("mode", "driven by", ((m.value, m.value) for m in Mode)),
        Box("ref_minutes", "after", kind="time", unit="min"), _choice("counts_for", "counts for", _COUNTS_FOR),
        _choice("after", "put on before it", _AFTER), Box("film_um", "for a film of", "film"),
        Box("activation_kj_per_mol", "activation", unit="kJ/mol"),
    )),
    "windows": ("Recoat windows", (
        _choice("follows", "Followed by", _FOLLOWS), _choice("opens", "opens when", _MARKS),
        _choice("closes", "closes when", _MARKS, "The same as it opens with: only when it was sanded."),
        _choice("lifts_until", "lifts until", _MARKS),
        _choice("sand", "sandable when", _MARKS), Box("redissolves", "redissolves", "flag"),
    )),
    "mix.parts": ("Components", (
        Box("name", "Component", "words"), Box("parts", "parts"), Box("density_g_per_ml", "density", unit="g/ml"),
    )),
    "heat_stages": ("Heat stages", (
        Box("metal_temp_c", "Metal at", "temperature"), Box("hold_minutes", "held for", kind="time", unit="min"),
        Box("winter_hold_minutes", "in winter for", kind="time", unit="min"),
        Box("prompts", "to be ticked", "words", hint="Parted by semicolons, such as: vent open; people out."),
    )),
}  # fmt: skip
GROUPS = {"sheet": "The sheet", "limits": "Climate limits", "mix": "Mix", "aerosol": "Can"}
_SPARE_ROWS = {"milestones": 2, "windows": 1, "mix.parts": 1, "heat_stages": 2}
_LISTS = ("methods", "ready_tests", "cautions", "nozzle_mm")
_BOXES: dict[str, Box] = {box.name: box for group in (HEAD, FILM, REFERENCE, LIMITS, MIX) for box in group}


def values_of(product: Product, units: str) -> dict[str, str]:
    """Return a sheet as the form's texts, in the shop's units."""
    out: dict[str, str] = {}
    _write(product.model_dump(mode="json", exclude_none=True), "", out, units)
    return out


def _write(data: Any, path: str, out: dict[str, str], units: str) -> None:
    if isinstance(data, dict):
        for key, value in data.items():
            _write(value, f"{path}.{key}" if path else key, out, units)
    elif isinstance(data, list) and path not in _LISTS:
        for place, value in enumerate(data):
            _write(value, f"{path}.{place}", out, units)
    elif isinstance(data, list):
        out[path] = ", ".join(str(value) for value in data)
    elif isinstance(data, bool):
        out[path] = "1" if data else ""
    else:
        out[path] = _figure(data, _box(path), units)


def _figure(value: Any, box: Box | None, units: str) -> str:
    if isinstance(value, str):
        return value
    if box is not None and box.kind in ("film", "temperature"):
        number = shown(value, box.kind, units)[0]
        return f"{number:.4g}"
    return f"{value:g}"


def _box(name: str) -> Box | None:
    """Return the field behind a name: rows share theirs."""
    if name in _BOXES:
        return _BOXES[name]
    *path, last = name.split(".")
    group = ROWS.get(".".join(path[:-1]))
    return next((box for box in group[1] if box.name == last), None) if group else None


def label_of(place: str) -> str:
    """Return what the form calls a field, a row or a group of them."""
    box = _box(place)
    for group, (title, _) in ROWS.items():
        row = place.removeprefix(f"{group}.").partition(".")[0]
        if place.startswith(f"{group}."):
            named = f"row {int(row) + 1}" if is_place(row) else WORDS.get(row, row)
            return f"{title}, {named}" + (f", {box.label}" if box else "")
    spoken = place.replace("_", " ").replace(".", ", ")
    return box.label if box else GROUPS.get(place.partition(".")[0], spoken)


class _Labels(Mapping[str, str]):
    """What the form calls each of its fields, however many rows it has."""

    def __getitem__(self, place: str) -> str:
        return label_of(place)

    def __contains__(self, place: object) -> bool:
        return place != "key" and _box(str(place)) is not None

    def __iter__(self) -> Iterator[str]:
        return iter(())

    def __len__(self) -> int:
        return 1


LABELS = _Labels()


def in_words(changes: Sequence[Difference], units: str) -> list[Difference]:
    """Say what differs between two sheets as the form does: its labels, choices and units."""
    return [
        Difference(label_of(c.field), *(_said(text, _box(c.field), units) for text in (c.was, c.now))) for c in changes
    ]


def _said(text: str, box: Box | None, units: str) -> str:
    if box is None or text in ("–", "nothing"):
        return text
    if box.kind == "flag":
        return "yes" if text == "True" else "no"
    if box.kind in ("film", "temperature"):
        return amount(float(text), box.kind, units)
    return dict(box.choices).get(text, f"{text} {box.unit}".strip())


def rows_of(values: Mapping[str, Any]) -> dict[str, int]:
    """Return how many rows each list of the form shows: those that are filled, and some to fill."""
    out = {}
    for name, spare in _SPARE_ROWS.items():
        filled = {
            int(place)
            for key, value in values.items()
            if key.startswith(f"{name}.")
            and value not in ("", None)
            and is_place(place := key.removeprefix(f"{name}.").partition(".")[0])
        }
        out[name] = min(40, 1 + max(filled, default=-1) + spare)
    return out


def read(typed: Typed) -> dict[str, Any]:
    """Return the typed form as a sheet's data; what cannot be read is noted at its field."""
    data = typed.nested(_read_one)
    mix = data.get("mix")
    if isinstance(mix, dict) and isinstance(mix.get("reducer"), dict) and not mix["reducer"].get("name"):
        mix.pop("reducer")
    return data


def _read_one(typed: Typed, name: str) -> Any:
    text = str(typed.values.get(name, "")).strip()
    box = _box(name)
    if box is None or not text:
        return None
    if name in _LISTS:
        words = [word.strip() for word in text.split(",") if word.strip()]
        return [_number(typed, name, word) for word in words] if name == "nozzle_mm" else words
    if box.kind == "flag":
        return True
    if box.kind in ("words", "choice"):
        return text
    if box.kind in ("film", "temperature"):
        try:
            return read_quantity(text, box.kind, typed.units)
        except NotReadable as error:
            typed.notes[name] = str(error)
            return None
    if box.kind == "time":
        try:
            return read_minutes(text, soonest=_closes(typed, name))
        except NotReadable as error:
            typed.notes[name] = str(error)
            return None
    return _number(typed, name, text)


def _closes(typed: Typed, name: str) -> bool:
    """Whether a time ends something: of a range on the label the soonest counts."""
    row, _, last = name.rpartition(".")
    return last == "pot_life_minutes" or str(typed.values.get(f"{row}.name", "")) == "recoat_closes"


def _number(typed: Typed, name: str, text: str) -> float | None:
    try:
        return float(text.replace(",", "."))
    except ValueError:
        typed.notes[name] = f"“{text[:30]}” is no number."
        return None

"""What of an entry can be put right, kind by kind: the boxes of its form, what stands in them, how they are read."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, Literal

from cool_sheen.core.coatings.sheet_fields import TOUCH_WORDS
from cool_sheen.core.coatings.systems import COAT_WORDS
from cool_sheen.core.drying.milestones import WORDS
from cool_sheen.core.errors import CoreError
from cool_sheen.core.film.grits import MEAN_UM
from cool_sheen.core.inspection.readings import read_readings
from cool_sheen.core.log.entries import SAND_METHOD_WORDS
from cool_sheen.core.log.looked import MARK_WORDS
from cool_sheen.core.log.next_time import MOMENT_WORDS
from cool_sheen.core.log.spent import MOST_MINUTES, WORK_WORDS
from cool_sheen.core.units import amount
from cool_sheen.web.forms import Typed

Pairs = tuple[tuple[str, str], ...]
_YES_NO: Pairs = (("yes", "yes"), ("no", "no"))


@dataclass(frozen=True, slots=True)
class Box:
    """One field of an entry: what it is called, how it is typed, within which bounds."""

    name: str
    label: str
    how: Literal["choice", "yes_no", "quantity", "number", "text", "long", "readings"]
    choices: Pairs = ()
    dimension: str = ""
    low: float = 0.0
    high: float = 0.0
    most: int = 120

    def shows(self, payload: Any, units: str) -> str:
        """Return what stands in it."""
        value = getattr(payload, self.name)
        if self.how == "readings":
            places = [*payload.places, *[""] * len(value)]
            return "\n".join(
                f"{p}: {amount(um, 'film', units)}".lstrip(": ") for p, um in zip(places, value, strict=False)
            )
        if value is None:
            return ""
        if self.how == "quantity":
            return amount(value, self.dimension, units)
        if self.how == "yes_no":
            return "yes" if value else "no"
        return f"{value:g}" if isinstance(value, float) else str(value)

    def read(self, typed: Typed, payload: Any) -> dict[str, Any]:
        """Return what was typed as fields of the payload; what is wrong goes to the notes of the form."""
        if self.how == "readings":
            return self._readings(typed)
        if self.how == "quantity":
            if str(typed.values.get(self.name, "")).strip() == self.shows(payload, typed.units):
                return {}  # what is shown is rounded: untouched it stays as it was
            return {self.name: typed.quantity(self.name, self.dimension, self.low, self.high, optional=True)}
        if self.how == "number":
            return {self.name: typed.number(self.name, self.low, self.high)}
        text = typed.text(self.name, most=self.most)
        if self.choices and text not in dict(self.choices):
            typed.notes[self.name] = "Choose from the list."
        return {self.name: text == "yes" if self.how == "yes_no" else text}

    def _readings(self, typed: Typed) -> dict[str, Any]:
        try:
            read = read_readings(typed.text(self.name, most=4000), typed.units)
        except CoreError as error:
            typed.notes[self.name] = str(error)
            return {}
        places = tuple(r.where for r in read)
        return {self.name: tuple(r.um for r in read), "places": places if any(places) else ()}


_GRITS: Pairs = tuple((g, g) for g in MEAN_UM)
_MINUTES = Box("minutes", "Minutes", "number", low=0.0, high=1440)
_COATS: Pairs = tuple(COAT_WORDS.items())
BOXES: dict[str, tuple[Box, ...]] = {
    "coat": (
        Box("coat_kind", "Kind", "choice", _COATS),
        Box("wet_film_measured_um", "Wet film, measured", "quantity", dimension="film", high=20_000),
    ),
    "sand": (
        Box("grit", "Grit", "choice", _GRITS),
        Box("wet", "Wet", "yes_no", _YES_NO),
        Box("method", "How", "choice", tuple(SAND_METHOD_WORDS.items())),
        _MINUTES,
        Box("removal_um", "Film taken off", "quantity", dimension="film", low=-0.001, high=5000),
    ),
    "touch_test": (
        Box("ready", "Ready", "yes_no", _YES_NO),
        Box("milestone", "For what", "choice", tuple(WORDS.items())),
        Box("how", "Tested by", "choice", tuple(TOUCH_WORDS.items())),
    ),
    "film_reading": (Box("readings_um", "Readings", "readings"),),
    "mark": (
        Box("what", "What it is", "choice", tuple(MARK_WORDS.items())),
        Box("where", "Where, in words", "text"),
    ),
    "next_time": (
        Box("text", "Note", "long", most=400),
        Box("moment", "Comes back", "choice", tuple(MOMENT_WORDS.items())),
    ),
    "note": (Box("text", "Words", "long", most=4000),),
    "hours": (
        Box("work", "Kind of work", "choice", tuple(WORK_WORDS.items())),
        Box("minutes", "Minutes", "number", low=0.0, high=MOST_MINUTES),
        Box("note", "Words", "text", most=200),
    ),
    "bake": (Box("metal_temp_c", "Metal", "quantity", dimension="temperature", high=1200), _MINUTES),
    "own": (Box("note", "What was done", "text"), _MINUTES),
}


def boxes_of(payload: Any, choices: Mapping[str, Pairs]) -> tuple[Box, ...]:
    """Return the boxes of an entry; a step that only says that it was done has its minutes.

    Args:
        payload: What the entry says.
        choices: The choices of boxes that depend on the part, by the box's name.
    """
    found = BOXES.get(payload.kind, (_MINUTES,))
    return tuple(_with(box, choices[box.name]) if box.name in choices else box for box in found)


def _with(box: Box, choices: Pairs) -> Box:
    return Box(box.name, box.label, box.how, choices)


def read(boxes: tuple[Box, ...], typed: Typed, payload: Any) -> dict[str, Any]:
    """Return all that was typed as fields of the payload; what was left empty and can be nothing is nothing."""
    told: dict[str, Any] = {}
    for box in boxes:
        told |= box.read(typed, payload)
    if payload.kind == "sand" and told.get("removal_um") is not None:
        told["measured"] = True
    elif told.get("removal_um", 0) is None:
        typed.notes["removal_um"] = "Enter what it took off: 0 where it was nothing."
    return told

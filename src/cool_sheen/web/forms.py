"""Reading forms: what was typed is kept, and every wrong field gets its sentence."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any
from uuid import UUID
from zoneinfo import ZoneInfo

from cool_sheen.core.errors import NotReadable
from cool_sheen.core.units import read_quantity
from cool_sheen.service.unit import Refused


@dataclass(slots=True)
class Typed:
    """A form as it was typed, and the notes on what is wrong with it."""

    values: Mapping[str, Any]
    units: str = "metric"
    notes: dict[str, str] = field(default_factory=dict)

    def stop(self, said: str = "Check what was entered.") -> None:
        """Go no further when a field is wrong. Raises Refused with the notes."""
        if self.notes:
            raise Refused(said, self.notes)

    def text(self, name: str, what: str = "", most: int = 80) -> str:
        """Return a text; with ``what`` it must not be empty."""
        value = str(self.values.get(name, "")).strip()
        if what and not value:
            self.notes[name] = f"Enter {what}."
        elif len(value) > most:
            self.notes[name] = f"Enter {most} characters at most."
        return value

    def quantity(self, name: str, dimension: str, low: float, high: float, *, optional: bool = False) -> float | None:
        """Return a quantity in the unit inside, between two bounds (the lower one excluded)."""
        value = str(self.values.get(name, "")).strip()
        if not value and optional:
            return None
        try:
            number = read_quantity(value, dimension, self.units)
        except NotReadable as error:
            self.notes[name] = str(error)
            return None
        if not low < number <= high:
            least = "from 0 up" if -0.01 < low < 0 else f"more than {low:g} and up"
            self.notes[name] = f"Enter {least} to {high:g}, in the shop's units or with a unit."
            return None
        return number

    def number(self, name: str, low: float, high: float) -> float | None:
        """Return an optional plain number between two bounds."""
        value = str(self.values.get(name, "")).strip().replace(",", ".")
        if not value:
            return None
        try:
            number = float(value)
        except ValueError:
            number = float("nan")
        if not low <= number <= high:
            self.notes[name] = f"Enter a number from {low:g} to {high:g}."
            return None
        return number

    def uuid(self, name: str, note: str) -> UUID | None:
        """Return an id out of a list."""
        try:
            return UUID(str(self.values.get(name, "")))
        except ValueError:
            self.notes[name] = note
            return None

    def flag(self, name: str) -> bool:
        """Return whether a box is ticked."""
        return str(self.values.get(name, "")) in ("1", "on", "true")

    def nested(self, read: Callable[["Typed", str], Any]) -> dict[str, Any]:
        """Return fields with dotted names as nested data; a row of a list in which nothing was typed is left out."""
        tree: dict[str, Any] = {}
        for name in self.values:
            *path, last = str(name).split(".")
            here = tree
            for step in path:
                here = here.setdefault(step, {})
            value = read(self, str(name))
            if value is not None and value != "":
                here[last] = value
        return {key: made for key, value in tree.items() if (made := _listed(value)) != {}}

    def ticked(self, name: str) -> tuple[UUID, ...]:
        """Return the ids of a list of boxes, each named after what it ticks: ``zone_`` and the id."""
        try:
            return tuple(UUID(key.removeprefix(f"{name}_")) for key in self.values if key.startswith(f"{name}_"))
        except ValueError:
            self.notes[name] = "Choose from the list."
            return ()

    def moment(self, name: str, zone: ZoneInfo) -> datetime | None:
        """Return an optional local time of a date-and-time field."""
        value = str(self.values.get(name, "")).strip()
        if not value:
            return None
        try:
            return datetime.fromisoformat(value).replace(tzinfo=zone)
        except ValueError:
            self.notes[name] = "Enter date and time, such as 2026-06-08 14:30."
            return None


def _listed(value: Any) -> Any:
    """Turn ``{"0": ..., "1": ...}`` into a list, in order, without its empty rows."""
    if not isinstance(value, dict):
        return value
    made = {key: kept for key, inner in value.items() if (kept := _listed(inner)) != {}}
    if made and all(key.isdigit() for key in made):
        return [made[key] for key in sorted(made, key=int) if made[key] not in ({}, [], None, "")]
    return made

"""Reading forms: what was typed is kept, and every wrong field gets its sentence."""

import hashlib
import json
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta
from decimal import Decimal, InvalidOperation
from types import MappingProxyType
from typing import Any
from uuid import UUID
from zoneinfo import ZoneInfo

from cool_sheen.core.errors import NotReadable, TwoWays
from cool_sheen.core.units import bound, plain_figure, read_quantity
from cool_sheen.service.unit import Refused

SEEN = "seen"  # the field in which a form brings back the mark of what it was made from


class Stale(Refused):
    """A form was made from what is not there any more: somebody changed it meanwhile."""


def mark(there: Mapping[str, Any]) -> str:
    """Return a mark of what a form shows: another one as soon as any of it is changed."""
    text = json.dumps({name: str(value) for name, value in there.items() if name != SEEN}, sort_keys=True)
    return hashlib.sha256(text.encode()).hexdigest()[:16]


_FIRST_YEAR, _LAST_YEAR = 1970, 2200
_LONGEST_FIGURE = 100
_ROUNDING = 1e-9
_LONGEST_AGO_MIN = 7 * 24 * 60
_MOST_MONEY = 10_000_000


class Twice(ValueError):
    """A time of day that a clock shows twice, when it is put back."""

    def __init__(self, at: datetime, zone: ZoneInfo) -> None:
        first, second = (at.replace(tzinfo=zone, fold=fold) for fold in (0, 1))
        super().__init__(f"{at:%H:%M} came twice on {at:%-d %B %Y}, when the clocks were put back: say which.")
        self.ways = [
            ("first", f"the first {at:%H:%M} ({first.tzname()})"),
            ("second", f"the second {at:%H:%M} ({second.tzname()})"),
        ]


def on_the_clock(at: datetime, zone: ZoneInfo, which: str = "") -> datetime:
    """Put a time of day on a zone's clock.

    Args:
        at: Date and time without an offset.
        zone: The zone.
        which: Where the clock shows it twice, ``first`` or ``second``.

    Raises: Twice: which of the two was not said. ValueError: the clocks leave it out.
    """
    first, second = (at.replace(tzinfo=zone, fold=fold) for fold in (0, 1))
    if first.utcoffset() == second.utcoffset():
        return first
    if first.astimezone(UTC).astimezone(zone).replace(tzinfo=None) != at:
        raise ValueError(f"There was no {at:%H:%M} on {at:%-d %B %Y}: the clocks were put forward. Enter another time.")
    if which not in ("first", "second"):
        raise Twice(at, zone)
    return second if which == "second" else first


@dataclass(slots=True)
class Typed:
    """A form as it was typed, and the notes on what is wrong with it."""

    values: Mapping[str, Any]
    units: str = "metric"
    notes: dict[str, str] = field(default_factory=dict)
    asks: dict[str, list[tuple[str, str]]] = field(default_factory=dict)  # what is asked back, with its answers
    there: dict[str, str] = field(default_factory=dict)  # what stands there now, where somebody changed it meanwhile
    rows: dict[str, list[str]] = field(default_factory=dict)  # of each list that was read: in which rows it was typed

    @classmethod
    def of(cls, there: Mapping[str, Any], units: str) -> "Typed":
        """Return what stands there as a form that knows what it was made from."""
        return cls({**there, SEEN: mark(there)}, units)

    def check_seen(self, there: Mapping[str, Any], labels: Mapping[str, str] = MappingProxyType({})) -> None:
        """See to it that a form was made from what is there; call it where nobody else can write.

        Args:
            there: What the form would show if it were made now.
            labels: What its fields are called; only these are shown where it is given.

        Raises: Stale: somebody changed it meanwhile, and what was typed is not the same.
        """
        if not self.values.get(SEEN) or self.values[SEEN] == mark(there):
            return
        shown = {name: str(value) for name, value in there.items() if name != SEEN and (not labels or name in labels)}
        typed = {name: str(self.values.get(name, "")).strip() for name in shown}
        self.there = {name: value for name, value in shown.items() if value.strip() != typed[name]}
        self.values = {**self.values, SEEN: mark(there)}
        if not self.there:
            return
        now = "; ".join(f"{labels.get(n, n)}: {v or 'nothing'}" for n, v in list(self.there.items())[:6])
        raise Stale(
            "Somebody changed this meanwhile, and nothing was saved. What you typed stands here: press again to put it "
            f"in the place of what is there now ({now}).",
            status=409,
        )

    def stop(self, said: str = "Check what was entered.") -> None:
        """Go no further when a field is wrong. Raises Refused with the notes."""
        if self.notes:
            raise Refused(said, self.notes, asks=self.asks)

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
        value = self._short(name)
        if not value and optional:
            return None
        try:
            number = read_quantity(value, dimension, self.units)
        except NotReadable as error:
            self.notes[name] = str(error)
            return None
        if not low < number <= high + abs(high) * _ROUNDING:  # 113 °F is 45.00000000000006 °C
            least = "from 0" if -0.01 < low < 0 else f"more than {bound(low, dimension, self.units)} and"
            self.notes[name] = f"Enter {least} up to {bound(high, dimension, self.units)}."
            return None
        return number

    def money(self, name: str) -> Decimal | None:
        """Return an amount of money, exactly as it was typed; nothing typed is None."""
        figure = self._figure(name)
        if figure is None:
            return None
        try:
            value = Decimal(figure)
        except InvalidOperation:
            value = Decimal("NaN")
        if not value.is_finite() or not 0 <= value <= _MOST_MONEY or -int(value.as_tuple().exponent) > 4:
            self.notes[name] = "Enter an amount of money from 0 up, such as 480 or 23.50."
            return None
        return value

    def number(self, name: str, low: float, high: float) -> float | None:
        """Return an optional plain number between two bounds."""
        figure = self._figure(name)
        if figure is None:
            return None
        try:
            number = float(figure)
        except ValueError:
            number = float("nan")
        if not low <= number <= high:
            self.notes[name] = f"Enter a number from {low:g} to {high:g}."
            return None
        return number

    def _figure(self, name: str) -> str | None:
        """What a field has, as a plain figure; nothing where nothing was typed, or what can be read in two ways."""
        text = self._short(name)
        if not text:
            return None
        try:
            return plain_figure(text, self.units)
        except TwoWays as error:
            self.notes[name] = str(error)
            return None
        except NotReadable:
            return "nan"

    def _short(self, name: str) -> str:
        """Return what a field of figures has; no figure is longer."""
        return str(self.values.get(name, ""))[:_LONGEST_FIGURE].strip()

    def uuid(self, name: str, note: str) -> UUID | None:
        """Return an id out of a list."""
        try:
            return UUID(str(self.values.get(name, "")))
        except ValueError:
            self.notes[name] = note
            return None

    def file(self, name: str) -> bytes:
        """Return the bytes of a file that was chosen; nothing when something else came in its place."""
        content = self.values.get(f"{name}_content", b"")
        return content if isinstance(content, bytes) else b""

    def flag(self, name: str) -> bool:
        """Return whether a box is ticked."""
        return str(self.values.get(name, "")) in ("1", "on", "true")

    def nested(self, read: Callable[["Typed", str], Any]) -> dict[str, Any]:
        """Return fields with dotted names as nested data; a row of a list in which nothing was typed is left out."""
        tree: dict[str, Any] = {}
        for name in self.values:
            value = read(self, str(name))
            if value is None or value == "":
                continue
            *path, last = str(name).split(".")
            here: Any = tree
            for step in path:
                here = here.setdefault(step, {}) if isinstance(here, dict) else None
            if isinstance(here, dict):
                here[last] = value
        return {key: made for key, value in tree.items() if (made := _listed(value, key, self.rows)) != {}}

    def note_rows(self, notes: Mapping[str, str]) -> None:
        """Take what is said of nested data, at the rows in which it was typed: empty ones were left out of the data."""
        for path, words in notes.items():
            at = ""
            for part in path.split("."):
                rows = self.rows.get(at, ())
                row = rows[int(part)] if part.isdigit() and int(part) < len(rows) else part
                at = f"{at}.{row}" if at else row
            self.notes[at] = words

    def checked(self) -> tuple[str, ...]:
        """Return what is ticked of a step's checklist: each box has its words as its value."""
        return tuple(str(words)[:200] for name, words in self.values.items() if name.startswith("ask_"))

    def ticked(self, name: str) -> tuple[UUID, ...]:
        """Return the ids of a list of boxes, each named after what it ticks: ``zone_`` and the id."""
        try:
            return tuple(UUID(key.removeprefix(f"{name}_")) for key in self.values if key.startswith(f"{name}_"))
        except ValueError:
            self.notes[name] = "Choose from the list."
            return ()

    def ended(self, zone: ZoneInfo, now: datetime) -> datetime | None:
        """Return when something ended: at a time, or so many minutes ago; None when it was just now.

        A press that was kept on its device while nobody answered counts from when it was pressed.
        """
        at, pressed = self.moment("at", zone), self.pressed_at(zone)
        minutes = self.number("ago", 0, _LONGEST_AGO_MIN)
        if "at" in self.notes or not minutes:
            return at or pressed
        if at is not None:
            self.notes["at"] = "Enter a time, or choose how long ago it was: not both."
            return None
        return (pressed or now) - timedelta(minutes=minutes)

    def pressed_at(self, zone: ZoneInfo) -> datetime | None:
        """Return when a press was made that its device kept; None when it was sent at once."""
        return self.moment("kept_at", zone)

    def moment(self, name: str, zone: ZoneInfo) -> datetime | None:
        """Return an optional time of a date-and-time field, on the shop's clock unless an offset was typed.

        In the hour that the clocks run through twice it asks which of the two is meant; the field of the answer has
        the name with ``_which`` behind it. An hour that the clocks leave out is refused.
        """
        value = str(self.values.get(name, "")).strip()
        if not value:
            return None
        try:
            found = datetime.fromisoformat(value)
        except ValueError:
            self.notes[name] = "Enter date and time, such as 2026-06-08 14:30."
            return None
        if not _FIRST_YEAR <= found.year < _LAST_YEAR:
            self.notes[name] = f"Enter a year from {_FIRST_YEAR} to {_LAST_YEAR - 1}."
            return None
        if found.tzinfo is not None:
            return found
        which = str(self.values.get(f"{name}_which", ""))
        try:
            return on_the_clock(found, zone, which)
        except Twice as twice:
            self.notes[name], self.asks[name] = str(twice), twice.ways
        except ValueError as error:
            self.notes[name] = str(error)
        return None


def is_place(text: str) -> bool:
    """Whether a text is a place in a list: one or two plain digits."""
    return text.isascii() and text.isdigit() and len(text) < 3


def _listed(value: Any, path: str, rows: dict[str, list[str]]) -> Any:
    """Turn ``{"0": ..., "1": ...}`` into a list, in order, without its empty rows; ``rows`` notes which it has."""
    if not isinstance(value, dict):
        return value
    made = {key: kept for key, inner in value.items() if (kept := _listed(inner, f"{path}.{key}", rows)) != {}}
    if made and all(map(is_place, made)):
        rows[path] = [key for key in sorted(made, key=int) if made[key] not in ({}, [], None, "")]
        return [made[key] for key in rows[path]]
    return made

"""A sheet as a form: its fields and rows, how they are written, and how they are read back; in the shop's units."""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from cool_sheen.core.errors import NotReadable
from cool_sheen.core.mixing.ratios import read_share
from cool_sheen.core.once import cached_property
from cool_sheen.core.units import amount, plain_figure, read_minutes, read_quantity, shown
from cool_sheen.service.shelf import Difference
from cool_sheen.web.forms import Typed, is_place

TICK = "tick"  # boxes of a list of choices are called tick.LIST.CHOICE
MORE = "more"  # the button that asks for one more row of a list
_QUANTITIES = ("film", "temperature", "volume", "density", "coverage", "difference")
_SPARE = 1


@dataclass(frozen=True, slots=True)
class Box:
    """One field of the form."""

    name: str
    label: str
    kind: str = "number"  # number, time, a quantity, share, choice, flag, words, ticks
    unit: str = ""
    choices: tuple[tuple[str, str], ...] = ()
    hint: str = ""
    suggests: str = ""  # the id of a list of suggestions


def choice(name: str, label: str, choices: Any, hint: str = "") -> Box:
    """Return a field that is chosen from a list."""
    return Box(name, label, "choice", choices=tuple(choices), hint=hint)


def ticks(name: str, label: str, choices: Any, hint: str = "") -> Box:
    """Return a field of which several are ticked."""
    return Box(name, label, "ticks", choices=tuple(choices), hint=hint)


@dataclass(frozen=True)
class Layout:
    """The fields of a kind of sheet.

    ``rows`` are its lists of rows, each with a title; ``lists`` those of plain words with commas between; ``groups``
    what a whole group of fields is called; ``share_of`` which field says what a share is a percentage of; ``soonest``
    the times of which the sooner end counts.
    """

    boxes: tuple[Box, ...]
    rows: Mapping[str, tuple[str, tuple[Box, ...]]] = field(default_factory=dict)
    lists: tuple[str, ...] = ()
    groups: Mapping[str, str] = field(default_factory=dict)
    row_words: Mapping[str, str] = field(default_factory=dict)
    share_of: str = ""
    soonest: tuple[str, ...] = ()

    @cached_property
    def named(self) -> dict[str, Box]:
        """The fields by name."""
        return {box.name: box for box in self.boxes}

    def box(self, name: str) -> Box | None:
        """Return the field behind a name: rows share theirs."""
        if name in self.named:
            return self.named[name]
        *path, last = name.split(".")
        if path[:1] == [TICK]:
            of = self.named.get(".".join(path[1:]))
            words = dict(of.choices).get(last) if of else None
            return Box(name, f"{of.label}, {words}", "flag") if of and words else None
        group = self.rows.get(".".join(path[:-1]))
        return next((box for box in group[1] if box.name == last), None) if group else None

    def label_of(self, place: str) -> str:
        """Return what the form calls a field, a row or a group of them."""
        box = self.box(place)
        for group, (title, _) in self.rows.items():
            row = place.removeprefix(f"{group}.").partition(".")[0]
            if place.startswith(f"{group}."):
                named = f"row {int(row) + 1}" if is_place(row) else self.row_words.get(row, row)
                return f"{title}, {named}" + (f", {box.label}" if box else "")
        spoken = place.replace("_", " ").replace(".", ", ")
        return box.label if box else self.groups.get(place.partition(".")[0], spoken)

    @property
    def labels(self) -> Mapping[str, str]:
        """What the form calls each of its fields, however many rows it has."""
        return _Labels(self)

    # --- writing --------------------------------------------------------------------------------
    def values_of(self, sheet: Any, units: str) -> dict[str, str]:
        """Return a sheet as the form's texts, in the shop's units."""
        out: dict[str, str] = {}
        self._write(sheet.model_dump(mode="json", exclude_none=True), "", out, units)
        return out

    def _write(self, data: Any, path: str, out: dict[str, str], units: str) -> None:
        if isinstance(data, dict):
            for key, value in data.items():
                self._write(value, f"{path}.{key}" if path else key, out, units)
        elif isinstance(data, list) and path in self.named and self.named[path].kind == "ticks":
            out |= {f"{TICK}.{path}.{value}": "1" for value in data}
            out[f"{TICK}.{path}"] = ",".join(map(str, data))  # in their order: the first one is the usual one
        elif isinstance(data, list) and path not in self.lists:
            for place, value in enumerate(data):
                self._write(value, f"{path}.{place}", out, units)
        elif isinstance(data, list):
            out[path] = ", ".join(str(value) for value in data)
        elif isinstance(data, bool):
            out[path] = "1" if data else ""
        else:
            out[path] = _figure(data, self.box(path), units)

    def said_of(self, changes: Sequence[Difference], units: str) -> list[Difference]:
        """Say what differs between two sheets as the form does: its labels, choices and units."""
        return [
            Difference(self.label_of(c.field), *(_said(text, self.box(c.field), units) for text in (c.was, c.now)))
            for c in changes
        ]

    # --- rows -----------------------------------------------------------------------------------
    def rows_of(self, values: Mapping[str, Any]) -> dict[str, int]:
        """Return how many rows each list of the form shows: those that are filled, and one or more to fill."""
        return {name: self._count(name, values) for name in self.rows}

    def _count(self, name: str, values: Mapping[str, Any]) -> int:
        filled = {
            int(place)
            for key, value in values.items()
            if key.startswith(f"{name}.")
            and value not in ("", None)
            and is_place(place := key.removeprefix(f"{name}.").partition(".")[0])
        }
        there = {
            int(place)
            for key in values
            if key.startswith(f"{name}.") and is_place(place := key.removeprefix(f"{name}.").partition(".")[0])
        }
        asked = max(there, default=-1) + 2 if values.get(MORE) == name else 0
        return min(40, max(1 + max(filled, default=-1) + _SPARE, asked))

    # --- reading --------------------------------------------------------------------------------
    def read(self, typed: Typed) -> dict[str, Any]:
        """Return the typed form as a sheet's data; what cannot be read is noted at its field."""
        data = typed.nested(self._read_one)
        ticked = data.pop(TICK, {})
        for box in self.boxes:
            asked = f"{TICK}.{box.name}"
            if box.kind == "ticks" and any(name == asked or name.startswith(f"{asked}.") for name in typed.values):
                mine = ticked.get(box.name) if isinstance(ticked, dict) else None
                before = str(typed.values.get(asked, "")).split(",")
                known = [key for key, _ in box.choices]
                keys = [*(k for k in before if k in known), *(k for k in known if k not in before)]
                data[box.name] = [key for key in keys if isinstance(mine, dict) and mine.get(key)]
        return data

    def _read_one(self, typed: Typed, name: str) -> Any:
        text = str(typed.values.get(name, "")).strip()
        box = self.box(name)
        if box is None or not text:
            return None
        if name in self.lists:
            words = [word.strip() for word in text.split(",") if word.strip()]
            return [_number(typed, name, word) for word in words] if box.kind == "number" else words
        if box.kind == "flag":
            return True
        if box.kind in ("words", "choice", "ticks", "colour"):
            return text
        return self._quantity(typed, name, box, text)

    def _quantity(self, typed: Typed, name: str, box: Box, text: str) -> float | None:
        try:
            if box.kind in _QUANTITIES:
                return read_quantity(text, box.kind, typed.units)
            if box.kind == "time":
                return read_minutes(text, soonest=self._closes(typed, name))
            if box.kind == "share":
                of = str(typed.values.get(self.share_of, ""))
                return read_share(text, of if of in ("paint", "ready") else "mixed")  # type: ignore[arg-type]
        except NotReadable as error:
            typed.notes[name] = str(error)
            return None
        return _number(typed, name, text)

    def _closes(self, typed: Typed, name: str) -> bool:
        """Whether a time ends something: of a range on the label the soonest counts."""
        row, _, last = name.rpartition(".")
        return last in self.soonest or str(typed.values.get(f"{row}.name", "")) in self.soonest


class _Labels(Mapping[str, str]):
    """What a form calls each of its fields, however many rows it has."""

    def __init__(self, layout: Layout) -> None:
        self.layout = layout

    def __getitem__(self, place: str) -> str:
        return self.layout.label_of(place)

    def __contains__(self, place: object) -> bool:
        return place != "key" and self.layout.box(str(place)) is not None

    def __iter__(self) -> Iterator[str]:
        return iter(())

    def __len__(self) -> int:
        return 1


def _figure(value: Any, box: Box | None, units: str) -> str:
    if isinstance(value, str):
        return value
    if box is not None and box.kind in _QUANTITIES:
        number = shown(value, box.kind, units)[0]
        return f"{number:.5g}"
    return as_printed(value) if box is not None and box.kind == "time" else f"{value:g}"


def as_printed(minutes: float) -> str:
    """Write a time as labels print it, exactly: ``25 min``, ``16 h``, ``7 days``. Source: docs/trade.md, Clock."""
    for size, sign in ((1440, "days"), (60, "h")):
        if minutes >= 2 * size and minutes % size == 0:
            return f"{minutes / size:g} {sign}"
    return f"{minutes:g} min"


def _said(text: str, box: Box | None, units: str) -> str:
    if box is None or text in ("–", "nothing"):
        return text
    if box.kind == "flag":
        return "yes" if text == "True" else "no"
    if box.kind in _QUANTITIES:
        return amount(float(text), box.kind, units)
    if box.kind == "time":
        return as_printed(float(text))
    if box.kind == "ticks":  # as a list of words stands in the data
        return ", ".join(words for key, words in box.choices if f"'{key}'" in text) or "nothing"
    return dict(box.choices).get(text, f"{text} {box.unit}".strip())


def _number(typed: Typed, name: str, text: str) -> float | None:
    try:
        return float(plain_figure(text, typed.units))
    except (NotReadable, ValueError) as error:
        said = str(error) if isinstance(error, NotReadable) else ""
        typed.notes[name] = said or f"“{text[:30]}” is no number."
        return None

"""The shelf: what ships, and the shop's own versions of it. An edit makes a new revision; parts keep theirs."""

import re
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, Literal
from uuid import UUID

from pydantic import BaseModel, ValidationError
from sqlalchemy import select

from cool_sheen.core.coatings.products import Product
from cool_sheen.core.coatings.supplies import Supply
from cool_sheen.core.coatings.systems import System
from cool_sheen.core.complaints import complaints
from cool_sheen.core.log.entries import NotePayload
from cool_sheen.formats.catalogue import missing_in
from cool_sheen.formats.documents import Document, Unsound
from cool_sheen.service.journal import Press, write_on_part
from cool_sheen.service.shelf_now import SHEETS, WholeShelf, shelf_now, version_of
from cool_sheen.service.unit import Missing, Refused, Unit
from cool_sheen.store.models import Part, ProductRevision, ShelfSheet

_MOST_EARLIER = 30


def sheets_of(shelf: WholeShelf, kind: str) -> Mapping[str, Product | Supply | System]:
    """Return the sheets of a kind. Raises Missing."""
    found: dict[str, Mapping[str, Any]] = {
        "product": shelf.products,
        "supply": shelf.supplies,
        "system": shelf.systems,
    }
    if kind not in found:
        raise Missing("kind of sheet")
    return found[kind]


def read_sheet(kind: str, data: Mapping[str, Any]) -> Product | Supply | System:
    """Read a sheet from plain data. Raises Refused with a note at each field that is wrong."""
    try:
        return SHEETS[kind].model_validate(data)
    except ValidationError as error:
        raise Refused("The sheet is not sound.", complaints(error, "sheet")) from error


def check_names(unit: Unit, shelf: WholeShelf, sheet: Product | Supply | System) -> None:
    """Check that what a sheet names is there. Raises Refused."""
    notes = {}
    if isinstance(sheet, System):
        missing = missing_in({sheet.key: sheet}, shelf.products, shelf.supplies)
        notes = {place.partition(".")[2]: f"There is no “{name}” on the shelf." for place, name in missing}
    elif strange := [key for key in sheet.cautions if key not in unit.catalogue.cautions]:
        known = ", ".join(unit.catalogue.cautions)
        notes = {"cautions": f"There is no caution “{strange[0]}”: use {known}."}
    if notes:
        raise Refused("The sheet names what is not there.", notes)


def key_of(name: str) -> str:
    """Make a key out of a name."""
    return re.sub(r"[^a-z0-9]+", "-", name.lower()).strip("-")[:50] or "sheet"


def save(unit: Unit, kind: str, sheet: Product | Supply | System, *, new: bool = False) -> None:
    """Put a sheet on the shelf. A product's data become a revision; the one before stays for the parts that use it.

    Raises: Refused: a new sheet under a key that is taken, or names that are not on the shelf.
    """
    shelf = shelf_now(unit)
    if new and sheet.key in sheets_of(shelf, kind):
        raise Refused("This key is taken.", {"key": "Choose another key: this one is on the shelf already."})
    check_names(unit, shelf, sheet)
    if isinstance(sheet, Product):
        if notes := sheet.contradictions():
            raise Refused("The times of the sheet contradict each other.", notes)
        unit.keep(sheet)
    row = unit.session.get(ShelfSheet, (kind, sheet.key))
    before = sheets_of(shelf, kind).get(sheet.key)
    data = sheet.model_dump(mode="json")
    if row is None:
        row = ShelfSheet(kind=kind, key=sheet.key, earlier=[], updated_at=unit.now)
        unit.session.add(row)
    _write(unit, row, data, before.model_dump(mode="json") if before is not None and before != sheet else None)
    unit.session.flush()


def _write(unit: Unit, row: ShelfSheet, data: dict[str, Any], before: dict[str, Any] | None) -> None:
    if before is not None:
        row.earlier = [*row.earlier, before][-_MOST_EARLIER:]
    # Two edits in one tick of a turned clock must not look like one: the version of the shelf goes by this time.
    row.data, row.updated_at = data, max(unit.now, _later(row))


def _later(row: ShelfSheet) -> Any:
    return row.updated_at.replace(microsecond=min(row.updated_at.microsecond + 1, 999_999))


def take_back(unit: Unit, kind: str, key: str) -> bool:
    """Put the sheet back to how it was before the last change; False when there is nothing before."""
    row = unit.session.get(ShelfSheet, (kind, key))
    if row is None or not row.earlier:
        return False
    *rest, before = row.earlier
    row.data, row.earlier, row.updated_at = before, rest, max(unit.now, _later(row))
    unit.session.flush()
    return True


def remove(unit: Unit, kind: str, key: str) -> str:
    """Take the shop's own sheet off the shelf; what ships stands again. Parts keep their copies.

    Returns: What happened, in words.
    Raises: Refused: it is not the shop's own, or a system on the shelf still needs it.
    """
    row = unit.session.get(ShelfSheet, (kind, key))
    if row is None:
        raise Refused("This sheet ships with the program: it can be changed, but not taken away.", status=409)
    shelf = shelf_now(unit)
    c = unit.catalogue
    ships = key in {"product": set(c.products), "supply": set(c.supplies), "system": set(c.systems)}[kind]
    users = [s.name for s in shelf.systems.values() if kind == "product" and key in s.products()]
    if users and not ships:
        raise Refused(f"{users[0]} needs this product: change that system first.", status=409)
    unit.session.delete(row)
    unit.session.flush()
    return "The sheet that ships stands again." if ships else "It is off the shelf."


@dataclass(frozen=True, slots=True)
class Difference:
    """One field that is not the same in two sheets."""

    field: str
    was: str
    now: str


def differences(before: BaseModel, after: BaseModel) -> list[Difference]:
    """Say what changed between two sheets, field by field, by dotted path."""
    was, now = _flat(before.model_dump(mode="json")), _flat(after.model_dump(mode="json"))
    names = dict.fromkeys([*was, *now])
    return [Difference(n, was.get(n, "–"), now.get(n, "–")) for n in names if was.get(n) != now.get(n)]


def _flat(data: Any, path: str = "") -> dict[str, str]:
    if isinstance(data, dict):
        pairs = data.items()
    elif isinstance(data, list) and data and isinstance(data[0], dict):
        # Lists of named rows are compared by name: one more milestone in front moves no other.
        pairs = {str(row.get("name", n)): row for n, row in enumerate(data)}.items()
    else:
        text = "nothing" if data in (None, [], "") else f"{data:g}" if isinstance(data, float) else str(data)
        return {path: text}
    out: dict[str, str] = {}
    for name, value in pairs:
        out |= _flat(value, f"{path}.{name}" if path else str(name))
    return out


@dataclass(frozen=True)
class Newer:
    """A product of a part for which the shelf has other data than the part was planned with."""

    key: str
    name: str
    changes: list[Difference]


def newer_data(unit: Unit, part: Part) -> list[Newer]:
    """Return where the shelf has moved on since a part was planned."""
    shelf = shelf_now(unit).products
    out = []
    for key, content in part.revisions.items():
        mine = unit.revision(content)
        if key in shelf and shelf[key] != mine:
            out.append(Newer(key, shelf[key].name, differences(mine, shelf[key])))
    return out


def take_newer(unit: Unit, part: Part, keys: list[str], press: UUID) -> None:
    """Plan a part with the shelf's data of now, and say so in its log. Coats that are on keep theirs."""
    shelf = shelf_now(unit).products
    taken = [key for key in keys if key in part.revisions and key in shelf]
    if not taken:
        raise Refused("There is nothing newer to take.", status=409)
    part.revisions = part.revisions | {key: unit.keep(shelf[key]) for key in taken}
    names = ", ".join(shelf[key].name for key in taken)
    write_on_part(unit, part, NotePayload(text=f"Took the shelf's new data of {names}"), Press(press))


@dataclass(frozen=True)
class Coming:
    """One sheet of a document, against the shelf."""

    kind: str
    key: str
    name: str
    state: Literal["new", "changed", "same"]
    changes: list[Difference]


def compare(unit: Unit, document: Document) -> list[Coming]:
    """Say what a document would bring. Raises Unsound when a sheet names what neither it nor the shelf has."""
    shelf = shelf_now(unit)
    products = shelf.products | {p.key: p for p in document.products}
    supplies = shelf.supplies | {s.key: s for s in document.supplies}
    places = {s.key: f"systems.{n} ({s.key})" for n, s in enumerate(document.systems)}
    wrong = [
        (place.replace(place.partition(".")[0], places[place.partition(".")[0]], 1), f"there is no “{name}”")
        for place, name in missing_in({s.key: s for s in document.systems}, products, supplies)
    ]
    named = [("products", n, p.key, p.cautions) for n, p in enumerate(document.products)]
    named += [("supplies", n, s.key, s.cautions) for n, s in enumerate(document.supplies)]
    wrong += [
        (f"{kind}.{n} ({key}).cautions", f"there is no caution “{name}”")
        for kind, n, key, cautions in named
        for name in cautions
        if name not in unit.catalogue.cautions
    ]
    if wrong:
        raise Unsound("Nothing was taken: the file names what neither it nor the shelf has.", wrong)
    return [_coming(kind, sheet, sheets_of(shelf, kind).get(sheet.key)) for kind, sheet in _each(document)]


def _each(document: Document) -> list[tuple[str, Product | Supply | System]]:
    return [
        *(("product", p) for p in document.products),
        *(("supply", s) for s in document.supplies),
        *(("system", s) for s in document.systems),
    ]


def _coming(kind: str, sheet: Product | Supply | System, before: Product | Supply | System | None) -> Coming:
    if before is None:
        return Coming(kind, sheet.key, sheet.name, "new", [])
    if before == sheet:
        return Coming(kind, sheet.key, sheet.name, "same", [])
    return Coming(kind, sheet.key, sheet.name, "changed", differences(before, sheet))


@dataclass(frozen=True)
class Taking:
    """A document that was held against a shelf and is ready to be written.

    Attributes:
        version: Of that shelf: another one has to be compared anew.
        sheets: What is new or changed: kind, sheet, its data, and those of the one that it replaces.
    """

    version: tuple[object, ...]
    sheets: list[tuple[str, Product | Supply | System, dict[str, Any], dict[str, Any] | None]]


def prepare(unit: Unit, document: Document) -> Taking:
    """Get a document ready to be taken, so that nobody has to wait while it is. Raises Unsound."""
    shelf = shelf_now(unit)
    states = {(c.kind, c.key): c.state for c in compare(unit, document)}
    ready = []
    for kind, sheet in _each(document):
        if states[kind, sheet.key] != "same":
            before = sheets_of(shelf, kind).get(sheet.key)
            data = sheet.model_dump(mode="json")
            ready.append((kind, sheet, data, before.model_dump(mode="json") if before is not None else None))
    return Taking(shelf.version, ready)


def take(unit: Unit, taking: Taking) -> int | None:
    """Put what was prepared on the shelf, all of it or nothing.

    Returns: How many sheets were new or changed; None when the shelf was changed since: it has to be prepared again.
    """
    if version_of(unit) != taking.version:
        return None
    rows = {(row.kind, row.key): row for row in unit.session.scalars(select(ShelfSheet))}
    kept = set(unit.session.scalars(select(ProductRevision.content_hash)))
    for kind, sheet, data, before in taking.sheets:
        if isinstance(sheet, Product) and (name := sheet.content_hash) not in kept:
            kept.add(name)
            unit.session.add(ProductRevision(content_hash=name, key=sheet.key, data=data, recorded_at=unit.now))
        row = rows.get((kind, sheet.key))
        if row is None:
            row = ShelfSheet(kind=kind, key=sheet.key, earlier=[], updated_at=unit.now)
            unit.session.add(row)
        _write(unit, row, data, before)
    unit.session.flush()
    return len(taking.sheets)


def document_of(shelf: WholeShelf, wanted: set[tuple[str, str]] | None = None) -> Document:
    """Return sheets as a document: all of the shelf, or the wanted ones with the products that they need."""
    if wanted is None:
        return Document(
            products=tuple(shelf.products.values()),
            supplies=tuple(shelf.supplies.values()),
            systems=tuple(shelf.systems.values()),
        )
    systems = tuple(s for key, s in shelf.systems.items() if ("system", key) in wanted)
    products = {key for kind, key in wanted if kind == "product"} | {p for s in systems for p in s.products()}
    supplies = {key for kind, key in wanted if kind == "supply"} | {
        la.broadcast for s in systems for la in s.layers if la.broadcast
    }
    return Document(
        products=tuple(p for key, p in shelf.products.items() if key in products),
        supplies=tuple(s for key, s in shelf.supplies.items() if key in supplies),
        systems=systems,
    )

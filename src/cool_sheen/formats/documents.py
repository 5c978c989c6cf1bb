"""Products, supplies and systems as one JSON document: written out, read in, checked whole before use."""

import json
from collections.abc import Iterable
from typing import Annotated, Any, Literal

from pydantic import Field, ValidationError

from cool_sheen.core.coatings.products import Product
from cool_sheen.core.coatings.sheet_fields import Strict
from cool_sheen.core.coatings.supplies import Supply
from cool_sheen.core.coatings.systems import System
from cool_sheen.core.complaints import complaint

MOST_BYTES = 4_000_000
_MOST_IN_ONE = 1000  # fields of an object, values of a list
_SHOWN, _LONGEST_PLACE = 20, 160


class Unsound(Exception):
    """A document that cannot be taken; ``places`` says where and why."""

    def __init__(self, message: str, places: Iterable[tuple[str, str]] = ()) -> None:
        super().__init__(message)
        self.places = list(places)


class Document(Strict):
    """A file of sheets. Unknown fields are refused; what is left out has the sheet's default."""

    format: Literal["cool-sheen-shelf"] = "cool-sheen-shelf"
    version: Literal[1] = 1
    products: Annotated[tuple[Product, ...], Field(max_length=1000)] = ()
    supplies: Annotated[tuple[Supply, ...], Field(max_length=1000)] = ()
    systems: Annotated[tuple[System, ...], Field(max_length=500)] = ()


def schema() -> dict[str, Any]:
    """Return the JSON Schema of a document."""
    made = Document.model_json_schema()
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "Cool Sheen shelf document",
        "description": "Units are in the field names; times are minutes at the product's reference climate and film.",
        **{k: v for k, v in made.items() if k not in ("title", "description")},
    }


def written(document: Document) -> str:
    """Return a document as JSON text."""
    return json.dumps(document.model_dump(mode="json", exclude_defaults=False), ensure_ascii=False, indent=1) + "\n"


def read(content: bytes) -> Document:
    """Read a document.

    Args:
        content: The bytes of a file.

    Returns: The document, every sheet of it sound.
    Raises: Unsound: too large, no JSON, unknown fields, a sheet that cannot be; with the places.
    """
    data = loaded(content, MOST_BYTES)
    _bounded(data)
    if not isinstance(data, dict):
        raise Unsound("A document is an object with products, supplies or systems.")
    if data.get("format") != "cool-sheen-shelf":
        raise Unsound('A document says "format": "cool-sheen-shelf"; this one does not.', [("format", "missing")])
    try:
        document = Document.model_validate(data)
    except ValidationError as error:
        raise Unsound(_summary(error.error_count()), places_of(error, data)) from None
    if doubles := _doubles(document):
        raise Unsound("A key stands twice in the file.", [(place, "this key stands twice") for place in doubles])
    return document


def loaded(content: bytes, most: int) -> Any:
    """Return what a file of JSON says.

    Args:
        content: The bytes of a file.
        most: How many of them are read.

    Raises: Unsound: too large, empty, no JSON, cut off, nested too deeply; with characters that no text has.
    """
    if len(content) > most:
        raise Unsound(f"The file has {len(content) / 1e6:.1f} MB; up to {most / 1e6:.0f} MB are read.")
    if not content.strip():
        raise Unsound("The file is empty.")
    try:
        data = json.loads(content.decode("utf-8-sig"), parse_constant=_no_constant, object_pairs_hook=_once)
    except UnicodeDecodeError:
        raise Unsound("This is no text file: a document is JSON in UTF-8.") from None
    except json.JSONDecodeError as error:
        place, why = f"line {error.lineno}, column {error.colno}", error.msg.removesuffix(" at")
        if not content.rstrip().endswith((b"}", b"]")):
            raise Unsound(f"This file is cut off: its JSON does not end ({place}). Copy it over again.") from None
        raise Unsound(f"This is no JSON: {why} at {place}.", [(place, why)]) from None
    except RecursionError:
        raise Unsound("The file is nested too deeply to be a document.") from None
    if b"\\u" in content and (where := _no_text(data)):
        raise Unsound("The file has a character that no text has.", [(where, "a character that no text has")])
    return data


def _no_text(data: Any) -> str:
    """Where a string has half of a character, or a nought; nothing when none has."""
    rows: list[tuple[str, Any]] = [("", data)]
    while rows:
        place, here = rows.pop()
        if isinstance(here, str) and ("\0" in here or any("\ud800" <= c <= "\udfff" for c in here)):
            return place[1:] or "the whole"
        if isinstance(here, dict):
            rows += [(f"{place}.{name[:40]}", value) for name, value in here.items()]
            rows += [(f"{place}.a name", name) for name in here]
        elif isinstance(here, list):
            rows += [(f"{place}.{n}", value) for n, value in enumerate(here)]
    return ""


def _no_constant(name: str) -> float:
    raise Unsound(f"{name} is no number that a sheet can have.")


def _bounded(data: Any) -> None:
    """Refuse lists that are longer than any sheet has: each of their values would be complained about."""
    rows = [data]
    while rows:
        here = rows.pop()
        if isinstance(here, list) and len(here) > _MOST_IN_ONE:
            raise Unsound(f"A list of this file has {len(here):,} values; up to {_MOST_IN_ONE:,} are read.")
        rows += here.values() if isinstance(here, dict) else here if isinstance(here, list) else ()


def _once(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
    if len(pairs) > _MOST_IN_ONE:
        raise Unsound(f"An object of this file has {len(pairs):,} fields; no sheet has more than {_MOST_IN_ONE:,}.")
    found: dict[str, Any] = {}
    for name, value in pairs:
        if name in found:
            raise Unsound(f"The field “{name[:40]}” stands twice in one object.", [(name[:40], "stands twice")])
        found[name] = value
    return found


def _summary(count: int) -> str:
    return f"Nothing was taken: {count} {'place is' if count == 1 else 'places are'} wrong."


def places_of(error: ValidationError, data: dict[str, Any] | None = None) -> list[tuple[str, str]]:
    """Return where a document is wrong, and why: the first places.

    Args:
        error: What was found.
        data: The document, where its sheets are to be named by their keys.
    """
    out = []
    for one in error.errors()[:_SHOWN]:
        place = ".".join(str(p) for p in one["loc"])
        out.append(((_named(one["loc"], data or {}) or place)[:_LONGEST_PLACE], complaint(dict(one))))
    return out


def _named(loc: tuple[int | str, ...], data: dict[str, Any]) -> str:
    """Return a place with the key of its sheet, such as ``products.2 (my-clear).limits.air_min_c``."""
    if len(loc) < 2 or not isinstance(loc[1], int):
        return ".".join(str(p) for p in loc)
    rows = data.get(str(loc[0]))
    row = rows[loc[1]] if isinstance(rows, list) and loc[1] < len(rows) else None
    key = str(row.get("key", ""))[:60] if isinstance(row, dict) else ""
    head = f"{loc[0]}.{loc[1]}" + (f" ({key})" if key else "")
    return ".".join([head, *(str(p) for p in loc[2:])])


def _doubles(document: Document) -> list[str]:
    out = []
    for kind in ("products", "supplies", "systems"):
        seen: set[str] = set()
        for place, sheet in enumerate(getattr(document, kind)):
            if sheet.key in seen:
                out.append(f"{kind}.{place} ({sheet.key}).key")
            seen.add(sheet.key)
    return out

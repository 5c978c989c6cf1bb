"""A whole project as one JSON file: written out, read in, checked whole before use."""

import base64
import binascii
import hashlib
from functools import cache
from itertools import islice
from typing import Any

from pydantic import ValidationError

from cool_sheen.formats.documents import Unsound, loaded, places_of
from cool_sheen.formats.project_document import FileSaid, ProjectDocument
from cool_sheen.formats.project_links import loose_ends

FORMAT, VERSION = "cool-sheen-project", 1
MOST_BYTES = 64_000_000
_MOST_TOLD = 20


def pictures(document: ProjectDocument) -> dict[str, bytes]:
    """Return the photos of a document by their hash. Raises Unsound: one is not what it is called."""
    out, wrong = {}, []
    for n, said in enumerate(document.files):
        try:
            picture = base64.b64decode(said.jpeg, validate=True)
        except (binascii.Error, ValueError):
            wrong.append((f"files.{n}.jpeg", "this is no picture in base 64"))
            continue
        if hashlib.sha256(picture).hexdigest() != said.content_hash:
            wrong.append((f"files.{n}.jpeg", "its name is not the hash of its content: it is damaged"))
        out[said.content_hash] = picture
    if wrong:
        raise Unsound(nothing_taken(len(wrong)), wrong)
    return out


def as_file(name: str, picture: bytes) -> FileSaid:
    """Return a photo as it stands in a document."""
    return FileSaid(content_hash=name, jpeg=base64.b64encode(picture).decode())


@cache
def schema() -> dict[str, Any]:
    """Return the JSON Schema of a document."""
    made = ProjectDocument.model_json_schema()
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "Cool Sheen project document",
        "description": "Units are in the field names; instants have their offset from UTC; files are JPEG in base 64.",
        **{k: v for k, v in made.items() if k not in ("title", "description")},
    }


def written(document: ProjectDocument) -> str:
    """Return a document as JSON text."""
    return document.model_dump_json() + "\n"


def read(content: bytes) -> ProjectDocument:
    """Read a document.

    Args:
        content: The bytes of a file.

    Returns: The document, every row of it sound, and every name in it pointing at something.
    Raises: Unsound: too large, no JSON, of a newer program, cut off, a row that cannot be; with the places.
    """
    data = loaded(content, MOST_BYTES)
    if not isinstance(data, dict) or data.get("format") != FORMAT:
        raise Unsound(f'A project says "format": "{FORMAT}"; this file does not.', [("format", "missing")])
    version = data.get("version")
    if isinstance(version, int) and version > VERSION:
        raise Unsound(
            f"This file has version {version}, of a newer program than this one, which reads version {VERSION}: bring "
            "the program up to date first."
        )
    try:
        document = ProjectDocument.model_validate(data)
    except ValidationError as error:
        raise Unsound(nothing_taken(error.error_count()), places_of(error)) from None
    if wrong := list(islice(loose_ends(document), _MOST_TOLD)):
        raise Unsound(f"Nothing was taken: the file names what it does not have, or has twice ({len(wrong)}).", wrong)
    return document


def nothing_taken(count: int) -> str:
    """Say that a file was refused whole, for so many places."""
    return f"Nothing was taken: {count} {'place is' if count == 1 else 'places are'} wrong."

"""Who is at a device: chosen there, kept in its cookie, and said by what it logs."""

from urllib.parse import unquote

from fastapi import Request

from cool_sheen.service.unit import NOBODY

PERSON = "person"
_MOST_LETTERS = 40


def person_said(text: str) -> str:
    """Return a name as it was typed, fit for a log; empty for none."""
    return " ".join("".join(c if c.isprintable() else " " for c in text).split())[:_MOST_LETTERS]


def person_of(request: Request) -> str:
    """Return who was chosen on a device; "shop" where nobody was."""
    return person_said(unquote(request.cookies.get(PERSON, ""))) or NOBODY

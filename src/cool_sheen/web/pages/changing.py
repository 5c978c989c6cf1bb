"""One change to the records, and back to the page; a refusal shows the page with what was typed."""

from collections.abc import Callable
from typing import Any

from fastapi import Request
from fastapi.responses import RedirectResponse, Response
from sqlalchemy.orm import Session

from cool_sheen.core.errors import CoreError
from cool_sheen.service.desk import Desk, Refused
from cool_sheen.web.forms import Typed
from cool_sheen.web.parts import PagesDep

Show = Callable[[Request, Desk, PagesDep, Session, Typed, int], Response]


def changed(
    request: Request,
    desk: Desk,
    pages: PagesDep,
    form: dict[str, Any],
    do: Callable[[Session, Typed], None],
    back: str,
    show: Show,
) -> Response:
    """Do one change, and go back; a refusal shows the page with what was typed."""
    with desk.open() as opened:
        shop = desk.shop(opened)
    if shop is None:
        return RedirectResponse("/start", 303)
    typed = Typed(form, shop.units)
    try:
        with desk.open() as opened:
            do(opened, typed)
    except (Refused, CoreError) as refusal:
        if getattr(refusal, "status", 422) == 404:
            raise
        typed.notes.update(getattr(refusal, "notes", {}))
        typed.notes.setdefault("form", str(refusal))
        with desk.open() as opened:
            return show(request, desk, pages, opened, typed, 422)
    return RedirectResponse(back, 303)

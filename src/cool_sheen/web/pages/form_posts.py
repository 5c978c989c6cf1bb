"""One change to the records, and back to the page; a refusal shows the page with what was typed."""

from collections.abc import Callable
from typing import Any

from fastapi import Request
from fastapi.responses import RedirectResponse, Response

from cool_sheen.core.errors import CoreError
from cool_sheen.service.unit import Refused, Unit, Workshop
from cool_sheen.web.depends import PagesDep
from cool_sheen.web.forms import Typed

Show = Callable[[Request, Unit, PagesDep, Typed, int], Response]


def changed(
    request: Request,
    workshop: Workshop,
    pages: PagesDep,
    form: dict[str, Any],
    do: Callable[[Unit, Typed], None],
    back: str,
    show: Show,
) -> Response:
    """Do one change, and go back; a refusal shows the page with what was typed."""
    with workshop.read() as unit:
        shop = unit.shop
    if shop is None:
        return RedirectResponse("/start", 303)
    typed = Typed(form, shop.units)
    try:
        with workshop.write() as unit:
            do(unit, typed)
    except (Refused, CoreError) as refusal:
        if getattr(refusal, "status", 422) == 404:
            raise
        typed.notes.update(getattr(refusal, "notes", {}))
        typed.notes.setdefault("form", str(refusal))
        with workshop.read() as unit:
            return show(request, unit, pages, typed, getattr(refusal, "status", 422))
    return RedirectResponse(back, 303)

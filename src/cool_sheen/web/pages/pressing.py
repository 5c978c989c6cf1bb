"""How a press on a part is taken: logged once, asked back where it is doubtful, answered as page or as fragment."""

import json
from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from typing import Any
from uuid import UUID

from fastapi import Request
from fastapi.responses import RedirectResponse, Response

from cool_sheen.core.log.entries import Recorded
from cool_sheen.service import log_words, work
from cool_sheen.service.confirmations import AskedBack, check_offer, offer_of, on_offered_row
from cool_sheen.service.jobs import PartFacts
from cool_sheen.service.part_now import PartNow, part_now
from cool_sheen.service.unit import Asking, Refused, Unit, Workshop
from cool_sheen.store import log
from cool_sheen.web.depends import PagesDep
from cool_sheen.web.forms import Typed

Writer = Callable[[Unit, PartNow, Typed, UUID], Recorded]


@dataclass(frozen=True, slots=True)
class _Logged:
    """What was logged, on which part, and in words."""

    part: PartFacts
    row: Recorded
    says: str


def _write(workshop: Workshop, uuid: UUID, form: dict[str, Any], write: Writer, *, of_row: bool) -> _Logged:
    with workshop.write() as unit:
        shop = unit.shop
        if shop is None:
            raise Refused("Set the shop up first.", status=409)
        typed = Typed(form, shop.units)
        press = typed.uuid("press", "The press has no id: load the page again.")
        if press is None:
            raise Refused("This was not logged.", typed.notes)
        found = part_now(unit, uuid)
        sure, mine = (frozenset(str(typed.values.get(name, "")).split(",")) - {""} for name in ("sure", "mine"))
        unit.asking = Asking(typed.text("offered", most=200), sure, mine)
        if log.by_uuid(unit.session, press) is None:
            check_offer(unit, found)
            found = on_offered_row(unit, found) if of_row else found
        row = write(unit, found, typed, press)
        names = log_words.names_for(unit, uuid, found.system)
        return _Logged(found.part, row, log_words.says_logged(unit, row, names, shop.units))


_NOT_AGAIN = ("sure", "offered")


def _asked_back(
    request: Request, uuid: UUID, workshop: Workshop, pages: PagesDep, form: dict[str, Any], asked: AskedBack
) -> Response:
    """Ask back what was pressed, with all that was said: one more press logs it."""
    with workshop.read() as unit:
        found = part_now(unit, uuid)
        context: dict[str, Any] = {
            "form": "part/_asked.html",
            "found": found,
            "asked": asked,
            "action": request.url.path,
            "said": {name: value for name, value in form.items() if name not in _NOT_AGAIN and isinstance(value, str)},
            "offered": offer_of(found.on_row(str(form.get("offered", "")).partition(":")[2])),
            "sure": ",".join(sorted({c.code for c in asked.found} | set(str(form.get("sure", "")).split(",")) - {""})),
        }
        if not request.headers.get("hx-request"):
            return pages.show(request, unit, "part/dialog.html", 409, **context)
        answer = pages.show(request, unit, "part/_asked_in_dialog.html", **context)
    answer.headers["HX-Reswap"] = "none"  # it goes where the dialog is, even when the button is gone meanwhile
    return answer


def logged(
    request: Request,
    uuid: UUID,
    workshop: Workshop,
    pages: PagesDep,
    form: dict[str, Any],
    write: Writer,
    *,
    of_row: bool = False,
) -> Response:
    """Log one entry and say so; from a plain form, go back to the page that it came from.

    A press that does work ``of_row`` lays down what its row offered: one that carries none is refused.
    """
    with workshop.first_served():
        return _logged(request, uuid, workshop, pages, form, partial(_write, write=write, of_row=of_row))


def _logged(
    request: Request,
    uuid: UUID,
    workshop: Workshop,
    pages: PagesDep,
    form: dict[str, Any],
    take: Callable[[Workshop, UUID, dict[str, Any]], _Logged],
) -> Response:
    try:
        try:
            done = take(workshop, uuid, form)
        except log.Conflict:  # the same press may have come over two connections at once: look again who was first
            done = take(workshop, uuid, form)
    except AskedBack as asked:
        return _asked_back(request, uuid, workshop, pages, form, asked)
    if not request.headers.get("hx-request"):
        back = str(form.get("back", ""))
        return RedirectResponse(
            back if back in ("/", f"/parts/{uuid}/inspect", f"/parts/{uuid}/pieces") else f"/parts/{uuid}", 303
        )
    with workshop.read() as unit:
        response = pages.show(
            request, unit, "_logged.html", part=done.part, says=done.says, entry=done.row.entry, press=work.new_id()
        )
    response.headers["HX-Trigger"] = json.dumps({"logged": {"part": str(uuid), "kind": done.row.entry.payload.kind}})
    return response

"""A coat piece by piece: which is in hand, which comes next, in which order, and when the part can be turned."""

from typing import Any
from uuid import UUID

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response

from cool_sheen.core.log.entries import Recorded
from cool_sheen.service import pieces
from cool_sheen.service.confirmations import offer_of
from cool_sheen.service.part_now import PartNow, part_now
from cool_sheen.service.unit import Unit
from cool_sheen.service.work import new_id
from cool_sheen.web.depends import FormDep, PagesDep, ShopDep, UnitDep, WorkshopDep
from cool_sheen.web.forms import Typed
from cool_sheen.web.pages.form_posts import changed
from cool_sheen.web.pages.part import cautions_of
from cool_sheen.web.pages.pressing import logged
from cool_sheen.web.views import lane
from cool_sheen.web.views.pieces import piece_rows, turning_words

router = APIRouter(prefix="/parts/{uuid}/pieces")


@router.get("")
def page(request: Request, uuid: UUID, unit: UnitDep, pages: PagesDep, shop: ShopDep) -> Response:
    """Show the pieces of the coat that is next."""
    return _show(request, unit, pages, uuid, Typed({}, shop.units))


@router.get("/live")
def live(request: Request, uuid: UUID, unit: UnitDep, pages: PagesDep, shop: ShopDep) -> Response:
    """Show what moves on the page."""
    return pages.show(request, unit, "part/_pieces.html", **_context(unit, uuid))


def _show(request: Request, unit: Unit, pages: PagesDep, uuid: UUID, typed: Typed, status: int = 200) -> Response:
    return pages.show(request, unit, "part/pieces.html", status, typed=typed, **_context(unit, uuid))


def _context(unit: Unit, uuid: UUID) -> dict[str, Any]:
    found = part_now(unit, uuid)
    there = pieces.pieces_now(found)
    return {
        "found": found,
        "there": there,
        "rows": piece_rows(there, unit.now, unit.zone) if there else [],
        "lies": turning_words(found, unit.zone),
        "lane": lane.lane(found, unit.zone, unit.the_shop.units),
        "offered": offer_of(found),
        "cautions": cautions_of(unit, found, "coat"),
        "new_id": new_id,
    }


@router.post("/begin")
def begin(request: Request, uuid: UUID, workshop: WorkshopDep, pages: PagesDep, form: FormDep) -> Response:
    """Log that a piece is begun, or goes on."""

    def write(unit: Unit, found: PartNow, typed: Typed, press: UUID) -> Recorded:
        zone, at = _zone(typed), typed.ended(unit.zone, unit.now)
        typed.stop()
        return pieces.begun(unit, found, press, zone or uuid, at)

    return logged(request, uuid, workshop, pages, form, write, of_row=True)


def _zone(typed: Typed) -> UUID | None:
    return typed.uuid("zone", "Choose the piece.")


@router.post("/done")
def done(request: Request, uuid: UUID, workshop: WorkshopDep, pages: PagesDep, form: FormDep) -> Response:
    """Log that the coat is on a piece; the next one begins with it, unless this was the last for now."""

    def write(unit: Unit, found: PartNow, typed: Typed, press: UUID) -> Recorded:
        zone, at = _zone(typed), typed.ended(unit.zone, unit.now)
        typed.stop()
        and_next = typed.text("then") != "stop"
        return pieces.done(unit, found, press, zone or uuid, at, ticked=typed.checked(), and_next=and_next)

    return logged(request, uuid, workshop, pages, form, write, of_row=True)


@router.post("/pause")
def pause(request: Request, uuid: UUID, workshop: WorkshopDep, pages: PagesDep, form: FormDep) -> Response:
    """Log that the piece in hand rests."""

    def write(unit: Unit, found: PartNow, typed: Typed, press: UUID) -> Recorded:
        at = typed.ended(unit.zone, unit.now)
        typed.stop()
        return pieces.paused(unit, found, press, at)

    return logged(request, uuid, workshop, pages, form, write)


@router.post("/order")
def order(request: Request, uuid: UUID, workshop: WorkshopDep, pages: PagesDep, form: FormDep) -> Response:
    """Move a piece in the order, say whether it is shut away, or let the rule order them again."""

    def do(unit: Unit, typed: Typed) -> None:
        found, does = part_now(unit, uuid), typed.text("do")
        if does == "rule":
            pieces.by_the_rule(unit, found)
            return
        zone = _zone(typed)
        typed.stop()
        assert zone is not None  # typed.stop has seen to it
        if does in ("shut", "open"):
            pieces.shut_or_not(unit, found, zone, shuts=does == "shut")
        else:
            pieces.put_in_order(unit, found, zone, -1 if does == "up" else 1)

    def show(request: Request, unit: Unit, pages: PagesDep, typed: Typed, status: int) -> Response:
        return _show(request, unit, pages, uuid, typed, status)

    return changed(request, workshop, pages, form, do, f"/parts/{uuid}/pieces", show)


@router.get("/{form}")
def back_to_the_page(uuid: UUID, form: str) -> Response:
    """An address of a press, loaded again, leads to the page."""
    return RedirectResponse(f"/parts/{uuid}/pieces", 303)

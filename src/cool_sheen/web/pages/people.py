"""What a project holds about people, on one page; and forgetting a customer."""

from uuid import UUID

from fastapi import APIRouter, Request
from fastapi.responses import Response

from cool_sheen.service import people
from cool_sheen.service.unit import Refused, Unit
from cool_sheen.web.depends import FormDep, PagesDep, ShopDep, UnitDep, WorkshopDep
from cool_sheen.web.forms import Typed
from cool_sheen.web.pages.form_posts import changed

router = APIRouter(prefix="/projects/{uuid}/people")


@router.get("")
def page(request: Request, uuid: UUID, unit: UnitDep, pages: PagesDep, shop: ShopDep) -> Response:
    """Show what a project holds about people."""
    return _show(request, unit, pages, uuid, Typed({}, shop.units), 200)


def _show(request: Request, unit: Unit, pages: PagesDep, uuid: UUID, typed: Typed, status: int = 422) -> Response:
    return pages.show(request, unit, "tend/people.html", status, held=people.held(unit, uuid), typed=typed)


@router.post("")
def forget(request: Request, uuid: UUID, workshop: WorkshopDep, pages: PagesDep, form: FormDep) -> Response:
    """Forget the customer, when that was said twice."""

    def do(unit: Unit, typed: Typed) -> None:
        if not typed.flag("sure"):
            raise Refused("It cannot be taken back.", {"sure": "Tick that they are to be forgotten for good."})
        people.forget(unit, uuid)

    def show(request: Request, unit: Unit, pages: PagesDep, typed: Typed, status: int) -> Response:
        return _show(request, unit, pages, uuid, typed, status)

    return changed(request, workshop, pages, form, do, f"/projects/{uuid}/people", show)

"""Scripts and wall displays: tokens made, shown once, and ended."""

from uuid import UUID

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response

from cool_sheen.service import scripts
from cool_sheen.service.unit import Refused, Unit
from cool_sheen.service.work import new_id
from cool_sheen.web.depends import FormDep, PagesDep, ShopDep, UnitDep, WorkshopDep
from cool_sheen.web.forms import Typed
from cool_sheen.web.pages.form_posts import changed

router = APIRouter(prefix="/shop/scripts")


@router.get("")
def page(request: Request, unit: UnitDep, pages: PagesDep, shop: ShopDep) -> Response:
    """Show the tokens that hold."""
    return _show(request, unit, pages, Typed({}, shop.units), 200)


def _show(
    request: Request, unit: Unit, pages: PagesDep, typed: Typed, status: int = 422, *, token: str = ""
) -> Response:
    return pages.show(
        request, unit, "shop/scripts.html", status, tokens=scripts.standing(unit), typed=typed, token=token,
        new_id=new_id,
    )  # fmt: skip


@router.post("")
def make(request: Request, workshop: WorkshopDep, pages: PagesDep, form: FormDep) -> Response:
    """Make a token, and show it this once."""
    with workshop.read() as unit:
        if unit.shop is None:
            return RedirectResponse("/start", 303)
        typed = Typed(form, unit.shop.units)
    press = typed.uuid("press", "The press has no id: load the page again.")
    name = typed.text("name", most=40)
    try:
        typed.stop()
        with workshop.write() as unit:
            token = scripts.make(unit, press or UUID(int=0), name, may_write=typed.flag("may_write"))
    except Refused as refusal:
        typed.notes.update(refusal.notes)
        typed.notes.setdefault("form", str(refusal))
        with workshop.read() as unit:
            return _show(request, unit, pages, typed, refusal.status)
    with workshop.read() as unit:
        return _show(request, unit, pages, Typed({}, typed.units), 200, token=token)


@router.post("/{uuid}")
def end(request: Request, uuid: UUID, workshop: WorkshopDep, pages: PagesDep, form: FormDep) -> Response:
    """End a token."""

    def do(unit: Unit, typed: Typed) -> None:
        scripts.end(unit, uuid)

    return changed(request, workshop, pages, form, do, "/shop/scripts", _show)


@router.get("/{uuid}")
def back_to_the_page() -> Response:
    """An address of a press, loaded again, leads to the page."""
    return RedirectResponse("/shop/scripts", 303)

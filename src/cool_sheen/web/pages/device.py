"""A device: who is at it, and what its connection allows."""

from urllib.parse import quote

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response

from cool_sheen.web.depends import FormDep, PagesDep, ShopDep, UnitDep
from cool_sheen.web.entrance import SESSION
from cool_sheen.web.persons import PERSON, person_said

router = APIRouter(prefix="/device")


@router.get("")
def page(request: Request, unit: UnitDep, pages: PagesDep, shop: ShopDep) -> Response:
    """Show who is at this device, and what the browser denies without TLS."""
    host = request.url.hostname or ""
    allowed = request.url.scheme == "https" or host in ("localhost", "127.0.0.1", "::1")
    return pages.show(request, unit, "shop/device.html", allowed=allowed, let_in=SESSION in request.cookies)


@router.post("")
def choose(form: FormDep) -> Response:
    """Choose who is at this device: what is logged here says so from now on."""
    answer = RedirectResponse("/device", 303)
    person = person_said(str(form.get("person", "")))
    if person:
        answer.set_cookie(PERSON, quote(person), max_age=315_360_000, httponly=True, samesite="strict")
    else:
        answer.delete_cookie(PERSON)
    return answer

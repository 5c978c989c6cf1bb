"""What routes depend on: the workshop, a unit of work, the pages."""

import hashlib
from collections.abc import Iterator, Mapping
from typing import Annotated, Any, Protocol
from uuid import UUID

from fastapi import Depends, Request
from starlette.datastructures import UploadFile

from cool_sheen.service.unit import Pressed, Refused, Unit, Workshop, bring_device, bring_person, bring_press
from cool_sheen.store.models import Shop
from cool_sheen.web.persons import person_of
from cool_sheen.web.templating import Pages

DEVICE = "device"


class NoShop(Exception):
    """The shop is not set up yet."""


async def workshop_of(request: Request) -> Workshop:
    """Return the running workshop; async, so that it costs no thread."""
    workshop: Workshop = request.app.state.workshop
    return workshop


async def pages_of(request: Request) -> Pages:
    """Return the application's pages."""
    pages: Pages = request.app.state.pages
    return pages


class Premises(Protocol):
    """What goes from one's own shop to the demo, and back."""

    def open_demo(self, *, anew: bool = False) -> None:
        """Serve the demo. Raises Trouble."""

    def open_own(self) -> None:
        """Serve one's own shop. Raises Trouble."""


async def premises_of(request: Request) -> Premises:
    """Return the premises. Raises Refused: this application has but one shop."""
    found: Premises | None = request.app.state.premises
    if found is None:
        raise Refused("There is no other shop to go to from here.", status=409)
    return found


PremisesDep = Annotated[Premises, Depends(premises_of)]
WorkshopDep = Annotated[Workshop, Depends(workshop_of)]
PagesDep = Annotated[Pages, Depends(pages_of)]


def unit_of(workshop: WorkshopDep) -> Iterator[Unit]:
    """Open a unit of work; it is committed before the answer leaves."""
    with workshop.read() as unit:
        yield unit


UnitDep = Annotated[Unit, Depends(unit_of, scope="function")]


def shop_of(unit: UnitDep) -> Shop:
    """Return the shop. Raises NoShop, which leads to the first start."""
    shop = unit.shop
    if shop is None:
        raise NoShop
    return shop


ShopDep = Annotated[Shop, Depends(shop_of)]


def device_of(request: Request) -> str:
    """Return the name of a browser, which it got with its first page."""
    name = request.cookies.get(DEVICE, "")
    return name if name.isalnum() and name.isascii() and len(name) <= 20 else "web"


async def form_of(request: Request) -> dict[str, Any]:
    """Read the fields of a form; a file becomes its name and, under ``file_content``, its bytes."""
    out: dict[str, Any] = {}
    async with request.form() as form:
        for name, value in form.items():
            if isinstance(value, UploadFile):
                out[name], out[f"{name}_content"] = value.filename or "", await value.read()
            else:
                out[name] = value
    request.state.typed = {name: value for name, value in out.items() if isinstance(value, str)}
    bring_press(_pressed(request.url.path, out))
    bring_device(device_of(request))
    bring_person(person_of(request))
    return out


# What is not of the work itself: when a kept press is sent, what its button offered, what was confirmed.
SENT_LATER = {"kept_at", "mine", "offered", "sure"}


def _pressed(path: str, form: Mapping[str, Any]) -> Pressed | None:
    """Return the press that a form brings; None when it has none."""
    try:
        uuid = UUID(str(form.get("press", "")))
    except ValueError:
        return None
    said = hashlib.sha256(path.encode())
    for name in sorted(form.keys() - SENT_LATER):
        value = form[name]
        said.update(f"|{name}=".encode("utf-8", "replace"))
        said.update(value if isinstance(value, bytes) else str(value).encode("utf-8", "replace"))
    return Pressed(uuid, said.hexdigest())


FormDep = Annotated[dict[str, Any], Depends(form_of)]

"""What routes depend on: the desk, an open session, the pages."""

from collections.abc import Iterator
from typing import Annotated, Any

from fastapi import Depends, Request
from sqlalchemy.orm import Session
from starlette.datastructures import UploadFile

from cool_sheen.service.desk import Desk
from cool_sheen.store.models import Shop
from cool_sheen.web.templating import Pages


class NoShop(Exception):
    """The shop is not set up yet."""


async def desk_of(request: Request) -> Desk:
    """Return the application's desk; async, so that it costs no thread."""
    desk: Desk = request.app.state.desk
    return desk


async def pages_of(request: Request) -> Pages:
    """Return the application's pages."""
    pages: Pages = request.app.state.pages
    return pages


DeskDep = Annotated[Desk, Depends(desk_of)]
PagesDep = Annotated[Pages, Depends(pages_of)]


def session_of(desk: DeskDep) -> Iterator[Session]:
    """Open a session; it is committed before the answer leaves."""
    with desk.open() as opened:
        yield opened


SessionDep = Annotated[Session, Depends(session_of, scope="function")]


def shop_of(desk: DeskDep, opened: SessionDep) -> Shop:
    """Return the shop. Raises NoShop, which leads to the first start."""
    shop = desk.shop(opened)
    if shop is None:
        raise NoShop
    return shop


ShopDep = Annotated[Shop, Depends(shop_of)]


async def form_of(request: Request) -> dict[str, Any]:
    """Read the fields of a form; a file becomes its name and, under ``file_content``, its bytes."""
    out: dict[str, Any] = {}
    async with request.form() as form:
        for name, value in form.items():
            if isinstance(value, UploadFile):
                out[name], out[f"{name}_content"] = value.filename or "", await value.read()
            else:
                out[name] = value
    return out


FormDep = Annotated[dict[str, Any], Depends(form_of)]

"""Every picture in every state, from fixed samples: for eyes and for tests."""

from fastapi import APIRouter, Request
from fastapi.responses import Response

from cool_sheen.web.depends import PagesDep
from cool_sheen.web.views import samples

router = APIRouter(prefix="/components")


@router.get("")
def components(request: Request, pages: PagesDep) -> Response:
    """Show all components."""
    return pages.show(request, None, "components.html", samples=samples.all_of_them())

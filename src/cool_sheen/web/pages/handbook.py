"""The guide, from every page at its chapter."""

from fastapi import APIRouter, Request
from fastapi.responses import Response

from cool_sheen.web.depends import PagesDep, UnitDep
from cool_sheen.web.guide import guide

router = APIRouter()


@router.get("/guide")
def handbook(request: Request, unit: UnitDep, pages: PagesDep) -> Response:
    """Show the guide."""
    return pages.show(request, unit, "guide.html", guide=guide())

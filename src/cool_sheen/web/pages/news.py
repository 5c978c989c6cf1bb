"""News: pages that are open hear when something was written on another device."""

from fastapi import APIRouter
from fastapi.responses import StreamingResponse

from cool_sheen.web.depends import WorkshopDep
from cool_sheen.web.streams import heard

router = APIRouter()


@router.get("/news")
async def news(workshop: WorkshopDep) -> StreamingResponse:
    """Tell a page whenever something was written; it ends when the page is closed."""
    return heard(lambda: workshop.news)

"""News: pages that are open hear when something was written on another device."""

from uuid import UUID

from fastapi import APIRouter
from fastapi.responses import StreamingResponse

from cool_sheen.web.depends import WorkshopDep
from cool_sheen.web.streams import heard

router = APIRouter()


@router.get("/news")
async def news(workshop: WorkshopDep, part: UUID | None = None) -> StreamingResponse:
    """Tell a page how far what it shows has come, and how far all has; it ends when the page is closed.

    Args:
        workshop: The workshop.
        part: The part that the page is about; a page of the whole shop hears of all.
    """
    return heard(lambda: f"{workshop.news.of(part)} {workshop.news.count}")

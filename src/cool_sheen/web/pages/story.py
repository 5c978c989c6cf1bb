"""The story of a part: its zones through their life, what happened, and what was promised against what came."""

from typing import Any
from uuid import UUID

from fastapi import APIRouter, Request
from fastapi.responses import Response

from cool_sheen.service import log_words, photos, story
from cool_sheen.service.part_now import part_now
from cool_sheen.service.unit import Unit
from cool_sheen.web.depends import PagesDep, ShopDep, UnitDep
from cool_sheen.web.views import section
from cool_sheen.web.views import story as view

router = APIRouter(prefix="/parts/{uuid}/story")


@router.get("")
def page(request: Request, uuid: UUID, unit: UnitDep, pages: PagesDep, shop: ShopDep) -> Response:
    """Show the story on a page of its own, or what of it the part's page takes in."""
    template = "part/_story.html" if request.headers.get("hx-request") else "part/story.html"
    return pages.show(request, unit, template, **_context(unit, uuid))


def _context(unit: Unit, uuid: UUID) -> dict[str, Any]:
    found = part_now(unit, uuid)
    units = unit.the_shop.units
    told = story.story(unit, found)
    there = [p for p in photos.of_part(unit, uuid) if not told.cut or p.taken_at >= told.since]
    names = log_words.names_for(unit, found.part.uuid, found.system)
    lines = view.numbered(told, there, lambda row: log_words.says_logged(unit, row, names, units))
    builds = {z.name: found.history.builds[z.uuid] for z in found.zones}
    return {
        "found": found,
        "story": told,
        "pictures": [
            ("wide", view.draw(told, found, there, unit.zone, units)),
            ("narrow", view.draw(told, found, there, unit.zone, units, view.NARROW)),
        ],
        "lines": lines,
        "came": view.came_rows(told, found, unit.zone, units),
        "film": section.draw(
            builds, found.system, found.products, section.Canvas(360, 240, 44, marks=True, units=units)
        ),
    }

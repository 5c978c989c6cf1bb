"""An entry put right: its form, filled with what it says, and the press that writes the better word."""

from typing import Any
from uuid import UUID

from fastapi import APIRouter, Request
from fastapi.responses import Response

from cool_sheen.core.drying.milestones import WORDS
from cool_sheen.core.log.entries import Recorded
from cool_sheen.service import correcting, log_words
from cool_sheen.service.jobs import find_part
from cool_sheen.service.part_now import PartNow, part_now
from cool_sheen.service.unit import Unit
from cool_sheen.web.depends import FormDep, PagesDep, ShopDep, UnitDep, WorkshopDep
from cool_sheen.web.forms import Typed
from cool_sheen.web.pages.pressing import logged
from cool_sheen.web.views import lane
from cool_sheen.web.views.correcting import Box, Pairs, boxes_of, read

router = APIRouter(prefix="/parts/{uuid}/correct")


@router.get("")
def form(request: Request, uuid: UUID, unit: UnitDep, pages: PagesDep, shop: ShopDep) -> Response:
    """Show what an entry says, to be put right."""
    found, asked = part_now(unit, uuid), Typed({"entry": request.query_params.get("entry", "")})
    named = asked.uuid("entry", "There is no such entry.")
    asked.stop("There is no such entry here.")
    row = correcting.entry_to_correct(unit, found, named or uuid)
    boxes, there = _boxes(found, row), {t.zone for t in row.entry.targets}
    ended = row.entry.occurred_at.astimezone(unit.zone)
    values: dict[str, Any] = {box.name: box.shows(row.entry.payload, shop.units) for box in boxes}
    values["at"] = f"{ended:%Y-%m-%dT%H:%M}"
    values |= {f"zone_{zone}": "1" for zone in there}
    names = log_words.names_for(unit, found.part.uuid, found.system)
    return pages.show(
        request,
        unit,
        "part/_correct.html" if request.headers.get("hx-request") else "part/dialog.html",
        form="part/_correct.html",
        found=found,
        lane=lane.lane(found, unit.zone, shop.units),
        zones=find_part(unit, uuid).live_zones,
        row=row,
        boxes=boxes,
        typed=Typed(values, shop.units),
        says=log_words.says_logged(unit, row, names, shop.units),
    )


def _boxes(found: PartNow, row: Recorded) -> tuple[Box, ...]:
    """A touch test names a mark of the film that was touched."""
    payload = row.entry.payload
    if payload.kind != "touch_test":
        return boxes_of(payload, {})
    clocks = [f.top for f in found.situation.films if f.top]
    marks = next((list(t.bands) for t in clocks if t.coat.uuid == payload.coat), [])
    choices: Pairs = tuple((m, WORDS.get(m, m)) for m in dict.fromkeys([payload.milestone, *marks]))
    return boxes_of(payload, {"milestone": choices})


@router.post("")
def correct(request: Request, uuid: UUID, workshop: WorkshopDep, pages: PagesDep, form: FormDep) -> Response:
    """Write the better word."""

    def write(unit: Unit, found: PartNow, typed: Typed, press: UUID) -> Recorded:
        entry = typed.uuid("entry", "There is no such entry.")
        typed.stop()
        assert entry is not None  # typed.stop has seen to it
        row = correcting.entry_to_correct(unit, found, entry)
        said = read(_boxes(found, row), typed, row.entry.payload)
        zones, at = typed.ticked("zone"), typed.moment("at", unit.zone)
        typed.stop()
        return correcting.corrected(unit, found, press, entry, said, zones, at)

    return logged(request, uuid, workshop, pages, form, write)

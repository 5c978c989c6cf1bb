"""Alarms for whichever page is open, with the server's time: a device's clock may be wrong."""

from dataclasses import asdict

from fastapi import APIRouter
from fastapi.responses import JSONResponse, Response

from cool_sheen.service.batches import recent
from cool_sheen.web.depends import PagesDep, ShopDep, UnitDep
from cool_sheen.web.pages.bench import board_of
from cool_sheen.web.views import alarms, mixing

router = APIRouter()


@router.get("/alarms")
def all_alarms(unit: UnitDep, pages: PagesDep, shop: ShopDep) -> Response:
    """Return what is due, what will be, and what time it is; not ready while the first look is in hand."""
    board = board_of(unit, pages, shop)
    found = [alarm for card in board["cards"] for alarm in alarms.of_part(card.uuid, card.name, card.rings)]
    for batch in recent(unit):
        if batch.open and batch.pot_life_ends:
            found += alarms.of_batch(mixing.running(batch, unit.now))
    said = {
        "now": int(unit.now.timestamp() * 1000),
        "ready": board["coming"] is None,
        "alarms": [asdict(alarm) for alarm in found],
    }
    return JSONResponse(said, headers={"Cache-Control": "no-store"})

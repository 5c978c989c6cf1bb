"""What if: the rest of a part's work in other air, later, or faster, side by side."""

from uuid import UUID

from fastapi import APIRouter, Request
from fastapi.responses import Response

from cool_sheen.core.planning.part_climate import Change
from cool_sheen.service.climate import look
from cool_sheen.service.desk import zone_of
from cool_sheen.service.jobs import stand_one
from cool_sheen.service.what_if import cases, compare
from cool_sheen.web.forms import Typed
from cool_sheen.web.parts import DeskDep, PagesDep, SessionDep, ShopDep
from cool_sheen.web.views import bars

router = APIRouter(prefix="/parts/{uuid}/what-if")


@router.get("")
def page(request: Request, uuid: UUID, desk: DeskDep, pages: PagesDep, opened: SessionDep, shop: ShopDep) -> Response:
    """Show the cases side by side; what is typed becomes a case of its own."""
    typed = Typed(dict(request.query_params), shop.units)
    heat = typed.quantity("heat", "temperature", -20, 60, optional=True)
    dry = typed.number("dry", 20, 100)
    wished = Change(heat, dry) if heat is not None or dry is not None else None
    found = stand_one(desk, opened, uuid, look(desk, opened))
    outcomes = compare(desk, opened, shop, found, cases(found, wished))
    frame = bars.frame_of([o.plan.steps for o in outcomes], desk.now())
    zone = zone_of(shop)
    drawn = [(o, bars.draw(o.plan.steps, o.ends, frame, zone)) for o in outcomes]
    best = min((o.ends for o in outcomes if o.ends), default=None)
    return pages.show(
        request, opened, "part/what_if.html", 422 if typed.notes else 200, found=found, drawn=drawn, typed=typed,
        best=best, base=outcomes[0],
    )  # fmt: skip

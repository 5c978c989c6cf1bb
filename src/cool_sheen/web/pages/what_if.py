"""What if: the rest of a part's work in other air, later, or faster, side by side."""

from uuid import UUID

from fastapi import APIRouter, Request
from fastapi.responses import Response

from cool_sheen.core.part.climate import Change
from cool_sheen.service.part_now import part_now
from cool_sheen.service.unit import zone_of
from cool_sheen.service.what_if import cases, compare
from cool_sheen.web.depends import PagesDep, ShopDep, UnitDep
from cool_sheen.web.forms import Typed
from cool_sheen.web.views import bars

router = APIRouter(prefix="/parts/{uuid}/what-if")


@router.get("")
def page(request: Request, uuid: UUID, unit: UnitDep, pages: PagesDep, shop: ShopDep) -> Response:
    """Show the cases side by side; what is typed becomes a case of its own."""
    typed = Typed(dict(request.query_params), shop.units)
    heat = typed.quantity("heat", "temperature", -20, 60, optional=True)
    dry = typed.number("dry", 20, 100)
    wished = Change(heat, dry) if heat is not None or dry is not None else None
    found = part_now(unit, uuid)
    outcomes = compare(unit, found, cases(found, wished))
    frame = bars.frame_of([o.plan.steps for o in outcomes], unit.now)
    zone = zone_of(shop)
    drawn = [(o, bars.draw(o.plan.steps, o.ends, frame, zone)) for o in outcomes]
    best = min((o.ends for o in outcomes if o.ends), default=None)
    return pages.show(
        request,
        unit,
        "part/what_if.html",
        422 if typed.notes else 200,
        found=found,
        drawn=drawn,
        typed=typed,
        best=best,
        base=outcomes[0],
    )

"""The Bench: what can I do now, what closes next?"""

from datetime import timedelta
from typing import Any
from zoneinfo import ZoneInfo

from fastapi import APIRouter, Request
from fastapi.responses import Response
from sqlalchemy.orm import Session

from cool_sheen.core.climate.series import Series
from cool_sheen.core.coatings.products import Product
from cool_sheen.service.batches import recent
from cool_sheen.service.climate import look, now_in
from cool_sheen.service.desk import Desk, zone_of
from cool_sheen.service.jobs import Standing, stand_all
from cool_sheen.store.models import Shop
from cool_sheen.web.parts import DeskDep, PagesDep, SessionDep, ShopDep
from cool_sheen.web.views import band, lane, mixing
from cool_sheen.web.views.ribbon import Frame, frame_around, hours

router = APIRouter()


@router.get("/")
def bench(request: Request, desk: DeskDep, pages: PagesDep, opened: SessionDep, shop: ShopDep) -> Response:
    """Show the Bench."""
    return pages.show(request, opened, "bench/page.html", **_context(desk, opened, shop))


@router.get("/bench/lanes")
def lanes(request: Request, desk: DeskDep, pages: PagesDep, opened: SessionDep, shop: ShopDep) -> Response:
    """Show what moves on the Bench, for the page to take over."""
    return pages.show(request, opened, "bench/_live.html", **_context(desk, opened, shop))


def _context(desk: Desk, opened: Session, shop: Shop) -> dict[str, Any]:
    zone, now = zone_of(shop), desk.now()
    weather = look(desk, opened)
    standings = stand_all(desk, opened, weather)
    shown = lane.lanes(standings, zone, shop.units)
    wide = frame_around(now, timedelta(hours=2), timedelta(hours=6))
    narrow = frame_around(now, timedelta(hours=1), timedelta(hours=3), 340.0)
    first = next((s for s in standings if shown and s.part.uuid == shown[0].uuid), None)
    return {
        "lanes": shown,
        "finished": len(standings) - len(shown),
        "wide_axis": _axis(wide, zone),
        "narrow_axis": _axis(narrow, zone),
        "strip": strip(first, zone, shop) if first else None,
        "pots": [mixing.running(b, now) for b in recent(desk, opened, weather) if b.open and b.pot_life_ends],
    }


def _axis(frame: Frame, zone: ZoneInfo) -> dict[str, object]:
    return {"width": frame.width, "now_x": frame.x(frame.now), "hours": hours(frame, zone)}


def next_product(found: Standing) -> Product | None:
    """Return the product of the next coat, whose gate matters most."""
    ahead = (p.step for p in found.steps if p.status in ("next", "ahead") and p.step.kind == "coat")
    step = next(ahead, None)
    return found.products[step.layer.product] if step and step.layer else None


def strip(found: Standing, zone: ZoneInfo, shop: Shop) -> dict[str, object]:
    """Return the climate strip: the space of one part, now and for the next half day."""
    now = found.look.now
    series: Series = found.climate.series
    product = next_product(found)
    shut = found.climate.shut(product, now) if product else []
    frame = frame_around(now, timedelta(hours=1), timedelta(hours=13), 430.0)
    at = now_in(series, now)
    return {
        "space": found.space,
        "part": found.part,
        "air_temp_c": float(at.air_temp_c[0]),
        "rh_pct": float(at.rh_pct[0]),
        "surface_temp_c": float(at.surface_temp_c[0]),
        "margin_k": float(at.surface_temp_c[0] - at.dew_point_c[0]),
        "product": product,
        "band": band.draw(
            series, frame, zone, height=64, shut=shut, product_name=product.role.replace("_", " ") if product else "",
            fahrenheit=shop.units == "us",
        ),
        "gate": found.climate.gate_at(product, now, now) if product else None,
    }  # fmt: skip

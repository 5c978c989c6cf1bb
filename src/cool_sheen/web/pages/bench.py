"""The Bench: what can I do now, what closes next?"""

from datetime import timedelta
from typing import Any
from zoneinfo import ZoneInfo

from fastapi import APIRouter, Request
from fastapi.responses import Response

from cool_sheen.core.part.gate import CoatGate
from cool_sheen.core.part.placing import gates_of
from cool_sheen.core.work.steps import CoatStep
from cool_sheen.service.batches import recent
from cool_sheen.service.climate import weather_now
from cool_sheen.service.part_now import PartNow, parts_now
from cool_sheen.service.unit import Unit
from cool_sheen.store.models import Shop
from cool_sheen.web.depends import PagesDep, ShopDep, UnitDep
from cool_sheen.web.views import band, lane, mixing
from cool_sheen.web.views.ribbon import Frame, frame_around, hours

router = APIRouter()


@router.get("/")
def bench(request: Request, unit: UnitDep, pages: PagesDep, shop: ShopDep) -> Response:
    """Show the Bench."""
    return pages.show(request, unit, "bench/page.html", **_context(unit, shop))


@router.get("/bench/lanes")
def lanes(request: Request, unit: UnitDep, pages: PagesDep, shop: ShopDep) -> Response:
    """Show what moves on the Bench, for the page to take over."""
    return pages.show(request, unit, "bench/_live.html", **_context(unit, shop))


def _context(unit: Unit, shop: Shop) -> dict[str, Any]:
    now = unit.now
    found = parts_now(unit)
    shown = lane.lanes(found, unit.zone, shop.units)
    wide = frame_around(now, timedelta(hours=2), timedelta(hours=6))
    narrow = frame_around(now, timedelta(hours=1), timedelta(hours=3), 340.0)
    first = next((s for s in found if shown and s.part.uuid == shown[0].uuid), None)
    return {
        "lanes": shown,
        "finished": len(found) - len(shown),
        "wide_axis": _axis(wide, unit.zone),
        "narrow_axis": _axis(narrow, unit.zone),
        "strip": strip(first, unit.zone, shop) if first else None,
        "pots": [mixing.running(b, now) for b in recent(unit, weather_now(unit)) if b.open and b.pot_life_ends],
    }


def _axis(frame: Frame, zone: ZoneInfo) -> dict[str, object]:
    return {"width": frame.width, "now_x": frame.x(frame.now), "hours": hours(frame, zone)}


def strip(found: PartNow, zone: ZoneInfo, shop: Shop) -> dict[str, object]:
    """Return the climate strip: the space of one part, now and for the next half day, and the gate of its next coat."""
    now, step = found.now, found.next_coat()
    product = found.products[step.layer.product] if step else None
    gate = gate_of(found, step) if step else None
    frame = frame_around(now, timedelta(hours=1), timedelta(hours=13), 430.0)
    at = found.climate.at(now)
    return {
        "space": found.space,
        "part": found.part,
        "air_temp_c": float(at.air_temp_c[0]),
        "rh_pct": float(at.rh_pct[0]),
        "surface_temp_c": float(at.surface_temp_c[0]),
        "margin_k": float(at.surface_temp_c[0] - at.dew_point_c[0]),
        "product": product,
        "band": band.draw(
            found.climate.series, frame, zone, height=64, shut=gate.spans(now) if gate else [],
            product_name=product.role.replace("_", " ") if product else "", fahrenheit=shop.units == "us",
        ),
        "gate": gate.shut_at(now) if gate else None,
    }  # fmt: skip


def gate_of(found: PartNow, step: CoatStep) -> CoatGate:
    """Return the gate of a coat as it will really go on; where it goes on several films, of the first."""
    return gates_of(found.situation, step, found.now)[0]

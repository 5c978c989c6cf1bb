"""Tightening the plan: begun, watched while it works, stopped, and what it found taken over or left."""

from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response, StreamingResponse

from cool_sheen.service import tightening
from cool_sheen.service.kept_plans import followed
from cool_sheen.service.unit import Unit
from cool_sheen.web.depends import FormDep, PagesDep, ShopDep, UnitDep, WorkshopDep
from cool_sheen.web.forms import Typed
from cool_sheen.web.pages.form_posts import changed
from cool_sheen.web.pages.plan import found_for, show, the_plan
from cool_sheen.web.pages.plan_making import name_of
from cool_sheen.web.streams import told
from cool_sheen.web.views.tighten import tightening as read

router = APIRouter(prefix="/plan/tighten")


@router.get("")
def panel(request: Request, unit: UnitDep, pages: PagesDep, shop: ShopDep) -> Response:
    """Show how far the search is, or what it found."""
    plan = the_plan(unit)
    return pages.show(request, unit, "plan/_tighten.html", plan=plan, **found_for(unit, plan))


@router.post("")
def begin(request: Request, workshop: WorkshopDep, pages: PagesDep, form: FormDep) -> Response:
    """Begin to look for a better plan."""
    tightening.begin(workshop)
    return RedirectResponse("/plan#tighten", 303)


@router.post("/stop")
def stop(request: Request, workshop: WorkshopDep, pages: PagesDep, form: FormDep) -> Response:
    """Stop looking; the best plan by then is kept."""
    tightening.stop(workshop)
    return RedirectResponse("/plan#tighten", 303)


@router.post("/take")
def take(request: Request, workshop: WorkshopDep, pages: PagesDep, form: FormDep) -> Response:
    """Follow what was found."""

    def do(unit: Unit, typed: Typed) -> None:
        uuid = typed.uuid("search", "That was found for another plan: look again.")
        typed.stop()
        plan = followed(unit)
        if uuid is not None and plan is not None:
            tightening.take(unit, uuid, f"{name_of(unit, plan.asked)}, tightened")

    return changed(request, workshop, pages, form, do, "/plan", show)


@router.get("/stream")
def stream(workshop: WorkshopDep, unit: UnitDep) -> StreamingResponse:
    """Send how far the search is, as server-sent events, until it is over."""
    zone = unit.zone

    def look() -> dict[str, Any] | None:
        found = tightening.told_now(workshop)
        return None if found is None else read(found).shown(zone)

    return told(look)

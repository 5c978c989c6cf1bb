"""The trainer: strokes drawn by hand against the clock, and how even the film came out."""

import json
from typing import Any
from uuid import UUID

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response

from cool_sheen.formats.catalogue import drills
from cool_sheen.service.gun import training
from cool_sheen.service.gun.bench import SetUp, set_up
from cool_sheen.service.unit import Refused, Unit
from cool_sheen.service.work import new_id
from cool_sheen.web.depends import FormDep, PagesDep, ShopDep, UnitDep, WorkshopDep
from cool_sheen.web.forms import Typed
from cool_sheen.web.pages.form_posts import changed
from cool_sheen.web.pages.gun import ROOMS
from cool_sheen.web.pages.gun_form import read_asked, shown
from cool_sheen.web.views import field as view

router = APIRouter(prefix="/gun/trainer")
_BAR_H = 70.0


@router.get("")
def page(request: Request, unit: UnitDep, pages: PagesDep, shop: ShopDep) -> Response:
    """Show a drill."""
    return _show(request, unit, pages, Typed(dict(request.query_params), shop.units), 200)


def _show(request: Request, unit: Unit, pages: PagesDep, typed: Typed, status: int = 422) -> Response:
    found = set_up(unit, read_asked(typed))
    on: training.Course | None = None
    try:
        on = training.course(found, typed.text("drill", most=60))
    except Refused as refusal:
        typed.notes.setdefault("form", str(refusal))
    filled = Typed(shown(found, typed), typed.units)
    filled.notes.update(typed.notes)
    return pages.show(
        request,
        unit,
        "gun/trainer.html",
        status,
        rooms=ROOMS,
        found=found,
        typed=filled,
        on=on,
        constants=json.dumps(on.constants()) if on else "",
        drills=drills(),
        passed=training.passed(unit),
        press=new_id(),
        **(_recorded(unit, on) if on else {}),
    )


def _recorded(unit: Unit, on: training.Course) -> dict[str, Any]:
    runs = training.record(unit, on.drill.key)
    most = max([run.spread_pct for run in runs] + [2 * on.drill.spread_pct])
    bars = [(run, round(run.spread_pct / most * _BAR_H, 1)) for run in runs]
    says = "Spread of the film: " + ", ".join(f"{run.spread_pct:.0f} %" for run in runs)
    asked_h = round(on.drill.spread_pct / most * _BAR_H, 1)
    return {
        "runs_say": says,
        "runs": bars,
        "most_runs": training.MOST_SHOWN,
        "asked_h": asked_h,
        "bar_h": _BAR_H,
    }


@router.post("")
def drawn(request: Request, workshop: WorkshopDep, pages: PagesDep, form: FormDep) -> Response:
    """Tell how even a drawn film came out, and keep it in the record."""
    with workshop.read() as unit:
        if unit.shop is None:
            return RedirectResponse("/start", 303)
        typed = Typed(form, unit.shop.units)
        found, on, result = _judged(unit, typed)
    press = typed.uuid("press", "The press has no id: load the page again.")
    typed.stop()
    with workshop.write() as unit:
        training.keep(unit, press or UUID(int=0), on, result, found)
    with workshop.read() as unit:
        units = unit.the_shop.units
        return pages.show(
            request,
            unit,
            "gun/_drawn.html",
            on=on,
            found=found,
            result=result,
            following=training.following(on.drill),
            bars=view.histogram(on.drill.part_that_counts(result.film_um), on.least_um, on.runs_over_um, units),
            press=new_id(),
            **_recorded(unit, on),
        )


def _judged(unit: Unit, typed: Typed) -> tuple[SetUp, training.Course, training.Drawn]:
    found = set_up(unit, read_asked(typed))
    on = training.course(found, typed.text("drill", most=60))
    samples = training.read_samples(str(typed.values.get("samples", "")), on.panel)
    return found, on, training.judge(on, samples)


@router.post("/forget")
def forget(request: Request, workshop: WorkshopDep, pages: PagesDep, form: FormDep) -> Response:
    """Empty the record of a drill."""
    drill = str(form.get("drill", ""))[:60]

    def do(unit: Unit, typed: Typed) -> None:
        training.forget(unit, drill)

    return changed(request, workshop, pages, form, do, f"/gun/trainer?drill={drill}", _show)


@router.get("/forget")
def back_to_the_trainer() -> Response:
    """An address of a press, loaded again, leads to the page."""
    return RedirectResponse("/gun/trainer", 303)

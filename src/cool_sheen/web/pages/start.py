"""The first start: a shop, its spaces, its units; or the demo shop."""

import secrets
from zoneinfo import available_timezones

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response

from cool_sheen.demo import shop as demo_shop
from cool_sheen.service.shops import SPACE_KINDS, NewShop, NewSpace, set_up
from cool_sheen.service.unit import Refused, Unit
from cool_sheen.web.depends import FormDep, PagesDep, UnitDep, WorkshopDep
from cool_sheen.web.forms import Typed

router = APIRouter(prefix="/start")
_SPACE_ROWS = 3
_DEFAULTS = {
    "time_zone": "Europe/Berlin", "units": "metric", "space_name_0": "Booth", "space_kind_0": "booth",
    "space_heater_0": "20", "space_name_1": "Workshop", "space_kind_1": "insulated_shop", "space_heater_1": "16",
}  # fmt: skip


@router.get("")
def start(request: Request, unit: UnitDep, pages: PagesDep) -> Response:
    """Show the set-up, unless it is done."""
    if unit.shop is not None:
        return RedirectResponse("/", 303)
    return _form(request, pages, unit, Typed(_DEFAULTS))


def _form(request: Request, pages: PagesDep, unit: Unit, typed: Typed, status: int = 200) -> Response:
    kinds = [(key, words) for key, (words, _) in SPACE_KINDS.items()]
    zones = sorted(available_timezones())
    return pages.show(
        request,
        unit,
        "start/page.html",
        status,
        typed=typed,
        kind_choices=kinds,
        rows=range(_SPACE_ROWS),
        zones=zones,
    )


@router.post("")
def read_form(request: Request, workshop: WorkshopDep, pages: PagesDep, form: FormDep) -> Response:
    """Set the shop up."""
    typed = Typed(form, "us" if form.get("units") == "us" else "metric")
    try:
        with workshop.write() as unit:
            _make(unit, typed)
    except Refused as refusal:
        typed.notes.update(refusal.notes)
        with workshop.read() as unit:
            return _form(request, pages, unit, typed, 422)
    return RedirectResponse("/", 303)


def _make(unit: Unit, typed: Typed) -> None:
    name = typed.text("name", "the name of your shop")
    spaces = [space for row in range(_SPACE_ROWS) if (space := _space(typed, row))]
    if not spaces:
        typed.notes["space_name_0"] = "Name one space at least: where do the parts stand?"
    names = [typed.text(f"space_name_{row}").casefold() for row in range(_SPACE_ROWS)]
    for row, twice in enumerate(names):
        if twice and twice in names[:row]:
            typed.notes[f"space_name_{row}"] = "Another space has that name: enter another one."
    if typed.text("time_zone") not in available_timezones():
        typed.notes["time_zone"] = "Choose a time zone of the list, such as Europe/Berlin."
    typed.stop("Something is missing.")
    new = NewShop.model_validate({"name": name, "time_zone": typed.text("time_zone"), "units": typed.units})
    set_up(unit, new, spaces, seed=secrets.randbelow(10_000))


def _space(typed: Typed, row: int) -> NewSpace | None:
    name = typed.text(f"space_name_{row}", most=60)
    if not name:
        return None
    kind = typed.text(f"space_kind_{row}")
    if kind not in SPACE_KINDS:
        typed.notes[f"space_kind_{row}"] = "Choose a kind of the list."
        return None
    heater = typed.quantity(f"space_heater_{row}", "temperature", -40, 60, optional=True)
    cap = typed.number(f"space_rh_{row}", 1, 100)
    if typed.notes:
        return None
    return NewSpace.model_validate({"name": name, "kind": kind, "heater_min_c": heater, "dehumidifier_max_rh_pct": cap})


@router.post("/demo")
def demo(workshop: WorkshopDep) -> Response:
    """Load the demo shop."""
    with workshop.write() as unit:
        demo_shop.lay(unit)
    return RedirectResponse("/", 303)

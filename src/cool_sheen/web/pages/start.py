"""The first start: the shop, its units, its hours and its spaces."""

import secrets

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response

from cool_sheen.core.work.hours import A_WEEK
from cool_sheen.service.own_ways import Ways, usual_ways
from cool_sheen.service.shops import SPACE_KINDS, NewSpace, set_up
from cool_sheen.service.unit import Refused, Unit
from cool_sheen.web.depends import FormDep, PagesDep, UnitDep, WorkshopDep
from cool_sheen.web.forms import Typed
from cool_sheen.web.pages.shop import choices
from cool_sheen.web.pages.shop_form import in_other_units, in_units, read_ways, values_of

router = APIRouter(prefix="/start")
_SPACE_ROWS = 3
_HEATED_TO_C = (20.0, 16.0)
_WARMEST_C = 45.0


def _usual(units: str) -> dict[str, str]:
    """What stands in the form at first: the usual ways of a shop that reckons in these units."""
    booth, workshop = (in_units(heat, "temperature", units) for heat in _HEATED_TO_C)
    ways = values_of(usual_ways(units)) | {"name": "", "time_zone": "Europe/Berlin" if units == "metric" else ""}
    return ways | {
        "space_name_0": "Booth", "space_kind_0": "booth", "space_heater_0": booth,
        "space_name_1": "Workshop", "space_kind_1": "insulated_shop", "space_heater_1": workshop,
    }  # fmt: skip


@router.get("")
def start(request: Request, unit: UnitDep, pages: PagesDep) -> Response:
    """Show the set-up, unless it is done."""
    if unit.shop is not None:
        return RedirectResponse("/", 303)
    return _form(request, pages, unit, Typed(_usual("metric")))


@router.get("/units")
def other_units(request: Request, unit: UnitDep, pages: PagesDep) -> Response:
    """Show the set-up in other units: its figures are those that were there, said otherwise."""
    said = dict(request.query_params)
    before = "us" if said.get("units_before") == "us" else "metric"
    after = "us" if said.get("units") == "us" else "metric"
    usual_before, usual_after = _usual(before), _usual(after)
    for name, usual in usual_after.items():
        there = said.setdefault(name, usual_before.get(name, ""))
        if there == usual_before.get(name, "") and name != "time_zone":
            said[name] = usual
        elif name.startswith("space_heater"):
            said[name] = in_other_units(there, "temperature", before, after)
    return _form(request, pages, unit, Typed(said, after))


def _form(request: Request, pages: PagesDep, unit: Unit, typed: Typed, status: int = 200) -> Response:
    kinds = [(key, words) for key, (words, _) in SPACE_KINDS.items()]
    template = "start/_form.html" if request.headers.get("hx-request") else "start/page.html"
    opened = any(name.startswith(("opens_", "closes_")) for name in typed.notes)
    return pages.show(
        request,
        unit,
        template,
        status,
        typed=typed,
        kind_choices=kinds,
        rows=range(_SPACE_ROWS),
        opened=opened,
        **choices(typed),
    )


@router.post("")
def read_form(request: Request, workshop: WorkshopDep, pages: PagesDep, form: FormDep) -> Response:
    """Set the shop up."""
    units = "us" if form.get("units") == "us" else "metric"
    typed = Typed({**_unasked(units, form), **form}, units)
    try:
        with workshop.write() as unit:
            _make(unit, typed)
    except Refused as refusal:
        typed.notes.update(refusal.notes)
        with workshop.read() as unit:
            return _form(request, pages, unit, typed, 422)
    return RedirectResponse("/", 303)


def _unasked(units: str, form: dict[str, object]) -> dict[str, str]:
    """What the set-up does not ask stays as is usual; hours are asked, and may be empty."""
    usual = {name: value for name, value in _usual(units).items() if not name.startswith("space_")}
    asked = {f"{end}_{day}" for end in ("opens", "closes") for day in range(A_WEEK)}
    return usual if not asked & set(form) else {name: value for name, value in usual.items() if name not in asked}


def _make(unit: Unit, typed: Typed) -> None:
    spaces = [space for row in range(_SPACE_ROWS) if (space := _space(typed, row))]
    if not spaces:
        typed.notes["space_name_0"] = "Name one space at least: where do the parts stand?"
    names = [typed.text(f"space_name_{row}").casefold() for row in range(_SPACE_ROWS)]
    for row, twice in enumerate(names):
        if twice and twice in names[:row]:
            typed.notes[f"space_name_{row}"] = "Another space has that name: enter another one."
    ways: Ways = read_ways(typed)
    set_up(unit, ways, spaces, seed=secrets.randbelow(10_000))


def _space(typed: Typed, row: int) -> NewSpace | None:
    name = typed.text(f"space_name_{row}", most=60)
    if not name:
        return None
    kind = typed.text(f"space_kind_{row}")
    if kind not in SPACE_KINDS:
        typed.notes[f"space_kind_{row}"] = "Choose a kind of the list."
        return None
    # A space is heated to keep the frost out at least: 20 °F would be a room of -7 °C.
    heater = typed.quantity(f"space_heater_{row}", "temperature", 0, _WARMEST_C, optional=True)
    cap = typed.number(f"space_rh_{row}", 1, 100)
    if typed.notes:
        return None
    return NewSpace.model_validate({"name": name, "kind": kind, "heater_min_c": heater, "dehumidifier_max_rh_pct": cap})

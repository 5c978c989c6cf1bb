"""The rack: guns of the shop, and the air that feeds them."""

from typing import Any
from uuid import UUID

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response

from cool_sheen.service.gun import rack
from cool_sheen.service.unit import Missing, Refused, Unit
from cool_sheen.service.work import new_id
from cool_sheen.web.depends import FormDep, PagesDep, ShopDep, UnitDep, WorkshopDep
from cool_sheen.web.forms import Typed
from cool_sheen.web.pages.form_posts import changed
from cool_sheen.web.pages.gun import ROOMS
from cool_sheen.web.pages.gun_form import AIR_FIELDS, GUN_FIELDS, air_values, gun_values, labels, read_air, read_gun

router = APIRouter(prefix="/gun/rack")


@router.get("")
def page(request: Request, unit: UnitDep, pages: PagesDep, shop: ShopDep, gun: str = "") -> Response:
    """Show the rack, with one gun open to be changed."""
    return _show(request, unit, pages, Typed({"editing": gun}, shop.units), 200)


def _show(request: Request, unit: Unit, pages: PagesDep, typed: Typed, status: int = 422) -> Response:
    there = rack.rack(unit)
    open_one = next((g for g in there if g.own and g.key == typed.text("editing", most=60)), None)
    about_air, about_gun = "tank_l" in typed.values, "name" in typed.values
    air = typed if about_air else Typed.of(air_values(rack.air_of(unit.the_shop), typed.units), typed.units)
    gun = typed if about_gun else Typed({}, typed.units)
    if open_one and open_one.own and not about_gun:
        gun = Typed.of(gun_values(open_one.own, typed.units), typed.units)
    kinds = rack.ships().guns
    names = {kind.key: kind.name for kind in kinds}
    return pages.show(
        request,
        unit,
        "gun/rack.html",
        status,
        rooms=ROOMS,
        typed=typed,
        guns=[_named(g, names) for g in there if g.own],
        away=rack.put_away_guns(unit),
        kinds=[kind for kind in kinds if kind.sprays],
        editing=open_one.key if open_one else "",
        gun=gun,
        air=air,
        gun_fields=GUN_FIELDS,
        air_fields=AIR_FIELDS,
        new_id=new_id,
    )


def _named(one: rack.OnRack, names: dict[str, str]) -> dict[str, Any]:
    return {"key": one.key, "gun": one.gun, "own": one.own, "kind": names[one.own.type] if one.own else ""}


@router.post("")
def keep(request: Request, workshop: WorkshopDep, pages: PagesDep, form: FormDep) -> Response:
    """Keep a gun; a refusal keeps what was typed."""

    def do(unit: Unit, typed: Typed) -> None:
        press = typed.uuid("press", "The press has no id: load the page again.")
        said = read_gun(typed)
        typed.stop()
        editing = typed.text("editing", most=60)
        there = next((g for g in rack.rack(unit) if g.own and g.key == editing), None)
        if editing and there is None:
            raise Missing("gun")
        if there is not None and there.own is not None:
            typed.check_seen(gun_values(there.own, typed.units), {"name": "name", "type": "kind", "nozzles": "nozzles"})
        rack.keep_gun(unit, UUID(there.key) if there else press or UUID(int=0), said)

    return changed(request, workshop, pages, form, do, "/gun/rack", _show)


@router.post("/air")
def keep_air(request: Request, workshop: WorkshopDep, pages: PagesDep, form: FormDep) -> Response:
    """Keep compressor, hose and treatment; a refusal keeps what was typed."""

    def do(unit: Unit, typed: Typed) -> None:
        said = read_air(typed)
        typed.check_seen(air_values(rack.air_of(unit.the_shop), typed.units), labels())
        rack.keep_air(unit, said)

    return changed(request, workshop, pages, form, do, "/gun/rack#air", _show)


@router.post("/{uuid}")
def with_gun(request: Request, uuid: UUID, workshop: WorkshopDep, pages: PagesDep, form: FormDep) -> Response:
    """Put a gun away, or hang it back."""

    def do(unit: Unit, typed: Typed) -> None:
        if typed.text("do") not in ("away", "back"):
            raise Refused("Choose what to do with the gun.")
        rack.put_away(unit, uuid, back=typed.text("do") == "back")

    return changed(request, workshop, pages, form, do, "/gun/rack", _show)


@router.get("/{uuid}")
def back_to_the_rack() -> Response:
    """An address of a press, loaded again, leads to the page."""
    return RedirectResponse("/gun/rack", 303)

"""Spaces: where parts stand, described."""

from typing import Any
from uuid import UUID

from fastapi import APIRouter, Request
from fastapi.responses import Response

from cool_sheen.core.climate.rooms import SPACE_LAG_H
from cool_sheen.core.units import shown
from cool_sheen.service.jobs import spaces_by_id
from cool_sheen.service.shops import ROOM_AIR, SPACE_KINDS, NewSpace, add_space, change_space
from cool_sheen.service.unit import Unit
from cool_sheen.store.models import Space
from cool_sheen.web.depends import FormDep, PagesDep, ShopDep, UnitDep, WorkshopDep
from cool_sheen.web.forms import Typed
from cool_sheen.web.pages.form_posts import changed

router = APIRouter(prefix="/spaces")


@router.get("")
def page(request: Request, unit: UnitDep, pages: PagesDep, shop: ShopDep, space: str = "") -> Response:
    """Show all spaces; one of them, or a new one, as a form."""
    found = spaces_by_id(unit)
    chosen = next((s for s in found.values() if str(s.uuid) == space), None)
    return _show(
        request, unit, pages, Typed.of(_values(chosen, shop.units), shop.units) if chosen else Typed({}, shop.units)
    )


def _values(space: Space, units: str) -> dict[str, Any]:
    heat = "" if space.heater_min_c is None else f"{shown(space.heater_min_c, 'temperature', units)[0]:.4g}"
    return {
        "space": str(space.uuid),
        "name": space.name,
        "kind": space.kind,
        "heater": heat,
        "dehumidifier": _plain(space.dehumidifier_max_rh_pct),
        "lag": _plain(space.lag_h),
        "holds": _plain(space.holds),
        "air_movement": space.air_movement,
        "sensor": "1" if space.has_sensor else "",
        "floor_damped": "1" if space.floor_damped else "",
        "extraction": "1" if space.extraction else "",
        "shade": "1" if space.shade else "",
        "wind_break": "1" if space.wind_break else "",
    }


_LABELS = {
    "name": "name", "kind": "kind", "heater": "heater", "dehumidifier": "dehumidifier", "lag": "lag",
    "holds": "wet parts at a time", "air_movement": "air", "sensor": "sensor",
    "floor_damped": "damped floor", "extraction": "extraction",
    "shade": "shade", "wind_break": "wind-break",
}  # fmt: skip


def _plain(value: float | None) -> str:
    return "" if value is None else f"{value:g}"


def _show(request: Request, unit: Unit, pages: PagesDep, typed: Typed, status: int = 200) -> Response:
    return pages.show(
        request,
        unit,
        "weather/spaces.html",
        status,
        typed=typed,
        spaces=list(spaces_by_id(unit).values()),
        kinds=[(key, words) for key, (words, _) in SPACE_KINDS.items()],
        moves=list(ROOM_AIR.items()),
        lags=SPACE_LAG_H,
        kind_words={key: words for key, (words, _) in SPACE_KINDS.items()},
    )


@router.post("")
def save(request: Request, workshop: WorkshopDep, pages: PagesDep, form: FormDep) -> Response:
    """Make a space, or describe one anew; a refusal keeps what was typed."""
    return changed(request, workshop, pages, form, _save, "/spaces", _show)


def _save(unit: Unit, typed: Typed) -> None:
    name = typed.text("name", "a name, such as “Booth”", most=60)
    kind, moves = typed.text("kind"), typed.text("air_movement")
    if kind not in SPACE_KINDS:
        typed.notes["kind"] = "Choose a kind of the list."
    if moves and moves not in ROOM_AIR:
        typed.notes["air_movement"] = "Choose from the list."
    heater = typed.quantity("heater", "temperature", -40, 60, optional=True)
    dry, lag = typed.number("dehumidifier", 1, 100), typed.number("lag", 0, 240)
    holds = typed.number("holds", 1, 200)
    if holds is not None and holds != int(holds):
        typed.notes["holds"] = "Enter a whole number of parts, such as 3."
    uuid: UUID | None = typed.uuid("space", "There is no such space.") if typed.text("space") else None
    typed.stop()
    new = NewSpace.model_validate(
        {
            "name": name,
            "kind": kind,
            "heater_min_c": heater,
            "dehumidifier_max_rh_pct": dry,
            "lag_h": lag,
            "holds": holds,
            "air_movement": moves or None,
            "has_sensor": typed.flag("sensor"),
            "floor_damped": typed.flag("floor_damped"),
            "extraction": typed.flag("extraction"),
            "shade": typed.flag("shade"),
            "wind_break": typed.flag("wind_break"),
        }
    )
    if uuid is not None and (there := spaces_by_id(unit).get(uuid)) is not None:
        typed.check_seen(_values(there, typed.units), _LABELS)
    if uuid is None:
        add_space(unit, new)
    else:
        change_space(unit, uuid, new, always=typed.flag("always"))

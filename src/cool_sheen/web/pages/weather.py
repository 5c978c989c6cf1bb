"""Weather: can I coat here? The band of a space, the gate of each product, and climate records."""

from datetime import datetime, time, timedelta
from typing import Any
from uuid import UUID
from zoneinfo import ZoneInfo, available_timezones

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response
from sqlalchemy import select
from sqlalchemy.orm import Session

from cool_sheen.core.climate.gates import Shut
from cool_sheen.core.climate.rooms import SURFACE_LAG_H
from cool_sheen.core.coatings.products import Product
from cool_sheen.core.log.entries import ClimateReadingPayload
from cool_sheen.core.log.fold import PartState, Stay
from cool_sheen.core.planning.openings import last_starts, open_slots, ways_to_open
from cool_sheen.core.planning.paint import coats_ahead, next_coats
from cool_sheen.core.planning.part_climate import PartClimate
from cool_sheen.formats.climate_files import KINDS
from cool_sheen.formats.logger_csv import Options
from cool_sheen.service import records, rooms
from cool_sheen.service.climate import look, measured_spans, now_in, part_climate
from cool_sheen.service.desk import Desk, Refused, zone_of
from cool_sheen.service.jobs import spaces_by_id, stand_all
from cool_sheen.service.rooms import readings, room_list
from cool_sheen.service.shops import SPACE_KINDS
from cool_sheen.service.stock import stock
from cool_sheen.service.work import new_id
from cool_sheen.store import climate as store_climate
from cool_sheen.store.models import Part, Shop, Space
from cool_sheen.web.forms import Typed
from cool_sheen.web.parts import DeskDep, FormDep, PagesDep, SessionDep, ShopDep
from cool_sheen.web.views import band
from cool_sheen.web.views.lane import clock_time
from cool_sheen.web.views.ribbon import frame_around

router = APIRouter(prefix="/weather")
MASSES = {
    "sheet_metal": "sheet metal", "glass_fibre": "glass fibre or plastic", "timber": "timber", "casting": "casting",
    "masonry": "masonry",
}  # fmt: skip
_BACK, _AHEAD = timedelta(hours=24), timedelta(hours=72)
_SOME = 10
_SLOTS_AHEAD = timedelta(days=5)


@router.get("")
def weather(request: Request, desk: DeskDep, pages: PagesDep, opened: SessionDep, shop: ShopDep) -> Response:
    """Show the climate of a space, and what it means for each product."""
    asked = (request.query_params.get(name, "") for name in ("space", "surface", "product"))
    context = _context(desk, opened, shop, *asked)
    return pages.show(request, opened, "weather/page.html", **context, typed=Typed({"space": context["space"].uuid}))


def _context(desk: Desk, opened: Session, shop: Shop, space: str, surface: str, product: str) -> dict[str, Any]:
    spaces = spaces_by_id(opened)
    chosen = next((s for s in spaces.values() if str(s.uuid) == space), next(iter(spaces.values())))
    mass = surface if surface in SURFACE_LAG_H else "sheet_metal"
    zone, now = zone_of(shop), desk.now()
    state = PartState(stays=[Stay(now, chosen.uuid)])
    climate = part_climate(desk, opened, state, mass, spaces, look(desk, opened))
    products = _in_use(desk, opened)
    sheet = stock(desk, opened).products.get(product) or products[0]
    at = now_in(climate.series, now)
    rows = [_row(p, climate, now, zone) for p in products]
    return {
        "spaces": list(spaces.values()),
        "space": chosen,
        "space_choices": [(s.uuid, s.name) for s in spaces.values()],
        "kinds": SPACE_KINDS,
        "masses": MASSES,
        "mass": mass,
        "sheet": sheet,
        "air": {
            "air_temp_c": float(at.air_temp_c[0]),
            "rh_pct": float(at.rh_pct[0]),
            "surface_temp_c": float(at.surface_temp_c[0]),
            "margin_k": float(at.surface_temp_c[0] - at.dew_point_c[0]),
        },
        "band": band.draw(
            climate.series, frame_around(now, _BACK, _AHEAD, 1150.0), zone, height=230,
            shut=climate.shut(sheet, now), product_name=sheet.name, fahrenheit=shop.units == "us",
        ),
        "measured": band.measured(
            measured_spans(desk, opened, chosen, now - _BACK, look(desk, opened)),
            frame_around(now, _BACK, _AHEAD, 1150.0),
        ),
        "rows": rows,
        "ways_open": ways_to_open(climate, sheet, now) if chosen.kind != "outdoors" else [],
        "elsewhere": _open_elsewhere(desk, opened, sheet, mass, spaces, chosen),
        "slots": open_slots(climate.shut(sheet, now), now, now + _SLOTS_AHEAD)[:6],
        "here": _parts_here(desk, opened, shop, chosen, now),
        "room": room_list(desk, opened, chosen),
        "readings": readings(opened, chosen.uuid, now - timedelta(days=2)),
        "new_id": new_id,
        "file_kinds": KINDS,
        "imports": store_climate.imports(opened),
        "zones": sorted(available_timezones()),
        "zone_name": shop.time_zone,
    }  # fmt: skip


def _open_elsewhere(
    desk: Desk, opened: Session, product: Product, mass: str, spaces: dict[UUID, Space], chosen: Space
) -> list[Space]:
    """The other spaces in which a product's gate is open now: nobody heats the yard."""
    if chosen.kind != "outdoors":
        return []
    now, weather = desk.now(), look(desk, opened)

    def is_open(space: Space) -> bool:
        climate = part_climate(desk, opened, PartState(stays=[Stay(now, space.uuid)]), mass, spaces, weather)
        return climate.gate_at(product, now, now) is None

    return [s for s in spaces.values() if s.uuid != chosen.uuid and is_open(s)]


def _parts_here(desk: Desk, opened: Session, shop: Shop, space: Space, now: datetime) -> list[dict[str, Any]]:
    """The parts in a space with a coat to come: how late today the next one may start, and the first of all of them."""
    local = now.astimezone(zone_of(shop))
    closes = datetime.combine(local.date(), time.fromisoformat(shop.closes), local.tzinfo)
    out = []
    for found in stand_all(desk, opened, look(desk, opened)):
        coats = next_coats(coats_ahead(found.steps, found.zones, found.products))
        if coats and found.space.uuid == space.uuid:
            product = found.products[coats[0].product]
            out.append(
                {
                    "part": found.part,
                    "product": product,
                    "last": last_starts(found.climate, product, coats, now, closes, found.look.factor),
                }
            )
    return out


def _in_use(desk: Desk, opened: Session) -> list[Product]:
    """The products that parts are planned with; some of the shelf when there is no part yet."""
    shelf = stock(desk, opened).products
    used = {key for revisions in opened.scalars(select(Part.revisions)) for key in revisions}
    return [p for key, p in shelf.items() if key in used] or list(shelf.values())[:_SOME]


def _row(product: Product, climate: PartClimate, now: datetime, zone: ZoneInfo) -> dict[str, Any]:
    """The gate of one product: open or shut now, why, until when."""
    shut = climate.shut(product, now)
    gate = climate.gate_at(product, now, now)
    last = band.last_safe_start(shut, now)
    return {
        "product": product,
        "open": gate is None,
        "reason": gate.reason if gate else "",
        "opens": _opens(climate, gate, zone, now) if gate else "",
        "last": clock_time(last, zone, now) if last else "",
    }


def _opens(climate: PartClimate, gate: Shut, zone: ZoneInfo, now: datetime) -> str:
    at = climate.opens_at(gate)
    return f"opens {clock_time(at, zone, now)}" if at else "not within the forecast"


def _options(typed: Typed, shop: Shop) -> Options:
    columns = [typed.number(f"column_{name}", 0, 200) for name in ("time", "temp", "rh")]
    given = [c for c in columns if c is not None]
    unit, order = typed.text("unit"), typed.text("date_order")
    return Options(
        time_zone=typed.text("time_zone") or shop.time_zone,
        doubled_hour="later" if typed.text("doubled_hour") == "later" else "earlier",
        unit=unit if unit in ("C", "F") else "",
        date_order=order if order in ("day first", "month first") else "",
        columns=(int(given[0]), int(given[1]), int(given[2])) if len(given) == 3 else None,
        sure=typed.flag("sure"),
        kind="forecast" if typed.text("kind") == "forecast" else "",
    )


@router.post("/records")
def upload(request: Request, desk: DeskDep, pages: PagesDep, form: FormDep) -> Response:
    """Read a logger's file, and show what would be taken."""
    typed = Typed(form)
    with desk.open() as opened:
        shop = _shop(desk, opened)
        space = typed.uuid("space", "Choose the space that the logger hung in.")
        name = typed.text("file", most=1000)
        if not name:
            typed.notes["file"] = "Choose the file that your logger wrote."
        if space is None or typed.notes:
            context = _context(desk, opened, shop, typed.text("space"), "sheet_metal", "")
            return pages.show(request, opened, "weather/page.html", 422, **context, typed=typed)
        content = form.get("file_content", b"")
        preview = records.start(desk, opened, space, name, content, _options(typed, shop))
        return _preview(request, pages, opened, preview)


def _shop(desk: Desk, opened: Session) -> Shop:
    shop = desk.shop(opened)
    if shop is None:
        raise Refused("Set the shop up first.", status=409)
    return shop


def _preview(request: Request, pages: PagesDep, opened: Session, preview: records.Preview) -> Response:
    status = 200 if preview.record else 422
    space = opened.get(Space, preview.draft.space_uuid)
    return pages.show(
        request,
        opened,
        "weather/preview.html",
        status,
        preview=preview,
        space=space,
        zones=sorted(available_timezones()),
    )


@router.post("/records/{uuid}/look")
def look_again(request: Request, uuid: UUID, desk: DeskDep, pages: PagesDep, form: FormDep) -> Response:
    """Read a draft again with other options."""
    with desk.open() as opened:
        options = _options(Typed(form), _shop(desk, opened))
        return _preview(request, pages, opened, records.again(desk, opened, uuid, options))


@router.post("/records/{uuid}/take")
def take(uuid: UUID, desk: DeskDep) -> Response:
    """Take a draft into the record."""
    with desk.open() as opened:
        taken = records.take(desk, opened, uuid)
    return RedirectResponse(f"/weather?space={taken.space_uuid}#records", 303)


@router.post("/records/{uuid}/withdraw")
def withdraw(uuid: UUID, desk: DeskDep) -> Response:
    """Take a whole import back."""
    with desk.open() as opened:
        gone = records.withdraw(opened, uuid)
    return RedirectResponse(f"/weather?space={gone.space_uuid}#records", 303)


@router.post("/readings")
def read_air(request: Request, desk: DeskDep, pages: PagesDep, form: FormDep) -> Response:
    """Log what an instrument shows; it overrules the forecast near it, and fades."""
    with desk.open() as opened:
        shop = _shop(desk, opened)
        typed = Typed(form, shop.units)
        space, press = typed.uuid("space", "Choose the space."), typed.uuid("press", "Load the page again.")
        air, rh = typed.quantity("air", "temperature", -60, 80), typed.number("rh", 0.1, 100)
        if rh is None:
            typed.notes.setdefault("rh", "Enter the humidity, above 0 and up to 100 %.")
        at = typed.moment("at", zone_of(shop))
        try:
            if typed.notes or space is None or press is None or air is None or rh is None:
                raise Refused("The reading was not logged.", typed.notes)
            rooms.read_air(desk, opened, press, ClimateReadingPayload(space=space, air_temp_c=air, rh_pct=rh), at)
        except Refused as refusal:
            if refusal.status == 404:
                raise
            typed.notes.update(refusal.notes)
            context = _context(desk, opened, shop, typed.text("space"), "sheet_metal", "")
            return pages.show(request, opened, "weather/page.html", 422, **context, typed=typed)
    return RedirectResponse(f"/weather?space={space}#room", 303)


@router.post("/readings/undo")
def undo_reading(desk: DeskDep, form: FormDep) -> Response:
    """Take a typed reading back."""
    typed, press, entry = _pressed(form, "entry", "There is no such reading.", "Nothing was taken back.")
    with desk.open() as opened:
        rooms.take_back(desk, opened, press, entry)
    return RedirectResponse(f"/weather?space={typed.text('space')}#room", 303)


@router.post("/room")
def stamp_room(desk: DeskDep, form: FormDep) -> Response:
    """Stamp a step of making the room ready."""
    typed, press, space = _pressed(form, "space", "Choose the space.", "Nothing was stamped.")
    with desk.open() as opened:
        rooms.stamp(desk, opened, space, press, typed.text("step"))
    return RedirectResponse(f"/weather?space={space}#room", 303)


def _pressed(form: dict[str, Any], name: str, missing: str, said: str) -> tuple[Typed, UUID, UUID]:
    typed = Typed(form)
    press, named = typed.uuid("press", "Load the page again."), typed.uuid(name, missing)
    if press is None or named is None:
        raise Refused(said, typed.notes)
    return typed, press, named

"""Weather: can I coat here? The band of a space, the gate of each product, and climate records."""

from datetime import datetime, timedelta
from typing import Any
from uuid import UUID
from zoneinfo import ZoneInfo, available_timezones

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response

from cool_sheen.core.climate.gates import RAIN_MM_PER_H, SUN_SHARE
from cool_sheen.core.climate.rooms import SURFACE_LAG_H
from cool_sheen.core.climate.series import instant, seconds
from cool_sheen.core.climate.sightings import read_sky
from cool_sheen.core.climate.trend import Read, expected
from cool_sheen.core.coatings.products import Product
from cool_sheen.core.drying.blend import Blend, OwnHardener
from cool_sheen.core.errors import NotReadable
from cool_sheen.core.log.entries import ClimateReadingPayload, SkySeen
from cool_sheen.core.log.history import History, Stay
from cool_sheen.core.mixing.speeds import own_hardener
from cool_sheen.core.part.climate import PartClimate
from cool_sheen.core.part.gate import CoatGate, GoingOn
from cool_sheen.core.plan.openings import open_slots, ways_to_open
from cool_sheen.formats.climate_files import KINDS
from cool_sheen.formats.logger_csv import Options
from cool_sheen.service import climate_imports, rooms
from cool_sheen.service.climate import part_climate
from cool_sheen.service.invented import invented
from cool_sheen.service.jobs import spaces_by_id
from cool_sheen.service.measured import measured_spans, typed_readings
from cool_sheen.service.part_now import live_parts
from cool_sheen.service.rooms import readings, room_list
from cool_sheen.service.shelf_now import shelf_now
from cool_sheen.service.shops import SPACE_KINDS
from cool_sheen.service.spaces_then import door_open_since
from cool_sheen.service.unit import Refused, Unit, zone_of
from cool_sheen.service.weather_now import weather_now
from cool_sheen.service.work import new_id
from cool_sheen.store import climate as store_climate
from cool_sheen.store.models import Shop, Space
from cool_sheen.web.depends import FormDep, PagesDep, ShopDep, UnitDep, WorkshopDep
from cool_sheen.web.forms import Typed
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
_ON_THE_WAY = timedelta(hours=3)
_LAGS_H, _APART_K = 0.8, 1.5  # of a surface that is worth measuring, and how far from its air it is asked for


@router.get("")
def weather(request: Request, unit: UnitDep, pages: PagesDep, shop: ShopDep) -> Response:
    """Show the climate of a space, and what it means for each product."""
    asked = (request.query_params.get(name, "") for name in ("space", "surface", "product"))
    context = _context(unit, shop, *asked)
    return pages.show(request, unit, "weather/page.html", **context, typed=Typed({"space": context["space"].uuid}))


def _context(unit: Unit, shop: Shop, space: str, surface: str, product: str) -> dict[str, Any]:
    spaces = spaces_by_id(unit)
    chosen = next((s for s in spaces.values() if str(s.uuid) == space), next(iter(spaces.values())))
    mass = surface if surface in SURFACE_LAG_H else "sheet_metal"
    zone, now = unit.zone, unit.now
    weather = weather_now(unit)
    climate = part_climate(unit, History(stays=[Stay(now, chosen.uuid)]), mass)
    products = _in_use(unit)
    sheet = shelf_now(unit).products.get(product) or products[0]
    at = climate.at(now)
    gate = CoatGate(climate, GoingOn.of_sheet(sheet, _blend(unit, sheet)))
    shut = gate.spans(now)
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
        "sky": _sky_words(climate, now) if climate.outdoors else "",
        "lagging": _lagging(unit, chosen),
        "door_open": door_open_since(unit, chosen.uuid),
        "expected": [(instant(e.at_s), e.words) for e in expected(_lately_read(unit, chosen, now), gate.coat.limits)],
        "band": band.draw(
            climate.series,
            frame_around(now, _BACK, _AHEAD, 1150.0),
            zone,
            height=230,
            shut=shut,
            product_name=sheet.name,
            fahrenheit=shop.units == "us",
        ),
        "measured": band.measured(
            measured_spans(unit, chosen, now - _BACK, weather), frame_around(now, _BACK, _AHEAD, 1150.0)
        ),
        "rows": [_row(p, _blend(unit, p), climate, now, zone) for p in products],
        "ways_open": ways_to_open(climate, gate.coat, now, _own(unit, sheet, "fast")),
        "elsewhere": _open_elsewhere(unit, gate.coat, mass, spaces, chosen),
        "slots": open_slots(shut, now, now + _SLOTS_AHEAD)[:6],
        "here": _parts_here(unit, chosen),
        "invented": invented(unit, chosen.uuid),
        "room": room_list(unit, chosen),
        "readings": readings(unit, chosen.uuid, now - timedelta(days=2)),
        "new_id": new_id,
        "file_kinds": KINDS,
        "imports": store_climate.imports(unit.session),
        "zones": sorted(available_timezones()),
        "zone_name": shop.time_zone,
    }


def _sky_words(climate: PartClimate, now: datetime) -> str:
    """What of the sky reaches a part in the open now, in words."""
    sky = climate.sky_at(now)
    if sky is None:
        return ""
    wind, gust, rain = (float(c[0]) for c in (sky.wind_m_per_s, sky.gust_m_per_s, sky.rain_mm_per_h))
    falls = f"rain {rain:.1f} mm/h" if rain > RAIN_MM_PER_H else "no rain"
    sun = "direct sun" if float(sky.sun[0]) > SUN_SHARE else "no direct sun"
    return f"wind {wind:.1f} m/s, gusts {gust:.1f}, {falls}, {sun}"


def _lately_read(unit: Unit, space: Space, now: datetime) -> list[Read]:
    """The readings of a space that were typed lately, for the way that they show."""
    return [
        Read(seconds(at), said.air_temp_c, said.rh_pct, said.surface_temp_c)
        for at, said in typed_readings(unit)
        if said.space == space.uuid and now - _ON_THE_WAY <= at <= now
    ]


def _lagging(unit: Unit, space: Space) -> list[dict[str, Any]]:
    """The parts in a space whose surface lags so far that it is worth measuring, with what the model says of it."""
    out = []
    for found in live_parts(unit):
        mass = unit.catalogue.substrates[found.part.substrate].mass
        if found.space.uuid == space.uuid and SURFACE_LAG_H[mass] >= _LAGS_H:
            at = found.climate.at(unit.now)
            air, surface = float(at.air_temp_c[0]), float(at.surface_temp_c[0])
            out.append({"part": found.part, "surface_c": surface, "apart": abs(air - surface) >= _APART_K})
    return sorted(out, key=lambda row: not row["apart"])


def _open_elsewhere(unit: Unit, coat: GoingOn, mass: str, spaces: dict[UUID, Space], chosen: Space) -> list[Space]:
    """The other spaces in which a coat's gate is open now: nobody heats the yard."""
    if chosen.kind != "outdoors":
        return []
    now = unit.now

    def is_open(space: Space) -> bool:
        climate = part_climate(unit, History(stays=[Stay(now, space.uuid)]), mass)
        return CoatGate(climate, coat).shut_at(now) is None

    return [s for s in spaces.values() if s.uuid != chosen.uuid and is_open(s)]


def _parts_here(unit: Unit, space: Space) -> list[dict[str, Any]]:
    """The parts in a space with a coat to come: how late today the next one may start, and the first of all of them."""
    out = []
    for found in live_parts(unit):
        step = found.next_coat()
        if step is not None and found.space.uuid == space.uuid:
            last = found.last_starts
            coat = last.coat.step if last.coat else step
            product = found.products[getattr(coat, "layer", step.layer).product]
            out.append({"part": found.part, "product": product, "last": last, "label": coat.label})
    return out


def _in_use(unit: Unit) -> list[Product]:
    """The products that work is planned with; some of the shelf when there is none."""
    shelf = shelf_now(unit).products
    used = {key for found in live_parts(unit) for key in found.products}
    return [p for key, p in shelf.items() if key in used] or list(shelf.values())[:_SOME]


def _own(unit: Unit, product: Product, speed: str) -> OwnHardener | None:
    return own_hardener(product, speed, shelf_now(unit).supplies.values())


def _blend(unit: Unit, product: Product) -> Blend:
    """The mix of a product with the standard hardener."""
    return Blend(hardener=_own(unit, product, "standard"))


def _row(product: Product, blend: Blend, climate: PartClimate, now: datetime, zone: ZoneInfo) -> dict[str, Any]:
    """The gate of one product as its sheet lays it: open or shut now, why, until when."""
    gate = CoatGate(climate, GoingOn.of_sheet(product, blend))
    shut = gate.shut_at(now)
    opens = gate.opens(now) if shut else None
    last = None if shut else gate.closes(now)
    return {
        "product": product,
        "open": shut is None,
        "reason": shut.reason if shut else "",
        "opens": (f"opens {clock_time(opens, zone, now)}" if opens else "not within the forecast") if shut else "",
        "last": clock_time(last, zone, now) if last else "",
    }


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
def upload(request: Request, workshop: WorkshopDep, pages: PagesDep, form: FormDep) -> Response:
    """Read a logger's file, and show what would be taken."""
    typed = Typed(form)
    with workshop.read() as unit:
        shop = _shop(unit)
        space = typed.uuid("space", "Choose the space that the logger hung in.")
        name = typed.text("file", most=1000)
        if not name:
            typed.notes["file"] = "Choose the file that your logger wrote."
        if space is None or typed.notes:
            context = _context(unit, shop, typed.text("space"), "sheet_metal", "")
            return pages.show(request, unit, "weather/page.html", 422, **context, typed=typed)
    draft = climate_imports.start(workshop, space, name, typed.file("file"), _options(typed, shop))
    with workshop.read() as unit:
        return _preview(request, pages, unit, climate_imports.preview(unit, draft))


def _shop(unit: Unit) -> Shop:
    shop = unit.shop
    if shop is None:
        raise Refused("Set the shop up first.", status=409)
    return shop


def _preview(request: Request, pages: PagesDep, unit: Unit, preview: climate_imports.Preview) -> Response:
    status = 200 if preview.record else 422
    space = spaces_by_id(unit)[preview.draft.space_uuid]
    return pages.show(
        request,
        unit,
        "weather/preview.html",
        status,
        preview=preview,
        space=space,
        zones=sorted(available_timezones()),
    )


@router.post("/records/{uuid}/look")
def look_again(request: Request, uuid: UUID, workshop: WorkshopDep, pages: PagesDep, form: FormDep) -> Response:
    """Read a draft again with other options."""
    with workshop.read() as unit:
        options = _options(Typed(form), _shop(unit))
    climate_imports.again(workshop, uuid, options)
    with workshop.read() as unit:
        return _preview(request, pages, unit, climate_imports.preview(unit, uuid))


@router.post("/records/{uuid}/take")
def take(uuid: UUID, workshop: WorkshopDep) -> Response:
    """Take a draft into the record."""
    return RedirectResponse(f"/weather?space={climate_imports.take(workshop, uuid)}#records", 303)


@router.get("/records/{uuid}/taken")
def how_far(request: Request, uuid: UUID, unit: UnitDep, pages: PagesDep) -> Response:
    """Say how far the taking of a record is."""
    return pages.show(request, unit, "weather/_taking.html", taking=unit.workshop.takings.get(uuid))


@router.post("/records/{uuid}/withdraw")
def withdraw(uuid: UUID, workshop: WorkshopDep) -> Response:
    """Take a whole import back."""
    with workshop.write() as unit:
        gone = climate_imports.withdraw(unit, uuid)
    return RedirectResponse(f"/weather?space={gone.space_uuid}#records", 303)


@router.post("/readings")
def read_air(request: Request, workshop: WorkshopDep, pages: PagesDep, form: FormDep) -> Response:
    """Log what an instrument shows; it overrules the forecast near it, and fades."""
    with workshop.write() as unit:
        shop = _shop(unit)
        typed = Typed(form, shop.units)
        space, press = typed.uuid("space", "Choose the space."), typed.uuid("press", "Load the page again.")
        air, rh = typed.quantity("air", "temperature", -60, 80), typed.number("rh", 0.1, 100)
        if rh is None:
            typed.notes.setdefault("rh", "Enter the humidity, above 0 and up to 100 %.")
        at = typed.moment("at", zone_of(shop))
        surface = typed.quantity("surface_temp", "temperature", -60, 120, optional=True)
        part = typed.uuid("part", "Choose the part whose surface you measured.") if surface is not None else None
        seen = _seen(typed)
        try:
            if typed.notes or space is None or press is None or air is None or rh is None:
                raise Refused("The reading was not logged.", typed.notes)
            said = ClimateReadingPayload(
                space=space, air_temp_c=air, rh_pct=rh, surface_temp_c=surface, sky=SkySeen(**seen) if seen else None
            )
            rooms.read_air(unit, press, said, at, part)
        except Refused as refusal:
            if refusal.status == 404:
                raise
            typed.notes.update(refusal.notes)
            context = _context(unit, shop, typed.text("space"), "sheet_metal", "")
            return pages.show(request, unit, "weather/page.html", 422, **context, typed=typed)
    return RedirectResponse(f"/weather?space={space}#room", 303)


def _seen(typed: Typed) -> dict[str, float]:
    """What was typed of the sky."""
    try:
        return read_sky(typed.text("sky", most=120))
    except NotReadable as error:
        typed.notes["sky"] = str(error)
        return {}


@router.post("/door")
def press_door(workshop: WorkshopDep, form: FormDep) -> Response:
    """Log that the doors of a room were opened, or shut."""
    typed, press, space = _pressed(form, "space", "Choose the space.", "Nothing was logged.")
    with workshop.write() as unit:
        at = typed.moment("at", unit.zone)
        if typed.text("door") not in ("open", "shut"):
            typed.notes["door"] = "Say whether they were opened or shut."
        typed.stop("Nothing was logged.")
        rooms.press_door(unit, space, press, is_open=typed.text("door") == "open", at=at)
    return RedirectResponse(f"/weather?space={space}#room", 303)


@router.post("/readings/undo")
def undo_reading(workshop: WorkshopDep, form: FormDep) -> Response:
    """Take a typed reading back."""
    typed, press, entry = _pressed(form, "entry", "There is no such reading.", "Nothing was taken back.")
    with workshop.write() as unit:
        rooms.take_back(unit, press, entry)
    return RedirectResponse(f"/weather?space={typed.text('space')}#room", 303)


@router.post("/room")
def stamp_room(workshop: WorkshopDep, form: FormDep) -> Response:
    """Stamp a step of making the room ready."""
    typed, press, space = _pressed(form, "space", "Choose the space.", "Nothing was stamped.")
    with workshop.write() as unit:
        rooms.stamp(unit, space, press, typed.text("step"))
    return RedirectResponse(f"/weather?space={space}#room", 303)


def _pressed(form: dict[str, Any], name: str, missing: str, said: str) -> tuple[Typed, UUID, UUID]:
    typed = Typed(form)
    press, named = typed.uuid("press", "Load the page again."), typed.uuid(name, missing)
    if press is None or named is None:
        raise Refused(said, typed.notes)
    return typed, press, named

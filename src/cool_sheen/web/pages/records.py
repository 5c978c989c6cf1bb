"""Records: what happened? Every log searched by words, product, defect, weather and date."""

from datetime import datetime, time, timedelta
from urllib.parse import urlencode
from zoneinfo import ZoneInfo

from fastapi import APIRouter, Request
from fastapi.responses import Response

from cool_sheen.service.finding import words_of
from cool_sheen.service.records import Sought, search
from cool_sheen.service.shelf_now import shelf_now
from cool_sheen.web.depends import PagesDep, ShopDep, UnitDep
from cool_sheen.web.forms import Typed

router = APIRouter(prefix="/records")
KINDS = [
    ("coat", "coats"), ("sand", "sanding"), ("touch_test", "touch tests"), ("film_reading", "film readings"),
    ("mark", "marks"), ("mishap", "mishaps"), ("cause", "causes found"), ("note", "notes"), ("hours", "hours"),
    ("next_time", "next time"),
    ("climate_reading", "air read"), ("batch", "batches"), ("override", "against advice"),
]  # fmt: skip
_ASKED = ("find", "kind", "product", "defect", "air_from", "air_to", "rh_from", "rh_to", "since", "until")


@router.get("")
def page(request: Request, unit: UnitDep, pages: PagesDep, shop: ShopDep) -> Response:
    """Search the log of all parts."""
    typed = Typed(dict(request.query_params), shop.units)
    sought = _sought(typed, unit.zone)
    found = search(unit, sought) if not typed.notes else None
    asked = {name: typed.text(name, most=120) for name in _ASKED if typed.text(name, most=120)}
    return pages.show(
        request,
        unit,
        "records/page.html",
        422 if typed.notes else 200,
        typed=typed,
        sought=sought,
        found=found,
        kinds=KINDS,
        products=sorted(((p.key, p.name) for p in shelf_now(unit).products.values()), key=lambda pair: pair[1]),
        defects=[(d.key, d.name) for d in unit.catalogue.defects.values()],
        further=f"/records?{urlencode({**asked, 'before': found.further})}" if found and found.further else "",
    )


def _sought(typed: Typed, zone: ZoneInfo) -> Sought:
    before = typed.text("before", most=20)
    return Sought(
        words=words_of(typed.text("find", most=120)),
        product=typed.text("product", most=80),
        defect=typed.text("defect", most=80),
        kind=typed.text("kind", most=40),
        air_c=(_degrees(typed, "air_from"), _degrees(typed, "air_to")),
        rh_pct=(typed.number("rh_from", 0, 100), typed.number("rh_to", 0, 100)),
        since=_day(typed, "since", zone),
        until=_day(typed, "until", zone, after=True),
        before=int(before) if before.isascii() and before.isdigit() else None,
    )


def _degrees(typed: Typed, name: str) -> float | None:
    return typed.quantity(name, "temperature", -60, 80, optional=True)


def _day(typed: Typed, name: str, zone: ZoneInfo, *, after: bool = False) -> datetime | None:
    """The begin of a day on the shop's clock, or its end."""
    text = typed.text(name, most=30)
    if not text:
        return None
    try:
        day = datetime.fromisoformat(text).date()
    except ValueError:
        typed.notes[name] = "Enter a day, such as 2026-06-08."
        return None
    if not 1970 <= day.year < 2200:
        typed.notes[name] = "Enter a year from 1970 to 2199."
        return None
    return datetime.combine(day + timedelta(days=1) if after else day, time(), zone)

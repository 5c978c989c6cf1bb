"""The field: what film do my strokes lay down?"""

from typing import Any, cast, get_args

from fastapi import APIRouter, Request
from fastapi.responses import Response

from cool_sheen.core.gun.field import Second
from cool_sheen.service.gun.bench import SetUp, set_up
from cool_sheen.service.gun.field import Field, FieldAsked, field_of
from cool_sheen.service.unit import Refused
from cool_sheen.web.depends import PagesDep, ShopDep, UnitDep
from cool_sheen.web.forms import Typed
from cool_sheen.web.pages.gun import ROOMS, cautions_of
from cool_sheen.web.pages.gun_form import read_asked, shown
from cool_sheen.web.pages.shop_form import in_units
from cool_sheen.web.views import field as view

router = APIRouter(prefix="/gun/field")
SECONDS = [("along", "along the first, on its lines"), ("between", "along, between its lines"), ("across", "across it")]
PIVOTS = [
    ("", "the arm goes with it"),
    ("900", "from the shoulder"),
    ("600", "from the elbow"),
    ("350", "from the wrist"),
]
_MOST_MM, _MOST_SPEED = 10_000.0, 3000.0


@router.get("")
def page(request: Request, unit: UnitDep, pages: PagesDep, shop: ShopDep) -> Response:
    """Show the film of strokes on a panel."""
    typed = Typed(dict(request.query_params), shop.units)
    found = set_up(unit, read_asked(typed))
    asked = read_field(typed)
    field: Field | None = None
    try:
        field = field_of(found, asked)
    except Refused as refusal:
        typed.notes.update(refusal.notes)
        typed.notes.setdefault("form", str(refusal))
    filled = Typed(shown(found, typed) | _shown(found, field, typed), typed.units)
    filled.notes.update(typed.notes)
    return pages.show(
        request,
        unit,
        "gun/field.html",
        rooms=ROOMS,
        found=found,
        field=field,
        typed=filled,
        picture=view.draw(field.film_um, field.panel, *field.bounds_um, shop.units) if field else None,
        bars=view.histogram(field.film_um, *field.bounds_um, shop.units) if field else None,
        seconds=SECONDS,
        pivots=PIVOTS,
        cautions=cautions_of(unit, found),
    )


def read_field(typed: Typed) -> FieldAsked:
    """Read the strokes; what cannot be read gets its sentence, and counts as not said."""
    usual = FieldAsked()

    def span(name: str, low: float, high: float) -> float | None:
        return typed.quantity(name, "span", low, high, optional=True)

    overlap, coats = typed.number("overlap", 0, 90), typed.number("coats", 1, 6)
    early, late = span("early", -500.001, 500), span("late", -500.001, 500)
    second = typed.text("second", most=10)
    return FieldAsked(
        width_mm=span("width", 49, _MOST_MM) or usual.width_mm,
        height_mm=span("height", 49, _MOST_MM) or usual.height_mm,
        fan_mm=span("fan", 9, 1000),
        distance_mm=span("distance", 29, 1500),
        overlap=usual.overlap if overlap is None else overlap / 100,
        speed_mm_per_s=typed.quantity("speed", "gun speed", 0, _MOST_SPEED, optional=True),
        target_um=typed.quantity("target", "film", 0, 3000, optional=True),
        early_mm=usual.early_mm if early is None else early,
        late_mm=usual.late_mm if late is None else late,
        pivot_mm=typed.number("pivot", 200, 2000),
        coats=int(coats or 1),
        second=cast("Second", second if second in get_args(Second) else usual.second),
    )


def _shown(found: SetUp, field: Field | None, typed: Typed) -> dict[str, Any]:
    """What stands in the fields: what was typed, else what was taken."""
    names = ("width", "height", "fan", "distance", "overlap", "speed", "target", "early", "late", "coats")
    kept = {name: typed.values[name] for name in names if typed.values.get(name)}
    kept |= {name: typed.text(name, most=10) for name in ("pivot", "second")}
    if field is None:
        return kept
    how = field.strokes
    spans = {
        "width": field.panel.width_mm, "height": field.panel.height_mm, "fan": field.spray.fan_mm,
        "distance": how.distance_mm, "early": how.early_mm, "late": how.late_mm,
    }  # fmt: skip
    taken = {name: in_units(mm, "span", typed.units) for name, mm in spans.items()}
    taken |= {"overlap": f"{100 * how.overlap:g}", "coats": str(how.coats)}
    taken["target"] = in_units(field.target_um, "film", typed.units)
    return taken | kept

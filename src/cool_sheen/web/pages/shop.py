"""The shop: all that it can change about itself on one page, and the way into the demo and out of it."""

from zoneinfo import available_timezones

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response

from cool_sheen.core.climate.sun import sun_times
from cool_sheen.core.takeoff.equipment import FILLED
from cool_sheen.core.work.labour import WAYS
from cool_sheen.service.own_ways import ALARMS, keep_ways, ways_of
from cool_sheen.service.unit import Unit
from cool_sheen.web.depends import FormDep, PagesDep, PremisesDep, ShopDep, UnitDep, WorkshopDep
from cool_sheen.web.forms import Typed
from cool_sheen.web.pages.form_posts import changed
from cool_sheen.web.pages.shop_form import DAYS, LABELS, UNITS, off_rows, read_ways, values_of

router = APIRouter(prefix="/shop")


@router.get("")
def page(request: Request, unit: UnitDep, pages: PagesDep, shop: ShopDep, kept: str = "") -> Response:
    """Show how the shop is, as a form."""
    return _show(request, unit, pages, Typed.of(values_of(ways_of(shop)), shop.units), kept=kept == "yes")


def _show(
    request: Request, unit: Unit, pages: PagesDep, typed: Typed, status: int = 200, *, kept: bool = False
) -> Response:
    shop = unit.the_shop
    sun = None
    if shop.latitude is not None and shop.longitude is not None:
        sun = sun_times(unit.now, shop.latitude, shop.longitude, unit.zone)
    return pages.show(
        request, unit, "shop/page.html", status, typed=typed, sun=sun, kept=kept, **choices(typed),
    )  # fmt: skip


def choices(typed: Typed) -> dict[str, object]:
    """Return what a form of the shop's ways offers."""
    return {
        "zones": sorted(available_timezones()),
        "unit_choices": UNITS,
        "alarm_choices": list(ALARMS.items()),
        "days": DAYS,
        "off_rows": off_rows(typed.values),
        "filled": [(method, WAYS[method].words) for method in FILLED],
    }


@router.post("")
def save(request: Request, workshop: WorkshopDep, pages: PagesDep, form: FormDep) -> Response:
    """Keep the shop's ways; a refusal keeps what was typed."""

    def do(unit: Unit, typed: Typed) -> None:
        ways = read_ways(typed)
        typed.check_seen(values_of(ways_of(unit.the_shop)), LABELS)
        keep_ways(unit, ways)

    return changed(request, workshop, pages, form, do, "/shop?kept=yes", _show)


@router.post("/demo")
def look_at_the_demo(premises: PremisesDep, form: FormDep) -> Response:
    """Open the demo shop; one's own stays as it is."""
    premises.open_demo(anew=str(form.get("anew", "")) == "1")
    return RedirectResponse("/", 303)


@router.post("/own")
def leave_the_demo(premises: PremisesDep) -> Response:
    """Leave the demo for one's own shop, or for the set-up of one."""
    premises.open_own()
    return RedirectResponse("/", 303)

"""Two jobs side by side: chosen from those alike or by words, then compared coat by coat."""

from uuid import UUID

from fastapi import APIRouter, Request
from fastapi.responses import Response

from cool_sheen.service import log_words, side_by_side
from cool_sheen.service.finding import words_of
from cool_sheen.service.part_now import part_now
from cool_sheen.web.depends import PagesDep, ShopDep, UnitDep
from cool_sheen.web.forms import Typed
from cool_sheen.web.pages.job_sheet import film_of
from cool_sheen.web.views.statistics import per_area
from cool_sheen.web.views.times import minutes

router = APIRouter(prefix="/parts")


@router.get("/{uuid}/beside")
def choose(request: Request, uuid: UUID, unit: UnitDep, pages: PagesDep, shop: ShopDep) -> Response:
    """Offer jobs to put beside one."""
    found = part_now(unit, uuid)
    typed = Typed(dict(request.query_params), shop.units)
    words = words_of(typed.text("find", most=120))
    others = side_by_side.offered(unit, found, words)
    status = 422 if typed.notes else 200
    return pages.show(
        request,
        unit,
        "records/choose_beside.html",
        status,
        found=found,
        typed=typed,
        others=others,
        words=words,
        substrates=unit.catalogue.substrates,
    )


@router.get("/{uuid}/beside/{other}")
def both(request: Request, uuid: UUID, other: UUID, unit: UnitDep, pages: PagesDep, shop: ShopDep) -> Response:
    """Show two jobs side by side."""
    sides = tuple(side_by_side.side_of(unit, part_now(unit, each)) for each in (uuid, other))
    tallest = max(film_of(side.found, shop.units).tallest_um for side in sides)
    keys = sorted(sides[0].defects | sides[1].defects)
    return pages.show(
        request,
        unit,
        "records/beside.html",
        sides=sides,
        films=[film_of(side.found, shop.units, tallest) for side in sides],
        pairs=side_by_side.paired(sides[0].coats, sides[1].coats),
        defects=[(log_words.defect_name(key), [side.defects[key] for side in sides]) for key in keys],
        substrates=unit.catalogue.substrates,
        took=[_took(side) for side in sides],
        hours=[_hours(side, shop.units) for side in sides],
        span=minutes,
    )


def _took(side: side_by_side.Side) -> str:
    since, until = side.lasted
    took = minutes((until - since).total_seconds() / 60)
    return f"{took} so far" if side.found.is_live else took


def _hours(side: side_by_side.Side, units: str) -> str:
    return f"{side.cost.hours:.1f} h, {per_area(side.hours_per_m2, units)}"

"""The Shelf: what are the data of this product?"""

from datetime import timedelta

from fastapi import APIRouter, Request
from fastapi.responses import Response

from cool_sheen.core.coatings.families import FAMILY_WORDS, ROLES
from cool_sheen.core.drying.milestones import WORDS
from cool_sheen.service.desk import Missing
from cool_sheen.web.parts import DeskDep, PagesDep, SessionDep, ShopDep

router = APIRouter(prefix="/shelf")
_MARKS_SHOWN = ("flash", "recoat_closes", "sand", "full_cure")


@router.get("")
def shelf(request: Request, desk: DeskDep, pages: PagesDep, opened: SessionDep, shop: ShopDep) -> Response:
    """Show all products."""
    products = sorted(desk.catalogue.products.values(), key=lambda p: (ROLES.index(p.role), p.name))
    marks = {p.key: {m.name: m for m in p.milestones} for p in products}
    return pages.show(
        request, opened, "shelf/page.html", products=products, marks=marks, columns=_MARKS_SHOWN, families=FAMILY_WORDS,
        minutes=minutes,
    )  # fmt: skip


@router.get("/{key}")
def product(request: Request, key: str, desk: DeskDep, pages: PagesDep, opened: SessionDep, shop: ShopDep) -> Response:
    """Show one product's sheet."""
    found = desk.catalogue.products.get(key)
    if found is None:
        raise Missing("product")
    used = [s for s in desk.catalogue.systems.values() if key in s.products()]
    cautions = [desk.catalogue.cautions[c] for c in found.cautions]
    return pages.show(
        request, opened, "shelf/product.html", product=found, families=FAMILY_WORDS, words=WORDS, minutes=minutes,
        used=used, cautions=cautions,
        after={m.name: m.ref_minutes for m in found.milestones},
    )  # fmt: skip


def minutes(value: float) -> str:
    """Write minutes as painters do: ``45 min``, ``6 h``, ``2 d 4 h``."""
    span = timedelta(minutes=round(value))
    if span < timedelta(hours=2):
        return f"{value:g} min"
    days, rest = divmod(round(span.total_seconds() / 360) / 10, 24)
    if not days:
        return f"{rest:g} h"
    return f"{days:.0f} d {rest:.0f} h" if round(rest) else f"{days:.0f} d"

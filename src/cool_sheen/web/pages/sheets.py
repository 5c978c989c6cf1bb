"""Sheets of one's own: a product in short or whole, a supply by its kind, each with a size and a price."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response

from cool_sheen.core.coatings.families import FAMILY_WORDS, ROLE_WORDS, ROLES
from cool_sheen.core.coatings.products import Product
from cool_sheen.core.coatings.sheet_fields import TYPICAL
from cool_sheen.core.coatings.supplies import SUPPLY_WORDS, Supply
from cool_sheen.core.mixing.ratios import BASIS_WORDS
from cool_sheen.core.mixing.recipes import Choice, mix_of
from cool_sheen.core.units import pack_size
from cool_sheen.service import packs
from cool_sheen.service import shelf as shelves
from cool_sheen.service.shelf_now import shelf_now
from cool_sheen.service.unit import Missing, Refused, Unit, Workshop
from cool_sheen.web.depends import FormDep, PagesDep, ShopDep, UnitDep, WorkshopDep
from cool_sheen.web.forms import Typed
from cool_sheen.web.pages import sheet_form, supply_form
from cool_sheen.web.pages.sheet_layout import MORE, Layout
from cool_sheen.web.views.times import minutes

router = APIRouter(prefix="/shelf")


@dataclass(frozen=True, slots=True)
class Kind:
    """A kind of sheet: its name in the shelf, its form, where its page is, and what stock calls it."""

    name: str
    layout: Layout
    path: str
    item: str


PRODUCT = Kind("product", sheet_form.LAYOUT, "/shelf", "paint")
SUPPLY = Kind("supply", supply_form.LAYOUT, "/shelf/supplies", "supply")


@router.get("/new")
def new(request: Request, unit: UnitDep, pages: PagesDep, shop: ShopDep, copy: str = "") -> Response:
    """Show the form of a new product, filled from the one that is copied; without one, what it may be like."""
    products = shelf_now(unit).products
    if copy not in products:
        alike = sorted(products.values(), key=lambda p: (ROLES.index(p.role), p.name))
        return _alike(request, pages, unit, "product", [(p.key, p.name, ROLE_WORDS[p.role]) for p in alike])
    values = sheet_form.LAYOUT.values_of(products[copy], shop.units)
    mine = {"key": "", "name": "", "source": TYPICAL, "note": "no note"}
    return _form(request, pages, unit, Typed(values | mine, shop.units), "new")


def _alike(request: Request, pages: PagesDep, unit: Unit, kind: str, alike: list[tuple[str, str, str]]) -> Response:
    return pages.show(request, unit, "shelf/alike.html", kind=kind, alike=alike)


@router.get("/{key}/edit")
def edit(request: Request, key: str, unit: UnitDep, pages: PagesDep, shop: ShopDep) -> Response:
    """Show a product as a form."""
    found = _sheet(unit, PRODUCT, key)
    return _form(request, pages, unit, Typed.of(PRODUCT.layout.values_of(found, shop.units), shop.units), key)


def _form(request: Request, pages: PagesDep, unit: Unit, typed: Typed, key: str, status: int = 200) -> Response:
    waits = sheet_form.waits(typed.values)
    shown = {f"{w.path}.{field}" for w in waits for field in ("ref_minutes", "counts_for")}
    shown -= {f"{w.path}.counts_for" for w in waits if w.mark in ("flash", "recoat_closes")}
    fresh = tuple(f"{w.path}." for w in waits if w.mode)
    folded = [n for n in (*typed.notes, *typed.there) if n != "form" and not _in_short(n, shown)]
    shelf = shelf_now(unit)
    may_have_hardener = str(typed.values.get("mix.parts.1.name", ""))
    return pages.show(
        request,
        unit,
        "shelf/edit.html",
        status,
        typed=Typed(
            {**typed.values, "pack_may_have_hardener": may_have_hardener},
            typed.units,
            typed.notes,
            typed.asks,
            typed.there,
        ),
        key=key,
        form=sheet_form.LAYOUT,
        short=sheet_form.SHORT,
        rest=sheet_form.REST,
        key_box=sheet_form.KEY,
        times=sheet_form.TIMES,
        waits=waits,
        coats_box=sheet_form.COATS,
        bases=sheet_form.bases(typed.values),
        counts=sheet_form.LAYOUT.rows_of({n: v for n, v in typed.values.items() if not n.startswith(fresh)}),
        shown_above=shown,
        open_rest=bool(folded) or typed.values.get(MORE) in ("milestones", "windows", "heat_stages"),
        reducers=sorted({s.name for s in shelf.supplies.values() if s.kind == "reducer"} | {"water"}),
        components=sheet_form.COMPONENTS,
        sizes=packs.sizes_of(unit, f"paint:{key}"),
    )


def _in_short(name: str, shown: set[str]) -> bool:
    """Whether a field stands in the short sheet."""
    boxes = {box.name for group in sheet_form.SHORT.values() for box in group} | {sheet_form.COATS.name}
    return name in boxes | shown or name.startswith(("mix.parts", "pack_"))


@router.post("/new")
def make(request: Request, workshop: WorkshopDep, pages: PagesDep, form: FormDep) -> Response:
    """Put a new product on the shelf."""
    return _save(request, workshop, pages, form, PRODUCT, "new")


@router.post("/{key}/edit")
def change(request: Request, key: str, workshop: WorkshopDep, pages: PagesDep, form: FormDep) -> Response:
    """Change a product: a new revision, which running parts do not take by themselves."""
    return _save(request, workshop, pages, form, PRODUCT, key)


def _save(
    request: Request, workshop: Workshop, pages: PagesDep, form: dict[str, Any], kind: Kind, key: str
) -> Response:
    with workshop.read() as unit:
        shop = unit.shop
    typed = Typed(form, shop.units if shop else "metric")
    show = _form if kind is PRODUCT else _supply_form
    if typed.text(MORE):  # one more row, or the fields of another kind: nothing is saved
        with workshop.read() as unit:
            return show(request, pages, unit, typed, key)
    try:
        with workshop.write() as unit:
            sheet = _saved(unit, typed, kind, key)
    except Refused as refusal:
        typed.note_rows(refusal.notes or {"form": str(refusal)})
        with workshop.read() as unit:
            return show(request, pages, unit, typed, key, refusal.status)
    return RedirectResponse(f"{kind.path}/{sheet.key}", 303)


def _saved(unit: Unit, typed: Typed, kind: Kind, key: str) -> Product | Supply:
    """Read a form and put its sheet on the shelf, with its size. Raises Refused with a note at each field."""
    there = shelves.sheets_of(shelf_now(unit), kind.name)
    data = sheet_form.read(typed) if kind is PRODUCT else supply_form.read(typed)
    data["key"] = key if key != "new" else data.get("key") or _key_of(typed.text("name", most=200), there)
    size = _size(typed)
    typed.stop("The sheet is not sound.")
    sheet = shelves.read_sheet(kind.name, data)
    assert isinstance(sheet, Product | Supply)  # of the kinds that have a form
    if key != "new" and (found := there.get(key)):
        typed.check_seen(kind.layout.values_of(found, typed.units), kind.layout.labels)
    shelves.save(unit, kind.name, sheet, new=key == "new")
    if size is not None:
        _bought(unit, typed, kind, sheet, size)
    return sheet


def _key_of(name: str, there: Mapping[str, Any]) -> str:
    short = shelves.key_of(name)
    return next(key for n in range(1, 1000) if (key := short if n == 1 else f"{short}-{n}") not in there)


@dataclass(frozen=True, slots=True)
class _Size:
    """A size that was typed with its sheet."""

    ml: float
    price: Any
    hardener_ml: float | None


def _size(typed: Typed) -> _Size | None:
    if not typed.text("pack_amount") and not typed.text("pack_price"):
        return None
    ml, price = typed.quantity("pack_amount", "volume", 0, 1e6), typed.money("pack_price")
    if price is None:
        typed.notes.setdefault("pack_price", "Enter its price, such as 23.50.")
    with_it = typed.quantity("pack_with", "volume", 0, 1e6, optional=True)
    return _Size(ml, price, with_it) if ml is not None and price is not None else None


def _bought(unit: Unit, typed: Typed, kind: Kind, sheet: Product | Supply, size: _Size) -> None:
    """Put a size on offer: what is in it by the names that stock knows."""
    contains = {f"{kind.item}:{sheet.key}": size.ml}
    if size.hardener_ml is not None and isinstance(sheet, Product) and len(sheet.mix.parts) > 1:
        plain = sheet.model_copy(update={"mix": sheet.mix.model_copy(update={"reducer": None})})
        components = mix_of(plain, shelf_now(unit).supplies, Choice()).components
        contains[components[1].key] = size.hardener_ml
    name = f"{sheet.name}, {pack_size(size.ml, typed.units)}"
    packs.add_pack(
        unit, {"sku": packs.fresh_sku(unit, name), "name": name[:200], "price": size.price, "contains": contains}
    )


def _sheet(unit: Unit, kind: Kind, key: str) -> Any:
    found = shelves.sheets_of(shelf_now(unit), kind.name).get(key)
    if found is None:
        raise Missing(kind.name)
    return found


# --- supplies ---------------------------------------------------------------------------------------
@router.get("/supplies/new")
def new_supply(request: Request, unit: UnitDep, pages: PagesDep, shop: ShopDep, copy: str = "") -> Response:
    """Show the form of a new supply, filled from the one that is copied; without one, what it may be like."""
    supplies = shelf_now(unit).supplies
    if copy not in supplies:
        return _alike(
            request, pages, unit, "supply", [(s.key, s.name, SUPPLY_WORDS[s.kind]) for s in supplies.values()]
        )
    values = SUPPLY.layout.values_of(supplies[copy], shop.units)
    mine = {"key": "", "name": "", "source": TYPICAL, "note": "no note"}
    return _supply_form(request, pages, unit, Typed(values | mine, shop.units), "new")


@router.get("/supplies/{key}/edit")
def edit_supply(request: Request, key: str, unit: UnitDep, pages: PagesDep, shop: ShopDep) -> Response:
    """Show a supply as a form."""
    values = SUPPLY.layout.values_of(_sheet(unit, SUPPLY, key), shop.units)
    return _supply_form(request, pages, unit, Typed.of(values, shop.units), key)


@router.post("/supplies/new")
def make_supply(request: Request, workshop: WorkshopDep, pages: PagesDep, form: FormDep) -> Response:
    """Put a new supply on the shelf."""
    return _save(request, workshop, pages, form, SUPPLY, "new")


@router.post("/supplies/{key}/edit")
def change_supply(request: Request, key: str, workshop: WorkshopDep, pages: PagesDep, form: FormDep) -> Response:
    """Change a supply."""
    return _save(request, workshop, pages, form, SUPPLY, key)


@router.post("/supplies/{key}/remove")
def remove_supply(key: str, workshop: WorkshopDep, form: FormDep) -> Response:
    """Take the shop's own version of a supply off the shelf."""
    with workshop.write() as unit:
        shelves.remove(unit, "supply", key)
        stays = key in shelf_now(unit).supplies
    return RedirectResponse(f"/shelf/supplies/{key}" if stays else "/shelf", 303)


def _supply_form(request: Request, pages: PagesDep, unit: Unit, typed: Typed, key: str, status: int = 200) -> Response:
    return pages.show(
        request,
        unit,
        "shelf/edit_supply.html",
        status,
        typed=typed,
        key=key,
        form=supply_form.LAYOUT,
        named=supply_form.NAMED,
        boxes=supply_form.boxes_of(str(typed.values.get("kind", ""))),
        counts=supply_form.LAYOUT.rows_of(typed.values),
        sizes=packs.sizes_of(unit, f"supply:{key}"),
    )


@router.get("/supplies/{key}")
def supply(request: Request, key: str, unit: UnitDep, pages: PagesDep, shop: ShopDep) -> Response:
    """Show one supply's sheet."""
    found = _sheet(unit, SUPPLY, key)
    ships = unit.catalogue.supplies.get(key)
    mine = ("supply", key) in shelf_now(unit).own
    return pages.show(
        request,
        unit,
        "shelf/supply.html",
        supply=found,
        families=FAMILY_WORDS,
        words=SUPPLY_WORDS,
        cautions=[unit.catalogue.cautions[c] for c in found.cautions],
        minutes=minutes,
        own=mine,
        ships=ships is not None,
        changes=SUPPLY.layout.said_of(shelves.differences(ships, found), shop.units) if mine and ships else [],
        sizes=packs.sizes_of(unit, f"supply:{key}"),
        basis_words=BASIS_WORDS,
    )

"""The Shelf: what are the data of this product? Copy, edit, bring in and give out."""

from fastapi import APIRouter, Request
from fastapi.responses import JSONResponse, RedirectResponse, Response

from cool_sheen.core.coatings.families import FAMILY_WORDS, ROLE_WORDS, ROLES
from cool_sheen.core.coatings.products import Product
from cool_sheen.core.coatings.sheet_fields import TOUCH_WORDS
from cool_sheen.core.coatings.supplies import SUPPLY_WORDS, Supply
from cool_sheen.core.coatings.systems import System
from cool_sheen.core.drying.milestones import WORDS
from cool_sheen.core.drying.touch import learn
from cool_sheen.core.work.labour import WAYS
from cool_sheen.formats import documents
from cool_sheen.service import packs
from cool_sheen.service import shelf as shelves
from cool_sheen.service.jobs import spaces_by_id
from cool_sheen.service.learning import found_ready, in_such_air, taught_of
from cool_sheen.service.shelf_now import WholeShelf, shelf_now
from cool_sheen.service.unit import Missing, Refused, Unit, Workshop
from cool_sheen.service.work import new_id
from cool_sheen.web.depends import FormDep, PagesDep, ShopDep, UnitDep, WorkshopDep
from cool_sheen.web.forms import Typed
from cool_sheen.web.pages.sheet_form import COUNTED_FROM, LAYOUT, MODE_WORDS
from cool_sheen.web.views.times import last_times, minutes

router = APIRouter(prefix="/shelf")
_TRIES = 5
_MARKS_SHOWN = ("flash", "recoat_closes", "sand", "full_cure")


@router.get("")
def shelf(request: Request, unit: UnitDep, pages: PagesDep, shop: ShopDep, find: str = "", kind: str = "") -> Response:
    """Show products and supplies: all, those of a family or kind, or those whose name has a word."""
    found = shelf_now(unit)
    products = [p for p in found.products.values() if kind in ("", p.family, p.role) and _has(find, p)]
    supplies = [s for s in found.supplies.values() if kind in ("", s.kind) and _has(find, s)]
    products.sort(key=lambda p: (ROLES.index(p.role), p.name))
    marks = {p.key: {m.name: m for m in p.milestones if m.after is None} for p in products}
    return pages.show(
        request,
        unit,
        "shelf/page.html",
        products=products,
        supplies=supplies,
        marks=marks,
        columns=_MARKS_SHOWN,
        families=FAMILY_WORDS,
        supply_words=SUPPLY_WORDS,
        minutes=minutes,
        own=found.own,
        find=find,
        kind=kind,
        kinds=_kinds(found),
        total=len(found.products) + len(found.supplies),
    )


def _has(find: str, sheet: Product | Supply) -> bool:
    text = f"{sheet.name} {sheet.note} {sheet.key}".lower()
    return all(word in text for word in find.lower().split())


def _kinds(found: WholeShelf) -> list[tuple[str, str]]:
    roles = {p.role for p in found.products.values()}
    families = {p.family for p in found.products.values()}
    supplies = {s.kind for s in found.supplies.values()}
    return [
        *((role, words) for role, words in ROLE_WORDS.items() if role in roles),
        *((key, words) for key, words in FAMILY_WORDS.items() if key in families),
        *((key, f"{words}s") for key, words in SUPPLY_WORDS.items() if key in supplies),
    ]


@router.get("/schema.json")
def schema() -> Response:
    """Publish the JSON Schema of a shelf document."""
    return JSONResponse(documents.schema(), media_type="application/schema+json")


@router.get("/export.json")
def export(unit: UnitDep, product: str = "", supply: str = "", system: str = "") -> Response:
    """Give sheets out as a JSON document: all, or one with what it needs."""
    found = shelf_now(unit)
    wanted = {(kind, key) for kind, key in (("product", product), ("supply", supply), ("system", system)) if key}
    for kind, key in wanted:
        if key not in shelves.sheets_of(found, kind):
            raise Missing(kind)
    text = documents.written(shelves.document_of(found, wanted or None))
    name = next((key for _, key in wanted), "shelf")
    headers = {"Content-Disposition": f'attachment; filename="{name}.json"'}
    return Response(text, media_type="application/json", headers=headers)


@router.get("/import")
def import_form(request: Request, pages: PagesDep, unit: UnitDep, shop: ShopDep) -> Response:
    """Ask for a document."""
    return pages.show(request, unit, "shelf/import.html", typed=Typed({}), coming=None, places=[], looked_at="")


@router.post("/import")
def import_document(request: Request, workshop: WorkshopDep, pages: PagesDep, form: FormDep) -> Response:
    """Show what a document would bring; on the second press take it, all or nothing."""
    typed = Typed(form)
    try:
        if looked_at := typed.text("looked_at"):
            return _take(workshop, looked_at)
        content = typed.file("document")
        document = documents.read(content)
        with workshop.read() as unit:
            coming = shelves.compare(unit, document)
            name = workshop.at_hand_files.put(document, 8 * len(content))
            return pages.show(
                request, unit, "shelf/import.html", typed=Typed({}), coming=coming, places=[], looked_at=name
            )
    except documents.Unsound as unsound:
        typed = Typed({}, notes={"document": str(unsound)})
        with workshop.read() as unit:
            return pages.show(
                request, unit, "shelf/import.html", 422, typed=typed, coming=None, places=unsound.places, looked_at=""
            )


def _take(workshop: Workshop, name: str) -> Response:
    """Take what was looked at: held against the shelf first, so that it is written in no time."""
    document = workshop.at_hand_files.get(name)
    if document is None:
        raise documents.Unsound("This file was looked at too long ago: choose it again.")
    for _ in range(_TRIES):
        with workshop.read() as unit:
            ready = shelves.prepare(unit, document)
        with workshop.write() as unit:
            count = shelves.take(unit, ready)
        if count is not None:
            workshop.at_hand_files.drop(name)
            return RedirectResponse(f"/shelf?taken={count}", 303)
    raise Refused("The shelf is being changed all the time. Nothing was taken: press again.", status=409)


@router.post("/{key}/remove")
def remove(key: str, workshop: WorkshopDep, form: FormDep) -> Response:
    """Take the shop's own version of a product off the shelf."""
    with workshop.write() as unit:
        shelves.remove(unit, "product", key)
        stays = key in shelf_now(unit).products
    return RedirectResponse(f"/shelf/{key}" if stays else "/shelf", 303)


def _product(unit: Unit, key: str) -> Product:
    found = shelf_now(unit).products.get(key)
    if found is None:
        raise Missing("product")
    return found


@router.get("/{key}")
def product(request: Request, key: str, unit: UnitDep, pages: PagesDep, shop: ShopDep) -> Response:
    """Show one product's sheet."""
    found = _product(unit, key)
    shelf = shelf_now(unit)
    used: list[System] = [s for s in shelf.systems.values() if key in s.products()]
    cautions = [unit.catalogue.cautions[c] for c in found.cautions]
    ships = unit.catalogue.products.get(key)
    mine = ("product", key) in shelf.own
    spaces = spaces_by_id(unit)
    learned = taught_of(unit, key)
    return pages.show(
        request,
        unit,
        "shelf/product.html",
        product=found,
        families=FAMILY_WORDS,
        words=WORDS,
        minutes=minutes,
        used=used,
        cautions=cautions,
        after={m.name: m.ref_minutes for m in found.milestones if m.after is None},
        own=mine,
        roles=ROLE_WORDS,
        put_on_by=[WAYS[m].words for m in found.methods],
        ships=ships is not None,
        sizes=packs.sizes_of(unit, f"paint:{key}"),
        mode_words=MODE_WORDS,
        bases=COUNTED_FROM,
        changes=LAYOUT.said_of(shelves.differences(ships, found), shop.units) if mine and ships else [],
        learned=learned,
        last_times=_last_times(unit, key, shop.units),
        stretch=minutes,
        space_names={uuid: s.name for uuid, s in spaces.items()},
        hows=TOUCH_WORDS,
        new_id=new_id,
        before=learn([]),
    )


def _last_times(unit: Unit, key: str, units: str) -> list[tuple[str, bool, str]]:
    """How long a product took the last times to each mark: the mark, whether it was a mist, and the times."""
    found = found_ready(unit, key)
    marks = dict.fromkeys((f.milestone, f.mist) for f in found)
    mine = {mark: [f for f in found if (f.milestone, f.mist) == mark] for mark in marks}
    return [
        (name, mist, last_times(in_such_air(rows, name, rows[0].air_temp_c, mist=mist), units))
        for (name, mist), rows in mine.items()
    ]

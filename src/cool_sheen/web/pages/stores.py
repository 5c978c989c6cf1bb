"""Stores: what do I buy, what is left? The take-off, stock, sizes on offer, cans, cost, and what was learned."""

from datetime import date
from typing import Any
from uuid import UUID

from fastapi import APIRouter, Request
from fastapi.responses import Response

from cool_sheen.core.coatings.products import Product
from cool_sheen.core.film.coverage import check_label, label_need
from cool_sheen.core.survey.shapes import SHAPE_WORDS
from cool_sheen.core.units import M2_PER_L_IN_FT2_PER_GAL
from cool_sheen.core.work.labour import WAYS, transfer_efficiency
from cool_sheen.formats.tables import csv_text
from cool_sheen.service import costs as costing
from cool_sheen.service import packs, stores
from cool_sheen.service.batches import transfer_of, yields
from cool_sheen.service.cans import can_counts
from cool_sheen.service.finding import projects_page
from cool_sheen.service.part_now import live_parts
from cool_sheen.service.shelf_now import shelf_now
from cool_sheen.service.unit import Refused, Unit
from cool_sheen.service.work import new_id
from cool_sheen.store import stock as kept
from cool_sheen.store.models import Project
from cool_sheen.web.depends import FormDep, PagesDep, ShopDep, UnitDep, WorkshopDep
from cool_sheen.web.forms import Typed, is_place
from cool_sheen.web.pages.form_posts import changed
from cool_sheen.web.views import buying

router = APIRouter(prefix="/stores")
ROOMS = (("Take-off", "/stores"), ("Stock", "/stores/stock"), ("Sizes", "/stores/sizes"), ("Cans", "/stores/cans"),
         ("Cost", "/stores/cost"), ("Labels and yields", "/stores/yields"))  # fmt: skip


def _chosen(text: str) -> UUID | None:
    try:
        return UUID(text) if text else None
    except ValueError:
        raise Refused("There is no such project here.", status=404) from None


@router.get("")
def take_off(
    request: Request,
    unit: UnitDep,
    pages: PagesDep,
    shop: ShopDep,
    project: str = "",
    estimate: str = "shop",
) -> Response:
    """Show what everything that is planned will take, what there is, and what to buy."""
    found = stores.stores_of(unit, shop, _chosen(project), "book" if estimate == "book" else "shop")
    return pages.show(
        request,
        unit,
        "stores/takeoff.html",
        rooms=ROOMS,
        found=found,
        projects=found.projects,
        project=project,
        estimate=estimate,
        learned=yields(unit),
        now_at=unit.now,
        bars=buying.bars(found, shop.units),
        bar_width=buying.WIDTH,
        covered=buying.enough(found),
    )


@router.get("/takeoff.csv")
def take_off_csv(unit: UnitDep, shop: ShopDep, project: str = "", estimate: str = "shop") -> Response:
    """Give the take-off and the shopping list out as CSV."""
    found = stores.stores_of(unit, shop, _chosen(project), "book" if estimate == "book" else "shop")
    rows: list[list[Any]] = [["kind", "name", "part", "need_ml", "in_stock_ml", "buy", "left_ml", "cost"]]
    rows += [["layer", f"{n.layer}: {n.product.name}", n.part, round(n.ready_ml, 1), *[""] * 4] for n in found.layers]
    rows += [
        [
            "component",
            li.name,
            "",
            round(li.need_ml, 1),
            round(li.have_ml, 1),
            round(li.missing_ml, 1),
            round(li.left_ml, 1),
            "",
        ]
        for li in found.lines
    ]
    rows += [["buy", b.pack.name, "", "", "", b.count, "", b.cost] for b in found.shopping.buy]
    rows += [["consumable", name, "", "", "", f"{n:.2f} {unit}", "", cost] for name, n, unit, cost in found.consumables]
    rows += [["left out", why, *[""] * 6] for why in found.take_off.unknown]
    return _csv("take-off.csv", rows)


@router.get("/stock.csv")
def stock_csv(unit: UnitDep, shop: ShopDep) -> Response:
    """Give the movements of stock out as CSV."""
    names = stores.names_of(unit)
    rows: list[list[Any]] = [["at", "item", "name", "kind", "ml", "paid", "note"]]
    rows += [
        [m.at.isoformat(), m.item, names.get(m.item, m.note), m.kind, round(m.ml, 1), m.paid or "", m.note]
        for m in kept.movements(unit.session, most=100_000)
    ]
    return _csv("stock.csv", rows)


def _csv(name: str, rows: list[list[Any]]) -> Response:
    headers = {"Content-Disposition": f'attachment; filename="{name}"'}
    return Response(csv_text(rows), media_type="text/csv; charset=utf-8", headers=headers)


@router.get("/stock")
def on_stock(request: Request, unit: UnitDep, pages: PagesDep, shop: ShopDep, item: str = "") -> Response:
    """Show what is in stock, and its movements."""
    return _stock(request, unit, pages, Typed({"item": item}, shop.units))


def _stock(request: Request, unit: Unit, pages: PagesDep, typed: Typed, status: int = 200) -> Response:
    names = stores.names_of(unit)
    item = typed.text("item", most=100)
    return pages.show(
        request,
        unit,
        "stores/stock.html",
        status,
        rooms=ROOMS,
        typed=typed,
        lines=stores.shelf_of_stock(unit),
        names=sorted(names.items(), key=lambda pair: pair[1]),
        movements=kept.movements(unit.session, item or None, 40),
        called=names,
        press=new_id(),
        now_at=unit.now,
        sizes=sorted((o.pack for o in packs.packs_on_offer(unit).values()), key=lambda p: p.name),
    )


@router.post("/stock")
def move(request: Request, workshop: WorkshopDep, pages: PagesDep, form: FormDep) -> Response:
    """Log what was bought, counted, used or thrown away."""

    def do(unit: Unit, typed: Typed) -> None:
        press = typed.uuid("press", "The press has no id: load the page again.")
        kind, sku = typed.text("kind"), typed.text("sku", most=100)
        ml, count = 0.0, typed.number("count", 1, 1000)
        if not (kind == "bought" and sku):
            ml = typed.quantity("amount", "volume", -0.001, 1e6) or 0.0
        if typed.notes or press is None:
            raise Refused("Check what was entered.", typed.notes)
        said = stores.Move(typed.text("item", most=100), kind, ml, sku, int(count or 1), typed.text("note", most=200))
        stores.move(unit, press, said)

    return changed(request, workshop, pages, form, do, "/stores/stock", _stock)


@router.get("/sizes")
def sizes(request: Request, unit: UnitDep, pages: PagesDep, shop: ShopDep, find: str = "") -> Response:
    """Show the sizes on offer with their prices."""
    return _sizes(request, unit, pages, Typed({"find": find}, shop.units))


def _sizes(request: Request, unit: Unit, pages: PagesDep, typed: Typed, status: int = 200) -> Response:
    find = typed.text("find").lower()
    offers = sorted(packs.packs_on_offer(unit).values(), key=lambda o: o.pack.name)
    shown = [o for o in offers if find in o.pack.name.lower()]
    names = stores.names_of(unit)
    return pages.show(
        request,
        unit,
        "stores/sizes.html",
        status,
        rooms=ROOMS,
        typed=typed,
        offers=shown,
        size_values=_size_values,
        total=len(offers),
        called=names,
        names=sorted(names.items(), key=lambda pair: pair[1]),
    )


@router.post("/sizes")
def set_size(request: Request, workshop: WorkshopDep, pages: PagesDep, form: FormDep) -> Response:
    """Keep a price, mark a size as not to be had, or add a size of the shop's own."""

    def do(unit: Unit, typed: Typed) -> None:
        price = typed.money("price")
        if typed.text("op") == "add":
            amount = typed.quantity("amount", "volume", 0, 1e6)
            keeps = typed.number("keeps", 1, 10_000)
            if typed.notes or amount is None or price is None:
                typed.notes.setdefault("price", "Enter its price, such as 23.50.")
                raise Refused("Check what was entered.", typed.notes)
            sku = packs.sku_of(typed.text("name", "a name"))
            packs.add_pack(
                unit,
                {
                    "sku": sku,
                    "name": typed.text("name", "a name"),
                    "price": price,
                    "contains": {typed.text("item", most=100): amount},
                    "keeps_days_opened": int(keeps or 365),
                },
            )
            return
        typed.stop()
        if there := packs.packs_on_offer(unit).get(typed.text("sku", most=100)):
            typed.check_seen(_size_values(there), {"price": "price", "to_be_had": "to be had"})
        packs.set_pack(unit, typed.text("sku", most=100), price, typed.flag("to_be_had"))

    back = f"/stores/sizes?find={form.get('find', '')}" if str(form.get("find", "")).isalnum() else "/stores/sizes"
    return changed(request, workshop, pages, form, do, back, _sizes)


def _job(unit: Unit, typed: Typed, sheet: Product, m2_per_l: float, coats: int) -> dict[str, Any] | None:
    """What a job takes by its label and by its film, in sizes that can be bought; None where it cannot be read."""
    area = typed.quantity("area", "area", 0, 10_000)
    way = typed.text("method") or sheet.methods[0]
    if way not in WAYS:
        typed.notes["method"] = "Choose from the list."
    if area is None or typed.notes:
        return None
    transfer = transfer_of(unit)(way, "sheet")
    need = label_need(m2_per_l, area, coats, sheet.ref_wet_film_um, transfer)
    bags = [packs.pails(unit, sheet, ml) for ml in (need.by_label_ml, need.by_film_ml)]
    return {"need": need, "coats": coats, "transfer": transfer, "way": WAYS[way].words, "bags": bags}


def _size_values(offer: packs.Offer) -> dict[str, str]:
    return {"price": str(offer.pack.price), "to_be_had": "1" if offer.to_be_had else ""}


def _terms_values(project: Project) -> dict[str, str]:
    row = {
        "price": project.price,
        "hire": project.hire_cost,
        "saved": project.hire_hours_saved,
        "goodwill": project.goodwill_hours,
    }
    return {name: "" if value is None else str(value) for name, value in row.items()}


_TERM_LABELS = {"price": "price", "hire": "hire costs", "saved": "hire saves", "goodwill": "goodwill"}


@router.get("/cans")
def cans(request: Request, unit: UnitDep, pages: PagesDep, shop: ShopDep) -> Response:
    """Count aerosol cans by session, and see what moving a part to another session does."""
    part, day, to = (request.query_params.get(name, "") for name in ("part", "day", "to"))
    meant = live_parts(unit)
    before = can_counts(unit, shop, meant)
    after = None
    if part and day and to:
        try:
            after = can_counts(unit, shop, meant, {(UUID(part), date.fromisoformat(day)): date.fromisoformat(to)})
        except ValueError:
            raise Refused("That move cannot be read: choose a part and two days of the list.") from None
    return pages.show(
        request, unit, "stores/cans.html", rooms=ROOMS, before=before, after=after, part=part, day=day, to=to
    )


@router.get("/cost")
def cost(request: Request, unit: UnitDep, pages: PagesDep, shop: ShopDep) -> Response:
    """Show hours and materials against the price, by project and part."""
    return _cost(request, unit, pages, Typed({}, shop.units))


def _cost(request: Request, unit: Unit, pages: PagesDep, typed: Typed, status: int = 200) -> Response:
    number = request.query_params.get("page", "1")
    found = projects_page(unit, int(number) if is_place(number) else 1)
    rows = costing.costs(unit, unit.the_shop, [project.uuid for project in found.projects])
    return pages.show(
        request,
        unit,
        "stores/cost.html",
        status,
        rooms=ROOMS,
        typed=typed,
        rows=rows,
        found=found,
        terms_values=_terms_values,
    )


@router.post("/cost")
def set_cost(request: Request, workshop: WorkshopDep, pages: PagesDep, form: FormDep) -> Response:
    """Keep a project's price, hire and goodwill."""

    def do(unit: Unit, typed: Typed) -> None:
        uuid = typed.uuid("project", "Choose a project.")
        price, hire = typed.money("price"), typed.money("hire")
        saved, goodwill = typed.number("saved", 0, 10_000), typed.number("goodwill", 0, 10_000)
        if typed.notes or uuid is None:
            raise Refused("Check what was entered.", typed.notes)
        if there := costing.project_of(unit, uuid):
            typed.check_seen(_terms_values(there), _TERM_LABELS)
        costing.set_money(unit, uuid, costing.Terms(price, hire, saved, goodwill))

    return changed(request, workshop, pages, form, do, "/stores/cost", _cost)


@router.get("/yields")
def learned(request: Request, pages: PagesDep, unit: UnitDep, shop: ShopDep) -> Response:
    """Check a label's coverage against its film, and show what this shop really uses."""
    products = shelf_now(unit).products
    typed = Typed(dict(request.query_params), shop.units)
    claim, checked, job = typed.text("claim"), None, None
    sheet = products.get(typed.text("product"))
    if sheet is not None:
        scale = M2_PER_L_IN_FT2_PER_GAL if shop.units == "us" else 1.0
        said = typed.number("claim", 0.01 * scale, 1000 * scale) if claim else None
        m2 = said / scale if said else None if claim else sheet.label_m2_per_l
        of = int(typed.number("coats", 1, 30) or sheet.build_coats)
        if m2 and typed.text("counts") == "build":  # for all coats: each of them is as thin as that makes it
            m2 *= of
        if m2:
            job = _job(unit, typed, sheet, m2, of) if typed.text("area") else None
            checked = check_label(m2, sheet.volume_solids_pct, sheet.wet_film_min_um, sheet.wet_film_max_um)
    labels = [
        (p, check_label(p.label_m2_per_l, p.volume_solids_pct, p.wet_film_min_um, p.wet_film_max_um))
        for p in products.values()
        if p.label_m2_per_l
    ]
    return pages.show(
        request,
        unit,
        "stores/yields.html",
        rooms=ROOMS,
        typed=typed,
        sheet=sheet,
        checked=checked,
        job=job,
        labels=labels,
        products=sorted(((p.key, p.name) for p in products.values()), key=lambda pair: pair[1]),
        shapes=SHAPE_WORDS,
        ways=WAYS,
        ways_to=[(key, way.words) for key, way in WAYS.items()],
        learned=sorted(yields(unit).values(), key=lambda y: (y.shape, y.method)),
        book=transfer_efficiency,
    )

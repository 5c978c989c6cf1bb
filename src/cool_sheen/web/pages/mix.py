"""Mix: how much of what? What waits, a batch worked out, the pour, and what is left of it."""

from typing import Any
from uuid import UUID

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response

from cool_sheen.core.coatings.products import Product
from cool_sheen.core.errors import CoreError
from cool_sheen.core.log.batches import BatchState
from cool_sheen.core.mixing.order import GATES
from cool_sheen.core.mixing.ratios import BASIS_WORDS
from cool_sheen.core.mixing.recipes import FREE
from cool_sheen.core.mixing.speeds import ORDER, fitting, speed_of
from cool_sheen.core.units import Millilitres
from cool_sheen.core.work.labour import WAYS
from cool_sheen.service.batches import cup_left, find, yields
from cool_sheen.service.mixing import left_over, pouring
from cool_sheen.service.mixing.plan import Asked, Waiting, Worked, waiting, work_out
from cool_sheen.service.next_time import Reminder, of_mix
from cool_sheen.service.own_ways import equipment_of
from cool_sheen.service.packs import packs_on_offer
from cool_sheen.service.shelf_now import shelf_now
from cool_sheen.service.unit import Refused, Unit, Workshop
from cool_sheen.service.work import new_id
from cool_sheen.store import stock as stores
from cool_sheen.store.log import by_uuid
from cool_sheen.store.models import Shop
from cool_sheen.web.depends import FormDep, PagesDep, ShopDep, UnitDep, WorkshopDep
from cool_sheen.web.forms import Typed
from cool_sheen.web.pages.mix_form import WEIGHT, asked_of, read_amount
from cool_sheen.web.views import label as label_view
from cool_sheen.web.views import mixing as view
from cool_sheen.web.views.lane import STATE_WORDS

router = APIRouter(prefix="/mix")


@router.get("")
def mix(request: Request, unit: UnitDep, pages: PagesDep, shop: ShopDep) -> Response:
    """Show what is in the pot, what is left over, and what waits for paint."""
    running, queue, offered = left_over.mixing_bench(unit)
    now = unit.now
    return pages.show(
        request,
        unit,
        "mix/page.html",
        groups=view.grouped(queue),
        offers=offered,
        running=[view.running(b, now) for b in running if b.open],
        ended=[view.running(b, now) for b in running if not b.open][:8],
        jars=list(stores.jars(unit.session)),
        state_words=STATE_WORDS,
    )


@router.get("/new")
def new(request: Request, unit: UnitDep, pages: PagesDep, shop: ShopDep) -> Response:
    """Work a batch out, with what was chosen so far."""
    return _worked(request, unit, pages, shop, Typed(_filled(request.query_params, shop), shop.units))


def _filled(values: Any, shop: Shop) -> dict[str, Any]:
    """The usual ways, where nothing was chosen."""
    usual = {
        "how": "parts",
        "estimate": "shop",
    }
    return usual | dict(values)


def _worked(request: Request, unit: Unit, pages: PagesDep, shop: Shop, typed: Typed, status: int = 200) -> Response:
    shelf = shelf_now(unit)
    product = shelf.products.get(typed.text("product"))
    if product is None or product.aerosol is not None:
        raise Refused("Choose a product that is mixed.", status=404)
    queue = [w for w in waiting(unit) if w.product.key == product.key]
    worked: Worked | None = None
    asked: Asked | None = None
    try:
        asked = asked_of(typed, product, queue, shelf, equipment_of(unit.the_shop))
        worked = work_out(unit, asked)
    except (Refused, CoreError) as refusal:
        _note(typed, refusal)
        status = 422 if request.method == "POST" else status
    method = worked.choice.method if worked else product.methods[0]
    supplies = shelf.supplies.values()
    template = "mix/_new.html" if request.headers.get("hx-request") else "mix/new.html"
    return pages.show(
        request,
        unit,
        template,
        status,
        typed=typed,
        product=product,
        queue=queue,
        worked=worked,
        asked=asked,
        picture=view.planned_cup(worked, shop.units) if worked else None,
        press=new_id(),
        basis_words=BASIS_WORDS,
        hardeners=[(speed_of(s), s.name) for s in fitting(product, "hardener", method, supplies)],
        reducers=[(speed_of(s), s.name) for s in fitting(product, "reducer", method, supplies)]
        if product.mix.reducer and product.mix.reducer.name not in FREE
        else [],
        additives=[s for s in supplies if s.kind in ("retarder", "accelerator") and product.family in s.families],
        methods=[(m, WAYS[m].words) for m in product.methods],
        order=ORDER,
        components=view.component_names(worked, product),
        jars=_jars(unit, product.key),
        tins=_tins(unit, product.key),
        learned=yields(unit),
        reminders=_reminders(unit, asked, queue, product),
        cautions=unit.catalogue.cautions_for(["mix"], [product]),
    )


def _reminders(unit: Unit, asked: Asked | None, queue: list[Waiting], product: Product) -> list[Reminder]:
    """The notes that come back when this is mixed for the parts that were chosen."""
    wanted = set(asked.parts) if asked else set()
    return of_mix(unit, product.key, [w.found for w in queue if w.found.part.uuid in wanted])


def _tins(unit: Unit, product: str) -> list[tuple[str, str]]:
    held = (o.pack for o in packs_on_offer(unit).values() if f"paint:{product}" in o.pack.contains)
    return [(pack.sku, pack.name) for pack in held]


def _note(typed: Typed, refusal: Refused | CoreError) -> None:
    notes = getattr(refusal, "notes", {}) or {getattr(refusal, "field", "") or "form": str(refusal)}
    typed.notes.update(notes)
    typed.notes.setdefault("form", str(refusal))


def _jars(unit: Unit, product: str) -> list[tuple[str, str]]:
    out = []
    for item, ml, note, _ in stores.jars(unit.session):
        begun = by_uuid(unit.session, UUID(item.removeprefix("jar:")))
        if begun is not None and begun.entry.payload.product == product:  # type: ignore[union-attr]
            out.append((item.removeprefix("jar:"), f"{note}, {ml:.0f} ml"))
    return out


@router.post("/new")
def begin(request: Request, workshop: WorkshopDep, pages: PagesDep, form: FormDep) -> Response:
    """Begin a batch; a refusal shows the form with what was typed."""
    with workshop.read() as unit:
        shop = unit.shop
        if shop is None:
            return RedirectResponse("/start", 303)
        typed = Typed(_filled(form, shop), shop.units)
    try:
        with workshop.write() as unit:
            shelf = shelf_now(unit)
            product = shelf.products.get(typed.text("product"))
            press = typed.uuid("press", "The press has no id: load the page again.")
            if product is None or press is None:
                raise Refused("This was not begun.", typed.notes)
            queue = [w for w in waiting(unit) if w.product.key == product.key]
            uuid = pouring.begin(unit, asked_of(typed, product, queue, shelf, equipment_of(unit.the_shop)), press)
    except (Refused, CoreError):
        typed.notes.clear()
        with workshop.read() as unit:
            return _worked(request, unit, pages, shop, typed)
    return RedirectResponse(f"/mix/{uuid}", 303)


@router.get("/{uuid}")
def pot(request: Request, uuid: UUID, unit: UnitDep, pages: PagesDep, shop: ShopDep, by: str = "") -> Response:
    """Show a batch at the bench: the cup, and what comes next."""
    return _pot(request, unit, pages, uuid, Typed({"by": by}, shop.units))


def _pot(request: Request, unit: Unit, pages: PagesDep, uuid: UUID, typed: Typed, status: int = 200) -> Response:
    batch = find(unit, uuid)
    now = unit.now
    stage = pouring.stage_now(unit, batch.state)
    order = pouring.stages_of(unit, batch.state)
    sheet = unit.revision(batch.state.plan.coating)
    by = typed.text("by") or ("scale" if batch.state.plan.measure == "weight" else "mark")
    template = "mix/_pot.html" if request.headers.get("hx-request") else "mix/pot.html"
    return pages.show(
        request,
        unit,
        template,
        status,
        typed=typed,
        batch=view.running(batch, now),
        state=batch.state,
        stage=stage,
        rows=view.stage_rows(batch.state, order, stage, now),
        picture=view.poured_cup(batch.state, stage.line, unit.the_shop.units),
        aim=view.aim(batch.state, stage.line),
        rescue=view.rescue_of(batch.state),
        gates=GATES,
        by=by,
        sheet=sheet,
        left=cup_left(unit, batch.state),
        presses=new_id,
        two_pack=batch.state.plan.pot_life_minutes is not None,
        scale=unit.workshop.scale.reading(now),
        cautions=unit.catalogue.cautions_for(["mix"], [sheet]),
        parts=view.part_names(unit, batch.state),
    )


@router.get("/{uuid}/live")
def live(request: Request, uuid: UUID, unit: UnitDep, pages: PagesDep, shop: ShopDep, by: str = "") -> Response:
    """Show what moves on the page of a batch."""
    return _pot(request, unit, pages, uuid, Typed({"by": by}, shop.units))


def _did(request: Request, workshop: Workshop, pages: PagesDep, uuid: UUID, form: dict[str, Any], do: Any) -> Response:
    """Do one thing to a batch and show it again; a refusal is said at its field, and what was typed stays."""
    with workshop.read() as unit:
        shop = unit.shop
    typed = Typed(form, shop.units if shop else "metric")
    status = 200
    try:
        with workshop.write() as unit:
            press = typed.uuid("press", "The press has no id: load the page again.")
            if press is None:
                raise Refused("This was not logged.", typed.notes)
            do(unit, typed, press)
    except (Refused, CoreError) as refusal:
        if getattr(refusal, "status", 422) == 404:
            raise
        status = getattr(refusal, "status", 422)
        _note(typed, refusal)
    by = typed.text("by")
    if status == 200 and not request.headers.get("hx-request"):
        return RedirectResponse(f"/mix/{uuid}" + (f"?by={by}" if by in ("scale", "mark") else ""), 303)
    if status == 200:
        typed = Typed({"by": by}, typed.units)
    with workshop.read() as unit:
        return _pot(request, unit, pages, uuid, typed, status)


@router.post("/{uuid}/pour")
def pour(request: Request, uuid: UUID, workshop: WorkshopDep, pages: PagesDep, form: FormDep) -> Response:
    """Log a pour: to the mark, by the scale, or as typed."""

    def do(unit: Unit, typed: Typed, press: UUID) -> None:
        how, line = typed.text("how") or "typed", typed.number("line", 0, 19)
        ml = grams = None
        if how == "typed":
            state = find(unit, uuid).state
            place = int(line or 0)
            density = state.plan.lines[place].density_g_per_ml if place < len(state.plan.lines) else None
            ml, grams = read_amount(typed, "amount", "g" if typed.text("by") == "scale" else "ml", density)
        if typed.notes or line is None:
            raise Refused("Check what was entered.", typed.notes)
        scale = unit.workshop.scale.reading(unit.now).grams if how == "scale" else None
        after = typed.number("after", 0, 10_000)
        said = pouring.PourSaid(int(line), ml, grams, how, typed.flag("used_up"), None if after is None else int(after))
        pouring.pour(unit, uuid, press, said, scale)

    return _did(request, workshop, pages, uuid, form, do)


@router.post("/{uuid}/stamp")
def stamp(request: Request, uuid: UUID, workshop: WorkshopDep, pages: PagesDep, form: FormDep) -> Response:
    """Stamp a gate."""
    return _did(
        request,
        workshop,
        pages,
        uuid,
        form,
        lambda unit, typed, press: pouring.stamp(unit, uuid, press, typed.text("gate")),
    )


@router.post("/{uuid}/viscosity")
def viscosity(request: Request, uuid: UUID, workshop: WorkshopDep, pages: PagesDep, form: FormDep) -> Response:
    """Note how fast it runs."""

    def do(unit: Unit, typed: Typed, press: UUID) -> None:
        seconds = typed.number("seconds", 0.5, 3600)
        if seconds is None:
            typed.notes.setdefault("seconds", "Enter the seconds, such as 18.")
            raise Refused("Check what was entered.", typed.notes)
        pouring.note_viscosity(unit, uuid, press, seconds, typed.text("run_by", most=40))

    return _did(request, workshop, pages, uuid, form, do)


@router.post("/{uuid}/note")
def note(request: Request, uuid: UUID, workshop: WorkshopDep, pages: PagesDep, form: FormDep) -> Response:
    """Write words about a batch."""

    def do(unit: Unit, typed: Typed, press: UUID) -> None:
        text = typed.text("text", most=2000)
        typed.stop()
        pouring.note(unit, uuid, press, text)

    return _did(request, workshop, pages, uuid, form, do)


@router.post("/{uuid}/undo")
def undo(request: Request, uuid: UUID, workshop: WorkshopDep, pages: PagesDep, form: FormDep) -> Response:
    """Take a pour, or the end of the batch, back."""

    def do(unit: Unit, typed: Typed, press: UUID) -> None:
        entry = typed.uuid("entry", "There is no such entry.")
        if entry is None:
            raise Refused("There is nothing to take back.", typed.notes)
        pouring.take_back(unit, uuid, press, entry)

    return _did(request, workshop, pages, uuid, form, do)


@router.post("/{uuid}/end")
def end(request: Request, uuid: UUID, workshop: WorkshopDep, pages: PagesDep, form: FormDep) -> Response:
    """End a batch, and say where the rest goes."""

    def do(unit: Unit, typed: Typed, press: UUID) -> None:
        left = _left(typed, find(unit, uuid).state)
        pouring.end(unit, uuid, press, left, typed.text("goes"), sure=typed.flag("sure"))

    return _did(request, workshop, pages, uuid, form, do)


def _left(typed: Typed, state: BatchState) -> Millilitres:
    """What is left, as it was measured: a volume, or on the scale. Raises Refused. [ml]"""
    if not WEIGHT.search(typed.text("left")):
        left = typed.quantity("left", "volume", -0.001, 200_000)
    else:
        grams = typed.quantity("left", "weight", -0.001, 500_000)
        left = grams * state.cup.ready_ml / state.cup.ready_g if grams is not None and state.cup.ready_g > 0 else None
    if left is None:
        raise Refused("Check what was entered.", typed.notes)
    return left


@router.post("/{uuid}/leave-out")
def leave_out(request: Request, uuid: UUID, workshop: WorkshopDep, pages: PagesDep, form: FormDep) -> Response:
    """Take a batch out of the yields."""

    def do(unit: Unit, typed: Typed, press: UUID) -> None:
        pouring.leave_out(unit, uuid, press)

    return _did(request, workshop, pages, uuid, form, do)


@router.get("/{uuid}/label")
def label(request: Request, uuid: UUID, unit: UnitDep, pages: PagesDep, shop: ShopDep) -> Response:
    """Show the label of the cup, to print or to copy."""
    batch = find(unit, uuid)
    code, side = label_view.code_path(str(request.base_url) + f"mix/{uuid}")
    return pages.show(
        request,
        unit,
        "mix/label.html",
        batch=view.running(batch, unit.now),
        state=batch.state,
        code=code,
        side=side,
        parts=view.part_names(unit, batch.state),
    )

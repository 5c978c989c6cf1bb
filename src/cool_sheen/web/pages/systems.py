"""Systems: what goes on, in which order? The list, and the builder of one, on the shelf or on a part."""

from dataclasses import dataclass, replace
from typing import Any
from uuid import UUID

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response

from cool_sheen.core.coatings import edit
from cool_sheen.core.coatings.families import BELOW_WORDS, GROUND_WORDS, ROLE_WORDS, ROLES, STATE_WORDS
from cool_sheen.core.coatings.systems import COAT_WORDS, STEP_WORDS, WHERE_WORDS
from cool_sheen.core.drying.milestones import WORDS
from cool_sheen.core.errors import CoreError
from cool_sheen.core.film.grits import MEAN_UM
from cool_sheen.core.film.planned import COLOUR_CHANGE, PIGMENT_STRENGTH, planned_build
from cool_sheen.service import building, shelf
from cool_sheen.service.building import Design
from cool_sheen.service.shelf_now import WholeShelf, shelf_now
from cool_sheen.service.unit import Refused, Unit, Workshop
from cool_sheen.service.work import new_id
from cool_sheen.web.depends import FormDep, PagesDep, ShopDep, UnitDep, WorkshopDep
from cool_sheen.web.forms import SEEN, Stale, Typed, mark
from cool_sheen.web.pages.builder_ops import OPS
from cool_sheen.web.pages.sheet_form import LAYOUT
from cool_sheen.web.pages.task_ops import KINDS
from cool_sheen.web.views import builder as view
from cool_sheen.web.views import section
from cool_sheen.web.views.tasks import TaskList, task_list, tasks_left_out

router = APIRouter()


@dataclass(frozen=True, slots=True)
class Place:
    """Where a system stands: on the shelf under its key, or on a part."""

    key: str = ""
    part: UUID | None = None
    ground: str = ""

    @property
    def address(self) -> str:
        """The address of its builder."""
        return f"/parts/{self.part}/system" if self.part else f"/systems/{self.key}"

    def load(self, unit: Unit) -> Design:
        """Return the system on its site. Raises Missing."""
        if self.part:
            return building.built_on_part(unit, self.part)
        return building.built_on_shelf(unit, self.key, self.ground)

    def change(self, unit: Unit, made: building.Edit) -> None:
        """Change the system. Raises Refused, CoreError, Missing."""
        if self.part:
            building.change_part(unit, self.part, made)
        else:
            building.change_shelf(unit, self.key, made)

    def undo(self, unit: Unit) -> None:
        """Take the last change back. Raises Refused."""
        if self.part:
            building.undo_part(unit, self.part)
        else:
            building.undo_shelf(unit, self.key)


@router.get("/systems")
def systems(request: Request, unit: UnitDep, pages: PagesDep, shop: ShopDep) -> Response:
    """Show all systems, each with its film."""
    return _list(request, unit, pages, Typed({}, shop.units))


def _list(request: Request, unit: Unit, pages: PagesDep, typed: Typed, status: int = 200) -> Response:
    found = shelf_now(unit)
    rows = [_row(system, found, typed.units) for system in found.systems.values()]
    rows.sort(key=lambda row: (("system", row["system"].key) not in found.own, str(row["system"].name)))
    products = sorted(found.products.values(), key=lambda p: (ROLES.index(p.role), p.name))
    return pages.show(
        request,
        unit,
        "systems/page.html",
        status,
        rows=rows,
        own=found.own,
        typed=typed,
        products_to_start=[(p.key, p.name) for p in products],
        systems_to_start=[(row["system"].key, row["system"].name) for row in rows],
    )


@router.post("/systems/new")
def new(request: Request, workshop: WorkshopDep, pages: PagesDep, shop: ShopDep, form: FormDep) -> Response:
    """Make a system of the shop's own: blank, with its first product, or from another one."""
    typed = Typed(form, shop.units)
    try:
        with workshop.write() as unit:
            name = typed.text("system_name", "a name for the system", most=200)
            key = building.new_system(unit, name, typed.text("product"), typed.text("from"), typed.notes)
    except Refused as refusal:
        typed.notes.update(refusal.notes)
        typed.notes.setdefault("form", str(refusal))
        with workshop.read() as unit:
            return _list(request, unit, pages, typed, refusal.status)
    return RedirectResponse(f"/systems/{key}", 303)


def _row(system: Any, found: WholeShelf, units: str) -> dict[str, Any]:
    build = planned_build(system, found.products)
    canvas = section.Canvas(64, 96)
    return {
        "system": system,
        "section": section.draw({"film": build}, system, found.products, canvas),
        "film": build.total_um,
        "layers": [(la, view.coats_words(la, units), found.products[la.product]) for la in system.used],
    }


@router.post("/systems/{key}/copy")
def copy(key: str, workshop: WorkshopDep, form: FormDep) -> Response:
    """Make a system of the shop's own from another one."""
    with workshop.write() as unit:
        found = shelf_now(unit).systems
        if key not in found:
            raise Refused("There is no such system here.", status=404)
        fresh = next(name for n in range(1, 1000) if (name := f"{key[:50]}-{n}") not in found)
        copied = edit.renamed(found[key], fresh, f"{found[key].name[:180]}, own {fresh.rsplit('-', 1)[1]}")
        shelf.save(unit, "system", copied, new=True)
    return RedirectResponse(f"/systems/{fresh}", 303)


@router.post("/systems/{key}/remove")
def remove(key: str, workshop: WorkshopDep, form: FormDep) -> Response:
    """Take the shop's own version of a system off the shelf."""
    with workshop.write() as unit:
        shelf.remove(unit, "system", key)
        stays = key in shelf_now(unit).systems
    return RedirectResponse(f"/systems/{key}" if stays else "/systems", 303)


@router.get("/systems/{key}")
def on_shelf(request: Request, key: str, unit: UnitDep, pages: PagesDep, shop: ShopDep) -> Response:
    """Show the builder of a system of the shelf."""
    place = Place(key=key, ground=request.query_params.get("ground", ""))
    return _show(request, pages, unit, place, Typed(dict(request.query_params), shop.units))


@router.get("/parts/{uuid}/system")
def on_part(request: Request, uuid: UUID, unit: UnitDep, pages: PagesDep, shop: ShopDep) -> Response:
    """Show the builder of a part's system."""
    return _show(request, pages, unit, Place(part=uuid), Typed(dict(request.query_params), shop.units))


def _show(
    request: Request,
    pages: PagesDep,
    unit: Unit,
    place: Place,
    typed: Typed,
    status: int = 200,
    told: "Told | None" = None,
) -> Response:
    design = place.load(unit)
    template = "systems/_builder.html" if request.headers.get("hx-request") else "systems/builder.html"
    cards = view.cards(design, typed.units, typed.text("hide_change"), typed.text("hide_strength"))
    chosen = next((c for c in cards if c.layer.id == typed.text("layer")), None)
    products = sorted(design.shelf.products.values(), key=lambda p: (ROLES.index(p.role), p.name))
    return pages.show(
        request,
        unit,
        template,
        status,
        design=design,
        seen_mark=seen_of(design),
        place=place,
        typed=typed,
        cards=cards,
        chosen=chosen,
        findings=view.sorted_findings(design.findings),
        figures=view.figures(design.figures, typed.units),
        section_data=view.stack_section(design, typed.units),
        verdict_words=view.VERDICT_WORDS,
        products=products,
        roles=ROLE_WORDS,
        coat_words=COAT_WORDS,
        step_words=STEP_WORDS,
        task_kinds=KINDS,
        marks=WORDS,
        told=told,
        around=_around(design, typed.units),
        between=_of_layer("between", design, chosen, typed.units),
        then=_of_layer("then", design, chosen, typed.units),
        where=_where(design),
        grits=list(MEAN_UM),
        changes=COLOUR_CHANGE,
        strengths=PIGMENT_STRENGTH,
        schools=unit.catalogue.schools,
        grounds=GROUND_WORDS,
        below_words=BELOW_WORDS,
        state_words=STATE_WORDS,
        offered=building.offered,
        new_id=new_id,
        newer=_newer(unit, design),
        anti_slip=[s for s in design.shelf.supplies.values() if s.kind == "grit"],
        cautions=unit.catalogue.cautions_for(
            view.kinds_of(design.system), (design.products[la.product] for la in design.system.used)
        ),
        other_systems=design.shelf.systems,
    )


def _around(design: Design, units: str) -> dict[str, TaskList]:
    """What is done before the first coat, and after the last."""
    return {spot.stage: task_list(design.system, spot, design.products, units) for spot in (edit.PREPARE, edit.FINISH)}


def _of_layer(stage: str, design: Design, chosen: view.Card | None, units: str) -> TaskList | None:
    """What is done between the coats of the open layer, or after them."""
    spot = edit.Spot(stage, chosen.layer.id) if chosen else None
    return task_list(design.system, spot, design.products, units) if spot else None


def _newer(unit: Unit, design: Design) -> list[shelf.Newer]:
    found = shelf.newer_data(unit, design.site.part) if design.site.part else []
    units = unit.shop.units if unit.shop else "metric"
    return [replace(newer, changes=LAYOUT.said_of(newer.changes, units)) for newer in found]


def _where(design: Design) -> list[tuple[str, str]]:
    named = [(f"zone:{z.name}", z.name) for z in design.site.zones] if design.site.part else []
    return [*WHERE_WORDS.items(), *named]


def _changed(request: Request, workshop: Workshop, pages: PagesDep, place: Place, form: dict[str, Any]) -> Response:
    """Do one change and show the builder again; a refusal shows it with what was typed."""
    with workshop.read() as unit:
        shop = unit.shop
    typed = Typed(form, shop.units if shop else "metric")
    status, told = 200, None
    try:
        with workshop.write() as unit:
            told = _do(unit, place, typed)
    except (Refused, CoreError) as refusal:
        if getattr(refusal, "status", 422) == 404:
            raise
        status = getattr(refusal, "status", 422)
        notes = getattr(refusal, "notes", {}) or {getattr(refusal, "field", "") or "form": str(refusal)}
        typed.notes.update(notes)
        typed.notes.setdefault("form", str(refusal))
    if status == 200 and not request.headers.get("hx-request"):
        opened = {"layer": typed.text("layer"), "task": typed.text("open")}.get(typed.text("op"), "")
        layer = f"?layer={opened}" if opened else ""
        return RedirectResponse(f"{place.address}{layer}", 303)
    if status == 200:
        kept = ("layer", "hide_change", "hide_strength", "ground") if typed.text("op") == "layer" else ("ground",)
        opened = typed.text("open") if typed.text("op") == "task" else ""
        typed = Typed({k: v for k, v in form.items() if k in kept} | ({"layer": opened} if opened else {}), typed.units)
    elif typed.text("op") == "task":
        typed.values = {**typed.values, "layer": typed.text("open")}
    with workshop.read() as unit:
        return _show(request, pages, unit, place, typed, status, told)


@dataclass(frozen=True, slots=True)
class Told:
    """What is said after a change: in words, and where it leads."""

    words: str
    href: str = ""
    link: str = ""


def seen_of(design: Design) -> str:
    """Return the mark of a system as it is shown."""
    return mark({"system": design.system.model_dump_json()})


def _as_seen(unit: Unit, place: Place, typed: Typed) -> Design:
    design = place.load(unit)
    if (brought := typed.text(SEEN)) and brought != seen_of(design):
        raise Stale("Somebody changed this system meanwhile: here it is as it is now. Press again.", status=409)
    return design


def _do(unit: Unit, place: Place, typed: Typed) -> Told | None:
    """Do one change. Returns what is to be said of it: steps that went with it, or where something was kept."""
    op = typed.text("op")
    design = _as_seen(unit, place, typed)
    if op == "keep_as":
        key = building.kept_for_the_shop(
            unit, design, typed.text("keep_name", "a name for the shop's system", most=200)
        )
        return Told("Kept for the shop.", f"/systems/{key}", "Open it")
    _change(unit, place, typed, design)
    if op in ("undo", "task", "newer", "override"):
        return None
    gone = tasks_left_out(design.system, place.load(unit).system)
    return Told(f"What went with it: {'; '.join(gone)}. “Take the last change back” brings it back.") if gone else None


def _change(unit: Unit, place: Place, typed: Typed, design: Design) -> None:
    op = typed.text("op")
    if op == "undo":
        place.undo(unit)
    elif op == "way":
        rule, where, way = typed.text("rule"), typed.text("at_place", most=200), typed.text("way")
        place.change(unit, building.taken_way(design, rule, where, way))
        if way == "strip":
            building.strip_zones(unit, design, where)
    elif op == "override":
        finding = building.finding_at(design, typed.text("rule"), typed.text("at_place", most=200))
        press = typed.uuid("press", "The press has no id: load the page again.")
        reason = typed.text("reason", most=400)
        if press is None or "reason" in typed.notes:
            raise Refused("The reason was not kept.", typed.notes)
        building.override(unit, design, press, finding, reason)
    elif op == "side":
        school = next((s for s in unit.catalogue.schools if s.key == typed.text("school")), None)
        if school is None:
            raise Refused("There is no such question.", status=409)
        place.change(unit, building.taken_side(unit, design, school, typed.text("side")))
    elif op == "newer" and design.site.part:
        press = typed.uuid("press", "The press has no id: load the page again.")
        keys = [typed.text("product")] if typed.text("product") else list(design.site.part.revisions)
        shelf.take_newer(unit, design.site.part, keys, press or new_id())
    elif op in OPS:
        place.change(unit, OPS[op](typed, design))
    else:
        raise Refused("There is no such change.", status=409)


@router.post("/systems/{key}/change")
def change_on_shelf(request: Request, key: str, workshop: WorkshopDep, pages: PagesDep, form: FormDep) -> Response:
    """Change a system of the shelf."""
    return _changed(request, workshop, pages, Place(key=key, ground=str(form.get("ground", ""))), form)


@router.post("/parts/{uuid}/system/change")
def change_on_part(request: Request, uuid: UUID, workshop: WorkshopDep, pages: PagesDep, form: FormDep) -> Response:
    """Change the system of a part."""
    return _changed(request, workshop, pages, Place(part=uuid), form)


@router.get("/systems/{key}/schools/{school}")
def schools_on_shelf(
    request: Request, key: str, school: str, unit: UnitDep, pages: PagesDep, shop: ShopDep
) -> Response:
    """Show the sides of a question on a system of the shelf."""
    place = Place(key=key, ground=request.query_params.get("ground", ""))
    return _sides(request, pages, unit, place, school, shop.units)


@router.get("/parts/{uuid}/system/schools/{school}")
def schools_on_part(
    request: Request, uuid: UUID, school: str, unit: UnitDep, pages: PagesDep, shop: ShopDep
) -> Response:
    """Show the sides of a question on a part's system."""
    return _sides(request, pages, unit, Place(part=uuid), school, shop.units)


def _sides(request: Request, pages: PagesDep, unit: Unit, place: Place, key: str, units: str) -> Response:
    design = place.load(unit)
    shown = "systems/_sides.html" if request.headers.get("hx-request") else "systems/sides.html"
    if key == "method":
        costs = building.methods_of(design)
        return pages.show(
            request, unit, shown, school=None, costs=costs, sides=[], place=place, design=design, hours=view.hours
        )
    school = next((s for s in unit.catalogue.schools if s.key == key), None)
    if school is None:
        raise Refused("There is no such question.", status=404)
    sides = [(s, view.figures(s.figures, units)) for s in building.school_sides(unit, design, school)]
    return pages.show(
        request, unit, shown, school=school, sides=sides, costs=[], place=place, design=design, hours=view.hours
    )

"""Systems: what goes on, in which order? The list, and the builder of one, on the shelf or on a part."""

from dataclasses import dataclass
from typing import Any
from uuid import UUID

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response
from sqlalchemy.orm import Session

from cool_sheen.core.coatings import edit
from cool_sheen.core.coatings.families import BELOW_WORDS, GROUND_WORDS, ROLE_WORDS, ROLES, STATE_WORDS
from cool_sheen.core.coatings.systems import COAT_WORDS, STEP_WORDS, WHERE_WORDS
from cool_sheen.core.errors import CoreError
from cool_sheen.core.film.grits import MEAN_UM
from cool_sheen.core.film.planned import COLOUR_CHANGE, PIGMENT_STRENGTH, planned_build
from cool_sheen.service import building, shelf
from cool_sheen.service.building import Built
from cool_sheen.service.desk import Desk, Refused
from cool_sheen.service.stock import Stock, stock
from cool_sheen.service.work import new_id
from cool_sheen.web.forms import Typed
from cool_sheen.web.pages.builder_ops import OPS
from cool_sheen.web.parts import DeskDep, FormDep, PagesDep, SessionDep, ShopDep
from cool_sheen.web.views import builder as view
from cool_sheen.web.views import section

router = APIRouter()
_PREPARE = ("wash", "test_patch", "strip", "degrease", "fill", "sand", "wipe", "mask", "tack")


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

    def load(self, desk: Desk, opened: Session) -> Built:
        """Return the system on its bed. Raises Missing."""
        if self.part:
            return building.built_on_part(desk, opened, self.part)
        return building.built_on_shelf(desk, opened, self.key, self.ground)

    def change(self, desk: Desk, opened: Session, made: building.Edit) -> None:
        """Change the system. Raises Refused, CoreError, Missing."""
        if self.part:
            building.change_part(desk, opened, self.part, made)
        else:
            building.change_shelf(desk, opened, self.key, made)

    def undo(self, desk: Desk, opened: Session) -> None:
        """Take the last change back. Raises Refused."""
        if self.part:
            building.undo_part(desk, opened, self.part)
        else:
            building.undo_shelf(desk, opened, self.key)


@router.get("/systems")
def systems(request: Request, desk: DeskDep, pages: PagesDep, opened: SessionDep, shop: ShopDep) -> Response:
    """Show all systems, each with its film."""
    found = stock(desk, opened)
    rows = [_row(system, found, shop.units) for system in found.systems.values()]
    rows.sort(key=lambda row: str(row["system"].name))
    return pages.show(request, opened, "systems/page.html", rows=rows, own=found.own)


def _row(system: Any, found: Stock, units: str) -> dict[str, Any]:
    build = planned_build(system, found.products)
    canvas = section.Canvas(64, 96)
    return {
        "system": system,
        "section": section.draw({"film": build}, system, found.products, canvas),
        "film": build.total_um,
        "layers": [(la, view.coats_words(la, units), found.products[la.product]) for la in system.used],
    }


@router.post("/systems/{key}/copy")
def copy(key: str, desk: DeskDep, form: FormDep) -> Response:
    """Make a system of the shop's own from another one."""
    with desk.open() as opened:
        found = stock(desk, opened).systems
        if key not in found:
            raise Refused("There is no such system here.", status=404)
        fresh = next(name for n in range(1, 1000) if (name := f"{key[:50]}-{n}") not in found)
        copied = edit.renamed(found[key], fresh, f"{found[key].name[:180]}, own {fresh.rsplit('-', 1)[1]}")
        shelf.save(desk, opened, "system", copied, new=True)
    return RedirectResponse(f"/systems/{fresh}", 303)


@router.post("/systems/{key}/remove")
def remove(key: str, desk: DeskDep, form: FormDep) -> Response:
    """Take the shop's own version of a system off the shelf."""
    with desk.open() as opened:
        shelf.remove(desk, opened, "system", key)
        stays = key in stock(desk, opened).systems
    return RedirectResponse(f"/systems/{key}" if stays else "/systems", 303)


@router.get("/systems/{key}")
def on_shelf(request: Request, key: str, desk: DeskDep, pages: PagesDep, opened: SessionDep, shop: ShopDep) -> Response:
    """Show the builder of a system of the shelf."""
    place = Place(key=key, ground=request.query_params.get("ground", ""))
    return _show(request, pages, opened, place, Typed(dict(request.query_params), shop.units))


@router.get("/parts/{uuid}/system")
def on_part(
    request: Request, uuid: UUID, desk: DeskDep, pages: PagesDep, opened: SessionDep, shop: ShopDep
) -> Response:
    """Show the builder of a part's system."""
    return _show(request, pages, opened, Place(part=uuid), Typed(dict(request.query_params), shop.units))


def _show(
    request: Request, pages: PagesDep, opened: Session, place: Place, typed: Typed, status: int = 200
) -> Response:
    built = place.load(pages.desk, opened)
    template = "systems/_builder.html" if request.headers.get("hx-request") else "systems/builder.html"
    cards = view.cards(built, typed.units, typed.text("hide_change"), typed.text("hide_strength"))
    chosen = next((c for c in cards if c.layer.id == typed.text("layer")), None)
    products = sorted(built.shelf.products.values(), key=lambda p: (ROLES.index(p.role), p.name))
    return pages.show(
        request, opened, template, status, built=built, place=place, typed=typed, cards=cards, chosen=chosen,
        findings=view.sorted_findings(built.findings), figures=view.figures(built.figures, typed.units),
        section_data=view.stack_section(built, typed.units), verdict_words=view.VERDICT_WORDS, products=products,
        roles=ROLE_WORDS, coat_words=COAT_WORDS, step_words=STEP_WORDS, preparing=_PREPARE, where=_where(built),
        grits=list(MEAN_UM), changes=COLOUR_CHANGE, strengths=PIGMENT_STRENGTH, schools=pages.desk.catalogue.schools,
        grounds=GROUND_WORDS, below_words=BELOW_WORDS, state_words=STATE_WORDS, offered=building.offered,
        new_id=new_id, newer=_newer(pages.desk, opened, built),
        anti_slip=[s for s in built.shelf.supplies.values() if s.kind == "grit"],
        cautions=pages.desk.catalogue.cautions_for(
            view.kinds_of(built.system), (built.products[la.product] for la in built.system.used)
        ),
        other_systems=built.shelf.systems,
    )  # fmt: skip


def _newer(desk: Desk, opened: Session, built: Built) -> list[shelf.Newer]:
    return shelf.newer_data(desk, opened, built.bed.part) if built.bed.part else []


def _where(built: Built) -> list[tuple[str, str]]:
    named = [(f"zone:{z.name}", z.name) for z in built.bed.zones] if built.bed.part else []
    return [*WHERE_WORDS.items(), *named]


def _changed(request: Request, desk: Desk, pages: PagesDep, place: Place, form: dict[str, Any]) -> Response:
    """Do one change and show the builder again; a refusal shows it with what was typed."""
    with desk.open() as opened:
        shop = desk.shop(opened)
    typed = Typed(form, shop.units if shop else "metric")
    status = 200
    try:
        with desk.open() as opened:
            _do(desk, opened, place, typed)
    except (Refused, CoreError) as refusal:
        if getattr(refusal, "status", 422) == 404:
            raise
        status = getattr(refusal, "status", 422)
        notes = getattr(refusal, "notes", {}) or {getattr(refusal, "field", "") or "form": str(refusal)}
        typed.notes.update(notes)
        typed.notes.setdefault("form", str(refusal))
    if status == 200 and not request.headers.get("hx-request"):
        layer = f"?layer={typed.text('layer')}" if typed.text("op") == "layer" else ""
        return RedirectResponse(f"{place.address}{layer}", 303)
    if status == 200:
        kept = ("layer", "hide_change", "hide_strength", "ground") if typed.text("op") == "layer" else ("ground",)
        typed = Typed({k: v for k, v in form.items() if k in kept}, typed.units)
    with desk.open() as opened:
        return _show(request, pages, opened, place, typed, status)


def _do(desk: Desk, opened: Session, place: Place, typed: Typed) -> None:
    op = typed.text("op")
    built = place.load(desk, opened)
    if op == "undo":
        place.undo(desk, opened)
    elif op == "way":
        rule, where, way = typed.text("rule"), typed.text("at_place", most=200), typed.text("way")
        place.change(desk, opened, building.taken_way(built, rule, where, way))
        if way == "strip":
            building.strip_zones(opened, built, where)
    elif op == "override":
        finding = building.finding_at(built, typed.text("rule"), typed.text("at_place", most=200))
        press = typed.uuid("press", "The press has no id: load the page again.")
        reason = typed.text("reason", most=400)
        if press is None or "reason" in typed.notes:
            raise Refused("The reason was not kept.", typed.notes)
        building.override(desk, opened, built, press, finding, reason)
    elif op == "side":
        school = next((s for s in desk.catalogue.schools if s.key == typed.text("school")), None)
        if school is None:
            raise Refused("There is no such question.", status=409)
        place.change(desk, opened, building.taken_side(built, school, typed.text("side")))
    elif op == "newer" and built.bed.part:
        press = typed.uuid("press", "The press has no id: load the page again.")
        keys = [typed.text("product")] if typed.text("product") else list(built.bed.part.revisions)
        shelf.take_newer(desk, opened, built.bed.part, keys, press or new_id())
    elif op in OPS:
        place.change(desk, opened, OPS[op](typed, built))
    else:
        raise Refused("There is no such change.", status=409)


@router.post("/systems/{key}/change")
def change_on_shelf(request: Request, key: str, desk: DeskDep, pages: PagesDep, form: FormDep) -> Response:
    """Change a system of the shelf."""
    return _changed(request, desk, pages, Place(key=key, ground=str(form.get("ground", ""))), form)


@router.post("/parts/{uuid}/system/change")
def change_on_part(request: Request, uuid: UUID, desk: DeskDep, pages: PagesDep, form: FormDep) -> Response:
    """Change the system of a part."""
    return _changed(request, desk, pages, Place(part=uuid), form)


@router.get("/systems/{key}/schools/{school}")
def schools_on_shelf(
    request: Request, key: str, school: str, desk: DeskDep, pages: PagesDep, opened: SessionDep, shop: ShopDep
) -> Response:
    """Show the sides of a question on a system of the shelf."""
    place = Place(key=key, ground=request.query_params.get("ground", ""))
    return _sides(request, pages, opened, place, school, shop.units)


@router.get("/parts/{uuid}/system/schools/{school}")
def schools_on_part(
    request: Request, uuid: UUID, school: str, desk: DeskDep, pages: PagesDep, opened: SessionDep, shop: ShopDep
) -> Response:
    """Show the sides of a question on a part's system."""
    return _sides(request, pages, opened, Place(part=uuid), school, shop.units)


def _sides(request: Request, pages: PagesDep, opened: Session, place: Place, key: str, units: str) -> Response:
    built = place.load(pages.desk, opened)
    shown = "systems/_sides.html" if request.headers.get("hx-request") else "systems/sides.html"
    if key == "method":
        costs = building.methods_of(built)
        return pages.show(request, opened, shown, school=None, costs=costs, sides=[], place=place, built=built,
                          hours=view.hours)  # fmt: skip
    school = next((s for s in pages.desk.catalogue.schools if s.key == key), None)
    if school is None:
        raise Refused("There is no such question.", status=404)
    sides = [(s, view.figures(s.figures, units)) for s in building.school_sides(built, school)]
    return pages.show(request, opened, shown, school=school, sides=sides, costs=[], place=place, built=built,
                      hours=view.hours)  # fmt: skip

"""Jobs: projects and their parts, and making new ones."""

from uuid import UUID

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response
from markupsafe import Markup

from cool_sheen.core.coatings.systems import System
from cool_sheen.service.jobs import (
    NewPart,
    PartFacts,
    add_part,
    add_project,
    find_project,
    project_choices,
    projects_page,
    spaces_by_id,
)
from cool_sheen.service.part_now import live_parts
from cool_sheen.service.shelf_now import WholeShelf, shelf_now
from cool_sheen.service.unit import Refused, Unit
from cool_sheen.store import statuses
from cool_sheen.store.models import PartStatus, Shop
from cool_sheen.web.depends import FormDep, PagesDep, ShopDep, UnitDep, WorkshopDep
from cool_sheen.web.forms import Typed
from cool_sheen.web.lane_cards import Card, card_of
from cool_sheen.web.templating import Pages
from cool_sheen.web.views import lane, section

router = APIRouter()


@router.get("/jobs")
def jobs(request: Request, unit: UnitDep, pages: PagesDep, shop: ShopDep, page: int = 1, find: str = "") -> Response:
    """Show projects and their parts, a page of them: those with live parts first, then by name or newest."""
    found = projects_page(unit, page, find)
    kept = statuses.of_parts(unit.settled(), [part.uuid for project in found.projects for part in project.parts])
    is_any_live = any(row.finished_at is None for row in kept.values())
    live = {p.part.uuid: card_of(unit, pages, p) for p in live_parts(unit)} if is_any_live else {}
    spaces = {s.uuid: s.name for s in spaces_by_id(unit).values()}
    rows = {
        part.uuid: _row(unit, pages, part, kept[part.uuid], live.get(part.uuid), spaces)
        for project in found.projects
        for part in project.parts
    }
    return pages.show(request, unit, "jobs/page.html", found=found, rows=rows, find=find)


def _row(
    unit: Unit, pages: Pages, part: PartFacts, row: PartStatus, card: Card | None, spaces: dict[UUID, str]
) -> Markup:
    """What a list says of a part, by its kept status and while it is live by its lane; kept as it was rendered."""
    place = spaces.get(row.space_uuid, "") if row.space_uuid else ""
    due = lane.clock_time(card.counts_to, unit.zone, unit.now) if card and card.counts_to else ""
    said = (
        (card.state, card.word, card.says, card.counting)
        if card
        else ("cured", lane.STATE_WORDS["cured"], "Finished", "")
    )
    key = ("job row", part, row.seq, said, due, place, unit.the_shop.units)

    def draw() -> Markup:
        state, word, says, counting = said
        shown = {
            "state": state,
            "word": word,
            "says": says,
            "counting": counting,
            "due": due,
            "place": place,
            "done": row.words,
            "system": row.system_name,
            "share": row.share,
            "portrait": section.portrait(row.film, section.Canvas(58, 72)),
        }
        return pages.piece(unit, "/jobs", "jobs/_row.html", part=part, card=shown)

    made: Markup = unit.kept.get(key, draw, lambda html: 500 + 2 * len(html))
    return made


@router.get("/jobs/new")
def new(request: Request, unit: UnitDep, pages: PagesDep, shop: ShopDep, project: str = "") -> Response:
    """Show the form of a new part."""
    return _form(request, unit, pages, Typed({"project": project}))


def _form(request: Request, unit: Unit, pages: PagesDep, typed: Typed, status: int = 200) -> Response:
    # The fullest stacks first: they are what most parts get.
    shelf = shelf_now(unit)
    systems = dict(sorted(shelf.systems.items(), key=lambda item: (-len(item[1].used), item[1].name)))
    return pages.show(
        request,
        unit,
        "jobs/new.html",
        status,
        typed=typed,
        systems=systems,
        project_choices=project_choices(unit),
        space_choices=[(s.uuid, s.name) for s in spaces_by_id(unit).values()],
        substrate_choices=[(key, s.name) for key, s in unit.catalogue.substrates.items()],
        with_isocyanates={key for key, s in systems.items() if _hazardous(shelf, s)},
    )


def _hazardous(shelf: WholeShelf, system: System) -> bool:
    return any("isocyanate" in shelf.products[p].cautions for p in system.products())


@router.post("/jobs/new")
def read_form(request: Request, workshop: WorkshopDep, pages: PagesDep, form: FormDep) -> Response:
    """Make a part, and its project when it is new."""
    with workshop.read() as unit:
        shop = unit.shop
    typed = Typed(form, shop.units if shop else "metric")
    try:
        with workshop.write() as unit:
            part = _make(unit, typed, shop)
    except Refused as refusal:
        typed.notes.update(refusal.notes)
        with workshop.read() as unit:
            return _form(request, unit, pages, typed, 422)
    return RedirectResponse(f"/parts/{part}", 303)


def _make(unit: Unit, typed: Typed, shop: Shop | None) -> UUID:
    if shop is None:
        raise Refused("Set the shop up first.")
    name = typed.text("name", "a name for the part, such as “Headstock casting”")
    area = typed.quantity("area", "area", 0, 10_000)
    space = typed.uuid("space", "Choose the space that the part stands in.")
    project_name = typed.text("project_name")
    project = None
    if chosen := typed.text("project"):
        project = find_project(unit, typed.uuid("project", "This is no project of the list."))
    elif not project_name:
        typed.notes["project_name"] = "Name a new project, or choose one."
    if chosen and project is None:
        typed.notes["project_name"] = "Choose a project of the list, or name a new one."
    if str(typed.values.get("substrate", "")) not in unit.catalogue.substrates:
        typed.notes["substrate"] = "Choose what the part is made of."
    if str(typed.values.get("system", "")) not in shelf_now(unit).systems:
        typed.notes["system"] = "Choose a system from the list."
    if typed.notes or area is None or space is None:
        raise Refused("Something is missing.", typed.notes)
    new_part = NewPart(
        name=name, substrate=typed.text("substrate"), area_m2=area, space=space, system=typed.text("system")
    )
    return add_part(unit, project or add_project(unit, project_name), new_part).uuid

"""Jobs: projects and their parts, and making new ones."""

from uuid import UUID

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response
from sqlalchemy.orm import Session

from cool_sheen.core.coatings.systems import System
from cool_sheen.core.planning.steps import Progress
from cool_sheen.service.climate import look
from cool_sheen.service.desk import Desk, Refused, zone_of
from cool_sheen.service.jobs import NewPart, add_part, add_project, all_projects, spaces_by_id, stand_all
from cool_sheen.service.stock import Stock, stock
from cool_sheen.store.models import Project, Shop
from cool_sheen.web.forms import Typed
from cool_sheen.web.parts import DeskDep, FormDep, PagesDep, SessionDep, ShopDep
from cool_sheen.web.views import lane

router = APIRouter()


@router.get("/jobs")
def jobs(request: Request, desk: DeskDep, pages: PagesDep, opened: SessionDep, shop: ShopDep) -> Response:
    """Show all projects and their parts."""
    standings = {s.part.uuid: s for s in stand_all(desk, opened, look(desk, opened))}
    zone = zone_of(shop)
    cards = {
        uuid: {
            "done": lane.layer_count(found),
            "state": str(found.action.state),
            "word": lane.STATE_WORDS[str(found.action.state)],
            "says": found.action.says,
            "due": lane.clock_time(found.action.counts_to, zone, desk.now()) if found.action.counts_to else "",
            "counting": found.action.counting,
            "place": found.space.name,
            "portrait": lane.portrait(found),
            "share": _share(found.steps),
        }
        for uuid, found in standings.items()
    }
    return pages.show(request, opened, "jobs/page.html", projects=all_projects(opened), cards=cards)


def _share(steps: list[Progress]) -> int:
    done = sum(p.status == "done" for p in steps)
    return round(100 * done / max(1, len(steps)))


@router.get("/jobs/new")
def new(
    request: Request, desk: DeskDep, pages: PagesDep, opened: SessionDep, shop: ShopDep, project: str = ""
) -> Response:
    """Show the form of a new part."""
    return _form(request, desk, pages, opened, Typed({"project": project}))


def _form(request: Request, desk: Desk, pages: PagesDep, opened: Session, typed: Typed, status: int = 200) -> Response:
    # The fullest stacks first: they are what most parts get.
    shelf = stock(desk, opened)
    systems = dict(sorted(shelf.systems.items(), key=lambda item: (-len(item[1].used), item[1].name)))
    return pages.show(
        request,
        opened,
        "jobs/new.html",
        status,
        typed=typed,
        systems=systems,
        projects=all_projects(opened),
        project_choices=[(p.uuid, p.name) for p in all_projects(opened)],
        space_choices=[(s.uuid, s.name) for s in spaces_by_id(opened).values()],
        substrate_choices=[(key, s.name) for key, s in desk.catalogue.substrates.items()],
        with_isocyanates={key for key, s in systems.items() if _hazardous(shelf, s)},
    )


def _hazardous(shelf: Stock, system: System) -> bool:
    return any("isocyanate" in shelf.products[p].cautions for p in system.products())


@router.post("/jobs/new")
def read_form(request: Request, desk: DeskDep, pages: PagesDep, form: FormDep) -> Response:
    """Make a part, and its project when it is new."""
    with desk.open() as opened:
        shop = desk.shop(opened)
    typed = Typed(form, shop.units if shop else "metric")
    try:
        with desk.open() as opened:
            part = _make(desk, opened, typed, shop)
    except Refused as refusal:
        typed.notes.update(refusal.notes)
        with desk.open() as opened:
            return _form(request, desk, pages, opened, typed, 422)
    return RedirectResponse(f"/parts/{part}", 303)


def _make(desk: Desk, opened: Session, typed: Typed, shop: Shop | None) -> UUID:
    if shop is None:
        raise Refused("Set the shop up first.")
    name = typed.text("name", "a name for the part, such as “Headstock casting”")
    area = typed.quantity("area", "area", 0, 10_000)
    space = typed.uuid("space", "Choose the space that the part stands in.")
    project_name = typed.text("project_name")
    project = None
    if chosen := typed.text("project"):
        project = opened.get(Project, typed.uuid("project", "This is no project of the list."))
    elif not project_name:
        typed.notes["project_name"] = "Name a new project, or choose one."
    if chosen and project is None:
        typed.notes["project_name"] = "Choose a project of the list, or name a new one."
    if str(typed.values.get("substrate", "")) not in desk.catalogue.substrates:
        typed.notes["substrate"] = "Choose what the part is made of."
    if str(typed.values.get("system", "")) not in stock(desk, opened).systems:
        typed.notes["system"] = "Choose a system from the list."
    if typed.notes or area is None or space is None:
        raise Refused("Something is missing.", typed.notes)
    new_part = NewPart(
        name=name, substrate=typed.text("substrate"), area_m2=area, space=space, system=typed.text("system")
    )
    return add_part(desk, opened, project or add_project(desk, opened, project_name), new_part).uuid

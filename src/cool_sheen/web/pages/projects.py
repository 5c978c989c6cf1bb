"""A project: for whom, in which colour, for how much, by when; put away, brought back, or deleted."""

from typing import Any
from uuid import UUID

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response

from cool_sheen.service import tending
from cool_sheen.service.jobs import add_project
from cool_sheen.service.unit import Unit
from cool_sheen.store import statuses
from cool_sheen.store.models import Project
from cool_sheen.web.depends import FormDep, PagesDep, ShopDep, UnitDep, WorkshopDep
from cool_sheen.web.forms import Typed
from cool_sheen.web.pages.form_posts import changed

router = APIRouter(prefix="/projects")
LABELS = {
    "name": "name", "customer": "customer", "contact": "how they are reached", "colour": "colour", "price": "price",
    "due": "usable by", "note": "note",
}  # fmt: skip


def _values(unit: Unit, project: Project) -> dict[str, str]:
    due = project.due_at.astimezone(unit.zone) if project.due_at else None
    return {
        "name": project.name,
        "customer": project.customer,
        "contact": project.contact,
        "colour": project.colour,
        "price": "" if project.price is None else str(project.price),
        "due": f"{due:%Y-%m-%dT%H:%M}" if due else "",
        "note": project.note,
    }


@router.get("/new")
def new(request: Request, unit: UnitDep, pages: PagesDep, shop: ShopDep) -> Response:
    """Show the form of a new project."""
    return _show(request, unit, pages, Typed({}, shop.units), None)


@router.post("/new")
def make(request: Request, workshop: WorkshopDep, pages: PagesDep, form: FormDep) -> Response:
    """Make a project without a part yet."""
    made: list[UUID] = []

    def do(unit: Unit, typed: Typed) -> None:
        said = _said(unit, typed)
        project = add_project(unit, said.name)
        tending.keep_project(unit, project.uuid, said)
        made.append(project.uuid)

    def show(request: Request, unit: Unit, pages: PagesDep, typed: Typed, status: int = 200) -> Response:
        return _show(request, unit, pages, typed, None, status)

    answer = changed(request, workshop, pages, form, do, "/jobs", show)
    return RedirectResponse(f"/projects/{made[0]}", 303) if made else answer


@router.get("/{uuid}")
def page(request: Request, uuid: UUID, unit: UnitDep, pages: PagesDep, shop: ShopDep) -> Response:
    """Show a project as a form, with its parts."""
    project = tending.find_project(unit, uuid)
    return _show(request, unit, pages, Typed.of(_values(unit, project), shop.units), project)


def _show(
    request: Request, unit: Unit, pages: PagesDep, typed: Typed, project: Project | None, status: int = 200
) -> Response:
    parts = tending.parts_in(unit, project.uuid) if project else []
    return pages.show(
        request,
        unit,
        "tend/project.html",
        status,
        typed=typed,
        project=project,
        parts=parts,
        kept=statuses.of_parts(unit.settled(), [part.uuid for part in parts]),
        worked_on={part.uuid for part in parts if tending.was_worked_on(unit, part.uuid)},
    )


def _said(unit: Unit, typed: Typed) -> tending.ProjectSaid:
    said: dict[str, Any] = {
        "name": typed.text("name", "a name, such as “Toolroom lathe”"),
        "customer": typed.text("customer", most=120),
        "contact": typed.text("contact", most=120),
        "colour": typed.text("colour", most=120),
        "price": typed.money("price"),
        "due_at": typed.moment("due", unit.zone),
        "note": typed.text("note", most=2000),
    }
    typed.stop()
    return tending.ProjectSaid.model_validate(said)


@router.post("/{uuid}")
def save(request: Request, uuid: UUID, workshop: WorkshopDep, pages: PagesDep, form: FormDep) -> Response:
    """Keep what is said of a project; archive it, bring it back, or delete it."""

    def do(unit: Unit, typed: Typed) -> None:
        done = {
            "archive": tending.archive_project,
            "back": tending.bring_project_back,
            "delete": tending.delete_project,
        }.get(typed.text("op"))
        if done is not None:
            done(unit, uuid)
            return
        said = _said(unit, typed)
        typed.check_seen(_values(unit, tending.find_project(unit, uuid)), LABELS)
        tending.keep_project(unit, uuid, said)

    def show(request: Request, unit: Unit, pages: PagesDep, typed: Typed, status: int = 200) -> Response:
        project = tending.find_project(unit, uuid)
        if "name" not in typed.values:  # one of the buttons below the form
            typed.values = {**Typed.of(_values(unit, project), typed.units).values}
        return _show(request, unit, pages, typed, project, status)

    gone = form.get("op") == "delete"
    return changed(request, workshop, pages, form, do, "/jobs" if gone else f"/projects/{uuid}", show)

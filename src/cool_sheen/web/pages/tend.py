"""A part tended: renamed, moved, put in order, set aside, archived, brought back, deleted; and the same again."""

from uuid import UUID

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response

from cool_sheen.service import tending
from cool_sheen.service.jobs import find_part, kinds_of_parts, project_choices
from cool_sheen.service.same_again import MOST, Alike, same_again
from cool_sheen.service.unit import Unit
from cool_sheen.store.models import Part
from cool_sheen.web.depends import FormDep, PagesDep, ShopDep, UnitDep, WorkshopDep
from cool_sheen.web.forms import Typed
from cool_sheen.web.pages.form_posts import changed

router = APIRouter(prefix="/parts/{uuid}")
LABELS = {
    "name": "name",
    "project": "project",
    "after": "comes after",
    "lands": "what lands on it",
    "kind": "kind of thing",
}
_ALIKE = {"count": "1", "zones": "1", "system": "1"}


def _values(part: Part) -> dict[str, str]:
    return {
        "name": part.name,
        "project": str(part.project_uuid),
        "after": str(part.after_uuid) if part.after_uuid else "",
        "kind": part.kind,
        "lands": "" if part.lands_pct is None else f"{part.lands_pct:g}",
    }


@router.get("/tend")
def page(request: Request, uuid: UUID, unit: UnitDep, pages: PagesDep, shop: ShopDep) -> Response:
    """Show a part's name, project and order as a form, and what can be done with the part as a whole."""
    typed = Typed.of(_values(find_part(unit, uuid)), shop.units)
    typed.values = {**typed.values, **_ALIKE, "to_project": typed.values["project"]}
    return _show(request, unit, pages, typed, uuid)


def _show(request: Request, unit: Unit, pages: PagesDep, typed: Typed, uuid: UUID, status: int = 200) -> Response:
    part = find_part(unit, uuid)
    projects = project_choices(unit)
    if part.project_uuid not in dict(projects):  # archived, and the part with it
        projects = [(part.project_uuid, part.project.name), *projects]
    return pages.show(
        request,
        unit,
        "tend/part.html",
        status,
        typed=typed,
        part=part,
        projects=projects,
        others=tending.parts_to_follow(unit, part),
        is_worked_on=tending.was_worked_on(unit, uuid),
        most=MOST,
        kinds=kinds_of_parts(unit),
    )


@router.post("/tend")
def save(request: Request, uuid: UUID, workshop: WorkshopDep, pages: PagesDep, form: FormDep) -> Response:
    """Keep a part's name, project and order; or set it aside, archive it, bring it back, delete it."""
    op = str(form.get("op", ""))

    def do(unit: Unit, typed: Typed) -> None:
        if op in (tending.ASIDE, tending.ARCHIVED):
            tending.put_away(unit, uuid, op)
        elif op == "back":
            tending.bring_back(unit, uuid)
        elif op == "delete":
            tending.delete_part(unit, uuid)
        else:
            _keep(unit, typed, uuid)

    def show(request: Request, unit: Unit, pages: PagesDep, typed: Typed, status: int = 200) -> Response:
        if op:  # one of the buttons below the form
            typed.values = Typed.of(_values(find_part(unit, uuid)), typed.units).values
        typed.values = {**_ALIKE, "to_project": str(find_part(unit, uuid).project_uuid), **typed.values}
        return _show(request, unit, pages, typed, uuid, status)

    back = "/jobs" if op in ("delete", tending.ARCHIVED) else f"/parts/{uuid}"
    return changed(request, workshop, pages, form, do, back, show)


def _keep(unit: Unit, typed: Typed, uuid: UUID) -> None:
    name = typed.text("name", "a name for the part, such as “Headstock casting”")
    project = typed.uuid("project", "Choose a project of the list.")
    after = typed.uuid("after", "Choose a part of the list.") if typed.text("after") else None
    lands = typed.number("lands", 5, 100)
    kind = typed.text("kind", most=40)
    typed.stop()
    typed.check_seen(_values(find_part(unit, uuid)), LABELS)
    assert project is not None
    said = tending.PartSaid(name=name, project=project, after=after, lands_pct=lands, kind=kind)
    tending.keep_part(unit, uuid, said)


@router.get("/again")
def again_by_address(uuid: UUID) -> Response:
    """Show the form of this address when it is loaded again."""
    return RedirectResponse(f"/parts/{uuid}/tend", 303)


@router.post("/again")
def again(request: Request, uuid: UUID, workshop: WorkshopDep, pages: PagesDep, form: FormDep) -> Response:
    """Make parts like this one."""
    made: list[Part] = []
    where: list[UUID] = []

    def do(unit: Unit, typed: Typed) -> None:
        count = typed.number("count", 1, MOST)
        if count is None or count != int(count):
            typed.notes["count"] = f"Enter a whole number from 1 to {MOST}."
        project = typed.uuid("to_project", "Choose a project of the list.")
        typed.stop()
        alike = Alike(int(count or 1), project or uuid, *(typed.flag(name) for name in ("zones", "system", "coats")))
        made.extend(same_again(unit, uuid, alike))
        where.extend(part.uuid for part in made)

    def show(request: Request, unit: Unit, pages: PagesDep, typed: Typed, status: int = 200) -> Response:
        typed.values = {**Typed.of(_values(find_part(unit, uuid)), typed.units).values, **typed.values}
        return _show(request, unit, pages, typed, uuid, status)

    answer = changed(request, workshop, pages, form, do, "/jobs", show)
    return RedirectResponse(f"/parts/{where[0]}", 303) if len(where) == 1 and answer.status_code == 303 else answer

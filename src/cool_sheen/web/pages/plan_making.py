"""Making plans: asked for, made again, kept to, changed by a way that helps, followed, let go."""

from collections.abc import Callable
from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response

from cool_sheen.core.errors import CoreError
from cool_sheen.core.plan.reach import USES
from cool_sheen.service import plan_answers
from cool_sheen.service.kept_plans import Kept, follow, keep, let_go, said_of, standing
from cool_sheen.service.plan_taking import take as take_up
from cool_sheen.service.planning import (
    Asked,
    BlockedSaid,
    CrewSaid,
    backwards,
    crew_of,
    from_now,
    keep_crew,
    plan_now,
    plan_of,
)
from cool_sheen.service.unit import Refused, Unit
from cool_sheen.web.depends import FormDep, PagesDep, WorkshopDep
from cool_sheen.web.forms import Typed
from cool_sheen.web.pages.form_posts import changed
from cool_sheen.web.pages.plan import projects_of, show, the_plan

router = APIRouter(prefix="/plan")


@router.post("")
def make(request: Request, workshop: WorkshopDep, pages: PagesDep, form: FormDep) -> Response:
    """Plan, and follow the plan."""
    with workshop.read() as unit:
        if unit.shop is None:
            return RedirectResponse("/start", 303)
        typed = Typed(form, unit.shop.units)
        try:
            asked = _asked(unit, typed)
            asked, plan = backwards(unit, asked) if asked.by and not asked.begins else (asked, plan_now(unit, asked))
            said = said_of(unit, plan)
        except (Refused, CoreError) as refusal:
            return told(request, unit, pages, typed, refusal)
    with workshop.write() as unit:
        if asked.crew is not None:
            keep_crew(unit, asked.crew)
        keep(unit, asked, said, name_of(unit, asked))
    return RedirectResponse("/plan", 303)


def told(request: Request, unit: Unit, pages: PagesDep, typed: Typed, refusal: Exception) -> Response:
    """Show the page with what is wrong, and what was typed."""
    typed.notes.update(getattr(refusal, "notes", {}))
    typed.notes.setdefault("form", str(refusal))
    return show(request, unit, pages, typed, getattr(refusal, "status", 422))


def _asked(unit: Unit, typed: Typed) -> Asked:
    """Read the form of a plan. Raises Refused: a field is wrong."""
    crew = {name: _whole(typed, name, 8) for name in ("painters", "guns")}
    begins, by = typed.moment("begins", unit.zone), typed.moment("by", unit.zone)
    if by is not None and by <= unit.now:
        typed.notes["by"] = "That is past: enter when it has to be usable, from now on."
    if begins is not None and begins < unit.now:
        begins = None
    use = typed.text("use") or "handle"
    if use not in USES:
        typed.notes["use"] = "Choose from the list."
    blocked = _blocked(unit, typed)
    known = {uuid for uuid, _, _ in projects_of(unit)}
    typed.stop()
    return Asked(
        projects=tuple(uuid for uuid in typed.ticked("project") if uuid in known),
        begins=begins,
        by=by,
        use=use,
        crew=CrewSaid(helper=typed.flag("helper"), **crew),
        blocked=tuple(blocked),
    )


def _whole(typed: Typed, name: str, most: int) -> int:
    found = typed.number(name, 1, most)
    if found is None or found != int(found):
        typed.notes.setdefault(name, f"Enter a whole number from 1 to {most}.")
        return 1
    return int(found)


def _blocked(unit: Unit, typed: Typed) -> list[BlockedSaid]:
    out = []
    for n in range(60):
        if f"off_{n}" not in typed.values and f"off_to_{n}" not in typed.values:
            break
        since, to = typed.moment(f"off_{n}", unit.zone), typed.moment(f"off_to_{n}", unit.zone)
        if since is None and to is None:
            continue
        if since is None or to is None or to <= since:
            typed.notes.setdefault(f"off_to_{n}", "Enter from when to when nobody works: the end after the begin.")
            continue
        out.append(BlockedSaid(since=since, to=to, why=typed.text(f"off_why_{n}")))
    return out


def name_of(unit: Unit, asked: Asked) -> str:
    """Name a plan by what it is about, who works, and when it was made."""
    names = [name for uuid, name, _ in projects_of(unit) if uuid in asked.projects]
    about = ", ".join(names[:3]) + (" and others" if len(names) > 3 else "") if names else "All projects"
    crew = asked.crew or crew_of(unit)
    hands = [f"{crew.painters} painters"] if crew.painters > 1 else []
    hands += ["a helper"] if crew.helper else []
    hands += [f"{crew.guns} guns"] if crew.guns > 1 else []
    about = ", ".join([about, *hands])
    return f"{about}, {unit.now.astimezone(unit.zone):%a %-d %b %H:%M}"


def plan_again(
    request: Request,
    workshop: WorkshopDep,
    pages: PagesDep,
    change: Callable[[Unit, Kept], Asked],
    form: dict[str, Any],
) -> Response:
    """Plan again with something changed about what was asked, and follow that."""
    with workshop.read() as unit:
        typed = Typed(form, unit.the_shop.units)
        try:
            asked = change(unit, the_plan(unit))
            said = said_of(unit, plan_of(unit, asked))
        except (Refused, CoreError) as refusal:
            return told(request, unit, pages, typed, refusal)
    with workshop.write() as unit:
        keep(unit, asked, said, name_of(unit, asked))
    return RedirectResponse("/plan", 303)


@router.post("/again")
def again(request: Request, workshop: WorkshopDep, pages: PagesDep, form: FormDep) -> Response:
    """Plan again from what is done by now: as asked, at the best from here on."""
    return plan_again(request, workshop, pages, lambda unit, plan: from_now(unit, plan.asked), form)


@router.post("/keep-to")
def keep_to(request: Request, workshop: WorkshopDep, pages: PagesDep, form: FormDep) -> Response:
    """Take the plan over as it is by now: what still can be stays where it was, the rest moves."""
    with workshop.read() as unit:
        plan = the_plan(unit)
        now = standing(unit, plan).again
        if now is None:
            raise Refused("Nothing of this plan is left to be done.", status=409)
        asked, said = from_now(unit, plan.asked), said_of(unit, now)
    with workshop.write() as unit:
        keep(unit, asked, said, name_of(unit, asked))
    return RedirectResponse("/plan", 303)


@router.post("/follow")
def take(request: Request, workshop: WorkshopDep, pages: PagesDep, form: FormDep) -> Response:
    """Follow a plan that was kept."""

    def do(unit: Unit, typed: Typed) -> None:
        uuid = typed.uuid("plan", "There is no such plan any more: choose another.")
        typed.stop()
        if uuid is not None:
            follow(unit, uuid)

    return changed(request, workshop, pages, form, do, "/plan", show)


@router.post("/let-go")
def drop(request: Request, workshop: WorkshopDep, pages: PagesDep, form: FormDep) -> Response:
    """Follow no plan any more."""
    return changed(request, workshop, pages, form, lambda unit, _: let_go(unit), "/plan", show)


@router.post("/ways/stop")
def stop_asking(request: Request, workshop: WorkshopDep, form: FormDep) -> Response:
    """Let what would help be: nothing more is worked out."""
    plan_answers.stop_asking(workshop)
    return RedirectResponse("/plan#ways", 303)


@router.post("/ways")
def take_way(request: Request, workshop: WorkshopDep, pages: PagesDep, form: FormDep) -> Response:
    """Do what a way says, and plan with it."""
    taken: list[Asked] = []

    def do(unit: Unit, typed: Typed) -> None:
        plan = the_plan(unit)
        taken.append(take_up(unit, from_now(unit, plan.asked), typed.text("way", "a way of the list", most=200)))

    answer = changed(request, workshop, pages, form, do, "/plan", show)
    return plan_again(request, workshop, pages, lambda unit, plan: taken[0], form) if taken else answer

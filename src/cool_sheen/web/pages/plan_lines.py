"""One line of a plan: why it stands there, what would have it sooner, and what moves when it is put elsewhere."""

from datetime import timedelta
from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import Response

from cool_sheen.service.kept_plans import Kept, LineSaid, said_of
from cool_sheen.service.plan_answers import question_of
from cool_sheen.service.planning import Asked, PinSaid, from_now, plan_now
from cool_sheen.service.run_sheet import run_sheet
from cool_sheen.service.unit import Missing, Unit
from cool_sheen.web.depends import FormDep, PagesDep, ShopDep, UnitDep, WorkshopDep
from cool_sheen.web.forms import Typed
from cool_sheen.web.pages.plan import the_plan
from cool_sheen.web.pages.plan_making import plan_again
from cool_sheen.web.views import calendar

router = APIRouter(prefix="/plan")
_A_LITTLE = timedelta(minutes=5)


@router.get("/lines/{n}")
def line(request: Request, n: int, unit: UnitDep, pages: PagesDep, shop: ShopDep) -> Response:
    """Say why a step stands where it does."""
    plan, found = _line(unit, n)
    return _about(request, unit, pages, plan, found, Typed({}, shop.units))


def _line(unit: Unit, n: int) -> tuple[Kept, LineSaid]:
    plan = the_plan(unit)
    found = next((line for line in plan.said.lines if line.n == n), None)
    if found is None:
        raise Missing("line of the plan")
    return plan, found


def _about(
    request: Request, unit: Unit, pages: PagesDep, plan: Kept, line: LineSaid, typed: Typed, **more: Any
) -> Response:
    sheet = next((row for row in run_sheet(unit, plan, None).lines if row.line.n == line.n), None)
    context = {
        "plan": plan,
        "line": line,
        "row": sheet,
        "whys": calendar.why(line),
        "typed": typed,
        "moved": None,
        "sooner": None,
        "question": None,
        "then": f"/plan/lines/{line.n}/sooner",
        "target": "#why",
        **more,
    }
    status = 422 if typed.notes else 200
    if request.headers.get("HX-Request"):
        return pages.show(request, unit, "plan/_line.html", status, **context)
    return pages.show(request, unit, "plan/line.html", status, **context)


@router.get("/lines/{n}/move")
def look_at_move(request: Request, n: int, unit: UnitDep, pages: PagesDep, shop: ShopDep) -> Response:
    """Say what moves, and what breaks, if a step were put elsewhere; nothing is changed."""
    plan, found = _line(unit, n)
    typed = Typed(dict(request.query_params), shop.units)
    pinned = _pinned(unit, plan, found, typed)
    if pinned is None:
        return _about(request, unit, pages, plan, found, typed)
    asked = plan.asked.model_copy(update={"begins": None, "pins": pinned})
    moved = calendar.compared(plan.said, said_of(unit, plan_now(unit, asked)), found)
    return _about(request, unit, pages, plan, found, typed, moved=moved)


@router.get("/lines/{n}/sooner")
def sooner(request: Request, n: int, unit: UnitDep, pages: PagesDep, shop: ShopDep, again: bool = False) -> Response:
    """What would have a step begin sooner, each way worked out."""
    plan, found = _line(unit, n)
    question = question_of(unit, plan, again=again)
    if question.answer is None:
        return _about(request, unit, pages, plan, found, Typed({}, shop.units), question=question)
    named = ((way, way.begins_step(found.part, found.step)) for way in question.answer.ways)
    ahead = sorted(((way, at) for way, at in named if at and found.start - at > _A_LITTLE), key=lambda row: row[1])
    return _about(request, unit, pages, plan, found, Typed({}, shop.units), sooner=ahead)


def _pinned(unit: Unit, plan: Kept, line: LineSaid, typed: Typed) -> tuple[PinSaid, ...] | None:
    if line.part is None or line.inserted:
        typed.notes["at"] = "This goes with its coats: move one of them."
        return None
    at = typed.moment("at", unit.zone)
    if at is None:
        typed.notes.setdefault("at", "Enter when it is to begin, such as 2026-06-08 14:30.")
    elif at < unit.now - timedelta(minutes=1):
        typed.notes["at"] = "That is past: enter a time to come."
    if at is None or typed.notes:
        return None
    others = tuple(p for p in plan.asked.pins if (p.part, p.step) != (line.part, line.step) and p.at > unit.now)
    return (*others, PinSaid(part=line.part, step=line.step, at=at))


@router.post("/lines/{n}/move")
def move(request: Request, n: int, workshop: WorkshopDep, pages: PagesDep, form: FormDep) -> Response:
    """Put a step elsewhere; all else is planned around it."""

    def change(unit: Unit, plan: Kept) -> Asked:
        _, found = _line(unit, n)
        typed = Typed(form, unit.the_shop.units)
        pins = _pinned(unit, plan, found, typed)
        typed.stop()
        return from_now(unit, plan.asked).model_copy(update={"pins": pins or ()})

    return plan_again(request, workshop, pages, change, form)


@router.post("/lines/{n}/free")
def free(request: Request, n: int, workshop: WorkshopDep, pages: PagesDep, form: FormDep) -> Response:
    """Let a step stand where the plan has it best."""

    def change(unit: Unit, plan: Kept) -> Asked:
        _, found = _line(unit, n)
        pins = tuple(p for p in plan.asked.pins if (p.part, p.step) != (found.part, found.step))
        return from_now(unit, plan.asked).model_copy(update={"pins": pins})

    return plan_again(request, workshop, pages, change, form)

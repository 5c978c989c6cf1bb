"""The plan: when everything is done, by whom, why then, and what of it still holds."""

from contextlib import suppress
from datetime import date, datetime, time, timedelta
from typing import Any
from uuid import UUID

from fastapi import APIRouter, Request
from fastapi.responses import Response, StreamingResponse

from cool_sheen.formats.calendar_file import calendar_file
from cool_sheen.service import tightening
from cool_sheen.service.kept_plans import (
    Kept,
    Standing,
    find_plan,
    followed,
    kept_plans,
    next_lines,
    standing,
)
from cool_sheen.service.own_ways import hours_of
from cool_sheen.service.part_now import live_parts
from cool_sheen.service.plan_answers import asked_now, question_of
from cool_sheen.service.planning import (
    Asked,
    crew_of,
    usable_at,
)
from cool_sheen.service.run_sheet import items, run_sheet
from cool_sheen.service.unit import Refused, Unit
from cool_sheen.store.models import Shop
from cool_sheen.web.depends import PagesDep, ShopDep, UnitDep, WorkshopDep
from cool_sheen.web.forms import Typed
from cool_sheen.web.streams import told
from cool_sheen.web.views import band, calendar
from cool_sheen.web.views.ribbon import Frame
from cool_sheen.web.views.tighten import tightening as read

router = APIRouter(prefix="/plan")
USE_WORDS = {"handle": "to be carried", "assemble": "to be fitted together", "full_cure": "for all uses"}
_SOON = 5
_MOST_DAYS = 400
_FAR_OFF = timedelta(days=1000)
_A_LITTLE = timedelta(minutes=5)


@router.get("")
def page(
    request: Request, unit: UnitDep, pages: PagesDep, shop: ShopDep, view: str = "day", day: str = "", guess: str = ""
) -> Response:
    """Show the plan that is followed, or what to do first."""
    return show(request, unit, pages, Typed({"guess": guess}, shop.units), view=view, day=day)


def show(
    request: Request, unit: Unit, pages: PagesDep, typed: Typed, status: int = 200, *, view: str = "day", day: str = ""
) -> Response:
    """Show the page of the plan, with what was typed into its forms."""
    plan, shop = followed(unit), unit.the_shop
    context: dict[str, Any] = {"plan": plan, "typed": _filled(unit, typed, plan), "views": calendar.VIEWS}
    context |= {"projects": projects_of(unit), "uses": list(USE_WORDS.items()), "kept": kept_plans(unit)}
    if plan is not None:
        context |= _calendar(unit, shop, plan, view if view in calendar.VIEWS else "day", day)
        context |= _guess(unit, typed, plan) | found_for(unit, plan)
    return pages.show(request, unit, "plan/page.html", status, **context)


def projects_of(unit: Unit) -> list[tuple[UUID, str, int]]:
    """The projects on which something is to be done, with how many parts."""
    out: dict[UUID, tuple[str, int]] = {}
    for found in live_parts(unit):
        if found.ahead():
            name, count = out.get(found.part.project_uuid, (found.part.project_name, 0))
            out[found.part.project_uuid] = name, count + 1
    return [(uuid, name, count) for uuid, (name, count) in sorted(out.items(), key=lambda item: item[1][0])]


def _filled(unit: Unit, typed: Typed, plan: Kept | None) -> Typed:
    """The form as it stands: what was typed, else as the plan was asked for, else the shop's ways."""
    asked = plan.asked if plan else Asked()
    crew = asked.crew or crew_of(unit)
    there: dict[str, Any] = {
        "painters": str(crew.painters), "guns": str(crew.guns), "helper": "1" if crew.helper else "",
        "by": _local(unit, asked.by), "begins": _local(unit, asked.begins), "use": asked.use,
    }  # fmt: skip
    there |= {f"project_{uuid}": "1" for uuid in asked.projects}
    for n, blocked in enumerate(asked.blocked):
        there |= {f"off_{n}": _local(unit, blocked.since), f"off_to_{n}": _local(unit, blocked.to)}
        there |= {f"off_why_{n}": blocked.why}
    return Typed({**there, **typed.values}, typed.units, typed.notes, typed.asks)


def _local(unit: Unit, at: datetime | None) -> str:
    return f"{at.astimezone(unit.zone):%Y-%m-%dT%H:%M}" if at else ""


def day_of(unit: Unit, text: str, plan: Kept) -> date:
    """Read a day of an address; today, or the first of the plan's that lies ahead, where it is none."""
    today = unit.now.astimezone(unit.zone).date()
    with suppress(ValueError):
        asked = date.fromisoformat(text)
        if abs(asked - today) < _FAR_OFF:
            return asked
    ahead = [line.start.astimezone(unit.zone).date() for line in plan.said.lines if line.end >= unit.now]
    return today if today in ahead or not ahead else min(ahead)


def _calendar(unit: Unit, shop: Shop, plan: Kept, view: str, day: str) -> dict[str, Any]:
    stands, chosen = standing(unit, plan), day_of(unit, day, plan)
    hours = hours_of(shop).on(chosen)
    opens, closes = (hours.opens, hours.closes) if hours else (time(8), time(18))
    frame = calendar.frame_of(view, chosen, unit.zone, plan.said, unit.now, opens, closes)
    step = {"day": 1, "week": 7, "all": 0}[view]
    return {
        "stands": stands,
        "view": view,
        "day": chosen,
        "before": chosen - timedelta(days=step) if step else None,
        "after": chosen + timedelta(days=step) if step else None,
        "picture": calendar.draw(plan.said, frame, unit.zone, stands.done),
        "air": _air(unit, shop, plan, frame),
        "soon": next_lines(stands, _SOON),
        "parts": plan.said.named(),
        "safe": _safe(unit, plan, stands),
    }


def _air(unit: Unit, shop: Shop, plan: Kept, frame: Frame) -> dict[str, Any] | None:
    """The weather of the room in which most is done, and the gate of the next coat there."""
    named = {line.part for line in plan.said.lines if line.part}
    found = [p for p in live_parts(unit) if p.part.uuid in named]
    if not found:
        return None
    rooms = [p.space.uuid for p in found]
    room = max(set(rooms), key=lambda r: (rooms.count(r), str(r)))
    part = next(p for p in found if p.space.uuid == room)
    drawn = band.draw(part.climate.series, frame, unit.zone, height=56, fahrenheit=shop.units == "us")
    return {"room": part.space.name, "band": drawn}


def _safe(unit: Unit, plan: Kept, stands: Standing) -> list[tuple[str, bool]]:
    """Which uses are safe at the date that was asked for."""
    if plan.asked.by is None or stands.again is None:
        return []
    return [(words, usable_at(stands.again, use, plan.asked.by)) for use, words in USE_WORDS.items()]


def found_for(unit: Unit, plan: Kept) -> dict[str, Any]:
    """What is known of a search for something better than a plan."""
    found = tightening.newest(unit, plan.uuid)
    if found is None:
        return {"search": None}
    shown: dict[str, Any] = {"search": found, "told": read(found.told)}
    if found.said is not None and found.is_better:
        shown |= {
            "moved": calendar.compared(plan.said, found.said),
            "otherwise": tightening.changes(unit, plan.asked, found.asked),
        }
    return shown


def _guess(unit: Unit, typed: Typed, plan: Kept) -> dict[str, Any]:
    """One's own guess, against the plan: how far off it is, and where the time goes."""
    days = typed.number("guess", 0, _MOST_DAYS) if typed.text("guess") else None
    if days is None or plan.said.ends is None:
        return {"guess": None}
    takes = (plan.said.ends - plan.said.now).total_seconds() / 86_400
    last = max((p for p in plan.said.parts if p.ends), key=lambda p: p.ends or plan.said.now)
    mine = [line for line in plan.said.lines if line.part == last.part]
    return {"guess": {"days": days, "takes": takes, "last": last, "spent": calendar.spent(mine, plan.said.now)}}


def the_plan(unit: Unit) -> Kept:
    """Return the plan that is followed. Raises Refused: there is none."""
    plan = followed(unit)
    if plan is None:
        raise Refused("No plan is followed: press Plan first.", status=409)
    return plan


@router.get("/ways")
def what_helps(request: Request, unit: UnitDep, pages: PagesDep, shop: ShopDep, again: bool = False) -> Response:
    """What would make the plan shorter, or fit at all, and what it costs to wait; until then, how far that is."""
    plan = the_plan(unit)
    question = question_of(unit, plan, again=again)
    if question.answer is None:
        where: dict[str, Any] = {"question": question, "then": "/plan/ways", "target": "#ways-found"}
        return pages.show(request, unit, "plan/_asking.html", **where)
    found = question.answer.starts
    picture = calendar.draw_starts([(s.begins, s.ends, s.finish) for s in found], unit.now, unit.zone)
    rows = list(zip(found, picture.bars, strict=True))
    context: dict[str, Any] = {
        "plan": plan,
        "ways": question.answer.ways,
        "starts": rows,
        "picture": picture,
        "parts": plan.said.named(),
    }
    return pages.show(request, unit, "plan/_ways.html", **context)


@router.get("/ways/stream")
def ways_stream(workshop: WorkshopDep) -> StreamingResponse:
    """Send how many changes were laid out, as server-sent events, until all are."""

    def look() -> dict[str, Any] | None:
        question = asked_now(workshop)
        if question is None or question.is_over:
            return None
        return {"words": {"done": str(question.done), "of": str(question.of or "–")}, "share": question.share}

    return told(look)


@router.get("/compare")
def compare(request: Request, unit: UnitDep, pages: PagesDep, shop: ShopDep, plan: UUID) -> Response:
    """Show a kept plan beside the one that is followed: what each takes, and what stands elsewhere."""
    mine, other = the_plan(unit), find_plan(unit, plan)
    sides = [(kept, calendar.side_of(kept.said)) for kept in (mine, other)]
    shifts = calendar.compared(mine.said, other.said)
    return pages.show(request, unit, "plan/compare.html", sides=sides, moved=shifts, other=other)


# --- on paper, and elsewhere ------------------------------------------------------------------------------
@router.get("/sheet")
def sheet(request: Request, unit: UnitDep, pages: PagesDep, shop: ShopDep, day: str = "") -> Response:
    """Show the run sheet of a day, to be printed."""
    plan = the_plan(unit)
    chosen, stands = day_of(unit, day, plan), standing(unit, plan)
    made = run_sheet(unit, plan, chosen, stands.done)
    days = sorted({line.start.astimezone(unit.zone).date() for line in plan.said.lines if line.hands_min})
    return pages.show(request, unit, "plan/sheet.html", plan=plan, day=chosen, sheet=made, days=days, stands=stands)


@router.get("/plan.ics")
def as_calendar(unit: UnitDep, shop: ShopDep) -> Response:
    """Send the plan as an iCalendar file."""
    plan = the_plan(unit)
    made = calendar_file(f"{shop.name}: plan", items(unit, plan, standing(unit, plan).done), plan.made_at)
    head = {"Content-Disposition": 'attachment; filename="plan.ics"'}
    return Response(made, media_type="text/calendar; charset=utf-8", headers=head)


@router.get("/holds")
def holds(request: Request, unit: UnitDep, pages: PagesDep, shop: ShopDep) -> Response:
    """Say whether the plan still holds, for a page that is open."""
    plan = the_plan(unit)
    context: dict[str, Any] = {"plan": plan, "stands": standing(unit, plan), "parts": plan.said.named()}
    return pages.show(request, unit, "plan/_holds.html", **context)


@router.get("/strip")
def strip(request: Request, unit: UnitDep, pages: PagesDep, shop: ShopDep) -> Response:
    """What comes next by the plan, for the Bench; nothing where no plan is followed."""
    plan = followed(unit)
    if plan is None:
        return Response("", media_type="text/html")
    stands = standing(unit, plan)
    return pages.show(
        request, unit, "plan/_strip.html", stands=stands, soon=next_lines(stands, 4), parts=plan.said.named()
    )

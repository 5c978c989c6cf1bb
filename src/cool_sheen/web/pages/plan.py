"""The plan: when everything is done, by whom, why then, and what of it still holds."""

from collections.abc import Callable
from contextlib import suppress
from datetime import date, datetime, time, timedelta
from typing import Any
from uuid import UUID

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response

from cool_sheen.core.errors import CoreError
from cool_sheen.core.plan.reach import USES
from cool_sheen.formats.calendar_file import calendar_file
from cool_sheen.service.kept_plans import (
    Kept,
    LineSaid,
    Standing,
    follow,
    followed,
    keep,
    kept_plans,
    let_go,
    next_lines,
    said_of,
    standing,
)
from cool_sheen.service.own_ways import hours_of
from cool_sheen.service.part_now import live_parts
from cool_sheen.service.plan_ways import starts, starts_with, ways
from cool_sheen.service.plan_ways import take as take_up
from cool_sheen.service.planning import (
    Asked,
    BlockedSaid,
    CrewSaid,
    PinSaid,
    backwards,
    crew_of,
    keep_crew,
    plan_now,
    plan_of,
    usable_at,
)
from cool_sheen.service.run_sheet import items, run_sheet
from cool_sheen.service.unit import Missing, Refused, Unit
from cool_sheen.store.models import Shop
from cool_sheen.web.depends import FormDep, PagesDep, ShopDep, UnitDep, WorkshopDep
from cool_sheen.web.forms import Typed
from cool_sheen.web.pages.form_posts import changed
from cool_sheen.web.views import band, calendar
from cool_sheen.web.views.ribbon import Frame

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
    return _show(request, unit, pages, Typed({"guess": guess}, shop.units), view=view, day=day)


def _show(
    request: Request, unit: Unit, pages: PagesDep, typed: Typed, status: int = 200, *, view: str = "day", day: str = ""
) -> Response:
    plan, shop = followed(unit), unit.the_shop
    context: dict[str, Any] = {"plan": plan, "typed": _filled(unit, typed, plan), "views": calendar.VIEWS}
    context |= {"projects": _projects(unit), "uses": list(USE_WORDS.items()), "kept": kept_plans(unit)}
    if plan is not None:
        context |= _calendar(unit, shop, plan, view if view in calendar.VIEWS else "day", day)
        context |= _guess(unit, typed, plan)
    return pages.show(request, unit, "plan/page.html", status, **context)


def _projects(unit: Unit) -> list[tuple[UUID, str, int]]:
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


def _day_of(unit: Unit, text: str, plan: Kept) -> date:
    today = unit.now.astimezone(unit.zone).date()
    with suppress(ValueError):
        asked = date.fromisoformat(text)
        if abs(asked - today) < _FAR_OFF:
            return asked
    ahead = [line.start.astimezone(unit.zone).date() for line in plan.said.lines if line.end >= unit.now]
    return today if today in ahead or not ahead else min(ahead)


def _calendar(unit: Unit, shop: Shop, plan: Kept, view: str, day: str) -> dict[str, Any]:
    stands, chosen = standing(unit, plan), _day_of(unit, day, plan)
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


def _guess(unit: Unit, typed: Typed, plan: Kept) -> dict[str, Any]:
    """One's own guess, against the plan: how far off it is, and where the time goes."""
    days = typed.number("guess", 0, _MOST_DAYS) if typed.text("guess") else None
    if days is None or plan.said.ends is None:
        return {"guess": None}
    takes = (plan.said.ends - plan.said.now).total_seconds() / 86_400
    last = max((p for p in plan.said.parts if p.ends), key=lambda p: p.ends or plan.said.now)
    mine = [line for line in plan.said.lines if line.part == last.part]
    return {"guess": {"days": days, "takes": takes, "last": last, "spent": calendar.spent(mine, plan.said.now)}}


# --- making plans ---------------------------------------------------------------------------------------
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
            return _refused(request, unit, pages, typed, refusal)
    with workshop.write() as unit:
        if asked.crew is not None:
            keep_crew(unit, asked.crew)
        keep(unit, asked, said, _name(unit, asked))
    return RedirectResponse("/plan", 303)


def _refused(request: Request, unit: Unit, pages: PagesDep, typed: Typed, refusal: Exception) -> Response:
    typed.notes.update(getattr(refusal, "notes", {}))
    typed.notes.setdefault("form", str(refusal))
    return _show(request, unit, pages, typed, getattr(refusal, "status", 422))


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
    known = {uuid for uuid, _, _ in _projects(unit)}
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


def _name(unit: Unit, asked: Asked) -> str:
    names = [name for uuid, name, _ in _projects(unit) if uuid in asked.projects]
    about = ", ".join(names[:3]) + (" and others" if len(names) > 3 else "") if names else "All projects"
    return f"{about}, {unit.now.astimezone(unit.zone):%a %-d %b %H:%M}"


def _change(
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
            asked = change(unit, _followed(unit))
            said = said_of(unit, plan_of(unit, asked))
        except (Refused, CoreError) as refusal:
            return _refused(request, unit, pages, typed, refusal)
    with workshop.write() as unit:
        keep(unit, asked, said, _name(unit, asked))
    return RedirectResponse("/plan", 303)


@router.post("/again")
def again(request: Request, workshop: WorkshopDep, pages: PagesDep, form: FormDep) -> Response:
    """Plan again from what is done by now: as asked, at the best from here on."""
    return _change(request, workshop, pages, lambda unit, plan: _from_now(unit, plan.asked), form)


@router.post("/keep-to")
def keep_to(request: Request, workshop: WorkshopDep, pages: PagesDep, form: FormDep) -> Response:
    """Take the plan over as it is by now: what still can be stays where it was, the rest moves."""
    with workshop.read() as unit:
        plan = _followed(unit)
        now = standing(unit, plan).again
        if now is None:
            raise Refused("Nothing of this plan is left to be done.", status=409)
        asked, said = _from_now(unit, plan.asked), said_of(unit, now)
    with workshop.write() as unit:
        keep(unit, asked, said, _name(unit, asked))
    return RedirectResponse("/plan", 303)


def _from_now(unit: Unit, asked: Asked) -> Asked:
    begins = asked.begins if asked.begins and asked.begins > unit.now else None
    return asked.model_copy(update={"begins": begins, "pins": tuple(p for p in asked.pins if p.at > unit.now)})


def _followed(unit: Unit) -> Kept:
    plan = followed(unit)
    if plan is None:
        raise Refused("No plan is followed: press Plan first.", status=409)
    return plan


@router.post("/follow")
def take(request: Request, workshop: WorkshopDep, pages: PagesDep, form: FormDep) -> Response:
    """Follow a plan that was kept."""

    def do(unit: Unit, typed: Typed) -> None:
        uuid = typed.uuid("plan", "There is no such plan any more: choose another.")
        typed.stop()
        if uuid is not None:
            follow(unit, uuid)

    return changed(request, workshop, pages, form, do, "/plan", _show)


@router.post("/let-go")
def drop(request: Request, workshop: WorkshopDep, pages: PagesDep, form: FormDep) -> Response:
    """Follow no plan any more."""
    return changed(request, workshop, pages, form, lambda unit, _: let_go(unit), "/plan", _show)


@router.get("/ways")
def what_helps(request: Request, unit: UnitDep, pages: PagesDep, shop: ShopDep) -> Response:
    """What would make the plan shorter, or fit at all, and what it costs to wait."""
    plan = _followed(unit)
    found = starts(unit, plan)
    picture = calendar.draw_starts([(s.begins, s.plan.ends, s.risk.finish) for s in found], unit.now, unit.zone)
    rows = list(zip(found, picture.bars, strict=True))
    context: dict[str, Any] = {
        "plan": plan,
        "ways": ways(unit, plan),
        "starts": rows,
        "picture": picture,
        "parts": plan.said.named(),
    }
    return pages.show(request, unit, "plan/_ways.html", **context)


@router.post("/ways")
def take_way(request: Request, workshop: WorkshopDep, pages: PagesDep, form: FormDep) -> Response:
    """Do what a way says, and plan with it."""
    taken: list[Asked] = []

    def do(unit: Unit, typed: Typed) -> None:
        plan = _followed(unit)
        taken.append(take_up(unit, _from_now(unit, plan.asked), typed.text("way", "a way of the list", most=200)))

    answer = changed(request, workshop, pages, form, do, "/plan", _show)
    return _change(request, workshop, pages, lambda unit, plan: taken[0], form) if taken else answer


# --- one line ------------------------------------------------------------------------------------------
@router.get("/lines/{n}")
def line(request: Request, n: int, unit: UnitDep, pages: PagesDep, shop: ShopDep) -> Response:
    """Say why a step stands where it does."""
    plan, found = _line(unit, n)
    return _about(request, unit, pages, plan, found, Typed({}, shop.units))


def _line(unit: Unit, n: int) -> tuple[Kept, LineSaid]:
    plan = _followed(unit)
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
def sooner(request: Request, n: int, unit: UnitDep, pages: PagesDep, shop: ShopDep) -> Response:
    """What would have a step begin sooner, each way worked out."""
    plan, found = _line(unit, n)
    named = ((way, starts_with(way, found.part, found.step)) for way in ways(unit, plan))
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
        return _from_now(unit, plan.asked).model_copy(update={"pins": pins or ()})

    return _change(request, workshop, pages, change, form)


@router.post("/lines/{n}/free")
def free(request: Request, n: int, workshop: WorkshopDep, pages: PagesDep, form: FormDep) -> Response:
    """Let a step stand where the plan has it best."""

    def change(unit: Unit, plan: Kept) -> Asked:
        _, found = _line(unit, n)
        pins = tuple(p for p in plan.asked.pins if (p.part, p.step) != (found.part, found.step))
        return _from_now(unit, plan.asked).model_copy(update={"pins": pins})

    return _change(request, workshop, pages, change, form)


# --- on paper, and elsewhere ------------------------------------------------------------------------------
@router.get("/sheet")
def sheet(request: Request, unit: UnitDep, pages: PagesDep, shop: ShopDep, day: str = "") -> Response:
    """Show the run sheet of a day, to be printed."""
    plan = _followed(unit)
    chosen, stands = _day_of(unit, day, plan), standing(unit, plan)
    made = run_sheet(unit, plan, chosen, stands.done)
    days = sorted({line.start.astimezone(unit.zone).date() for line in plan.said.lines if line.hands_min})
    return pages.show(request, unit, "plan/sheet.html", plan=plan, day=chosen, sheet=made, days=days, stands=stands)


@router.get("/plan.ics")
def as_calendar(unit: UnitDep, shop: ShopDep) -> Response:
    """Send the plan as an iCalendar file."""
    plan = _followed(unit)
    made = calendar_file(f"{shop.name}: plan", items(unit, plan, standing(unit, plan).done), plan.made_at)
    head = {"Content-Disposition": 'attachment; filename="plan.ics"'}
    return Response(made, media_type="text/calendar; charset=utf-8", headers=head)


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

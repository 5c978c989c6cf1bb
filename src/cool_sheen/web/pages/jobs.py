"""Jobs: projects and their parts, and making new ones."""

from datetime import date, datetime, time, timedelta
from urllib.parse import urlencode
from uuid import UUID
from zoneinfo import ZoneInfo

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response
from markupsafe import Markup

from cool_sheen.core.coatings.systems import System
from cool_sheen.service.finding import ARCHIVED, ASIDE, FINISHED, LIVE, Wanted, projects_page, words_of
from cool_sheen.service.jobs import (
    NewPart,
    PartFacts,
    add_part,
    add_project,
    find_project,
    kinds_of_parts,
    project_choices,
    spaces_by_id,
    still_first,
)
from cool_sheen.service.part_now import live_parts
from cool_sheen.service.shelf_now import WholeShelf, shelf_now
from cool_sheen.service.unit import Refused, Unit
from cool_sheen.store import statuses
from cool_sheen.store.models import PartStatus, Shop
from cool_sheen.web.depends import FormDep, PagesDep, ShopDep, UnitDep, WorkshopDep
from cool_sheen.web.forms import Typed, is_place
from cool_sheen.web.lane_cards import Card, card_of
from cool_sheen.web.templating import Pages
from cool_sheen.web.views import lane, section

router = APIRouter()


@router.get("/jobs")
def jobs(request: Request, unit: UnitDep, pages: PagesDep, shop: ShopDep) -> Response:
    """Show projects and their parts, a page of them: those with live parts first, then the newest; or those found."""
    typed = Typed(dict(request.query_params), shop.units)
    cards = {p.part.uuid: card_of(unit, pages, p) for p in live_parts(unit)}
    wanted = _wanted(unit, typed, cards)
    number = str(typed.values.get("page", "1"))
    found = projects_page(unit, int(number) if is_place(number) else 1, wanted)
    kept = statuses.of_parts(unit.settled(), [part.uuid for project in found.projects for part in project.parts])
    spaces = {s.uuid: s.name for s in spaces_by_id(unit).values()}
    first = still_first(unit)
    rows = {
        part.uuid: _row(unit, pages, part, kept[part.uuid], cards.get(part.uuid), spaces, first)
        for project in found.projects
        for part in project.parts
    }
    asked = {name: typed.text(name) for name in _ASKED if typed.text(name)}
    return pages.show(
        request,
        unit,
        "jobs/page.html",
        422 if typed.notes else 200,
        found=found,
        rows=rows,
        typed=typed,
        query="".join(f"&{urlencode({name: value})}" for name, value in asked.items()),
        is_asked=bool(asked),
        is_narrowed=bool(set(asked) - {"find"}),
        state_choices=_STATES,
        space_choices=list(spaces.items()),
        product_choices=sorted(((p.key, p.name) for p in shelf_now(unit).products.values()), key=lambda pair: pair[1]),
    )


_ASKED = ("find", "state", "space", "product", "since", "until")
_STATES = [
    (LIVE, "live"),
    *((f"is-{state}", f"live: {lane.STATE_WORDS[state]}") for state in lane.URGENCY if state != "done"),
    (FINISHED, "finished"), (ASIDE, "set aside"), (ARCHIVED, "archived"),
]  # fmt: skip


def _wanted(unit: Unit, typed: Typed, cards: dict[UUID, Card]) -> Wanted:
    """What is looked for; a field that is wrong gets its note, and counts for nothing."""
    state = typed.text("state")
    if state and state not in dict(_STATES):
        typed.notes["state"] = "Choose from the list."
        state = ""
    film = state.removeprefix("is-") if state.startswith("is-") else ""
    space = typed.uuid("space", "Choose a space of the list.") if typed.text("space") else None
    since, until = (_day(typed, name, unit.zone) for name in ("since", "until"))
    if since and until and until < since:
        typed.notes["until"] = "The last day comes after the first one."
    return Wanted(
        words=words_of(typed.text("find")),
        state=LIVE if film else state,
        parts=frozenset(uuid for uuid, card in cards.items() if card.state == film) if film else None,
        space=space,
        product=typed.text("product", most=200),
        since=since,
        until=until + timedelta(days=1) if until else None,
    )


def _day(typed: Typed, name: str, zone: ZoneInfo) -> datetime | None:
    text = typed.text(name)
    if not text:
        return None
    try:
        return datetime.combine(date.fromisoformat(text), time(0), zone)
    except ValueError:
        typed.notes[name] = "Enter a day, such as 2026-06-08."
        return None


def _row(
    unit: Unit,
    pages: Pages,
    part: PartFacts,
    row: PartStatus,
    card: Card | None,
    spaces: dict[UUID, str],
    first: dict[UUID, str],
) -> Markup:
    """What a list says of a part, by its kept status and while it is live by its lane; kept as it was rendered."""
    place = spaces.get(row.space_uuid, "") if row.space_uuid else ""
    due = lane.clock_time(card.counts_to, unit.zone, unit.now) if card and card.counts_to else ""
    said = _said(part, row, card)
    after = first.get(part.after, "") if part.after else ""
    key = ("job row", part, row.seq, said, due, place, after, unit.the_shop.units)

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
            "after": after,
            "portrait": section.portrait(row.film, section.Canvas(58, 72)),
        }
        return pages.piece(unit, "/jobs", "jobs/_row.html", part=part, card=shown)

    made: Markup = unit.kept.get(key, draw, lambda html: 500 + 2 * len(html))
    return made


def _said(part: PartFacts, row: PartStatus, card: Card | None) -> tuple[str, str, str, str]:
    """State, its word, what is to be done, and what is counted to."""
    if part.away:
        owed = f"owed: {row.next_label}" if row.next_label else ""
        return "done", "set aside" if part.away == ASIDE else "archived", owed, ""
    if card is not None:
        return card.state, card.word, card.says, card.counting
    return "cured", lane.STATE_WORDS["cured"], "Finished", ""


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
        kinds=kinds_of_parts(unit),
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
    kind = typed.text("kind", most=40)
    if typed.notes or area is None or space is None:
        raise Refused("Something is missing.", typed.notes)
    new_part = NewPart(
        name=name, substrate=typed.text("substrate"), area_m2=area, space=space, system=typed.text("system"), kind=kind
    )
    return add_part(unit, project or add_project(unit, project_name), new_part).uuid

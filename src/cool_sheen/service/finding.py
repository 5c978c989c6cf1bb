"""Finding jobs: by words, state, space, product and date; projects with live parts first, a page at a time."""

from collections.abc import Iterable
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any
from uuid import UUID

from sqlalchemy import ColumnElement, and_, func, or_, select

from cool_sheen.service.jobs import PartFacts, part_facts
from cool_sheen.service.shelf_now import shelf_now
from cool_sheen.service.unit import Unit
from cool_sheen.store import changes
from cool_sheen.store.models import LogEntry, LogTarget, Part, PartStatus, Project

PAGE_PARTS = 24  # a page of jobs has about so many parts
LIVE, FINISHED, ASIDE, ARCHIVED = "live", "finished", "aside", "archived"
_MOST_WORDS = 8
_SHORTEST_OF_A_PRODUCT = 3  # letters: a shorter word is in the name of nearly every product


@dataclass(frozen=True, slots=True)
class Wanted:
    """What is looked for; what is empty counts for nothing.

    Attributes:
        words: Each is in the name of the part, its project, customer, colour or note, or in that of a product of it.
        state: One of the four above, or anything else when ``parts`` says which are meant.
        parts: The parts that are in a state of the film; None where none is asked for.
        space: Where the part stands.
        product: The key of a product of its system.
        since: Something was logged from then on.
        until: Something was logged up to then.
    """

    words: tuple[str, ...] = ()
    state: str = ""
    parts: frozenset[UUID] | None = None
    space: UUID | None = None
    product: str = ""
    since: datetime | None = None
    until: datetime | None = None


ANY = Wanted()


def words_of(text: str) -> tuple[str, ...]:
    """Return the words that somebody typed to find something."""
    return tuple(text.split()[:_MOST_WORDS])


@dataclass(frozen=True)
class ProjectParts:
    """A project with those of its parts that were found."""

    uuid: UUID
    name: str
    customer: str = ""
    colour: str = ""
    due_at: datetime | None = None
    away: str = ""
    is_live: bool = False
    parts: list[PartFacts] = field(default_factory=list)


@dataclass(frozen=True)
class ProjectsPage:
    """Some projects with their parts, and where among all of them these stand."""

    projects: list[ProjectParts]
    page: int
    pages: int
    total: int


_Found = tuple[UUID, int, bool]  # a project, how many of its parts are meant, whether any of them is live


def projects_page(unit: Unit, page: int, wanted: Wanted = ANY) -> ProjectsPage:
    """Return a page of projects with their parts: those with live parts first, the newest at the head.

    Args:
        unit: The unit of work.
        page: Which page, from 1; one that is not there becomes the nearest.
        wanted: What is looked for.
    """
    number = changes.generations(unit.settled()).get(changes.ANYTHING, 0)
    pages: list[list[_Found]] = unit.kept.get(
        ("pages of jobs", number, wanted), lambda: _paged(unit, wanted), lambda made: 400 + 300 * sum(map(len, made))
    )
    page = min(max(1, page), max(1, len(pages)))
    some = pages[page - 1] if pages else []
    parts = _parts_of(unit, wanted, [uuid for uuid, _, _ in some])
    rows = {p.uuid: p for p in unit.session.scalars(select(Project).where(Project.uuid.in_([p for p, _, _ in some])))}
    shown = [
        ProjectParts(uuid, row.name, row.customer, row.colour, row.due_at, row.away, is_live, parts.get(uuid, []))
        for uuid, _, is_live in some
        if (row := rows.get(uuid))
    ]
    return ProjectsPage(shown, page, max(1, len(pages)), sum(map(len, pages)))


def _paged(unit: Unit, wanted: Wanted) -> list[list[_Found]]:
    """All projects that are meant, page by page: none is cut in two, and a page has about as many parts as the next."""
    pages: list[list[_Found]] = []
    room = 0
    for found in _projects(unit, wanted):
        size = found[1]
        if size > room or not pages:
            pages.append([])
            room = PAGE_PARTS
        pages[-1].append(found)
        room -= max(1, size)
    return pages


def _projects(unit: Unit, wanted: Wanted) -> list[_Found]:
    is_live = and_(PartStatus.finished_at.is_(None), Part.away == "")
    query = (
        select(Part.project_uuid, func.count(), func.max(is_live), Project.created_at, Project.name)
        .join(Project, Project.uuid == Part.project_uuid)
        .join(PartStatus, PartStatus.part_uuid == Part.uuid)
        .where(*_conditions(unit, wanted))
        .group_by(Part.project_uuid)
    )
    rows = [(uuid, parts, bool(live), made, name) for uuid, parts, live, made, name in unit.session.execute(query)]
    rows += [(uuid, 0, False, made, name) for uuid, made, name in _without_parts(unit, wanted)]
    rows.sort(key=lambda row: (not row[2], -row[3].timestamp(), row[4]))
    return [(uuid, parts, live) for uuid, parts, live, _, _ in rows]


def _parts_of(unit: Unit, wanted: Wanted, projects: list[UUID]) -> dict[UUID, list[PartFacts]]:
    """Those parts of some projects that are meant, the oldest first."""
    query = (
        select(Part.uuid)
        .join(Project, Project.uuid == Part.project_uuid)
        .join(PartStatus, PartStatus.part_uuid == Part.uuid)
        .where(Part.project_uuid.in_(projects), *_conditions(unit, wanted))
    )
    out: dict[UUID, list[PartFacts]] = {}
    for facts in part_facts(unit, Part.uuid.in_(list(unit.session.scalars(query)))):
        out.setdefault(facts.project_uuid, []).append(facts)
    return out


def _conditions(unit: Unit, wanted: Wanted) -> list[ColumnElement[bool]]:
    out = [Part.away != "deleted", _state(wanted.state)]
    out += [_word(unit, word) for word in wanted.words]
    if wanted.parts is not None:
        out.append(Part.uuid.in_(wanted.parts))
    if wanted.space is not None:
        out.append(PartStatus.space_uuid == wanted.space)
    if wanted.product:
        out.append(_uses([wanted.product]))
    if wanted.since is not None or wanted.until is not None:
        out.append(Part.uuid.in_(_worked_on(wanted.since, wanted.until)))
    return out


def _state(state: str) -> ColumnElement[bool]:
    here = and_(Part.away == "", Project.away == "")
    by_state: dict[str, ColumnElement[bool]] = {
        "": and_(Part.away.in_(("", ASIDE)), Project.away == ""),
        LIVE: and_(here, PartStatus.finished_at.is_(None)),
        FINISHED: and_(here, PartStatus.finished_at.is_not(None)),
        ASIDE: Part.away == ASIDE,
        ARCHIVED: or_(Part.away == ARCHIVED, Project.away == ARCHIVED),
    }
    return by_state.get(state, here)


def _word(unit: Unit, word: str) -> ColumnElement[bool]:
    said = (Part.name, Project.name, Project.customer, Project.colour, Project.note)
    named: list[ColumnElement[bool]] = [column.icontains(word, autoescape=True) for column in said]
    if len(word) >= _SHORTEST_OF_A_PRODUCT:
        keys = [key for key, sheet in shelf_now(unit).products.items() if word.casefold() in sheet.name.casefold()]
        if keys:
            named.append(_uses(keys))
    return or_(*named)


def _uses(products: Iterable[str]) -> ColumnElement[bool]:
    """Parts of whose system a product is one."""
    return or_(*(func.json_extract(Part.revisions, f'$."{key}"').is_not(None) for key in products))


def _worked_on(since: datetime | None, until: datetime | None) -> Any:
    query = select(LogTarget.part_uuid).join(LogEntry, LogEntry.seq == LogTarget.seq)
    if since is not None:
        query = query.where(LogEntry.occurred_at >= since)
    if until is not None:
        query = query.where(LogEntry.occurred_at < until)
    return query.where(LogTarget.part_uuid.is_not(None)).distinct()


def _without_parts(unit: Unit, wanted: Wanted) -> list[tuple[UUID, datetime, str]]:
    """Projects that have no part yet: they are found by their words alone."""
    if Wanted(words=wanted.words) != wanted:
        return []
    query = select(Project.uuid, Project.created_at, Project.name).where(
        Project.away == "", Project.uuid.not_in(select(Part.project_uuid).where(Part.away != "deleted"))
    )
    for word in wanted.words:
        said = (Project.name, Project.customer, Project.colour, Project.note)
        query = query.where(or_(*(column.icontains(word, autoescape=True) for column in said)))
    return [(uuid, made, name) for uuid, made, name in unit.session.execute(query)]

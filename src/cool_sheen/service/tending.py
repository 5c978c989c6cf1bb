"""Tending jobs: projects and parts renamed, moved, set aside, archived, brought back; deleted when nothing was done."""

from decimal import Decimal
from typing import Annotated
from uuid import UUID

from pydantic import AwareDatetime, BaseModel, ConfigDict, Field
from sqlalchemy import func, or_, select
from sqlalchemy.orm import joinedload, selectinload, undefer

from cool_sheen.service import photos
from cool_sheen.service.jobs import find_part
from cool_sheen.service.unit import Missing, Refused, Unit
from cool_sheen.store.models import LogEntry, LogTarget, Part, PartStatus, Project

ASIDE, ARCHIVED, DELETED = "aside", "archived", "deleted"
_Line = Annotated[str, Field(max_length=120)]


class ProjectSaid(BaseModel):
    """What is said of a project.

    Attributes:
        colour: The colour as the customer calls it.
        price: What is asked for it, in the shop's currency.
        due_at: By when it is to be usable.
    """

    model_config = ConfigDict(extra="forbid")
    name: Annotated[str, Field(min_length=1, max_length=80)]
    customer: _Line = ""
    contact: _Line = ""
    colour: _Line = ""
    price: Annotated[Decimal, Field(ge=0)] | None = None
    due_at: AwareDatetime | None = None
    note: Annotated[str, Field(max_length=2000)] = ""


def find_project(unit: Unit, uuid: UUID) -> Project:
    """Return a project. Raises Missing."""
    project = unit.session.get(Project, uuid)
    if project is None or project.away == DELETED:
        raise Missing("project")
    return project


def parts_in(unit: Unit, project: UUID) -> list[Part]:
    """Return the parts of a project, the oldest first."""
    query = select(Part).where(Part.project_uuid == project, Part.away != DELETED).order_by(Part.created_at)
    return list(unit.session.scalars(query))


def whole_parts_in(unit: Unit, project: UUID) -> list[Part]:
    """Return the parts of a project as ``parts_in`` does, with all that is read of them later: in a few questions."""
    query = select(Part).where(Part.project_uuid == project, Part.away != DELETED).order_by(Part.created_at)
    all_of_it = (undefer(Part.system), undefer(Part.revisions), undefer(Part.earlier_systems))
    rows = (selectinload(Part.zones), selectinload(Part.faces), joinedload(Part.project))
    return list(unit.session.scalars(query.options(*all_of_it, *rows)))


def keep_project(unit: Unit, uuid: UUID, said: ProjectSaid) -> None:
    """Keep what is said of a project. Raises Missing."""
    project = find_project(unit, uuid)
    for name, value in said:
        setattr(project, name, value)
    _touch(unit, project)


def archive_project(unit: Unit, uuid: UUID) -> None:
    """Put a project away with all its parts. Raises Missing."""
    project = find_project(unit, uuid)
    project.away, project.away_at = ARCHIVED, unit.now
    for part in parts_in(unit, uuid):
        if not part.away:
            part.away, part.away_at = ARCHIVED, unit.now
    unit.session.flush()


def bring_project_back(unit: Unit, uuid: UUID) -> None:
    """Bring an archived project back, with the parts that were archived with it. Raises Missing."""
    project = find_project(unit, uuid)
    since = project.away_at
    project.away, project.away_at = "", None
    for part in parts_in(unit, uuid):
        if part.away == ARCHIVED and part.away_at == since:
            part.away, part.away_at = "", None
    unit.session.flush()


def delete_project(unit: Unit, uuid: UUID) -> None:
    """Delete a project that nothing was done for. Raises Missing; Refused: something was logged on one of its parts."""
    project = find_project(unit, uuid)
    parts = parts_in(unit, uuid)
    if worked := [part.name for part in parts if was_worked_on(unit, part.uuid)]:
        raise Refused(f"Work is logged on {', '.join(worked[:3])}: archive the project instead.", status=409)
    for part in parts:
        _delete(unit, part)
    project.away, project.away_at = DELETED, unit.now
    unit.session.flush()


def was_worked_on(unit: Unit, part: UUID) -> bool:
    """Whether anything is logged about a part but where it stands."""
    query = select(func.count()).select_from(LogTarget).join(LogEntry, LogEntry.seq == LogTarget.seq)
    return bool(unit.session.scalar(query.where(LogTarget.part_uuid == part, LogEntry.kind != "move")))


class PartSaid(BaseModel):
    """What is said of a part: its name, its project, the part that it comes after.

    Attributes:
        lands_pct: Its own share of the paint that lands on it; None: by shape and method. [%]
        kind: What kind of thing it is, in the shop's own word.
    """

    model_config = ConfigDict(extra="forbid")
    name: str
    project: UUID
    after: UUID | None = None
    lands_pct: Annotated[float, Field(ge=5, le=100)] | None = None
    kind: Annotated[str, Field(max_length=40)] = ""


def keep_part(unit: Unit, uuid: UUID, said: PartSaid) -> None:
    """Rename a part, move it to another project, say which part it comes after, and what of the paint lands on it.

    Raises: Missing; Refused: the project is not there, or the parts would wait for each other.
    """
    part = find_part(unit, uuid)
    if said.project != part.project_uuid and find_project(unit, said.project).away:
        raise Refused("That project is archived.", {"project": "Bring the project back first, or choose another."})
    if said.after is not None:
        _check_order(unit, part, said.after)
    part.name, part.project_uuid, part.after_uuid = said.name, said.project, said.after
    part.lands_pct, part.kind = said.lands_pct, said.kind
    _touch(unit, part)


def _check_order(unit: Unit, part: Part, after: UUID) -> None:
    seen = {part.uuid}
    here: UUID | None = after
    while here is not None:
        if here in seen:
            raise Refused(
                "The parts would wait for each other.",
                {"after": "That part comes after this one already: choose another."},
            )
        seen.add(here)
        row = unit.session.get(Part, here)
        if row is None or row.away == DELETED:
            raise Refused("There is no such part here.", {"after": "Choose a part of the list."})
        here = row.after_uuid


def put_away(unit: Unit, uuid: UUID, how: str) -> None:
    """Set a part aside, or archive it: it leaves the Bench, and all that is logged stays. Raises Missing."""
    part = find_part(unit, uuid)
    part.away, part.away_at = how, unit.now
    unit.session.flush()


def bring_back(unit: Unit, uuid: UUID) -> None:
    """Bring a part back to the Bench; its clocks went on. Raises Missing; Refused: its project is archived."""
    part = find_part(unit, uuid)
    if unit.session.get_one(Project, part.project_uuid).away:
        raise Refused("Its project is archived: bring the project back first.", status=409)
    part.away, part.away_at = "", None
    unit.session.flush()


def delete_part(unit: Unit, uuid: UUID) -> UUID:
    """Delete a part on which nothing was done; return its project. Raises Missing; Refused: work is logged on it."""
    part = find_part(unit, uuid)
    if was_worked_on(unit, uuid):
        raise Refused("Work is logged on this part, and the log is kept: archive it instead.", status=409)
    _delete(unit, part)
    unit.session.flush()
    return part.project_uuid


def _delete(unit: Unit, part: Part) -> None:
    photos.erase_all(unit, part.uuid)
    part.away, part.away_at = DELETED, unit.now
    for waiting in unit.session.scalars(select(Part).where(Part.after_uuid == part.uuid)):
        waiting.after_uuid = part.after_uuid


def _touch(unit: Unit, row: Part | Project) -> None:
    """Write, and see to it that whatever is kept by the names of a part is made anew."""
    unit.session.flush()
    if isinstance(row, Project):
        for part in parts_in(unit, row.uuid):
            part.changes += 1
        unit.session.flush()


def parts_to_follow(unit: Unit, part: Part) -> list[tuple[UUID, str]]:
    """Return the parts that another can come after: those of its project, and all that are live."""
    query = (
        select(Part.uuid, Part.name, Project.name)
        .join(Project, Project.uuid == Part.project_uuid)
        .join(PartStatus, PartStatus.part_uuid == Part.uuid)
        .where(Part.away.in_(("", ASIDE)), Part.uuid != part.uuid)
        .where(or_(PartStatus.finished_at.is_(None), Part.project_uuid == part.project_uuid))
        .order_by(Project.created_at.desc(), Part.created_at)
    )
    return [(uuid, f"{name} ({project})") for uuid, name, project in unit.session.execute(query)]

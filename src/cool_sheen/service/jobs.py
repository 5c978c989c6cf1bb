"""Projects, parts, spaces: making them, and finding them."""

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime
from typing import Any
from uuid import UUID, uuid4

from pydantic import BaseModel, ConfigDict, Field
from sqlalchemy import ColumnElement, bindparam, select
from sqlalchemy.orm import joinedload

from cool_sheen.core.log.entries import MovePayload, Target
from cool_sheen.core.survey.zones import ZoneFacts
from cool_sheen.core.units import Percent, SquareMetres
from cool_sheen.service import journal
from cool_sheen.service.shelf_now import shelf_now
from cool_sheen.service.unit import Missing, Refused, Unit
from cool_sheen.store import changes
from cool_sheen.store.models import Face, Part, PartStatus, Project, Space, Zone


class NewPart(BaseModel):
    """What is asked of a new part."""

    model_config = ConfigDict(extra="forbid")
    name: str = Field(min_length=1, max_length=80)
    substrate: str
    area_m2: float = Field(gt=0, le=10_000, allow_inf_nan=False)
    space: UUID
    system: str
    kind: str = Field(default="", max_length=40)


@dataclass(frozen=True, slots=True)
class PartFacts:
    """A part as all lists name it, apart from its row and its session."""

    uuid: UUID
    name: str
    substrate: str
    area_m2: SquareMetres
    changes: int
    project_uuid: UUID
    project_name: str
    away: str = ""
    after: UUID | None = None
    lands_pct: Percent | None = None  # its own share of the paint that lands; None: by shape and method
    kind: str = ""  # in the shop's own word


_COLUMNS: tuple[Any, ...] = (
    Part.uuid, Part.name, Part.substrate, Part.area_m2, Part.changes, Part.project_uuid, Project.name, Part.away,
    Part.after_uuid, Part.lands_pct, Part.kind,
)  # fmt: skip
_FACTS = (
    select(*_COLUMNS)
    .join(Project, Project.uuid == Part.project_uuid)
    .where(Part.away != "deleted")
    .order_by(Part.created_at, Part.name)
)
_FACTS_OF_ONE = _FACTS.where(Part.uuid == bindparam("uuid"))


def part_facts(unit: Unit, *where: ColumnElement[bool]) -> list[PartFacts]:
    """Return some parts, the oldest first; none that was deleted."""
    return [PartFacts(*row) for row in unit.session.execute(_FACTS.where(*where))]


def part_named(unit: Unit, uuid: UUID) -> PartFacts:
    """Return the part with this id. Raises Missing."""
    row = unit.session.execute(_FACTS_OF_ONE, {"uuid": uuid}).first()
    if row is None:
        raise Missing("part")
    return PartFacts(*row)


def parts_named(unit: Unit, uuids: Iterable[UUID]) -> list[PartFacts]:
    """Return the parts with these ids, the oldest first."""
    return part_facts(unit, Part.uuid.in_(list(uuids)))


def still_first(unit: Unit) -> dict[UUID, str]:
    """Return the parts that others come after and that are not finished, by name."""
    number = changes.generations(unit.settled()).get(changes.ANYTHING, 0)

    def look() -> dict[UUID, str]:
        query = select(Part.uuid, Part.name).join(PartStatus, PartStatus.part_uuid == Part.uuid)
        awaited = select(Part.after_uuid).where(Part.after_uuid.is_not(None), Part.away == "")
        query = query.where(Part.uuid.in_(awaited), PartStatus.finished_at.is_(None), Part.away.in_(("", "aside")))
        rows = unit.session.execute(query)
        return {row.uuid: row.name for row in rows}

    found: dict[UUID, str] = unit.kept.get(("still first", number), look)
    return found


def find_project(unit: Unit, uuid: UUID | None) -> Project | None:
    """Return a project that is not put away; None where there is none."""
    project = unit.session.get(Project, uuid) if uuid else None
    return project if project is not None and not project.away else None


def spaces_by_id(unit: Unit) -> dict[UUID, Space]:
    """Return all spaces."""
    return {s.uuid: s for s in unit.session.scalars(select(Space).order_by(Space.name))}


def add_project(unit: Unit, name: str) -> Project:
    """Make a project. Raises Refused when it has no name."""
    if not name.strip():
        raise Refused("A project needs a name.", {"project_name": "Enter a name, such as “Toolroom lathe”."})
    if len(name.strip()) > 80:
        raise Refused("That name is too long.", {"project_name": "Enter 80 characters at most."})
    project = Project(uuid=uuid4(), name=name.strip(), created_at=unit.now)
    unit.session.add(project)
    unit.session.flush()
    return project


def add_part(unit: Unit, project: Project, new: NewPart, at: datetime | None = None) -> Part:
    """Make a part with one face and one zone, copy the system to it, and log where it stands.

    Raises: Refused: substrate, space or system is not known.
    """
    notes = {}
    if new.substrate not in unit.catalogue.substrates:
        notes["substrate"] = "Choose what the part is made of."
    shelf = shelf_now(unit)
    if new.system not in shelf.systems:
        notes["system"] = "Choose a system from the list."
    if unit.session.get(Space, new.space) is None:
        notes["space"] = "Choose the space that the part stands in."
    if notes:
        raise Refused("Something is missing.", notes)
    system = shelf.systems[new.system]
    part = Part(
        uuid=uuid4(),
        project_uuid=project.uuid,
        name=new.name.strip(),
        substrate=new.substrate,
        kind=new.kind.strip(),
        area_m2=new.area_m2,
        created_at=at or unit.now,
        system=system.model_dump(mode="json"),
        revisions={key: unit.keep(shelf.products[key]) for key in sorted(system.products())},
    )
    face = Face(uuid=uuid4(), part_uuid=part.uuid, name="whole")
    old = "unknown" if unit.catalogue.substrates[new.substrate].family == "unknown" else "none"
    zone = Zone(
        uuid=uuid4(),
        part_uuid=part.uuid,
        face_uuid=face.uuid,
        name="whole",
        area_m2=new.area_m2,
        old_finish=old,
        shape={"kind": "typed", "typed_m2": new.area_m2},
        substrate=new.substrate,
    )
    for row in (part, face, zone):  # in the order of their keys
        unit.session.add(row)
        unit.session.flush()
    whole = (Target(project=project.uuid, part=part.uuid, zone=zone.uuid),)
    journal.write(unit, whole, MovePayload(space=new.space), journal.Press(uuid4(), at or unit.now))
    return part


def project_choices(unit: Unit) -> list[tuple[UUID, str]]:
    """Return the projects that are not archived, newest first, for a list to choose from."""
    query = (
        select(Project.uuid, Project.name).where(Project.away == "").order_by(Project.created_at.desc(), Project.name)
    )
    return [(uuid, name) for uuid, name in unit.session.execute(query)]


def kinds_of_parts(unit: Unit) -> list[str]:
    """Return the shop's own words for kinds of parts, in order."""
    return list(unit.session.scalars(select(Part.kind).where(Part.kind != "").distinct().order_by(Part.kind)))


_PART = select(Part).where(Part.uuid == bindparam("uuid")).options(joinedload(Part.project, innerjoin=True))


def find_part(unit: Unit, uuid: UUID) -> Part:
    """Return a part with its project and zones. Raises Missing."""
    part = unit.session.scalar(_PART, {"uuid": uuid})
    if part is None or part.away == "deleted":
        raise Missing("part")
    return part


def zone_facts(unit: Unit, part: Part) -> list[ZoneFacts]:
    """Return what the survey says of the zones of a part."""
    faces = {face.uuid: face for face in part.faces}
    substrates = unit.catalogue.substrates
    return [
        ZoneFacts(
            uuid=z.uuid,
            name=z.name,
            area_m2=z.area_m2,
            kind=z.kind,
            setting=faces[z.face_uuid].setting,
            ground=substrates[z.substrate or part.substrate].family,
            bare_since=z.bare_since,
            strip=z.strip,
            keep_texture=z.keep_texture,
            old_finish=z.old_finish,
            old_state=z.old_state,  # type: ignore[arg-type]
            shape=(z.shape or {}).get("kind", "typed"),
            word_of_another=z.word_of_another,
            method=faces[z.face_uuid].method,  # type: ignore[arg-type]
        )
        for z in part.live_zones
    ]

"""Same again: parts like one that is there, one or several in one go, as far as one wants them alike."""

import re
from dataclasses import dataclass
from uuid import UUID, uuid4

from sqlalchemy import select

from cool_sheen.core.log.entries import (
    CoatPayload,
    Entry,
    MovePayload,
    Recorded,
    SandPayload,
    SkipPayload,
    StepPayload,
    Target,
)
from cool_sheen.core.log.standing import unvoided
from cool_sheen.service import journal
from cool_sheen.service.jobs import find_part
from cool_sheen.service.shelf_now import shelf_now
from cool_sheen.service.tending import find_project
from cool_sheen.service.unit import Refused, Unit
from cool_sheen.store import log
from cool_sheen.store.models import Face, Part, Zone

MOST = 24
# What is done to several together; a finger touches one of them, and a survey's test is made on one.
_DONE_TO_ALL = CoatPayload | SandPayload | StepPayload | SkipPayload | MovePayload
_NUMBER = re.compile(r"^(.*?)[ ,]*(\d+)$")


@dataclass(frozen=True, slots=True)
class Alike:
    """How many, where, and what of the first part they share.

    Attributes:
        count: How many, up to ``MOST``.
        project: Their project.
        zones: Whether they have its zones, faces and survey; one whole zone otherwise.
        system: Whether they have its system as it stands on the part; the shelf's, of the same name, otherwise.
        coats: Whether what was done to it was done to them at the same times: coats, sanding and steps.
    """

    count: int
    project: UUID
    zones: bool = True
    system: bool = True
    coats: bool = False


def same_again(unit: Unit, uuid: UUID, alike: Alike) -> list[Part]:
    """Make parts like another.

    Raises: Missing; Refused: too many at once, a project that is put away, coats without the zones and the system
        that they belong to, or a system that is no longer on the shelf.
    """
    first = find_part(unit, uuid)
    _check(unit, first, alike)
    project = find_project(unit, alike.project)
    entries = log.of_part(unit.session, first.uuid) if alike.coats else []
    done = [row for row in unvoided(entries) if isinstance(row.entry.payload, _DONE_TO_ALL)]
    began = min((row.entry.occurred_at for row in done), default=unit.now)
    space = _space(unit, first)
    made = []
    for name in _names(unit, first.name, project.uuid, alike.count):
        part, zones = _copied(unit, first, project.uuid, name, alike)
        part.created_at = began if alike.coats else unit.now
        for fresh in (part, *_rows(part, zones)):
            unit.session.add(fresh)
            unit.session.flush()
        unit.session.refresh(part, ["zones", "faces"])
        if not any(row.entry.payload.kind == "move" for row in done):
            journal.write(unit, journal.targets(part), MovePayload(space=space), journal.Press(uuid4(), began))
        for row in done:
            _write_again(unit, row, part, zones)
        made.append(part)
    return made


def _check(unit: Unit, first: Part, alike: Alike) -> None:
    notes = {}
    if not 1 <= alike.count <= MOST:
        notes["count"] = f"Enter a whole number from 1 to {MOST}."
    if alike.coats and not (alike.zones and alike.system):
        notes["coats"] = "What was done belongs to zones and system: tick both, or leave this out."
    if not alike.system and first.system["key"] not in shelf_now(unit).systems:
        notes["system"] = "This system is not on the shelf: keep it as it stands on the part."
    if find_project(unit, alike.project).away:
        notes["project"] = "That project is archived: bring it back first, or choose another."
    if notes:
        raise Refused("Check what was entered.", notes)


def _space(unit: Unit, first: Part) -> UUID:
    moves = [row for row in log.of_part(unit.session, first.uuid) if row.entry.payload.kind == "move"]
    last = unvoided(moves)[-1].entry.payload
    assert isinstance(last, MovePayload)
    return last.space


def _names(unit: Unit, name: str, project: UUID, count: int) -> list[str]:
    """Names with the next free numbers: after “Door 2” come “Door 3” and “Door 4”."""
    taken = {n.casefold() for n in unit.session.scalars(select(Part.name).where(Part.project_uuid == project))}
    found = _NUMBER.match(name)
    stem, number = (found[1], int(found[2][-6:])) if found else (name, 1)
    names: list[str] = []
    while len(names) < count:
        number += 1
        text = f"{stem.rstrip()[:72]} {number}"
        if text.casefold() not in taken:
            names.append(text)
    return names


def _copied(unit: Unit, first: Part, project: UUID, name: str, alike: Alike) -> tuple[Part, dict[UUID, Zone]]:
    """A part like the first one, and its zones by those that they are like."""
    system, revisions = first.system, first.revisions
    if not alike.system:
        fresh = shelf_now(unit).systems[first.system["key"]]
        system = fresh.model_dump(mode="json")
        revisions = {key: unit.keep(shelf_now(unit).products[key]) for key in sorted(fresh.products())}
    part = Part(
        uuid=uuid4(), project_uuid=project, name=name, substrate=first.substrate, area_m2=first.area_m2,
        system=system, revisions=revisions, kind=first.kind,
    )  # fmt: skip
    live = first.live_zones
    if not alike.zones:
        face = Face(uuid=uuid4(), part_uuid=part.uuid, name="whole")
        like = live[0]
        whole = Zone(
            uuid=uuid4(), part_uuid=part.uuid, face_uuid=face.uuid, name="whole", area_m2=first.area_m2,
            old_finish=like.old_finish, shape={"kind": "typed", "typed_m2": first.area_m2}, substrate=first.substrate,
        )  # fmt: skip
        part.faces = [face]
        return part, {zone.uuid: whole for zone in live}
    faces = {
        face.uuid: Face(
            uuid=uuid4(), part_uuid=part.uuid, name=face.name, setting=face.setting, support=face.support,
            method=face.method,
        )
        for face in first.faces
    }  # fmt: skip
    part.faces = list(faces.values())
    zones = {}
    for zone in live:
        same = {name: getattr(zone, name) for name in _OF_A_ZONE}
        zones[zone.uuid] = Zone(uuid=uuid4(), part_uuid=part.uuid, face_uuid=faces[zone.face_uuid].uuid, **same)
    return part, zones


_OF_A_ZONE = (
    "name", "area_m2", "position", "kind", "shape", "substrate", "bare_since", "strip", "keep_texture", "old_finish",
    "old_state", "word_of_another", "turn", "shuts",
)  # fmt: skip


def _rows(part: Part, zones: dict[UUID, Zone]) -> list[Face | Zone]:
    """The rows of a new part in the order of their keys."""
    return [*part.faces, *{zone.uuid: zone for zone in zones.values()}.values()]


def _write_again(unit: Unit, row: Recorded, part: Part, zones: dict[UUID, Zone]) -> None:
    """Write what was done to the first part about another one, at the same time."""
    entry = row.entry
    named = {target.zone for target in entry.targets if target.zone}
    about = [zone for old, zone in zones.items() if not named or named & set(_line_of(unit, old))]
    if not about:
        return
    targets = tuple(Target(project=part.project_uuid, part=part.uuid, zone=zone.uuid) for zone in about)
    again = Entry(
        uuid=uuid4(), payload=entry.payload, occurred_at=entry.occurred_at, targets=targets, person=entry.person,
        device=entry.device, planned_step=entry.planned_step, reason=entry.reason,
    )  # fmt: skip
    log.append(unit.session, again, unit.now)


def _line_of(unit: Unit, zone: UUID) -> list[UUID]:
    """A zone and those that it was split from."""
    line: list[UUID] = []
    here: UUID | None = zone
    while here is not None and here not in line:
        line.append(here)
        row = unit.session.get(Zone, here)
        here = row.split_from if row else None
    return line

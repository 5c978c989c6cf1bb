"""A project's document as rows of the tables."""

from collections.abc import Iterable, Mapping
from datetime import datetime
from typing import Any
from uuid import UUID

from cool_sheen.formats.documents import Unsound
from cool_sheen.formats.project_document import (
    EntrySaid,
    LessonSaid,
    PartSaid,
    ProjectDocument,
    RecordSaid,
    SpaceSaid,
    ZoneSaid,
)
from cool_sheen.store.models import (
    Base,
    ClimateImport,
    Face,
    LogEntry,
    LogTarget,
    Part,
    Photo,
    Project,
    Space,
    SpaceAsItWas,
    Zone,
)

Row = dict[str, Any]
Filled = tuple[type[Base], list[Row]]  # a table, and what goes into it


def spaces(said: Iterable[SpaceSaid], names: Mapping[UUID, str], own: UUID) -> list[Filled]:
    """Return spaces, and how they were.

    Args:
        said: The spaces.
        names: What those are called that are not here yet.
        own: The shop that this is: its own spaces are its own again.
    """
    fresh = [space for space in said if space.uuid in names]
    rows = [
        {
            **space.model_dump(exclude={"shop", "name", "as_it_was"}),
            "name": names[space.uuid],
            "name_there": space.name,
            "elsewhere_uuid": space.shop if space.shop != own else None,
        }
        for space in fresh
    ]
    then = [{"space_uuid": space.uuid, **was.model_dump()} for space in fresh for was in space.as_it_was]
    return [(Space, rows), (SpaceAsItWas, then)]


def records(said: Iterable[RecordSaid]) -> Filled:
    """Return records of spaces, without their points: the file that they were read from stayed where it was."""
    rows = [
        {
            **record.model_dump(exclude={"space", "points"}),
            "space_uuid": record.space,
            "kind": "record",
            "options": {},
            "content": None,
            "state": "taken",
            "points": len(record.points),
            "first_at": record.points[0].at if record.points else None,
            "last_at": record.points[-1].at if record.points else None,
        }
        for record in said
    ]
    return ClimateImport, rows


def jobs(document: ProjectDocument, brought: Row) -> list[Filled]:
    """Return the project with its parts, faces, zones and photos.

    Args:
        document: The document.
        brought: From where it comes, and when.

    Raises: Unsound: zones are split from each other in a circle.
    """
    parts = document.parts
    return [
        (Project, [{**document.project.model_dump(exclude={"currency"}), "brought": brought}]),
        (Part, [_part(document.project.uuid, part) for part in parts]),
        (Face, [{"part_uuid": part.uuid, **dict(face)} for part in parts for face in part.faces]),
        (
            Zone,
            [
                {
                    **zone.model_dump(exclude={"face", "shape"}),
                    "part_uuid": part.uuid,
                    "face_uuid": zone.face,
                    "shape": zone.shape and zone.shape.model_dump(exclude_none=True),
                }
                for part in parts
                for zone in _in_order(part.zones)
            ],
        ),
        (
            Photo,
            [
                {
                    **photo.model_dump(exclude={"zones"}),
                    "part_uuid": part.uuid,
                    "zones": [str(zone) for zone in photo.zones],
                }
                for part in parts
                for photo in part.photos
            ],
        ),
    ]


def _part(project: UUID, said: PartSaid) -> Row:
    return {
        **said.model_dump(exclude={"after", "system", "earlier_systems", "faces", "zones", "photos"}),
        "project_uuid": project,
        "after_uuid": said.after,
        "system": said.system.model_dump(mode="json"),
        "earlier_systems": [system.model_dump(mode="json") for system in said.earlier_systems],
    }


def _in_order(zones: Iterable[ZoneSaid]) -> list[ZoneSaid]:
    """Zones after those that they were split from. Raises Unsound: they go in a circle."""
    left, written, out = list(zones), set[UUID](), list[ZoneSaid]()
    while left:
        ready = [zone for zone in left if zone.split_from is None or zone.split_from in written]
        if not ready:
            raise Unsound("Nothing was taken: zones are split from each other in a circle.")
        out += ready
        written |= {zone.uuid for zone in ready}
        left = [zone for zone in left if zone.uuid not in written]
    return out


def entries(said: Iterable[EntrySaid], known: Mapping[UUID, int], newest: int) -> list[Filled]:
    """Return entries in their order, and what they are about.

    Args:
        said: The entries.
        known: The sequence numbers of those that are here already: what they say of these parts is added.
        newest: The newest sequence number so far.
    """
    rows, targets, seq = [], [], newest
    for row in said:
        here = known.get(row.entry.uuid)
        if here is None:
            seq += 1
            rows.append(_entry(row, seq))
        targets += [
            {"seq": here or seq, "project_uuid": t.project, "part_uuid": t.part, "zone_uuid": t.zone}
            for t in row.entry.targets
        ]
    return [(LogEntry, rows), (LogTarget, targets)]


def _entry(row: EntrySaid, seq: int) -> Row:
    entry = row.entry
    return {
        "seq": seq,
        "uuid": entry.uuid,
        "kind": entry.payload.kind,
        "schema_version": row.schema_version,
        "payload": entry.payload.model_dump(mode="json"),
        "content_hash": row.content_hash,
        "occurred_at": entry.occurred_at,
        "recorded_at": row.recorded_at,
        "person": entry.person,
        "device": entry.device,
        "planned_step": entry.planned_step,
        "reason": entry.reason,
        "voids": entry.voids,
    }


def lesson(said: LessonSaid) -> Row:
    """Return what a coat taught."""
    return {
        **said.model_dump(exclude={"coat", "part", "space", "tests", "touches", "mode"}),
        "coat_uuid": said.coat,
        "part_uuid": said.part,
        "space_uuid": said.space,
        "mode": said.mode.value,
        "tests": [test.model_dump(mode="json") for test in said.tests],
        "touches": [touch.model_dump(mode="json") for touch in said.touches],
    }


def came(document: ProjectDocument, at: datetime, newest: int) -> Row:
    """Return from where a project came, and when; up to when its air came along, and the newest entry that did."""
    return {
        "from": ", ".join(shop.name for shop in document.shops),
        "at": at.isoformat(),
        "until": document.until.isoformat(),
        "seq": newest,
    }

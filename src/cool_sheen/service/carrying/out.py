"""A project as a document: itself, its log, and all that the state of its parts rests on.

What is the shop's own stays with it: stock and prices, plans, crew and working hours, guns and their cards.
"""

from collections.abc import Iterable, Mapping
from datetime import datetime
from typing import Any
from uuid import UUID

from sqlalchemy import select

from cool_sheen.core.coatings.systems import System
from cool_sheen.core.log.entries import SCHEMA_VERSION, Entry, Recorded, Target
from cool_sheen.formats.project_document import (
    EntrySaid,
    FaceSaid,
    FileSaid,
    LessonSaid,
    PartSaid,
    PhotoSaid,
    ProjectDocument,
    ProjectSaid,
    RevisionSaid,
    SpaceSaid,
    SpaceThen,
    ZoneSaid,
)
from cool_sheen.formats.project_file import as_file
from cool_sheen.service.carrying.at_a_stretch import at_a_stretch
from cool_sheen.service.carrying.weather import Stretch, records_of_spaces, shops_of
from cool_sheen.service.keeping import file_of
from cool_sheen.service.learning import MOST_LESSONS, drying_hash
from cool_sheen.service.photos import of_part
from cool_sheen.service.shelf_now import shelf_now
from cool_sheen.service.tending import find_project, whole_parts_in
from cool_sheen.service.unit import Refused, Unit
from cool_sheen.service.weather_now import AHEAD, RUN_IN, block_of, newest_weather
from cool_sheen.store import climate, log, photos, statuses
from cool_sheen.store.models import Part, ProductRevision, Project, Space


@at_a_stretch()
def document_of(unit: Unit, uuid: UUID) -> ProjectDocument:
    """Return a project as a document.

    Raises: Missing: there is no such project. Refused: it has no part yet.
    """
    project = find_project(unit, uuid)
    parts = sorted(whole_parts_in(unit, uuid), key=lambda part: (part.created_at, part.uuid.hex))
    if not parts:
        raise Refused("This project has no part yet: there is nothing to take along.", status=409)
    own = _log(unit, project, parts)
    spaces = _spaces(unit, own)
    stretch = _stretch(unit, project, parts, own)
    rows = _with_readings(unit, own, spaces, stretch)
    revisions = _revisions(unit, parts, rows)
    return ProjectDocument(
        made_at=unit.now.replace(microsecond=0),
        until=stretch.until,
        project=ProjectSaid.model_validate(
            {"currency": unit.the_shop.currency}
            | {name: getattr(project, name) for name in ProjectSaid.model_fields if name != "currency"}
        ),
        shops=shops_of(unit, spaces, stretch),
        spaces=tuple(_space(unit, space) for space in spaces),
        records=records_of_spaces(unit, spaces, stretch),
        revisions=tuple(revisions),
        supplies=tuple(shelf_now(unit).supplies[key] for key in _supplies(unit, parts, rows)),
        parts=tuple(_part(unit, part, {p.uuid for p in parts}) for part in parts),
        entries=tuple(_entries(unit, project, parts, rows)),
        lessons=tuple(_lessons(unit, parts, revisions, spaces)),
        files=tuple(_files(unit, parts)),
    )


def _log(unit: Unit, project: Project, parts: Iterable[Part]) -> dict[int, Recorded]:
    """The entries about the project and its parts, and those of the batches that they name."""
    found = {row.seq: row for row in log.of_project(unit.session, project.uuid)}
    for part in parts:
        found |= {row.seq: row for row in log.of_part(unit.session, part.uuid)}
    mine, asked = {part.uuid for part in parts}, set[UUID]()
    while wanted := _batches(found.values()) - asked:
        asked |= wanted
        for row in log.of_batches(unit.session, wanted):
            about = {target.part for target in row.entry.targets if target.part}
            if row.entry.payload.kind != "coat" or about & mine:  # a coat of another project's part stays there
                found[row.seq] = row
    return found


def _batches(rows: Iterable[Recorded]) -> set[UUID]:
    said = [row.entry.payload for row in rows]
    named = {getattr(payload, name, None) for payload in said for name in ("batch", "jar")}
    return {uuid for uuid in named if uuid is not None}


def _spaces(unit: Unit, rows: Mapping[int, Recorded]) -> list[Space]:
    named = {getattr(row.entry.payload, "space", None) for row in rows.values()} - {None}
    return list(unit.session.scalars(select(Space).where(Space.uuid.in_(named)).order_by(Space.uuid)))


def _stretch(unit: Unit, project: Project, parts: Iterable[Part], rows: Mapping[int, Recorded]) -> Stretch:
    first = min(row.entry.occurred_at for row in rows.values())
    came = project.brought
    newest = max(log.last_seq(unit.session, part.uuid) for part in parts)
    since = block_of(first) - RUN_IN
    if came is not None and newest <= came["seq"]:
        return Stretch(since, datetime.fromisoformat(came["until"]), True)
    return Stretch(since, newest_weather(unit).tick + AHEAD, False)


def _with_readings(
    unit: Unit, rows: Mapping[int, Recorded], spaces: Iterable[Space], stretch: Stretch
) -> list[Recorded]:
    """The log with what was read in its spaces, their doors, and whatever took any of it back or put it right."""
    found, places = dict(rows), {space.uuid for space in spaces}
    for kind in ("climate_reading", "door"):
        for row in log.of_kind(unit.session, kind):
            said = row.entry.payload
            inside = kind == "door" or row.entry.occurred_at >= stretch.since
            if said.kind == kind and said.space in places and inside and row.entry.occurred_at <= stretch.until:
                found[row.seq] = row
    words = log.words_about_entries(unit.session)
    while True:
        known = {row.entry.uuid for row in found.values()}
        more = {
            row.seq: row
            for row in words
            if row.seq not in found and (row.entry.voids or getattr(row.entry.payload, "entry", None)) in known
        }
        if not more:
            return [found[seq] for seq in sorted(found)]
        found |= more


def _entries(unit: Unit, project: Project, parts: Iterable[Part], rows: Iterable[Recorded]) -> list[EntrySaid]:
    mine = {part.uuid for part in parts}
    hashes = log.hashes(unit.session, [row.seq for row in rows])
    return [
        EntrySaid.model_construct(
            schema_version=SCHEMA_VERSION,
            recorded_at=row.recorded_at,
            content_hash=hashes[row.seq],
            entry=_aimed_at(row.entry, project.uuid, mine),
        )
        for row in rows
    ]


def _aimed_at(entry: Entry, project: UUID, parts: set[UUID]) -> Entry:
    """An entry as far as it is about this project: a part may have been of another one when it was written."""
    mine = [t for t in entry.targets if t.part in parts or (t.part is None and t.project == project)]
    targets = tuple(Target.model_construct(project=t.project and project, part=t.part, zone=t.zone) for t in mine)
    return entry.model_copy(update={"targets": targets})


def _space(unit: Unit, space: Space) -> SpaceSaid:
    shop = space.elsewhere_uuid or unit.the_shop.uuid
    own = {name: getattr(space, name) for name in SpaceSaid.model_fields if name not in ("shop", "name", "as_it_was")}
    then = climate.spaces_as_they_were(unit.session).get(space.uuid, [])
    described = [SpaceThen.model_validate({name: getattr(w, name) for name in SpaceThen.model_fields}) for w in then]
    return SpaceSaid.model_validate(
        {**own, "shop": shop, "name": space.name_there or space.name, "as_it_was": tuple(described)}
    )


def _revisions(unit: Unit, parts: Iterable[Part], rows: Iterable[Recorded]) -> list[RevisionSaid]:
    named = {name for part in parts for name in part.revisions.values()}
    named |= {said.coating for said in (row.entry.payload for row in rows) if said.kind in ("coat", "batch")}
    query = select(ProductRevision).where(ProductRevision.content_hash.in_(named))
    found = unit.session.scalars(query.order_by(ProductRevision.content_hash))
    return [
        RevisionSaid.model_construct(
            content_hash=row.content_hash, recorded_at=row.recorded_at, product=unit.revision(row.content_hash)
        )
        for row in found
    ]


def _supplies(unit: Unit, parts: Iterable[Part], rows: Iterable[Recorded]) -> list[str]:
    """The keys of the supplies that the systems and the batches take."""
    named = {layer["broadcast"] for part in parts for layer in part.system["layers"] if layer.get("broadcast")}
    for said in (row.entry.payload for row in rows):
        if said.kind == "batch":
            named |= {line.component for line in said.lines}
    return sorted(named & shelf_now(unit).supplies.keys())


def _part(unit: Unit, part: Part, mine: set[UUID]) -> PartSaid:
    own = {
        name: getattr(part, name)
        for name in PartSaid.model_fields
        if name not in ("after", "system", "earlier_systems", "faces", "zones", "photos")
    }
    return PartSaid.model_validate(
        {
            **own,
            "after": part.after_uuid if part.after_uuid in mine else None,
            "system": System.model_validate(part.system),
            "earlier_systems": tuple(System.model_validate(system) for system in part.earlier_systems),
            "faces": tuple(
                FaceSaid.model_validate({name: getattr(face, name) for name in FaceSaid.model_fields})
                for face in sorted(part.faces, key=lambda face: (face.setting, face.name, face.uuid.hex))
            ),
            "zones": tuple(
                ZoneSaid.model_validate(
                    {
                        "face": zone.face_uuid,
                        **{name: getattr(zone, name) for name in ZoneSaid.model_fields if name != "face"},
                    }
                )
                for zone in sorted(part.zones, key=lambda zone: (zone.position, zone.name, zone.uuid.hex))
            ),
            "photos": tuple(
                PhotoSaid.model_validate({name: getattr(photo, name) for name in PhotoSaid.model_fields})
                for photo in of_part(unit, part.uuid)
            ),
        }
    )


def _files(unit: Unit, parts: Iterable[Part]) -> list[FileSaid]:
    names = sorted({photo.content_hash for part in parts for photo in of_part(unit, part.uuid)})
    paths = {name: photos.path_of(file_of(unit.workshop), name) for name in names}
    if lost := [name for name, path in paths.items() if not path.is_file()]:
        raise Refused(f"The files of {len(lost)} photos are not where they were kept: erase these photos first.")
    return [as_file(name, path.read_bytes()) for name, path in paths.items()]


def _lessons(
    unit: Unit, parts: Iterable[Part], revisions: Iterable[RevisionSaid], spaces: Iterable[Space]
) -> list[LessonSaid]:
    """What the project's coats taught, and other coats of the same sheets in the same spaces."""
    mine = {part.uuid for part in parts}
    sheets = {drying_hash(row.product.drying) for row in revisions}
    own = statuses.lessons_by(unit.session, mine)
    others = statuses.lessons_on(unit.session, sheets, [space.uuid for space in spaces], MOST_LESSONS)
    rows = [*own, *(row for row in others if row["part_uuid"] not in mine)]
    rows.sort(key=lambda row: (row["at"], row["coat_uuid"].hex, row["mode"]))
    return [_lesson(row, mine) for row in rows]


def _lesson(row: Mapping[str, Any], mine: set[UUID]) -> LessonSaid:
    part = row["part_uuid"] if row["part_uuid"] in mine else None
    return LessonSaid.model_validate(
        {
            "coat": row["coat_uuid"],
            "part": part,
            "space": row["space_uuid"],
            **{name: row[name] for name in LessonSaid.model_fields if name not in ("coat", "part", "space")},
        }
    )

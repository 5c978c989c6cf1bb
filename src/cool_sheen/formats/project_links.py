"""What hangs together in a project's document: names that point at nothing, and ids that stand twice."""

from collections import Counter
from collections.abc import Container, Iterator, Mapping
from datetime import datetime
from functools import cache
from itertools import pairwise
from uuid import UUID

from pydantic import BaseModel

from cool_sheen.formats.project_document import PartSaid, ProjectDocument

Wrong = Iterator[tuple[str, str]]


def loose_ends(document: ProjectDocument) -> Wrong:
    """Yield each place of a document that names what is not in it, or what stands twice, and why that cannot be."""
    yield from _twice(document)
    shops, spaces = {s.uuid for s in document.shops}, {s.uuid for s in document.spaces}
    for n, space in enumerate(document.spaces):
        yield from _known(f"spaces.{n}.shop", space.shop, shops, "shop")
    for n, record in enumerate(document.records):
        yield from _known(f"records.{n}.space", record.space, spaces, "space")
    for n, lesson in enumerate(document.lessons):
        yield from _known(f"lessons.{n}.space", lesson.space, spaces, "space")
        yield from _known(f"lessons.{n}.part", lesson.part, {p.uuid for p in document.parts}, "part")
    revisions = {row.content_hash: row.product.key for row in document.revisions}
    for n, part in enumerate(document.parts):
        for where, why in _loose_in(part, revisions, {p.uuid for p in document.parts}):
            yield f"parts.{n} ({part.name}).{where}", why
    for where, why in _loose_in_log(document, spaces, revisions):
        yield f"entries.{where}", why


def _twice(document: ProjectDocument) -> Wrong:
    named: dict[str, list[UUID] | list[str]] = {
        "shops": [r.uuid for r in document.shops],
        "spaces": [r.uuid for r in document.spaces],
        "records": [r.uuid for r in document.records],
        "revisions": [r.content_hash for r in document.revisions],
        "parts": [r.uuid for r in document.parts],
        "faces": [f.uuid for p in document.parts for f in p.faces],
        "zones": [z.uuid for p in document.parts for z in p.zones],
        "photos": [f.uuid for p in document.parts for f in p.photos],
        "entries": [r.entry.uuid for r in document.entries],
    }
    for what, names in named.items():
        for name, count in Counter(str(name) for name in names).items():
            if count > 1:
                yield what, f"{name} stands {count} times"
    times: dict[str, list[datetime]] = {f"shops.{n}": [w.at for w in s.weather] for n, s in enumerate(document.shops)}
    times |= {f"records.{n}": [p.at for p in r.points] for n, r in enumerate(document.records)}
    for where, at in times.items():
        if any(b <= a for a, b in pairwise(at)):
            yield where, "its times do not ascend"


def _known(where: str, name: UUID | str | None, known: Container[UUID | str], what: str) -> Wrong:
    if name is not None and name not in known:
        yield where, f"there is no {what} {name} in the file"


def _loose_in(part: PartSaid, revisions: Mapping[str, str], parts: Container[UUID | str]) -> Wrong:
    faces, zones = {f.uuid for f in part.faces}, {z.uuid for z in part.zones}
    yield from _known("after", part.after, parts, "part")
    if all(zone.was_split for zone in part.zones):
        yield "zones", "a part has one zone at least"
    for n, zone in enumerate(part.zones):
        yield from _known(f"zones.{n}.face", zone.face, faces, "face")
        yield from _known(f"zones.{n}.split_from", zone.split_from, zones, "zone")
    for n, photo in enumerate(part.photos):
        for zone_uuid in photo.zones:
            yield from _known(f"photos.{n}.zones", zone_uuid, zones, "zone")
    for key, name in part.revisions.items():
        if revisions.get(name) != key:
            yield f"revisions.{key}", "these product data are not in the file"
    for system in (part.system, *part.earlier_systems):
        for key in sorted(system.products() - part.revisions.keys()):
            yield "revisions", f"the system needs the data of “{key}”"


def _loose_in_log(document: ProjectDocument, spaces: Container[UUID | str], revisions: Container[UUID | str]) -> Wrong:
    parts = {p.uuid for p in document.parts}
    zones = {z.uuid: p.uuid for p in document.parts for z in p.zones}
    begun: set[UUID] = set()  # parts that are somewhere
    before: set[UUID | str] = set()
    among = {"space": spaces, "revision": revisions}
    for n, row in enumerate(document.entries):
        entry, payload = row.entry, row.entry.payload
        for target in entry.targets:
            if target.project not in (None, document.project.uuid):
                yield f"{n}.targets", "it is about another project"
            yield from _known(f"{n}.targets", target.part, parts, "part")
            if target.zone is not None and zones.get(target.zone) != target.part:
                yield f"{n}.targets", f"there is no zone {target.zone} of its part in the file"
            if payload.kind == "move" and target.part:
                begun.add(target.part)
        yield from _known(f"{n}.voids", entry.voids, before, "earlier entry")
        for name, what in _named_by(type(payload)):
            said = getattr(payload, name)
            if said is not None and said not in (among.get(what) or before):
                yield f"{n}.payload.{name}", f"there is no {what} {said} in the file"
        before.add(entry.uuid)
    for n, part in enumerate(document.parts):
        if part.uuid not in begun:
            yield f"parts.{n} ({part.name})", "its log does not say where it stands: a move is missing"


@cache
def _named_by(payload: type[BaseModel]) -> list[tuple[str, str]]:
    """The fields of an entry that name something, and what."""
    return [(name, what) for name, what in _NAMES.items() if name in payload.model_fields]


# What entries name, by the field that names it.
_NAMES = {
    "space": "space", "coating": "revision", "coat": "earlier entry", "entry": "earlier entry",
    "batch": "earlier entry", "claim": "earlier entry",
}  # fmt: skip

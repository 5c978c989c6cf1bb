"""A project's document brought in: looked at first, then taken whole or not at all."""

from collections.abc import Iterator
from dataclasses import dataclass
from datetime import datetime, timedelta
from itertools import islice
from typing import Any
from uuid import UUID

from sqlalchemy import insert, select

from cool_sheen.core.errors import NotReadable, OutOfRange
from cool_sheen.core.part.stage import STAGE_WORDS
from cool_sheen.core.survey.zones import OLD_FINISHES
from cool_sheen.formats.documents import Unsound
from cool_sheen.formats.photos import read_photo
from cool_sheen.formats.project_document import ProjectDocument, ShopSaid
from cool_sheen.formats.project_file import nothing_taken, pictures, read
from cool_sheen.formats.project_links import Wrong
from cool_sheen.service.carrying import rows
from cool_sheen.service.carrying.at_a_stretch import at_a_stretch
from cool_sheen.service.keeping import file_of
from cool_sheen.service.part_now import parts_of
from cool_sheen.service.shelf_now import WholeShelf, shelf_now
from cool_sheen.service.tending import whole_parts_in
from cool_sheen.service.unit import Refused, Unit
from cool_sheen.service.weather_now import AHEAD
from cool_sheen.store import changes, climate, elsewhere, log, photos, statuses
from cool_sheen.store.models import (
    ClimateImport,
    Face,
    Part,
    Photo,
    ProductRevision,
    Project,
    ShelfSheet,
    ShopElsewhere,
    Space,
    Zone,
)
from cool_sheen.store.troubles import Trouble

_SLACK = timedelta(days=1)  # another machine's clock may go before this one's
_EARLIEST = datetime.fromisoformat("1990-01-01T00:00:00+00:00")
_MOST_TOLD = 20
_LONGEST_NAME = 60


@dataclass(frozen=True)
class Sound:
    """A file that was read and can be taken: the document, and its photos by their hash, large and small."""

    document: ProjectDocument
    pictures: dict[str, tuple[bytes, bytes]]


@dataclass(frozen=True)
class Coming:
    """What a document would bring.

    Attributes:
        document: The document.
        known: Entries that are here already, word for word: their sequence numbers.
        notes: What is left as it is here, in words.
        shelf: Sheets that the shelf does not have.
        names: What spaces that are not known yet will be called.
    """

    document: ProjectDocument
    known: dict[UUID, int]
    notes: tuple[str, ...]
    shelf: tuple[dict[str, Any], ...]
    names: dict[UUID, str]


@at_a_stretch()
def opened(content: bytes) -> Sound:
    """Read a file. Raises Unsound: it cannot be taken, with the places."""
    document = read(content)
    return Sound(document, _small_and_large(document))


def look(unit: Unit, document: ProjectDocument) -> Coming:
    """Hold a document against what is here. Raises Unsound: it cannot be taken, with the places."""
    project = unit.session.get(Project, document.project.uuid)
    if project is not None:
        where = {"": "", "archived": ", archived", "deleted": ", deleted"}[project.away]
        raise Unsound(f"This project is here already, as “{project.name}”{where}: nothing was brought in.")
    known, clashing = _known_entries(unit, document)
    wrong = list(islice(_cannot_be(unit, document, clashing), _MOST_TOLD))
    if wrong:
        raise Unsound(nothing_taken(len(wrong)), wrong)
    shelf = shelf_now(unit)
    spaces = {space.uuid: space for space in unit.session.scalars(select(Space))}
    notes = [
        f"“{spaces[said.uuid].name}” is a space that is known here: it stays as it is."
        for said in document.spaces
        if said.uuid in spaces
    ]
    notes += [
        f"Supply “{said.name}” is on the shelf with other data: those of the shelf stay."
        for said in document.supplies
        if said.key in shelf.supplies and shelf.supplies[said.key] != said
    ]
    if document.project.currency != unit.the_shop.currency and document.project.price is not None:
        notes.append(f"Its price is in {document.project.currency}: enter it in {unit.the_shop.currency} afterwards.")
    if known:
        notes.append(f"{len(known)} entries are here already, word for word: they stay, and are not written twice.")
    return Coming(document, known, tuple(notes), tuple(_for_the_shelf(document, shelf)), _names(document, spaces))


def _known_entries(unit: Unit, document: ProjectDocument) -> tuple[dict[UUID, int], set[UUID]]:
    """Entries that are here word for word, with their sequence numbers, and those whose id is another one's."""
    said = {row.entry.uuid: row.content_hash for row in document.entries}
    found = log.known_by_uuid(unit.session, said)
    same = {uuid: seq for uuid, (seq, content) in found.items() if said[uuid] == content}
    return same, found.keys() - same.keys()


def _cannot_be(unit: Unit, document: ProjectDocument, clashing: set[UUID]) -> Wrong:
    for n, row in enumerate(document.entries):
        if row.entry.uuid in clashing:
            yield f"entries.{n}.entry.uuid", "another entry of this shop has this id, and says something else"
    substrates = unit.catalogue.substrates
    for n, part in enumerate(document.parts):
        for key in {part.substrate, *(z.substrate for z in part.zones if z.substrate)} - substrates.keys():
            yield f"parts.{n} ({part.name}).substrate", f"“{key}” is no substrate that is known here"
        for old in {zone.old_finish for zone in part.zones} - set(OLD_FINISHES):
            yield f"parts.{n} ({part.name}).zones", f"“{old}” is no old finish that is known here"
        for stage in {photo.stage for photo in part.photos} - STAGE_WORDS.keys():
            yield f"parts.{n} ({part.name}).photos", f"“{stage}” is no stage that is known here"
    yield from _taken_ids(unit, document)
    yield from _at_odd_times(document, unit.now)


def _at_odd_times(document: ProjectDocument, now: datetime) -> Wrong:
    """Times that cannot be: a clock over centuries would take as long."""
    at: dict[str, tuple[datetime, ...]] = {}
    for n, row in enumerate(document.entries):
        at[f"entries.{n}"] = (row.entry.occurred_at, row.recorded_at)
    for n, record in enumerate(document.records):
        at[f"records.{n}.points"] = tuple(point.at for point in record.points[:: max(1, len(record.points) - 1)])
    for n, part in enumerate(document.parts):
        at[f"parts.{n} ({part.name}).created_at"] = (part.created_at,)
    for n, shop in enumerate(document.shops):  # its forecast comes along
        at[f"shops.{n}.weather"] = tuple(w.at - AHEAD for w in shop.weather[-1:]) + tuple(
            w.at for w in shop.weather[:1]
        )
    for where, times in at.items():
        if any(not _EARLIEST <= time <= now + _SLACK for time in times):
            yield where, "this time cannot be: it is ahead of now, or too long ago"


def _taken_ids(unit: Unit, document: ProjectDocument) -> Wrong:
    rows = (
        (Part, "parts", [p.uuid for p in document.parts]),
        (Face, "faces", [f.uuid for p in document.parts for f in p.faces]),
        (Zone, "zones", [z.uuid for p in document.parts for z in p.zones]),
        (Photo, "photos", [f.uuid for p in document.parts for f in p.photos]),
    )
    for table, what, names in rows:
        for uuid in islice((u for u in names if unit.session.get(table, u) is not None), _MOST_TOLD):
            yield what, f"{uuid} is the id of something else in this shop"
    for n, space in enumerate(document.spaces):
        here = unit.session.get(Space, space.uuid)
        if here is not None and (here.elsewhere_uuid or unit.the_shop.uuid) != space.shop:
            yield f"spaces.{n} ({space.name})", f"its id is that of “{here.name}”, a space of another shop"
    for n, record in enumerate(document.records):
        taken = unit.session.get(ClimateImport, record.uuid)
        if taken is not None and (taken.content_hash, taken.space_uuid) != (record.content_hash, record.space):
            yield f"records.{n}.uuid", "another record has this id"


def _for_the_shelf(document: ProjectDocument, shelf: WholeShelf) -> Iterator[dict[str, Any]]:
    """Sheets of which the shelf has none of that name: the newest data of each product, and the supplies."""
    newest = {r.product.key: r.product for r in sorted(document.revisions, key=lambda r: r.recorded_at)}
    for key, product in newest.items():
        if key not in shelf.products:
            yield {"kind": "product", "key": key, "data": product.model_dump(mode="json")}
    for supply in document.supplies:
        if supply.key not in shelf.supplies:
            yield {"kind": "supply", "key": supply.key, "data": supply.model_dump(mode="json")}


def _names(document: ProjectDocument, known: dict[UUID, Space]) -> dict[UUID, str]:
    """What a space is called here: as it is there, unless that name is taken."""
    taken = {space.name.casefold() for space in known.values()}
    shops, out = {shop.uuid: shop.name for shop in document.shops}, {}
    for space in document.spaces:
        if space.uuid in known:
            continue
        name, place = space.name, f" ({shops[space.shop]})"
        number = 1
        while name.casefold() in taken:
            place = f" ({shops[space.shop][:30]}{f' {number}' if number > 1 else ''})"
            name, number = f"{space.name[: _LONGEST_NAME - len(place)]}{place}", number + 1
        taken.add(name.casefold())
        out[space.uuid] = name
    return out


@at_a_stretch()
def take(unit: Unit, sound: Sound) -> UUID:
    """Write all of a document: the unit of work it is done in commits it whole, or nothing of it.

    Args:
        unit: A unit of work that writes.
        sound: What was read.

    Returns: The project.
    Raises: Unsound: it is here meanwhile, or its parts cannot be worked out. Refused: no room for photos.
    """
    coming = look(unit, sound.document)
    document, session, own = coming.document, unit.session, unit.the_shop.uuid
    for shop in document.shops:
        if shop.uuid != own:
            _write_shop(unit, shop)
    newest = log.newest(session)
    fresh = [record for record in document.records if session.get(ClimateImport, record.uuid) is None]
    brought = rows.came(document, unit.now, newest + len(document.entries) - len(coming.known))
    tables: tuple[rows.Filled, ...] = (
        *rows.spaces(document.spaces, coming.names, own),
        rows.records(fresh),
        *rows.jobs(document, brought),
        (ProductRevision, _revisions(unit, document)),
        (ShelfSheet, [{**sheet, "earlier": [], "updated_at": unit.now} for sheet in coming.shelf]),
        *rows.entries(document.entries, coming.known, newest),
    )
    for table, filled in tables:
        if filled:  # past the mapper: it copies each row for objects that nobody wants
            session.connection().execute(insert(table.__table__), filled)  # type: ignore[arg-type]
    for record in fresh:
        climate.add_points(session, [{"import_uuid": record.uuid, **dict(point)} for point in record.points])
    statuses.bring_lessons(session, [rows.lesson(said) for said in document.lessons])
    batches = [row.entry.uuid for row in document.entries if row.entry.payload.kind == "batch"]
    changes.brought(session, [part.uuid for part in document.parts], batches)
    held = whole_parts_in(unit, document.project.uuid)  # noqa: F841 - the session remembers them while they are held
    try:
        unit.settled()
        parts_of(unit, [document.project.uuid])
    except (ValueError, KeyError, IndexError, ArithmeticError, AttributeError, Refused) as error:
        # Every row is sound, and still they do not go together: nothing of it is kept.
        why = f"the parts of this file cannot be worked out ({type(error).__name__})"
        raise Unsound(f"Nothing was taken: {why}.") from error
    _keep_pictures(unit, sound)  # last of all: files are not undone with the rows
    return document.project.uuid


def _revisions(unit: Unit, document: ProjectDocument) -> list[dict[str, Any]]:
    known = set(unit.session.scalars(select(ProductRevision.content_hash)))
    return [
        {
            "content_hash": row.content_hash,
            "key": row.product.key,
            "data": row.product.model_dump(mode="json"),
            "recorded_at": row.recorded_at,
        }
        for row in document.revisions
        if row.content_hash not in known
    ]


def _write_shop(unit: Unit, shop: ShopSaid) -> None:
    """Write where another shop is, and its weather: what it says last counts."""
    row = unit.session.get(ShopElsewhere, shop.uuid) or ShopElsewhere(uuid=shop.uuid)
    row.name, row.latitude, row.longitude = shop.name, shop.latitude, shop.longitude
    unit.session.add(row)
    unit.session.flush()
    columns = ("at", *elsewhere.COLUMNS)
    elsewhere.put_weather(unit.session, shop.uuid, [tuple(getattr(w, name) for name in columns) for w in shop.weather])


def _keep_pictures(unit: Unit, sound: Sound) -> None:
    wanted = {photo.content_hash for part in sound.document.parts for photo in part.photos}
    if missing := sorted(wanted - sound.pictures.keys()):
        raise Unsound("Nothing was taken: the picture of a photo is missing.", [("files", name) for name in missing])
    for name in sorted(wanted):
        try:
            photos.keep(file_of(unit.workshop), *sound.pictures[name])
        except Trouble as trouble:
            raise Refused(f"Nothing was taken: {trouble}", status=503) from trouble


def _small_and_large(document: ProjectDocument) -> dict[str, tuple[bytes, bytes]]:
    """Return the photos of a document by their hash, large and small; decoding takes a while, and no lock.

    Raises: Unsound: one of them is no photo.
    """
    out = {}
    for name, large in pictures(document).items():
        try:
            out[name] = large, read_photo(large).small
        except (NotReadable, OutOfRange) as error:
            where = f"files ({name[:12]}…)"
            raise Unsound("Nothing was taken: a photo cannot be read.", [(where, str(error))]) from error
    return out

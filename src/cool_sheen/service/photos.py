"""Photos of a part: brought in once, ordered by stage, written on, and erased for good."""

from dataclasses import dataclass
from datetime import UTC, datetime
from uuid import UUID

from sqlalchemy import func, select

from cool_sheen.core.part.stage import STAGE_WORDS, stage_of
from cool_sheen.formats.photos import Photo as Decoded
from cool_sheen.service.journal import check_time
from cool_sheen.service.keeping import file_of
from cool_sheen.service.part_now import PartNow
from cool_sheen.service.unit import Missing, Refused, Unit
from cool_sheen.store import photos
from cool_sheen.store.log import Conflict
from cool_sheen.store.models import Photo
from cool_sheen.store.troubles import Trouble

MOST_OF_A_PART = 400


@dataclass(frozen=True, slots=True)
class PhotoSaid:
    """What is said of a photo; without a stage it is that of the part now, without a time that of its camera.

    Attributes:
        kept_at: When a device kept it that found no program; as good as now, where the camera does not say.
    """

    stage: str = ""
    words: str = ""
    zones: tuple[UUID, ...] = ()
    at: datetime | None = None
    kept_at: datetime | None = None


def brought(unit: Unit, found: PartNow, uuid: UUID, photo: Decoded, said: PhotoSaid) -> Photo:
    """Keep a photo of a part; the same press again is the same photo.

    Raises: Refused: no such stage or zone, a time that cannot be, too many photos, or no room. Conflict: it is that of
        another part.
    """
    if before := unit.session.get(Photo, uuid):
        if before.part_uuid != found.part.uuid:
            raise Conflict(uuid)
        return before
    stage = said.stage or stage_now(found)
    _check(unit, found, stage, said.zones)
    check_time(unit, said.at)
    if len(of_part(unit, found.part.uuid)) >= MOST_OF_A_PART:
        raise Refused(
            f"A part has {MOST_OF_A_PART} photos at most: erase some first.", {"photo": "There is no more room."}
        )
    try:
        name = photos.keep(file_of(unit.workshop), photo.large, photo.small)
    except Trouble as trouble:
        raise Refused(str(trouble), {"photo": "It was not kept."}, status=503) from trouble
    row = Photo(
        uuid=uuid,
        part_uuid=found.part.uuid,
        zones=[str(zone) for zone in said.zones],
        stage=stage,
        words=said.words,
        taken_at=said.at or _taken(unit, photo.taken, said.kept_at),
        recorded_at=unit.now,
        person=unit.person,
        content_hash=name,
        width=photo.width,
        height=photo.height,
    )
    unit.session.add(row)
    unit.session.flush()
    return row


def _taken(unit: Unit, on_camera: datetime | None, kept_at: datetime | None) -> datetime:
    """When the camera says that it was, else when a device kept it; now where neither says anything that can be."""
    camera = on_camera and on_camera.replace(tzinfo=unit.zone).astimezone(UTC)
    for at in (at for at in (camera, kept_at) if at is not None):
        try:
            check_time(unit, at)
        except Refused:
            continue
        return min(at, unit.now)
    return unit.now


def _check(unit: Unit, found: PartNow, stage: str, zones: tuple[UUID, ...]) -> None:
    if stage not in STAGE_WORDS:
        raise Refused("At which stage was it taken?", {"stage": "Choose from the list."})
    if set(zones) - {z.uuid for z in found.row.live_zones}:
        raise Refused("This part has no such zone.", {"zones": "Choose zones of this part."})


def stage_now(found: PartNow) -> str:
    """Return the stage at which a part is."""
    finished = not found.ahead() and not found.owed.passed_over()
    return stage_of(found.history, found.system, found.products, finished=finished)


def of_part(unit: Unit, part: UUID) -> list[Photo]:
    """Return the photos of a part, the oldest first."""
    query = select(Photo).where(Photo.part_uuid == part, Photo.erased_at.is_(None))
    return list(unit.session.scalars(query.order_by(Photo.taken_at, Photo.recorded_at)))


def find_photo(unit: Unit, part: UUID, uuid: UUID) -> Photo:
    """Return a photo of a part. Raises Missing."""
    row = unit.session.get(Photo, uuid)
    if row is None or row.part_uuid != part or row.erased_at is not None:
        raise Missing("photo")
    return row


def written_on(unit: Unit, found: PartNow, uuid: UUID, said: PhotoSaid) -> None:
    """Say something else of a photo. Raises Missing; Refused."""
    row = find_photo(unit, found.part.uuid, uuid)
    _check(unit, found, said.stage, said.zones)
    check_time(unit, said.at)
    row.stage, row.words, row.zones = said.stage, said.words, [str(zone) for zone in said.zones]
    if said.at is not None:
        row.taken_at = said.at
    unit.session.flush()


def erased(unit: Unit, part: UUID, uuid: UUID) -> None:
    """Erase a photo for good: its file goes when no other photo is the same. Raises Missing."""
    row = find_photo(unit, part, uuid)
    name = row.content_hash
    row.erased_at, row.content_hash, row.words = unit.now, "", ""
    unit.session.flush()
    if not unit.session.scalar(select(func.count()).select_from(Photo).where(Photo.content_hash == name)):
        photos.erase(file_of(unit.workshop), name)


def erase_all(unit: Unit, part: UUID) -> None:
    """Erase every photo of a part for good."""
    for row in of_part(unit, part):
        erased(unit, part, row.uuid)


def is_kept(unit: Unit, name: str) -> bool:
    """Whether a photo of this name is kept."""
    return unit.session.scalar(select(Photo.uuid).where(Photo.content_hash == name).limit(1)) is not None

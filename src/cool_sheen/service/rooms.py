"""A room by its log: stamps of the make-ready list, typed readings, coats that were sprayed in it."""

from datetime import datetime
from uuid import UUID

from sqlalchemy.orm import Session

from cool_sheen.core.log.entries import (
    ClimateReadingPayload,
    CoatPayload,
    Entry,
    Recorded,
    StampPayload,
    VoidPayload,
)
from cool_sheen.core.log.fold import standing
from cool_sheen.core.planning.make_ready import READING, Stood, make_ready
from cool_sheen.service.desk import Desk, Missing, Refused, zone_of
from cool_sheen.store import log
from cool_sheen.store.models import Space

_MOST_SHOWN = 6


def room_list(desk: Desk, opened: Session, space: Space) -> list[Stood]:
    """Return the make-ready list of a space as it stands today."""
    shop = desk.shop(opened)
    assert shop is not None  # a space belongs to a shop
    midnight = desk.now().astimezone(zone_of(shop)).replace(hour=0, minute=0, second=0, microsecond=0)
    stamps = {
        row.entry.payload.gate: row.entry.occurred_at
        for row in standing(log.of_kind_since(opened, "stamp", midnight))
        if isinstance(row.entry.payload, StampPayload) and row.entry.payload.space == space.uuid
    }
    coats = [
        row.entry.occurred_at
        for row in standing(log.of_kind_since(opened, "coat", midnight))
        if isinstance(row.entry.payload, CoatPayload) and row.entry.payload.space == space.uuid
    ]
    read = [row.entry.occurred_at for row in readings(opened, space.uuid, midnight)]
    has = {
        "floor_damped": space.floor_damped, "extraction": space.extraction,
        "dehumidifier": space.dehumidifier_max_rh_pct is not None, "heater": space.heater_min_c is not None,
    }  # fmt: skip
    return make_ready(desk.catalogue.room_steps, has, stamps, max(coats, default=None), max(read, default=None))


def readings(opened: Session, space: UUID, since: datetime) -> list[Recorded]:
    """Return the typed readings of a space that stand, newest last."""
    return [
        row
        for row in standing(log.of_kind_since(opened, "climate_reading", since))
        if isinstance(row.entry.payload, ClimateReadingPayload) and row.entry.payload.space == space
    ][-_MOST_SHOWN:]


def stamp(desk: Desk, opened: Session, space: UUID, press: UUID, key: str) -> Recorded:
    """Stamp the next step of a room. Raises Refused: it is not its turn, or the reading, which is typed."""
    row = opened.get(Space, space)
    if row is None:
        raise Missing("space")
    if before := log.by_uuid(opened, press):
        return before
    turn = next((s.step for s in room_list(desk, opened, row) if s.is_next), None)
    if key == READING:
        raise Refused("Type what the instrument shows: that is the stamp.", {"air": "Enter the air, such as 21 °C."})
    if turn is None or turn.key != key:
        first = turn.title if turn else "Everything is done for now"
        raise Refused(f"{first}: one after the other.", status=409)
    return _write(desk, opened, press, StampPayload(gate=key, space=space), desk.now())


def read_air(desk: Desk, opened: Session, press: UUID, payload: ClimateReadingPayload, at: datetime | None) -> Recorded:
    """Log a typed reading: it overrules the forecast near it, and fades. Raises Refused for a time that cannot be."""
    if opened.get(Space, payload.space) is None:
        raise Missing("space")
    if before := log.by_uuid(opened, press):
        return before
    when = at or desk.now()
    if when > desk.now():
        raise Refused("That time lies in the future.", {"at": "Enter a time up to now."})
    return _write(desk, opened, press, payload, when)


def take_back(desk: Desk, opened: Session, press: UUID, entry: UUID) -> Recorded:
    """Take a typed reading back. Raises Refused."""
    found = log.by_uuid(opened, entry)
    if found is None or found.entry.payload.kind != "climate_reading":
        raise Refused("There is no such reading here.", status=404)
    if before := log.by_uuid(opened, press):
        return before
    return _write(desk, opened, press, VoidPayload(), desk.now(), voids=entry)


def _write(
    desk: Desk, opened: Session, press: UUID, payload: object, at: datetime, voids: UUID | None = None
) -> Recorded:
    entry = Entry(uuid=press, payload=payload, occurred_at=at, person="shop", device="web", voids=voids)  # type: ignore[arg-type]
    return log.append(opened, entry, desk.now())

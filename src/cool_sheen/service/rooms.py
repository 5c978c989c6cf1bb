"""A room by its log: stamps of the make-ready list, typed readings, coats that were sprayed in it."""

from datetime import datetime
from uuid import UUID

from cool_sheen.core.log.entries import (
    ClimateReadingPayload,
    CoatPayload,
    DoorPayload,
    Recorded,
    StampPayload,
    Target,
    VoidPayload,
)
from cool_sheen.core.log.standing import unvoided
from cool_sheen.core.work.make_ready import READING, Stood, make_ready
from cool_sheen.service import journal
from cool_sheen.service.learning import learn_again
from cool_sheen.service.unit import Missing, Refused, Unit
from cool_sheen.store import log
from cool_sheen.store.models import Part, Space

_MOST_SHOWN = 6


def room_list(unit: Unit, space: Space) -> list[Stood]:
    """Return the make-ready list of a space as it stands today."""
    midnight = _midnight(unit)
    coats = [
        row.entry.occurred_at
        for row in unvoided(log.of_kind_since(unit.session, "coat", midnight))
        if isinstance(row.entry.payload, CoatPayload) and row.entry.payload.space == space.uuid
    ]
    read = [row.entry.occurred_at for row in readings(unit, space.uuid, midnight)]
    has = {
        "floor_damped": space.floor_damped,
        "extraction": space.extraction,
        "dehumidifier": space.dehumidifier_max_rh_pct is not None,
        "heater": space.heater_min_c is not None,
    }
    stamps = stamps_today(unit, space.uuid)
    return make_ready(unit.catalogue.room_steps, has, stamps, max(coats, default=None), max(read, default=None))


def stamps_today(unit: Unit, space: UUID) -> dict[str, datetime]:
    """Return which steps of a room's list were stamped today, each with when."""
    return {
        row.entry.payload.gate: row.entry.occurred_at
        for row in unvoided(log.of_kind_since(unit.session, "stamp", _midnight(unit)))
        if isinstance(row.entry.payload, StampPayload) and row.entry.payload.space == space
    }


def _midnight(unit: Unit) -> datetime:
    return unit.now.astimezone(unit.zone).replace(hour=0, minute=0, second=0, microsecond=0)


def readings(unit: Unit, space: UUID, since: datetime) -> list[Recorded]:
    """Return the typed readings of a space that stand, newest last."""
    return [
        row
        for row in unvoided(log.of_kind_since(unit.session, "climate_reading", since))
        if isinstance(row.entry.payload, ClimateReadingPayload) and row.entry.payload.space == space
    ][-_MOST_SHOWN:]


def stamp(unit: Unit, space: UUID, press: UUID, key: str) -> Recorded:
    """Stamp the next step of a room. Raises Refused: it is not its turn, or the reading, which is typed."""
    row = unit.session.get(Space, space)
    if row is None:
        raise Missing("space")
    if before := journal.pressed_before(unit, press):
        return before
    turn = next((s.step for s in room_list(unit, row) if s.is_next), None)
    if key == READING:
        raise Refused("Type what the instrument shows: that is the stamp.", {"air": "Enter the air, such as 21 °C."})
    if turn is None or turn.key != key:
        first = turn.title if turn else "Everything is done for now"
        raise Refused(f"{first}: one after the other.", status=409)
    return journal.write(unit, (), StampPayload(gate=key, space=space), journal.Press(press))


def read_air(
    unit: Unit, press: UUID, payload: ClimateReadingPayload, at: datetime | None, part: UUID | None = None
) -> Recorded:
    """Log a typed reading: it overrules the forecast near it, and fades.

    Args:
        unit: The unit of work.
        press: The press.
        payload: What was read.
        at: When, if not just now.
        part: Whose surface was measured, if one was.

    Raises: Refused: a time that cannot be, or a part that is not here.
    """
    if unit.session.get(Space, payload.space) is None:
        raise Missing("space")
    if before := journal.pressed_before(unit, press):
        return before
    when = at or unit.now
    journal.check_time(unit, at)
    learn_again(unit, when, when)
    unit.workshop.at_hand = payload.space
    return journal.write(unit, _about(unit, part), payload, journal.Press(press, when))


def _about(unit: Unit, part: UUID | None) -> tuple[Target, ...]:
    """The part whose surface was read. Raises Refused: there is no such part."""
    if part is None:
        return ()
    row = unit.session.get(Part, part)
    if row is None:
        raise Refused("There is no such part.", {"part": "Choose the part whose surface you measured."})
    return (Target(project=row.project_uuid, part=part),)


def press_door(unit: Unit, space: UUID, press: UUID, *, is_open: bool, at: datetime | None) -> Recorded:
    """Log that the doors of a space were opened, or shut. Raises Refused: outdoors, or a time that cannot be."""
    row = unit.session.get(Space, space)
    if row is None:
        raise Missing("space")
    if before := journal.pressed_before(unit, press):
        return before
    if row.kind == "outdoors":
        raise Refused("There are no doors outdoors.", {"space": "Choose a space indoors."})
    when = at or unit.now
    journal.check_time(unit, at)
    learn_again(unit, when, unit.now)
    unit.workshop.at_hand = space
    return journal.write(unit, (), DoorPayload(space=space, open=is_open), journal.Press(press, when))


def take_back(unit: Unit, press: UUID, entry: UUID) -> Recorded:
    """Take a typed reading back. Raises Refused."""
    found = log.by_uuid(unit.session, entry)
    if found is None or found.entry.payload.kind not in ("climate_reading", "door"):
        raise Refused("There is no such reading here.", status=404)
    if before := journal.pressed_before(unit, press):
        return before
    learn_again(unit, found.entry.occurred_at, unit.now)
    unit.workshop.at_hand = found.entry.payload.space
    return journal.write(unit, found.entry.targets, VoidPayload(), journal.Press(press), voids=entry)

"""The one door to the log: who wrote, when, once, about what; what is kept of it goes with it in one transaction."""

from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any
from uuid import UUID

from cool_sheen.core.log.entries import Entry, Recorded, Target
from cool_sheen.service.unit import Refused, Unit
from cool_sheen.store import log
from cool_sheen.store.models import Part

_EARLIEST = timedelta(days=366)
_CLOCK_SLACK = timedelta(minutes=2)  # a tablet's clock may be a little ahead


@dataclass(frozen=True, slots=True)
class Press:
    """One press of a button: its id, when the work ended, and the zones that it was done to (all when empty)."""

    uuid: UUID
    at: datetime | None = None
    zones: frozenset[UUID] = frozenset()


def targets(part: Part, zones: frozenset[UUID] = frozenset()) -> tuple[Target, ...]:
    """Return what an entry is about: these zones, or all that the part has now."""
    return tuple(
        Target(project=part.project_uuid, part=part.uuid, zone=zone.uuid)
        for zone in part.live_zones
        if not zones or zone.uuid in zones
    )


def pressed_before(unit: Unit, press: UUID) -> Recorded | None:
    """Return what a press wrote when it was sent before."""
    return log.by_uuid(unit.session, press)


def same_press(unit: Unit, press: UUID, kind: str, part: Part, said: dict[str, Any]) -> Recorded | None:
    """Return the entry that this press wrote before. Raises Conflict when the first one said something else."""
    before = pressed_before(unit, press)
    if before is None:
        return None
    payload = before.entry.payload
    differs = any(getattr(payload, name, None) != value for name, value in said.items() if value is not None)
    if payload.kind != kind or differs or part.uuid not in {t.part for t in before.entry.targets}:
        raise log.Conflict(press)
    return before


def write(unit: Unit, about: tuple[Target, ...], payload: Any, press: Press, **more: Any) -> Recorded:
    """Write one entry, once; a press that is sent again keeps the time of the first one, so that it stays the same.

    Args:
        unit: The unit of work.
        about: What it is about.
        payload: What happened.
        press: The press; without a time it was just now.
        more: The planned step, the reason, the entry that is taken back.

    Raises: Conflict: the press said something else before. UnknownTarget: it is about what is not here.
    """
    before = pressed_before(unit, press.uuid)
    when = press.at or (before.entry.occurred_at if before else unit.now)
    entry = Entry(
        uuid=press.uuid,
        payload=payload,
        occurred_at=when,
        targets=about,
        person=unit.person,
        device=unit.device,
        **more,
    )
    return log.append(unit.session, entry, unit.now)


def write_on_part(unit: Unit, part: Part, payload: Any, press: Press, **more: Any) -> Recorded:
    """Write one entry about a part. Raises Refused for a time that cannot be; Conflict."""
    check_time(unit, press.at)
    return write(unit, targets(part, press.zones), payload, press, **more)


def check_time(unit: Unit, at: datetime | None) -> None:
    """See to it that something can have happened at a time. Raises Refused: ahead of now, or over a year ago."""
    if at is None:
        return
    if at > unit.now + _CLOCK_SLACK:
        raise Refused("That time lies in the future.", {"at": "Enter a time up to now."})
    if at < unit.now - _EARLIEST:
        raise Refused("That is over a year ago.", {"at": "Enter a time within the last year."})

"""Hands-on hours on a part: entered, and gathered as they came."""

from datetime import datetime
from uuid import UUID

from cool_sheen.core.log.entries import Recorded
from cool_sheen.core.log.spent import MOST_MINUTES, WORK_WORDS, HoursPayload, WorkKind
from cool_sheen.core.log.standing import unvoided
from cool_sheen.core.statistics.hours import PartHours, estimated, spent, work_of_step
from cool_sheen.core.units import Minutes
from cool_sheen.service.histories import entries_of
from cool_sheen.service.journal import Press, same_press, write_on_part
from cool_sheen.service.part_now import PartNow
from cool_sheen.service.unit import Refused, Unit


def hours_on(
    unit: Unit, found: PartNow, uuid: UUID, work: str, minutes: Minutes, note: str = "", at: datetime | None = None
) -> Recorded:
    """Log hands-on time on a part.

    Args:
        unit: The unit of work.
        found: The part.
        uuid: Of the press.
        work: The kind of work.
        minutes: How long, over all hands. [min]
        note: Words.
        at: Until when; now when None.

    Raises: Refused: no such kind of work, nothing at all, too much for one entry, or a time that cannot be. Conflict.
    """
    kind: WorkKind | None = next((known for known in WORK_WORDS if known == work), None)
    if kind is None:
        raise Refused("What kind of work was it?", {"work": "Choose from the list."})
    if not 0 < minutes <= MOST_MINUTES:
        enter = f"Enter more than 0, and up to {MOST_MINUTES / 60:.0f} hours."
        raise Refused("How long did it take?", {"hours": enter})
    said = HoursPayload(work=kind, minutes=minutes, note=note)
    if before := same_press(unit, uuid, "hours", found.row, {"work": kind, "minutes": minutes}):
        return before
    return write_on_part(unit, found.row, said, Press(uuid, at))


def work_in_hand(found: PartNow) -> WorkKind:
    """Return the kind of work that was done last, as far as the log tells: hours are entered when it is done."""
    done = [*((w.at, w.kind) for w in found.history.works), *((c.ended_at, "coat") for c in found.history.coats)]
    return work_of_step(max(done)[1]) if done else "prepare"


def hours_of(unit: Unit, found: PartNow) -> PartHours:
    """Return the hours of a part as they came, and what the table says of the steps that are done."""
    rows = unvoided(entries_of(unit, found.part.uuid))
    done = [row.step for row in found.owed.rows if row.status == "done"]
    return PartHours(found.part.area_m2, estimated(done), spent(rows))

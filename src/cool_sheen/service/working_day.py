"""The shop's working hours as they bind its work now: whoever has just worked out of hours is there for a while."""

from datetime import datetime

from cool_sheen.core.log.entries import CoatPayload, SandPayload, StepPayload
from cool_sheen.core.log.standing import unvoided
from cool_sheen.core.work.hours import WorkingHours
from cool_sheen.service.own_ways import hours_of
from cool_sheen.service.unit import Unit
from cool_sheen.store import changes, log

_WORK = (CoatPayload, SandPayload, StepPayload)
_LATEST = 100  # entries, of all parts


def working_day(unit: Unit) -> WorkingHours:
    """Return when the shop works: the same for each part and for the plan of all of them."""
    hours = hours_of(unit.the_shop)
    if hours.is_open(unit.now):
        return hours
    number = changes.generations(unit.session).get(changes.ANYTHING, 0)
    last: datetime | None = unit.kept.get(("last work", number, unit.now), lambda: _last_work(unit), lambda _: 100)
    late = hours.working_late(last)
    return late if late.until is not None and unit.now <= late.until else hours


def _last_work(unit: Unit) -> datetime | None:
    """When work ended last, on whichever part."""
    ended = (
        row.entry.occurred_at
        for row in unvoided(log.latest(unit.session, _LATEST))
        if isinstance(row.entry.payload, _WORK) and row.entry.occurred_at <= unit.now
    )
    return max(ended, default=None)

"""The shop's working hours as they bind its work now. After work out of hours somebody is there for a while longer."""

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
    last: datetime | None = unit.kept.get(("last work", number), lambda: _last_work(unit), lambda _: 100)
    late = hours.working_late(last) if last and last <= unit.now else hours
    return late if late.until and unit.now <= late.until else hours


def _last_work(unit: Unit) -> datetime | None:
    """When work ended last, on any part."""
    entries = (row.entry for row in unvoided(log.latest(unit.session, _LATEST)))
    return max((entry.occurred_at for entry in entries if isinstance(entry.payload, _WORK)), default=None)

"""What an earlier plan had a part do, in its order: whoever keeps to it does the same, as long as that is in time."""

from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime, timedelta

from cool_sheen.core.part.placed import Planned
from cool_sheen.core.work.steps import Step, Zones

STILL_IN_TIME = timedelta(minutes=5)  # who is later than that decides anew what goes first


@dataclass(frozen=True, slots=True)
class Due:
    """A piece of a step as it was planned, or what was put in before it."""

    step: str
    zones: Zones
    at: datetime

    @property
    def before(self) -> str:
        """The step before which it was put in, if it was."""
        return self.step.rpartition(":")[0]

    def is_for(self, step: Step, zones: Zones) -> bool:
        """Whether it is a piece of a step, or goes before one, on some of these zones."""
        return step.id in (self.step, self.before) and bool(zones & self.zones)


class Order:
    """All that is still due, in order."""

    def __init__(self, due: tuple[Due, ...] = ()) -> None:
        self._due = due

    def first(self, has: Callable[[Due], bool]) -> Due | None:
        """Return the first that something is to be said of."""
        return next((due for due in self._due if has(due)), None)

    def after(self, done: Planned) -> "Order":
        """What is due when something is done: it is not, nor is what was to be put in before it."""
        step, zones = done.step, done.step.zones
        place = next((n for n, d in enumerate(self._due) if d.step == step.id and d.zones & zones), None)
        if place is None:
            return self
        kept = (d for d in self._due[:place] if not (d.before == step.id and d.zones & zones))
        return Order((*kept, *self._due[place + 1 :]))

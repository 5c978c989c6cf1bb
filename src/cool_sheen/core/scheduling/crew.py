"""Who works in a shop, with which tools, in which rooms, and when nobody does."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from uuid import UUID

from cool_sheen.core.work.hours import WorkingHours

HELPS = frozenset({"turn", "wipe", "tack"})  # what a helper may do alone
MIX_MINUTES, STANDS_MINUTES = 8.0, 60.0  # stirred and measured; paint that may stand in a tool between two coats
SPRAYS = frozenset({"hvlp", "conventional", "airless"})
NO_TOOL = "aerosol"  # it is its own tool: nothing is mixed for it, and nothing cleaned
KEEPS = timedelta(hours=12)  # a mix without a pot life: a working day


@dataclass(frozen=True, slots=True)
class Worker:
    """Somebody who works, and at what; at everything when ``kinds`` is None."""

    name: str
    kinds: frozenset[str] | None = None

    def does(self, kind: str) -> bool:
        """Whether it is work for this one."""
        return self.kinds is None or kind in self.kinds


@dataclass(frozen=True, slots=True)
class Crew:
    """Painters, perhaps somebody who helps, and guns."""

    painters: int = 1
    helper: bool = False
    guns: int = 1

    @property
    def workers(self) -> tuple[Worker, ...]:
        """Everybody; who can do the least is asked first."""
        names = ["Painter"] if self.painters == 1 else [f"Painter {n}" for n in range(1, self.painters + 1)]
        helping = (Worker("Helper", HELPS),) if self.helper else ()
        return (*helping, *(Worker(name) for name in names))


@dataclass(frozen=True, slots=True)
class Blocked:
    """Hours in which nobody works."""

    since: datetime
    to: datetime
    why: str


@dataclass(frozen=True)
class Shop:
    """All that parts share. ``holds`` says how many wet parts a room takes at a time; what is not named, any number.

    ``pins`` are the starts that somebody chose: a step stands there, or as soon after as it can.
    """

    hours: WorkingHours
    now: datetime
    crew: Crew = field(default_factory=Crew)
    holds: Mapping[UUID, int] = field(default_factory=dict)
    blocked: tuple[Blocked, ...] = ()
    pins: Mapping[tuple[UUID, str], datetime] = field(default_factory=dict)
    begins: datetime | None = None  # nothing is planned before it; from now on when None

    @property
    def earliest(self) -> datetime:
        """Before which nothing is done."""
        return max(self.now, self.begins or self.now)

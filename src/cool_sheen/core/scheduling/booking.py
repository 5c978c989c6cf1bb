"""What a plan of a shop is made of: parts, pots, loaded tools, the lines that are booked."""

from dataclasses import dataclass
from datetime import datetime, timedelta
from uuid import UUID

from cool_sheen.core.drying.blend import Blend
from cool_sheen.core.part.placed import Planned
from cool_sheen.core.part.situation import Situation
from cool_sheen.core.scheduling.diary import Taken
from cool_sheen.core.work.steps import Zones

PieceOf = tuple[UUID, str, Zones]  # a part, a step of it, and the zones of a piece of that: all of them where none is


@dataclass(frozen=True)
class Job:
    """A part, as far as the plan of a shop minds.

    Attributes:
        key: Which part.
        name: How everybody calls it.
        situation: How it stands.
        space: Where it stands.
        after: The part that is finished first.
        due: When it has to be usable.
        project: Which project it belongs to, in words.
    """

    key: UUID
    name: str
    situation: Situation
    space: UUID | None = None
    after: UUID | None = None
    due: datetime | None = None
    project: str = ""


@dataclass(frozen=True, slots=True)
class Batch:
    """A pot of a plan: one product in one blend, from when to when coats come out of it."""

    number: int
    product: str
    blend: Blend
    begun: datetime
    usable: datetime
    gels: datetime
    of: UUID | None = None  # the part that alone may use it: what is in a pot by now was mixed for it


@dataclass(frozen=True, slots=True)
class Session:
    """A tool loaded with one product, from the first coat to the last and its clean-out."""

    tool: str
    place: int
    product: str
    blend: Blend
    first: datetime
    last: datetime
    clean: Taken
    by: str  # who cleans it
    coats: tuple[tuple[datetime, datetime], ...]


@dataclass(frozen=True, slots=True)
class Slot:
    """All that a step takes, found free: who, which session it opens or goes on with, which batch it comes from."""

    worker: str
    session: Session | None = None
    joins: Session | None = None
    batch: Batch | None = None
    mixed: Taken | None = None
    mixed_by: str = ""


@dataclass(frozen=True, slots=True)
class Booked:
    """One line of the plan: a step of a part, or what the shop does around it: mixing, cleaning a tool.

    ``end`` is when the part goes on; ``hands`` is how long somebody is at it.
    """

    start: datetime
    end: datetime
    kind: str
    label: str
    worker: str
    hands: timedelta
    part: UUID | None = None
    planned: Planned | None = None
    batch: int | None = None
    product: str = ""
    tool: str = ""
    place: int = 0  # which of the guns


@dataclass(frozen=True, slots=True)
class Wet:
    """A part in a room from the start of a coat until it is dust free."""

    part: UUID
    start: datetime
    end: datetime

"""A step with its time, and why it stands there."""

from dataclasses import dataclass, field
from datetime import datetime, timedelta
from enum import StrEnum
from typing import TYPE_CHECKING

from cool_sheen.core.climate.gates import Shut
from cool_sheen.core.drying.blend import AS_USUAL, Blend
from cool_sheen.core.drying.clock import Band
from cool_sheen.core.work.steps import Step

if TYPE_CHECKING:
    from cool_sheen.core.part.top import Top


class Wait(StrEnum):
    """What a step waits for, the first that holds it."""

    NOTHING = "nothing"
    FILM = "film"
    DAMP = "damp"
    TIME = "time"  # that the system has it wait
    GATE = "gate"
    LIMIT = "limit"  # coats a day
    HOURS = "hours"
    HANDS = "hands"  # whoever does it is at something else
    GUN = "gun"
    ROOM = "room"
    MIX = "mix"  # its mix is made first
    AFTER = "after"  # another part comes first
    PINNED = "pinned"  # somebody put it there
    PLANNED = "planned"  # an earlier plan has it then
    SPACED = "spaced"  # coats further apart dry sooner
    WINDOW = "window"  # it waits so that what follows finds its window open


@dataclass(frozen=True, slots=True)
class Hold:
    """One thing that held a step, and until when."""

    wait: Wait
    until: datetime
    because: str
    by: str = ""
    shut: Shut | None = None


@dataclass(frozen=True, slots=True)
class Planned:
    """A step with its time, and why it stands there. ``step.zones`` are those that it is placed for.

    A step that waits for the film below has the band of that wait; a coat with a closing has the time left to it.
    ``holds`` are all things that held it, one after the other: the last one binds.
    """

    step: Step
    start: datetime
    end: datetime
    because: str
    labour: timedelta
    wait: Wait = Wait.NOTHING
    waits: Band | None = None
    closes: Band | None = None
    spare: timedelta | None = None
    shut: Shut | None = None
    inserted: bool = False
    holds: tuple[Hold, ...] = ()
    missed: "Missed | None" = None
    blend: Blend = AS_USUAL  # the mix of a coat
    films: tuple["Top", ...] = field(default=(), repr=False, compare=False)  # on its zones, as it begins

    @property
    def lasts(self) -> timedelta:
        """How long its part has to do with it."""
        return self.end - self.start

    @property
    def reason(self) -> str:
        """Why it stands where it does, with the working hours that it waits for."""
        return f"{self.because}, then working hours" if self.resumes else self.because

    @property
    def resumes(self) -> datetime | None:
        """When the working hours begin that it waited for last; None where something else held it."""
        return self.start if self.holds and self.holds[-1].wait is Wait.HOURS else None

    @property
    def opens_again(self) -> bool:
        """Whether it was put in because a window closes first: a key, a pad, a fresh coat."""
        return self.inserted and self.step.id.endswith((":key", ":pad", ":fresh"))


@dataclass(frozen=True, slots=True)
class Missed:
    """A window that closes before its coat could be on, for which a key is put in: when it closes, when that is."""

    closes: datetime
    could: datetime


class Stuck(Exception):
    """A step that has no time within the forecast; its text says why."""

    def __init__(self, words: str, step: Step, wait: Wait, because: str) -> None:
        super().__init__(words)
        self.step, self.wait, self.because = step, wait, because


@dataclass(frozen=True, slots=True)
class Fit:
    """A time that a step was given, and what held it."""

    at: datetime
    wait: Wait
    because: str
    shut: Shut | None = None
    holds: tuple[Hold, ...] = ()

    @classmethod
    def by(cls, at: datetime, wait: Wait, because: str) -> "Fit":
        """A time that something held."""
        return cls(at, wait, because, holds=() if wait is Wait.NOTHING else (Hold(wait, at, because),))

    def held(self, at: datetime, wait: Wait, because: str, shut: Shut | None = None, by: str = "") -> "Fit":
        """A later time: what held it first is what is said first."""
        holds = (*self.holds, Hold(wait, at, because, by, shut))
        if wait is Wait.HOURS:  # told by when work resumes: the reason of the step stays what it is
            return Fit(at, wait if self.wait is Wait.NOTHING else self.wait, self.because, self.shut or shut, holds)
        if self.wait is Wait.NOTHING:
            return Fit(at, wait, because, shut, holds)
        words = self.because if because in self.because else f"{self.because}, {because}"
        return Fit(at, self.wait, words, self.shut or shut, holds)

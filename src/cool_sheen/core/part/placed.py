"""A step with its time, and why it stands there."""

from dataclasses import dataclass
from datetime import datetime, timedelta
from enum import StrEnum

from cool_sheen.core.climate.gates import Shut
from cool_sheen.core.drying.clock import Band
from cool_sheen.core.work.steps import Step


class Wait(StrEnum):
    """What a step waits for, the first that holds it."""

    NOTHING = "nothing"
    FILM = "film"
    DAMP = "damp"
    TIME = "time"  # that the system has it wait
    GATE = "gate"
    LIMIT = "limit"  # coats a day
    HOURS = "hours"


@dataclass(frozen=True, slots=True)
class Planned:
    """A step with its time, and why it stands there. ``step.zones`` are those that it is placed for.

    A step that waits for the film below has the band of that wait; a coat with a closing has the time left to it.
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

    @property
    def opens_again(self) -> bool:
        """Whether it was put in because a window closes first: a key, a pad, a fresh coat."""
        return self.inserted and self.step.id.endswith((":key", ":pad", ":fresh"))


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

    def held(self, at: datetime, wait: Wait, because: str, shut: Shut | None = None) -> "Fit":
        """A later time: what held it first is what is said first."""
        if self.wait is Wait.NOTHING:
            return Fit(at, wait, f"{self.because}, {because}" if wait is Wait.HOURS else because, shut)
        known = because in self.because
        return Fit(at, self.wait, self.because if known else f"{self.because}, {because}", self.shut or shut)

"""Who and what a step takes, and when that is to be had: one pair of hands within working hours, or a whole shop."""

from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Protocol

from cool_sheen.core.drying.blend import AS_USUAL, Blend
from cool_sheen.core.part.placed import Wait
from cool_sheen.core.work.hours import WorkingHours
from cool_sheen.core.work.steps import Step


@dataclass(frozen=True, slots=True)
class Asked:
    """A step that somebody would begin at an instant: hands for ``labour``, the part for as long as it ``lasts``."""

    step: Step
    at: datetime
    labour: timedelta
    lasts: timedelta
    blend: Blend = AS_USUAL
    closes: datetime | None = None  # when the film below takes a coat no more


@dataclass(frozen=True, slots=True)
class Busy:
    """What keeps a step from beginning when it is asked for, and until when."""

    until: datetime
    wait: Wait
    because: str
    by: str = ""  # the step, of whichever part, that has what this one wants


class Hands(Protocol):
    """Whoever does the work."""

    def busy(self, asked: Asked) -> Busy | None:
        """Say what keeps a step from beginning; None when all that it takes is free from then on."""


@dataclass(frozen=True, slots=True)
class Alone:
    """One pair of hands that has nothing else to do: working hours are all that binds it."""

    day: WorkingHours

    def busy(self, asked: Asked) -> Busy | None:
        """Say when the working day lets a step begin."""
        start = self.day.fit(asked.at, asked.labour)
        return None if start <= asked.at else Busy(start, Wait.HOURS, "then working hours")

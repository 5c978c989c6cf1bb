"""Watches the machine's clock: that it goes back, or leaps, is noticed, since every window is counted by it."""

import time
from dataclasses import dataclass
from datetime import datetime, timedelta

SLACK = timedelta(minutes=2)  # what a time service may put right without a word


@dataclass(frozen=True, slots=True)
class Leap:
    """The clock was turned: by how much, and what it showed right after."""

    by: timedelta
    at: datetime

    @property
    def words(self) -> str:
        """What happened, and what to do."""
        total = round(abs(self.by).total_seconds() / 60)
        days, rest = divmod(total, 1440)
        hours, minutes = divmod(rest, 60)
        parts = [f"{n} {unit}" for n, unit in ((days, "d"), (hours, "h"), (minutes, "min")) if n]
        way = "ahead" if self.by > timedelta(0) else "back"
        return (
            f"The clock of this machine was turned {way} by {' '.join(parts)}. What is logged goes by it, and so "
            "does every count: set it right, and look at what was logged since."
        )


def steady_s() -> float:
    """Return a count that no turning of the clock moves, and that goes on while the machine sleeps. [s]"""
    boot = getattr(time, "CLOCK_BOOTTIME", None)
    return time.monotonic() if boot is None else time.clock_gettime(boot)


class ClockWatch:
    """Holds the clock against a count that only goes forwards."""

    def __init__(self, now: datetime, steady: float) -> None:
        self._now, self._steady = now, steady

    def look(self, now: datetime, steady: float) -> Leap | None:
        """Return the leap since the last look, if there was one.

        Args:
            now: What the clock shows.
            steady: The count that goes on whatever the clock does. [s]
        """
        expected = self._now + timedelta(seconds=steady - self._steady)
        self._now, self._steady = now, steady
        by = now - expected
        return Leap(by, now) if abs(by) > SLACK else None


def behind(now: datetime, newest: datetime | None) -> Leap | None:
    """Return how far a clock stands behind what was written last, when a program starts."""
    if newest is None or now >= newest - SLACK:
        return None
    return Leap(now - newest, now)

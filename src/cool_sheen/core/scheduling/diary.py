"""What somebody, or something, is taken by, in order of time."""

from bisect import bisect_left, bisect_right, insort
from dataclasses import dataclass, field
from datetime import datetime, timedelta


@dataclass(frozen=True, slots=True, order=True)
class Taken:
    """A stretch that is taken, and by what."""

    start: datetime
    end: datetime
    by: str = field(compare=False, default="")


class Diary:
    """Stretches that do not overlap."""

    def __init__(self, taken: list[Taken] | None = None) -> None:
        self._taken = list(taken or ())

    def copy(self) -> "Diary":
        """The same diary, apart."""
        return Diary(self._taken)

    def add(self, taken: Taken) -> None:
        """Write a stretch in."""
        insort(self._taken, taken)

    def remove(self, taken: Taken) -> None:
        """Take a stretch out again."""
        del self._taken[bisect_left(self._taken, taken)]

    def gap(self, at: datetime, length: timedelta, but: Taken | None = None) -> tuple[datetime, Taken | None]:
        """The first start from an instant on with so much room, and what is in the way before it."""
        last: Taken | None = None
        place = bisect_right(self._taken, at, key=lambda t: t.end)
        for taken in self._taken[place:]:
            if taken.start - at >= length:
                break
            if taken is not but:
                at, last = taken.end, taken
        return at, last

    def clash(self, start: datetime, end: datetime, but: Taken | None = None) -> Taken | None:
        """The first stretch that overlaps another; one may be left out of account."""
        place = bisect_right(self._taken, start, key=lambda t: t.end)
        for taken in self._taken[place:]:
            if taken.start >= end:
                return None
            if taken is not but:
                return taken
        return None

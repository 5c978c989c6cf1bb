"""When the shop works, by its own clock."""

from collections.abc import Iterator
from dataclasses import dataclass, replace
from datetime import date, datetime, time, timedelta
from zoneinfo import ZoneInfo

from cool_sheen.core.once import cached_property

STAYS_ON = timedelta(hours=2)  # who worked out of hours is taken to stay that long for what comes next
_FARTHEST_DAYS = 800  # no shop is shut for longer
A_WEEK = 7


@dataclass(frozen=True, slots=True)
class Stretch:
    """From when to when the shop works on a day, by its own clock."""

    opens: time
    closes: time

    @property
    def length(self) -> timedelta:
        """How long that is."""
        return datetime.combine(date.min, self.closes) - datetime.combine(date.min, self.opens)


@dataclass(frozen=True)
class WorkingHours:
    """When a shop works; who works late is there ``until`` then, whatever the hours say.

    Attributes:
        week: Monday to Sunday; None where it is shut.
        zone: Whose clock that is.
        off: Days off, each from a first to a last one.
        until: Until when somebody is there all the same.
    """

    week: tuple[Stretch | None, ...]
    zone: ZoneInfo
    off: tuple[tuple[date, date], ...] = ()
    until: datetime | None = None

    @classmethod
    def every_day(cls, opens: time, closes: time, zone: ZoneInfo) -> "WorkingHours":
        """The hours of a shop whose days are all alike."""
        return cls((Stretch(opens, closes),) * A_WEEK, zone)

    @cached_property
    def longest(self) -> timedelta:
        """The longest stretch of work of any day."""
        return max((hours.length for hours in self.week if hours), default=timedelta(0))

    def on(self, day: date) -> Stretch | None:
        """The hours of a day; None when the shop is shut."""
        hours = self.week[day.weekday()]
        if hours is None or any(first <= day <= last for first, last in self.off):
            return None
        return hours

    def fit(self, at: datetime, labour: timedelta) -> datetime:
        """Return the first instant from ``at`` on at which this much work fits into one day.

        Work that is longer than any day starts with a day.
        """
        if self.until is not None and at <= self.until:
            return at
        local = at.astimezone(self.zone)
        never_fits = labour > self.longest
        for day in _days(local.date()):
            hours = self.on(day)
            if hours is None:
                continue
            opens = datetime.combine(day, hours.opens, self.zone)
            closes = datetime.combine(day, hours.closes, self.zone)
            if local <= opens:
                if never_fits or opens + labour <= closes:
                    return opens.astimezone(at.tzinfo)
            elif local + labour <= closes:
                return at
        return at

    def working_late(self, last_work: datetime | None) -> "WorkingHours":
        """The hours of somebody who has just worked out of hours: they are for planning, not for who is there.

        Args:
            last_work: When something was last done; None when nothing was.
        """
        if last_work is None:
            return self
        return self if self.is_open(last_work) else replace(self, until=last_work + STAYS_ON)

    def is_open(self, at: datetime) -> bool:
        """Whether an instant is within working hours."""
        local = at.astimezone(self.zone)
        hours = self.on(local.date())
        return hours is not None and hours.opens <= local.time() <= hours.closes

    def day_of(self, at: datetime) -> date:
        """The shop's day of an instant."""
        return at.astimezone(self.zone).date()

    def next_opening(self, at: datetime) -> datetime:
        """When the shop opens after the day of an instant."""
        tomorrow = self.day_of(at) + timedelta(days=1)
        day = next((day for day in _days(tomorrow) if self.on(day)), tomorrow)
        hours = self.on(day)
        return datetime.combine(day, hours.opens if hours else time(0), self.zone).astimezone(at.tzinfo)

    def next_midnight(self, at: datetime) -> datetime:
        """When the day of an instant is over: limits by the day begin anew."""
        tomorrow = self.day_of(at) + timedelta(days=1)
        return datetime.combine(tomorrow, time(0), self.zone).astimezone(at.tzinfo)

    def closing(self, at: datetime) -> datetime:
        """When the shop closes on the day of an instant: as the day begins, when it is shut."""
        day = self.day_of(at)
        hours = self.on(day)
        return datetime.combine(day, hours.closes if hours else time(0), self.zone).astimezone(at.tzinfo)

    def last_begin(self, at: datetime, labour: timedelta) -> datetime:
        """The last instant on the day of another at which so much work can be begun and still be done that day."""
        return self.closing(at) - labour


def _days(first: date) -> Iterator[date]:
    return (first + timedelta(days=n) for n in range(_FARTHEST_DAYS))

"""When the shop works, by its own clock."""

from dataclasses import dataclass
from datetime import date, datetime, time, timedelta
from zoneinfo import ZoneInfo

STAYS_ON = timedelta(hours=2)  # who worked out of hours is taken to stay that long for what comes next


@dataclass(frozen=True, slots=True)
class WorkingDay:
    """When the shop opens and closes, by its own clock; who works late is there ``until`` then, whatever it says."""

    opens: time
    closes: time
    zone: ZoneInfo
    until: datetime | None = None

    def fit(self, at: datetime, labour: timedelta) -> datetime:
        """Return the first instant from ``at`` on at which this much work fits into one day.

        Work that is longer than a day starts with the day.
        """
        if self.until is not None and at <= self.until:
            return at
        local = at.astimezone(self.zone)
        opens = datetime.combine(local.date(), self.opens, self.zone)
        closes = datetime.combine(local.date(), self.closes, self.zone)
        if local <= opens:
            return opens.astimezone(at.tzinfo)
        return at if local + labour <= closes else self.next_opening(at)

    def working_late(self, last_work: datetime | None) -> "WorkingDay":
        """The day of somebody who has just worked out of hours: the hours are for planning, not for who is there.

        Args:
            last_work: When something was last done; None when nothing was.
        """
        if last_work is None:
            return self
        local = last_work.astimezone(self.zone)
        inside = self.opens <= local.time() <= self.closes
        return self if inside else WorkingDay(self.opens, self.closes, self.zone, last_work + STAYS_ON)

    def day_of(self, at: datetime) -> date:
        """The shop's day of an instant."""
        return at.astimezone(self.zone).date()

    def next_opening(self, at: datetime) -> datetime:
        """When the shop opens on the day after an instant."""
        tomorrow = self.day_of(at) + timedelta(days=1)
        return datetime.combine(tomorrow, self.opens, self.zone).astimezone(at.tzinfo)

    def next_midnight(self, at: datetime) -> datetime:
        """When the day of an instant is over: limits by the day begin anew."""
        tomorrow = self.day_of(at) + timedelta(days=1)
        return datetime.combine(tomorrow, time(0), self.zone).astimezone(at.tzinfo)

    def closing(self, at: datetime) -> datetime:
        """When the shop closes on the day of an instant."""
        return datetime.combine(self.day_of(at), self.closes, self.zone).astimezone(at.tzinfo)

"""When the shop works, by its own clock."""

from dataclasses import dataclass
from datetime import date, datetime, time, timedelta
from zoneinfo import ZoneInfo


@dataclass(frozen=True, slots=True)
class WorkingDay:
    """When the shop opens and closes, by its own clock."""

    opens: time
    closes: time
    zone: ZoneInfo

    def fit(self, at: datetime, labour: timedelta) -> datetime:
        """Return the first instant from ``at`` on at which this much work fits into one day.

        Work that is longer than a day starts with the day.
        """
        local = at.astimezone(self.zone)
        opens = datetime.combine(local.date(), self.opens, self.zone)
        closes = datetime.combine(local.date(), self.closes, self.zone)
        if local < opens:
            return opens.astimezone(at.tzinfo)
        if local + labour <= closes or (local == opens and labour > closes - opens):
            return at
        return self.next_opening(at)

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

"""A plan as an iCalendar file: every step an event, with alarms for openings, closings and the last safe starts."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from uuid import UUID, uuid5

from icalendar import Alarm, Calendar, Event

from cool_sheen import __version__

_SPACE = UUID("6f0c2a58-6c0f-4f6e-9a55-0d2f7f5c1d11")


@dataclass(frozen=True, slots=True)
class Ring:
    """An alarm: how long before or after the start of its step, and what it says."""

    after_start: timedelta
    words: str


@dataclass(frozen=True, slots=True)
class Item:
    """One step of a plan. ``key`` is the same for the same step: a newer file replaces what an older one said."""

    key: str
    start: datetime
    end: datetime
    words: str
    more: str = ""
    rings: tuple[Ring, ...] = field(default_factory=tuple)


def calendar_file(name: str, items: Sequence[Item], made_at: datetime) -> bytes:
    """Write a plan as iCalendar (RFC 5545), in UTC.

    Args:
        name: What the calendar is called.
        items: Steps in any order.
        made_at: When the plan was made.
    """
    calendar = Calendar()
    calendar.add("prodid", f"-//Cool Sheen {__version__}//plan//EN")
    calendar.add("version", "2.0")
    calendar.add("x-wr-calname", name)
    for item in sorted(items, key=lambda i: (i.start, i.words)):
        event = Event()
        event.add("uid", str(uuid5(_SPACE, item.key)))
        event.add("dtstamp", made_at)
        event.add("dtstart", item.start)
        event.add("dtend", item.end)
        event.add("summary", item.words)
        if item.more:
            event.add("description", item.more)
        for ring in item.rings:
            alarm = Alarm()
            alarm.add("action", "DISPLAY")
            alarm.add("description", ring.words)
            alarm.add("trigger", ring.after_start)
            event.add_component(alarm)
        calendar.add_component(event)
    return bytes(calendar.to_ical())

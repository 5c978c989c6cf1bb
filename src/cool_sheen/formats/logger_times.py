"""The dates and times that loggers write, put on the world's clock."""

import re
from datetime import UTC, datetime, timedelta
from functools import lru_cache
from zoneinfo import ZoneInfo

from cool_sheen.formats.logger_words import SLASHED, TIME_FORMATS

_FIRST_YEAR, _LAST_YEAR = 1970, 2200
_ISO = re.compile(r"\d{4}-\d{2}-\d{2}[T ]\d{2}:\d{2}")


@lru_cache(maxsize=8)
def _patterns(order: str) -> list[str]:
    return [*TIME_FORMATS, *SLASHED[order]]


def moment(cell: str, order: str) -> datetime | None:
    """Read a date and time as a logger writes it, by a key of SLASHED; None when it is none."""
    text = cell.strip().strip('"')
    if len(text) < 8 or not text[0].isdigit():
        return None
    if _ISO.match(text):
        try:
            return datetime.fromisoformat(text.replace(" UTC", "+00:00"))
        except ValueError:
            return None
    patterns = _patterns(order)
    for place, pattern in enumerate(patterns):
        try:
            found = datetime.strptime(text, pattern)  # noqa: DTZ007 - the zone is added by zoned
        except ValueError:
            continue
        if place:  # the next row will look the same: try this pattern first
            patterns.insert(0, patterns.pop(place))
        return found
    return _unix(text)


def _unix(text: str) -> datetime | None:
    return datetime.fromtimestamp(int(text), UTC) if re.fullmatch(r"1\d{9}", text) else None


def zoned(at: datetime, zone: ZoneInfo, doubled_hour: str) -> datetime:
    """Put a local time on the world's clock. Raises ValueError for an hour that the change to summer time skips."""
    check_year(at)
    if at.tzinfo is not None:
        return at.astimezone(UTC)
    local = at.replace(tzinfo=zone, fold=1 if doubled_hour == "later" else 0)
    back = local.astimezone(UTC).astimezone(zone).replace(tzinfo=None)
    if back != at:
        raise ValueError(f"{at:%H:%M} does not exist on this day: the clocks went forward")
    return local.astimezone(UTC)


def check_year(at: datetime) -> None:
    """Raise ValueError for a year in which no logger hung anywhere."""
    if not _FIRST_YEAR <= at.year < _LAST_YEAR:
        raise ValueError(f"the year {at.year} cannot be; from {_FIRST_YEAR} to {_LAST_YEAR - 1} are read")


def second_time(at: datetime, before: datetime, zone: ZoneInfo) -> datetime:
    """A clock that goes back runs through its hour twice: a row that would lie before the last is its second time."""
    local = at.astimezone(zone)
    later = local.replace(fold=1).astimezone(UTC)
    return later if later > before >= at and later != at and later - at <= timedelta(hours=2) else at

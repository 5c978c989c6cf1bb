"""The working week in a few words."""

from collections.abc import Sequence
from itertools import groupby

_SHORT = ("Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun")


def week_in_words(week: Sequence[Sequence[str] | None]) -> str:
    """Write a week, such as ``Mon to Fri 08:00 to 18:00, Sat 09:00 to 12:00``; days that are shut go unsaid.

    Args:
        week: Monday to Sunday: when it opens and closes; None where it is shut.
    """
    out = []
    for hours, days in groupby(range(len(week)), lambda day: tuple(week[day] or ())):
        if not hours:
            continue
        which = list(days)
        named = _SHORT[which[0]] if len(which) == 1 else f"{_SHORT[which[0]]} to {_SHORT[which[-1]]}"
        said = " to ".join(hours)
        out.append(said if len(which) == len(week) else f"{named} {said}")
    return ", ".join(out)

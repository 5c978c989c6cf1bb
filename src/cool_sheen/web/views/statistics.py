"""A shop's own records as pictures: hours as they came against those of the table."""

from collections.abc import Iterable
from dataclasses import dataclass

from cool_sheen.core.log.spent import WORK_WORDS
from cool_sheen.core.statistics.hours import HoursLine
from cool_sheen.core.units import shown
from cool_sheen.service.log_words import hours_words

WIDTH = 320.0


@dataclass(frozen=True, slots=True)
class HoursBar:
    """One kind of work: the bar of what it took, the mark of what the table says, in units of the picture."""

    name: str
    took: float
    table: float
    took_words: str
    table_words: str
    ratio: str
    per_area: str
    says: str


def bars(rows: Iterable[HoursLine], units: str) -> list[HoursBar]:
    """Return hours by kind of work, at one scale."""
    found = list(rows)
    longest = max((max(row.took, row.table) for row in found), default=0.0) or 1.0
    return [_bar(row, WIDTH / longest, units) for row in found]


def _bar(row: HoursLine, scale: float, units: str) -> HoursBar:
    ratio = f"{row.ratio:.2f}" if row.ratio is not None else "–"
    took, table = hours_words(row.took), hours_words(row.table)
    return HoursBar(
        WORK_WORDS[row.work],
        row.took * scale,
        row.table * scale,
        took,
        table,
        ratio,
        per_area(row.hours_per_m2, units),
        f"{WORK_WORDS[row.work]}: {took}, by the table {table}",
    )


def per_area(hours_per_m2: float | None, units: str) -> str:
    """Return hours for a unit of area, as the shop measures it; a dash where nobody knows."""
    if hours_per_m2 is None:
        return "–"
    area, sign = shown(1.0, "area", units)
    each = hours_per_m2 / area
    return f"{each:.{1 if each >= 1 else 2}f} h/{sign}"

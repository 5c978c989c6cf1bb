"""Readings of a film as they are written down: a place and figures, one place a line."""

import re
from dataclasses import dataclass

from cool_sheen.core.errors import NotReadable, OutOfRange
from cool_sheen.core.units import Micron, read_quantity

MOST_READINGS = 60
_PLACE_NUMBERS = 20  # “rail 2 120” is the second rail, and no film of two microns
MOST_UM: Micron = 20_000.0
_FIGURE = re.compile(r"\d[\d.,]*(µm|μm|um|mils?|mm)?", re.I)
_UNIT = re.compile(r"µm|μm|um|mils?|mm", re.I)


@dataclass(frozen=True, slots=True)
class Reading:
    """One reading [um], and where it was taken; empty where nobody said."""

    where: str
    um: Micron


def read_readings(text: str, units: str) -> list[Reading]:
    """Read what was written, a place a line: ``left edge 120``, ``corner: 3.5 mil``, ``110 120 95``.

    Args:
        text: What was typed; a semicolon parts places, too.
        units: The shop's units, for figures without one.

    Returns: The readings, in order. [um]
    Raises: NotReadable: a line without a figure, or nothing at all. OutOfRange: more than a comb reads.
    """
    out: list[Reading] = []
    for line in (piece.strip() for piece in re.split(r"[\n;]", text)):
        if line:
            out += _of_line(line, units)
    if not out:
        raise NotReadable("Enter what the gauge shows, such as “left edge 120”, one place a line.", "readings")
    if len(out) > MOST_READINGS:
        raise OutOfRange(f"Enter {MOST_READINGS} readings at most at a time.", "readings")
    return out


def _of_line(line: str, units: str) -> list[Reading]:
    """The figures at the end of a line, and the words before them."""
    words, unit = line.split(), ""
    figures: list[str] = []
    while words:
        if _UNIT.fullmatch(words[-1]) and not unit:
            unit = words.pop()
        elif _FIGURE.fullmatch(words[-1]):
            figures.insert(0, f"{words.pop()} {unit}".strip())
            unit = ""
        else:
            break
        if words and words[-1].endswith(":"):
            break
    if words and re.fullmatch(r"[-−]\d.*", words[-1]):
        raise OutOfRange(f"“{words[-1][:20]}” is no film: enter 0 or more, such as “left edge 120”.", "readings")
    if not figures or unit:
        raise NotReadable(f"“{line[:40]}” has no figure at its end: write such as “left edge 120”.", "readings")
    numbered = words and len(figures) > 1 and not words[-1].endswith(":") and figures[0].isdigit()
    if numbered and int(figures[0]) <= _PLACE_NUMBERS:
        place = f"{' '.join(words)} {figures[0]}"[:40]
        raise NotReadable(f"Is “{place}” the place? Then put a colon after it: “{place}: {figures[1]}”.", "readings")
    where = " ".join(words).strip(" :,-")[:60]
    return [Reading(where, _film(figure, units)) for figure in figures]


def _film(figure: str, units: str) -> Micron:
    um = read_quantity(figure.rstrip(".,"), "film", units)
    if not 0 <= um <= MOST_UM:
        raise OutOfRange(f"“{figure[:20]}” is no film: up to 20 mm.", "readings")
    return um

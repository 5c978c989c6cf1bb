"""Wind, gusts, rain and cloud in a climate file: which columns they stand in, in which unit, and what they say."""

import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

from cool_sheen.core.climate.sky import MOST_RAIN_MM_PER_H, MOST_WIND_M_PER_S

_SPEEDS = {"km/h": 1 / 3.6, "kmh": 1 / 3.6, "kph": 1 / 3.6, "mph": 0.44704, "kn": 0.514444, "kt": 0.514444, "m/s": 1.0}
_DEPTHS = {"inch": 25.4, "in/h": 25.4, "(in)": 25.4, "mm": 1.0}
_COVERS = {"okta": 12.5, "tenth": 10.0, "/8": 12.5, "/10": 10.0, "fraction": 100.0, "%": 1.0}


@dataclass(frozen=True, slots=True)
class _Column:
    """A figure of the sky: the words of its heading, words that it never has, its units, the most that can be."""

    words: tuple[str, ...]
    never: tuple[str, ...]
    units: Mapping[str, float]
    most: float
    what: str


# In this order: "wind gust" is a gust.
COLUMNS: dict[str, _Column] = {
    "gust_m_per_s": _Column(
        ("gust", "böe", "böen", "rafale", "racha"), ("dir", "richtung"), _SPEEDS, MOST_WIND_M_PER_S, "gusts"
    ),
    "wind_m_per_s": _Column(
        ("wind", "vent", "viento"), ("dir", "richtung", "gust", "chill"), _SPEEDS, MOST_WIND_M_PER_S, "wind"
    ),
    "rain_mm_per_h": _Column(
        ("rain", "precip", "regen", "niederschlag", "pluie", "lluvia"),
        ("prob", "chance", "%", "risk", "days"),
        _DEPTHS,
        MOST_RAIN_MM_PER_H,
        "rain",
    ),
    "cloud_pct": _Column(
        ("cloud", "sky cover", "wolken", "bewölkung", "nuage", "nube"), ("base",), _COVERS, 100.0, "cloud"
    ),
}


@dataclass(frozen=True, slots=True)
class SkyRow:
    """What a row says of the sky; None where it says nothing."""

    wind_m_per_s: float | None = None
    gust_m_per_s: float | None = None
    rain_mm_per_h: float | None = None
    cloud_pct: float | None = None

    def __bool__(self) -> bool:
        return any(v is not None for v in (self.wind_m_per_s, self.gust_m_per_s, self.rain_mm_per_h, self.cloud_pct))


NO_SKY = SkyRow()
Placed = dict[str, tuple[int, float]]  # name -> (column, what a figure is multiplied by)


def sky_columns(header: Sequence[str], taken: Sequence[int]) -> Placed:
    """Find the columns of the sky by their headings: their places, and what their figures are multiplied by."""
    found: Placed = {}
    for name, column in COLUMNS.items():
        for place, cell in enumerate(header):
            text = cell.casefold()
            free = place not in taken and place not in (p for p, _ in found.values())
            if free and any(w in text for w in column.words) and not any(w in text for w in column.never):
                times = next((factor for unit, factor in column.units.items() if unit in text), 1.0)
                found[name] = (place, times)
                break
    return found


_FIGURE = re.compile(r"\s*(\d+(?:[.,]\d+)?)\s*(?:m/s|km/h|mph|mm(?:/h)?|%)?\s*")


def read_sky_row(row: Sequence[str], placed: Placed) -> SkyRow:
    """Read what a row says of the sky; an empty cell, or words, say nothing. Raises ValueError for what cannot be."""

    def cell(place: int) -> float | None:
        match = _FIGURE.fullmatch(row[place]) if place < len(row) else None
        return float(match.group(1).replace(",", ".")) if match else None

    return checked({name: _times(cell(place), factor) for name, (place, factor) in placed.items()})


def checked(figures: Mapping[str, float | None]) -> SkyRow:
    """Return figures as a row. Raises ValueError for a figure that cannot be."""
    for name, value in figures.items():
        column = COLUMNS[name]
        if value is not None and not 0 <= value <= column.most:
            raise ValueError(f"{column.what} of {value:g} cannot be; from 0 to {column.most:g} is read")
    return SkyRow(**figures)


def _times(value: float | None, factor: float) -> float | None:
    return None if value is None else value * factor


def says(rows: Sequence[SkyRow]) -> str:
    """Say what was understood of the sky, such as ``wind 0.4 to 9.2 m/s, gusts, rain, cloud``; nothing for none."""
    named: dict[str, Callable[[SkyRow], float | None]] = {
        "wind": lambda r: r.wind_m_per_s,
        "gusts": lambda r: r.gust_m_per_s,
        "rain": lambda r: r.rain_mm_per_h,
        "cloud": lambda r: r.cloud_pct,
    }
    units = {"wind": "m/s", "gusts": "m/s", "rain": "mm/h", "cloud": "%"}
    out = []
    for word, of in named.items():
        known = [v for r in rows if (v := of(r)) is not None]
        if known:
            out.append(f"{word} {min(known):.1f} to {max(known):.1f} {units[word]}")
    return ", ".join(out)

"""Names for the units inside, and the door through which people's own units come in."""

import math
import re
from dataclasses import dataclass
from functools import cache
from typing import Any

from cool_sheen.core.errors import NotReadable

Celsius = float
Kelvin = float
Percent = float
Pascal = float
Micron = float
Minutes = float
Hours = float
SquareMetres = float
Metres = float
Millilitres = float
Grams = float
GramsPerMillilitre = float

ZERO_CELSIUS_K = 273.15
SEA_LEVEL_PA = 101_325.0


@dataclass(frozen=True, slots=True)
class Dimension:
    """One kind of quantity: its unit inside, the words people type for its units, and what is shown."""

    inside: str
    words: dict[str, str]
    shown: dict[str, tuple[str, str]]  # unit system -> (pint unit, sign on screen)


DIMENSIONS: dict[str, Dimension] = {
    "temperature": Dimension(
        "degC",
        {"c": "degC", "°c": "degC", "°": "degC", "k": "kelvin", "f": "degF", "°f": "degF"},
        {"metric": ("degC", "°C"), "us": ("degF", "°F")},
    ),
    "area": Dimension(
        "m**2",
        {
            "m2": "m**2", "m²": "m**2", "sqm": "m**2", "cm2": "cm**2", "cm²": "cm**2",
            "ft2": "ft**2", "ft²": "ft**2", "sqft": "ft**2", "in2": "inch**2", "sqin": "inch**2",
        },
        {"metric": ("m**2", "m²"), "us": ("ft**2", "ft²")},
    ),
    "film": Dimension(
        "micrometer",
        {"um": "micrometer", "µm": "micrometer", "μm": "micrometer", "micron": "micrometer", "microns": "micrometer",
         "mil": "thou", "mils": "thou", "mm": "mm"},
        {"metric": ("micrometer", "µm"), "us": ("thou", "mil")},
    ),
    "length": Dimension(
        "meter",
        {"m": "meter", "cm": "centimeter", "mm": "millimeter", "in": "inch", "inch": "inch", "inches": "inch",
         '"': "inch", "ft": "foot", "'": "foot", "feet": "foot"},
        {"metric": ("centimeter", "cm"), "us": ("inch", "in")},
    ),
    "volume": Dimension(
        "milliliter",
        {"ml": "milliliter", "cl": "centiliter", "l": "liter", "litre": "liter", "litres": "liter", "liter": "liter",
         "floz": "fluid_ounce", "oz": "fluid_ounce", "pt": "pint", "qt": "quart",
         "gal": "gallon"},
        {"metric": ("milliliter", "ml"), "us": ("fluid_ounce", "fl oz")},
    ),
    "weight": Dimension(
        "gram",
        {"g": "gram", "kg": "kilogram", "oz": "ounce", "lb": "pound", "lbs": "pound"},
        {"metric": ("gram", "g"), "us": ("ounce", "oz")},
    ),
}  # fmt: skip

_TEXT = re.compile(r"\s*(?P<number>[+-]?(?:\d+(?:[.,]\d*)?|[.,]\d+))\s*(?P<unit>[^\d.,+-].*?)?\s*")


@cache
def _registry() -> Any:
    import pint  # 0.7 s: only whoever reads or shows units pays for it

    return pint.UnitRegistry()


def load_units() -> None:
    """Load what quantities are read with: a third of a second, for whoever is not in a hurry."""
    _registry()


def read_quantity(text: str, dimension: str, system: str = "metric") -> float:
    """Read what somebody typed, such as ``2 ft2`` or ``1,5``.

    Args:
        text: A number, with a unit or without; comma or point as the decimal mark.
        dimension: A key of DIMENSIONS.
        system: Whose units a bare number is in, ``metric`` or ``us``.

    Returns: The quantity in the dimension's unit inside.
    Raises: NotReadable: no number, or a unit of another kind.
    """
    kind = DIMENSIONS[dimension]
    match = _TEXT.fullmatch(text)
    sign = kind.shown[system][1]
    if not match:
        raise NotReadable(f"“{text.strip()[:40]}” is no {dimension}: enter a number such as 2.5, or 2.5 {sign}.")
    number = float(match["number"].replace(",", "."))
    word = re.sub(r"[\s.]", "", match["unit"] or "").lower()
    unit = kind.words.get(word) if word else kind.shown[system][0]
    if unit is None:
        known = ", ".join(sorted({kind.shown[s][1] for s in kind.shown}))
        raise NotReadable(f"“{match['unit'].strip()[:20]}” is no unit of {dimension}: use {known}.")
    value = float(_registry().Quantity(number, unit).to(kind.inside).magnitude)
    if not math.isfinite(value):
        raise NotReadable(f"“{text.strip()[:40]}” is larger than any {dimension} is.")
    return value


_MINUTES_IN: dict[str, float] = {
    word: minutes
    for words, minutes in (
        ("s sec second seconds", 1 / 60), ("min mins minute minutes '", 1), ("h hr hrs hour hours", 60),
        ("d day days", 1440), ("w wk week weeks", 10_080),
    )
    for word in words.split()
}  # fmt: skip
_TIME = re.compile(r"(\d+(?:[.,]\d+)?|[.,]\d+)\s*([a-z']*)\.?\s*")
_RANGE = re.compile(r"\s*(?:-|–|—|to)\s*")


def read_minutes(text: str, *, soonest: bool = False) -> Minutes:
    """Read a time as a label prints it, such as ``30``, ``16 h``, ``1 h 30``, ``7 days`` or ``2 to 4 h``.

    Args:
        text: Figures with their units; a bare figure is minutes, a last one after a unit the next smaller unit.
        soonest: Of a range take the lower end: for what closes. What opens takes the upper one.

    Returns: Minutes. [min]
    Raises: NotReadable: no time, or a range that falls.
    Source: docs/trade.md, Clock: what opens takes the later end of a range, what closes the sooner one.
    """
    words = text.strip().lower().removeprefix("about").removeprefix("ca.").strip()
    ends = _RANGE.split(words)
    hint = "enter minutes, or a time such as 45 min, 16 h, 1 h 30, 7 days or 2-4 h"
    if not 1 <= len(ends) <= 2:
        raise NotReadable(f"“{text.strip()[:30]}” is no time: {hint}.")
    unit = next((found[2] for found in reversed([*_TIME.finditer(ends[-1])]) if found[2]), "min")
    found = [_minutes(end, unit if end is not ends[-1] else "min") for end in ends]
    known = [minutes for minutes in found if minutes is not None]
    if len(known) < len(ends):
        raise NotReadable(f"“{text.strip()[:30]}” is no time: {hint}.")
    if known[0] > known[-1]:
        raise NotReadable(f"“{text.strip()[:30]}” falls: enter the shorter time first.")
    return known[0] if soonest else known[-1]


def _minutes(text: str, bare: str) -> Minutes | None:
    """Minutes of one time; None where it is none."""
    parts = [(found[1], found[2]) for found in _TIME.finditer(text)]
    if not parts or "".join(found[0] for found in _TIME.finditer(text)) != text:
        return None
    total, last = 0.0, 0.0
    for figure, word in parts:
        size = _MINUTES_IN.get(word or ("min" if last == 60.0 else "h" if last == 1440.0 else bare if not last else ""))
        if size is None or (last and size >= last):
            return None
        total, last = total + float(figure.replace(",", ".")) * size, size
    return total if math.isfinite(total) else None


def shown(value: float, dimension: str, system: str = "metric") -> tuple[float, str]:
    """Return a quantity in the units of a system, and their sign.

    Args:
        value: In the dimension's unit inside.
        dimension: A key of DIMENSIONS.
        system: ``metric`` or ``us``.
    """
    kind = DIMENSIONS[dimension]
    unit, sign = kind.shown[system]
    if unit == kind.inside:
        return value, sign
    return float(_registry().Quantity(value, kind.inside).to(unit).magnitude), sign


_DIGITS = {"area": 2, "temperature": 1, "film": 0, "volume": 0, "length": 1, "weight": 0}


def amount(value: float, dimension: str, units: str = "metric", digits: int | None = None) -> str:
    """Write a quantity in the units of a system, such as ``1.40 m²`` or ``2.4 mil``.

    Args:
        value: In the dimension's unit inside.
        dimension: A key of DIMENSIONS.
        units: ``metric`` or ``us``.
        digits: Decimals; the dimension's usual ones when None.
    """
    number, sign = shown(value, dimension, units)
    places = _DIGITS[dimension] if digits is None else digits
    if dimension in ("film", "volume", "weight") and units == "us" and digits is None:
        places = 1
    return f"{number:.{places}f} {sign}"


def bound(value: float, dimension: str, units: str = "metric") -> str:
    """Write the bound of a field in the units of a system: round figures, such as ``2,000 µm`` or ``140 °F``.

    Args:
        value: In the dimension's unit inside.
        dimension: A key of DIMENSIONS.
        units: ``metric`` or ``us``.
    """
    number, sign = shown(value, dimension, units)
    return f"{number:.3g} {sign}" if abs(number) < 100 else f"{number:,.0f} {sign}"


def display_units(system: str = "metric") -> dict[str, str]:
    """Return the sign of each dimension's unit in a system."""
    return {name: kind.shown[system][1] for name, kind in DIMENSIONS.items()}

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


def display_units(system: str = "metric") -> dict[str, str]:
    """Return the sign of each dimension's unit in a system."""
    return {name: kind.shown[system][1] for name, kind in DIMENSIONS.items()}

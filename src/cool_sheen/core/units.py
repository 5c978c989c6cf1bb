"""Names for the units inside, and the door through which people's own units come in."""

import math
import re
from collections.abc import Callable
from dataclasses import dataclass
from functools import cache
from typing import Any

from cool_sheen.core.errors import NotReadable, TwoWays

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
Seconds = float
Bar = float  # above the atmosphere, where nothing else is said
GramsPerMillilitre = float

ZERO_CELSIUS_K = 273.15
SEA_LEVEL_PA = 101_325.0


@dataclass(frozen=True, slots=True)
class Dimension:
    """One kind of quantity: its unit inside, the words people type for its units, and what is shown."""

    inside: str
    words: dict[str, str]
    shown: dict[str, tuple[str, str]]  # unit system -> (pint unit, sign on screen)
    taken: str  # the units that are read, as a sentence names them


DIMENSIONS: dict[str, Dimension] = {
    "temperature": Dimension(
        "degC",
        {"c": "degC", "°c": "degC", "°": "degC", "k": "kelvin", "f": "degF", "°f": "degF"},
        {"metric": ("degC", "°C"), "us": ("degF", "°F")},
        "°C, K or °F",
    ),
    "area": Dimension(
        "m**2",
        {
            "m2": "m**2", "m²": "m**2", "sqm": "m**2", "cm2": "cm**2", "cm²": "cm**2",
            "ft2": "ft**2", "ft²": "ft**2", "sqft": "ft**2", "in2": "inch**2", "in²": "inch**2", "sqin": "inch**2",
        },
        {"metric": ("m**2", "m²"), "us": ("ft**2", "ft²")},
        "m², cm², ft² or in²",
    ),
    "film": Dimension(
        "micrometer",
        {"um": "micrometer", "µm": "micrometer", "μm": "micrometer", "micron": "micrometer", "microns": "micrometer",
         "mil": "thou", "mils": "thou", "mm": "mm"},
        {"metric": ("micrometer", "µm"), "us": ("thou", "mil")},
        "µm, mm or mil",
    ),
    "length": Dimension(
        "meter",
        {"m": "meter", "cm": "centimeter", "mm": "millimeter", "in": "inch", "inch": "inch", "inches": "inch",
         '"': "inch", "ft": "foot", "'": "foot", "feet": "foot"},
        {"metric": ("centimeter", "cm"), "us": ("inch", "in")},
        "m, cm, mm, in or ft",
    ),
    "volume": Dimension(
        "milliliter",
        {"ml": "milliliter", "cl": "centiliter", "l": "liter", "litre": "liter", "litres": "liter", "liter": "liter",
         "floz": "fluid_ounce", "oz": "fluid_ounce", "pt": "pint", "qt": "quart",
         "gal": "gallon"},
        {"metric": ("milliliter", "ml"), "us": ("fluid_ounce", "fl oz")},
        "ml, cl, l, fl oz, pt, qt or gal",
    ),
    "weight": Dimension(
        "gram",
        {"g": "gram", "kg": "kilogram", "oz": "ounce", "lb": "pound", "lbs": "pound"},
        {"metric": ("gram", "g"), "us": ("ounce", "oz")},
        "g, kg, oz or lb",
    ),
    "density": Dimension(
        "gram/milliliter",
        {"g/ml": "gram/milliliter", "kg/l": "gram/milliliter", "g/cm3": "gram/milliliter", "lb/gal": "pound/gallon",
         "lbs/gal": "pound/gallon"},
        {"metric": ("gram/milliliter", "g/ml"), "us": ("pound/gallon", "lb/gal")},
        "g/ml, kg/l or lb/gal",
    ),
    "coverage": Dimension(
        "meter**2/liter",
        {"m2/l": "meter**2/liter", "m²/l": "meter**2/liter", "ft2/gal": "foot**2/gallon", "ft²/gal": "foot**2/gallon",
         "sqft/gal": "foot**2/gallon"},
        {"metric": ("meter**2/liter", "m²/l"), "us": ("foot**2/gallon", "ft²/gal")},
        "m²/l or ft²/gal",
    ),
    "difference": Dimension(
        "kelvin",
        {"k": "kelvin", "c": "kelvin", "°c": "kelvin", "f": "delta_degF", "°f": "delta_degF"},
        {"metric": ("kelvin", "K"), "us": ("delta_degF", "°F")},
        "K or °F",
    ),
    "pressure": Dimension(
        "bar",
        {"bar": "bar", "mbar": "millibar", "kpa": "kilopascal", "mpa": "megapascal", "psi": "psi", "lb/in2": "psi"},
        {"metric": ("bar", "bar"), "us": ("psi", "psi")},
        "bar, kPa, MPa or psi",
    ),
    "air flow": Dimension(
        "liter/minute",
        {"l/min": "liter/minute", "lpm": "liter/minute", "l/s": "liter/second", "m3/h": "meter**3/hour",
         "m³/h": "meter**3/hour", "m3/min": "meter**3/minute", "cfm": "foot**3/minute", "scfm": "foot**3/minute"},
        {"metric": ("liter/minute", "l/min"), "us": ("foot**3/minute", "cfm")},
        "l/min, l/s, m³/h or cfm",
    ),
    "paint flow": Dimension(
        "milliliter/minute",
        {"ml/min": "milliliter/minute", "ml/s": "milliliter/second", "l/min": "liter/minute",
         "floz/min": "fluid_ounce/minute", "oz/min": "fluid_ounce/minute", "gpm": "gallon/minute"},
        {"metric": ("milliliter/minute", "ml/min"), "us": ("fluid_ounce/minute", "fl oz/min")},
        "ml/min, l/min or fl oz/min",
    ),
    "gun speed": Dimension(
        "mm/second",
        {"mm/s": "mm/second", "cm/s": "cm/second", "m/s": "meter/second", "m/min": "meter/minute",
         "in/s": "inch/second", "ft/s": "foot/second"},
        {"metric": ("mm/second", "mm/s"), "us": ("inch/second", "in/s")},
        "mm/s, cm/s, m/s or in/s",
    ),
    "span": Dimension(
        "mm",
        {"mm": "mm", "cm": "cm", "m": "meter", "in": "inch", "inch": "inch", "inches": "inch", '"': "inch",
         "ft": "foot", "'": "foot"},
        {"metric": ("mm", "mm"), "us": ("inch", "in")},
        "mm, cm, m, in or ft",
    ),
    "capacity": Dimension(
        "liter",
        {"l": "liter", "litre": "liter", "litres": "liter", "liter": "liter", "ml": "milliliter", "gal": "gallon",
         "ft3": "foot**3"},
        {"metric": ("liter", "l"), "us": ("gallon", "gal")},
        "l, ml or gal",
    ),
}  # fmt: skip

_FIGURE = r"[+-]?(?:\d[\d.,  ]*|[.,]\d+)"
_TEXT = re.compile(rf"\s*(?P<number>{_FIGURE})(?P<unit>[^\d.,+-].*?)?\s*")
_SPACES = re.compile(r"[\s  ]")
_BY_SPACES = re.compile(r"[+-]?\d{1,3}(?:[\s  ]\d{3})+(?:[.,]\d*)?")
_GROUPED = re.compile(r"\d{1,3}([.,])\d{3}(?:\1\d{3})*")


def plain_figure(text: str, system: str = "metric") -> str:
    """Read a figure as people write it, and return it with a point and without groups: ``1 234,5`` is ``1234.5``.

    Args:
        text: Digits with a comma or a point as decimal mark, groups of three by spaces, commas or points.
        system: ``us``: a comma before three digits is a group; elsewhere such a figure can be read in two ways.

    Raises: NotReadable: no figure. TwoWays: one that can be read in two ways.
    """
    text = text.strip()
    figure = _SPACES.sub("", text)
    if figure != text and not _BY_SPACES.fullmatch(text):
        raise NotReadable(f"“{text[:40]}” is no number: enter one such as 1234.5.")
    sign, digits = (figure[0], figure[1:]) if figure[:1] in ("+", "-") else ("", figure)
    marks = [c for c in digits if c in ".,"]
    if len(set(marks)) == 2:  # the last of both is the decimal mark
        groups = "," if marks[-1] == "." else "."
        whole, _, rest = digits.rpartition(marks[-1])
        if marks.count(marks[-1]) > 1 or not _GROUPED.fullmatch(whole) or groups not in whole:
            raise NotReadable(f"“{text.strip()[:40]}” is no number: enter one such as 1234.5.")
        digits = f"{whole.replace(groups, '')}.{rest}"
    elif len(marks) > 1:
        if not _GROUPED.fullmatch(digits):
            raise NotReadable(f"“{text.strip()[:40]}” is no number: enter one such as 1234.5.")
        digits = digits.replace(marks[0], "")
    elif marks == [","] and _GROUPED.fullmatch(digits) and not digits.startswith("0"):
        if system != "us":
            whole, rest = digits.split(",")
            raise TwoWays(
                f"“{text.strip()[:40]}” can be read in two ways: enter {whole}{rest}, or {float(f'{whole}.{rest}'):g}."
            )
        digits = digits.replace(",", "")
    return sign + digits.replace(",", ".")


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
    number = float(plain_figure(match["number"], system))
    word = re.sub(r"[\s.]", "", match["unit"] or "").lower()
    unit = kind.words.get(word) if word else kind.shown[system][0]
    if unit is None:
        raise NotReadable(f"“{match['unit'].strip()[:20]}” is no unit of {dimension}: use {kind.taken}.")
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


_SMALL_FL_OZ = 10.0  # below that a tenth is too coarse to pour a ratio by
_FINER_IN_US = {"film": 1, "volume": 1, "weight": 1, "pressure": 0, "air flow": 1, "paint flow": 1, "gun speed": 1,
                "span": 1, "capacity": 1}  # fmt: skip
_DIGITS = {"area": 2, "temperature": 1, "film": 0, "volume": 0, "length": 1, "weight": 0, "density": 2,
           "coverage": 1, "difference": 1, "pressure": 1, "air flow": 0, "paint flow": 0, "gun speed": 0, "span": 0,
           "capacity": 0}  # fmt: skip


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
    if dimension in _FINER_IN_US and units == "us" and digits is None:
        places = 2 if dimension == "volume" and abs(number) < _SMALL_FL_OZ else _FINER_IN_US[dimension]
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


ML_IN_FL_OZ = 29.5735295625
M2_PER_L_IN_FT2_PER_GAL = 40.7458  # 10.76391 ft² in a m², 3.785412 l in a US gallon


def coverage(m2_per_l: float, units: str = "metric") -> str:
    """Write how far paint goes, such as ``11.0 m² a litre`` or ``448 ft² a gallon``.

    Args:
        m2_per_l: Area for a litre. [m2/l]
        units: ``metric`` or ``us``.
    """
    if units == "us":
        return f"{m2_per_l * M2_PER_L_IN_FT2_PER_GAL:.0f} ft² a gallon"
    return f"{m2_per_l:.1f} m² a litre"


_LITRE_ML, _QT_ML, _GAL_ML = 1000.0, 946.352946, 3785.411784


def pack_size(ml: Millilitres, units: str = "metric") -> str:
    """Write the size of a pack as shops name it: ``2.5 l``, ``750 ml``; ``1.06 qt``, ``0.66 gal``, ``8.5 fl oz``.

    Args:
        ml: What is in it. [ml]
        units: ``metric`` or ``us``.
    """
    if units != "us":
        return f"{ml / _LITRE_ML:.3g} l" if ml >= _LITRE_ML else f"{ml:.4g} ml"
    for size, sign in ((_GAL_ML / 2, "gal"), (_QT_ML / 2, "qt")):
        if ml >= size:
            return f"{ml / (2 * size):.3g} {sign}"
    return f"{ml / ML_IN_FL_OZ:.3g} fl oz"


def difference(kelvin: Kelvin, units: str = "metric", digits: int = 1) -> str:
    """Write a difference of temperatures, such as ``3.0 K`` or ``5.4 °F``.

    Args:
        kelvin: The difference. [K]
        units: ``metric`` or ``us``.
        digits: Decimals.
    """
    return f"{kelvin * 1.8:.{digits}f} °F" if units == "us" else f"{kelvin:.{digits}f} K"


_SAID = re.compile(r"(?<![\d.,])(?:(\d+(?:\.\d+)?)( to |–| and ))?(\d+(?:\.\d+)?) (°C|µm|ml|K|bar)(?![\w/])")
_FL_OZ_ML = 29.5735295625
PSI_IN_BAR = 14.5037738
_SAID_IN: dict[str, Callable[[float], str]] = {
    "°C": lambda v: f"{v * 1.8 + 32:.0f}", "K": lambda v: f"{v * 1.8:.1f}".removesuffix(".0"),
    "µm": lambda v: f"{v / 25.4:.1f}", "ml": lambda v: f"{v / _FL_OZ_ML:.2g}" if v < 296 else f"{v / _FL_OZ_ML:.0f}",
    "bar": lambda v: f"{v * PSI_IN_BAR:.0f}",
}  # fmt: skip
_SAID_SIGN = {"°C": "°F", "K": "°F", "µm": "mil", "ml": "fl oz", "bar": "psi"}


def said(text: str, units: str = "metric") -> str:
    """Return a sentence with its quantities in the units of a system: ``air under 10 °C`` is ``air under 50 °F``.

    Args:
        text: A sentence of the program, in metric units; ranges are read as a whole.
        units: ``metric`` or ``us``.
    """
    if units != "us":
        return text

    def put(match: re.Match[str]) -> str:
        low, between, high, sign = match.groups()
        figures = [_SAID_IN[sign](float(figure)) for figure in (low, high) if figure]
        return f"{(between or '').join(figures)} {_SAID_SIGN[sign]}"

    return _SAID.sub(put, text)


def display_units(system: str = "metric") -> dict[str, str]:
    """Return the sign of each dimension's unit in a system."""
    return {name: kind.shown[system][1] for name, kind in DIMENSIONS.items()}

"""Wet film gauge readings against the range of the product."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from cool_sheen.core.errors import Inconsistent, OutOfRange
from cool_sheen.core.units import Micron

FAR_OFF_LOW, FAR_OFF_HIGH = 0.8, 1.2  # of the least and of the most film


@dataclass(frozen=True, slots=True)
class GaugeVerdict:
    """What the comb says: the mean against the range, and the places that are far off."""

    mean_um: Micron
    verdict: Literal["ok", "thin", "heavy", "uneven"]
    low: tuple[int, ...]
    high: tuple[int, ...]


def judge_readings(
    readings_um: Sequence[Micron], min_um: Micron, max_um: Micron, thin_share: float = FAR_OFF_LOW
) -> GaugeVerdict:
    """Judge wet film readings.

    Args:
        readings_um: What the comb showed. [um, from 0]
        min_um: Least wet film of the product. [um]
        max_um: Most wet film of the product. [um]
        thin_share: From which share of the least film down one reading is thin, by the sheet. [0 to 1]

    Returns: Thin or heavy when the mean is outside the range; uneven when the mean is right and a reading is under
        80 % of the least or over 120 % of the most; the places of those, from 0.
    Raises: OutOfRange: no reading. Inconsistent: a range the wrong way round.
    Source: docs/trade.md, Film: in the manner of SSPC-PA 2.
    """
    if not readings_um:
        raise OutOfRange("Enter at least one reading.", "readings_um")
    if min_um > max_um:
        raise Inconsistent("The least film must not be over the most.", "min_um")
    mean = sum(readings_um) / len(readings_um)
    low = tuple(n for n, um in enumerate(readings_um) if um < thin_share * min_um)
    high = tuple(n for n, um in enumerate(readings_um) if um > FAR_OFF_HIGH * max_um)
    if mean < min_um:
        return GaugeVerdict(mean, "thin", low, high)
    if mean > max_um:
        return GaugeVerdict(mean, "heavy", low, high)
    return GaugeVerdict(mean, "uneven" if low or high else "ok", low, high)

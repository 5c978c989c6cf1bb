"""Abrasives: what a grit's name says about its grain."""

from cool_sheen.core.errors import NotReadable
from cool_sheen.core.units import Micron

# Mean grain in microns. FEPA 43-1 (P) and CAMI (C) numbers are not the same.
MEAN_UM: dict[str, Micron] = {
    "P80": 201, "P100": 162, "P120": 125, "P150": 100, "P180": 82, "P220": 68, "P240": 58.5, "P280": 52.2,
    "P320": 46.2, "P360": 40.5, "P400": 35, "P500": 30.2, "P600": 25.8, "P800": 21.8, "P1000": 18.3, "P1200": 15.3,
    "P1500": 12.6, "P2000": 10.3, "P2500": 8.4,
    "C80": 190, "C100": 141, "C120": 116, "C150": 93, "C180": 78, "C220": 66, "C240": 53.5, "C280": 44, "C320": 36,
    "C360": 28.8, "C400": 23.6, "C500": 19.7, "C600": 16, "C800": 12.2, "C1000": 9.2,
}  # fmt: skip
SCRATCH_SHARE = 0.35  # depth that a grit must take out, as a share of the grain before it


def mean_grain(grit: str, field: str = "grit") -> Micron:
    """Mean grain of a grit. [um] Raises NotReadable for a name on neither scale. Source: FEPA 43-1 and CAMI."""
    try:
        return MEAN_UM[grit.upper().replace(" ", "")]
    except KeyError:
        raise NotReadable(f"“{grit}” is no grit: use a name such as P320 (FEPA) or C320 (CAMI).", field) from None


def scratch_removal(before: str) -> Micron:
    """Film that must go to take out the scratches of the grit before.

    Args:
        before: The grit used before this one.

    Returns: Depth. [um]
    Raises: NotReadable: no such grit.
    Source: docs/trade.md, Sanding: 0.35 x mean grain.
    """
    return SCRATCH_SHARE * mean_grain(before)

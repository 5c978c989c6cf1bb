"""Hands-on time, and what a way of applying costs and spares."""

import math
from dataclasses import dataclass
from typing import Protocol

from cool_sheen.core.units import Minutes, SquareMetres

# Minutes to get going, and minutes a square metre.
LABOUR: dict[str, tuple[Minutes, Minutes]] = {
    "wash": (10, 6), "degrease": (8, 5), "strip": (20, 60), "fill": (20, 20), "sand": (10, 18), "wipe": (5, 3),
    "mask": (15, 10), "tack": (3, 2), "mix": (8, 0), "induct": (0, 0), "coat": (8, 5), "turn": (10, 2),
    "inspect": (5, 3), "unmask": (8, 4), "clean_gun": (12, 0), "bake": (10, 0), "polish": (15, 40),
    "assemble": (20, 10), "degloss": (5, 6), "broadcast": (3, 2), "sweep": (5, 4),
    "test_patch": (15, 0), "test_card": (2, 0), "decals": (10, 5), "wait": (0, 0),
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class Application:
    """A way of applying: what of the paint arrives, how long a coat takes, how much has to be masked."""

    words: str
    transfer: float  # share of the paint that ends on the part
    minutes_m2: Minutes
    masking: float  # share of the masking that spraying at full reach asks for
    thickest_um: float  # what it lays down at most in one coat
    cleaning: Minutes


# Transfer efficiencies: docs/trade.md, Paint and buying; the others are shop figures of the same order.
WAYS: dict[str, Application] = {
    "hvlp": Application("HVLP gun", 0.65, 5, 1.0, math.inf, 12),
    "conventional": Application("conventional gun", 0.45, 4, 1.0, math.inf, 12),
    "airless": Application("airless", 0.75, 2, 1.2, math.inf, 20),
    "aerosol": Application("aerosol", 0.65, 8, 0.8, 70, 1),
    "brush": Application("brush", 0.95, 16, 0.25, 120, 6),
    "roller": Application("roller", 0.95, 9, 0.35, 110, 6),
}
_OPEN_WORK = 0.35  # by HVLP over spindles and open frames, half and more goes past


def transfer_efficiency(method: str, shape: str = "sheet") -> float:
    """Share of the paint that ends on a zone, by method and shape. [1] Source: docs/trade.md, Paint and buying."""
    if method in ("hvlp", "conventional", "aerosol") and shape in ("frame", "spindles"):
        return min(_OPEN_WORK, WAYS[method].transfer)
    return WAYS[method].transfer


class Labourable(Protocol):
    """What hands-on time is worked out for: a step."""

    @property
    def kind(self) -> str:
        """What is done."""

    @property
    def area_m2(self) -> SquareMetres:
        """To how much. [m2]"""

    @property
    def method(self) -> str:
        """How coats go on."""

    @property
    def minutes(self) -> Minutes | None:
        """Its own time, where it has one. [min]"""

    @property
    def per_m2(self) -> bool:
        """Whether that is for each square metre."""


def minutes_of(step: Labourable) -> Minutes:
    """Hands-on time of a step: its own, where it has one, else by the table. [min]

    Args:
        step: What is done, to how much.

    Source: docs/trade.md, Labour and money.
    """
    if step.minutes is not None:
        return step.minutes * step.area_m2 if step.per_m2 else step.minutes
    return labour_minutes(step.kind, step.area_m2, step.method)


def labour_minutes(kind: str, area_m2: SquareMetres, method: str = "hvlp") -> Minutes:
    """Hands-on time of a step.

    Args:
        kind: A step's kind; one that the table does not know counts as small work.
        area_m2: What it is done to. [m2]
        method: How coats go on: it decides the minutes of a coat, of masking, and of cleaning up.

    Returns: Minutes. [min]
    Source: docs/trade.md, Labour and money.
    """
    base, by_area = LABOUR.get(kind, (10, 5))
    if kind == "coat":
        by_area = WAYS[method].minutes_m2
    minutes = base + by_area * area_m2
    return minutes * WAYS[method].masking if kind == "mask" else minutes

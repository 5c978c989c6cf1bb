"""The order of a mix: what comes next at the bench, and what is locked until when."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

from cool_sheen.core.units import Percent

# Gates that are stamped and cannot be undone. Before the first pour, after the hardener, before the gun.
GATES: dict[str, tuple[str, str]] = {
    "base_stirred": ("Stir the paint", "Off the bottom of the tin, until the stick comes up clean."),
    "colour_checked": ("Check the colour on the card", "Against the sample, dry, by daylight. Once it is on it is on."),
    "mix_stirred": ("Stir the mix", "Two minutes, scraping sides and bottom; then let it stand."),
    "strained": ("Strain into the gun", "Through a fresh strainer; nozzle and screen looked at."),
    "test_pattern": ("Try the gun on card", "A new batch asks for a new test pattern before the part."),
}


@dataclass(frozen=True, slots=True)
class Stage:
    """One stage: a gate to stamp, a component to pour (by its place), the induction to wait for, or ready."""

    does: str  # gate, pour, wait, ready
    gate: str = ""
    line: int = -1
    until: datetime | None = None


def stages(roles: Sequence[str], role: str, strainer: bool, induction: bool, sprayed: bool) -> list[Stage]:
    """Lay out the stages of a mix.

    Args:
        roles: Role of each component in pouring order: paint, hardener, reducer, additive.
        role: What the product is for; colours are checked on the card.
        strainer: Whether the sheet names a strainer.
        induction: Whether the mix has to stand before it is reduced.
        sprayed: Whether it goes through a gun.

    Returns: Gates and pours in their order.
    Source: docs/trade.md, Mixing: the order.
    """
    out = [Stage("gate", "base_stirred")]
    if role in ("colour", "single_stage", "stain"):
        out.append(Stage("gate", "colour_checked"))
    first = [n for n, what in enumerate(roles) if what in ("paint", "hardener")]
    out += [Stage("pour", line=n) for n in first]
    if len(first) > 1:
        out.append(Stage("gate", "mix_stirred"))
    if induction:
        out.append(Stage("wait"))
    out += [Stage("pour", line=n) for n, what in enumerate(roles) if n not in first]
    if strainer and sprayed:
        out.append(Stage("gate", "strained"))
    if sprayed:
        out.append(Stage("gate", "test_pattern"))
    return out


def judge_pour(off_pct: Percent, tolerance_pct: Percent) -> str:
    """Say of a pour that it is ``right``, ``short`` or ``over``. Source: docs/trade.md, Mixing."""
    off = round(off_pct, 6)  # on the tolerance is right, whatever the last digit of a division says
    if off > tolerance_pct:
        return "over"
    return "short" if off < -tolerance_pct else "right"

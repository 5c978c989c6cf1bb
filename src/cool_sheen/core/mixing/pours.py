"""Following a pour: what is in the cup, what comes next, and how an over-pour is rescued."""

from collections.abc import Sequence
from dataclasses import dataclass

from cool_sheen.core.errors import OutOfRange
from cool_sheen.core.mixing.ratios import Share
from cool_sheen.core.units import Millilitres, Percent

USUAL_TOLERANCE_PCT: Percent = 5.0


@dataclass(frozen=True, slots=True)
class Rescue:
    """What has to be added so that the ratio holds again; nothing is ever taken out."""

    within_tolerance: bool
    add: tuple[float, ...]
    total: float


def rescue(parts: Sequence[float], poured: Sequence[float], tolerance_pct: Percent = USUAL_TOLERANCE_PCT) -> Rescue:
    """Bring an over-pour back to its ratio by topping up.

    Args:
        parts: The recipe's share of each component, in any unit. [above 0]
        poured: What is in the cup of each, all in one unit. [from 0]
        tolerance_pct: How far a component may be off its share of the cup, relatively. [%]

    Returns: What to add of each, and the total after it. The component that is most over-poured sets the total.
    Raises: OutOfRange: nothing was poured, or a recipe without parts.
    Source: docs/trade.md, Mixing: s = max(a_i / r_i); add s r_i - a_i of each.
    """
    if not sum(poured) > 0:
        raise OutOfRange("Nothing has been poured yet.", "parts.0.poured")
    if any(part <= 0 for part in parts):
        raise OutOfRange("Each component of the ratio needs parts above nought.", "parts")
    whole, cup = sum(parts), sum(poured)
    off = max(abs(a / cup - r / whole) / (r / whole) for r, a in zip(parts, poured, strict=True))
    scale = max(a / r for r, a in zip(parts, poured, strict=True))
    add = tuple(max(0.0, scale * r - a) for r, a in zip(parts, poured, strict=True))
    return Rescue(100 * off <= tolerance_pct + 1e-9, add, cup + sum(add))


@dataclass(frozen=True, slots=True)
class PourTarget:
    """Where one component stands: what it is to come to, what is in the cup, what is missing."""

    share: Share
    planned_ml: Millilitres
    target_ml: Millilitres
    poured_ml: Millilitres

    @property
    def missing_ml(self) -> Millilitres:
        """What is still to be poured. [ml]"""
        return max(0.0, self.target_ml - self.poured_ml)


def targets(
    split: Sequence[Share],
    ready_ml: Millilitres,
    poured_ml: Sequence[Millilitres],
    used_up: Sequence[bool] = (),
    most: Sequence[float | None] = (),
) -> list[PourTarget]:
    """Work the rest of a pour out again from what is in the cup.

    Args:
        split: The recipe, in pouring order.
        ready_ml: The ready mix that was planned. [ml]
        poured_ml: What has been poured of each so far. [ml]
        used_up: Which components there is no more of: the rest goes by what there was.
        most: For an addition with a cap, the most of it in a millilitre of ready mix: up to there it scales nothing.

    Returns: One target for each component. What was over-poured scales all of them up; a component that came short
        only asks for more of itself.
    Source: docs/trade.md, Mixing: after an over-pour the rest is worked out from what is in the cup.
    """
    short = [ml / s.ml_per_ml for s, ml, all_of_it in zip(split, poured_ml, used_up, strict=False) if all_of_it]
    wanted = min(short, default=ready_ml)
    caps = [*most, *[None] * (len(split) - len(most))]
    allowed = [max(share.ml_per_ml, cap or 0.0) for share, cap in zip(split, caps, strict=True)]
    grown = max([wanted, *(ml / share for share, ml in zip(allowed, poured_ml, strict=True) if share > 0)])
    return [
        PourTarget(share, share.ml_per_ml * ready_ml, share.ml_per_ml * grown, ml)
        for share, ml in zip(split, poured_ml, strict=True)
    ]


def off_by_pct(planned_ml: Millilitres, poured_ml: Millilitres) -> Percent:
    """How far a pour is off its target, relatively. [%] Source: docs/trade.md, Mixing."""
    return 100 * (poured_ml - planned_ml) / planned_ml if planned_ml else 0.0

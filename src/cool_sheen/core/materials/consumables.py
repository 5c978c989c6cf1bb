"""What wears out beside the paint: abrasives by grit, masking, strainers, cleaning solvent."""

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from cool_sheen.core.coatings.sheet_fields import Key, Positive, Strict, Text
from cool_sheen.core.units import Millilitres, SquareMetres


class Rates(Strict):
    """How fast a shop goes through them; figures of the order that shops report."""

    m2_per_disc: dict[str, Positive]  # by grit class: coarse, medium, fine, wet
    tape_m_per_m2: Positive
    paper_m2_per_m2: Positive
    cleaning_ml: dict[str, Positive]  # by method, for one clean-out


class Consumable(Strict):
    """A thing that is used up, and its price for one of its units."""

    key: Key
    name: Text
    unit: Text
    price: Text


@dataclass(frozen=True, slots=True)
class Used:
    """What a piece of work wears out."""

    discs: Mapping[str, float]
    tape_m: float
    paper_m2: float
    strainers: int
    cleaning_ml: Millilitres


def grit_class(grit: str, wet: bool) -> str:
    """Coarse, medium or fine by the number; wet paper is a class of its own."""
    number = int(grit[1:])
    if wet:
        return "wet"
    return "coarse" if number <= 120 else "medium" if number <= 320 else "fine"


def wear(
    rates: Rates,
    sanding: Sequence[tuple[str, bool, SquareMetres]],
    masked: Sequence[tuple[SquareMetres, float]],
    fills: int,
    cleans: Sequence[str],
) -> Used:
    """Work out what sanding, masking and cleaning use up.

    Args:
        rates: The shop's rates.
        sanding: Grit, whether wet, and area of each sanding. [m2]
        masked: Area that is coated, and the share of the masking that its method asks for. [m2, 1]
        fills: Fills of the gun, each through a fresh strainer.
        cleans: The method of each clean-out.

    Returns: Discs or sheets by grit (a part of one counts), tape [m], paper [m2], strainers, solvent [ml].
    """
    discs: Counter[str] = Counter()
    for grit, wet, area in sanding:
        discs[grit] += area / rates.m2_per_disc[grit_class(grit, wet)]  # type: ignore[assignment]
    area = sum(a * share for a, share in masked)
    return Used(
        dict(discs),
        rates.tape_m_per_m2 * area,
        rates.paper_m2_per_m2 * area,
        fills,
        sum(rates.cleaning_ml.get(method, 0.0) for method in cleans),
    )

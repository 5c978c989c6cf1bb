"""A label's coverage against the film that it asks for."""

from dataclasses import dataclass

from cool_sheen.core.errors import OutOfRange
from cool_sheen.core.units import Micron, Millilitres, Percent, SquareMetres


@dataclass(frozen=True, slots=True)
class LabelCheck:
    """What a claim of coverage means in film."""

    wet_film_um: Micron
    dry_film_um: Micron
    m2_per_litre_at_min: float
    m2_per_litre_at_max: float
    verdict: str  # fits, thin, heavy

    @property
    def contradicts(self) -> bool:
        """Whether the label promises an area that its own film does not cover."""
        return self.verdict != "fits"


@dataclass(frozen=True, slots=True)
class LabelNeed:
    """What a job takes by a label's word, and by the film that the sheet asks for."""

    by_label_ml: Millilitres
    by_film_ml: Millilitres


def label_need(
    m2_per_litre: float, area_m2: SquareMetres, coats: int, wet_film_um: Micron, transfer: float
) -> LabelNeed:
    """Work out what a job takes by a label, and what it really takes.

    Args:
        m2_per_litre: The claim, for one coat. [m2/l, above 0]
        area_m2: What is coated. [m2]
        coats: How often.
        wet_film_um: Wet film of a coat that the sheet asks for. [um]
        transfer: Share of the paint that ends on the part. [1]

    Returns: Ready mix by the label's word, and by film and transfer. [ml]
    Source: docs/trade.md, Film and Paint and buying.
    """
    return LabelNeed(1000 * area_m2 * coats / m2_per_litre, area_m2 * coats * wet_film_um / transfer)


def check_label(m2_per_litre: float, volume_solids_pct: Percent, min_um: Micron, max_um: Micron) -> LabelCheck:
    """Work the film out that a coverage claim leaves, nothing going past the part.

    Args:
        m2_per_litre: The claim, for one coat. [m2/l, above 0]
        volume_solids_pct: Volume solids of the ready mix. [%]
        min_um: Least wet film that the sheet asks for. [um, above 0]
        max_um: Most wet film that the sheet asks for. [um, above 0]

    Returns: Wet and dry film of the claim, the areas that the sheet's own film covers, and whether both fit.
    Raises: OutOfRange: a claim or a film of nought.
    Source: docs/trade.md, Film: a litre on so many m2 is 1000 / m2 um wet.
    """
    if not m2_per_litre > 0:
        raise OutOfRange("Enter the square metres that the label promises for a litre, above nought.", "m2_per_litre")
    if not 0 < min_um <= max_um:
        raise OutOfRange("The sheet's wet film needs a range above nought.", "min_um")
    wet = 1000 / m2_per_litre
    verdict = "thin" if wet < min_um else "heavy" if wet > max_um else "fits"
    return LabelCheck(wet, wet * volume_solids_pct / 100, 1000 / min_um, 1000 / max_um, verdict)

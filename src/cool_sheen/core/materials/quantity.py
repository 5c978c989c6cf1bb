"""Paint from area and film."""

from cool_sheen.core.errors import OutOfRange
from cool_sheen.core.units import Micron, Millilitres, SquareMetres


def ready_volume(
    area_m2: SquareMetres,
    wet_film_um: Micron,
    transfer_efficiency: float,
    coats: int = 1,
) -> Millilitres:
    """Ready mix that coats take.

    Args:
        area_m2: What is coated. [m2]
        wet_film_um: Wet film of one coat. [um]
        transfer_efficiency: Share of the paint that ends on the part. [above 0 to 1]
        coats: Number of coats. [1]

    Returns: Ready mix. [ml]
    Raises: OutOfRange: a transfer efficiency of nought or over one.
    Source: docs/trade.md, Paint and buying: 1 um on 1 m2 is 1 ml; volume = area x wet film / transfer efficiency.
    """
    if not 0 < transfer_efficiency <= 1:
        raise OutOfRange("A transfer efficiency lies above 0 and goes up to 1.", "transfer_efficiency")
    return area_m2 * wet_film_um * coats / transfer_efficiency

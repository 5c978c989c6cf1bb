"""Aerosol cans: counted session by session, since a nozzle of yesterday may spit."""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from decimal import Decimal

from cool_sheen.core.errors import OutOfRange
from cool_sheen.core.units import Micron, Millilitres, SquareMetres

USUAL_USABLE = 0.8


@dataclass(frozen=True, slots=True)
class Cans:
    """Cans by session, and in all."""

    per_session: tuple[int, ...]

    @property
    def total(self) -> int:
        """All cans. [1]"""
        return sum(self.per_session)


def cans_for(session_ml: Sequence[Millilitres], can_ml: Millilitres, usable_fraction: float = USUAL_USABLE) -> Cans:
    """Count the cans of sessions that each begin with a fresh one.

    Args:
        session_ml: Paint that leaves the nozzle in each session. [ml, from 0]
        can_ml: What a can holds. [ml, above 0]
        usable_fraction: Share of a can that sprays well. [above 0 to 1]

    Returns: Cans by session.
    Raises: OutOfRange: a can of nought, or a fraction outside its range.
    Source: docs/trade.md, Paint and buying: the count is a sum of ceilings, decided in exact decimals.
    """
    if not can_ml > 0:
        raise OutOfRange("A can holds more than nought.", "can_ml")
    if not 0 < usable_fraction <= 1:
        raise OutOfRange("The usable fraction lies above 0 and goes up to 1.", "usable_fraction")
    good = Decimal(str(can_ml)) * Decimal(str(usable_fraction))
    return Cans(tuple(math.ceil(Decimal(str(ml)) / good) for ml in session_ml))


def cans_of_coats(
    area_m2: SquareMetres,
    coats_per_session: Sequence[int],
    wet_film_um: Micron,
    transfer_efficiency: float,
    can_ml: Millilitres,
    usable_fraction: float = USUAL_USABLE,
) -> Cans:
    """Count the cans for coats that are laid in sessions.

    Args:
        area_m2: What is coated. [m2]
        coats_per_session: Coats of each session. [1]
        wet_film_um: Wet film of a coat. [um]
        transfer_efficiency: Share of the paint that ends on the part. [above 0 to 1]
        can_ml: What a can holds. [ml]
        usable_fraction: Share of a can that sprays well. [above 0 to 1]

    Returns: Cans by session.
    Raises: OutOfRange: a fraction or a can outside its range.
    Source: docs/trade.md, Paint and buying, in exact decimals: 58 / 29 coats are 2 cans.
    """
    if not 0 < transfer_efficiency <= 1:
        raise OutOfRange("A transfer efficiency lies above 0 and goes up to 1.", "transfer_efficiency")
    if not can_ml > 0:
        raise OutOfRange("A can holds more than nought.", "can_ml")
    if not 0 < usable_fraction <= 1:
        raise OutOfRange("The usable fraction lies above 0 and goes up to 1.", "usable_fraction")
    area, film, share, can, usable = (
        Decimal(str(x)) for x in (area_m2, wet_film_um, transfer_efficiency, can_ml, usable_fraction)
    )
    return Cans(tuple(math.ceil(area * film * coats / (share * can * usable)) for coats in coats_per_session))

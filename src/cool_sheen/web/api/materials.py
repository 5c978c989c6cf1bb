"""Quantities, kits and cans, over JSON."""

from decimal import Decimal
from typing import Annotated

from fastapi import APIRouter
from pydantic import Field

from cool_sheen.core.materials.cans import USUAL_USABLE, cans_of_coats
from cool_sheen.core.materials.kits import Kit, cheapest
from cool_sheen.core.materials.quantity import ready_volume
from cool_sheen.web.api.models import AboveNought, Answer, Count, Name, NotNegative, Shape

router = APIRouter(tags=["materials"])
Fraction = Annotated[float, Field(strict=True, allow_inf_nan=False, gt=0, le=1)]
Amounts = Annotated[dict[Name, NotNegative], Field(min_length=1, max_length=1000)]


class QuantityShape(Shape):
    """Coats on an area, and what the gun keeps."""

    area_m2: AboveNought
    coats: Count
    wet_film_um: AboveNought
    transfer_efficiency: Fraction
    fills: Count = 0
    loss_ml_per_fill: NotNegative = 0.0


class QuantityAnswer(Answer):
    """The ready mix that it takes."""

    ready_ml: float


class KitShape(Shape):
    """A size on offer."""

    sku: Name
    price: NotNegative
    contains: Amounts


class KitsShape(Shape):
    """A need by component, and the sizes on offer."""

    need_ml: Amounts
    kits: Annotated[list[KitShape], Field(min_length=1, max_length=1000)]


class BuyAnswer(Answer):
    """So many of one size."""

    sku: str
    count: int


class KitsAnswer(Answer):
    """The cheapest set."""

    buy: list[BuyAnswer]
    cost: float
    left_ml: dict[str, float]


class CansShape(Shape):
    """Aerosol coats by session."""

    area_m2: AboveNought
    coats_per_session: Annotated[list[Count], Field(min_length=1, max_length=1000)]
    wet_film_um: AboveNought
    transfer_efficiency: Fraction
    can_ml: AboveNought
    usable_fraction: Fraction = USUAL_USABLE


class CansAnswer(Answer):
    """Cans in all, and session by session."""

    cans: int
    cans_per_session: list[int]


@router.post("/materials/quantity")
def materials_quantity(asked: QuantityShape) -> QuantityAnswer:
    """Ready mix for coats on an area, with the loss of each fill."""
    net = ready_volume(asked.area_m2, asked.wet_film_um, asked.transfer_efficiency, asked.coats)
    return QuantityAnswer(ready_ml=net + asked.fills * asked.loss_ml_per_fill)


@router.post("/materials/kits")
def materials_kits(asked: KitsShape) -> KitsAnswer:
    """The cheapest set of sizes that covers every component."""
    kits = [Kit(k.sku, Decimal(str(k.price)), tuple(k.contains.items())) for k in asked.kits]
    found = cheapest(asked.need_ml, kits)
    return KitsAnswer(
        buy=[BuyAnswer(sku=sku, count=n) for sku, n in found.buy], cost=float(found.cost), left_ml=dict(found.left_ml)
    )


@router.post("/materials/cans")
def materials_cans(asked: CansShape) -> CansAnswer:
    """Cans session by session: each begins with a fresh one."""
    found = cans_of_coats(
        asked.area_m2,
        asked.coats_per_session,
        asked.wet_film_um,
        asked.transfer_efficiency,
        asked.can_ml,
        asked.usable_fraction,
    )
    return CansAnswer(cans=found.total, cans_per_session=list(found.per_session))

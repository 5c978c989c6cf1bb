"""Sizes on offer, as a shop buys them."""

from decimal import Decimal
from typing import Annotated

from pydantic import Field

from cool_sheen.core.coatings.sheet_fields import Positive, Strict, Text
from cool_sheen.core.materials.kits import Kit

ComponentKey = Annotated[str, Field(pattern=r"^[a-z0-9-]+:[a-z0-9-]{1,80}$")]
Price = Annotated[Decimal, Field(ge=0, le=1_000_000, allow_inf_nan=False, decimal_places=4)]


class Pack(Strict):
    """One size: its price, what is in it by component [ml], how long it keeps once opened [days]."""

    sku: Annotated[str, Field(pattern=r"^[a-z0-9][a-z0-9-]{0,80}$")]
    name: Text
    price: Price
    contains: Annotated[dict[ComponentKey, Positive], Field(min_length=1, max_length=10)]
    keeps_days_opened: Annotated[int, Field(ge=1, le=10_000)] = 365

    @property
    def kit(self) -> Kit:
        """The size as the search for the cheapest set sees it."""
        return Kit(self.sku, self.price, tuple(sorted(self.contains.items())))

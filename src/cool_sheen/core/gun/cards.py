"""Settings that worked, as cards by gun, product and temperature."""

from collections.abc import Sequence
from datetime import datetime, timedelta
from typing import Annotated
from uuid import UUID

from pydantic import Field

from cool_sheen.core.coatings.sheet_fields import Key, Positive, Share, Strict, Temperature, Text

SET_FOR = timedelta(hours=12)  # so long a gun that was set by a card is taken to be set so still
_FOR_WHAT = frozenset({"gun", "gun_name", "product", "product_name", "temp_c", "rh_pct", "opening_mm"})
Turns = Annotated[float, Field(ge=0, le=20, allow_inf_nan=False)]
_KELVIN_ALIKE = 12.0  # beyond it a card says little of today


class CardSaid(Strict):
    """What a card says. All pressures with the trigger pulled. [bar, mm, mm/s, turns from closed]"""

    gun: Text  # the uuid of the shop's own, or the key of a kind
    gun_name: Text
    product: Key
    product_name: Text
    temp_c: Temperature
    rh_pct: Share | None = None
    opening_mm: Positive | None = None
    cap_bar: Positive | None = None
    inlet_bar: Positive | None = None
    regulator_bar: Positive | None = None
    fluid_turns: Turns | None = None
    fan_turns: Turns | None = None
    air_turns: Turns | None = None
    flow_ml_per_min: Positive | None = None
    fan_mm: Positive | None = None
    distance_mm: Positive | None = None
    speed_mm_per_s: Positive | None = None
    overlap_pct: Annotated[float, Field(ge=0, lt=100)] | None = None
    note: Annotated[str, Field(max_length=200)] = ""

    @property
    def says_anything(self) -> bool:
        """Whether it says more than for what it is."""
        return any(value not in (None, "") for name, value in self.model_dump().items() if name not in _FOR_WHAT)

    def in_the_log(self) -> dict[str, str]:
        """What goes into the log with a coat that was sprayed so: figures as text, each under its name."""
        said = self.model_dump(exclude_none=True, exclude={"product", "product_name", "note"})
        return {name: f"{value:g}" if isinstance(value, float) else str(value) for name, value in said.items()}


class Card(Strict):
    """A card as it is kept."""

    uuid: UUID
    said: CardSaid
    made_at: datetime
    set_at: datetime

    def holds_at(self, at: datetime) -> bool:
        """Whether a gun that was set by it is set so still."""
        return self.set_at <= at < self.set_at + SET_FOR


def offered(cards: Sequence[Card], gun: str, temp_c: float | None) -> list[Card]:
    """Return cards of a product in the order in which they help: this gun first, then by how near its temperature is.

    Args:
        cards: Of one product.
        gun: The gun that is chosen; empty: any.
        temp_c: Of the air today; None where it is not known. [°C]

    Source: docs/trade.md, Gun.
    """

    def far(card: Card) -> tuple[bool, float, float]:
        apart = abs(card.said.temp_c - temp_c) if temp_c is not None else 0.0
        return (bool(gun) and card.said.gun != gun, round(apart), -card.set_at.timestamp())

    return sorted(cards, key=far)


def is_alike(card: Card, temp_c: float | None) -> bool:
    """Whether the air today is near enough to that of a card to set the gun by it."""
    return temp_c is None or abs(card.said.temp_c - temp_c) <= _KELVIN_ALIKE

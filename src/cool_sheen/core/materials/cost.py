"""What a job costs and what it brings: hours, materials and waste against the price. Money is exact."""

from dataclasses import dataclass
from decimal import ROUND_HALF_UP, Decimal

_CENT = Decimal("0.01")


def cents(value: Decimal) -> Decimal:
    """Round an amount of money to its smallest coin."""
    return value.quantize(_CENT, ROUND_HALF_UP)


@dataclass(frozen=True, slots=True)
class Cost:
    """The sums of one part or project. Hours are hands-on; ``waste`` is what was bought or mixed and not used."""

    hours: float
    rate: Decimal
    materials: Decimal
    waste: Decimal
    price: Decimal | None = None
    hire: Decimal = Decimal(0)
    hours_saved: float = 0.0
    goodwill_hours: float = 0.0

    @property
    def labour(self) -> Decimal:
        """What the paid hours cost: those given as goodwill stand apart."""
        return cents(Decimal(str(self.paid_hours)) * self.rate)

    @property
    def paid_hours(self) -> float:
        """Hours that the price has to pay. [h]"""
        return max(0.0, self.hours - self.goodwill_hours)

    @property
    def goodwill(self) -> Decimal:
        """What is given away, at the shop's rate."""
        return cents(Decimal(str(min(self.goodwill_hours, self.hours))) * self.rate)

    @property
    def outlay(self) -> Decimal:
        """All money that leaves the shop: materials, waste, hire."""
        return cents(self.materials + self.waste + self.hire)

    @property
    def profit(self) -> Decimal | None:
        """Price less labour and outlay; None without a price."""
        return None if self.price is None else cents(self.price - self.labour - self.outlay)

    @property
    def per_hour(self) -> Decimal | None:
        """What is left of the price for each hands-on hour after the outlay, goodwill hours included."""
        if self.price is None or self.hours <= 0:
            return None
        return cents((self.price - self.outlay) / Decimal(str(self.hours)))

    @property
    def profit_per_hour(self) -> Decimal | None:
        """Profit for each hands-on hour; None without a price."""
        if self.profit is None or self.hours <= 0:
            return None
        return cents(self.profit / Decimal(str(self.hours)))

    @property
    def hire_pays(self) -> Decimal:
        """What the hire saves in hours, less what it costs; negative when it does not pay."""
        return cents(Decimal(str(self.hours_saved)) * self.rate - self.hire)

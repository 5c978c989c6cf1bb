"""A job as it came against its estimate, and many of them together. Money is exact."""

from collections.abc import Iterable
from dataclasses import dataclass
from decimal import Decimal

from cool_sheen.core.materials.cost import Cost, cents
from cool_sheen.core.units import Hours, SquareMetres


@dataclass(frozen=True, slots=True)
class Account:
    """One job: what all its steps were estimated at, and what it came to so far.

    Attributes:
        estimate: All its steps, done or not.
        came: Hours as they were entered, paint as it was weighed in; the price, hire and goodwill are those of the job.
        area_m2: The area of its parts. [m2]
        weighed: The share of its coats that came out of a batch that was poured here. [1]
        finished: Whether nothing is to come on it.
    """

    estimate: Cost
    came: Cost
    area_m2: SquareMetres
    weighed: float
    finished: bool

    @property
    def hours_per_m2(self) -> Hours | None:
        """Hands-on hours for a square metre, as they came. [h/m2] Source: docs/trade.md, Labour and money."""
        return self.came.hours / self.area_m2 if self.came.hours > 0 and self.area_m2 > 0 else None

    @property
    def profit_per_hour(self) -> Decimal | None:
        """Profit for each hour that was charged: goodwill stands apart. None without a price, or without such hours."""
        if self.came.profit is None or self.came.paid_hours <= 0:
            return None
        return cents(self.came.profit / Decimal(str(self.came.paid_hours)))


@dataclass(frozen=True, slots=True)
class Together:
    """Jobs together: those that are finished, have a price, and hours that were entered."""

    jobs: int
    hours: Hours
    estimated: Hours
    outlay: Decimal
    price: Decimal
    profit: Decimal
    goodwill_hours: Hours
    goodwill: Decimal

    @property
    def per_hour(self) -> Decimal:
        """What is left of the prices for each hands-on hour after the outlay, goodwill hours included."""
        return cents((self.price - self.outlay) / Decimal(str(self.hours)))

    @property
    def profit_per_hour(self) -> Decimal:
        """Profit for each hour that was paid for: goodwill stands apart."""
        paid = max(self.hours - self.goodwill_hours, 0.0)
        return cents(self.profit / Decimal(str(paid))) if paid > 0 else Decimal(0)


def together(accounts: Iterable[Account]) -> Together | None:
    """Add jobs up that can be; None where there is none such."""
    rows = [a for a in accounts if a.finished and a.came.price is not None and a.came.hours > 0]
    if not rows:
        return None
    return Together(
        len(rows),
        sum(a.came.hours for a in rows),
        sum(a.estimate.hours for a in rows),
        sum((a.came.outlay for a in rows), Decimal(0)),
        sum((a.came.price or Decimal(0) for a in rows), Decimal(0)),
        sum((a.came.profit or Decimal(0) for a in rows), Decimal(0)),
        sum(min(a.came.goodwill_hours, a.came.hours) for a in rows),
        sum((a.came.goodwill for a in rows), Decimal(0)),
    )

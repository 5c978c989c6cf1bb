"""What the shop's equipment holds, and what of the paint it keeps for itself."""

import math
from dataclasses import dataclass

from cool_sheen.core.units import Millilitres

FILLED = ("hvlp", "conventional", "airless")  # brush, roller and can are not filled


@dataclass(frozen=True, slots=True)
class Reservoir:
    """What a gun holds, and what stays in cup and hose at each fill. [ml]

    Attributes:
        reservoir_ml: What its cup holds; None for one that draws from the pail, which loses its hose once. [ml]
        loss_ml: What stays behind. [ml]
    """

    reservoir_ml: Millilitres | None = 600.0
    loss_ml: Millilitres = 25.0

    def fills(self, net_ml: Millilitres) -> int:
        """Fills that it takes. [1]"""
        if self.reservoir_ml is None:
            return 0
        room = max(1.0, self.reservoir_ml - self.loss_ml)
        return math.ceil(round(net_ml / room, 9))

    def loss(self, net_ml: Millilitres) -> Millilitres:
        """What is left behind. [ml]"""
        if self.reservoir_ml is None:
            return self.loss_ml if net_ml > 0 else 0.0
        return self.fills(net_ml) * self.loss_ml


NOTHING = Reservoir(None, 0.0)


@dataclass(frozen=True, slots=True)
class Equipment:
    """The shop's equipment by way of applying; what is not named is not filled and loses nothing.

    Source of the usual figures: docs/trade.md, Paint and buying.
    """

    by_method: tuple[tuple[str, Reservoir], ...] = (
        ("hvlp", Reservoir(600.0, 25.0)),
        ("conventional", Reservoir(600.0, 25.0)),
        ("airless", Reservoir(None, 250.0)),
    )

    def of(self, method: str) -> Reservoir:
        """What a way of applying fills and loses."""
        return dict(self.by_method).get(method, NOTHING)

    def fills(self, net_ml: Millilitres, method: str) -> int:
        """Fills that so much ready mix takes. [1]"""
        return self.of(method).fills(net_ml)

    def loss(self, net_ml: Millilitres, method: str) -> Millilitres:
        """What is left behind of so much ready mix. [ml]"""
        return self.of(method).loss(net_ml)

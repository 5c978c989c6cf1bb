"""What to buy as a picture: of each component what is there, what is bought, what is needed, and who waits for it."""

from collections.abc import Iterable
from dataclasses import dataclass

from cool_sheen.core.takeoff.needs import LayerNeed
from cool_sheen.core.units import amount, pack_size
from cool_sheen.service.stores import Bought, Line, Stores

WIDTH = 320.0
_LEAST = 3.0  # what is there at all is seen
_SHORT_ML = 0.5  # less is a drop
_NAMED = 3


@dataclass(frozen=True, slots=True)
class Bar:
    """A component that is short: its bar in units of the picture, and what is said of it."""

    name: str
    swatch: str
    have: float  # width of what is in stock
    bought: float  # width of what is bought
    need: float  # where what is needed ends
    needs: str
    stock: str
    left: str
    buy: str
    waits: str
    on_offer: bool = True

    @property
    def says(self) -> str:
        """The bar in words."""
        return f"{self.name}: {self.needs} needed, {self.stock} in stock, {self.buy or 'no size known'}"


def bars(found: Stores, units: str) -> list[Bar]:
    """Return what is short, with what to buy and what waits for it.

    Args:
        found: The take-off against stock.
        units: Of the shop.
    """
    return [_bar(line, found, units) for line in found.lines if line.missing_ml > _SHORT_ML]


def enough(found: Stores) -> list[Line]:
    """Return what stock covers."""
    return [line for line in found.lines if line.missing_ml <= _SHORT_ML]


def _bar(line: Line, found: Stores, units: str) -> Bar:
    whole = max(line.need_ml, line.have_ml + line.bought_ml)
    scale = WIDTH / whole
    have = max(_LEAST, line.have_ml * scale) if line.have_ml > 0 else 0.0
    layers = [n for n in found.layers if line.key in n.components]
    packs = [b for b in found.shopping.buy if line.key in b.pack.contains]
    return Bar(
        line.name,
        _swatch(line, layers),
        round(have, 1),
        round(line.bought_ml * scale, 1),
        round(line.need_ml * scale, 1),
        amount(line.need_ml, "volume", units),
        amount(line.have_ml, "volume", units),
        amount(line.left_ml, "volume", units) if line.left_ml > 0 else "",
        _buy(packs, line.key, units),
        _names(n.part for n in layers),
        line.key not in found.shopping.not_on_offer,
    )


def _swatch(line: Line, layers: list[LayerNeed]) -> str:
    """The colour of a paint; nothing of what has none of its own."""
    kind, _, key = line.key.partition(":")
    return next((n.product.swatch for n in layers if n.product.key == key), "") if kind == "paint" else ""


def _buy(packs: list[Bought], key: str, units: str) -> str:
    """So many of each size; in other units than it is named in, with its size in these."""
    sizes = [f" ({pack_size(b.pack.contains[key], units)})" if units == "us" else "" for b in packs]
    return ", ".join(f"{b.count} × {b.pack.name}{size}" for b, size in zip(packs, sizes, strict=True))


def _names(parts: Iterable[str]) -> str:
    names = list(dict.fromkeys(parts))
    more = f" and {len(names) - _NAMED} more" if len(names) > _NAMED else ""
    return f"{', '.join(names[:_NAMED])}{more}"

"""What is on the shelf now: the sheets that ship, and the shop's own before them."""

from dataclasses import dataclass
from typing import Any, Literal

from sqlalchemy import select

from cool_sheen.core.coatings.products import Product
from cool_sheen.core.coatings.supplies import Supply
from cool_sheen.core.coatings.systems import System
from cool_sheen.service.unit import Unit
from cool_sheen.store.models import ShelfSheet

Kind = Literal["product", "supply", "system"]
SHEETS: dict[str, type[Product] | type[Supply] | type[System]] = {
    "product": Product,
    "supply": Supply,
    "system": System,
}


@dataclass(frozen=True)
class WholeShelf:
    """Everything on the shelf as it is now, and what of it is the shop's own."""

    products: dict[str, Product]
    supplies: dict[str, Supply]
    systems: dict[str, System]
    own: frozenset[tuple[str, str]]
    version: tuple[object, ...] = ()


def shelf_now(unit: Unit) -> WholeShelf:
    """Return the shelf: the shop's own sheets stand before those that ship."""
    version = version_of(unit)
    found: WholeShelf = unit.kept.get(("stock", version), lambda: _gather(unit, version))
    return found


def version_of(unit: Unit) -> tuple[object, ...]:
    """Return something that is another whenever the shelf is."""
    rows = unit.session.execute(select(ShelfSheet.kind, ShelfSheet.key, ShelfSheet.updated_at)).all()
    return tuple(sorted((kind, key, at.timestamp()) for kind, key, at in rows))


def _gather(unit: Unit, version: tuple[object, ...]) -> WholeShelf:
    own: dict[str, dict[str, Any]] = {kind: {} for kind in SHEETS}
    for row in unit.session.scalars(select(ShelfSheet)):
        own[row.kind][row.key] = SHEETS[row.kind].model_validate(row.data)
    catalogue = unit.catalogue
    return WholeShelf(
        {**catalogue.products, **own["product"]},
        {**catalogue.supplies, **own["supply"]},
        {**catalogue.systems, **own["system"]},
        frozenset((kind, key) for kind, sheets in own.items() for key in sheets),
        version,
    )

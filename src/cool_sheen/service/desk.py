"""The things that every service needs: the database, the catalogue, the time, and what was worked out before."""

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from datetime import UTC, datetime
from threading import RLock
from typing import Any
from zoneinfo import ZoneInfo

from sqlalchemy import Engine
from sqlalchemy.orm import Session

from cool_sheen.core.coatings.products import Product
from cool_sheen.core.units import display_units
from cool_sheen.devices.scale import SimulatedScale
from cool_sheen.formats.catalogue import Catalogue, shipped
from cool_sheen.store.engine import session
from cool_sheen.store.models import ProductRevision, Shop

_MOST_KEPT = 400


class Refused(Exception):
    """Something the shop cannot do; ``notes`` has a sentence for each field that is wrong."""

    def __init__(self, message: str, notes: dict[str, str] | None = None, status: int = 422) -> None:
        super().__init__(message)
        self.notes = notes or {}
        self.status = status


class Missing(Refused):
    """What was asked for is not here."""

    def __init__(self, what: str) -> None:
        super().__init__(f"There is no such {what} here.", status=404)


@dataclass(eq=False)
class Memo:
    """Results that stay true while their key does; the oldest go first when there are too many."""

    kept: dict[Any, Any] = field(default_factory=dict)
    lock: RLock = field(default_factory=RLock)

    def get(self, key: Any, make: Callable[[], Any]) -> Any:
        """Return what is kept under a key, made when it is not."""
        with self.lock:
            if key not in self.kept:
                self.kept[key] = make()
                while len(self.kept) > _MOST_KEPT:
                    self.kept.pop(next(iter(self.kept)))
            return self.kept[key]


@dataclass(eq=False)
class Desk:
    """One running application."""

    engine: Engine
    clock: Callable[[], datetime] = lambda: datetime.now(UTC)
    catalogue: Catalogue = field(default_factory=shipped)
    memo: Memo = field(default_factory=Memo)
    scale: SimulatedScale = field(default_factory=SimulatedScale)

    @contextmanager
    def open(self) -> Iterator[Session]:
        """Give a session; its work is committed at the end."""
        with session(self.engine) as opened:
            yield opened

    def now(self) -> datetime:
        """Return the present."""
        return self.clock()

    def shop(self, opened: Session) -> Shop | None:
        """Return the shop; None before the set-up."""
        return opened.get(Shop, 1)

    def keep(self, opened: Session, product: Product) -> str:
        """Write product data as a revision, where they are not there yet; return their name."""
        name = product.content_hash
        if opened.get(ProductRevision, name) is None:
            data = product.model_dump(mode="json")
            opened.add(ProductRevision(content_hash=name, key=product.key, data=data, recorded_at=self.now()))
            opened.flush()
        return name

    def revision(self, opened: Session, content_hash: str) -> Product:
        """Return product data by their hash. Raises Missing."""

        def load() -> Product:
            row = opened.get(ProductRevision, content_hash)
            if row is None:
                raise Missing("product revision")
            return Product.model_validate(row.data)

        found: Product = self.memo.get(("revision", content_hash), load)
        return found


def zone_of(shop: Shop) -> ZoneInfo:
    """Return the shop's time zone."""
    return ZoneInfo(shop.time_zone)


def units_of(shop: Shop) -> dict[str, str]:
    """Return the signs of the shop's units."""
    return display_units(shop.units)

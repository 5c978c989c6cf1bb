"""The running workshop, and a unit of work in it: one session, one moment, one shop."""

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field, replace
from datetime import UTC, datetime
from functools import cached_property
from typing import Any
from uuid import UUID
from zoneinfo import ZoneInfo

from sqlalchemy import Engine
from sqlalchemy.orm import Session

from cool_sheen.core.coatings.products import Product
from cool_sheen.core.units import display_units
from cool_sheen.devices.scale import SimulatedScale
from cool_sheen.formats.catalogue import Catalogue, shipped
from cool_sheen.service.kept import Kept, KeptAside
from cool_sheen.store import changes
from cool_sheen.store.engine import session
from cool_sheen.store.models import ProductRevision, Shop


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
class Workshop:
    """One running application: the database, the clock, what ships, and what was worked out before."""

    engine: Engine
    clock: Callable[[], datetime] = lambda: datetime.now(UTC)
    catalogue: Catalogue = field(default_factory=shipped)
    kept: Kept = field(default_factory=Kept)
    scale: SimulatedScale = field(default_factory=SimulatedScale)
    ready: Any = None  # what a worker has worked out: weather, lessons; None where nobody works ahead
    looks: int = 0  # how often a worker has looked ahead
    at_hand: UUID | None = None  # the space of which something was said last: its page is looked at next
    first_look: tuple[int, int] | None = None  # while it is in hand: how many parts are done, of how many
    settle: Callable[["Unit"], None] = lambda _: None  # the kept status follows what was written
    changed: Callable[[frozenset[str]], None] | None = None  # called after a commit, with what it changed

    @contextmanager
    def open(self, *, works_ahead: bool = False) -> Iterator["Unit"]:
        """Give a unit of work; it is settled and committed at the end, or undone when something goes wrong.

        Args:
            works_ahead: Whether this is the worker itself, who makes the weather that all others go by.
        """
        with session(self.engine) as opened:
            unit = Unit(self, opened, self.clock(), works_ahead=works_ahead)
            yield unit
            unit.settled()
            news = changes.bumped(opened)
        unit.aside.commit()
        if news and self.changed is not None and not works_ahead:
            self.changed(news)

    def now(self) -> datetime:
        """Return the present."""
        return self.clock()


@dataclass(eq=False)
class Unit:
    """A unit of work: all that a service needs, at one moment."""

    workshop: Workshop
    session: Session
    now: datetime
    person: str = "shop"
    device: str = "web"
    works_ahead: bool = False
    aside: KeptAside = field(init=False)
    _shop: Shop | None = None

    def __post_init__(self) -> None:
        self.aside = KeptAside(self.workshop.kept)

    @property
    def catalogue(self) -> Catalogue:
        """What ships."""
        return self.workshop.catalogue

    @property
    def kept(self) -> Kept | KeptAside:
        """What was worked out before; apart from the others' as soon as this unit has written something."""
        return self.aside if changes.wrote(self.session) else self.workshop.kept

    @property
    def shop(self) -> Shop | None:
        """The shop; None before the set-up."""
        if self._shop is None:
            self._shop = self.session.get(Shop, 1)
        return self._shop

    @property
    def the_shop(self) -> Shop:
        """The shop, where there is one for certain. Raises Refused."""
        shop = self.shop
        if shop is None:
            raise Refused("Set the shop up first.", status=409)
        return shop

    @cached_property
    def zone(self) -> ZoneInfo:
        """The shop's time zone; UTC before the set-up."""
        shop = self.shop
        return zone_of(shop) if shop else ZoneInfo("UTC")

    def settled(self) -> Session:
        """Bring the kept status up to date with what was written so far, and return the session to read it with."""
        self.session.flush()
        if changes.unsettled(self.session):
            self.workshop.settle(self)
        return self.session

    def at(self, now: datetime) -> "Unit":
        """The same work at another moment."""
        other = replace(self, now=now)
        other.aside = self.aside
        return other

    def keep(self, product: Product) -> str:
        """Write product data as a revision, where they are not there yet; return their name."""
        name = product.content_hash
        if self.session.get(ProductRevision, name) is None:
            data = product.model_dump(mode="json")
            self.session.add(ProductRevision(content_hash=name, key=product.key, data=data, recorded_at=self.now))
            self.session.flush()
        return name

    def revision(self, content_hash: str) -> Product:
        """Return product data by their hash. Raises Missing."""

        def load() -> Product:
            row = self.session.get(ProductRevision, content_hash)
            if row is None:
                raise Missing("product revision")
            return Product.model_validate(row.data)

        found: Product = self.kept.get(("revision", content_hash), load, lambda _: 12_000)
        return found


def zone_of(shop: Shop) -> ZoneInfo:
    """Return the shop's time zone."""
    return ZoneInfo(shop.time_zone)


def units_of(shop: Shop) -> dict[str, str]:
    """Return the signs of the shop's units."""
    return display_units(shop.units)

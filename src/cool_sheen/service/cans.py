"""Aerosol cans by session: counted as the plan lays the coats, and as they would be with a part moved."""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from uuid import UUID

from cool_sheen.core.coatings.products import Product
from cool_sheen.core.materials.cans import cans_for
from cool_sheen.core.takeoff.amounts import coats_ahead
from cool_sheen.core.units import Millilitres
from cool_sheen.service.batches import transfer_of, transfer_on
from cool_sheen.service.part_now import PartNow
from cool_sheen.service.unit import Unit, zone_of
from cool_sheen.store.models import Shop

Moves = Mapping[tuple[UUID, date], date]


@dataclass(frozen=True, slots=True)
class Stint:
    """What one part takes in one session."""

    part: UUID
    name: str
    day: date
    coats: int
    ml: Millilitres


@dataclass(frozen=True)
class Sitting:
    """One session: its parts, the paint, the cans."""

    day: date
    stints: tuple[Stint, ...]
    cans: int

    @property
    def ml(self) -> Millilitres:
        """What leaves the nozzle. [ml]"""
        return sum(stint.ml for stint in self.stints)


@dataclass(frozen=True)
class CanCount:
    """The cans of one product, session by session."""

    product: Product
    sessions: tuple[Sitting, ...]
    unplanned: tuple[str, ...] = ()

    @property
    def cans(self) -> int:
        """All cans. [1]"""
        return sum(session.cans for session in self.sessions)

    @property
    def fewest(self) -> int:
        """Cans if everything were sprayed in one session. [1]"""
        return cans_of(self.product, sum(session.ml for session in self.sessions))


def cans_of(product: Product, ml: Millilitres) -> int:
    """Cans of one session; none of what does not come in cans."""
    if product.aerosol is None:
        return 0
    return cans_for([round(ml, 3)], product.aerosol.can_ml, product.aerosol.usable_fraction).total


def can_counts(unit: Unit, shop: Shop, found_all: Sequence[PartNow], moves: Moves | None = None) -> list[CanCount]:
    """Count the cans of every aerosol that parts wait for.

    Args:
        unit: The unit of work.
        shop: The shop, for its calendar.
        found_all: The parts that are meant.
        moves: For a part and one of its sessions, the day that it is moved to.
    """
    stints: dict[str, list[Stint]] = {}
    products: dict[str, Product] = {}
    unplanned: dict[str, list[str]] = {}
    zone, transfer = zone_of(shop), transfer_of(unit)
    for found in found_all:
        if not any(product.aerosol for product in found.products.values()):
            continue
        on_it = transfer_on(found.part.lands_pct, transfer)
        coats = coats_ahead(found.owed, found.zones, found.products, on_it)
        mine = [c for c in coats if found.products[c.product].aerosol is not None]
        days = {p.step.id: p.start.astimezone(zone).date() for p in found.rest.steps}
        for coat in mine:
            products[coat.product] = found.products[coat.product]
            day = days.get(coat.step.id)
            if day is None:
                unplanned.setdefault(coat.product, []).append(found.part.name)
                continue
            day = (moves or {}).get((found.part.uuid, day), day)
            stint = Stint(found.part.uuid, found.part.name, day, 1, coat.ml)
            stints.setdefault(coat.product, []).append(stint)
    return [
        CanCount(
            sheet, _sessions(sheet, stints.get(key, []), shop.fresh_can), tuple(dict.fromkeys(unplanned.get(key, [])))
        )
        for key, sheet in products.items()
    ]


def _once(names: Sequence[str]) -> tuple[str, ...]:
    return tuple(dict.fromkeys(names))


def _sessions(product: Product, stints: list[Stint], fresh: bool) -> tuple[Sitting, ...]:
    """The sessions in order; where no fresh can is wanted, what is left of the last one is used up first."""
    by_day: dict[date, dict[UUID, Stint]] = {}
    for stint in stints:
        day = by_day.setdefault(stint.day, {})
        was = day.get(stint.part)
        day[stint.part] = (
            stint if was is None else Stint(stint.part, stint.name, stint.day, was.coats + 1, was.ml + stint.ml)
        )
    out: list[Sitting] = []
    opened, used = 0, 0.0
    for on, parts in sorted(by_day.items()):
        ml = math.fsum(s.ml for s in parts.values())
        used += ml
        cans = cans_of(product, ml) if fresh else cans_of(product, used) - opened
        opened += cans
        out.append(Sitting(on, tuple(parts.values()), cans))
    return tuple(out)

"""What each project costs and brings: hours, materials, waste, hire, goodwill."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from decimal import Decimal
from uuid import UUID

from sqlalchemy import select

from cool_sheen.core.materials.cost import Cost, cents
from cool_sheen.core.materials.packs import Pack
from cool_sheen.core.takeoff.amounts import paint_of
from cool_sheen.core.takeoff.equipment import Equipment
from cool_sheen.core.takeoff.needs import TakeOff, take_off, work_of
from cool_sheen.core.work.labour import transfer_efficiency
from cool_sheen.core.work.steps import CoatStep
from cool_sheen.service.batches import transfer_on
from cool_sheen.service.own_ways import equipment_of
from cool_sheen.service.packs import Offer, packs_on_offer
from cool_sheen.service.part_now import PartNow, parts_of
from cool_sheen.service.shelf_now import WholeShelf, shelf_now
from cool_sheen.service.stores import consumables, shopping
from cool_sheen.service.unit import Refused, Unit
from cool_sheen.store.models import Project, Shop


@dataclass(frozen=True)
class Costed:
    """A project or part with its sums."""

    name: str
    cost: Cost
    parts: tuple["Costed", ...] = ()
    project: Project | None = None
    unknown: tuple[str, ...] = ()  # what could not be worked out, and why


def costs(unit: Unit, shop: Shop, projects: Iterable[UUID]) -> list[Costed]:
    """Work out what projects cost over all their steps, done or not, part by part."""
    by_project: dict[UUID, list[PartNow]] = {}
    for found in parts_of(unit, projects):
        by_project.setdefault(found.part.project_uuid, []).append(found)
    offers = packs_on_offer(unit)
    prices = unit_prices(o.pack for o in offers.values())
    found_in = {p.uuid: p for p in unit.session.scalars(select(Project).where(Project.uuid.in_(by_project)))}
    rows = [_costed(unit, shop, found_in[uuid], parts, offers, prices) for uuid, parts in by_project.items()]
    return sorted(rows, key=lambda row: (row.cost.price is None, row.name))


def unit_prices(packs: Iterable[Pack]) -> dict[str, Decimal]:
    """What a millilitre of each component costs in its cheapest size; a set shares its price by volume."""
    out: dict[str, Decimal] = {}
    for pack in packs:
        for key in pack.contains:
            price = pack.price / Decimal(str(sum(pack.contains.values())))
            out[key] = min(out.get(key, price), price)
    return out


def _costed(
    unit: Unit,
    shop: Shop,
    project: Project,
    parts: list[PartNow],
    offers: Mapping[str, Offer],
    prices: Mapping[str, Decimal],
) -> Costed:
    shelf = shelf_now(unit)
    rows, need = [], TakeOff()
    for found in parts:
        taken = _whole(unit, shelf, found, equipment_of(shop))
        need.add(taken)
        rows.append(Costed(found.part.name, _cost_of(unit, shop, taken, prices)))
    materials = sum((row.cost.materials for row in rows), Decimal(0))
    bag = shopping({k: ml for k, ml in need.components.items() if ml > 0.5}, offers)
    paint = sum((prices.get(k, Decimal(0)) * Decimal(str(ml)) for k, ml in need.components.items()), Decimal(0))
    cost = Cost(
        sum(row.cost.hours for row in rows),
        shop.labour_rate,
        materials,
        cents(max(Decimal(0), bag.cost - paint)),
        project.price,
        project.hire_cost or Decimal(0),
        project.hire_hours_saved or 0.0,
        project.goodwill_hours or 0.0,
    )
    nameless = sorted(
        need.names[k] for k, ml in need.components.items() if ml > 0.5 and k not in prices and not k.startswith("free:")
    )
    left_out = (f"Left out, because no size and price is known: {', '.join(nameless)}.",) if nameless else ()
    return Costed(project.name, cost, tuple(rows), project, (*left_out, *need.unknown, *bag.unknown))


def estimate_of(unit: Unit, project: Project, parts: Iterable[PartNow], prices: Mapping[str, Decimal]) -> Cost:
    """Work out what all steps of a project take, done or not: hours, and materials as they are used.

    Which sizes would be bought is left out: to choose them takes longer than all else.
    """
    shop, need = unit.the_shop, TakeOff()
    for found in parts:
        need.add(_whole(unit, shelf_now(unit), found, equipment_of(shop)))
    return Cost(
        need.hours,
        shop.labour_rate,
        materials_of(unit, need, prices),
        Decimal(0),
        project.price,
        project.hire_cost or Decimal(0),
        project.hire_hours_saved or 0.0,
        project.goodwill_hours or 0.0,
    )


def cost_of_part(unit: Unit, shop: Shop, found: PartNow) -> Cost:
    """Work out what one part costs over all its steps, done or not: hours and materials, without whole sizes."""
    prices = unit_prices(o.pack for o in packs_on_offer(unit).values())
    return _cost_of(unit, shop, _whole(unit, shelf_now(unit), found, equipment_of(shop)), prices)


def _cost_of(unit: Unit, shop: Shop, taken: TakeOff, prices: Mapping[str, Decimal]) -> Cost:
    return Cost(taken.hours, shop.labour_rate, materials_of(unit, taken, prices), Decimal(0))


def _whole(unit: Unit, shelf: WholeShelf, found: PartNow, equipment: Equipment) -> TakeOff:
    """The take-off of all steps of a part, done or not."""
    key = ("whole", found.version, shelf.version, equipment)

    def make() -> TakeOff:
        zones = found.zones
        steps = found.owed.steps
        on_it = transfer_on(found.part.lands_pct, transfer_efficiency)
        coats = [paint_of(s, zones, found.products, on_it) for s in steps if isinstance(s, CoatStep)]
        made = take_off(found.part.name, coats, found.products, shelf.supplies, equipment)
        made.used, made.hours = work_of(steps, coats, equipment, unit.catalogue.rates)
        return made

    kept: TakeOff = unit.kept.get(key, make)
    return kept


def materials_of(unit: Unit, taken: TakeOff, prices: Mapping[str, Decimal]) -> Decimal:
    """What the paint of a take-off costs, and what it wears out."""
    paint = sum((prices.get(k, Decimal(0)) * Decimal(str(ml)) for k, ml in taken.components.items()), Decimal(0))
    worn = sum((cost for _, _, _, cost in consumables(unit, taken.used)), Decimal(0))
    return cents(paint + worn)


@dataclass(frozen=True, slots=True)
class Terms:
    """What a project brings, and what was hired for it or given away."""

    price: Decimal | None
    hire: Decimal | None
    hours_saved: float | None
    goodwill_hours: float | None


def project_of(unit: Unit, uuid: UUID) -> Project | None:
    """Return a project; None when it is not here."""
    return unit.session.get(Project, uuid)


def set_money(unit: Unit, uuid: UUID, money: Terms) -> None:
    """Keep the money of a project. Raises Refused."""
    project = unit.session.get(Project, uuid)
    if project is None:
        raise Refused("There is no such project here.", status=404)
    project.price, project.hire_cost = money.price, money.hire
    project.hire_hours_saved, project.goodwill_hours = money.hours_saved, money.goodwill_hours
    unit.session.flush()

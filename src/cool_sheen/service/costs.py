"""What each project costs and brings: hours, materials, waste, hire, goodwill."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from decimal import Decimal
from uuid import UUID

from sqlalchemy.orm import Session

from cool_sheen.core.materials.cost import Cost, cents
from cool_sheen.core.materials.packs import Pack
from cool_sheen.core.planning.paint import CoatPaint, paint_of
from cool_sheen.core.planning.takeoff import Gun, TakeOff, take_off, work_of
from cool_sheen.service.climate import look
from cool_sheen.service.desk import Desk, Refused
from cool_sheen.service.jobs import Standing, stand_all
from cool_sheen.service.packs import Offer, packs_on_offer
from cool_sheen.service.stock import Stock, stock
from cool_sheen.service.stores import consumables, gun_of, shopping
from cool_sheen.store.models import Project, Shop


@dataclass(frozen=True)
class Costed:
    """A project or part with its sums."""

    name: str
    cost: Cost
    parts: tuple["Costed", ...] = ()
    project: Project | None = None


def costs(desk: Desk, opened: Session, shop: Shop) -> list[Costed]:
    """Work out what each project costs over all its steps, done or not, part by part."""
    by_project: dict[UUID, list[Standing]] = {}
    for found in stand_all(desk, opened, look(desk, opened)):
        by_project.setdefault(found.part.project_uuid, []).append(found)
    offers = packs_on_offer(desk, opened)
    unit = unit_prices(o.pack for o in offers.values())
    rows = [_costed(desk, opened, shop, parts, offers, unit) for parts in by_project.values()]
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
    desk: Desk, opened: Session, shop: Shop, parts: list[Standing], offers: Mapping[str, Offer],
    unit: Mapping[str, Decimal],
) -> Costed:  # fmt: skip
    project = parts[0].part.project
    shelf = stock(desk, opened)
    rows, need = [], TakeOff()
    for found in parts:
        taken = _whole(desk, shelf, found, gun_of(shop))
        need.add(taken)
        rows.append(
            Costed(found.part.name, Cost(taken.hours, shop.labour_rate, _materials(desk, taken, unit), Decimal(0)))
        )
    materials = sum((row.cost.materials for row in rows), Decimal(0))
    bag = shopping({k: ml for k, ml in need.components.items() if ml > 0.5}, offers)
    paint = sum((unit.get(k, Decimal(0)) * Decimal(str(ml)) for k, ml in need.components.items()), Decimal(0))
    cost = Cost(
        sum(row.cost.hours for row in rows), shop.labour_rate, materials, cents(max(Decimal(0), bag.cost - paint)),
        project.price, project.hire_cost or Decimal(0), project.hire_hours_saved or 0.0, project.goodwill_hours or 0.0,
    )  # fmt: skip
    return Costed(project.name, cost, tuple(rows), project)


def _whole(desk: Desk, shelf: Stock, found: Standing, gun: Gun) -> TakeOff:
    """The take-off of all steps of a part, done or not."""
    key = ("whole", found.version, shelf.version, gun)

    def make() -> TakeOff:
        zones = found.zones
        coats: list[CoatPaint] = [
            paint for p in found.steps if (paint := paint_of(p.step, zones, found.products)) is not None
        ]
        made = take_off(found.part.name, coats, found.products, shelf.supplies, gun)
        assert desk.catalogue.rates is not None
        every = ("done", "skipped", "next", "ahead")
        made.used, made.hours = work_of(found.steps, zones, coats, gun, desk.catalogue.rates, every)
        return made

    kept: TakeOff = desk.memo.get(key, make)
    return kept


def _materials(desk: Desk, taken: TakeOff, unit: Mapping[str, Decimal]) -> Decimal:
    paint = sum((unit.get(k, Decimal(0)) * Decimal(str(ml)) for k, ml in taken.components.items()), Decimal(0))
    worn = sum((cost for _, _, _, cost in consumables(desk, taken.used)), Decimal(0))
    return cents(paint + worn)


@dataclass(frozen=True, slots=True)
class Money:
    """What a project brings, and what was hired for it or given away."""

    price: Decimal | None
    hire: Decimal | None
    hours_saved: float | None
    goodwill_hours: float | None


def set_money(opened: Session, uuid: UUID, money: Money) -> None:
    """Keep the money of a project. Raises Refused."""
    project = opened.get(Project, uuid)
    if project is None:
        raise Refused("There is no such project here.", status=404)
    project.price, project.hire_cost = money.price, money.hire
    project.hire_hours_saved, project.goodwill_hours = money.hours_saved, money.goodwill_hours
    opened.flush()


def set_shop(
    desk: Desk, opened: Session, rate: Decimal, currency: str, reservoir_ml: float, loss_ml: float
) -> None:  # fmt: skip
    """Keep the shop's hourly rate and its gun. Raises Refused when a fill would lose more than it holds."""
    shop = desk.shop(opened)
    if shop is None:
        raise Refused("Set the shop up first.", status=409)
    if loss_ml >= reservoir_ml:
        raise Refused("That cannot be.", {"loss": "The loss of a fill must be less than the gun's cup holds."})
    shop.labour_rate, shop.currency = rate, currency
    shop.reservoir_ml, shop.loss_ml = reservoir_ml, loss_ml
    opened.flush()

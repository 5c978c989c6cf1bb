"""Stores: what everything that is planned will take, what there is, what to buy, what it costs."""

from collections.abc import Iterable, Mapping
from contextlib import suppress
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from decimal import Decimal
from uuid import UUID, uuid5

from cool_sheen.core.errors import CoreError
from cool_sheen.core.materials.consumables import Used
from cool_sheen.core.materials.cost import cents
from cool_sheen.core.materials.kits import Kit, Purchase, cheapest
from cool_sheen.core.materials.packs import Pack
from cool_sheen.core.mixing.recipes import Choice, mix_of
from cool_sheen.core.takeoff.amounts import Transfer, coats_ahead
from cool_sheen.core.takeoff.equipment import Equipment
from cool_sheen.core.takeoff.needs import LayerNeed, TakeOff, take_off, work_of
from cool_sheen.core.units import Millilitres
from cool_sheen.core.work.steps import only_on
from cool_sheen.service.batches import transfer_of, transfer_on, yields
from cool_sheen.service.cans import can_counts
from cool_sheen.service.own_ways import equipment_of
from cool_sheen.service.packs import Offer, packs_on_offer
from cool_sheen.service.part_now import PartNow, live_parts
from cool_sheen.service.shelf_now import WholeShelf, shelf_now
from cool_sheen.service.unit import Refused, Unit
from cool_sheen.store import stock as stores
from cool_sheen.store.models import Shop, StockMovement

_MOVES = ("bought", "counted", "used", "discarded")
_PERSISTS_ML = 1e6


@dataclass(frozen=True)
class Line:
    """One component: what is needed, what there is, what is bought, what will be left and how long it keeps."""

    key: str
    name: str
    need_ml: Millilitres
    have_ml: Millilitres
    bought_ml: Millilitres
    opened: datetime | None
    keeps_days: int | None

    @property
    def missing_ml(self) -> Millilitres:
        """What has to be bought. [ml]"""
        return max(0.0, self.need_ml - self.have_ml)

    @property
    def left_ml(self) -> Millilitres:
        """What will be left of stock and purchase together. [ml]"""
        return self.have_ml + self.bought_ml - self.need_ml

    def keeps_until(self, now: datetime) -> datetime | None:
        """Until when what is left keeps, once it is opened."""
        return (self.opened or now) + timedelta(days=self.keeps_days) if self.keeps_days else None


@dataclass(frozen=True)
class Bought:
    """So many of one size."""

    pack: Pack
    count: int

    @property
    def cost(self) -> Decimal:
        """What they cost together."""
        return cents(self.pack.price * self.count)


@dataclass
class Shopping:
    """What to buy at least cost, and what no size on offer covers."""

    buy: list[Bought] = field(default_factory=list)
    bought_ml: dict[str, Millilitres] = field(default_factory=dict)
    not_on_offer: list[str] = field(default_factory=list)
    unknown: list[str] = field(default_factory=list)

    @property
    def cost(self) -> Decimal:
        """The sum of it."""
        return sum((b.cost for b in self.buy), Decimal(0))


@dataclass(frozen=True)
class Stores:
    """A take-off against stock, with its shopping list."""

    take_off: TakeOff
    lines: list[Line]
    shopping: Shopping
    consumables: list[tuple[str, float, str, Decimal]]  # name, amount, unit, cost
    layers: list[LayerNeed]
    projects: list[tuple[UUID, str]]  # that something is planned for, the newest first


@dataclass(frozen=True)
class Basis:
    """What an estimate goes by: the shelf, the gun, and how much of the paint ends on a part."""

    shelf: WholeShelf
    equipment: Equipment
    transfer: Transfer
    version: tuple[object, ...]


def basis_of(unit: Unit, shop: Shop, estimate: str = "shop") -> Basis:
    """Return what to reckon with: the shop's own use, or the book's transfer."""
    shelf, equipment = shelf_now(unit), equipment_of(shop)
    learned = tuple(yields(unit).items()) if estimate == "shop" else ()
    return Basis(shelf, equipment, transfer_of(unit, estimate), (shelf.version, equipment, learned))


def take_off_of(unit: Unit, found: PartNow, basis: Basis) -> TakeOff:
    """Return what the rest of a part's work takes; kept as long as the part, the shelf and the yields stay."""

    def make() -> TakeOff:
        on_it = transfer_on(found.part.lands_pct, basis.transfer)
        coats = coats_ahead(found.owed, found.zones, found.products, on_it)
        made = take_off(found.part.name, coats, found.products, basis.shelf.supplies, basis.equipment)
        steps = [only_on(row.step, row.owed | row.passed, found.zones) for row in found.owed.left()]
        made.used, made.hours = work_of(steps, coats, basis.equipment, unit.catalogue.rates)
        return made

    kept: TakeOff = unit.kept.get(("take-off", found.version, basis.version), make)
    return kept


def stores_of(unit: Unit, shop: Shop, project: UUID | None = None, estimate: str = "shop") -> Stores:
    """Work the take-off of a project out, or of everything that is planned, and what to buy for it."""
    live = live_parts(unit)
    meant = [f for f in live if project in (None, f.part.project_uuid)]
    basis, total = basis_of(unit, shop, estimate), TakeOff()
    for found in meant:
        total.add(take_off_of(unit, found, basis))
    for count in can_counts(unit, shop, meant):
        if count.product.aerosol and not count.unplanned:  # whole cans, session by session
            total.components[f"paint:{count.product.key}"] = count.cans * count.product.aerosol.can_ml
    have = stores.balances(unit.session)
    missing = {key: ml - max(0.0, have.get(key, 0.0)) for key, ml in total.components.items()}
    offers = packs_on_offer(unit)
    bag = shopping({key: ml for key, ml in missing.items() if ml > 0.5}, offers)
    in_use = stores.opened_at(unit.session)
    keeps = _keeps(offers)
    lines = [
        Line(
            key,
            total.names[key],
            ml,
            max(0.0, have.get(key, 0.0)),
            bag.bought_ml.get(key, 0.0),
            in_use.get(key),
            keeps.get(key),
        )
        for key, ml in sorted(total.components.items(), key=lambda item: total.names[item[0]])
    ]
    projects = {f.part.project_uuid: f.part.project_name for f in reversed(live)}
    total.unknown += bag.unknown
    return Stores(total, lines, bag, consumables(unit, total.used), total.layers, [*projects.items()])


def _keeps(offers: Mapping[str, Offer]) -> dict[str, int]:
    return {key: o.pack.keeps_days_opened for o in offers.values() for key in o.pack.contains}


def shopping(need_ml: Mapping[str, Millilitres], offers: Mapping[str, Offer]) -> Shopping:
    """Choose the cheapest sizes for a need; components that share no size are bought apart."""
    bag = Shopping()
    packs = [o.pack for o in offers.values() if o.to_be_had]
    held = {key for pack in packs for key in pack.contains}
    bag.not_on_offer = sorted(key for key in need_ml if key not in held)
    wanted = {key: round(ml, 1) for key, ml in need_ml.items() if key in held}
    for group in _groups(wanted, packs):
        useful = [p for p in packs if set(p.contains) & group.keys()]
        try:
            found = _cheapest(group, useful)
        except CoreError as why:
            bag.unknown.append(f"What to buy of {', '.join(group)} cannot be told: {why}")
            continue
        for sku, count in found.buy:
            pack = offers[sku].pack
            bag.buy.append(Bought(pack, count))
            for key, ml in pack.contains.items():
                bag.bought_ml[key] = bag.bought_ml.get(key, 0.0) + count * ml
    return bag


def _cheapest(need: Mapping[str, Millilitres], packs: Iterable[Pack]) -> Purchase:
    kits = [Kit(p.sku, p.price, tuple(sorted(p.contains.items()))) for p in packs]
    return cheapest(need, kits)


def _groups(need: Mapping[str, Millilitres], packs: list[Pack]) -> list[dict[str, Millilitres]]:
    """Part the need where nothing ties its components together: small questions are answered at once."""
    groups: list[set[str]] = []
    for key in need:
        tied = {key} | {k for p in packs if key in p.contains for k in p.contains if k in need}
        touching = [g for g in groups if g & tied]
        groups = [g for g in groups if not g & tied] + [tied.union(*touching)]
    return [{key: need[key] for key in sorted(group)} for group in groups]


def consumables(unit: Unit, used: Used | None) -> list[tuple[str, float, str, Decimal]]:
    """Return what wears out: name, amount, unit, cost. Whole discs are bought."""
    if used is None:
        return []
    price = {c.key: (c.name, c.unit, Decimal(c.price)) for c in unit.catalogue.consumables.values()}
    amounts: list[tuple[str, str, float]] = [
        ("disc", f" {grit}", -(-n // 1)) for grit, n in sorted(used.discs.items(), key=lambda item: int(item[0][1:]))
    ]
    amounts += [
        ("tape", "", used.tape_m),
        ("paper", "", used.paper_m2),
        ("strainer", "", used.strainers),
        ("cleaner", "", used.cleaning_ml / 1000),
    ]
    return [
        (f"{price[key][0]}{detail}", amount, price[key][1], cents(price[key][2] * Decimal(str(amount))))
        for key, detail, amount in amounts
        if amount > 0
    ]


# --- stock ------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class Move:
    """A movement as it was said: so much of an item bought, counted or thrown away."""

    item: str
    kind: str
    ml: Millilitres = 0.0
    sku: str = ""
    count: int = 1
    note: str = ""


def names_of(unit: Unit) -> dict[str, str]:
    """Return what every item that can be in stock is called."""
    shelf: WholeShelf = shelf_now(unit)
    out: dict[str, str] = {}
    for p in shelf.products.values():
        with suppress(CoreError):  # a sheet that lacks a figure: its own parts cannot be told, all others can
            components = mix_of(p, shelf.supplies, Choice(method=p.methods[0])).components
            out |= {c.key: c.name for c in components if c.role in ("paint", "hardener")}
    out |= {f"supply:{key}": s.name for key, s in shelf.supplies.items() if s.density_g_per_ml}
    for offer in packs_on_offer(unit).values():
        for key in offer.pack.contains:
            out.setdefault(key, key.partition(":")[0].replace("-", " ") + " of " + key.partition(":")[2])
    return out


def move(unit: Unit, press: UUID, said: Move) -> None:
    """Log a movement of stock, once. Raises Refused."""
    if said.kind == "bought" and said.sku:
        offer = packs_on_offer(unit).get(said.sku)
        if offer is None:
            raise Refused("There is no such size here.", {"sku": "Choose a size of the list."})
        if not 1 <= said.count <= 1000:
            raise Refused("That is no count.", {"count": "Enter how many, from 1 to 1000."})
        for n, (item, ml) in enumerate(sorted(offer.pack.contains.items())):
            paid = cents(offer.pack.price * said.count) if n == 0 else None
            _write(unit, press, n, Move(item, "bought", ml * said.count, said.sku, said.count, said.note), paid)
        return
    if said.kind not in _MOVES or said.item not in names_of(unit):
        raise Refused("Something is missing.", {"item": "Choose what it is, and what was done with it."})
    have = stores.balances(unit.session).get(said.item, 0.0)
    if not 0 <= said.ml <= _PERSISTS_ML:
        raise Refused("That is no amount.", {"amount": "Enter an amount from 0 up, such as 750 ml."})
    if said.kind in ("used", "discarded") and said.ml > have + 0.5:
        raise Refused(
            "There is not so much.", {"amount": f"{have:.0f} ml are in stock: count it first if there is more."}
        )
    ml = {"bought": said.ml, "counted": said.ml - have}.get(said.kind, -said.ml)
    _write(unit, press, 0, Move(said.item, said.kind, ml, "", 1, said.note), None)


def _write(unit: Unit, press: UUID, n: int, said: Move, paid: Decimal | None) -> None:
    row = StockMovement(
        uuid=uuid5(press, str(n)),
        item=said.item,
        kind=said.kind,
        ml=said.ml,
        at=unit.now,
        recorded_at=unit.now,
        sku=said.sku,
        paid=paid,
        note=said.note[:200],
    )
    stores.append(unit.session, row)


def shelf_of_stock(unit: Unit) -> list[Line]:
    """Return everything that is or was in stock, by name."""
    names, keeps, in_use = names_of(unit), _keeps(packs_on_offer(unit)), stores.opened_at(unit.session)
    jars = {item: f"Jar: {note}" for item, _, note, _ in stores.jars(unit.session)}
    rows = [
        Line(item, jars.get(item) or names.get(item, item), 0.0, ml, 0.0, in_use.get(item), keeps.get(item))
        for item, ml in stores.balances(unit.session).items()
        if not item.startswith("jar:") or item in jars
    ]
    return sorted(rows, key=lambda line: line.name)

"""From the coats that wait to a batch worked out, before anything is poured."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import UTC, datetime
from uuid import UUID

from cool_sheen.core.coatings.products import Product
from cool_sheen.core.mixing.pot_life import way_in_time
from cool_sheen.core.mixing.ratios import Batch, percent_by_basis, poured_batch, ready_from, ready_from_mixed, shares
from cool_sheen.core.mixing.recipes import Choice, Mix, dose_by_basis, mix_of
from cool_sheen.core.mixing.speeds import Proposal, fitting, propose
from cool_sheen.core.takeoff.amounts import CoatPaint, coats_ahead, waiting_coats
from cool_sheen.core.takeoff.equipment import Reservoir
from cool_sheen.core.units import Celsius, Grams, Millilitres, Percent
from cool_sheen.service.batches import pot_end, pot_minutes, transfer_of, transfer_on
from cool_sheen.service.own_ways import equipment_of
from cool_sheen.service.packs import packs_on_offer
from cool_sheen.service.part_now import PartNow, live_parts
from cool_sheen.service.shelf_now import WholeShelf, shelf_now
from cool_sheen.service.unit import Refused, Unit, zone_of
from cool_sheen.service.weather_now import Weather, weather_now
from cool_sheen.store import stock as stores


@dataclass(frozen=True)
class Waiting:
    """A part, and the coats of its next layer: one batch can be mixed for them."""

    found: PartNow
    product: Product
    coats: list[CoatPaint]

    @property
    def ml(self) -> Millilitres:
        """What all of them take, without fills. [ml]"""
        return sum(coat.ml for coat in self.coats)


@dataclass(frozen=True)
class Asked:
    """What the mixer said; what is left out is worked out."""

    product: str
    parts: Mapping[UUID, int] = field(default_factory=dict)
    how: str = "parts"  # parts, have, ready, mixed, tins
    amount_ml: Millilitres | None = None
    amount_g: Grams | None = None
    have_of: int = 0
    sku: str = ""
    tins: int = 1
    choice: Choice = field(default_factory=Choice)
    method: str = ""  # by the faces of the parts, when it is left out
    reservoir: Reservoir | None = None  # the shop's, by the way of applying, when it is left out
    cup_ml: Millilitres | None = None
    tare_g: Grams = 0.0
    estimate: str = "shop"
    jar: UUID | None = None
    reason: str = ""


@dataclass(frozen=True)
class PartCoats:
    """The coats of a part that a batch is for, and when the last of them is to be on."""

    waiting: Waiting
    coats: list[CoatPaint]
    on_by: datetime | None
    stuck: str = ""

    @property
    def ml(self) -> Millilitres:
        """What they take. [ml]"""
        return sum(coat.ml for coat in self.coats)


@dataclass(frozen=True)
class Worked:
    """A batch worked out, before anything is poured."""

    product: Product
    mix: Mix
    choice: Choice
    batch: Batch
    uses: list[PartCoats]
    net_ml: Millilitres
    fills: int
    loss_ml: Millilitres
    jar_ml: Millilitres
    temp_c: Celsius
    hardener: Proposal | None
    reducer: Proposal | None
    percent: dict[str, Percent]
    doses: dict[str, dict[str, float]]
    pot_life_ends: datetime | None
    warnings: list[str]
    enough_for: list[tuple[str, int, int]]
    space: UUID | None


def waiting(unit: Unit, estimate: str = "shop") -> list[Waiting]:
    """Return every part with coats to come which are mixed, product by product; cans need no mixing."""
    transfer = transfer_of(unit, estimate)
    out = []
    for found in live_parts(unit):
        on_it = transfer_on(found.part.lands_pct, transfer)
        ahead = coats_ahead(found.owed, found.zones, found.products, on_it)
        for key, coats in waiting_coats(ahead, found.owed).items():
            if found.products[key].aerosol is None:
                out.append(Waiting(found, found.products[key], coats))
    return out


def work_out(unit: Unit, asked: Asked) -> Worked:
    """Work a batch out.

    Raises: Refused: nothing to mix for, a product or tin that is not there, a cup that is too small; with a note at
        the field. CoreError: a ratio, percentage or dose that cannot be.
    """
    weather = weather_now(unit)
    shelf = shelf_now(unit)
    product = shelf.products.get(asked.product)
    if product is None or product.aerosol is not None:
        raise Refused("Something is missing.", {"product": "Choose a product that is mixed."})
    queue = {w.found.part.uuid: w for w in waiting(unit, asked.estimate) if w.product.key == product.key}
    chosen = [(queue[u], n) for u, n in asked.parts.items() if u in queue]
    if chosen:  # a part goes by the data that it was planned with
        product = chosen[0][0].product
    uses = [_use(unit, w, n) for w, n in chosen]
    method = asked.method or (uses[0].coats[0].method if uses else product.methods[0])
    choice = replace(asked.choice, method=method)
    mix = mix_of(product, shelf.supplies, choice)
    net = sum(use.ml for use in uses)
    jar_ml = _jar(unit, asked.jar)
    gun = asked.reservoir or equipment_of(unit.the_shop).of(method)
    ready = _ready(unit, asked, mix, net, gun, jar_ml)
    worked = poured_batch([(share, share.ml_per_ml * ready) for share in shares(mix.recipe)], asked.tare_g)
    notes = _cup(worked, asked.cup_ml)
    temp, space = _here(unit, uses)
    ends = _gels(unit, product, mix, choice, space, weather)
    have, loss = worked.ready_ml + jar_ml, gun.loss(net)
    return Worked(
        product=product,
        mix=mix,
        choice=choice,
        batch=worked,
        uses=uses,
        net_ml=net,
        fills=gun.fills(net),
        loss_ml=loss,
        jar_ml=jar_ml,
        temp_c=temp,
        hardener=_proposed(shelf, product, "hardener", method, temp, uses),
        reducer=_proposed(shelf, product, "reducer", method, temp, uses),
        percent=_percent(mix),
        doses=_doses(mix),
        pot_life_ends=ends,
        warnings=[*notes, *_too_late(unit, uses, ends), *_short(uses, have, net + loss)],
        enough_for=_enough(uses, have - loss),
        space=space,
    )


def _proposed(
    shelf: WholeShelf, product: Product, kind: str, method: str, temp_c: Celsius, uses: Sequence[PartCoats]
) -> Proposal | None:
    area = max((c.area_m2 for use in uses for c in use.coats), default=1.0)
    return propose(fitting(product, kind, method, shelf.supplies.values()), kind, temp_c, area, method)


def _percent(mix: Mix) -> dict[str, Percent]:
    """What the reducer is on each basis; nothing where there is none."""
    first = len(mix.recipe.parts)
    if len(mix.components) == first or mix.components[first].role != "reducer":
        return {}
    return {str(basis): pct for basis, pct in percent_by_basis(mix.recipe, 0).items()}


def _doses(mix: Mix) -> dict[str, dict[str, float]]:
    """What each dose is on each basis, by the key of its supply. [ml/l]"""
    first = len(mix.recipe.parts)
    return {
        c.supply.key: {str(basis): ml for basis, ml in dose_by_basis(mix.recipe, place).items()}
        for place, c in enumerate(mix.components[first:])
        if c.role == "additive" and c.supply
    }


def _use(unit: Unit, found: Waiting, count: int) -> PartCoats:
    coats = found.coats[: max(1, count)]
    rest = found.found.rest
    wanted = {coat.step.id for coat in coats}
    ends = [p.end for p in rest.steps if p.step.id in wanted]
    return PartCoats(found, coats, max(ends) if len(ends) == len(wanted) else None, rest.stuck)


def _jar(unit: Unit, jar: UUID | None) -> Millilitres:
    if jar is None:
        return 0.0
    return next((ml for item, ml, _, _ in stores.jars(unit.session) if item == f"jar:{jar}"), 0.0)


def _ready(unit: Unit, asked: Asked, mix: Mix, net: Millilitres, gun: Reservoir, jar_ml: Millilitres) -> Millilitres:
    """The ready mix that is wanted, from whichever side it was said."""
    if asked.how == "parts":
        if net <= 0:
            raise Refused("Nothing to mix for yet.", {"parts": "Tick a part that waits for this, or say how much."})
        ready = net + gun.loss(net) - jar_ml
        if ready <= 0:
            raise Refused("The jar is enough.", {"jar": "What is in the jar covers these coats: nothing to mix."})
        return ready
    if asked.how == "tins":
        return _from_tins(unit, asked, mix)
    amount = asked.amount_ml
    if asked.how == "have":
        if not 0 <= asked.have_of < len(mix.components):
            raise Refused("Something is missing.", {"have_of": "Choose what there is of this mix."})
        if asked.amount_g is not None:
            amount = asked.amount_g / shares(mix.recipe)[asked.have_of].density_g_per_ml
    if amount is None:
        raise Refused("Something is missing.", {"amount": "Say how much, such as 380 ml."})
    if asked.how == "have":
        return ready_from(mix.recipe, asked.have_of, amount)
    return ready_from_mixed(mix.recipe, amount) if asked.how == "mixed" else amount


def _from_tins(unit: Unit, asked: Asked, mix: Mix) -> Millilitres:
    pack = packs_on_offer(unit).get(asked.sku)
    base = mix.components[0].key
    if pack is None or base not in pack.pack.contains:
        raise Refused("Something is missing.", {"sku": "Choose a tin of this product."})
    return ready_from(mix.recipe, 0, pack.pack.contains[base] * asked.tins)


def _cup(worked: Batch, cup_ml: Millilitres | None) -> list[str]:
    if cup_ml is None or cup_ml >= worked.cup_min_ml - 0.5:
        return []
    if cup_ml < worked.ready_ml:
        lots = -(-worked.ready_ml // (cup_ml / 2))
        raise Refused(
            "The cup is smaller than the batch.",
            {
                "cup": f"It holds {cup_ml:.0f} ml and the mix is {worked.ready_ml:.0f} ml: take one of "
                f"{worked.cup_min_ml:.0f} ml, or mix {lots:.0f} batches of {worked.ready_ml / lots:.0f} ml."
            },
        )
    return [f"The cup will be more than half full: one of {worked.cup_min_ml:.0f} ml is stirred without spilling."]


def _here(unit: Unit, uses: Sequence[PartCoats]) -> tuple[Celsius, UUID | None]:
    if not uses:
        return 20.0, None
    found = uses[0].waiting.found
    return found.climate.air_at(unit.now), found.space.uuid


def _gels(
    unit: Unit, product: Product, mix: Mix, choice: Choice, space: UUID | None, weather: Weather
) -> datetime | None:
    minutes = pot_minutes(product.mix.pot_life_minutes, mix.blend)
    if minutes is None:
        return None
    return pot_end(unit, space, unit.now, minutes, product.ref_temp_c, weather)


def _too_late(unit: Unit, uses: Sequence[PartCoats], ends: datetime | None) -> list[str]:
    """A batch that gels before its coats are on is warned about before it is mixed."""
    shop = unit.shop
    zone = zone_of(shop) if shop else UTC
    out = []
    for use in uses:
        name = use.waiting.found.part.name
        if use.on_by is None:
            out.append(f"{name}: no time for these coats is in sight. {use.stuck}")
        elif ends is not None and use.on_by > ends:
            gels = ends.astimezone(zone).strftime("%a %H:%M")
            on = use.on_by.astimezone(zone).strftime("%a %H:%M")
            way = way_in_time(_planned_ends(unit, use), unit.now, ends)
            out.append(f"{name}: this mix gels at {gels}, and the last of these coats is on at {on}. {way}.")
    return out


def _planned_ends(unit: Unit, use: PartCoats) -> list[datetime]:
    wanted = {coat.step.id for coat in use.coats}
    return [p.end for p in use.waiting.found.rest.steps if p.step.id in wanted]


def _short(uses: Sequence[PartCoats], have: Millilitres, wanted: Millilitres) -> list[str]:
    if not uses or have >= wanted - 0.5:
        return []
    return [f"{wanted - have:.0f} ml short for all the coats that are ticked."]


def _enough(uses: Sequence[PartCoats], have: Millilitres) -> list[tuple[str, int, int]]:
    """How many coats of each part the mix is enough for, in the order of the parts."""
    out = []
    for use in uses:
        covered = 0
        for coat in use.coats:
            if have < coat.ml - 0.5:
                break
            have -= coat.ml
            covered += 1
        out.append((use.waiting.found.part.name, covered, len(use.coats)))
    return out

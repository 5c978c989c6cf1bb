"""Sizes on offer, as this shop buys them: what ships, the shop's own prices, and sizes of its own."""

import re
from dataclasses import dataclass
from decimal import Decimal
from typing import Any

from pydantic import ValidationError

from cool_sheen.core.coatings.products import Product
from cool_sheen.core.complaints import complaints
from cool_sheen.core.materials.kits import Kit, cheapest
from cool_sheen.core.materials.packs import Pack
from cool_sheen.core.mixing.ratios import shares
from cool_sheen.core.mixing.recipes import Choice, mix_of
from cool_sheen.core.units import Millilitres
from cool_sheen.service.shelf_now import shelf_now
from cool_sheen.service.unit import Refused, Unit
from cool_sheen.store import stock as stores
from cool_sheen.store.models import PackSheet


@dataclass(frozen=True, slots=True)
class Offer:
    """A size, and whether it is to be had now."""

    pack: Pack
    to_be_had: bool = True
    own: bool = False


def packs_on_offer(unit: Unit) -> dict[str, Offer]:
    """Return every size by its number, with the shop's own price where it has one."""
    sheets = stores.pack_sheets(unit.session)
    out = {sku: Offer(pack) for sku, pack in unit.catalogue.packs.items()}
    for sku, sheet in sheets.items():
        pack = Pack.model_validate(sheet.own) if sheet.own else unit.catalogue.packs.get(sku)
        if pack is not None:
            priced = pack if sheet.price is None else pack.model_copy(update={"price": sheet.price})
            out[sku] = Offer(priced, sheet.to_be_had, sheet.own is not None)
    return out


def set_pack(unit: Unit, sku: str, price: Decimal | None, to_be_had: bool) -> None:
    """Keep the shop's own price of a size, and whether it is to be had. Raises Refused."""
    if sku not in packs_on_offer(unit):
        raise Refused("There is no such size here.", {"sku": "Choose a size of the list."}, status=404)
    if price is not None and not 0 <= price <= 1_000_000:
        raise Refused("That is no price.", {"price": "Enter a price from 0 up, such as 23.50."})
    row = unit.session.get(PackSheet, sku)
    if row is None:
        row = PackSheet(sku=sku, price=price, to_be_had=to_be_had, own=None)
        unit.session.add(row)
    row.price, row.to_be_had = price, to_be_had
    unit.session.flush()


def sizes_of(unit: Unit, item: str) -> list[Pack]:
    """Return the sizes on offer that have something in them, by its key."""
    return sorted((o.pack for o in packs_on_offer(unit).values() if item in o.pack.contains), key=lambda p: p.name)


def pails(unit: Unit, product: Product, ready_ml: Millilitres) -> str:
    """Say in which sizes so much ready mix of a product is bought; that no size is known where none is."""
    mix = mix_of(product, shelf_now(unit).supplies, Choice())
    share = shares(mix.recipe)[0].ml_per_ml
    offers = [o.pack for o in packs_on_offer(unit).values() if o.to_be_had and mix.components[0].key in o.pack.contains]
    if not offers:
        return "no size known"
    kits = [Kit(p.sku, p.price, ((mix.components[0].key, p.contains[mix.components[0].key]),)) for p in offers]
    found = cheapest({mix.components[0].key: round(ready_ml * share, 1)}, kits)
    names = {p.sku: p.name for p in offers}
    return ", ".join(f"{count} × {names[sku]}" for sku, count in found.buy)


def sku_of(name: str) -> str:
    """Make a number for a size of the shop's own out of its name."""
    return f"own-{re.sub(r'[^a-z0-9]+', '-', name.lower()).strip('-')[:60] or 'size'}"


def fresh_sku(unit: Unit, name: str) -> str:
    """Make a number out of a name that no size on offer has."""
    plain, there = sku_of(name), packs_on_offer(unit)
    return next(sku for n in range(1, 1000) if (sku := plain if n == 1 else f"{plain}-{n}") not in there)


def add_pack(unit: Unit, data: dict[str, Any]) -> Pack:
    """Put a size of the shop's own on offer. Raises Refused with a note at each field that is wrong."""
    try:
        pack = Pack.model_validate(data)
    except ValidationError as error:
        raise Refused("The size is not sound.", complaints(error)) from error
    if pack.sku in packs_on_offer(unit):
        raise Refused("This number is taken.", {"sku": "Choose another number: this one is on offer already."})
    unit.session.add(PackSheet(sku=pack.sku, price=pack.price, to_be_had=True, own=pack.model_dump(mode="json")))
    unit.session.flush()
    return pack

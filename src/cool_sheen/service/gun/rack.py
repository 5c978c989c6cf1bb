"""The guns of the shop and the air that feeds them."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import TypeVar
from uuid import UUID

from pydantic import ValidationError
from sqlalchemy import ColumnElement, select

from cool_sheen.core.complaints import complaints
from cool_sheen.core.gun.guns import AirSupply, Armoury, GunType, OwnGun
from cool_sheen.formats.catalogue import armoury
from cool_sheen.service.unit import Missing, Refused, Unit
from cool_sheen.store.models import Gun, Shop

MOST_GUNS = 60
_Read = TypeVar("_Read", OwnGun, AirSupply)


@dataclass(frozen=True, slots=True)
class OnRack:
    """A gun or tool that can be chosen: one of the shop's own, or any of its kind."""

    key: str  # the uuid of the shop's own, or the key of a kind
    gun: GunType
    own: OwnGun | None = None


def rack(unit: Unit) -> list[OnRack]:
    """Return what can be chosen: the shop's own guns, then the kinds."""
    ships = armoury()
    kinds = {gun.key: gun for gun in ships.guns}
    return _own(unit, kinds, Gun.away_at.is_(None)) + [OnRack(gun.key, gun) for gun in ships.guns]


def put_away_guns(unit: Unit) -> list[OnRack]:
    """Return the shop's guns that were put away."""
    return _own(unit, {gun.key: gun for gun in armoury().guns}, Gun.away_at.is_not(None))


def _own(unit: Unit, kinds: Mapping[str, GunType], which: ColumnElement[bool]) -> list[OnRack]:
    rows = unit.session.scalars(select(Gun).where(which).order_by(Gun.made_at))
    said = [(str(row.uuid), OwnGun.model_validate(row.data)) for row in rows]
    return [OnRack(key, own.of(kinds[own.type]), own) for key, own in said if own.type in kinds]


def chosen(there: list[OnRack], key: str, method: str = "") -> OnRack:
    """Return the gun that was chosen; else the first that applies so, else the first there is."""
    found = next((one for one in there if one.key == key), None)
    return found or next((one for one in there if one.gun.method == method), there[0])


def ships() -> Armoury:
    """What ships about guns."""
    return armoury()


def keep_gun(unit: Unit, uuid: UUID, said: dict[str, object]) -> None:
    """Put a gun on the rack, or change one that hangs there. Raises Refused; Missing for one that was put away."""
    gun = _read(OwnGun, said)
    if gun.type not in {kind.key for kind in armoury().guns}:
        raise Refused("Check what was entered.", {"type": "Choose a kind of the list."})
    row = unit.session.get(Gun, uuid)
    same = {one.own.name for one in rack(unit) if one.own and one.key != str(uuid)}
    if gun.name in same:
        raise Refused("Check what was entered.", {"name": "There is a gun of this name: give it another."})
    if row is None:
        if len(same) >= MOST_GUNS:
            raise Refused(f"{MOST_GUNS} guns hang here: put one away first.", status=409)
        unit.session.add(Gun(uuid=uuid, data=gun.model_dump(mode="json"), made_at=unit.now))
    elif row.away_at is not None:
        raise Missing("gun")
    else:
        row.data = gun.model_dump(mode="json")
    unit.session.flush()


def put_away(unit: Unit, uuid: UUID, *, back: bool = False) -> None:
    """Take a gun off the rack, or hang it back; its cards stay. Raises Missing."""
    row = unit.session.get(Gun, uuid)
    if row is None:
        raise Missing("gun")
    row.away_at = None if back else row.away_at or unit.now
    unit.session.flush()


def air_of(shop: Shop) -> AirSupply | None:
    """Return what feeds the guns; None where nobody has said."""
    return AirSupply.model_validate(shop.air) if shop.air else None


def keep_air(unit: Unit, said: dict[str, object]) -> None:
    """Keep compressor, tank, hose and treatment. Raises Refused."""
    air = _read(AirSupply, said)
    if unit.the_shop.air != (data := air.model_dump(mode="json")):
        unit.the_shop.air = data
    unit.session.flush()


def _read(model: type[_Read], said: dict[str, object]) -> _Read:
    try:
        return model.model_validate({name: value for name, value in said.items() if value is not None})
    except ValidationError as error:
        raise Refused("Check what was entered.", complaints(error, "cut_in_bar")) from None

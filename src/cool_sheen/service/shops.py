"""The first start: the shop, its spaces, its units."""

from datetime import UTC, datetime
from typing import Annotated, Literal
from uuid import UUID, uuid4

from pydantic import BaseModel, ConfigDict, Field
from sqlalchemy import select

from cool_sheen.service.learning import learn_again
from cool_sheen.service.own_ways import Ways, put_ways
from cool_sheen.service.unit import Missing, Refused, Unit
from cool_sheen.store import climate as records
from cool_sheen.store.models import Shop, Space, SpaceAsItWas

LONG_AGO = datetime(1970, 1, 1, tzinfo=UTC)

# Kind -> (what it is called, usual air movement).
SPACE_KINDS: dict[str, tuple[str, str]] = {
    "booth": ("Booth", "booth"),
    "insulated_shop": ("Insulated shop", "gentle"),
    "garage": ("Garage", "gentle"),
    "open_shed": ("Open shed", "gentle"),
    "outdoors": ("Outdoors", "gentle"),
}
ROOM_AIR: dict[str, str] = {"still": "still air", "gentle": "gentle movement", "booth": "booth airflow"}


class NewSpace(BaseModel):
    """What is asked of a space."""

    model_config = ConfigDict(extra="forbid")
    name: str = Field(min_length=1, max_length=60)
    kind: Literal["booth", "insulated_shop", "garage", "open_shed", "outdoors"]
    heater_min_c: Annotated[float, Field(ge=-40, le=60)] | None = None
    dehumidifier_max_rh_pct: Annotated[float, Field(gt=0, le=100)] | None = None
    air_movement: Literal["still", "gentle", "booth"] | None = None
    has_sensor: bool = False
    lag_h: Annotated[float, Field(ge=0, le=240)] | None = None
    floor_damped: bool = False
    extraction: bool = False
    shade: bool = False
    wind_break: bool = False
    holds: Annotated[int, Field(ge=1, le=200)] | None = None


def set_up(unit: Unit, ways: Ways, spaces: list[NewSpace], *, seed: int, demo: bool = False) -> Shop:
    """Make the shop. Raises Refused when there is one, or its ways cannot be."""
    if unit.shop is not None:
        raise Refused("The shop is set up already.", status=409)
    shop = Shop(id=1, weather_seed=seed, is_demo=demo)
    for name in Ways.model_fields:
        setattr(shop, name, None)  # a row that is not written yet has no defaults
    put_ways(shop, ways)
    unit.session.add(shop)
    for space in spaces:
        add_space(unit, space)
    unit.session.flush()
    return shop


def add_space(unit: Unit, new: NewSpace) -> Space:
    """Make a space. Raises Refused: another one has its name."""
    space = Space(uuid=uuid4(), name="", kind="", air_movement="", heater_min_c=None, dehumidifier_max_rh_pct=None)
    space.lag_h = None
    _describe(unit, space, new)
    unit.session.add(space)
    unit.session.flush()
    unit.session.add(_as_it_is(space, LONG_AGO))
    return space


def change_space(unit: Unit, uuid: UUID, new: NewSpace, *, always: bool = False) -> Space:
    """Describe a space anew; what its parts will see follows at once, and what they saw stays as it was.

    Args:
        unit: The unit of work.
        uuid: The space.
        new: How it is.
        always: Whether it was always so, and described wrongly before.

    Raises: Missing, Refused.
    """
    space = unit.session.get(Space, uuid)
    if space is None:
        raise Missing("space")
    before = _as_it_is(space, LONG_AGO)
    _describe(unit, space, new)
    unit.session.flush()
    if always:
        records.forget_how_it_was(unit.session, uuid)
        unit.session.add(_as_it_is(space, LONG_AGO))
        learn_again(unit, LONG_AGO, unit.now)
    elif any(getattr(before, name) != getattr(space, name) for name in _SEEN_OF_IT):
        unit.session.add(_as_it_is(space, unit.now))
    unit.session.flush()
    return space


_SEEN_OF_IT = (
    "kind", "heater_min_c", "dehumidifier_max_rh_pct", "air_movement", "lag_h", "shade", "wind_break",
)  # fmt: skip


def _as_it_is(space: Space, since: datetime) -> SpaceAsItWas:
    return SpaceAsItWas(space_uuid=space.uuid, since=since, **{name: getattr(space, name) for name in _SEEN_OF_IT})


def _describe(unit: Unit, space: Space, new: NewSpace) -> None:
    others = unit.session.execute(select(Space.uuid, Space.name))
    if any(name.casefold() == new.name.strip().casefold() for uuid, name in others if uuid != space.uuid):
        raise Refused("That name is taken.", {"name": f"There is a “{new.name.strip()}” already: enter another name."})
    space.name, space.kind = new.name.strip(), new.kind
    space.heater_min_c, space.dehumidifier_max_rh_pct = new.heater_min_c, new.dehumidifier_max_rh_pct
    space.air_movement = new.air_movement or SPACE_KINDS[new.kind][1]
    space.has_sensor, space.lag_h = new.has_sensor, new.lag_h
    space.floor_damped, space.extraction = new.floor_damped, new.extraction
    space.shade, space.wind_break, space.holds = new.shade, new.wind_break, new.holds


def set_place(unit: Unit, latitude: float | None, longitude: float | None) -> None:
    """Say where the shop stands on earth, for the times of the sun. Raises Refused."""
    shop = unit.shop
    if shop is None:
        raise Refused("Set the shop up first.", status=409)
    if (latitude is None) != (longitude is None):
        raise Refused("Half a place.", {"longitude": "Enter both latitude and longitude, or neither."})
    shop.latitude, shop.longitude = latitude, longitude
    unit.session.flush()

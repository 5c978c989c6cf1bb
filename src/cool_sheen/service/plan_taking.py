"""Doing what would help a plan: one press for each way that was worked out."""

from collections.abc import Sequence
from datetime import timedelta
from functools import partial
from typing import Any
from uuid import uuid4

from cool_sheen.core.coatings.systems import System
from cool_sheen.core.log.entries import MovePayload, Target
from cool_sheen.service import journal
from cool_sheen.service.building import change_part
from cool_sheen.service.jobs import spaces_by_id
from cool_sheen.service.part_now import PartNow
from cool_sheen.service.plan_answers import STARTS
from cool_sheen.service.plan_schools import other_system
from cool_sheen.service.planning import Asked, crew_of, keep_crew, parts_for
from cool_sheen.service.shops import NewSpace, change_space
from cool_sheen.service.unit import Refused, Unit


def take(unit: Unit, asked: Asked, key: str) -> Asked:
    """Do what a way says; return what is to be planned with it. Raises Refused, Missing."""
    kind, _, rest = key.partition(":")
    crew = asked.crew or crew_of(unit)
    if kind in ("helper", "painter", "gun"):
        grown: dict[str, Any] = {"painter": {"painters": crew.painters + 1}, "gun": {"guns": crew.guns + 1}}
        more = grown.get(kind, {"helper": True})
        crew = crew.model_copy(update=more)
        keep_crew(unit, crew)
        return asked.model_copy(update={"crew": crew})
    if kind == "begin":
        later = STARTS.get(rest, ("", timedelta(0)))[1]
        return asked.model_copy(update={"begins": (asked.begins or unit.now) + later if later else None})
    if kind == "without":
        return _without(unit, asked, rest)
    doing = {"heat": _heat, "fast": _harden, "room": _carry, "school": _teach}.get(kind)
    if doing is None:
        raise Refused("That way is not known: look at the plan again.", status=422)
    doing(unit, parts_for(unit, asked), rest)
    return asked


def _without(unit: Unit, asked: Asked, project: str) -> Asked:
    left = {p.part.project_uuid for p in parts_for(unit, asked) if p.part.project_name != project}
    if not left:
        raise Refused("Nothing else is in this plan.", status=409)
    return asked.model_copy(update={"projects": tuple(sorted(left))})


def _heat(unit: Unit, parts: Sequence[PartNow], rest: str) -> None:
    room, _, degree = rest.partition(":")
    space = next((s for uuid, s in spaces_by_id(unit).items() if str(uuid) == room), None)
    if space is None or not degree.isdigit():
        raise Refused("That room is not there any more: look at the plan again.", status=409)
    said = {name: getattr(space, name) for name in NewSpace.model_fields}
    change_space(unit, space.uuid, NewSpace.model_validate(said | {"heater_min_c": float(degree)}))


def _harden(unit: Unit, parts: Sequence[PartNow], rest: str) -> None:
    def faster(system: System) -> System:
        layers = tuple(layer.model_copy(update={"hardener_speed": "fast"}) for layer in system.layers)
        return system.model_copy(update={"layers": layers})

    for found in parts:
        change_part(unit, found.part.uuid, faster)


def _carry(unit: Unit, parts: Sequence[PartNow], rest: str) -> None:
    left, _, to = rest.partition(":")
    room = next((uuid for uuid in spaces_by_id(unit) if str(uuid) == to), None)
    if room is None:
        raise Refused("That room is not there any more: look at the plan again.", status=409)
    for found in parts:
        if str(found.space.uuid) == left:
            whole = (Target(project=found.part.project_uuid, part=found.part.uuid),)
            journal.write(unit, whole, MovePayload(space=room), journal.Press(uuid4(), unit.now))


def _teach(unit: Unit, parts: Sequence[PartNow], rest: str) -> None:
    key, _, side = rest.partition(":")
    school = next((s for s in unit.catalogue.schools if s.key == key), None)
    other = {p.part.uuid: system for p in parts if school and (system := other_system(unit, p, school, side))}
    if not other:
        raise Refused("That question does not arise any more: look at the plan again.", status=409)
    for part, system in other.items():
        change_part(unit, part, partial(_instead, system))


def _instead(other: System, _: System) -> System:
    return other

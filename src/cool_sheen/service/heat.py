"""Logging heat: stages in their order, at their target, held long enough; or a lamp on an ordinary film."""

from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Annotated
from uuid import UUID

from pydantic import Field

from cool_sheen.core.coatings.sheet_fields import Strict
from cool_sheen.core.drying.heat import MAY_MISS_K, MAY_PASS_K
from cool_sheen.core.log.entries import Recorded, StepPayload
from cool_sheen.core.log.history import Zones
from cool_sheen.core.part.film_clock import CoatClock, mark_of
from cool_sheen.core.units import Celsius, Minutes
from cool_sheen.core.work.steps import HeatStep
from cool_sheen.service import doubts
from cool_sheen.service.journal import Press, same_press, write_on_part
from cool_sheen.service.part_now import PartNow
from cool_sheen.service.unit import Refused, Unit

_LAMP_MOST_C = 80.0  # lamp or oven on an ordinary film, where its sheet names no stages


class BakeSaid(Strict):
    """What the presser read: the metal's temperature, and how long it was held."""

    metal_temp_c: Annotated[float, Field(gt=0, le=1200, allow_inf_nan=False)]
    minutes: Annotated[float, Field(gt=0, le=1440, allow_inf_nan=False)]
    zones: tuple[UUID, ...] = ()
    ticked: tuple[str, ...] = ()


def baked(unit: Unit, found: PartNow, uuid: UUID, said: BakeSaid, at: datetime | None = None) -> Recorded:
    """Log a heat stage, or a bake by lamp or oven that the system does not name.

    Raises: Refused: nothing coated, a film that has not flashed off, a stage out of its turn, metal that is too cold or
        too hot for it, a hold that was too short; at the field, with what to do.
    """
    if before := same_press(unit, uuid, "bake", found.row, said.model_dump(exclude={"zones", "ticked"})):
        return before
    zones = frozenset(said.zones) or found.situation.all_zones
    tops = [film.top for film in found.situation.films if film.top and film.zones & zones]
    if not tops:
        raise Refused("There is no film to heat yet: log the first coat.", status=409)
    began = (at or unit.now) - timedelta(minutes=said.minutes)
    stage = stage_ahead(found)
    step = stage.step if stage else None
    for top in tops:
        _flashed_off(unit, top, step, began)
    if stage is not None:
        first = next(iter(found.ahead()), None)
        if first is not None and first.kind == "coat":
            raise Refused(f"{first.label} comes first: what is heated is not coated over.", status=409)
        _in_stage(stage, said)
    elif any(top.product.heat_stages for top in tops) or said.metal_temp_c > _LAMP_MOST_C:
        raise Refused("Too hot for this film.", {"metal": f"Without a stage in the system up to {_LAMP_MOST_C:g} °C."})
    asked = stage.to_tick if stage else ()
    seen = tuple(words for words in asked if words in said.ticked)
    missed = ", ".join(words for words in asked if words not in said.ticked)
    note = f"not ticked: {missed}" if missed else None
    payload = StepPayload(kind="bake", minutes=said.minutes, metal_temp_c=said.metal_temp_c, ticked=seen, note=note)
    about: Zones = frozenset(said.zones)
    reason = doubts.settle(unit, doubts.of_heat(unit, found, zones, began))
    press = Press(uuid, at, about)
    return write_on_part(unit, found.row, payload, press, planned_step=step.id if step else None, reason=reason)


@dataclass(frozen=True, slots=True)
class StageNow:
    """The heat stage that is next, with its hold of the season."""

    step: HeatStep
    winter: bool = False  # the hold is that of the cold half of the year

    @property
    def label(self) -> str:
        """What it is called."""
        return self.step.label

    @property
    def metal_temp_c(self) -> Celsius | None:
        """The metal's temperature. [C]"""
        return self.step.metal_temp_c

    @property
    def hold_minutes(self) -> Minutes | None:
        """How long it is held. [min]"""
        return self.step.hold(winter=self.winter)

    @property
    def to_tick(self) -> tuple[str, ...]:
        """What is ticked when it is logged."""
        return self.step.to_tick


def stage_ahead(found: PartNow) -> StageNow | None:
    """Return the heat stage that is next; None where the system names none any more."""
    step = next((s for s in found.ahead() if isinstance(s, HeatStep)), None)
    if step is None:
        return None
    return StageNow(step, found.situation.winter and step.winter_hold_minutes is not None)


def _flashed_off(unit: Unit, top: CoatClock, step: HeatStep | None, began: datetime) -> None:
    """Flash-off first: solvent that is shut in under a heated skin pops."""
    name = mark_of(top.product, step.after if step else "flash")
    band = top.bands.get(name or "")
    if band is not None and (band.early is None or began < band.early):
        when = f"from {band.early.astimezone(unit.zone):%a %H:%M}" if band.early else "in warmer air"
        raise Refused(
            "The film has not flashed off: heat now makes solvent pop.", {"minutes": f"Begin the heat {when}."}, 409
        )


def _in_stage(stage: StageNow, said: BakeSaid) -> None:
    target, hold = stage.metal_temp_c, stage.hold_minutes
    if target is not None and said.metal_temp_c < target - MAY_MISS_K:
        note = f"This stage asks for {target:g} °C at the metal, and it read {said.metal_temp_c:g}: go on heating."
        raise Refused("The metal is not there yet.", {"metal": note})
    if target is not None and said.metal_temp_c > target + MAY_PASS_K:
        note = f"This stage asks for {target:g} °C, and it read {said.metal_temp_c:g}: too fast blisters. Let it cool."
        raise Refused("The metal is too hot for this stage.", {"metal": note})
    if hold is not None and said.minutes < hold - 0.5:
        season = ", in winter" if stage.winter else ""
        raise Refused("The hold was too short.", {"minutes": f"Hold it for {hold:g} min at that temperature{season}."})

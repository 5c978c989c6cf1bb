"""Logging heat: stages in their order, at their target, held long enough; or a lamp on an ordinary film."""

from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from typing import Annotated
from uuid import UUID, uuid5

from pydantic import Field

from cool_sheen.core.coatings.sheet_fields import Strict
from cool_sheen.core.drying.heat import MAY_MISS_K, MAY_PASS_K
from cool_sheen.core.drying.milestones import WORDS
from cool_sheen.core.log.entries import Recorded, StepPayload, TouchTestPayload
from cool_sheen.core.part.film_clock import CoatClock, mark_of
from cool_sheen.core.press.contradictions import Contradiction, contradictions
from cool_sheen.core.units import Celsius, Minutes
from cool_sheen.core.work.steps import HeatStep
from cool_sheen.service import confirmations
from cool_sheen.service.journal import Press, same_press, write_on_part
from cool_sheen.service.part_now import PartNow
from cool_sheen.service.unit import Refused, Unit
from cool_sheen.service.work import named_zones

_LAMP_MOST_C = 80.0  # lamp or oven on an ordinary film, where its sheet names no stages


class BakeSaid(Strict):
    """What the presser read: the metal's temperature, and how long it was held."""

    metal_temp_c: Annotated[float, Field(gt=0, le=1200, allow_inf_nan=False)]
    minutes: Annotated[float, Field(gt=0, le=1440, allow_inf_nan=False)]
    zones: tuple[UUID, ...] = ()
    ticked: tuple[str, ...] = ()


def baked(unit: Unit, found: PartNow, uuid: UUID, said: BakeSaid, at: datetime | None = None) -> Recorded:
    """Log a heat stage, or a bake by lamp or oven that the system does not name.

    Raises: AskedBack: the film is not ready for heat by the clock, and nobody said that it was tested. Refused: nothing
        coated, a stage out of its turn, metal that is too cold or too hot for it, a hold that was too short; at the
        field, with what to do.
    """
    if before := same_press(unit, uuid, "bake", found.row, said.model_dump(exclude={"zones", "ticked"})):
        return before
    zones = named_zones(found, said.zones)
    tops = [film.top for film in found.situation.films if film.top and film.zones & zones]
    if not tops:
        raise Refused("There is no film to heat yet: log the first coat.", status=409)
    began = (at or unit.now) - timedelta(minutes=said.minutes)
    stage = stage_ahead(found)
    step = stage.step if stage else None
    unready = [(top, mark) for top in tops if (mark := _not_ready(top, step, began))]
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
    intent = confirmations.intent_of(unit, found, "bake", zones, began, step)
    found_so = contradictions(replace(intent, ticked=said.ticked))
    reason = confirmations.confirmed(unit, [*found_so, *(_too_early(unit, *one) for one in unready[:1])])
    for top, mark in unready:  # who says that it was tested has tested it
        tested = TouchTestPayload(coat=top.coat.uuid, milestone=mark, ready=True, how="tack", alone=True)
        write_on_part(unit, found.row, tested, Press(uuid5(uuid, str(top.coat.uuid)), began, top.coat.zones & zones))
    press = Press(uuid, at, zones)
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


def _not_ready(top: CoatClock, step: HeatStep | None, began: datetime) -> str:
    """The mark that a film waits for before heat, and has not reached; nothing where it has."""
    name = mark_of(top.product, step.after if step else "flash") or ""
    band = top.bands.get(name)
    return name if band is not None and (band.likely is None or began < band.likely) else ""


def _too_early(unit: Unit, top: CoatClock, mark: str) -> Contradiction:
    """Solvent that is shut in under a heated skin pops: the film's own mark comes first, or somebody tested it."""
    likely = top.bands[mark].likely
    when = f"from {confirmations.clock_words(unit, likely)}" if likely else "in warmer air"
    words = f"{top.product.name} is not {WORDS[mark]} yet by the clock: {when}. Heat now makes solvent pop."
    return Contradiction("tested", f"{words} Was it tested, and is it {WORDS[mark]}?")


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

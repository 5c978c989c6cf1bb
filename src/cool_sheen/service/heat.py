"""Logging heat: stages in their order, at their target, held long enough; or a lamp on an ordinary film."""

from datetime import datetime, timedelta
from typing import Annotated
from uuid import UUID

from pydantic import Field
from sqlalchemy.orm import Session

from cool_sheen.core.coatings.sheets import Strict
from cool_sheen.core.drying.heat import MAY_MISS_K, MAY_PASS_K
from cool_sheen.core.log.entries import Recorded, StepPayload
from cool_sheen.core.planning.next_action import mark_of
from cool_sheen.core.planning.steps import Step
from cool_sheen.service.desk import Desk, Refused, zone_of
from cool_sheen.service.jobs import Standing
from cool_sheen.service.work import Press, repeat, write

_LAMP_MOST_C = 80.0  # lamp or oven on an ordinary film, where its sheet names no stages


class BakeSaid(Strict):
    """What the presser read: the metal's temperature, and how long it was held."""

    metal_temp_c: Annotated[float, Field(gt=0, le=1200, allow_inf_nan=False)]
    minutes: Annotated[float, Field(gt=0, le=1440, allow_inf_nan=False)]


def baked(
    desk: Desk, opened: Session, found: Standing, uuid: UUID, said: BakeSaid, at: datetime | None = None
) -> Recorded:
    """Log a heat stage, or a bake by lamp or oven that the system does not name.

    Raises: Refused: nothing coated, a film that has not flashed off, a stage out of its turn, metal that is too cold or
        too hot for it, a hold that was too short; at the field, with what to do.
    """
    if before := repeat(opened, uuid, "bake", found.part, said.model_dump()):
        return before
    top = found.look.top
    if top is None:
        raise Refused("There is no film to heat yet: log the first coat.", status=409)
    began = (at or desk.now()) - timedelta(minutes=said.minutes)
    step = next((p.step for p in found.steps if p.status in ("next", "ahead") and p.step.kind == "bake"), None)
    in_turn = next((p.step for p in found.steps if p.status == "next"), None)
    _flashed_off(desk, opened, found, step, began)
    if step is not None:
        if in_turn is not None and in_turn.kind == "coat":
            raise Refused(f"{in_turn.label} comes first: what is heated is not coated over.", status=409)
        _in_stage(step, said)
    elif top.product.heat_stages or said.metal_temp_c > _LAMP_MOST_C:
        raise Refused("Too hot for this film.", {"metal": f"Without a stage in the system up to {_LAMP_MOST_C:g} °C."})
    payload = StepPayload(kind="bake", minutes=said.minutes, metal_temp_c=said.metal_temp_c)
    return write(desk, opened, found.part, payload, Press(uuid, at), planned_step=step.id if step else None)


def _flashed_off(desk: Desk, opened: Session, found: Standing, step: Step | None, began: datetime) -> None:
    """Flash-off first: solvent that is shut in under a heated skin pops."""
    top = found.look.top
    assert top is not None
    name = mark_of(top.product, (step.after if step else None) or "flash")
    band = top.bands.get(name or "")
    if band is not None and (band.early is None or began < band.early):
        shop = desk.shop(opened)
        when = f"from {band.early.astimezone(zone_of(shop)):%a %H:%M}" if band.early and shop else "in warmer air"
        raise Refused(
            "The film has not flashed off: heat now makes solvent pop.", {"minutes": f"Begin the heat {when}."}, 409
        )


def _in_stage(step: Step, said: BakeSaid) -> None:
    target, hold = step.metal_temp_c, step.hold_minutes
    if target is not None and said.metal_temp_c < target - MAY_MISS_K:
        note = f"This stage asks for {target:g} °C at the metal, and it read {said.metal_temp_c:g}: go on heating."
        raise Refused("The metal is not there yet.", {"metal": note})
    if target is not None and said.metal_temp_c > target + MAY_PASS_K:
        note = f"This stage asks for {target:g} °C, and it read {said.metal_temp_c:g}: too fast blisters. Let it cool."
        raise Refused("The metal is too hot for this stage.", {"metal": note})
    if hold is not None and said.minutes < hold - 0.5:
        raise Refused("The hold was too short.", {"minutes": f"Hold it for {hold:g} min at that temperature."})

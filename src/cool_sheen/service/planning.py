"""The plan of the shop: what it is asked for, which parts it is about, and how it is laid out."""

import json
from collections.abc import Sequence
from datetime import datetime, timedelta
from typing import Annotated
from uuid import UUID

from pydantic import AwareDatetime, BaseModel, ConfigDict, Field

from cool_sheen.core.plan.reach import USES, reached
from cool_sheen.core.scheduling.again import Before, keep_to
from cool_sheen.core.scheduling.booking import Job
from cool_sheen.core.scheduling.crew import Blocked, Crew, Shop
from cool_sheen.core.scheduling.serial import ShopPlan, Wishes, plan_shop
from cool_sheen.service.jobs import spaces_by_id
from cool_sheen.service.part_now import PartNow, live_mark, live_parts
from cool_sheen.service.unit import Refused, Unit
from cool_sheen.service.working_day import working_day

MOST_PARTS, MOST_STEPS = 150, 2_500
_BACKWARDS = (timedelta(days=8), timedelta(days=2), timedelta(hours=12), timedelta(hours=3), timedelta(hours=1))


class CrewSaid(BaseModel):
    """Who works."""

    model_config = ConfigDict(extra="forbid")
    painters: Annotated[int, Field(ge=1, le=8)] = 1
    helper: bool = False
    guns: Annotated[int, Field(ge=1, le=8)] = 1

    def crew(self) -> Crew:
        """Return the core's crew."""
        return Crew(self.painters, self.helper, self.guns)


class BlockedSaid(BaseModel):
    """Hours in which nobody works."""

    model_config = ConfigDict(extra="forbid")
    since: AwareDatetime
    to: AwareDatetime
    why: Annotated[str, Field(max_length=80)] = ""


class PinSaid(BaseModel):
    """A step that somebody put somewhere."""

    model_config = ConfigDict(extra="forbid")
    part: UUID
    step: Annotated[str, Field(max_length=200)]
    at: AwareDatetime


class HurrySaid(BaseModel):
    """A part that goes before others, or after them when the hours are fewer than none."""

    model_config = ConfigDict(extra="forbid")
    part: UUID
    hours: Annotated[float, Field(ge=-10_000, le=10_000)]


class GapSaid(BaseModel):
    """How far apart the coats of a layer are kept."""

    model_config = ConfigDict(extra="forbid")
    part: UUID
    layer: Annotated[str, Field(max_length=200)]
    hours: Annotated[float, Field(ge=0, le=10_000)]


class Asked(BaseModel):
    """What a plan is asked for.

    Attributes:
        projects: Whose parts it is about; all that are live when empty.
        begins: Nothing is planned before it; from now on when None.
        by: When it has to be usable.
        use: The mark that is meant by usable.
        crew: Who works; the shop's own when None.
        blocked: Hours in which nobody works.
        pins: Steps that stand where somebody put them.
        hurry: Parts that go before others, as a search for a better plan found.
        gaps: How far apart coats are kept, as it found.
    """

    model_config = ConfigDict(extra="forbid")
    projects: Annotated[tuple[UUID, ...], Field(max_length=200)] = ()
    begins: AwareDatetime | None = None
    by: AwareDatetime | None = None
    use: str = "handle"
    crew: CrewSaid | None = None
    blocked: Annotated[tuple[BlockedSaid, ...], Field(max_length=60)] = ()
    pins: Annotated[tuple[PinSaid, ...], Field(max_length=500)] = ()
    hurry: Annotated[tuple[HurrySaid, ...], Field(max_length=2_000)] = ()
    gaps: Annotated[tuple[GapSaid, ...], Field(max_length=4_000)] = ()

    @property
    def wishes(self) -> Wishes:
        """Return them for the core."""
        hurry = {said.part: timedelta(hours=said.hours) for said in self.hurry}
        return Wishes(hurry, {(said.part, said.layer): timedelta(hours=said.hours) for said in self.gaps})

    def wishing(self, wishes: Wishes) -> "Asked":
        """Ask for the same, with other wishes."""
        hurry = tuple(HurrySaid(part=part, hours=_hours(by)) for part, by in wishes.hurry.items())
        gaps = tuple(GapSaid(part=part, layer=layer, hours=_hours(by)) for (part, layer), by in wishes.gaps.items())
        return self.model_copy(update={"hurry": hurry, "gaps": gaps})

    @property
    def mark(self) -> str:
        """As long as it is the same, so is what is asked."""
        return json.dumps(self.model_dump(mode="json"), sort_keys=True)


def _hours(span: timedelta) -> float:
    return span.total_seconds() / 3600


def from_now(unit: Unit, asked: Asked) -> Asked:
    """What was asked, without what lies in the past."""
    begins = asked.begins if asked.begins and asked.begins > unit.now else None
    return asked.model_copy(update={"begins": begins, "pins": tuple(p for p in asked.pins if p.at > unit.now)})


def crew_of(unit: Unit) -> CrewSaid:
    """Return who works in the shop."""
    return CrewSaid.model_validate(unit.the_shop.crew)


def keep_crew(unit: Unit, crew: CrewSaid) -> None:
    """Keep who works in the shop."""
    if unit.the_shop.crew != crew.model_dump():
        unit.the_shop.crew = crew.model_dump()
        unit.session.flush()


def parts_for(unit: Unit, asked: Asked) -> list[PartNow]:
    """Return the parts that a plan is about: those with work, and those that have to be finished before them.

    Raises: Refused: nothing is to be done on any of them, or too much for one plan.
    """
    live = {p.part.uuid: p for p in live_parts(unit)}
    wanted = [p for p in live.values() if not asked.projects or p.part.project_uuid in asked.projects]
    chosen = {p.part.uuid: p for p in wanted if p.ahead()}
    waiting = list(chosen.values())
    while waiting:
        first = live.get(waiting.pop().part.after or UUID(int=0))
        if first is not None and first.part.uuid not in chosen and first.ahead():
            chosen[first.part.uuid] = first
            waiting.append(first)
    if not chosen:
        raise Refused("Nothing is left to do on these parts: there is nothing to plan.", status=409)
    steps = sum(len(p.ahead()) for p in chosen.values())
    if len(chosen) > MOST_PARTS or steps > MOST_STEPS:
        raise Refused(
            f"That is {len(chosen)} parts with {steps} steps: a plan takes {MOST_PARTS} parts and {MOST_STEPS} steps. "
            "Choose some projects.",
            status=422,
        )
    return list(chosen.values())


def jobs_of(parts: Sequence[PartNow], asked: Asked) -> list[Job]:
    """Return parts as the planner sees them."""
    return [
        Job(
            p.part.uuid, p.part.name, p.situation, p.space.uuid, p.part.after if p.comes_after else None, asked.by,
            p.part.project_name,
        )
        for p in parts
    ]  # fmt: skip


def shop_of(unit: Unit, asked: Asked) -> Shop:
    """Return what all parts share."""
    holds = {uuid: space.holds for uuid, space in spaces_by_id(unit).items() if space.holds is not None}
    return Shop(
        working_day(unit),
        unit.now,
        (asked.crew or crew_of(unit)).crew(),
        holds,
        tuple(Blocked(b.since, b.to, b.why or "nobody works then") for b in asked.blocked),
        {(pin.part, pin.step): pin.at for pin in asked.pins},
        asked.begins,
    )


def plan_of(unit: Unit, asked: Asked) -> ShopPlan:
    """Lay the work out. Raises Refused."""
    parts = parts_for(unit, asked)
    return plan_shop(jobs_of(parts, asked), shop_of(unit, asked), asked.wishes)


def kept_to(unit: Unit, asked: Asked, before: Before) -> ShopPlan:
    """Lay the work out as an earlier plan had it, as far as that can still be. Raises Refused."""
    parts = parts_for(unit, asked)
    return keep_to(jobs_of(parts, asked), shop_of(unit, asked), before)


def plan_now(unit: Unit, asked: Asked) -> ShopPlan:
    """The same, kept for the minute as long as nothing changes."""
    key = ("shop plan", asked.mark, live_mark(unit), unit.now.replace(second=0, microsecond=0))
    made: ShopPlan = unit.kept.get(key, lambda: plan_of(unit, asked), lambda p: 20_000 + 2_500 * len(p.lines))
    return made


def usable_at(plan: ShopPlan, use: str, at: datetime) -> bool:
    """Whether every part of a plan may be used in a way at an instant, by the late edge."""
    wanted = USES.get(use, ())
    return not plan.stuck and all(set(wanted) <= set(reached(p.tops, at, p.ends).safe) for p in plan.parts if p.tops)


def backwards(unit: Unit, asked: Asked) -> tuple[Asked, ShopPlan]:
    """Find the latest begin from which everything is usable by its date.

    Args:
        unit: The unit of work.
        asked: With ``by``, and what usable means.

    Returns: What was asked with that begin, and its plan; where even a begin now is too late, the plan from now on.
    Raises: Refused: the date is past.
    """
    if asked.by is None or asked.by <= unit.now:
        raise Refused("That date is past.", {"by": "Enter when it has to be usable: a date to come."}, status=422)
    best, plan = asked, plan_now(unit, asked)
    if not usable_at(plan, asked.use, asked.by):
        return best, plan
    begin = unit.now
    for step in _BACKWARDS:
        while begin + step < asked.by:
            later = asked.model_copy(update={"begins": begin + step})
            tried = plan_now(unit, later)
            if not usable_at(tried, asked.use, asked.by):
                break
            begin, best, plan = begin + step, later, tried
    return best, plan

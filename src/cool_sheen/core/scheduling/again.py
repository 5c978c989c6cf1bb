"""A plan kept to as far as it still can be: every step no sooner than it was to be, in the order in which it was.

What comes out beside the plan is what has moved; where nothing moves, the plan holds.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from uuid import UUID

from cool_sheen.core.part.due import Due, Order
from cool_sheen.core.part.placed import Stuck
from cool_sheen.core.scheduling.booking import Job, PieceOf, Session
from cool_sheen.core.scheduling.calendar import Calendar
from cool_sheen.core.scheduling.crew import Shop
from cool_sheen.core.scheduling.diary import Taken
from cool_sheen.core.scheduling.serial import (
    PartPlan,
    Run,
    ShopPlan,
    begun,
    in_circles,
    place,
    waits_for_another,
)
from cool_sheen.core.work.steps import CoatStep

StepOf = tuple[UUID, str]


@dataclass(frozen=True, slots=True)
class MixedFor:
    """A pot that was to be mixed at an instant by somebody, for a first coat."""

    coat: StepOf
    at: datetime
    by: str


@dataclass(frozen=True, slots=True)
class LoadedFor:
    """A tool that was to be loaded from a first coat to a last one, and cleaned by somebody after it."""

    coat: StepOf
    tool: str
    place: int
    first: datetime
    last: datetime
    clean: Taken
    by: str


@dataclass(frozen=True)
class Before:
    """What is still ahead of an earlier plan, piece by piece, in order."""

    due: Mapping[UUID, tuple[Due, ...]] = field(default_factory=dict)
    usual: Mapping[PieceOf, tuple[str, int]] = field(default_factory=dict)  # who was to do it, and with which gun
    mixes: Sequence[MixedFor] = ()
    loads: Sequence[LoadedFor] = ()

    @property
    def ends(self) -> datetime:
        """When the last of it begins: what it does not have comes after."""
        return max(due.at for mine in self.due.values() for due in mine)


def keep_to(jobs: Sequence[Job], shop: Shop, before: Before) -> ShopPlan:
    """Lay the rest of all parts along time as an earlier plan had it.

    Args:
        jobs: The parts as they stand now.
        shop: Who works when, with which tools.
        before: The earlier plan.

    Returns: A plan in which each step stands where it stood, or as soon after as it can.
    """
    calendar = begun(jobs, shop)
    for part, mine in before.due.items():
        for due in reversed(mine):  # of what is done twice the first time counts
            calendar.as_planned(part, due, before.usual.get((part, due.step, due.zones)))
    runs = {job.key: Run(job, shop) for job in jobs}
    for key, run in runs.items():
        run.placer.order = Order(before.due.get(key, ()))
    _prepare(calendar, runs, before)
    done = in_circles(jobs)
    while waiting := [run for key, run in runs.items() if key not in done]:
        ready = [run for run in waiting if run.job.after not in runs or run.job.after in done]
        run = min(ready, key=lambda r: (r.placer.due() or before.ends, r.job.key))
        stuck = waits_for_another(calendar, run.job, done)
        finished = stuck or _one_step(calendar, run)
        if finished is not None:
            done[run.job.key] = finished
    return ShopPlan(tuple(calendar.lines()), tuple(done[job.key] for job in jobs), shop, calendar)


def _one_step(calendar: Calendar, run: Run) -> PartPlan | None:
    run.placer.memory.hands = calendar.of(run.job)
    try:
        run.placer, planned = place(calendar, run.job, run.placer)
    except Stuck as stuck:
        return PartPlan(run.job, None, str(stuck), stuck.wait)
    if planned is None:
        return PartPlan(run.job, run.ends or calendar.shop.now, tops=run.placer.memory.tops)
    run.ends = max(planned.end, run.ends or planned.end)
    return None


def _prepare(calendar: Calendar, runs: Mapping[UUID, Run], before: Before) -> None:
    """Write in what the shop was to do around the coats, so that nothing else takes its time."""
    for load in before.loads:
        if (found := _coat(runs, load.coat)) is not None:
            run, step = found
            product, blend = run.placer.memory.product(step.layer), run.placer.memory.mix(step.layer, load.first)
            calendar.load(
                Session(load.tool, load.place, product.key, blend, load.first, load.last, load.clean, load.by, ())
            )
    for mix in before.mixes:
        if mix.at >= calendar.shop.now and (found := _coat(runs, mix.coat)) is not None:
            run, step = found
            memory = run.placer.memory
            blend = memory.mix(step.layer, mix.at)
            calendar.mix(run.job, memory.product(step.layer), blend, mix.at, mix.by)


def _coat(runs: Mapping[UUID, Run], name: StepOf) -> tuple[Run, CoatStep] | None:
    """A coat that is still owed, and its part."""
    run = runs.get(name[0])
    step = next((s for s in run.placer.ahead() if s.id == name[1]), None) if run else None
    return (run, step) if run and isinstance(step, CoatStep) else None

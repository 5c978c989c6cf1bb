"""The earliest finish of steps with lags, hours and gates, over JSON."""

from datetime import datetime
from threading import BoundedSemaphore
from typing import Annotated, Self

from fastapi import APIRouter
from pydantic import ConfigDict, Field, field_validator, model_validator

from cool_sheen.core.errors import OutOfRange
from cool_sheen.core.scheduling.instance import Instance, Interval, Lag, Solution, Task, solve
from cool_sheen.service.unit import Refused
from cool_sheen.web.api.models import Answer, At, Name, NotNegative, Shape, Switch

router = APIRouter(tags=["planning"])
MOST_AT_ONCE = 2
_running = BoundedSemaphore(MOST_AT_ONCE)
Long = Annotated[float, Field(strict=True, allow_inf_nan=False, ge=0, le=525_600)]


class IntervalShape(Shape):
    """A stretch of time."""

    model_config = ConfigDict(extra="forbid", populate_by_name=True)
    since: At = Field(alias="from")
    to: At

    @field_validator("to")
    @classmethod
    def _ends_later(cls, to: At, info: object) -> At:
        since = getattr(info, "data", {}).get("since")
        if since is not None and to <= since:
            raise ValueError("an interval ends after it begins")
        return to

    def interval(self) -> Interval:
        """Return the core's interval."""
        return Interval(self.since, self.to)


class TaskShape(Shape):
    """One step."""

    id: Name
    labour_min: Long
    resources: Annotated[list[Name], Field(default_factory=list, max_length=1000)]
    gate: Name | None = None
    unattended: Switch = False


class LagShape(Shape):
    """From the end of one step to the start of another."""

    model_config = ConfigDict(extra="forbid", populate_by_name=True)
    before: Name = Field(alias="from")
    after: Name = Field(alias="to")
    min_minutes: NotNegative
    max_minutes: NotNegative | None = None


Intervals = Annotated[list[IntervalShape], Field(max_length=1000)]


class SolveShape(Shape):
    """Steps, lags, hours, gates."""

    start: At
    working: Intervals
    gates: dict[Name, Intervals] = Field(default_factory=dict)
    steps: Annotated[list[TaskShape], Field(max_length=1000)]
    lags: Annotated[list[LagShape], Field(default_factory=list, max_length=1000)]

    @model_validator(mode="after")
    def _few_gates(self) -> Self:
        if len(self.gates) > 1000:
            raise ValueError("gates: 1,000 at most")
        return self

    def instance(self) -> Instance:
        """Return the core's instance. Raises OutOfRange: names that stand twice, or are nowhere."""
        known: set[str] = set()
        for n, step in enumerate(self.steps):
            if step.id in known:
                raise OutOfRange(f"The id {step.id} stands twice: each step has one of its own.", f"steps.{n}.id")
            known.add(step.id)
            if step.gate is not None and step.gate not in self.gates:
                raise OutOfRange(f"No gate is called {step.gate}: name one of gates.", f"steps.{n}.gate")
        for n, lag in enumerate(self.lags):
            for field, name in (("from", lag.before), ("to", lag.after)):
                if name not in known:
                    raise OutOfRange(f"No step is called {name}: name one of steps.", f"lags.{n}.{field}")
        return Instance(
            self.start,
            tuple(i.interval() for i in self.working),
            tuple(Task(s.id, s.labour_min, tuple(s.resources), s.gate, s.unattended) for s in self.steps),
            tuple(Lag(g.before, g.after, g.min_minutes, g.max_minutes) for g in self.lags),
            {name: tuple(i.interval() for i in spans) for name, spans in self.gates.items()},
        )


class StepAnswer(Answer):
    """A step with its time."""

    id: str
    start: datetime
    end: datetime


class SolveAnswer(Answer):
    """The plan, or why there is none; ``bound`` is the earliest finish that there can be."""

    steps: list[StepAnswer]
    finish: datetime | None
    feasible: bool
    reasons: list[str]
    bound: datetime | None
    proven: bool


@router.post("/planning/solve")
def planning_solve(asked: SolveShape) -> SolveAnswer:
    """Find the earliest finish; two searches at a time."""
    instance = asked.instance()
    if not _running.acquire(timeout=1.0):
        raise Refused("Two plans are being searched already: ask again in some seconds.", status=429)
    try:
        found: Solution = solve(instance)
    finally:
        _running.release()
    return SolveAnswer(
        steps=[StepAnswer(id=s.id, start=s.start, end=s.end) for s in found.steps],
        finish=found.finish,
        feasible=found.feasible,
        reasons=list(found.reasons),
        bound=found.bound,
        proven=found.proven,
    )

"""A plan reduced to steps, lags, hours and gates: the earliest finish, exact, by OR-Tools CP-SAT.

It knows no film: lags are given. It answers the calculator's call, and it is what the tightening of a plan is made of.
"""

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from itertools import product
from math import gcd
from typing import Any

from cool_sheen.core.once import cached_property
from cool_sheen.core.units import Minutes

PAINTER = "painter"  # who attends every step that is not left alone
MOST_SECONDS = 6.0
_RELAXED_SECONDS, _MOST_TRIED = 0.5, 6
_FINEST = timedelta(milliseconds=1)
_WORKERS = 2


@dataclass(frozen=True, slots=True)
class Interval:
    """A stretch of time."""

    since: datetime
    to: datetime


@dataclass(frozen=True, slots=True)
class Task:
    """A step: how long it takes, what it takes one at a time, the gate that it needs; ``unattended`` needs nobody."""

    id: str
    labour_min: Minutes
    resources: tuple[str, ...] = ()
    gate: str | None = None
    unattended: bool = False

    @property
    def lasts(self) -> timedelta:
        """How long it takes."""
        return timedelta(minutes=self.labour_min)


@dataclass(frozen=True, slots=True)
class Lag:
    """From the end of one step to the start of another: at least, and at most. [min]"""

    before: str
    after: str
    min_minutes: Minutes
    max_minutes: Minutes | None = None


@dataclass(frozen=True)
class Instance:
    """All that a plan has to keep."""

    start: datetime
    working: tuple[Interval, ...]
    tasks: tuple[Task, ...]
    lags: tuple[Lag, ...] = ()
    gates: Mapping[str, tuple[Interval, ...]] = field(default_factory=dict)

    @cached_property
    def named(self) -> dict[str, Task]:
        """Steps by their ids."""
        return {task.id: task for task in self.tasks}

    def starts(self, task: Task) -> list[tuple[int, int]]:
        """When a step can start by itself, in ticks: within one working interval, and within one of its gate."""
        always = (Interval(self.start, self.start + self.reach),)
        hours = always if task.unattended else self.working
        gates = always if task.gate is None else self.gates[task.gate]
        found = []
        for one, other in product(hours, gates):
            first = max(self.ticks(one.since, up=True), self.ticks(other.since, up=True), 0)
            last = self.ticks(min(one.to, other.to)) - self.length(task)
            if first <= last:
                found.append((first, last))
        return sorted(found)

    @cached_property
    def reach(self) -> timedelta:
        """How far it makes sense to look: past the last hour of work everything may still run on by itself."""
        last = max((i.to for i in self.working), default=self.start)
        span = sum((task.lasts for task in self.tasks), timedelta())
        lags = sum(lag.min_minutes for lag in self.lags)
        return max(last - self.start, timedelta()) + span + timedelta(minutes=max(lags, 0)) + timedelta(days=1)

    @cached_property
    def tick(self) -> timedelta:
        """The coarsest grid on which every figure lies: what is round is searched fast, and nothing is rounded away."""
        spans = [*self.working, *(span for gate in self.gates.values() for span in gate)]
        figures = [task.lasts for task in self.tasks]
        figures += [timedelta(minutes=m) for g in self.lags for m in (g.min_minutes, g.max_minutes or 0.0)]
        figures += [at - self.start for span in spans for at in (span.since, span.to)]
        return max(gcd(*(round(figure / _FINEST) for figure in figures)), 1) * _FINEST

    def count(self, span: timedelta, *, up: bool = False) -> int:
        """A stretch in ticks, rounded to the safe side."""
        whole, rest = divmod(span, self.tick)
        return whole + (up and rest > timedelta(0))

    def ticks(self, at: datetime, *, up: bool = False) -> int:
        """An instant in ticks since the start, rounded to the safe side."""
        return self.count(at - self.start, up=up)

    def length(self, task: Task) -> int:
        """How long a step takes in ticks, rounded up."""
        return self.count(task.lasts, up=True)

    def instant(self, ticks: int) -> datetime:
        """Ticks since the start as an instant."""
        return self.start + ticks * self.tick

    @cached_property
    def closed(self) -> list[tuple[int, int]]:
        """The stretches between working hours, in ticks: from, length."""
        out, at = [], 0
        for since, to in sorted((self.ticks(i.since, up=True), self.ticks(i.to)) for i in self.working):
            if since > at:
                out.append((at, since - at))
            at = max(at, to)
        return out

    @property
    def work_done_at_best(self) -> int:
        """When all that needs somebody is done at best, if nobody ever waits. [ticks]"""
        left = sum(self.length(task) for task in self.tasks if not task.unattended)
        at = 0
        for since, to in sorted((self.ticks(i.since, up=True), self.ticks(i.to)) for i in self.working):
            begin = max(at, since, 0)
            if left <= max(to - begin, 0):
                return begin + left if left else at
            left, at = left - max(to - begin, 0), max(at, to)
        return at


@dataclass(frozen=True, slots=True)
class Placed:
    """A step with its time."""

    id: str
    start: datetime
    end: datetime


@dataclass(frozen=True, slots=True)
class Solution:
    """The plan with the earliest finish that was found; ``bound`` is the earliest that there can be.

    Without one ``reasons`` say why, in words.
    """

    steps: tuple[Placed, ...]
    finish: datetime | None
    feasible: bool
    reasons: tuple[str, ...] = ()
    bound: datetime | None = None
    proven: bool = False


def solve(instance: Instance, most_seconds: float = MOST_SECONDS) -> Solution:
    """Find the earliest finish.

    Args:
        instance: Steps, lags, hours, gates.
        most_seconds: How long it is searched. [s]

    Returns: A plan that keeps every rule, with the best finish found in that time; else the reasons why there is none.
    Source: docs/trade.md, Plan: one pair of hands attends to one step at a time; so does everything that is shared.
    """
    if not instance.tasks:
        return Solution((), instance.start, feasible=True, bound=instance.start, proven=True)
    if reasons := _impossible(instance):
        return Solution((), None, feasible=False, reasons=tuple(reasons))
    found = _search(instance, most_seconds)
    if found.feasible or found.reasons:
        return found
    return Solution((), None, feasible=False, reasons=_what_is_in_the_way(instance))


# --- what cannot be, seen without a search -----------------------------------------------------------------
def _impossible(instance: Instance) -> list[str]:
    reasons = [words for task in instance.tasks if (words := _never_fits(instance, task))]
    reasons += [
        f"From the end of {lag.before} to the start of {lag.after} at least {lag.min_minutes:g} min must pass and at "
        f"most {lag.max_minutes:g} min may: that window is shut."
        for lag in instance.lags
        if lag.max_minutes is not None and lag.max_minutes < lag.min_minutes
    ]
    return reasons or _circle(instance)


def _never_fits(instance: Instance, task: Task) -> str:
    if instance.starts(task):
        return ""
    hours = [i for i in instance.working if i.to > instance.start]
    if not task.unattended and not hours:
        return f"{task.id} needs somebody, and nobody works after the start."
    longest = max((i.to - max(i.since, instance.start) for i in hours), default=timedelta())
    if not task.unattended and task.lasts > longest:
        return (
            f"{task.id} takes {task.labour_min:g} min without a break, and the longest working interval has "
            f"{longest.total_seconds() / 60:g} min."
        )
    stretch = "" if task.unattended else " within working hours"
    return f"{task.id} takes {task.labour_min:g} min, and {task.gate} is never open for so long{stretch}."


def _circle(instance: Instance) -> list[str]:
    """Lags that follow each other in a circle, or that leave no room: the longest way round must not be positive."""
    ahead: dict[str, list[tuple[str, float, Lag]]] = {task.id: [] for task in instance.tasks}
    for lag in instance.lags:
        ahead[lag.before].append((lag.after, instance.named[lag.before].labour_min + lag.min_minutes, lag))
        if lag.max_minutes is not None:
            ahead[lag.after].append((lag.before, -(instance.named[lag.before].labour_min + lag.max_minutes), lag))
    earliest = dict.fromkeys(ahead, 0.0)
    came_from: dict[str, str] = {}
    last = ""
    for _ in range(len(ahead) + 1):
        last = ""
        for at, ways in ahead.items():
            for to, minutes, _lag in ways:
                if earliest[at] + minutes > earliest[to] + 1e-9:
                    earliest[to], came_from[to], last = earliest[at] + minutes, at, to
        if not last:
            return []
    return [_circle_words(instance, came_from, last)]


def _circle_words(instance: Instance, came_from: Mapping[str, str], at: str) -> str:
    for _ in range(len(came_from)):
        at = came_from[at]
    round_trip = [at]
    while (step := came_from[round_trip[-1]]) != at:
        round_trip.append(step)
    round_trip.reverse()
    follows = {(lag.before, lag.after) for lag in instance.lags}
    pairs = zip(round_trip, [*round_trip[1:], round_trip[0]], strict=True)
    if all(pair in follows for pair in pairs):
        return f"{', '.join([*round_trip, round_trip[0]])}: each comes after the one before it, in a circle."
    return f"The windows between {', '.join(round_trip)} leave no room for each other, whatever the hours."


# --- the search ------------------------------------------------------------------------------------------
def _search(instance: Instance, most_seconds: float) -> Solution:
    from ortools.sat.python import cp_model  # a second to import: only whoever plans pays for it

    model = cp_model.CpModel()
    starts = {
        task.id: model.new_int_var_from_domain(
            cp_model.Domain.from_intervals([list(span) for span in instance.starts(task)]), task.id
        )
        for task in instance.tasks
    }
    lengths = {task.id: instance.length(task) for task in instance.tasks}
    taken: dict[str, list[Any]] = {}
    for task in instance.tasks:
        span = model.new_fixed_size_interval_var(starts[task.id], lengths[task.id], task.id)
        attended = () if task.unattended else (PAINTER,)
        for name in dict.fromkeys((*attended, *(r for r in task.resources if attended or r != PAINTER))):
            taken.setdefault(name, []).append(span)
    # What is closed stands in the painter's row as well: without it the search does not see how little room there is.
    shut = [model.new_fixed_size_interval_var(since, length, "shut") for since, length in instance.closed]
    for name, spans in taken.items():
        model.add_no_overlap([*spans, *shut] if name == PAINTER else spans)
    for lag in instance.lags:
        done = starts[lag.before] + lengths[lag.before]
        model.add(starts[lag.after] >= done + instance.count(timedelta(minutes=lag.min_minutes), up=True))
        if lag.max_minutes is not None:
            model.add(starts[lag.after] <= done + instance.count(timedelta(minutes=lag.max_minutes)))
    ends = model.new_int_var(instance.work_done_at_best, instance.count(instance.reach), "finish")
    for task in instance.tasks:
        model.add(ends >= starts[task.id] + lengths[task.id])
    model.minimize(ends)
    solver = cp_model.CpSolver()
    solver.parameters.num_workers = _WORKERS
    solver.parameters.max_time_in_seconds = most_seconds
    state = solver.solve(model)
    if state in (cp_model.OPTIMAL, cp_model.FEASIBLE):
        at = {task.id: instance.instant(solver.value(starts[task.id])) for task in instance.tasks}
        placed = [Placed(task.id, at[task.id], at[task.id] + task.lasts) for task in instance.tasks]
        bound = instance.instant(round(solver.best_objective_bound))
        return Solution(
            tuple(placed),
            max(step.end for step in placed),
            feasible=True,
            bound=bound,
            proven=state == cp_model.OPTIMAL,
        )
    if state == cp_model.INFEASIBLE:
        return Solution((), None, feasible=False)
    words = f"No plan was found in {most_seconds:g} s, and none was shown to be impossible: ask with fewer steps."
    return Solution((), None, feasible=False, reasons=(words,))


# --- why there is none ---------------------------------------------------------------------------------
def _what_is_in_the_way(instance: Instance) -> tuple[str, ...]:
    """What alone would have to be given up for a plan to be there; each tried before it is said."""
    tried = [
        (
            f"It would fit if {lag.after} could come later than {lag.max_minutes:g} min after {lag.before}.",
            _without(lag),
        )
        for lag in instance.lags
        if lag.max_minutes is not None
    ]
    tried += [(f"It would fit if {name} were open all the time.", _ungated(name)) for name in instance.gates]
    tried.append(("It would fit with more hands than one painter's.", _unattended))
    names = dict.fromkeys(r for task in instance.tasks for r in task.resources if r != PAINTER)
    tried += [(f"It would fit with a second {name}.", _shared(name)) for name in names]
    found = [words for words, change in tried[-_MOST_TRIED:] if _search(change(instance), _RELAXED_SECONDS).feasible]
    return tuple(found) or (
        "The hours, gates and windows leave no plan, and giving up one of them alone does not help.",
    )


def _without(lag: Lag) -> Any:
    def changed(instance: Instance) -> Instance:
        lags = tuple(Lag(g.before, g.after, g.min_minutes) if g is lag else g for g in instance.lags)
        return Instance(instance.start, instance.working, instance.tasks, lags, instance.gates)

    return changed


def _ungated(name: str) -> Any:
    def changed(instance: Instance) -> Instance:
        tasks = tuple(
            Task(t.id, t.labour_min, t.resources, None if t.gate == name else t.gate, t.unattended)
            for t in instance.tasks
        )
        return Instance(instance.start, instance.working, tasks, instance.lags, instance.gates)

    return changed


def _shared(name: str) -> Any:
    def changed(instance: Instance) -> Instance:
        tasks = tuple(
            Task(t.id, t.labour_min, tuple(r for r in t.resources if r != name), t.gate, t.unattended)
            for t in instance.tasks
        )
        return Instance(instance.start, instance.working, tasks, instance.lags, instance.gates)

    return changed


def _unattended(instance: Instance) -> Instance:
    """Everybody has a painter of their own; the hours stay."""
    gates = {**instance.gates, _HOURS: instance.working}
    tasks = []
    for t in instance.tasks:
        gate = t.gate
        if not t.unattended:
            gate = _HOURS if t.gate is None else f"{_HOURS} and {t.gate}"
            if t.gate is not None:
                both = (
                    Interval(max(a.since, b.since), min(a.to, b.to))
                    for a, b in product(instance.working, instance.gates[t.gate])
                )
                gates[gate] = tuple(i for i in both if i.since < i.to)
        resources = tuple(r for r in t.resources if r != PAINTER)
        tasks.append(Task(t.id, t.labour_min, resources, gate, unattended=True))
    return Instance(instance.start, instance.working, tuple(tasks), instance.lags, gates)


_HOURS = "working hours"

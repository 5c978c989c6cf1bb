"""Steps, lags, hours and gates: the earliest finish, against a search through all starts; and why there is none."""

from collections.abc import Sequence
from datetime import timedelta
from itertools import pairwise

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from tests.support import T0

from cool_sheen.core.scheduling.instance import PAINTER, Instance, Interval, Lag, Placed, Task, solve

SLOT = timedelta(minutes=30)


def at(slots: float):
    return T0 + slots * SLOT


def between(*spans: tuple[float, float]) -> tuple[Interval, ...]:
    return tuple(Interval(at(a), at(b)) for a, b in spans)


def broken(instance: Instance, steps: Sequence[Placed]) -> list[str]:
    """Every rule that a plan breaks."""
    out = []
    where = {s.id: s for s in steps}
    for task in instance.tasks:
        step = where[task.id]
        if step.end - step.start != task.lasts or step.start < instance.start:
            out.append(f"{task.id}: its length, or before the start")
        inside = [i for i in instance.working if i.since <= step.start and step.end <= i.to]
        if not task.unattended and not inside:
            out.append(f"{task.id}: out of hours")
        if task.gate and not [i for i in instance.gates[task.gate] if i.since <= step.start and step.end <= i.to]:
            out.append(f"{task.id}: its gate is shut")
    for lag in instance.lags:
        waited = (where[lag.after].start - where[lag.before].end).total_seconds() / 60
        if waited < lag.min_minutes - 1e-6 or (lag.max_minutes is not None and waited > lag.max_minutes + 1e-6):
            out.append(f"{lag.before} to {lag.after}: {waited}")
    names = {r for t in instance.tasks for r in t.resources} | {PAINTER}
    for name in names:
        users = [t.id for t in instance.tasks if name in t.resources or (name == PAINTER and not t.unattended)]
        mine = sorted((where[i] for i in users), key=lambda s: (s.start, s.end))
        out += [f"{name}: {a.id} and {b.id}" for a, b in pairwise(mine) if b.start < a.end]
    return out


def best_of_all(instance: Instance, most: int = 30) -> int | None:
    """The earliest finish by trying every start of every step, in slots."""
    best: int | None = None

    def go(n: int, placed: list[Placed]) -> None:
        nonlocal best
        if n == len(instance.tasks):
            if not broken(instance, placed):
                ends = max((s.end - T0) // SLOT for s in placed)
                best = ends if best is None else min(best, ends)
            return
        task = instance.tasks[n]
        for slot in range(most):
            step = Placed(task.id, at(slot), at(slot) + task.lasts)
            if best is not None and step.end >= at(best):
                return
            some = Instance(
                T0, instance.working, instance.tasks[: n + 1],
                tuple(g for g in instance.lags if {g.before, g.after} <= {t.id for t in instance.tasks[: n + 1]}), instance.gates,
            )  # fmt: skip
            if not broken(some, [*placed, step]):
                go(n + 1, [*placed, step])

    go(0, [])
    return best


@st.composite
def instances(draw):
    spans, since = [], 0
    for _ in range(draw(st.integers(1, 3))):
        since += draw(st.integers(0, 3))
        to = since + draw(st.integers(1, 7))
        spans.append((since, to))
        since = to
    gate = [(a, a + draw(st.integers(1, 6))) for a in sorted(draw(st.sets(st.integers(0, 20), min_size=1, max_size=3)))]
    tasks = tuple(
        Task(
            f"t{n}", 30.0 * draw(st.integers(1, 3)), tuple(draw(st.sets(st.sampled_from(["gun", "booth"])))),
            draw(st.sampled_from([None, None, "dry"])), draw(st.integers(0, 3)) == 0,
        )
        for n in range(draw(st.integers(1, 4)))
    )  # fmt: skip
    lags = []
    for a, b in pairwise(tasks):
        if draw(st.booleans()):
            least = 30.0 * draw(st.integers(0, 3))
            lags.append(Lag(a.id, b.id, least, least + 30.0 * draw(st.integers(0, 4)) if draw(st.booleans()) else None))
    return Instance(T0, between(*spans), tasks, tuple(lags), {"dry": between(*gate)})


@settings(max_examples=60, deadline=None)
@given(instances())
def test_no_plan_finishes_sooner_and_none_breaks_a_rule(instance):
    found, best = solve(instance), best_of_all(instance)
    if best is None:
        assert (found.feasible, found.steps, found.finish) == (False, (), None)
        assert found.reasons
    else:
        assert broken(instance, found.steps) == []
        assert (found.finish, found.proven) == (at(best), True)


def test_lengths_are_exact_whatever_the_search_counts_in():
    task = Task("sand", 33.337)
    found = solve(Instance(T0, between((0, 16)), (task, Task("wipe", 0.001)), (Lag("sand", "wipe", 0.05),)))
    assert [s.end - s.start for s in found.steps] == [timedelta(minutes=33.337), timedelta(minutes=0.001)]


@pytest.mark.parametrize(
    ("tasks", "lags", "says"),
    [
        ((Task("doors", 270),), (), "doors takes 270 min without a break, and the longest working interval has 240 min"),
        ((Task("clear", 90, gate="dry"),), (), "clear takes 90 min, and dry is never open for so long within working hours"),
        ((Task("a", 30), Task("b", 30), Task("c", 30)), (Lag("a", "b", 0), Lag("b", "c", 0), Lag("c", "a", 0)), "in a circle"),
        ((Task("a", 30), Task("b", 30)), (Lag("a", "b", 60, 30),), "that window is shut"),
        (
            (Task("a", 30), Task("b", 30), Task("c", 90)),
            (Lag("a", "b", 0, 30), Lag("a", "c", 0), Lag("c", "b", 0)),
            "leave no room for each other",
        ),
        (
            (Task("a", 200), Task("b", 200)), (Lag("a", "b", 0, 10),),
            "It would fit if b could come later than 10 min after a.",
        ),
    ],
)  # fmt: skip
def test_it_says_why_nothing_fits(tasks, lags, says):
    found = solve(Instance(T0, between((0, 8), (10, 18)), tasks, lags, {"dry": between((0, 2), (20, 30))}))
    assert (found.feasible, found.steps, found.finish) == (False, (), None)
    assert says in " ".join(found.reasons)


def test_sixty_steps_of_twenty_parts_come_within_a_twentieth_of_the_bound():
    days = tuple(Interval(T0 + timedelta(days=d), T0 + timedelta(days=d, hours=9)) for d in range(6))
    tasks = [Task(f"{n}-{k}", 10.0 + (7 * n + 5 * k) % 40, ("gun",) if k else ()) for n in range(20) for k in range(3)]
    lags = [
        Lag(f"{n}-{k}", f"{n}-{k + 1}", 30.0 + 11 * (n % 5), 240.0 if n % 2 else None)
        for n in range(20)
        for k in range(2)
    ]
    instance = Instance(T0, days, tuple(tasks), tuple(lags))
    found = solve(instance, 3.0)
    assert broken(instance, found.steps) == []
    assert found.finish - T0 <= 1.05 * (found.bound - T0)

"""The order that must hold between tasks: a table of rules, what of a system spoils it, and how it is set right."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Annotated, Literal

from pydantic import Field

from cool_sheen.core.coatings.edit import Spot, pinned, spots_of, with_tasks
from cool_sheen.core.coatings.sheet_fields import Key, Strict, Text
from cool_sheen.core.coatings.systems import STEP_WORDS, System, Task, TaskKind


class OrderRule(Strict):
    """One line of the table: what comes earlier than what, in which lists of tasks, and why."""

    key: Key
    stages: Annotated[tuple[Literal["prepare", "between", "then", "finish"], ...], Field(min_length=1)]
    earlier: Annotated[tuple[TaskKind, ...], Field(min_length=1)]
    later: Annotated[tuple[TaskKind, ...], Field(min_length=1)]
    how: Literal["first", "last", "all"]
    reason: Annotated[str, Field(min_length=1, max_length=400)]
    source: Text


@dataclass(frozen=True, slots=True)
class Spoiled:
    """A rule that does not hold at a spot: the tasks that stand the wrong way round."""

    rule: OrderRule
    spot: Spot
    late: Task
    early: Task

    @property
    def place(self) -> str:
        """The name of this finding, for a reason in words."""
        where = f"{self.spot.stage} of {self.spot.layer_id}" if self.spot.layer_id else self.spot.stage
        return f"{where}: {self.early.kind} before {self.late.kind}"

    @property
    def title(self) -> str:
        """What stands before what, in words."""
        return f"{STEP_WORDS[self.early.kind]} stands before: {STEP_WORDS[self.late.kind].lower()}"


def spoiled(system: System, rules: Iterable[OrderRule]) -> list[Spoiled]:
    """Find out where tasks stand in an order that spoils the work.

    Args:
        system: The system; a layer that is left out is not looked at.
        rules: The table.

    Source: docs/trade.md, Compatibility: the order that must hold.
    """
    used = {layer.id for layer in system.used} | {""}
    out = []
    for spot in (s for s in spots_of(system) if s.layer_id in used):
        tasks = spot.of(system)
        for rule in rules:
            pair = _pair(rule, tasks) if spot.stage in rule.stages else None
            if pair is not None:
                out.append(Spoiled(rule, spot, tasks[pair[0]], tasks[pair[1]]))
    return out


def _pair(rule: OrderRule, tasks: Sequence[Task]) -> tuple[int, int] | None:
    """The places of a task that comes too late, and of the one that stands before it; None where the rule holds."""
    ones = [n for n, task in enumerate(tasks) if task.kind in rule.earlier]
    others = [n for n, task in enumerate(tasks) if task.kind in rule.later]
    if not ones or not others:
        return None
    one, other = {"first": (ones[0], others[0]), "last": (ones[-1], others[-1]), "all": (ones[-1], others[0])}[rule.how]
    return (one, other) if one > other else None


def set_right(system: System, found: Spoiled) -> System:
    """Put the tasks of a spot into the order that a rule asks for; all others stay where they are."""
    tasks = pinned(system, found.spot)
    while (pair := _pair(found.rule, tasks)) is not None:
        late, early = pair
        if found.rule.how == "last":  # what has to come last goes behind
            tasks.insert(late, tasks.pop(early))
        else:
            tasks.insert(early, tasks.pop(late))
    return with_tasks(system, found.spot, tasks)

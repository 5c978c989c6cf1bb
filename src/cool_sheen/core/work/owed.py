"""What is owed to which zone: how each step of a plan stands on each zone, by the log."""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from enum import StrEnum
from functools import cached_property
from uuid import UUID

from cool_sheen.core.log.history import History, LaidCoat, Skip, Work
from cool_sheen.core.work.steps import CoatStep, SandStep, Step, Zones


class Stand(StrEnum):
    """How a step stands on a zone."""

    DONE = "done"
    SKIPPED = "skipped"  # left out, in words
    PASSED = "passed"  # a later coat lies over it: done without a word, or forgotten
    OWED = "owed"


@dataclass(frozen=True, slots=True)
class StepRow:
    """A step as a whole: ``next`` where it is the first thing owed to a zone, ``ahead`` where it is owed later."""

    step: Step
    status: str  # done, skipped, passed, next, ahead
    owed: Zones
    passed: Zones


@dataclass(frozen=True)
class Owed:
    """The steps of a part, and how each stands on each of its zones."""

    steps: tuple[Step, ...]
    by_zone: Mapping[UUID, Mapping[int, Stand]]
    _place: dict[str, int] = field(default_factory=dict)

    def __post_init__(self) -> None:
        self._place.update({step.id: n for n, step in enumerate(self.steps)})

    def zones_with(self, place: int, stand: Stand) -> Zones:
        """Return the zones on which the step at a place stands like this."""
        return frozenset(z for z, stands in self.by_zone.items() if stands.get(place) is stand)

    def ahead(self, zone: UUID) -> list[int]:
        """Return the places of all that is owed to a zone, in order."""
        return [n for n, stand in self.by_zone[zone].items() if stand is Stand.OWED]

    def following(self, zone: UUID) -> CoatStep | None:
        """Return the next coat of a zone; None after the last."""
        coats = (self.steps[n] for n in self.ahead(zone))
        return next((step for step in coats if isinstance(step, CoatStep)), None)

    @cached_property
    def rows(self) -> tuple[StepRow, ...]:
        """All steps with how they stand on the part as a whole."""
        firsts = {ahead[0] for zone in self.by_zone if (ahead := self.ahead(zone))}
        return tuple(self._row(n, step, n in firsts) for n, step in enumerate(self.steps))

    def _row(self, place: int, step: Step, is_first: bool) -> StepRow:
        owed, passed = (self.zones_with(place, stand) for stand in (Stand.OWED, Stand.PASSED))
        if owed:
            return StepRow(step, "next" if is_first else "ahead", owed, passed)
        if passed:
            return StepRow(step, "passed", owed, passed)
        skipped = all(s.get(place, Stand.SKIPPED) is Stand.SKIPPED for s in self.by_zone.values())
        return StepRow(step, "skipped" if skipped else "done", owed, passed)

    def left(self) -> list[StepRow]:
        """Return what is still owed, and what was passed over without a word."""
        return [row for row in self.rows if row.owed or row.passed]

    def passed_over(self) -> list[StepRow]:
        """Return what was passed over: it is asked for until it is said to be done, or why not."""
        return [row for row in self.rows if row.passed]


def owed_to(steps: Sequence[Step], history: History) -> Owed:
    """Say how every step stands on every zone.

    Args:
        steps: The steps of the part, in order.
        history: Its folded log.

    Returns: Each zone for itself: a step is done where the log has it, under its own name or as work of its kind
        between the right coats; skipped where somebody said why; passed over where a later coat lies over it; else
        owed. Whatever the order of work, nothing leaves without a word.
    """
    return Owed(tuple(steps), {zone: _stands(zone, steps, history) for zone in history.builds})


def _stands(zone: UUID, steps: Sequence[Step], history: History) -> dict[int, Stand]:
    walk = _Walk({n: step for n, step in enumerate(steps) if zone in step.zones})
    happened: list[LaidCoat | Work | Skip] = [
        x for seen in (history.coats, history.works, history.skips) for x in seen if zone in x.zones
    ]
    for event in sorted(happened, key=lambda x: x.place):
        if isinstance(event, LaidCoat):
            walk.coat(event)
        elif isinstance(event, Work):
            walk.work(event)
        else:
            walk.skip(event)
    return {n: Stand.PASSED if stand is Stand.OWED and n < walk.covered else stand for n, stand in walk.stands.items()}


class _Walk:
    """One zone's log read from the first entry to the last, ticking off its steps."""

    def __init__(self, mine: Mapping[int, Step]) -> None:
        self.mine = mine
        self.names = {step.id: n for n, step in mine.items()}
        self.stands = dict.fromkeys(mine, Stand.OWED)
        self.covered = -1  # the place of the highest coat that is on

    def coat(self, laid: LaidCoat) -> None:
        """A coat ticks off the next one of its layer; one too many still lies over what came before."""
        of_layer = {
            n: s for n, s in self.mine.items() if isinstance(s, CoatStep) and s.layer.id == laid.payload.layer_id
        }
        place = self._serves(laid, of_layer)
        if place is not None:
            self.stands[place] = Stand.DONE
        elif laid.payload.counts and of_layer:
            place = max(of_layer)
        if place is not None:
            self.covered = max(self.covered, place)

    def _serves(self, laid: LaidCoat, of_layer: Mapping[int, CoatStep]) -> int | None:
        free = {n: s for n, s in of_layer.items() if self.stands[n] is Stand.OWED}
        if laid.payload.counts:  # counting coats are counted, whatever they were called
            return min((n for n, s in free.items() if s.coat.counted), default=None)
        named = self.names.get(laid.planned_step or "")
        if named in free:
            return named
        return min(
            (n for n, s in free.items() if not s.coat.counted and s.coat.kind == laid.payload.coat_kind), default=None
        )

    def work(self, done: Work) -> None:
        """Work ticks off the step that it was done for, else one of its kind and grit between the coats around it."""
        place = self.names.get(done.planned_step or "")
        if place is None:
            coats = [n for n, s in self.mine.items() if isinstance(s, CoatStep) and n > self.covered]
            to_come = min((n for n in coats if self.stands[n] is Stand.OWED), default=math.inf)
            fits = (n for n, s in self.mine.items() if self.covered < n < to_come and _is(s, done))
            place = next((n for n in fits if self.stands[n] is Stand.OWED), None)
        if place is not None:
            self.stands[place] = Stand.DONE

    def skip(self, skipped: Skip) -> None:
        """What is not done, in words; what is done by now stays done."""
        for name in skipped.steps:
            place = self.names.get(name)
            if place is not None and self.stands[place] is Stand.OWED:
                self.stands[place] = Stand.SKIPPED


def _is(step: Step, done: Work) -> bool:
    """Whether work is of a step's kind and grit. Heat is logged for its stage alone.

    A claim that was looked at and holds serves whatever its grit: the refinisher saw the surface, and took it.
    """
    any_grit = not isinstance(step, SandStep) or done.claimed or step.grit == done.grit
    return step.kind == done.kind != "bake" and any_grit

"""One zone's log read from the first entry to the last, ticking off the steps of its plan."""

import math
from collections.abc import Mapping, Sequence
from datetime import datetime, timedelta
from enum import StrEnum
from uuid import UUID

from cool_sheen.core.log.history import History, LaidCoat, Skip, Work
from cool_sheen.core.log.looks import Judged, Look, Mark, Mishap
from cool_sheen.core.work.steps import CoatStep, SandStep, Step, is_look


class Stand(StrEnum):
    """How a step stands on a zone."""

    DONE = "done"
    SKIPPED = "skipped"  # left out, in words
    PASSED = "passed"  # a later coat lies over it: done without a word, or forgotten
    OWED = "owed"


def walk(zone: UUID, steps: Sequence[Step], history: History, until: float = math.inf) -> "Walk":
    """Read what was done to a zone against its steps, up to a place in the fold."""
    mine = {n: step for n, step in enumerate(steps) if zone in step.zones}
    walked = Walk(mine, _asked_since(mine, history))
    happened: list[LaidCoat | Work | Skip | Look | Mishap] = [
        x
        for seen in (history.coats, history.works, history.skips, history.looks, history.mishaps)
        for x in seen
        if zone in x.zones and x.place <= until
    ]
    for event in sorted(happened, key=lambda x: x.place):
        if isinstance(event, LaidCoat):
            walked.coat(event)
        elif isinstance(event, Work):
            walked.work(event)
        elif isinstance(event, Look):
            walked.look(event)
        elif isinstance(event, Mishap):
            walked.last = max(walked.last, event.at) if walked.last else event.at  # waits count from then on
        else:
            walked.skip(event)
    return walked


def _asked_since(mine: Mapping[int, Step], history: History) -> dict[int, int]:
    """When in the fold each step that mends was asked for: by a mishap, a break, a judgement or a mark."""
    wanted = {step.mends for step in mine.values() if step.mends}
    if not wanted:
        return {}
    asking: tuple[Mishap | Judged | Mark | Work, ...] = (
        *history.mishaps, *history.judged, *history.marks.values(), *history.works
    )  # fmt: skip
    places = {x.uuid: x.place for x in asking if x.uuid in wanted}
    return {n: places[step.mends] for n, step in mine.items() if step.mends in places}


class Walk:
    """The steps of one zone, and how each stands by what was read so far."""

    def __init__(self, mine: Mapping[int, Step], since: Mapping[int, int] | None = None) -> None:
        self.mine = mine
        self.since = since or {}  # what mends is done by what came after it was asked for, unless it names it
        self.names = {step.id: n for n, step in mine.items()}
        self.stands = dict.fromkeys(mine, Stand.OWED)
        self.covered = -1  # the place of the highest coat that is on
        self.answered: set[int] = set()  # looks that found something: what is coated over them mends it
        self.last: datetime | None = None  # when something was last done

    def coat(self, laid: LaidCoat) -> None:
        """A coat ticks off the next one of its layer; one too many still lies over what came before."""
        of_layer = {
            n: s for n, s in self.mine.items() if isinstance(s, CoatStep) and s.layer.id == laid.payload.layer_id
        }
        place = self._serves(laid, of_layer)
        self._waited(place, laid.ended_at)
        if place is not None:
            self.stands[place] = Stand.DONE
        elif laid.payload.counts and of_layer:
            place = max(of_layer)
        if place is not None:
            self.covered = max(self.covered, place)

    def _serves(self, laid: LaidCoat, of_layer: Mapping[int, CoatStep]) -> int | None:
        free = {n: s for n, s in of_layer.items() if self.stands[n] is Stand.OWED and self._after(n, laid.place)}
        if laid.payload.counts:  # counting coats are counted, whatever they were called; one too many mends
            counted = [n for n, s in free.items() if s.coat.counted] or [n for n, s in free.items() if s.mends]
            return min(counted, default=None)
        named = self.names.get(laid.planned_step or "")
        if named is not None and named in of_layer and self.stands[named] is Stand.OWED:
            return named
        return min(
            (n for n, s in free.items() if not s.coat.counted and s.coat.kind == laid.payload.coat_kind), default=None
        )

    def _after(self, step: int, place: int) -> bool:
        """Whether something came after a step was asked for; those of the system always were."""
        return place > self.since.get(step, -1)

    def work(self, done: Work) -> None:
        """Work ticks off the step that it was done for, else one of its kind and grit between the coats around it."""
        place = self.names.get(done.planned_step or "")
        if place is None:
            coats = [n for n, s in self.mine.items() if isinstance(s, CoatStep) and n > self.covered]
            to_come = min((n for n in coats if self.stands[n] is Stand.OWED), default=math.inf)
            fits = (n for n, s in self.mine.items() if self.covered < n < to_come and _is(s, done))
            place = next((n for n in fits if self.stands[n] is Stand.OWED and self._after(n, done.place)), None)
        self._waited(place, done.at)
        if place is not None:
            self.stands[place] = Stand.DONE

    def look(self, looked: Look) -> None:
        """A look that ends a round is answered either way: where something is thin, another round follows."""
        place = self.names.get(looked.planned_step or "")
        if place is None or looked.passed:
            return
        if not self.mine[place].holds:  # what holds is looked at again
            self.answered.add(place)
        if is_look(self.mine[place]):
            self._waited(place, looked.at)
            self.stands[place] = Stand.DONE

    def _waited(self, place: int | None, at: datetime) -> None:
        """What is done ends the waits before it: they were waited out, or cut short."""
        due = self.last
        for n in sorted(self.mine) if place is not None else ():
            if n < (place or 0) and self.mine[n].kind == "wait" and self.stands[n] is Stand.OWED:
                due = due + timedelta(minutes=self.mine[n].wait_minutes) if due else None
                self.stands[n] = Stand.PASSED if due and at < due else Stand.DONE
        self.last = max(self.last, at) if self.last else at

    @property
    def stood(self) -> dict[int, Stand]:
        """How each step stands: what a coat lies over without a word was passed over."""
        return {n: self._stood(n, stand) for n, stand in self.stands.items()}

    def _stood(self, place: int, stand: Stand) -> Stand:
        if stand is not Stand.OWED or place >= self.covered:
            return stand
        return Stand.DONE if place in self.answered else Stand.PASSED

    def skip(self, skipped: Skip) -> None:
        """What is not done, in words; what is done by now stays done."""
        for name in skipped.steps:
            place = self.names.get(name)
            if place is not None and self.stands[place] in (Stand.OWED, Stand.PASSED):
                self.stands[place] = Stand.SKIPPED


def _is(step: Step, done: Work) -> bool:
    """Whether work is of a step's kind and grit. Heat is logged for its stage alone.

    A claim that was looked at and holds serves whatever its grit: the refinisher saw the surface, and took it.
    """
    any_grit = not isinstance(step, SandStep) or done.claimed or step.grit == done.grit
    return step.kind == done.kind != "bake" and any_grit

"""How long rounds without a fixed count may take: from none that finds anything more to all that are allowed."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import datetime

from cool_sheen.core.part.situation import Situation
from cool_sheen.core.plan.rest import rest_of
from cool_sheen.core.work.owed import owed_to, waited_out
from cool_sheen.core.work.rounds import Guess
from cool_sheen.core.work.steps import CoatStep, Step
from cool_sheen.core.work.walk import Stand


@dataclass(frozen=True, slots=True)
class RoundsRange:
    """The rounds of a part: so many are on, and there will be from ``fewest`` to ``most``; when all is done with each.

    A time is None where the plan gets stuck before the end.
    """

    layer: str
    on: int
    fewest: int
    reckoned: int
    most: int
    ends_early: datetime | None
    ends_late: datetime | None


def rounds_range(situation: Situation, steps: Sequence[Step]) -> RoundsRange | None:
    """Say how many rounds there may be, and when the part is done with the fewest and with the most.

    Args:
        situation: The part at this moment.
        steps: The steps of its system, before anything is known of its looks.

    Returns: Of the first layer in rounds that is not done with; None where there is none.
    """
    rows = {step.slot: step for step in (s for s in situation.owed.steps if s.round)}
    owed = [slot for slot in rows if any(s.slot == slot and s.round for s in _ahead(situation))]
    if not owed:
        return None
    slot = owed[0]
    fewest, most = _guessed(situation, steps, "fewest"), _guessed(situation, steps, "most")
    layer = next(s.layer for s in situation.owed.steps if isinstance(s, CoatStep) and s.layer.id == slot)
    return RoundsRange(
        layer.name,
        _on(situation, slot),
        _count(fewest, slot),
        _count(situation, slot),
        _count(most, slot),
        rest_of(fewest).ends,
        rest_of(most).ends,
    )


def _ahead(situation: Situation) -> list[Step]:
    return [row.step for row in situation.owed.rows if row.owed]


def _guessed(situation: Situation, steps: Sequence[Step], guess: Guess) -> Situation:
    owed = owed_to(steps, situation.history, situation.zones, guess)
    return replace(situation, owed=waited_out(owed, situation.history, situation.zones, situation.now))


def _count(situation: Situation, slot: str) -> int:
    return max((s.round for s in situation.owed.steps if s.slot == slot and isinstance(s, CoatStep)), default=0)


def _on(situation: Situation, slot: str) -> int:
    steps = situation.owed.steps
    done = (n for z in situation.owed.by_zone.values() for n, stand in z.items() if stand is Stand.DONE)
    return max((s.round for n in done if isinstance(s := steps[n], CoatStep) and s.slot == slot), default=0)

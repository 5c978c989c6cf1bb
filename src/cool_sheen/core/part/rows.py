"""The rows of a part: zones with the same next thing together, the one that is next on top."""

from datetime import datetime
from uuid import UUID

from cool_sheen.core.part.action import Action, first_action
from cool_sheen.core.part.situation import Situation
from cool_sheen.core.work.steps import Step


def next_actions(situation: Situation) -> tuple[Action, ...]:
    """Say what is to be done now, zones with the same next thing together.

    Args:
        situation: The part at this moment.

    Returns: First the first thing that the plan places; then what comes next on the zones that it is not for, if
        nothing else were done: what can be done now first, then by its time.
    """
    first = first_action(situation)
    rows, seen = [first], {first.row}
    groups: dict[int, set[UUID]] = {}
    for zone in situation.owed.by_zone:
        if (ahead := situation.owed.ahead(zone)) and zone not in first.zones:
            groups.setdefault(ahead[0], set()).add(zone)
    for group in groups.values():
        left = set(group)
        while left:
            action = first_action(situation, frozenset(left))
            if action.row not in seen:
                seen.add(action.row)
                rows.append(action)
            if not action.zones & left:  # a turn, for which the other side lies ready
                break
            left = left - action.zones if action.step and _goes_before(action.step) else set()
    if first.alarm == "wait":  # it takes nobody's time: what can be begun on other zones meanwhile is on top
        return tuple(sorted(rows, key=lambda a: _when(a, situation.now)))
    return (first, *sorted(rows[1:], key=lambda a: _when(a, situation.now)))


def _goes_before(step: Step) -> bool:
    """Whether a step was put in on some zones, before what the others may get by then."""
    return step.id.endswith((":key", ":pad", ":fresh", ":wipe", ":again"))


def _when(action: Action, now: datetime) -> datetime:
    """When something can be done; what is waited for without a time comes last."""
    if action.planned is None:
        return datetime.max.replace(tzinfo=now.tzinfo)
    begins = action.planned.end if action.planned.step.kind == "wait" else action.planned.start
    return max(begins, now)

"""How late today the next coat may start, and the first of all of today's coats: the account itself, asked again."""

import math
from dataclasses import dataclass
from datetime import datetime, timedelta

from cool_sheen.core.climate.series import instant
from cool_sheen.core.part.placed import Planned, Stuck, Wait
from cool_sheen.core.part.placing import gates_of, place_all
from cool_sheen.core.part.situation import Situation
from cool_sheen.core.work.steps import CoatStep

_TO_THE = timedelta(minutes=1)
_A_SECOND = timedelta(seconds=1)
_AROUND = (timedelta(minutes=-8), timedelta(minutes=8), timedelta(0))


@dataclass(frozen=True, slots=True)
class LastStart:
    """How late today a coat may start, and how late the first of all of today's coats."""

    coat: Planned | None
    one: datetime | None
    all_coats: datetime | None
    coats: int


@dataclass(frozen=True, slots=True)
class LastOfCoat:
    """The last start of a coat, and what comes after it: ``again`` is when it may start next, where that is known."""

    at: datetime
    wait: Wait
    because: str = ""
    again: datetime | None = None


def last_starts(situation: Situation) -> LastStart:
    """Work out how late a part's coats may start today.

    Args:
        situation: The part at this moment.

    Returns: The coat that is next; the last instant at which it may start: its gate, the early end of its window and
        the end of the working day; and the last one from which all coats of its layer that the plan has today are still
        on today, with no key put in. None where the plan has none today.
    """
    today = situation.day.day_of(situation.now)
    placed = _until_tomorrow(situation)
    mine = [p for p in placed if isinstance(p.step, CoatStep)]
    first = next(iter(mine), None)
    if first is None or not isinstance(first.step, CoatStep) or situation.day.day_of(first.start) != today:
        return LastStart(first, None, None, 0)
    layer = first.step.layer.id
    mine = [p for p in mine if isinstance(p.step, CoatStep) and p.step.layer.id == layer]
    one = last_of(situation, first).at
    if one < first.start:
        return LastStart(first, None, None, len(mine))
    return LastStart(first, one, _last_of_all(situation, mine, one), len(mine))


def last_of(situation: Situation, coat: Planned) -> LastOfCoat:
    """Return the last start of a coat that is placed today: its gate, the end of its window, or that of the day.

    Args:
        situation: The part at this moment.
        coat: The coat, as the plan has it.
    """
    day = situation.day
    bounds = [LastOfCoat(day.last_begin(situation.now, coat.labour), Wait.HOURS, again=day.next_opening(situation.now))]
    if coat.closes and coat.closes.early:
        bounds.append(LastOfCoat(coat.closes.early, Wait.WINDOW))
    for gate in gates_of(situation, coat.step, coat.start) if isinstance(coat.step, CoatStep) else ():
        closes = gate.closes(coat.start)
        shut = gate.shut_at(closes + _A_SECOND) if closes else None
        if closes and shut:
            again = None if math.isinf(shut.to_s) else instant(shut.to_s)
            bounds.append(LastOfCoat(closes, Wait.GATE, shut.reason, again))
    return min(bounds, key=lambda bound: bound.at)


def _until_tomorrow(situation: Situation, last: str = "") -> list[Planned]:
    """What the plan has today, up to a step if one is named, and the first coat whenever it is."""
    today = situation.day.day_of(situation.now)
    out: list[Planned] = []
    try:
        for planned in place_all(situation):
            coated = any(isinstance(p.step, CoatStep) for p in out)
            if coated and situation.day.day_of(planned.start) != today:
                break
            out.append(planned)
            if planned.step.id == last:
                break
    except Stuck:
        pass  # what was placed before it got stuck counts
    return out


def _last_of_all(situation: Situation, coats: list[Planned], latest: datetime) -> datetime | None:
    """Narrow down on the last start that leaves time for all, from the time that they take as the plan has them now."""
    wanted = [p.step.id for p in coats]
    if len(wanted) == 1:
        return latest
    lo, hi = coats[0].start, latest
    if _all_fit(situation, hi, wanted):
        return hi
    takes = coats[-1].end - lo
    for guess in (situation.day.closing(situation.now) - takes + off for off in _AROUND):
        if lo < guess < hi:
            lo, hi = (guess, hi) if _all_fit(situation, guess, wanted) else (lo, guess)
    while hi - lo > _TO_THE:
        middle = lo + (hi - lo) / 2
        lo, hi = (middle, hi) if _all_fit(situation, middle, wanted) else (lo, middle)
    return lo if lo > coats[0].start or _all_fit(situation, lo, wanted) else None


def _all_fit(situation: Situation, start: datetime, wanted: list[str]) -> bool:
    placed = _until_tomorrow(situation.at(start), wanted[-1])
    today = situation.day.day_of(situation.now)
    on = [p.step.id for p in placed if situation.day.day_of(p.end) == today and isinstance(p.step, CoatStep)]
    keyed = any(p.opens_again for p in placed)
    return not keyed and set(wanted) <= set(on)

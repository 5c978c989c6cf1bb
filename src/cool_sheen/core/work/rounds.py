"""Rounds without a fixed count: each ends with a look, which ends them, or asks for another one where it is thin."""

from collections.abc import Sequence
from dataclasses import replace
from typing import Literal
from uuid import UUID

from cool_sheen.core.log.history import History
from cool_sheen.core.survey.zones import ZoneFacts
from cool_sheen.core.work.steps import CoatStep, Step, Zones, is_look, look_after, only_on

Guess = Literal["estimate", "fewest", "most"]
MOST_ROUNDS = 30


def in_rounds(
    steps: Sequence[Step], history: History, zones: Sequence[ZoneFacts], guess: Guess = "estimate"
) -> list[Step]:
    """Let rounds end where a look found nothing, and go on past the estimate where one found something.

    Args:
        steps: The steps of a part, in order, with as many rounds as its system reckons with.
        history: Its folded log.
        zones: Its zones.
        guess: What is made of looks to come: as many as reckoned with, none that finds anything (``fewest``), or all
            that the system allows (``most``).

    Returns: The steps, those of a round on the zones alone that have it. Source: docs/trade.md, Inspection.
    """
    whole = list(steps)
    for look in [s for s in steps if is_look(s) and not _has_next(s, steps)]:
        whole = _lengthened(whole, look, history, zones, guess)
    in_turn = frozenset().union(*(step.zones for step in whole if step.round))
    ends = {zone: _ended(whole, zone, history, guess) for zone in in_turn}
    return [kept for step in whole if (kept := _kept(step, ends, zones)) is not None]


def _has_next(look: Step, steps: Sequence[Step]) -> bool:
    later = (s for s in steps if is_look(s) and s.slot == look.slot and s.round == look.round + 1)
    return any(s.zones & look.zones for s in later)


def _lengthened(
    steps: list[Step], look: Step, history: History, facts: Sequence[ZoneFacts], guess: Guess
) -> list[Step]:
    """Add rounds after the last that was reckoned with, for the zones on which its look found something."""
    place = next(n for n, s in enumerate(steps) if s.id == look.id)
    model = next(s for s in reversed(steps[:place]) if isinstance(s, CoatStep) and s.round == look.round)
    tail = look.id.removeprefix(f"{look.slot}:look:{look.round}")
    number, most = look.round, model.layer.rounds_most or look.round
    added: list[Step] = []
    zones = _another(look, history, guess=guess if number < most else "estimate")
    while zones and number < MOST_ROUNDS:
        number += 1
        beyond = f", {number - most} over the {most} at most" if number > most else ""
        coat = replace(
            model,
            id=f"{model.layer.id}:coat:{number}{tail}",
            label=f"{model.layer.name}, round {number}{beyond}",
            number=model.number + number - look.round,
            needs=tuple((zone, had + number - look.round) for zone, had in model.needs),
            round=number,
        )
        coat = only_on(coat, zones, facts)
        after = look_after(coat, number, tail)
        added += [coat, after]
        zones = _another(after, history, guess=guess if number < most else "estimate")
    return [*steps[: place + 1], *added, *steps[place + 1 :]]


def _another(look: Step, history: History, *, guess: Guess) -> Zones:
    """The zones of a look that get another round: it found something there, or it is to come, and we reckon with it."""
    answers = {zone: _answer(look.id, zone, history) for zone in look.zones}
    return frozenset(z for z, passed in answers.items() if passed is False or (passed is None and guess == "most"))


def _answer(step: str, zone: UUID, history: History) -> bool | None:
    """What the last look for a step said of a zone; None where there was none."""
    said = [look.passed for look in history.looks if look.planned_step == step and zone in look.zones]
    return said[-1] if said else None


def _ended(steps: Sequence[Step], zone: UUID, history: History, guess: Guess) -> dict[str, int]:
    """After which round each layer is done with on a zone: the first whose look found nothing there."""
    out: dict[str, int] = {}
    for step in steps:
        if not is_look(step) or zone not in step.zones or step.slot in out:
            continue
        answer = _answer(step.id, zone, history)
        if answer or (answer is None and guess == "fewest"):
            out[step.slot] = step.round
    return out


def _kept(step: Step, ends: dict[UUID, dict[str, int]], facts: Sequence[ZoneFacts]) -> Step | None:
    """A step for the zones on which its round is still wanted; None where it is on none."""
    if not step.round:
        return step
    zones = frozenset(z for z in step.zones if step.round <= ends[z].get(step.slot, MOST_ROUNDS + 1))
    return only_on(step, zones, facts) if zones else None

"""Causes ranked by evidence: weights times likelihoods, sharpened by what a shop has found before."""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Annotated

from pydantic import Field

from cool_sheen.core.clinic.case import Case
from cool_sheen.core.clinic.signs import SIGNS, Seen
from cool_sheen.core.coatings.sheet_fields import Key, Positive, Strict, Text

SHOP_WEIGHT = 6.0  # so many findings of its own weigh as much as the table
_CERTAIN, _HALF, _APART = 0.9, 0.5, 0.1
_MOST_QUESTIONS = 4
_SPEAKS = 1.25  # a factor nearer to one says too little to be told


class Evidence(Strict):
    """How much likelier a cause is when a sign is there, and when it is not. [1]"""

    sign: Key
    yes: Positive
    no: Positive = 1.0


class Cause(Strict):
    """A cause of a defect.

    Attributes:
        weight: How often it is the cause, by the others, where nothing is known.
        advice: What is done otherwise next time.
    """

    key: Key
    name: Text
    weight: Positive = 1.0
    evidence: Annotated[tuple[Evidence, ...], Field(min_length=1, max_length=12)]
    advice: Text


class CausesOf(Strict):
    """The causes of one defect."""

    defect: Key
    causes: Annotated[tuple[Cause, ...], Field(min_length=2, max_length=16)]


@dataclass(frozen=True, slots=True)
class Ranked:
    """A cause in its place.

    Attributes:
        share: How likely it is among these causes. [1]
        speaks_for, speaks_against: What the log says.
        not_known: What only whoever was there knows, as questions.
    """

    cause: Cause
    share: float
    speaks_for: tuple[str, ...]
    speaks_against: tuple[str, ...]
    not_known: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class Question:
    """Something that would decide: the sign, what is asked, and how much the answer would move."""

    sign: str
    asks: str
    moves: float


def look_over(case: Case, causes: Sequence[Cause], answers: Mapping[str, bool]) -> dict[str, Seen]:
    """Return what is known of every sign that bears on some causes: answers stand before the log.

    Args:
        case: What the log knows.
        causes: Those that are asked about.
        answers: What whoever was there said, by sign.
    """
    wanted = {e.sign for cause in causes for e in cause.evidence}
    seen = {sign: found for sign in wanted if (found := SIGNS[sign].look(case)) is not None}
    said = {sign: Seen(yes, f"{SIGNS[sign].asks} {'Yes' if yes else 'No'}, you say") for sign, yes in answers.items()}
    return {sign: said.get(sign) or seen[sign] for sign in sorted(wanted) if sign in said or sign in seen}


def rank(causes: Sequence[Cause], seen: Mapping[str, Seen], found_before: Mapping[str, int]) -> list[Ranked]:
    """Rank the causes of a defect.

    Args:
        causes: By the table.
        seen: What is known of the signs.
        found_before: How often each cause was found in this shop, for this defect.

    Returns: The likeliest first; the shares add up to 1.
    Source: docs/trade.md, Clinic: prior by the table and the shop's own findings, times a likelihood for each sign.
    """
    shares = _shares(causes, seen, found_before)
    ranked = [_ranked(cause, share, seen) for cause, share in zip(causes, shares, strict=True)]
    return sorted(ranked, key=lambda r: -r.share)


def _shares(causes: Sequence[Cause], seen: Mapping[str, Seen], found_before: Mapping[str, int]) -> list[float]:
    whole, findings = sum(c.weight for c in causes), sum(found_before.get(c.key, 0) for c in causes)
    logs = []
    for cause in causes:
        prior = (SHOP_WEIGHT * cause.weight / whole + found_before.get(cause.key, 0)) / (SHOP_WEIGHT + findings)
        likely = [_weighs(e, seen[e.sign]) for e in cause.evidence if e.sign in seen]
        logs.append(math.log(prior) + sum(likely))
    top = max(logs)
    weights = [math.exp(value - top) for value in logs]
    return [weight / sum(weights) for weight in weights]


def _weighs(evidence: Evidence, seen: Seen) -> float:
    """What a sign adds to the logarithm of a likelihood: in full where it lies far beyond its bound. [1]"""
    return math.log(evidence.yes if seen.yes else evidence.no) * seen.strength


def _ranked(cause: Cause, share: float, seen: Mapping[str, Seen]) -> Ranked:
    speaks_for, against, unknown = [], [], []
    for e in cause.evidence:
        found = seen.get(e.sign)
        if found is None:
            unknown.append(SIGNS[e.sign].asks)
            continue
        factor = e.yes if found.yes else e.no
        if factor >= _SPEAKS:
            speaks_for.append(found.says)
        elif factor <= 1 / _SPEAKS:
            against.append(found.says)
    return Ranked(cause, share, tuple(speaks_for), tuple(against), tuple(dict.fromkeys(unknown)))


def questions(causes: Sequence[Cause], seen: Mapping[str, Seen], found_before: Mapping[str, int]) -> list[Question]:
    """Return what would decide, the most telling first: unknown signs by how much an answer moves the shares.

    Args:
        causes: By the table.
        seen: What is known of the signs.
        found_before: How often each cause was found in this shop.

    Source: docs/trade.md, Clinic: half the sum of what the shares differ between yes and no.
    """
    unknown = sorted({e.sign for c in causes for e in c.evidence} - set(seen))
    out: dict[str, Question] = {}
    for sign in unknown:
        ways = [_shares(causes, {**seen, sign: Seen(yes, "")}, found_before) for yes in (True, False)]
        moves = sum(abs(a - b) for a, b in zip(*ways, strict=True)) / 2
        asks = SIGNS[sign].asks
        if asks not in out or out[asks].moves < moves:
            out[asks] = Question(sign, asks, moves)
    return sorted(out.values(), key=lambda q: -q.moves)[:_MOST_QUESTIONS]


def how_sure(ranked: Sequence[Ranked], seen: Mapping[str, Seen]) -> str:
    """Say in words how sure the first of the causes is."""
    first, second = ranked[0].share, ranked[1].share if len(ranked) > 1 else 0.0
    if not seen:
        return "nothing is known yet: as often as the table has it"
    if first >= _CERTAIN:
        return "almost certain"
    if first >= _HALF and first >= 2 * second:
        return "likely"
    return "rather likely" if first - second >= _APART else "open: what is asked beside would decide"

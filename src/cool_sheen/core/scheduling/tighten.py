"""A plan made tighter: which part to hurry, how far apart to keep coats, tried one after the other and kept if better.

Each try is a whole plan, so that whatever is kept could be followed; the bound says how much better it could become.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from functools import reduce
from typing import TypeVar

from numpy.random import Generator, default_rng

from cool_sheen.core.scheduling.booking import Job
from cool_sheen.core.scheduling.bound import soonest
from cool_sheen.core.scheduling.crew import Shop
from cool_sheen.core.scheduling.serial import AS_EVER, PartPlan, Run, ShopPlan, Wishes, plan_shop
from cool_sheen.core.work.steps import CoatStep

_NEVER = timedelta(days=20_000)
_HURRIES = tuple(timedelta(days=d) for d in (-20, -8, -3, -1, -0.4, 0.4, 1, 3, 8, 20))
_GAPS = tuple(timedelta(hours=h) for h in (0, 0.2, 0.4, 0.7, 1, 1.5, 2, 3, 4, 5, 6.5, 8, 14, 20, 30, 48))
_AS_GOOD = timedelta(minutes=1)
# How often a try is about the part that ends last, or what it waits for; about coats; about doing as usual again.
_ABOUT_THE_LAST, _ABOUT_OTHERS, _ABOUT_COATS, _AS_USUAL = 0.4, 0.65, 0.4, 0.1
PATIENCE = 120  # tries that bring nothing before it is left at that


Change = Callable[[Wishes], Wishes]
Thing = TypeVar("Thing")


@dataclass(frozen=True)
class Progress:
    """How far it has come: tries made, the best plan with its wishes, what it was before, and what no plan beats."""

    tries: int
    best: ShopPlan
    first: ShopPlan
    wishes: Wishes
    bound: datetime
    over: bool = False

    @property
    def gap(self) -> float | None:
        """How much longer the best takes than what no plan beats; None where it has no end. [0 to 1]"""
        return gap_of(self.best, self.bound)

    @property
    def is_best(self) -> bool:
        """Whether nothing can end sooner."""
        return self.best.ends is not None and self.best.ends <= self.bound + _AS_GOOD


def bound_of(plan: ShopPlan) -> datetime:
    """Before which no plan has those parts done that a plan has an end for."""
    return soonest([part.job for part in plan.parts if not part.stuck], plan.shop)


def gap_of(plan: ShopPlan, bound: datetime) -> float | None:
    """Return how much longer a plan takes than the bound, as a share of it; None where it has no end. [0 to 1]

    Source: docs/trade.md, Plan: from now to the end of the last part that has one.
    """
    now = plan.shop.earliest
    if plan.ends is None or bound <= now:
        return None
    return max((plan.ends - now) / (bound - now) - 1, 0.0)


def score(plan: ShopPlan) -> tuple[int, timedelta, int, timedelta]:
    """What is better is less: parts without an end, when the last is done, windows that close, when all are done."""
    now = plan.shop.earliest
    ends = [part.ends - now for part in plan.parts if part.ends]
    return len(plan.stuck), max(ends, default=_NEVER), plan.keyings, sum(ends, timedelta())


def tighten(
    jobs: Sequence[Job], shop: Shop, goes_on: Callable[[Progress], bool], wishes: Wishes = AS_EVER, seed: int = 0
) -> Progress:
    """Look for a plan that is done sooner.

    Args:
        jobs: The parts.
        shop: Who works when, with which tools.
        goes_on: Told of each step; says whether to go on.
        wishes: What the plan does otherwise than usual by now.
        seed: Of the order in which is tried.

    Returns: The best plan that was found, and the bound.
    """
    first = plan_shop(jobs, shop, wishes)
    told = Progress(0, first, first, wishes, bound_of(first))
    chance, since = default_rng(seed), 0
    while goes_on(told) and since < PATIENCE:
        change = _as_long_as_alone(jobs, shop) if told.tries == 0 else _otherwise(told.best, chance)
        tried = change(wishes)
        plan = plan_shop(jobs, shop, tried)
        told = replace(told, tries=told.tries + 1)
        since += 1
        if score(plan) < score(told.best):
            since = 0
            # What was changed on the way without bringing anything is left as it was, where that is as good.
            plainer = change(told.wishes)
            plain = plan_shop(jobs, shop, plainer) if plainer != tried else plan
            best, wishes = (plain, plainer) if score(plain) <= score(plan) else (plan, tried)
            bound = told.bound if len(best.stuck) == len(told.best.stuck) else bound_of(best)
            told = replace(told, best=best, wishes=wishes, bound=bound)
        elif score(plan) == score(told.best):
            wishes = tried
    return replace(told, over=True)


def _as_long_as_alone(jobs: Sequence[Job], shop: Shop) -> Change:
    """Let parts go by how long each takes alone, instead of by what its sheets say of that."""
    hurry = {}
    for job in jobs:
        ends = plan_shop([job], shop).ends
        if ends is not None:
            hurry[job.key] = ends - shop.earliest - Run(job, shop).tail
    return lambda wishes: replace(wishes, hurry={**wishes.hurry, **hurry})


def _otherwise(plan: ShopPlan, chance: Generator) -> Change:
    """One to three things to be done otherwise: mostly about the part that ends last, and what stands in its way."""
    changes = [_change(plan, chance) for _ in range(_one_of((1, 1, 1, 2, 3), chance))]
    return lambda wishes: reduce(lambda so_far, change: change(so_far), changes, wishes)


def _change(plan: ShopPlan, chance: Generator) -> Change:
    part = _about(plan, chance)
    key, layers = part.job.key, _layers(plan, part)
    if chance.random() < _AS_USUAL:
        return lambda wishes: Wishes(
            {name: by for name, by in wishes.hurry.items() if name != key},
            {name: gap for name, gap in wishes.gaps.items() if name[0] != key},
        )
    if layers and chance.random() < _ABOUT_COATS:
        layer, gap = _one_of(layers, chance), _one_of(_GAPS, chance)
        return lambda wishes: replace(wishes, gaps={**wishes.gaps, (key, layer): gap})
    hurry = _one_of(_HURRIES, chance)
    return lambda wishes: replace(wishes, hurry={**wishes.hurry, key: hurry})


def _about(plan: ShopPlan, chance: Generator) -> PartPlan:
    """The part that a try is about: the one that ends last, one of those before which it waits, or any."""
    last = max(plan.parts, key=lambda p: (bool(p.stuck), p.ends or plan.shop.now))
    share = chance.random()
    if share < _ABOUT_THE_LAST:
        return last
    if share < _ABOUT_OTHERS:
        by = [hold.by for planned in plan.of(last.job.key) for hold in planned.holds if hold.by]
        ahead = [p for p in plan.parts if any(words.endswith(f", {p.job.name}") for words in by)]
        if ahead:
            return _one_of(ahead, chance)
    return _one_of(plan.parts, chance)


def _one_of(things: Sequence[Thing], chance: Generator) -> Thing:
    return things[int(chance.integers(len(things)))]


def _layers(plan: ShopPlan, part: PartPlan) -> list[str]:
    """The layers of a part that have several coats to come."""
    coats = [p.step.layer.id for p in plan.of(part.job.key) if isinstance(p.step, CoatStep)]
    return sorted({layer for layer in coats if coats.count(layer) > 1})

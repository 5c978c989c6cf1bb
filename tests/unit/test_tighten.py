"""A plan made tighter: no plan beats its bound, and whatever is found could be followed."""

from dataclasses import replace
from datetime import time, timedelta
from itertools import pairwise, product
from uuid import UUID
from zoneinfo import ZoneInfo

import pytest
from hypothesis import HealthCheck, given, settings
from tests.support import T0
from tests.unit.paper import PaperPart, climate, zone
from tests.unit.plan_check import breaches
from tests.unit.test_shop_plan import DAY, ROOMS, plan_of, quick, shops

from cool_sheen.core.coatings.systems import Layer
from cool_sheen.core.scheduling.bound import soonest, worked
from cool_sheen.core.scheduling.crew import Crew, Shop
from cool_sheen.core.scheduling.serial import FIRST_OF_ALL, Wishes, plan_shop
from cool_sheen.core.scheduling.tighten import Progress, bound_of, gap_of, score, tighten
from cool_sheen.core.work.hours import WorkingHours

H = timedelta(hours=1)


def so_often(tries: int):
    return lambda told: told.tries < tries


@settings(max_examples=5, deadline=None, suppress_health_check=list(HealthCheck))
@given(shops())
def test_no_plan_beats_the_bound_and_whatever_is_found_could_be_followed(made):
    parts, shop, after = made
    plan, named = plan_of(parts, shop, after)
    found = tighten([p.job for p in plan.parts], shop, so_often(2))
    for one in (plan, found.best):
        assert one.ends is None or one.ends >= found.bound
    assert score(found.best) <= score(plan)
    placed = {p.job.key for p in found.best.parts if not p.stuck}
    lines = [b for b in found.best.lines if b.part is None or b.part in placed]
    assert breaches(lines, {k: p for k, p in named.items() if k in placed}, shop) == []


def coats_of_one_layer(key: str, layer_id: str) -> PaperPart:
    """A bare part with one layer alone, and the step that waits for its film."""
    part = PaperPart(key, climate(20, 50), zone("top", 0.3, uuid=UUID(int=7)), day=DAY)
    layer: Layer = next(la for la in part.system.layers if la.id == layer_id)
    whole = part.system.model_copy(update={"layers": (layer,), "prepare": ()})
    return PaperPart(whole, climate(20, 50), *part.zones, day=DAY)


@pytest.mark.parametrize(("key", "layer"), [("lacquer-build", "top"), ("two-stage-epoxy", "clear")])
def test_the_bound_of_coats_on_coats_that_still_dry_is_just_below_the_best_of_all_gaps(key, layer):
    part = coats_of_one_layer(key, layer)
    plan, _ = plan_of([part], Shop(DAY, T0))
    job = plan.parts[0].job
    gaps = (0, 0.5, 1, 2, 3, 4, 6, 8, 11, 14, 18, 20, 22, 26, 30, 36, 44)
    ends = {g: plan_shop([job], Shop(DAY, T0), Wishes(gaps={(job.key, layer): g * H})).ends for g in gaps}
    bound = soonest([job], Shop(DAY, T0))
    assert len(set(ends.values())) > 2  # it does matter how far apart they are
    assert T0 < bound <= min(ends.values())
    assert min(ends.values()) - T0 < 1.06 * (bound - T0)


@pytest.mark.parametrize(
    ("minutes", "ends"), [(0, T0), (540, T0 + 9 * H), (541, T0 + 23 * H + timedelta(minutes=1)), (1140, T0 + 33 * H)]
)
def test_work_ends_with_the_hours_and_goes_on_with_the_next_day(minutes, ends):
    day = WorkingHours.every_day(time(7), time(17), ZoneInfo("UTC"))  # T0 is at eight: nine hours are left of it
    assert worked(day, T0, timedelta(minutes=minutes), 10) == ends


def test_who_stays_late_ends_what_is_begun_by_then():
    late = DAY.working_late(T0 + 12 * H)
    assert worked(late, T0, 14.5 * H, 30) == T0 + 14.5 * H
    assert worked(late, T0, 14.6 * H, 30) == T0 + 23 * H + 0.1 * H


def test_all_hands_bind_where_no_film_does_and_a_second_painter_halves_that():
    parts = [quick(10, 600, coats=1, first=10 * n, zones=3) for n in range(40)]
    plan, _ = plan_of(parts, Shop(DAY, T0))
    jobs = [p.job for p in plan.parts]
    hands = sum((b.hands for b in plan.lines if b.part), timedelta())
    assert hands > 6 * H
    assert soonest(jobs, Shop(DAY, T0)) == worked(DAY, T0, hands, 0)
    assert soonest(jobs, Shop(DAY, T0, Crew(2))) == worked(DAY, T0, hands / 2, 0)


def test_what_comes_after_another_is_bound_by_both_and_a_part_without_an_end_binds_nobody():
    part = PaperPart("one-pack-enamel", climate(20, 50), zone("a", 0.3, uuid=UUID(int=1)), day=DAY)
    other = PaperPart("one-pack-enamel", climate(20, 50), zone("b", 0.3, uuid=UUID(int=2)), day=DAY)
    shop = Shop(DAY, T0)
    apart, _ = plan_of([part, other], shop)
    chained, _ = plan_of([part, other], shop, {1: 0})
    jobs = [p.job for p in chained.parts]
    alone = soonest(jobs[:1], shop) - T0
    assert soonest([p.job for p in apart.parts], shop) - T0 < 1.1 * alone
    assert soonest(jobs, shop) - T0 > 1.9 * alone
    cold = PaperPart("one-pack-enamel", climate(1, 50), zone("c", 0.3, uuid=UUID(int=3)), day=DAY)
    mixed, _ = plan_of([part, cold], shop)
    assert len(mixed.stuck) == 1
    assert bound_of(mixed) == soonest([p.job for p in mixed.parts if not p.stuck], shop)
    assert gap_of(mixed, bound_of(mixed)) is not None
    nothing, _ = plan_of([cold], shop)
    assert gap_of(nothing, bound_of(nothing)) is None


def test_of_two_sides_the_one_is_turned_before_the_other_gets_its_last_coat():
    sides = [zone("front", 0.3, uuid=UUID(int=1), setting=1), zone("back", 0.3, uuid=UUID(int=2), setting=2)]
    one, both = (PaperPart("one-pack-enamel", climate(20, 50), *mine, day=DAY) for mine in (sides[:1], sides))
    shop = Shop(DAY, T0)
    alone, _ = plan_of([one], shop)
    plan, _ = plan_of([both], shop)
    jobs = [p.job for p in plan.parts]
    turns = [b for b in plan.lines if b.planned and b.planned.step.kind == "turn"]
    assert len(turns) > 0
    assert soonest([p.job for p in alone.parts], shop) + 12 * H < soonest(jobs, shop) <= plan.ends


def test_a_wish_hurries_a_part_keeps_coats_apart_and_is_stopped_when_it_is_told_to():
    parts = [PaperPart("cabinet-waterborne", climate(20, 50), zone(f"z{n}", 2.0, uuid=UUID(int=n)), day=DAY)
             for n in range(1, 6)]  # fmt: skip
    plan, _ = plan_of(parts, Shop(DAY, T0))
    jobs = [replace(p.job, space=ROOMS[0]) for p in plan.parts]
    last = max(plan.parts, key=lambda p: p.ends)
    hurried = plan_shop(jobs, Shop(DAY, T0), Wishes(hurry={last.job.key: FIRST_OF_ALL}))
    assert next(p.ends for p in hurried.parts if p.job.key == last.job.key) < last.ends
    layer = next(la for la in parts[0].system.layers if len(la.coats) > 1).id
    wide = plan_shop(jobs[:1], Shop(DAY, T0), Wishes(gaps={(jobs[0].key, layer): 5 * H}))
    coats = [b for b in wide.lines if b.planned and b.kind == "coat" and b.planned.step.layer.id == layer]
    assert all(then.start - first.end >= 5 * H for first, then in pairwise(coats))
    told: list[Progress] = []
    found = tighten(jobs, Shop(DAY, T0), lambda p: told.append(p) or len(told) < 4)
    assert (found.tries, found.over, len(told)) == (3, True, 4)
    again = tighten(jobs, Shop(DAY, T0), so_often(3))
    assert (score(again.best), again.wishes) == (score(found.best), found.wishes)  # the same each time


def test_every_choice_of_two_parts_and_two_waits_is_no_better_than_what_is_found():
    parts = [coats_of_one_layer("lacquer-build", "top"), quick(10, 600, coats=3, first=30, zones=4)]
    plan, _ = plan_of(parts, Shop(DAY, T0))
    jobs = [p.job for p in plan.parts]
    found = tighten(jobs, Shop(DAY, T0), so_often(60))
    choices = product((-3, 0, 3), (-3, 0, 3), (0, 1, 3, 8, 14, 20, 30), (0, 2))
    best = min(
        plan_shop(jobs, Shop(DAY, T0), Wishes(
            {jobs[0].key: timedelta(days=a), jobs[1].key: timedelta(days=b)},
            {(jobs[0].key, "top"): gap * H, (jobs[1].key, "clear"): other * H},
        )).ends
        for a, b, gap, other in choices
    )  # fmt: skip
    assert found.best.ends <= best + timedelta(minutes=30)

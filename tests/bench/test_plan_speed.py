"""How fast a shop is planned: the demo's shop, sixty parts, and how that grows; how far from the bound it stays."""

import math
import time
from uuid import UUID

import numpy as np
import pytest
from tests.support import A_SLOW_MACHINE, T0, ShopOnTrial
from tests.unit.paper import PaperPart, climate, zone
from tests.unit.test_shop_plan import DAY, ROOMS, SYSTEMS

from cool_sheen.core.scheduling.booking import Job
from cool_sheen.core.scheduling.crew import Shop
from cool_sheen.core.scheduling.serial import plan_shop
from cool_sheen.service.planning import Asked, plan_of


def _jobs(count: int, share: int = 1) -> list[Job]:
    """So many parts of one to three zones; only every so many steps of preparation and coats are long ago."""
    airs = [climate(20, 50), climate(18, 45, night_c=12), climate(24, 40, night_c=16)]
    out = []
    for n in range(count):
        zones = [zone(f"z{k}", (0.1, 0.4, 0.8)[(n + k) % 3], uuid=UUID(int=1000 * n + k)) for k in range(1 + n % 3)]
        part = PaperPart(SYSTEMS[n % 8], airs[n % 3], *zones, day=DAY)
        if n % share == 0:
            part.prepared()
        out.append(Job(UUID(int=100 + n), f"Part {n}", part.look_at(T0), ROOMS[n % 2]))
    return out


def test_the_demo_shop_is_planned_in_a_fifth_of_a_second(tmp_path, benchmark):
    shop, spent, lines = ShopOnTrial(tmp_path, demo=True), [], []

    def plan():
        with shop.workshop.read() as unit:
            begun = time.process_time()
            lines.append(len(plan_of(unit, Asked()).lines))
            spent.append(time.process_time() - begun)

    benchmark.pedantic(plan, rounds=7, warmup_rounds=2)
    assert lines[-1] > 150
    assert np.median(spent) < 0.200 * A_SLOW_MACHINE


def test_sixty_parts_with_six_hundred_steps_are_planned_in_a_second_and_time_grows_gently(benchmark):
    spent: dict[int, list[float]] = {}
    for count in (10, 20, 40, 60):
        jobs = _jobs(count)
        for _ in range(2 if count < 60 else 1):
            begun = time.process_time()
            plan = plan_shop(jobs, Shop(DAY, T0))
            spent.setdefault(count, []).append(time.process_time() - begun)
            assert not plan.stuck
    steps = sum(b.part is not None for b in plan.lines)
    benchmark.pedantic(lambda: plan_shop(jobs, Shop(DAY, T0)), rounds=1)
    assert steps >= 600
    took = {count: min(times) for count, times in spent.items()}
    assert took[60] * 600 / steps < 1.0 * A_SLOW_MACHINE
    power = math.log(took[60] / took[10]) / math.log(6)
    assert power < 1.5


@pytest.mark.parametrize("count", [5, 8])
def test_a_plan_ends_within_a_seventh_of_what_its_work_and_its_longest_part_take_at_least(count, benchmark):
    jobs, shop = _jobs(count), Shop(DAY, T0)
    plan = benchmark.pedantic(lambda: plan_shop(jobs, shop), rounds=2)
    alone = max(plan_shop([job], shop).ends for job in jobs)
    hands = sum((b.hands for b in plan.lines if b.kind not in ("mix", "clean_gun")), T0 - T0)
    days, rest = divmod(hands, DAY.longest)
    worked_out = T0 + days * (T0 - T0 + DAY.longest * 2.4) + rest
    bound = max(alone, worked_out)
    assert plan.ends - T0 <= 1.15 * (bound - T0)

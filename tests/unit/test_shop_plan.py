"""The plan of a shop: whatever it plans could be followed, and it says why where it cannot."""

from datetime import time, timedelta
from uuid import UUID
from zoneinfo import ZoneInfo

from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from tests.support import T0
from tests.unit.paper import PaperPart, climate, zone
from tests.unit.plan_check import breaches

from cool_sheen.core.scheduling.again import keep_to
from cool_sheen.core.scheduling.calendar import Job
from cool_sheen.core.scheduling.crew import Blocked, Crew, Shop
from cool_sheen.core.scheduling.serial import ShopPlan, plan_shop
from cool_sheen.core.work.hours import WorkingHours
from cool_sheen.service.kept_plans import before_of, lines_of

DAY = WorkingHours.every_day(time(7), time(17), ZoneInfo("UTC"))
ROOMS = (UUID(int=1), UUID(int=2))
SYSTEMS = (
    "two-stage-epoxy", "one-pack-enamel", "cabinet-waterborne", "lacquer-build", "single-stage-epoxy", "brushed-two-pack",
    "casein-under-clear", "dope-on-fabric", "aerosol-enamel", "epoxy-barrier-mixed", "high-heat-staged",
)  # fmt: skip


def plan_of(
    parts: list[PaperPart], shop: Shop, after: dict[int, int] | None = None
) -> tuple[ShopPlan, dict[UUID, PaperPart]]:
    named = {UUID(int=100 + n): part for n, part in enumerate(parts)}
    jobs = [
        Job(
            key,
            f"Part {n}",
            part.look_at(shop.now),
            part.space,
            UUID(int=100 + after[n]) if after and n in after else None,
        )
        for n, (key, part) in enumerate(named.items())
    ]
    return plan_shop(jobs, shop), named


@st.composite
def shops(draw):
    airs = [climate(20, 50), climate(18, 45, night_c=9), climate(24, 40, night_c=16)]
    parts = []
    for n in range(draw(st.integers(1, 5))):
        zones = [
            zone(
                f"z{k}",
                draw(st.sampled_from([0.1, 0.6, 2.0])),
                uuid=UUID(int=1000 * n + k),
                setting=draw(st.integers(1, 2)),
            )
            for k in range(draw(st.integers(1, 3)))
        ]
        part = PaperPart(draw(st.sampled_from(SYSTEMS)), draw(st.sampled_from(airs)), *zones, day=DAY)
        part.space = draw(st.sampled_from(ROOMS))
        parts.append(part)
    crew = Crew(draw(st.integers(1, 2)), draw(st.booleans()), draw(st.integers(1, 2)))
    holds = {ROOMS[0]: draw(st.integers(1, 3))} if draw(st.booleans()) else {}
    off = T0 + timedelta(hours=draw(st.integers(0, 30)))
    blocked = (
        (Blocked(off, off + timedelta(hours=draw(st.integers(1, 9))), "the booth is let"),)
        if draw(st.booleans())
        else ()
    )
    now = T0 + timedelta(minutes=draw(st.integers(-120, 700)))
    after = {1: 0} if len(parts) > 1 and draw(st.booleans()) else {}
    return parts, Shop(DAY, now, crew, holds, blocked), after


@settings(max_examples=60, deadline=None, suppress_health_check=list(HealthCheck))
@given(shops())
def test_whatever_is_planned_could_be_followed(made):
    parts, shop, after = made
    plan, named = plan_of(parts, shop, after)
    placed = {p.job.key for p in plan.parts if not p.stuck}
    lines = [b for b in plan.lines if b.part is None or b.part in placed]
    assert breaches(lines, {k: p for k, p in named.items() if k in placed}, shop) == []
    for first, then in ((p, q) for p in plan.parts for q in plan.parts if q.job.after == p.job.key):
        begins = min((b.start for b in plan.lines if b.part == then.job.key), default=None)
        assert begins is None or (first.ends is not None and begins >= first.ends)


@settings(max_examples=25, deadline=None, suppress_health_check=list(HealthCheck))
@given(shops())
def test_a_plan_that_nothing_has_changed_about_still_holds(made):
    parts, shop, after = made
    plan, named = plan_of(parts, shop, after)
    jobs = [p.job for p in plan.parts]
    again = keep_to(jobs, shop, before_of(lines_of(plan)))
    was = {
        (b.part, b.planned.step.id, b.planned.step.zones): b.start for b in plan.lines if b.planned and b.kind != "wait"
    }
    will = {
        (b.part, b.planned.step.id, b.planned.step.zones): b.start
        for b in again.lines
        if b.planned and b.kind != "wait"
    }
    late = {
        k[1]: (will.get(k), at)
        for k, at in was.items()
        if will.get(k) is None or abs(will[k] - at) > timedelta(minutes=5)
    }
    assert late == {}
    assert breaches([b for b in again.lines if b.part is None or b.part in named], named, shop) == [] or plan.stuck

"""The plan of a shop: whatever it plans could be followed, and it says why where it cannot."""

from datetime import time, timedelta
from uuid import UUID
from zoneinfo import ZoneInfo

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from tests.support import T0
from tests.unit.paper import PaperPart, climate, zone
from tests.unit.plan_check import breaches

from cool_sheen.core.scheduling.again import keep_to
from cool_sheen.core.scheduling.booking import Job
from cool_sheen.core.scheduling.crew import Blocked, Crew, Shop
from cool_sheen.core.scheduling.serial import ShopPlan, plan_shop
from cool_sheen.core.work.hours import WorkingHours
from cool_sheen.core.work.labour import labour_minutes
from cool_sheen.formats.catalogue import shipped
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


@settings(max_examples=28, deadline=None, suppress_health_check=list(HealthCheck))
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


@settings(max_examples=14, deadline=None, suppress_health_check=list(HealthCheck))
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


@pytest.mark.parametrize(("late", "coats"), [(4, 2), (6, 1)])
def test_a_coat_that_was_planned_in_two_pieces_is_kept_to_piece_by_piece_by_who_is_in_time(late, coats):
    plan, _ = plan_of([quick(10, 600, zones=2, coats=1)], Shop(DAY, T0))
    lines = lines_of(plan)
    whole = next(line for line in lines if line.kind == "coat")
    first, then = sorted(whole.zones)
    pieces = [
        whole.model_copy(update={"zones": (zone,), "start": whole.start + n * timedelta(hours=1), "n": 90 + n})
        for n, zone in enumerate((first, then))
    ]
    before = before_of([*(line for line in lines if line is not whole), *pieces])
    again = keep_to([p.job for p in plan.parts], Shop(DAY, whole.start + timedelta(minutes=late)), before)
    laid = coats_of(again)
    assert len(laid) == coats
    assert {zone for b in laid for zone in b.planned.step.zones} == {first, then}
    if coats == 2:
        assert [b.planned.step.zones for b in laid] == [{first}, {then}]
        assert laid[1].start == pieces[1].start


# --- jobs that are easily got wrong -----------------------------------------------------------------------
def quick(opens: float, closes: float, coats: int = 2, **facts: int) -> PaperPart:
    """A part with one layer whose next coat goes on between two times. [min]"""
    system = shipped().systems["two-stage-epoxy"]
    layer = next(la for la in system.layers if la.id == "clear")
    layer = layer.model_copy(update={"coats": layer.coats[:1] * coats, "then": ()})
    whole = system.model_copy(update={"layers": (layer,), "prepare": (), "finish": ()})
    zones = [zone(f"z{n}", 0.3, uuid=UUID(int=facts.get("first", 0) + n)) for n in range(facts.get("zones", 1))]
    part = PaperPart(whole, climate(20, 50), *zones, day=DAY)
    sheet = part.products[layer.product]
    marks = tuple(
        m.model_copy(
            update={
                "ref_minutes": {"flash": opens, "recoat_closes": closes}.get(m.name, m.ref_minutes),
                "film_um": None,
            }
        )
        for m in sheet.milestones
        if m.name in ("flash", "recoat_closes", "dust_free", "sand", "full_cure", "handle")
    )
    window = {"follows": "any", "opens": "flash", "closes": "recoat_closes"}
    changed = sheet.model_dump() | {"milestones": [m.model_dump() for m in marks], "windows": [window]}
    part.products[layer.product] = type(sheet).model_validate(changed)
    return part


def coats_of(plan: ShopPlan) -> list:
    return sorted((b for b in plan.lines if b.kind == "coat"), key=lambda b: b.start)


@pytest.mark.parametrize(("one_part", "lines"), [(True, 4), (False, 20)])
def test_ten_pieces_with_a_window_of_forty_minutes_are_coated_in_turn_and_none_is_missed(one_part, lines):
    parts = [quick(10, 50, zones=10)] if one_part else [quick(10, 50, first=10 * n) for n in range(10)]
    shop = Shop(DAY, T0)
    plan, named = plan_of(parts, shop)
    assert (plan.keyings, plan.stuck) == (0, ())
    assert breaches(plan.lines, named, shop) == []
    coats = coats_of(plan)
    assert len(coats) >= lines
    seconds = [b for b in coats if b.planned.step.number == 2]
    assert seconds[0].start < max(
        b.start for b in coats if b.planned.step.number == 1
    )  # it does not wait for the last piece
    assert coats[-1].end - T0 < timedelta(hours=6)


def test_a_coat_waits_for_the_afternoon_where_its_window_would_close_over_midday():
    midday = Blocked(T0 + timedelta(hours=0.6), T0 + timedelta(hours=5), "the booth is let")
    shop = Shop(DAY, T0, blocked=(midday,))
    plan, named = plan_of([quick(20, 90)], shop)
    first, second = coats_of(plan)
    assert plan.keyings == 0
    assert first.start >= midday.to - timedelta(minutes=90)
    assert second.start >= midday.to
    assert "finds its window open" in " ".join(h.because for h in first.planned.holds)
    assert breaches(plan.lines, named, shop) == []


def test_where_putting_off_takes_longer_than_a_key_the_key_is_put_in():
    nights = WorkingHours.every_day(time(7), time(7, 40), ZoneInfo("UTC"))  # too short for two coats in a day
    shop = Shop(nights, T0 - timedelta(hours=1))
    plan, named = plan_of([quick(60, 300)], shop)
    assert plan.keyings == 1
    assert breaches(plan.lines, named, shop) == []


def test_weather_that_shuts_every_afternoon_moves_coats_to_the_mornings():
    hot = climate(44, 30, night_c=18)
    part = PaperPart("one-pack-enamel", hot, zone("z", 0.5, uuid=UUID(int=9)), day=DAY)
    shop = Shop(WorkingHours.every_day(time(4), time(17), ZoneInfo("UTC")), T0)
    plan, named = plan_of([part], shop)
    if plan.stuck:
        assert "No gate" in plan.stuck[0].stuck
    else:
        assert breaches(plan.lines, named, shop) == []
        assert all(b.start.hour < 7 for b in coats_of(plan))


def test_two_faces_wait_for_the_turn_and_another_part_fills_the_wait():
    faces = PaperPart(
        "cabinet-waterborne",
        climate(20, 50),
        zone("front", 0.8, uuid=UUID(int=1)),
        zone("back", 0.8, uuid=UUID(int=2), setting=2),
        day=DAY,
    )
    other = PaperPart("one-pack-enamel", climate(20, 50), zone("all", 0.5, uuid=UUID(int=3)), day=DAY)
    shop = Shop(DAY, T0)
    plan, named = plan_of([faces, other], shop)
    assert breaches(plan.lines, named, shop) == []
    turn = next(b for b in plan.lines if b.kind == "turn")
    before = max(
        (b for b in plan.lines if b.part == turn.part and b.end <= turn.start and b.kind == "coat"), key=lambda b: b.end
    )
    assert turn.start - before.end > timedelta(minutes=30)
    assert [b for b in plan.lines if b.part != turn.part and b.part and before.end <= b.start < turn.start]


def test_parts_of_one_colour_come_out_of_one_pot():
    parts = [quick(20, 400, first=10 * n, coats=1) for n in range(3)]
    plan, _ = plan_of(parts, Shop(DAY, T0))
    assert len({b.batch for b in coats_of(plan)}) == 1
    assert sum(b.kind == "mix" for b in plan.lines) == sum(b.kind == "clean_gun" for b in plan.lines) == 1


def test_parts_that_wait_for_each_other_in_a_circle_say_so():
    shop = Shop(DAY, T0)
    plan, _ = plan_of([quick(20, 400), quick(20, 400, first=10), quick(20, 400, first=20)], shop, {0: 1, 1: 0})
    assert [bool(p.stuck) for p in plan.parts] == [True, True, False]
    assert "a circle" in plan.parts[0].stuck
    assert plan.parts[2].ends is not None


@pytest.mark.parametrize("fits", [False, True])
def test_a_step_that_is_longer_than_any_working_day_has_no_place(fits):
    part = PaperPart("one-pack-enamel", climate(20, 50, days=90), zone("z", 0.2, uuid=UUID(int=9)), day=DAY)
    around = {"coat": 8 + 12 + 6}  # its mix, the clean-out, and the wipe that it wants again
    longest = max(labour_minutes(s.kind, s.area_m2, s.method) + around.get(s.kind, 0) for s in part.steps)
    closes = (T0.replace(hour=7) + timedelta(minutes=longest + (0.02 if fits else -7))).time()
    shop = Shop(WorkingHours.every_day(time(7), closes, ZoneInfo("UTC")), T0)
    plan, _ = plan_of([part], shop)
    assert bool(plan.stuck) is not fits
    assert fits or "no working day has that" in plan.stuck[0].stuck


def test_a_wipe_that_is_stale_whenever_its_coat_can_be_on_is_told_and_not_wiped_for_ever():
    part = PaperPart("one-pack-enamel", climate(20, 50, days=90), zone("z", 0.2, uuid=UUID(int=9)), day=DAY)
    shop = Shop(
        WorkingHours.every_day(time(7), time(7, 29, 2), ZoneInfo("UTC")), T0
    )  # a mix, a coat, a clean-out: no wipe
    plan, _ = plan_of([part], shop)
    assert "never come within one night of each other" in plan.stuck[0].stuck
    assert len(plan.lines) < 40

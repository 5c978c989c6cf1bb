"""What to do next, and when: decided in the core from a log, a climate and a system."""

from datetime import time, timedelta
from itertools import pairwise

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from tests.support import T0
from tests.unit.paper import ALWAYS, UTC_DAY, PaperPart, after, at, climate, zone

from cool_sheen.core.coatings.systems import System
from cool_sheen.core.drying.phases import Phase
from cool_sheen.core.part.film_clock import mark_of
from cool_sheen.core.work.labour import labour_minutes
from cool_sheen.formats.catalogue import shipped


def test_the_steps_of_a_system_are_its_preparation_its_coats_its_sanding_and_its_finish_in_order():
    ids = [s.id for s in PaperPart("two-stage-epoxy").steps]
    assert ids[0] == "prepare:1:wash"
    assert ids.index("epoxy:coat:2") + 1 == ids.index("build:coat:1")
    assert ids[ids.index("build:coat:3") :][:5] == [
        "build:coat:3", "build:sand:P320", "build:sand:P500", "build:then:1:wipe", "build:then:2:tack",
    ]  # fmt: skip
    assert ids[-2:] == ["finish:1:unmask", "finish:2:assemble"]
    assert len(set(ids)) == len(ids)


def test_work_that_was_logged_outside_the_plan_serves_the_step_that_it_matches():
    part = PaperPart("one-pack-enamel")
    part.step(0, "wash")
    part.coat(1, "primer")
    part.coat(3, "primer")
    part.sand(30, "P320")
    statuses = part.stands(31)
    assert statuses["prepare:1:wash"] == "done"
    assert statuses["prepare:3:sand"] == "passed"  # another grit, in another place
    assert statuses["primer:sand:P320"] == "done"
    assert statuses["primer:then:1:wipe"] == "next"


def test_a_coat_of_a_later_layer_moves_the_work_on_and_leaves_the_gap_in_sight():
    part = PaperPart()
    part.coat(0, "epoxy")
    part.coat(1, "build")
    statuses = part.stands(2)
    assert statuses["epoxy:coat:2"] == "passed"
    assert statuses["build:coat:2"] == "next"


STORY = [
    # hours after the second epoxy coat at the reference climate, film 100 of 125 um: state, what the button does
    (0.05, Phase.WET, "touch_test"),
    (1, Phase.OPEN, "touch_test"),
    (47.5, Phase.CLOSING, "touch_test"),
    (70, Phase.KEY, "sand"),
]


@pytest.mark.parametrize(("hours", "state", "does"), STORY)
def test_an_epoxy_primer_goes_through_its_phases(hours, state, does):
    part = PaperPart()
    part.coat(-100, "epoxy")
    part.coat(0, "epoxy")
    action = part.action(hours)
    assert (action.state, action.does) == (state, does)
    assert action.step.id == ("build:coat:1:key" if does == "sand" else "build:coat:1")
    assert action.because


def test_the_count_of_a_wet_film_runs_to_the_likely_flash_and_of_an_open_one_to_the_limit_of_its_label():
    part = PaperPart()
    part.coat(0, "epoxy")
    wet = part.action(0)
    assert after(wet, 0) * 60 == pytest.approx(20, rel=0.01)  # 25 min x 100 / 125
    assert wet.band.early < wet.counts_to < wet.band.late
    open_ = part.action(2)
    closes = part.top(2).bands["recoat_closes"]
    assert open_.counts_to == closes.early == closes.late == at(48)
    assert (open_.counting, open_.alarm) == ("closes in", "closing")
    assert part.action(47.1).state == Phase.CLOSING
    assert part.action(47.1).counts_to == closes.likely


def test_a_finger_teaches_the_times_that_share_its_drying_mode_and_no_others():
    part = PaperPart()
    part.coat(0, "epoxy")
    before = part.top(0.1).bands
    part.touch(0.45, ready=False)
    part.touch(0.5, ready=True)
    taught = part.top(0.6).bands
    assert taught["flash"].likely == at(0.5)
    assert taught["dust_free"].likely > before["dust_free"].likely
    assert taught["sand"] == before["sand"]


def test_a_film_that_was_not_ready_is_asked_again_later_each_time():
    part = PaperPart()
    part.coat(0, "epoxy")
    last = at(0)
    for hours in (0.3, 0.4, 0.6):
        part.touch(hours, ready=False)
        again = part.action(hours).counts_to
        assert again > max(last, at(hours))
        last = again


def test_ready_to_sand_by_the_thumb_is_ready_to_sand():
    part = PaperPart()
    for hours in (0, 0.5, 1):
        part.coat(hours, "build")
    assert part.action(1.2).state == Phase.OPEN
    assert part.action(1.2).does == "touch_test"
    part.touch(3, ready=True, milestone="sand")
    assert (part.action(3.1).does, part.action(3.1).grit) == ("sand", "P320")


def test_a_keyed_film_has_no_closing_and_wants_its_wipe_after_a_night():
    part = PaperPart().prepared()
    part.coat(0, "epoxy")
    part.sand(80)
    part.step(80.2, "wipe")
    assert (part.action(81).state, part.action(81).does, part.action(81).counts_to) == (Phase.KEYED, "coat", None)
    assert part.action(95).does == "wipe"
    part.coat(96, "epoxy")
    assert part.action(96.1).state == Phase.WET


def test_lacquer_melts_into_itself_and_never_closes():
    part = PaperPart("lacquer-build")
    part.coat(0, "base")
    for hours in (1, 20, 70):
        assert part.action(hours).state == Phase.OPEN
        assert part.action(hours).counts_to is None


def test_enamel_is_open_then_locked_then_to_be_keyed():
    part = PaperPart("one-pack-enamel")
    part.coat(-40, "primer")
    part.coat(-30, "primer")
    part.coat(0, "enamel")
    states = [part.action(hours).state for hours in (0.1, 1, 3.9, 6, 60)]
    assert states == [Phase.WET, Phase.OPEN, Phase.CLOSING, Phase.LOCKED, Phase.KEY]
    locked = part.action(6)
    assert "lift" in locked.because
    assert locked.counts_to == max(part.top(6).bands[m].likely for m in ("sand", "lifts_until_handle"))


def test_a_saturated_room_lets_no_water_film_flash_and_says_so_instead_of_counting():
    part = PaperPart("cabinet-waterborne", climate(18, 100))
    part.coat(0, "primer")
    action = part.action(5)
    assert (action.state, action.counts_to) == (Phase.WET, None)
    assert "stands still" in action.because


def test_the_gate_shuts_on_a_coat_whose_night_would_be_too_cold_and_names_the_hour():
    part = PaperPart("single-stage-epoxy", climate(20, 50, night_c=6))
    part.coat(-30, "epoxy")
    part.coat(-20, "epoxy")
    part.sand(4, "P320")
    part.step(4.2, "wipe")
    part.step(4.3, "tack")
    assert part.action(5).state == Phase.KEYED  # one in the afternoon: dew safe by six
    late = part.action(12)  # eight in the evening
    assert late.state == "gate"
    assert late.because == "air under 12 °C before it is dew safe"
    assert at(21.5) <= late.counts_to <= at(22.6)


def test_a_gate_that_stays_shut_is_not_counted_down():
    part = PaperPart("single-stage-epoxy", climate(5, 50)).prepared()
    action = part.action(1)
    assert (action.state, action.counts_to) == ("gate", None)
    assert action.because == "air under 12 °C, as far as the forecast goes"


def test_after_the_last_coat_the_film_cures_and_each_finish_waits_for_its_own_mark():
    part = PaperPart("single-stage-epoxy")
    for hours in (-30, -29):
        part.coat(hours, "epoxy")
    for hours in (0, 1, 2):
        part.coat(hours, "colour")
    unmask = part.action(3)
    assert (unmask.state, unmask.does, unmask.milestone) == ("curing", "touch_test", "unmask")
    part.step(12, "unmask", "finish:1:unmask")
    assert part.action(13).milestone == "assemble"
    part.step(80, "assemble", "finish:2:assemble")
    assert part.action(81).says == "Curing"
    assert part.action(24 * 9.9).state in ("curing", "cured")


def test_a_mark_that_a_product_does_not_have_is_answered_by_its_neighbour():
    lacquer, etch = shipped().products["lacquer-clear"], shipped().products["etch-primer"]
    assert mark_of(lacquer, "unmask") == "unmask"
    assert mark_of(etch, "full_cure") == "handle"
    assert mark_of(etch, "unmask") == "dust_free"


def test_a_day_too_short_for_what_is_left_of_it_waits_for_the_morning():
    assert UTC_DAY.fit(at(-2), timedelta(hours=1)) == at(0)
    assert UTC_DAY.fit(at(9.5), timedelta(minutes=30)) == at(9.5)
    assert UTC_DAY.fit(at(9.6), timedelta(minutes=30)) == at(24)
    assert UTC_DAY.fit(at(1), timedelta(hours=30)) == at(24)
    assert UTC_DAY.fit(at(24), timedelta(hours=30)) == at(24)


def test_a_plan_puts_the_key_in_where_the_night_would_close_the_window():
    quick = shipped().systems["one-pack-enamel"].model_copy(update={"prepare": (), "finish": ()})
    part = PaperPart(quick, day=UTC_DAY)
    part.coat(-40, "primer")
    part.coat(-30, "primer")
    part.sand(-8, "P320")
    part.step(-7.8, "wipe")
    part.step(-7.7, "tack")
    part.coat(9.4, "enamel")  # not flashed before the shop closes at six; the window shuts in the night
    plan = part.rest(9.5)
    assert [p.step.label for p in plan.steps][:3] == ["Sand P400 to key", "Wipe down", "Enamel, coat 2"]
    part.day = ALWAYS
    in_time = part.rest(9.5)
    assert [p.step.label for p in in_time.steps] == ["Enamel, coat 2"]
    assert in_time.steps[0].start == in_time.steps[0].waits.late


def test_a_plan_respects_the_coats_a_day_of_a_lacquer():
    part = PaperPart("lacquer-build")
    plan = part.rest(0)
    days = [p.end.date() for p in plan.steps if p.step.kind == "coat"]
    assert max(days.count(day) for day in days) <= 3


def test_a_plan_that_finds_no_gate_says_for_what_and_why():
    part = PaperPart("single-stage-epoxy", climate(5, 50), day=UTC_DAY)
    plan = part.rest(0)
    assert plan.stuck == "No gate for Two-pack epoxy primer, grey within the forecast: air under 12 °C."
    assert [p.step.kind for p in plan.steps] == ["wash", "degrease", "sand", "degrease", "mask", "tack"]


@given(
    st.sampled_from(sorted(shipped().systems)),
    st.floats(14, 28),
    st.floats(35, 70),
    st.floats(0.05, 12),
    st.integers(0, 23),
)
@settings(max_examples=40, deadline=None)
def test_whatever_the_system_and_the_weather_a_plan_keeps_the_order_the_windows_and_the_working_day(
    system, air, rh, area, hour
):
    part = PaperPart(system, climate(air, rh), zone(area=area), day=UTC_DAY)
    plan = part.rest(hour)
    for one, after_it in pairwise(plan.steps):
        assert one.end <= after_it.start
    coats = [p for p in plan.steps if p.step.kind == "coat"]
    for planned in plan.steps:
        assert planned.start >= at(hour)
        assert time(8) <= planned.start.time() <= time(18)
        if planned.waits:
            assert planned.waits.early <= planned.waits.likely <= planned.waits.late <= planned.start
        held = getattr(planned.step, "hold_minutes", None) or 0  # a heat stage stands at its temperature
        assert planned.end - planned.start == timedelta(minutes=labour_minutes(planned.step.kind, area) + held)
    for one, after_it in pairwise(coats):
        between = [p for p in plan.steps if one.end <= p.start < after_it.start]
        if any(p.step.kind == "sand" for p in between):
            continue
        layer = one.step.layer
        replay = PaperPart(part.system, part.climate)
        replay.coat((one.end - T0).total_seconds() / 3600, layer.id, film=one.step.coat.wet_film_um)
        alone = replay.top(0)
        rule = alone.product.rule_for(part.products[after_it.step.layer.product])
        assert after_it.start >= alone.bands[rule.opens].late
    if not plan.stuck:
        ids = [s.id for s in part.steps]
        assert [p.step.id for p in plan.steps if p.step.id in ids] == ids


def test_a_system_with_one_id_twice_is_refused():
    data = shipped().systems["one-pack-enamel"].model_dump()
    with pytest.raises(ValueError, match="each layer id may stand once only"):
        System.model_validate({**data, "layers": [data["layers"][0]] * 2})
    with pytest.raises(ValueError, match="a sanding step has a grit"):
        System.model_validate({**data, "prepare": [{"kind": "wash", "grit": "P80"}]})

"""The clock, its modes, its phases, and what a finger teaches it."""

import math
from datetime import datetime, timedelta
from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from tests.support import T0, steady, worked

from cool_sheen.core.climate.series import Series, seconds
from cool_sheen.core.drying.clock import Band, Clock, Curve, Film, grid, simulate, stacked
from cool_sheen.core.drying.milestones import DryingData, Milestone, Mode
from cool_sheen.core.drying.phases import Phase, RecoatRule, Span, never_keyed, phases, with_closing
from cool_sheen.core.drying.touch import TouchTest, learn
from cool_sheen.core.errors import Inconsistent

MODES = [Mode.SOLVENT, Mode.WATER, Mode.REACTIVE, Mode.OXIDATIVE, Mode.MOISTURE]


def data(mode: Mode, name: str = "flash", minutes: float = 60, **more: float) -> DryingData:
    """A product with one milestone."""
    return DryingData(20, 50, 100, (Milestone(name, mode, minutes),), **more)


def reached(product: DryingData, climate: Series, film: Film | None = None) -> datetime | None:
    """The likely time of a product's one milestone."""
    bands = simulate(product, climate, film or Film(T0, 100))
    return next(iter(bands.values())).likely


weather = st.lists(st.tuples(st.floats(-5, 40), st.floats(5, 100), st.floats(-5, 40)), min_size=2, max_size=40)


def hourly(points: list[tuple[float, float, float]]) -> Series:
    return Series.of(
        [T0 + timedelta(hours=n) for n in range(len(points))],
        [p[0] for p in points],
        [p[1] for p in points],
        [p[2] for p in points],
    )


@given(weather, st.sampled_from(MODES))
@settings(max_examples=60, deadline=None)
def test_progress_never_runs_backwards_and_bands_are_in_order(points, mode):
    product = data(mode, stall_temp_c=8, min_film_forming_temp_c=6)
    clock = Clock.over(hourly(points), product, T0)
    assert np.all(np.diff(clock.curve(product.milestones[0]).total_s) >= 0)
    band = clock.bands(Film(T0, 80))["flash"]
    given_times = [t for t in (band.early, band.likely, band.late) if t is not None]
    assert given_times == sorted(given_times)
    assert all(t >= T0 for t in given_times)


@given(weather, st.floats(0.1, 12), st.sampled_from([Mode.SOLVENT, Mode.REACTIVE]))
@settings(max_examples=60, deadline=None)
def test_warmer_is_never_later_for_reactive_and_solvent(points, warmer, mode):
    product = data(mode, stall_temp_c=9)
    cool = reached(product, hourly(points))
    warm = reached(product, hourly([(a, rh, s + warmer) for a, rh, s in points]))
    assert cool is None or (warm is not None and warm <= cool)


@given(st.floats(9, 35), st.floats(0, 3))
def test_a_water_film_waits_while_the_air_at_its_cooler_surface_is_saturated(air_temp_c, cooler):
    at = [T0, T0 + timedelta(hours=6), T0 + timedelta(hours=6, minutes=1), T0 + timedelta(hours=30)]
    surface = [air_temp_c - cooler] * 2 + [air_temp_c] * 2
    damp_then_dry = Series.of(at, [air_temp_c] * 4, [100, 100, 40, 40], surface)
    when = reached(data(Mode.WATER, min_film_forming_temp_c=5), damp_then_dry)
    assert when is not None
    assert when >= T0 + timedelta(hours=6)
    assert reached(data(Mode.WATER), steady(air_temp_c, 100, surface=air_temp_c - cooler)) is None


@given(st.sampled_from(MODES), st.floats(1, 5000), st.floats(0.3, 3))
def test_at_the_reference_the_time_is_the_reference_time_and_film_counts_by_its_power(mode, minutes, thicker):
    climate = steady(20, 50)
    for name, power in (("flash", 1.0), ("handle", 1.5 if mode in (Mode.SOLVENT, Mode.WATER) else 0.5)):
        when = reached(data(mode, name, minutes), climate, Film(T0, 100 * thicker))
        assert (when - T0).total_seconds() / 60 == pytest.approx(minutes * thicker**power, rel=2e-3, abs=0.1)


def test_speeds_and_air_touch_only_the_modes_that_they_govern():
    for mode in MODES:
        base = (reached(data(mode), steady(20, 50)) - T0).total_seconds()
        fast = Film(T0, 100, hardener_speed="fast", reducer_speed="slow")
        share = (
            next(iter(simulate(data(mode), steady(20, 50), fast, "booth").values())).likely - T0
        ).total_seconds() / base
        expected = {Mode.SOLVENT: 1.35 / 1.25, Mode.WATER: 1 / 1.25, Mode.REACTIVE: 0.6}.get(mode, 1.0)
        assert share == pytest.approx(expected, rel=1e-3)


@pytest.mark.parametrize(("air", "dries"), [(10.0, True), (9.99, False)])
def test_a_film_that_stands_still_under_a_temperature_goes_on_at_it(air, dries):
    stalls = data(Mode.REACTIVE, stall_temp_c=10), data(Mode.WATER, min_film_forming_temp_c=10)
    assert [reached(product, steady(air, 50)) is not None for product in stalls] == [dries, dries]


def test_a_reaction_stands_still_under_its_stall_temperature_and_heat_mode_waits_for_a_bake():
    assert reached(data(Mode.REACTIVE, stall_temp_c=10), steady(9.9, 50)) is None
    assert reached(data(Mode.REACTIVE, stall_temp_c=10), steady(10, 50)) is not None
    assert reached(data(Mode.HEAT), steady(60, 10)) is None


def test_three_coats_wet_on_wet_dry_like_one_thick_film_and_coats_days_apart_like_thin_ones():
    product = DryingData(20, 50, 100, (Milestone("flash", Mode.SOLVENT, 10), Milestone("sand", Mode.REACTIVE, 300)))
    clock = Clock.over(steady(20, 50), product, T0)
    together = stacked([(clock, Film(T0 + timedelta(seconds=n), 100)) for n in range(3)])
    assert together[2].below_um == pytest.approx(200, rel=0.01)
    apart = stacked([(clock, Film(T0 + timedelta(days=3 * n), 100)) for n in range(3)])
    assert apart[2].below_um == 0
    between = stacked([(clock, Film(T0, 100)), (clock, Film(T0 + timedelta(minutes=150), 100))])
    assert between[1].below_um == pytest.approx(50, rel=0.01)
    assert clock.band("flash", together[2]).likely == clock.band("flash", Film(together[2].start, 100)).likely


marks = st.one_of(st.none(), st.integers(1, 4000).map(lambda m: T0 + timedelta(minutes=m)))


@given(marks, marks, marks, marks, st.booleans())
def test_phases_follow_without_gaps_in_their_order_and_the_last_one_stays(flash, closes, lifts, sand, redissolves):
    rule = RecoatRule("flash", "closes", "lifts", "sand", redissolves)
    found = phases(T0, rule, {"flash": flash, "closes": closes, "lifts": lifts, "sand": sand})
    order = [Phase.WET, Phase.OPEN, Phase.LOCKED, Phase.KEY]
    assert [order.index(s.phase) for s in found] == sorted({order.index(s.phase) for s in found})
    assert found[0].since == T0
    assert found[-1].to is None
    assert all(a.to == b.since and a.to > a.since for a, b in pairwise(found))
    assert not redissolves or {s.phase for s in found} <= {Phase.WET, Phase.OPEN}
    shown = with_closing(found)
    closing = [s for s in shown if s.phase is Phase.CLOSING]
    assert all(s.to - s.since <= timedelta(hours=1) for s in closing)


@pytest.mark.parametrize("never", ["lifts", "sand"])
def test_a_film_stays_locked_when_one_of_two_things_that_it_waits_for_never_comes(never):
    marks = {name: T0 + timedelta(hours=h) for name, h in (("flash", 1), ("closes", 5), ("lifts", 9), ("sand", 7))}
    last = phases(T0, RecoatRule("flash", "closes", "lifts", "sand"), {**marks, never: None})[-1]
    assert last == Span(Phase.LOCKED, marks["closes"], None)


def test_a_rule_that_names_no_milestone_is_refused_at_its_word():
    with pytest.raises(Inconsistent, match="names “closes”, which is no milestone") as refusal:
        phases(T0, RecoatRule("flash", "closes"), {"flash": T0})
    assert refusal.value.field == "recoat.closes"


@pytest.mark.parametrize("case", worked("drying_touch_tests"), ids=lambda c: c["name"])
def test_touch_tests_narrow_the_factor_as_in_the_worked_examples(case):
    asked, told = case["request"], case["response"]
    tests = [TouchTest(**t) for t in asked["tests"]]
    found = learn(tests, asked.get("prior_ln_sd", 0.25), asked.get("noise_ln_sd", 0.10))
    assert found.ln_mean == pytest.approx(told["ln_mean"], abs=0.003)
    assert found.ln_sd == pytest.approx(told["ln_sd"], rel=0.015)
    assert found.factor_p90 == pytest.approx(told["factor_p90"], rel=0.01)


def test_a_stall_that_is_left_days_later_is_left_within_ten_minutes():
    """After three days the clock looks at the climate every ten minutes alone; the curve before is flat."""
    product = data(Mode.REACTIVE, minutes=20, stall_temp_c=10)
    ends = Series.of([T0, T0 + timedelta(hours=100), T0 + timedelta(hours=104)], [8, 8, 12.3], [50, 50, 50])
    at = seconds(T0) + 10.0 * np.arange(36 * 1041)
    fine = Series(at, np.interp(at, ends.at_s, ends.air_temp_c), np.full(len(at), 50.0))
    assert abs((reached(product, ends) - reached(product, fine)).total_seconds()) < 330


@pytest.mark.parametrize(("days", "every_s"), [(10, 600), (4000, 2304)])
def test_the_clock_looks_closely_for_three_days_then_less_so_and_at_150_000_instants_at_most(days, every_s):
    ends = Series.of([T0, T0 + timedelta(days=days)], [8, 8], [50, 50])
    apart = np.diff(grid(ends, seconds(T0) + 30))
    assert apart[:4319] == pytest.approx(60)  # half a minute after the whole ones
    assert apart[4320:-2] == pytest.approx(every_s, abs=0.001)
    assert apart[-2] <= every_s
    assert apart[-1] == 60 * 86_400  # the climate stands still from its last point on


@pytest.mark.parametrize("beyond", [0, 10])
def test_a_clock_that_begins_where_the_climate_ends_has_a_second_to_look_at(beyond):
    ends = Series.of([T0, T0 + timedelta(days=1)], [8, 8], [50, 50])
    start = ends.ends_s + beyond
    assert list(grid(ends, start)) == [start, start + 1]


@pytest.mark.parametrize("stall", [10.0, 11.1])
def test_a_stall_that_is_left_between_two_points_of_the_climate_is_left_to_the_minute(stall):
    """The air rises from 8 to 12.3 °C within four hours; one series has its ends, the other each ten seconds."""
    product = data(Mode.REACTIVE, minutes=20, stall_temp_c=stall)
    ends = Series.of([T0, T0 + timedelta(hours=4)], [8, 12.3], [50, 50])
    at = seconds(T0) + 10.0 * np.arange(1441)
    fine = Series(at, np.interp(at, ends.at_s, ends.air_temp_c), np.full(1441, 50.0))
    coarse, exact = reached(product, ends), reached(product, fine)
    assert exact > T0 + timedelta(hours=4 * (stall - 8) / 4.3)
    assert abs((coarse - exact).total_seconds()) < 35


def test_a_curve_is_read_forwards_and_backwards():
    """Half speed for a minute, full speed for another, then none."""
    curve = Curve(np.array([0.0, 60, 120, 180]), np.array([0.0, 30, 90, 90]))
    starts, needed = np.array([0.0, 0, 0, 0, 30, 60, 150]), np.array([15.0, 30, 60, 90, 15, 60, 0])
    assert curve.reached(starts, needed) == pytest.approx([30, 60, 90, 120, 60, 120, 150])
    assert np.isnan(curve.reached(np.array([0.0, 150, 181]), np.array([90.1, 1, 0]))).all()
    backwards = [
        (60, 15, 30),
        (120, 60, 60),
        (120, 90, 0),
        (90, 0, 90),
        (180, 0, 180),
        (180, 30, 90),
        (60, 30.1, -math.inf),
    ]
    for until, need, begun in backwards:
        assert curve.begun(until, need) == pytest.approx(begun)
    assert curve.progress(30, 90) == pytest.approx(45)


@given(
    st.lists(st.floats(0, 90).map(lambda gain: round(gain, 6)), min_size=2, max_size=8),
    st.floats(-30, 600).map(lambda s: round(s / 15) * 15.0) | st.floats(-30, 600),
    st.floats(0, 400),
)
def test_one_start_on_a_curve_is_read_to_the_bit_as_among_many(gains, start, needed):
    curve = Curve(60.0 * np.arange(len(gains)), np.cumsum(gains))
    among = float(curve.reached(np.array([start]), np.array([needed]))[0])
    once = curve.reached_once(start, needed)
    assert once == (math.inf if math.isnan(among) else among)


def test_many_starts_on_one_curve_agree_with_one_clock_each():
    at = seconds(T0) + 3600.0 * np.arange(14 * 24)
    series = Series(at, 15 + 8 * np.sin(at / 9000), 60 + 20 * np.cos(at / 7000))
    product = data(Mode.REACTIVE, minutes=200, stall_temp_c=10)
    clock = Clock.over(series, product, T0)
    curve = clock.curve(product.milestones[0])
    for hours in (0.0, 5.25, 30.4, 100.0):
        film = Film(T0 + timedelta(hours=hours), 130)
        many = curve.reached(np.array([seconds(film.start)]), np.array([clock.needed_s(product.milestones[0], film)]))
        one: Band = simulate(product, series, film)["flash"]
        assert math.isclose(float(many[0]), seconds(one.likely), abs_tol=400)


def test_a_film_that_is_never_sanded_is_shut_past_its_window_whatever_would_key_another():
    rule = RecoatRule("flash", "closes", "lifts", "sand")
    marks = {name: T0 + timedelta(hours=h) for name, h in (("flash", 1), ("closes", 5), ("lifts", 9), ("sand", 7))}
    spans = phases(T0, rule, marks)
    assert [(s.phase, s.since.hour, s.to and s.to.hour) for s in spans] == [
        (Phase.WET, 8, 9), (Phase.OPEN, 9, 13), (Phase.LOCKED, 13, 17), (Phase.KEY, 17, None),
    ]  # fmt: skip
    assert never_keyed(spans) == [*spans[:2], Span(Phase.SHUT, marks["closes"], None)]
    assert never_keyed(spans[3:]) == [Span(Phase.SHUT, marks["lifts"], None)]


@pytest.mark.parametrize(("closes", "turns"), [(3, 2.5), (5, 4), (9, 8)])
def test_the_last_quarter_of_a_window_is_closing_and_never_more_than_an_hour(closes, turns):
    span = Span(Phase.OPEN, T0 + timedelta(hours=1), T0 + timedelta(hours=closes))
    turn = T0 + timedelta(hours=turns)
    assert with_closing([span]) == [Span(Phase.OPEN, span.since, turn), Span(Phase.CLOSING, turn, span.to)]

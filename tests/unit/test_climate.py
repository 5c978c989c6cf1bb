"""Air, rooms, surfaces, readings and gates."""

import math
from datetime import timedelta

import numpy as np
import psychrolib  # noqa: TID251 - the independent witness
import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.support import T0, series_of, steady, worked

from cool_sheen.core.climate.air import describe_air, dew_point, humidity_ratio, relative_humidity, saturation_pressure
from cool_sheen.core.climate.corrections import Readings, believed, corrected
from cool_sheen.core.climate.gates import Limits, breaches, first_met
from cool_sheen.core.climate.rooms import (
    Room,
    RoomStretch,
    bends,
    room_climate,
    rooms_climate,
    surface_temperature,
)
from cool_sheen.core.climate.series import Series, seconds
from cool_sheen.core.errors import Inconsistent, OutOfRange

LIMITS = Limits(air_c=(12, 35), surface_c=(10, 35), rh_pct=(0, 80), dew_margin_k=3)
temperatures = st.floats(-45, 60)
humidities = st.floats(1, 100)


@given(temperatures, humidities)
def test_the_array_formulas_agree_with_psychrolib(air_temp_c, rh_pct):
    at, rh = np.array([air_temp_c]), np.array([rh_pct])
    assert saturation_pressure(at)[0] == pytest.approx(psychrolib.GetSatVapPres(air_temp_c), rel=1e-6)
    ratio = psychrolib.GetHumRatioFromRelHum(air_temp_c, rh_pct / 100, 101325.0)
    assert humidity_ratio(at, rh)[0] == pytest.approx(ratio, rel=1e-4, abs=2e-7)
    assert dew_point(at, rh)[0] == pytest.approx(psychrolib.GetTDewPointFromRelHum(air_temp_c, rh_pct / 100), abs=0.02)


@given(temperatures, humidities)
def test_the_dew_point_is_never_warmer_than_the_air_and_moisture_comes_back(air_temp_c, rh_pct):
    assert describe_air(air_temp_c, rh_pct).dew_point_c <= air_temp_c + 1e-6
    back = relative_humidity(np.array([air_temp_c]), humidity_ratio(np.array([air_temp_c]), np.array([rh_pct])))
    assert back[0] == pytest.approx(rh_pct, rel=1e-6)


def test_air_without_any_moisture_is_refused():
    with pytest.raises(OutOfRange, match="not above 0 and up to 100"):
        describe_air(20, 0)


@pytest.mark.parametrize("case", worked("climate_space"), ids=lambda c: c["name"])
def test_a_room_follows_the_weather_as_in_the_worked_examples(case):
    asked, told = case["request"], case["response"]
    room = Room(asked["lag_h"], asked.get("heater_min_c"), asked.get("dehumidifier_max_rh_pct"))
    found = room_climate(series_of(asked["outdoor"]), room, asked.get("start_temp_c"))
    assert found.air_temp_c == pytest.approx([p["air_temp_c"] for p in told["series"]], abs=0.05)
    assert found.rh_pct == pytest.approx([p["rh_pct"] for p in told["series"]], abs=0.4)


@pytest.mark.parametrize("case", worked("climate_surface"), ids=lambda c: c["name"])
def test_a_surface_lags_its_air_as_in_the_worked_examples(case):
    asked, told = case["request"], case["response"]
    start = asked.get("start_surface_temp_c")
    found = surface_temperature(series_of(asked["series"]), asked["lag_h"], asked.get("offset_k", 0), start)
    assert found == pytest.approx([p["surface_temp_c"] for p in told["series"]], abs=0.05)


def _model() -> Series:
    at = seconds(T0) + 3600.0 * np.arange(48)
    return Series(at, 18 + 3 * np.sin(np.arange(48) / 4), np.full(48, 50.0))


def test_a_reading_overrules_the_forecast_and_its_difference_fades_with_a_half_life_of_three_hours():
    model = _model()
    at = model.at_s[10]
    base = model.sampled(np.array([at, at + 3 * 3600]))
    reading = Readings(0, np.array([at]), base.air_temp_c[:1] + 4, np.array([50.0]))
    found = corrected(model, reading).sampled(np.array([at - 3600, at, at + 3 * 3600]))
    assert found.air_temp_c[0] == pytest.approx(model.sampled(np.array([at - 3600])).air_temp_c[0])
    assert found.air_temp_c[1] == pytest.approx(base.air_temp_c[0] + 4)
    assert found.air_temp_c[2] == pytest.approx(base.air_temp_c[1] + 2, abs=0.02)


def test_readings_are_bridged_over_three_hours_and_no_further():
    model = _model()
    at = model.at_s[5]
    for gap_h, bridged in ((2, True), (8, False)):
        ends = np.array([at, at + gap_h * 3600])
        readings = Readings(0, ends, model.sampled(ends).air_temp_c + 6, np.array([50.0, 50.0]))
        middle = np.array([at + gap_h * 1800])
        shift = corrected(model, readings).sampled(middle).air_temp_c[0] - model.sampled(middle).air_temp_c[0]
        assert bool(shift > 5.5) is bridged


@pytest.mark.parametrize(("apart_s", "between"), [(3 * 3600, 22.0), (3 * 3600 + 1, 20 + 2 * 0.5**0.5)])
def test_readings_three_hours_apart_are_bridged_and_a_second_more_is_too_far(apart_s, between):
    """Two readings two kelvin over, and what stands halfway: on the bridge, or fading from the first."""
    at_s = seconds(T0) + np.array([0.0, apart_s / 2, apart_s, 86_400.0])
    model = Series(at_s, np.full(4, 20.0), np.full(4, 50.0))
    seen = corrected(model, Readings(0, at_s[[0, 2]], np.array([22.0, 22.0]), np.array([50.0, 50.0])))
    seen = seen.sampled(at_s[:3])
    assert seen.air_temp_c[1] == pytest.approx(between, abs=5e-3)
    assert seen.air_temp_c[[0, 2]] == pytest.approx(22)  # a reading on the first instant counts, too


@pytest.mark.parametrize(("away_s", "kept"), [(60, [0.0]), (61, [0.0, 61.0])])
def test_of_two_readings_of_one_moment_the_better_source_counts_and_nothing_else_is_silenced(away_s, kept):
    better, lesser = (
        Readings(rank, np.array([at]), np.array([20.0]), np.array([50.0])) for rank, at in ((0, 0.0), (1, away_s))
    )
    assert list(believed([lesser, better]).at_s) == kept


def test_a_typed_reading_corrects_a_logger_and_deletes_nothing_of_it():
    """Ten to eleven was warm: a reading at half past nine that agrees with the logger leaves the warm hour alone."""
    at_s = seconds(T0) + 600.0 * np.arange(24)
    warm = np.where((np.arange(24) >= 12) & (np.arange(24) < 18), 28.0, 16.0)
    logger = Readings(2, at_s, warm, np.full(24, 50.0))
    typed = Readings(0, at_s[9:10], warm[9:10], np.array([50.0]))
    assert believed([logger, typed]).air_temp_c.tolist() == warm.tolist()
    other = believed([logger, Readings(0, at_s[9:10], np.array([19.0]), np.array([50.0]))])
    assert other.air_temp_c.tolist() == [*warm[:9], 19.0, *warm[10:]]


def test_before_a_reading_that_stands_alone_the_model_stands():
    """Read at :58: the hour before it is as it was forecast up to the last second."""
    model = _model()
    at = model.at_s[10] + 58 * 60
    seen = corrected(model, Readings(0, np.array([at]), np.array([35.0]), np.array([30.0])))
    before = np.array([model.at_s[10], at - 60, at - 1])
    assert seen.sampled(before).air_temp_c == pytest.approx(model.sampled(before).air_temp_c)
    assert seen.sampled(np.array([at])).air_temp_c[0] == 35


@pytest.mark.parametrize(("off_k", "hours", "left"), [(2.4, 8.9, 0.307), (2.4, 9.1, 0.0), (0.3, 0.1, 0.0)])
def test_a_difference_is_nought_once_it_is_within_the_error_of_the_instrument(off_k, hours, left):
    """2.4 K is 0.3 K after three halvings of three hours."""
    model = Series(seconds(T0) + 3600.0 * np.arange(48), np.full(48, 20.0), np.full(48, 50.0))
    seen = corrected(model, Readings(0, model.at_s[:1], np.array([20 + off_k]), np.array([50.0])))
    after = seen.sampled(model.at_s[:1] + 3600 * hours)
    assert after.air_temp_c[0] == pytest.approx(20 + left, abs=2e-3)


@pytest.mark.parametrize("dried", [False, True])
def test_a_damp_reading_in_a_dried_room_is_pulled_back_by_the_set_point(dried):
    """30 % over 55: within the instrument's 2 % after 3.9 half-lives, of an hour where a dehumidifier pulls."""
    cap = 55.0 if dried else None
    model = Series(seconds(T0) + 3600.0 * np.arange(48), np.full(48, 20.0), np.full(48, 55.0))
    held = [RoomStretch(-np.inf, Room(6.0, None, cap))]
    seen = corrected(model, Readings(0, model.at_s[:1], np.array([20.0]), np.array([85.0])), held)
    after = seen.sampled(model.at_s[0] + 3600 * np.array([0.0, 1.0, 3.8, 4.0, 11.5, 12.0])).rh_pct
    wanted = [85, 70, 55 + 30 * 0.5**3.8, 55, 55, 55] if dried else [85, 78.8, 67.4, 66.8, 57.1, 55]
    assert after == pytest.approx(wanted, abs=0.4)


def test_a_cold_reading_in_a_heated_room_is_pulled_back_by_the_heater():
    model = Series(seconds(T0) + 3600.0 * np.arange(48), np.full(48, 18.0), np.full(48, 50.0))
    held = [RoomStretch(-np.inf, Room(6.0, 18.0))]
    seen = corrected(model, Readings(0, model.at_s[:1], np.array([10.0]), np.array([60.0])), held)
    after = seen.sampled(model.at_s[0] + 3600 * np.array([0.0, 1.0, 2.0, 5.0])).air_temp_c
    assert after == pytest.approx([10, 14, 16, 18], abs=0.1)


def test_a_heater_holds_its_minimum_inside_a_step_and_the_weather_lifts_the_room_from_there():
    """An hour of weather from -10 to 20 over a room of 12 with a lag of half an hour, marched in seconds beside it."""
    outdoor = Series(seconds(T0) + np.array([0.0, 3600.0, 7200.0]), np.array([-10.0, 20.0, 20.0]), np.full(3, 50.0))
    state, apart = 12.0, []
    for second in range(7200):
        weather = float(outdoor.sampled(outdoor.at_s[:1] + second).air_temp_c[0])
        state = max(10.0, state + (weather - state) / 1800)
        if second + 1 in (3600, 7200):
            apart.append(state)
    assert room_climate(outdoor, Room(0.5, 10.0), 12.0).air_temp_c[1:] == pytest.approx(apart, abs=0.01)


def test_a_door_that_is_opened_lets_the_weather_in_from_that_minute_on():
    outdoor = Series(seconds(T0) + 3600.0 * np.arange(6), np.full(6, 5.0), np.full(6, 80.0))
    room, at = Room(6.0, 20.0, 55.0), float(seconds(T0) + 7200 + 58 * 60)
    stretches = [RoomStretch(-np.inf, room), RoomStretch(at, room.vented()), RoomStretch(at + 1800, room)]
    knots = bends([at], 0.25)
    fine = outdoor.sampled(np.unique(np.concatenate([outdoor.at_s, knots])))
    seen = rooms_climate(fine, stretches, 20.0).sampled(at + np.array([-60.0, 900.0, 1799.0, 1800.0]))
    assert seen.air_temp_c[:3] == pytest.approx([20, 5 + 15 * np.exp(-1), 5 + 15 * np.exp(-2)], abs=0.1)
    assert seen.air_temp_c[3] == 20  # shut again, and heated
    assert seen.rh_pct[2] > 60 > 55 >= seen.rh_pct[3]


def test_a_coat_may_not_start_so_late_that_evening_dew_reaches_it_before_it_is_dew_safe():
    at = seconds(T0) + 600.0 * np.arange(100)
    air = np.where(np.arange(100) < 60, 20.0, 12.5)
    climate = Series(at, air, np.where(np.arange(100) < 60, 50.0, 79.9), air - 0.3)
    margin_falls = at[60]
    found = breaches(climate, Limits((5, 35), (5, 35), (0, 80), 3.5))
    assert [b.reason for b in found] == ["dew margin under 3.5 K"]
    assert margin_falls - 600 < found[0].since_s < margin_falls
    assert math.isinf(found[0].to_s)
    start = found[0].since_s - 3600
    assert first_met(found, start, start + 3599, start + 3599) is None
    assert first_met(found, start, start + 3601, start + 60) is found[0]


@given(st.floats(-20, 45), st.floats(5, 99))
def test_a_steady_climate_is_inside_its_limits_or_outside_throughout_and_says_why(air_temp_c, rh_pct):
    at = seconds(T0) + 600.0 * np.arange(30)
    climate = steady(air_temp_c, rh_pct).sampled(at)
    found = breaches(climate, LIMITS)
    margin = air_temp_c - float(climate.dew_point_c[0])
    good = 12 <= air_temp_c <= 35 and rh_pct <= 80 and margin >= 3
    assert bool(found) is not good
    assert all(b.reason and math.isinf(b.since_s) and math.isinf(b.to_s) for b in found)


EDGES = [
    # air, humidity, surface: just inside and just outside each limit of a sheet that has them all
    ("air under 12 °C", (12.0, 50, 20), (11.9, 50, 20)),
    ("air over 30 °C", (30.0, 40, 22), (30.1, 40, 22)),
    ("surface under 14 °C", (20, 40, 14.0), (20, 40, 13.9)),
    ("surface over 26 °C", (20, 40, 26.0), (20, 40, 26.1)),
    ("humidity under 35 %", (20, 35.0, 20), (20, 34.9, 20)),
    ("humidity over 70 %", (20, 70.0, 22), (20, 70.1, 22)),
    ("dew margin under 4 K", (20, 65.0, 17.3), (20, 65.0, 17.1)),  # the dew point is 13.22 C
]


@pytest.mark.parametrize(("words", "inside", "outside"), EDGES)
def test_each_limit_is_kept_on_its_own_side_by_its_own_quantity(words, inside, outside):
    limits = Limits((12, 30), (14, 26), (35, 70), 4)

    def found(air, rh, surface):
        return [b.reason for b in breaches(Series.of([T0], [air], [rh], [surface]), limits)]

    assert found(*inside) == []
    assert found(*outside) == [words]


def test_a_limit_is_crossed_where_the_straight_line_crosses_it():
    climate = Series.of([T0, T0 + timedelta(hours=1), T0 + timedelta(hours=2)], [10, 14, 10], [40, 40, 40])
    found = breaches(climate, Limits((11, 30), (0, 40), (0, 90), 0))
    assert [(b.since_s - seconds(T0), b.to_s - seconds(T0)) for b in found] == [(-math.inf, 900), (6300, math.inf)]


def test_times_that_do_not_ascend_are_refused_at_their_place():
    with pytest.raises(Inconsistent, match="not after the one before") as refusal:
        Series.of([T0, T0 + timedelta(hours=1), T0], [1, 2, 3], [50, 50, 50])
    assert refusal.value.field == "climate.2.at"


@pytest.mark.parametrize(
    ("air", "humidity", "place"),
    [([0, -100.1, 200], [50, 50, 50], "1.air_temp_c"), ([0, 1, 200.1], [50, 50, 50], "2.air_temp_c"),
     ([-100, 1, 200], [0, 100, -0.1], "2.rh_pct"), ([-100, 1, 200], [100.1, 100, 0], "0.rh_pct")],
)  # fmt: skip
def test_a_figure_that_no_air_has_is_refused_at_its_place(air, humidity, place):
    with pytest.raises(OutOfRange, match="is not between") as refusal:
        Series.of([T0 + timedelta(hours=n) for n in range(3)], air, humidity)
    assert refusal.value.field == f"climate.{place}"

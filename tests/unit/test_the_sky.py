"""Wind, rain and sun at the gate; what was seen of them; ways out; and the gate beside brute force."""

import math
from datetime import timedelta

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.support import T0

from cool_sheen.core.climate.gates import Limits
from cool_sheen.core.climate.series import Series, instant, seconds
from cool_sheen.core.climate.sightings import WORDS, read_sky
from cool_sheen.core.climate.sky import Exposure, Sky, as_seen, overruled
from cool_sheen.core.climate.trend import Read, expected
from cool_sheen.core.drying.clock import P90, Film
from cool_sheen.core.drying.milestones import DryingData, Milestone, Mode
from cool_sheen.core.errors import NotReadable
from cool_sheen.core.part.climate import Change, PartClimate, Stand
from cool_sheen.core.part.gate import CoatGate, GoingOn
from cool_sheen.core.plan.openings import ways_to_open

START = seconds(T0)
DATA = DryingData(
    20.0, 50.0, 100.0, (Milestone("dust_free", Mode.SOLVENT, 20), Milestone("dew_safe", Mode.SOLVENT, 90))
)
COAT = GoingOn(DATA, Limits((5, 35), (5, 40), (0, 85)), 100.0, minutes=10)


def yard(hours=48, **sky):
    """A steady yard of 20 C and 50 %, with what of the sky is said by the hour: ``wind={2: 7}``."""
    at = START + 900.0 * np.arange(-96, hours * 4)
    none = np.zeros(len(at))
    columns = {name: none.copy() for name in ("wind", "gust", "rain", "sun")}
    for name, spells in sky.items():
        for (since_h, to_h), figure in spells.items():
            columns[name][(at >= START + 3600 * since_h) & (at < START + 3600 * to_h)] = figure
    air = Series(at, none + 20, none + 50)
    seen = Exposure(at, columns["wind"], columns["gust"], columns["rain"], columns["sun"], none)
    stands = (Stand(-math.inf, None, "gentle", outdoors=True),)
    return PartClimate(air, T0 - timedelta(days=1), "gentle", 0.25, T0, stands, seen)


@pytest.mark.parametrize(
    ("sky", "says"),
    [
        ({"wind": {(-1, 2): 6}}, "wind over 5 m/s"),
        ({"gust": {(-1, 2): 9}}, "gusts over 8 m/s"),
        ({"rain": {(-1, 2): 2}}, "rain"),
        ({"sun": {(-1, 2): 0.5}}, "direct sun"),
        ({"wind": {(1, 2): 6}}, "wind over 5 m/s before it is dew safe"),
        ({"rain": {(1, 2): 2}}, "rain before it is dew safe"),
        ({"sun": {(0.4, 2): 0.5}}, "direct sun before it is dust free"),
    ],
)
def test_the_gate_outdoors_is_shut_by_the_sky_and_says_by_what(sky, says):
    shut = CoatGate(yard(**sky), COAT).shut_at(T0)
    assert shut.reason == says
    assert START + 2 * 3600 - 900 <= shut.to_s <= START + 2 * 3600


def test_sun_after_it_is_dust_free_shuts_nothing_and_rain_before_it_is_dew_safe_does():
    """Dust free after 38 minutes by the late edge, dew safe after 134."""
    assert CoatGate(yard(sun={(1, 9): 0.9}), COAT).shut_at(T0) is None
    assert CoatGate(yard(rain={(1, 9): 3}), COAT).shut_at(T0) is not None
    assert CoatGate(yard(wind={(-1, 48): 4.9}, gust={(-1, 48): 7.9}, sun={(-1, 48): 0.19}), COAT).shut_at(T0) is None


@pytest.mark.parametrize(("name", "figure", "mark"), [("rain", 3, "dew_safe"), ("sun", 0.9, "dust_free")])
def test_the_last_safe_start_is_before_the_sky_reaches_the_open_film(name, figure, mark):
    climate = yard(**{name: {(6, 9): figure}})
    gate = CoatGate(climate, COAT)
    closes = gate.closes(T0)
    film = Film(closes + timedelta(minutes=10), 100.0)
    late = climate.clock(DATA).band(mark, film).late
    begins = next(b.since_s for b in climate.breaches(COAT.limits))
    assert seconds(late) == pytest.approx(begins, abs=3)
    assert gate.shut_at(closes) is None
    assert gate.shut_at(closes + timedelta(seconds=5)) is not None


@pytest.mark.parametrize(
    ("sky", "ways"),
    [
        ({"sun": {(-1, 30): 0.8}}, ["put it in the shade"]),
        ({"wind": {(-1, 30): 9}, "gust": {(-1, 30): 12}}, ["put up a wind-break"]),
        ({"sun": {(-1, 30): 0.8}, "wind": {(-1, 30): 9}}, ["shade and a wind-break"]),
        ({"wind": {(-1, 30): 15}}, []),
        ({"rain": {(-1, 30): 2}}, []),
    ],
)
def test_shade_and_a_wind_break_are_ways_out_that_say_what_they_do(sky, ways):
    climate = yard(**sky)
    found = ways_to_open(climate, COAT, T0)
    assert [way.words for way in found] == ways
    for way in found:
        assert CoatGate(climate.changed(T0, way.change), COAT).shut_at(way.opens) is None
        assert ("wind 9 to 4 m/s" in way.does) is ("wind" in way.words)
        assert ("sun 80 to 0 %" in way.does) is ("shade" in way.words)


def test_open_doors_are_a_way_out_of_a_damp_room_where_the_weather_is_drier():
    at = START + 600.0 * np.arange(-144, 400)
    room = Series(at, np.full(544, 20.0), np.full(544, 92.0))
    outside = Series(at, np.full(544, 18.0), np.full(544, 45.0))
    climate = PartClimate(room, T0 - timedelta(days=1), "gentle", 0.25, T0, outdoor=outside)
    found = {way.words: way for way in ways_to_open(climate, COAT, T0)}
    vented = climate.changed(T0, Change(vent=True)).at(T0 + timedelta(hours=2))
    assert (vented.air_temp_c[0], vented.rh_pct[0]) == pytest.approx((18, 45), abs=0.1)
    assert found["open the doors"].opens < T0 + timedelta(minutes=30)
    assert "humidity" in found["open the doors"].does


def test_ten_thousand_starts_are_safe_or_not_as_brute_force_finds_them():
    """Random yards; each start beside every limit looked at second by second until the film is safe."""
    wrong, looked, shut_ones, at_a_closing = [], 0, 0, 0
    for seed in range(20):
        climate, gate = _random_yard(seed)
        curve = {m.name: climate.clock(DATA).curve(m) for m in DATA.milestones}
        fine = np.arange(START, START + 44 * 3600, 20.0)
        seen, sky = climate.series.sampled(fine), climate.sky.sampled(fine)
        margin = seen.surface_temp_c - seen.dew_point_c
        over = np.stack([5 - seen.air_temp_c, seen.air_temp_c - 35, 5 - seen.surface_temp_c, seen.surface_temp_c - 40,
                         seen.rh_pct - 85, 3 - margin, sky.wind_m_per_s - 5, sky.gust_m_per_s - 8,
                         sky.rain_mm_per_h - 0.1])  # fmt: skip
        bad, sunny = over.max(axis=0), sky.sun - 0.2
        closings = [c for n in range(20) if (c := gate.closes(gate.opens(T0 + timedelta(hours=n)) or T0))]
        edges = [t + off for c in closings for t in (seconds(c),) for off in (-40.0, 40.0)]
        starts = np.concatenate([np.random.default_rng(seed).uniform(START, START + 30 * 3600, 480), edges])
        at_a_closing += len(edges)
        for start in starts.tolist():
            ends = {
                m.name: float(curve[m.name].reached(np.array(start + 600), np.array(_needs(m))))
                for m in DATA.milestones
            }
            if not ends["dew_safe"] < fine[-1]:
                continue
            open_, dusty = (fine >= start) & (fine <= ends["dew_safe"]), (fine >= start) & (fine <= ends["dust_free"])
            worst = max(bad[open_].max(), sunny[dusty].max())
            shut = gate.shut_at(instant(start)) is not None
            looked += 1
            shut_ones += shut
            # Between two looks a limit may be touched by less than a line rises in twenty seconds.
            if abs(worst) > 0.02 and shut != (worst > 0):
                wrong.append((seed, start, worst))
    assert looked > 9_000
    assert min(shut_ones, looked - shut_ones) > 1_000
    assert at_a_closing > 100
    assert wrong == []


def _needs(mark):
    return mark.ref_minutes * 60 * math.exp(0.25 * P90)


def _random_yard(seed):
    any_ = np.random.default_rng(seed)
    hours = np.arange(-24, 72)
    at = START + 3600.0 * hours
    day = np.sin((hours + any_.uniform(0, 24)) / 24 * 2 * np.pi)
    air = Series(at, any_.uniform(12, 20) + 6 * day, np.clip(any_.uniform(50, 70) - 18 * day, 20, 98))
    none = np.zeros(len(at))
    wind = np.clip(3 + 2 * day + any_.normal(0, 1, len(at)), 0, None)
    rain = np.clip(any_.normal(-2.2, 1.5, len(at)), 0, None)
    sky = Exposure(at, wind, 1.4 * wind, rain, np.clip(0.8 * day, 0, 1), none)
    stands = (Stand(-math.inf, None, "gentle", outdoors=True),)
    fine = air.sampled(np.arange(at[0], at[-1], 600.0))
    climate = PartClimate(fine, T0 - timedelta(hours=20), "gentle", 0.0, T0, stands, sky)
    return climate, CoatGate(climate, COAT)


# --- what was seen, and what forecasts say ----------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("text", "figures"),
    [
        ("windy", {"wind_m_per_s": 8.0}),
        ("It rains and 18 km/h", {"rain_mm_per_h": 1.0, "wind_m_per_s": 5.0}),
        ("wind 6 m/s, half covered; dry", {"wind_m_per_s": 6.0, "cloud_pct": 50.0, "rain_mm_per_h": 0.0}),
        ("10 mph", {"wind_m_per_s": 4.4704}),
        ("", {}),
    ],
)
def test_what_is_seen_of_the_sky_is_typed_in_words_or_figures(text, figures):
    assert read_sky(text) == pytest.approx(figures)


@given(st.text(max_size=30))
def test_whatever_is_typed_of_the_sky_is_read_or_refused(text):
    try:
        figures = read_sky(text)
    except NotReadable:
        return
    assert set(figures) <= {name for name, _ in WORDS.values()}
    assert all(figure >= 0 for figure in figures.values())


@pytest.mark.parametrize("text", ["windy, calm", "dry and it rains", "frogs", "6 furlongs", "1e9 m/s"])
def test_a_sight_that_is_not_known_or_contradicts_itself_is_refused(text):
    with pytest.raises(NotReadable, match=r"contradicts|is no sight"):
        read_sky(text)


def _sky(at, wind=math.nan, rain=math.nan):
    none = np.zeros(len(at))
    return Sky(np.asarray(at, float), none + wind, none + wind, none + rain, none + math.nan)


def test_a_sighting_holds_until_the_next_one_and_for_three_hours_at_most():
    forecast = Sky(3600.0 * np.arange(24), np.full(24, 2.0), np.full(24, 3.0), np.zeros(24), np.zeros(24))
    seen = Sky(3600.0 * np.array([4.5, 5.5]), np.array([9.0, np.nan]), np.array([9.0, np.nan]), np.array([np.nan, 1.0]),
               np.full(2, np.nan))  # fmt: skip
    sky = as_seen(forecast, seen)
    found = sky.sampled(3600.0 * np.array([4.4, 4.5, 5.4, 5.6, 8.4, 8.6]))
    assert found.wind_m_per_s == pytest.approx([2, 9, 9, 2, 2, 2], abs=0.01)
    assert found.rain_mm_per_h == pytest.approx([0, 0, 0, 1, 1, 0], abs=0.01)


def test_a_forecast_overrules_what_it_knows_where_it_speaks_and_nothing_else():
    base = Sky(3600.0 * np.arange(24), np.full(24, 2.0), np.full(24, 3.0), np.full(24, 0.5), np.full(24, 0.4))
    better = _sky(3600.0 * np.array([6.0, 7.0, 8.0, 14.0]), wind=6.0)
    found = overruled(base, better).sampled(3600.0 * np.array([5.0, 6.5, 8.0, 11.0, 14.0, 15.0]))
    assert found.wind_m_per_s == pytest.approx([2, 6, 6, 2, 6, 2])
    assert (found.rain_mm_per_h.tolist(), found.cloud.tolist()) == ([0.5] * 6, [0.4] * 6)


# --- on the way to a limit --------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("readings", "says"),
    [
        ([(0, 9, 60), (30, 12, 60)], [(60, "air 15 °C")]),
        ([(0, 12, 60), (30, 9, 60)], []),  # it leads elsewhere
        ([(0, 12, 60), (30, 12.3, 60)], []),  # within the error of the instrument
        ([(0, 12, 60), (30, 12.31, 60)], [(30 + 30 * 2.69 / 0.31, "air 15 °C")]),
        ([(0, 9, 60), (181, 12, 60)], []),  # too far apart
        ([(0, 20, 95), (20, 20, 91)], [(50, "humidity 85 %")]),
        ([(0, 16, 60), (30, 17, 60)], []),  # inside
        ([(30, 12, 60)], []),
        ([(0, 9, 95), (30, 12, 90)], [(60, "air 15 °C"), (60, "humidity 85 %")]),
    ],
)
def test_two_readings_on_the_way_to_a_limit_say_when_it_would_be_reached(readings, says):
    limits = Limits((15, 30), (15, 30), (0, 85))
    found = expected([Read(60.0 * m, air, rh) for m, air, rh in readings], limits)
    assert [(e.at_s / 60, e.words) for e in found] == [(pytest.approx(m), words) for m, words in says]


def test_a_surface_that_was_measured_twice_has_its_own_estimate_and_its_dew_margin_another():
    limits = Limits((5, 30), (10, 30), (0, 90), 3.0)
    found = expected([Read(0, 20, 70, 7.0), Read(1800, 20, 70, 9.0)], limits)
    assert [e.words for e in found] == ["surface 10 °C", "dew margin 3 K"]
    assert found[0].at_s == pytest.approx(2700)
    assert found[1].at_s > 2 * 3600

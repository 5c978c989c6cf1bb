"""Both sides of each threshold of room and weather, with the figure written here."""

import math
from datetime import UTC, datetime, timedelta

import numpy as np
import pytest
from tests.support import T0

from cool_sheen.core.climate.corrections import Readings, corrected
from cool_sheen.core.climate.series import Series, instant, seconds
from cool_sheen.core.climate.sky import Sky, exposed
from cool_sheen.core.climate.sun import sun_sine
from cool_sheen.core.drying.heat import Bake, baked
from cool_sheen.core.part.climate import Change, PartClimate
from cool_sheen.core.part.gate import CoatGate, GoingOn
from cool_sheen.core.plan.openings import ways_to_open
from cool_sheen.formats.catalogue import shipped

PRODUCTS = shipped().products


def steady_room(air_c, rh_pct, surface_c=None, lag_h=0.0):
    at_s = seconds(T0) + 3600.0 * np.arange(-48, 24 * 14)
    flat = np.full(len(at_s), float(air_c))
    series = Series(at_s, flat, np.full(len(at_s), float(rh_pct)))
    surface = np.full(len(at_s), float(air_c if surface_c is None else surface_c))
    return PartClimate(series.with_surface(surface), T0, "gentle", lag_h, T0 - timedelta(days=1))


@pytest.mark.parametrize(("hours", "offered"), [(3.9, True), (4.1, False)])
def test_a_change_is_offered_when_it_opens_the_gate_within_four_hours(hours, offered):
    """A surface of 2 °C in air that is heated to 32 °C, the most that the sheet allows, follows it with its lag, and must reach the sheet's 8 °C."""
    product = PRODUCTS["enamel-one-pack"]
    assert (product.limits.air_min_c, product.limits.air_max_c) == (8, 32)
    lag = hours / math.log((32 - 2) / (32 - 8))
    ways = ways_to_open(steady_room(2, 40, lag_h=lag), GoingOn.of_sheet(product), T0)
    assert any(way.change.heat_to_c for way in ways) is offered


@pytest.mark.parametrize(("coldest", "warmest", "words"), [
    (15, 17, "heat to 15 °C and dehumidify to 50 %"), (18, 22, "heat to 20 °C and dehumidify to 50 %"), (18, 20, "heat to 20 °C and dehumidify to 50 %"),
    (18, 19, None),
])  # fmt: skip
def test_where_neither_heat_nor_dry_air_is_enough_the_mildest_pair_is_offered(coldest, warmest, words):
    """Damp air of 14 °C for a coat that wants half its humidity: heat alone would go past its warmest."""
    product = PRODUCTS["cabinet-waterborne"]
    limits = product.limits.model_copy(update={"rh_max_pct": 50, "air_min_c": coldest, "air_max_c": warmest})
    coat = GoingOn.of_sheet(product.model_copy(update={"limits": limits}))
    said = [way.words for way in ways_to_open(steady_room(14, 95), coat, T0)]
    assert said == ([words] if words else [])


@pytest.mark.parametrize(("coldest", "words"), [(15, ["heat to 15 °C"]), (16, [])])
def test_the_warmest_whole_degree_of_a_coat_is_offered_alone(coldest, words):
    """Air of 14.5 °C for a coat that goes up to 15.5 °C."""
    product = PRODUCTS["enamel-one-pack"]
    limits = product.limits.model_copy(update={"air_min_c": coldest, "air_max_c": 15.5})
    coat = GoingOn.of_sheet(product.model_copy(update={"limits": limits}))
    assert [way.words for way in ways_to_open(steady_room(14.5, 50), coat, T0)] == words


@pytest.mark.parametrize(("before_the_end_s", "knots"), [(3600, 2), (0, 0)])
def test_a_bake_begins_before_the_weather_ends_or_is_none_of_it(before_the_end_s, knots):
    series = steady_room(20, 50).series
    begin = instant(series.at_s[-1] - before_the_end_s)
    seen = baked(series, [Bake(begin, begin + timedelta(minutes=20), 60)], 0.5)
    hot = [t for t in seen.surface_temp_c if t == 60]
    assert (len(hot), len(seen.at_s) > len(series.at_s)) == (knots, knots > 0)


@pytest.mark.parametrize(
    ("air", "rh", "surface", "open_"),
    [
        (8.1, 50, None, True), (7.9, 50, None, False), (31.9, 50, None, True), (32.1, 50, None, False),
        (20, 84.0, 24, True), (20, 86.0, 24, False), (20, 50, 12.4, True), (20, 50, 12.1, False),
        (20, 50, 31.9, True), (20, 50, 32.1, False),
    ],
)  # fmt: skip
def test_the_gate_of_a_primer_goes_by_air_surface_humidity_and_dew(air, rh, surface, open_):
    """8 to 32 °C for air and surface, 85 % at most, 3 K above the dew point (9.27 °C at 20 °C and 50 %)."""
    gate = CoatGate(steady_room(air, rh, surface), GoingOn.of_sheet(PRODUCTS["primer-one-pack"]))
    assert (gate.shut_at(T0) is None) is open_


@pytest.mark.parametrize(("lag", "surface"), [(0.0, 20.0), (1.0, 2 + 18 * (1 - math.exp(-0.5)))])
def test_a_heater_warms_a_surface_at_once_where_it_has_no_lag_and_by_its_lag_elsewhere(lag, surface):
    warm = steady_room(2, 40, lag_h=lag).changed(T0, Change(heat_to_c=20))
    seen = warm.series.sampled(np.array([seconds(T0) + 1800]))
    assert seen.surface_temp_c[0] == pytest.approx(surface, abs=0.2)
    assert seen.air_temp_c[0] == pytest.approx(20)


def test_a_correction_leaves_no_air_hotter_than_a_series_can_be():
    """A drying oven at 190 °C, and a reading twenty over what was expected two hours before."""
    model = Series(seconds(T0) + np.array([0.0, 7200.0]), np.array([120.0, 190.0]), np.array([1.0, 1.0]))
    seen = corrected(model, Readings(0, seconds(T0) + np.array([0.0]), np.array([140.0]), np.array([1.0])))
    assert seen.air_temp_c[[0, -1]] == pytest.approx([140, 200], abs=0.01)


def _sky(at_s, cloud=0.0, wind=0.0, rain=0.0):
    none = np.zeros(len(at_s))
    return Sky(at_s, none + wind, none + 1.4 * wind, none + rain, none + cloud)


def test_the_height_of_the_sun_does_not_hang_on_how_far_one_looks():
    at_s = seconds(T0) + 600.0 * np.arange(40)
    whole = sun_sine(at_s, 52, 13)
    for few in (5, 14, 27):
        assert sun_sine(at_s[:few], 52, 13) == pytest.approx(whole[:few], abs=1e-9)


@pytest.mark.parametrize(("cloud", "coldest", "warmest"), [(0, -3, 8), (0.5, -1.5, 4), (1, 0, 0)])
def test_a_clear_sky_takes_three_kelvin_by_night_and_gives_eight_under_a_high_sun(cloud, coldest, warmest):
    """On the equator at the equinox, where the sun goes through the zenith and as far below."""
    day = seconds(datetime(2026, 3, 20, tzinfo=UTC)) + 600.0 * np.arange(144)
    seen = exposed(_sky(day, cloud), sun_sine(day, 0, 0))
    assert (min(seen.offset_k), max(seen.offset_k)) == (pytest.approx(coldest), pytest.approx(warmest, abs=0.01))
    assert np.sum(seen.offset_k == min(seen.offset_k)) == (144 if cloud == 1 else pytest.approx(63, abs=4))
    in_the_shade = seen.behind(shade=True, wind_break=True)
    assert max(in_the_shade.offset_k) == 0
    assert min(in_the_shade.offset_k) == pytest.approx(coldest)


def test_between_two_readings_the_water_in_the_air_goes_from_one_to_the_other():
    model = steady_room(20, 50).series
    at_s = seconds(T0) + np.array([0.0, 7200.0])
    readings = Readings(0, at_s, np.array([20.0, 20.0]), np.array([60.0, 70.0]))
    seen = corrected(model, readings).sampled(at_s[0] + np.array([0.0, 1800.0, 3600.0, 7200.0]))
    assert seen.rh_pct == pytest.approx([60, 62.5, 65, 70], abs=0.1)

"""Quantities as people type them, and the stand-ins for the outside."""

from datetime import timedelta

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.support import T0

from cool_sheen.core.climate.rooms import Room, room_climate
from cool_sheen.core.climate.series import instant, seconds
from cool_sheen.core.errors import NotReadable
from cool_sheen.core.units import DIMENSIONS, amount, read_quantity, shown
from cool_sheen.devices.weather import SimulatedForecast, SimulatedThermoHygrometer

TYPED = [
    ("1,4", "area", "metric", 1.4),
    ("15 ft2", "area", "metric", 1.39355),
    ("15 sq ft", "area", "metric", 1.39355),
    ("15", "area", "us", 1.39355),
    ("1.4 m²", "area", "us", 1.4),
    ("68", "temperature", "us", 20),
    ("68 F", "temperature", "metric", 20),
    ("-4 °C", "temperature", "us", -4),
    ("5 mil", "film", "metric", 127),
    ("125 µm", "film", "us", 125),
    ("2 qt", "volume", "metric", 1892.7),
    (".5 l", "volume", "metric", 500),
]


@pytest.mark.parametrize(("text", "dimension", "system", "inside"), TYPED)
def test_any_field_takes_either_system(text, dimension, system, inside):
    assert read_quantity(text, dimension, system) == pytest.approx(inside, rel=1e-3)


@given(st.sampled_from(sorted(DIMENSIONS)), st.sampled_from(["metric", "us"]), st.floats(0.01, 9000))
def test_what_is_shown_can_be_typed_in_again(dimension, system, value):
    number, sign = shown(value, dimension, system)
    assert read_quantity(f"{number:.8f} {sign}", dimension, "metric") == pytest.approx(value, rel=1e-4)


@pytest.mark.parametrize("text", ["", "big", "nan", "inf", "1e9", "--3", "3 parsecs", "2 C", "1 2", "0x10"])
def test_what_is_no_area_is_refused_with_an_example(text):
    with pytest.raises(NotReadable, match=r"is no (area|unit of area|number)"):
        read_quantity(text, "area")


def test_figures_carry_their_unit():
    assert amount(1.4, "area") == "1.40 m²"
    assert amount(127, "film", "us") == "5.0 mil"
    assert amount(20, "temperature", "us", 0) == "68 °F"


@given(st.integers(0, 9999), st.floats(0, 300), st.floats(1, 300))
def test_the_same_seed_gives_the_same_weather_at_an_instant_from_wherever_it_is_asked(seed, early, span):
    forecast = SimulatedForecast(seed)
    noon = T0 + timedelta(days=400)
    one = forecast.hourly(noon - timedelta(hours=early), noon + timedelta(hours=span))
    other = forecast.hourly(noon - timedelta(hours=1), noon + timedelta(hours=2))
    at = np.array([seconds(noon)])
    assert one.sampled(at).air_temp_c[0] == pytest.approx(other.sampled(at).air_temp_c[0])
    assert one.sampled(at).rh_pct[0] == pytest.approx(other.sampled(at).rh_pct[0])


def test_a_year_of_weather_has_summers_winters_and_days_and_stays_believable():
    year = SimulatedForecast(11).hourly(T0, T0 + timedelta(days=365))
    month = [instant(t).month for t in year.at_s.tolist()]
    hour = np.array([instant(t).hour for t in year.at_s.tolist()])
    air = year.air_temp_c
    july, january = (air[np.array([m == wanted for m in month])].mean() for wanted in (7, 1))
    assert july - january > 10
    assert air[hour == 14].mean() - air[hour == 3].mean() > 4
    assert -30 < air.min() < air.max() < 42
    assert 25 <= year.rh_pct.min() < year.rh_pct.max() <= 99
    assert np.all(year.dew_point_c <= air + 1e-6)


def test_the_instrument_hangs_near_the_truth_and_never_reads_the_future():
    room = room_climate(SimulatedForecast(3).hourly(T0 - timedelta(days=3), T0 + timedelta(days=2)), Room(12, 18))
    read = SimulatedThermoHygrometer(5).readings(room, T0 - timedelta(days=1), T0)
    assert len(read.at_s) == 144
    assert read.at_s[-1] < seconds(T0)
    true = room.sampled(read.at_s)
    assert np.abs(read.air_temp_c - true.air_temp_c).max() < 1.2
    assert np.abs(read.rh_pct - true.rh_pct).max() < 6

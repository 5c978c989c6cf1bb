"""The gate and what opens it: weather that turns in the night, dew, and changes that are worked out again."""

import math
from datetime import timedelta
from uuid import uuid4

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from tests.support import T0

from cool_sheen.core.climate.rooms import SURFACE_LAG_H, surface_temperature
from cool_sheen.core.climate.series import Series, seconds
from cool_sheen.core.drying.clock import Film
from cool_sheen.core.planning.openings import PATIENCE, last_starts, open_slots, ways_to_open
from cool_sheen.core.planning.paint import paint_of
from cool_sheen.core.planning.part_climate import Change, PartClimate
from cool_sheen.core.planning.steps import steps_of
from cool_sheen.core.survey.zones import ZoneFacts
from cool_sheen.formats.catalogue import shipped

PRODUCTS = shipped().products


def daily(mean_c, swing_c, dew_c, mass="sheet_metal", days=6):
    """Days that are warmest at three in the afternoon, with one dew point throughout; T0 is ten o'clock there."""
    from cool_sheen.core.climate.air import humidity_ratio, relative_humidity

    at = seconds(T0) + 3600.0 * np.arange(-48, 24 * days)
    air = mean_c + swing_c * np.cos((at - seconds(T0) - 5 * 3600) / 86_400 * 2 * np.pi)
    wet = humidity_ratio(np.minimum(air, dew_c), np.full_like(air, 100.0))
    plain = Series(at, air, np.clip(relative_humidity(air, wet), 1, 100))
    surface = surface_temperature(plain, SURFACE_LAG_H[mass])
    return PartClimate(plain.with_surface(surface), T0 - timedelta(days=1), "gentle", SURFACE_LAG_H[mass])


@given(st.floats(2, 16), st.floats(0, 6), st.floats(-4, 14), st.sampled_from(["sheet_metal", "timber", "casting"]),
       st.sampled_from(["clear-two-pack", "epoxy-primer-grey", "enamel-one-pack", "cabinet-waterborne"]))  # fmt: skip
@settings(max_examples=25)
def test_each_proposed_change_is_worked_out_again_and_does_open_the_gate(mean, swing, dew, mass, key):
    climate, product = daily(mean, swing, min(dew, mean - 1), mass), PRODUCTS[key]
    ways = ways_to_open(climate, product, T0)
    if climate.gate_at(product, T0, T0) is None:
        assert ways == []
    for way in ways:
        changed = climate.changed(T0, way.change)
        assert T0 <= way.opens <= T0 + PATIENCE
        shut = changed.shut(product, T0, way.change.hardener_speed)
        assert not any(s.since_s <= seconds(way.opens) < s.to_s for s in shut)
        if way.change.heat_to_c is not None and way.change.dry_to_pct is None:
            less = climate.changed(T0, Change(heat_to_c=way.change.heat_to_c - 1))
            slots = open_slots(less.shut(product, T0), T0, T0 + timedelta(days=2))
            too_little = not slots or slots[0].since > T0 + PATIENCE
            assert too_little or way.change.heat_to_c - 1 <= climate.air_at(T0)


def test_heating_adds_no_water_and_the_surface_follows_with_its_lag():
    climate = daily(6, 0, 4, "casting")
    warm = climate.changed(T0, Change(heat_to_c=20))
    soon = T0 + timedelta(minutes=30)
    at = np.array([seconds(soon)])
    before, after = climate.series.sampled(at), warm.series.sampled(at)
    assert after.humidity_ratio[0] == pytest.approx(before.humidity_ratio[0], rel=0.01)
    assert after.rh_pct[0] < before.rh_pct[0] - 20
    assert 6 < after.surface_temp_c[0] < 10
    assert warm.series.sampled(at - 7200).air_temp_c[0] == pytest.approx(6)


def test_a_late_start_before_the_dew_is_shut_and_the_last_safe_start_leaves_the_film_its_time():
    climate, product = daily(14, 6, 11), PRODUCTS["enamel-one-pack"]
    shut = climate.shut(product, T0)
    slots = open_slots(shut, T0, T0 + timedelta(days=1))
    last = slots[0].to
    mark = "dew_safe"
    band = climate.clock(product).band(mark, Film(last - timedelta(minutes=20), product.ref_wet_film_um, "gentle"))
    inside = climate.series.sampled(np.array([seconds(band.likely)]))
    assert inside.surface_temp_c[0] - inside.dew_point_c[0] >= product.limits.dew_margin_k - 0.2
    late = (
        climate.clock(product).band(mark, Film(last + timedelta(minutes=40), product.ref_wet_film_um, "gentle")).likely
    )
    span = np.arange(seconds(last), seconds(late), 600.0)
    seen = climate.series.sampled(span)
    limits = product.limits
    out = (seen.surface_temp_c - seen.dew_point_c < limits.dew_margin_k) | (seen.rh_pct > limits.rh_max_pct)
    assert out.any() or (seen.air_temp_c < limits.air_min_c).any()


def test_over_a_night_under_the_stall_temperature_the_film_stands_still_and_goes_on_in_the_morning():
    product = PRODUCTS["epoxy-primer-grey"]  # stalls under 10 °C
    climate = daily(11, 6, 2)
    clock = climate.clock(product)
    dew_safe = clock.data.named("dew_safe")
    evening, dawn = T0 + timedelta(hours=12), T0 + timedelta(hours=18)
    assert clock.curve(dew_safe).progress(seconds(evening), seconds(dawn)) == 0
    assert clock.curve(dew_safe).progress(seconds(dawn), seconds(dawn + timedelta(hours=10))) > 0
    assert clock.band("dew_safe", Film(evening - timedelta(hours=2), 125)).likely > dawn


def test_under_a_humid_night_a_waterborne_film_waits():
    product = PRODUCTS["cabinet-waterborne"]
    dry, damp = daily(18, 3, 5), daily(18, 3, 16.5)
    start = T0 + timedelta(hours=9)
    dries = [c.clock(product).band("sand", Film(start, product.ref_wet_film_um)).likely for c in (dry, damp)]
    assert dries[1] - start > 2 * (dries[0] - start)


def test_the_last_start_of_all_of_todays_coats_is_no_later_than_of_one_and_ten_minutes_more_are_too_many():
    system = shipped().systems["two-stage-epoxy"]
    zone = ZoneFacts(uuid4(), "whole", 1.4, old_finish="none")
    coats = [
        c for s in steps_of(system, [zone]) if (c := paint_of(s, [zone], PRODUCTS)) and c.product == "clear-two-pack"
    ]
    climate, product = daily(20, 1, 5), PRODUCTS["clear-two-pack"]
    closes = T0 + timedelta(hours=8)
    found = last_starts(climate, product, coats, T0, closes)
    assert found.coats == 2
    assert T0 < found.all_coats < found.one < closes
    flash = climate.clock(product).band("flash", Film(found.all_coats, 65)).late - found.all_coats
    assert found.all_coats + 2 * timedelta(minutes=15) + flash <= closes
    assert found.all_coats + timedelta(minutes=10) + 2 * timedelta(minutes=15) + flash > closes - timedelta(minutes=2)
    assert last_starts(climate, product, coats, closes - timedelta(minutes=5), closes).one is None
    slow = last_starts(climate, product, coats, T0, closes, lambda *_: (math.log(3), 0.1))
    assert slow.one == found.one
    assert slow.all_coats < found.all_coats

"""The gate and what opens it: weather that turns in the night, dew, and changes that are worked out again."""

import math
from dataclasses import replace
from datetime import timedelta

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from tests.support import T0
from tests.unit.paper import UTC_DAY, PaperPart, at, zone

from cool_sheen.core.climate.gates import Shut
from cool_sheen.core.climate.rooms import SURFACE_LAG_H, surface_temperature
from cool_sheen.core.climate.series import Series, seconds
from cool_sheen.core.drying.blend import Blend
from cool_sheen.core.drying.clock import Film
from cool_sheen.core.part.climate import Change, PartClimate
from cool_sheen.core.part.gate import CoatGate, GoingOn
from cool_sheen.core.part.placing import gates_of, lay_all, place_all
from cool_sheen.core.plan.last_start import last_starts
from cool_sheen.core.plan.openings import PATIENCE, open_slots, ways_to_open
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
    climate, coat = daily(mean, swing, min(dew, mean - 1), mass), GoingOn.of_sheet(PRODUCTS[key])
    ways = ways_to_open(climate, coat, T0)
    if CoatGate(climate, coat).shut_at(T0) is None:
        assert ways == []
    for way in ways:
        changed = climate.changed(T0, way.change)
        assert T0 <= way.opens <= T0 + PATIENCE
        as_changed = coat.mixed(Blend(way.change.hardener_speed or "standard"))
        assert CoatGate(changed, as_changed).shut_at(way.opens) is None
        if way.change.heat_to_c is not None and way.change.dry_to_pct is None:
            less = climate.changed(T0, Change(heat_to_c=way.change.heat_to_c - 1))
            slots = open_slots(CoatGate(less, coat).spans(T0), T0, T0 + timedelta(days=2))
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


@pytest.mark.parametrize("hardener", ["fast", "standard", "slow"])
@pytest.mark.parametrize("minutes", [0, 25])
def test_the_closing_of_a_gate_is_the_last_instant_that_is_safe(hardener, minutes):
    climate, product = daily(17, 6, 9), PRODUCTS["single-stage-two-pack"]
    coat = replace(GoingOn.of_sheet(product, Blend(hardener)), minutes=minutes)
    gate = CoatGate(climate, coat)
    opens = gate.opens(T0)
    closes = gate.closes(opens)
    limits = product.limits

    def is_safe(start):
        """Minute by minute from the start to dew safe by the late edge: an account of its own."""
        ended = start + timedelta(minutes=minutes)
        safe = climate.clock(product.drying).band("dew_safe", Film(ended, product.ref_wet_film_um, hardener)).late
        if safe is None:
            return False
        seen = climate.series.sampled(np.arange(seconds(start), seconds(safe), 30.0))
        margin = seen.surface_temp_c - seen.dew_point_c
        inside = (seen.air_temp_c >= limits.air_min_c) & (seen.air_temp_c <= limits.air_max_c)
        inside &= (seen.surface_temp_c >= limits.air_min_c) & (seen.surface_temp_c <= limits.air_max_c)
        return bool(np.all(inside & (seen.rh_pct <= limits.rh_max_pct) & (margin >= limits.dew_margin_k)))

    for start in (opens, opens + (closes - opens) / 2, closes - timedelta(seconds=60)):
        assert is_safe(start)
        assert gate.shut_at(start) is None
    after = closes + timedelta(seconds=60)
    assert not is_safe(after)
    assert gate.shut_at(after) is not None


def test_over_a_night_under_the_stall_temperature_the_film_stands_still_and_goes_on_in_the_morning():
    product = PRODUCTS["epoxy-primer-grey"]  # stalls under 10 °C
    climate = daily(11, 6, 2)
    clock = climate.clock(product.drying)
    dew_safe = clock.data.named("dew_safe")
    evening, dawn = T0 + timedelta(hours=12), T0 + timedelta(hours=18)
    assert clock.curve(dew_safe).progress(seconds(evening), seconds(dawn)) == 0
    assert clock.curve(dew_safe).progress(seconds(dawn), seconds(dawn + timedelta(hours=10))) > 0
    assert clock.band("dew_safe", Film(evening - timedelta(hours=2), 125)).likely > dawn


def test_under_a_humid_night_a_waterborne_film_waits():
    product = PRODUCTS["cabinet-waterborne"]
    dry, damp = daily(18, 3, 5), daily(18, 3, 16.5)
    start = T0 + timedelta(hours=9)
    dries = [c.clock(product.drying).band("sand", Film(start, product.ref_wet_film_um)).likely for c in (dry, damp)]
    assert dries[1] - start > 2 * (dries[0] - start)


def test_the_last_start_of_all_of_todays_coats_is_no_later_than_of_one_and_two_minutes_more_are_too_many():
    part = PaperPart("two-stage-epoxy", daily(20, 1, 5), zone(area=1.4), day=UTC_DAY).prepared(-20)
    part.skip(-19, *(s.id for s in part.steps if s.slot not in ("clear", "") or s.id.startswith("finish")))
    found = last_starts(part.look(0))
    closes = at(10)
    assert found.coats == 2
    assert T0 < found.all_coats < found.one < closes
    assert found.one == closes - timedelta(minutes=15)  # 8 min and 5 a square metre
    flash = part.climate.clock(PRODUCTS["clear-two-pack"].drying).band("flash", Film(found.all_coats, 65)).late
    two = 2 * timedelta(minutes=15) + (flash - found.all_coats)
    assert found.all_coats + two <= closes + timedelta(seconds=30)
    assert found.all_coats + two > closes - timedelta(minutes=2)
    assert last_starts(part.look(9.9)).one is None
    part.factor = lambda *_: (math.log(3), 0.1)
    slow = last_starts(part.look(0))
    assert slow.one == found.one
    assert slow.all_coats < found.all_coats


@pytest.mark.parametrize(("minutes", "slots"), [(29, 0), (30, 1), (31, 1)])
def test_half_an_hour_between_two_shut_stretches_is_a_slot(minutes, slots):
    shut = [
        Shut(seconds(T0) - 60, seconds(T0) + 3600, "wind"),
        Shut(seconds(T0) + 3600 + 60 * minutes, seconds(T0) + 90_000, "cold"),
    ]
    found = open_slots(shut, T0, T0 + timedelta(hours=24))
    assert [(s.since, s.to) for s in found] == [(T0 + timedelta(hours=1), T0 + timedelta(minutes=60 + minutes))] * slots


def today_goes_well(part, start, wanted):
    """Whether all coats that are wanted get on today from an instant on, without a window that closes first."""
    on = []
    for planned in place_all(part.look(0).at(start)):
        if planned.opens_again:
            return False
        if UTC_DAY.day_of(planned.end) != UTC_DAY.day_of(start):
            return set(wanted) <= set(on)
        on.append(planned.step.id)
        if set(wanted) <= set(on):
            return True
    return set(wanted) <= set(on)


@pytest.mark.parametrize("seed", range(24))
def test_the_last_starts_of_whole_days_are_where_every_minute_asked_by_itself_has_them(seed):
    rng = np.random.default_rng(seed)
    climate = daily(rng.uniform(9, 22), rng.uniform(1, 9), rng.uniform(-2, 13), ["sheet_metal", "casting"][seed % 2])
    layers = ["single-stage-epoxy", "one-pack-enamel", "brushed-two-pack", "two-stage-epoxy"]
    part = PaperPart(layers[seed % 4], climate, zone("A", float(rng.uniform(0.3, 3))), day=UTC_DAY).prepared()
    if seed % 3 == 0:
        part.coat(-float(rng.uniform(0.1, 30)), part.system.layers[0].id)
    look = part.look(float(rng.uniform(0, 3)))
    found = last_starts(look)
    if found.coat is None or found.one is None:
        assert found.all_coats is None
        return
    first, closing = found.coat.start, UTC_DAY.closing(look.now)
    gates = gates_of(look, found.coat.step, first)
    grid = [first + timedelta(minutes=3 * n) for n in range(int((closing - first) / timedelta(minutes=3)) + 1)]
    window = found.coat.closes.early if found.coat.closes else None

    def may_start(start):
        in_time = start + found.coat.labour <= closing and (window is None or start <= window)
        return in_time and not any(gate.shut_at(start) for gate in gates)

    allowed = [may_start(start) for start in grid]
    until = allowed.index(False) if False in allowed else len(grid)
    assert all(start <= found.one + timedelta(seconds=1) for start in grid[:until])
    assert all(start > found.one - timedelta(seconds=1) for start in grid[until : until + 1])
    if found.all_coats is not None:
        layer = found.coat.step.layer.id
        wanted = [p.step.id for p in lay_all(look)[0] if getattr(getattr(p.step, "layer", None), "id", "") == layer
                  and p.step.kind == "coat" and UTC_DAY.day_of(p.start) == UTC_DAY.day_of(look.now)]  # fmt: skip
        assert len(wanted) == found.coats
        assert today_goes_well(part, found.all_coats, wanted)
        after = found.all_coats + timedelta(minutes=2)
        assert found.all_coats == found.one or not today_goes_well(part, after, wanted)

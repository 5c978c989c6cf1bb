"""The gun bench: air, pressures, nozzles, strokes and what is said of them."""

import base64
import math
from datetime import timedelta
from uuid import uuid4

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from tests.support import T0

from cool_sheen.core.errors import CoreError, Inconsistent, OutOfRange
from cool_sheen.core.gun.air import Duty, duty, hose_feed, hose_loss, water
from cool_sheen.core.gun.cards import SET_FOR, Card, CardSaid, offered
from cool_sheen.core.gun.fan import PROFILE_SHARE, across, fan_at, pass_film, pass_speed, round_minutes
from cool_sheen.core.gun.field import (
    Panel,
    Pass,
    Sample,
    Spray,
    Strokes,
    draw,
    evenness,
    lay,
    passes_over,
)
from cool_sheen.core.gun.fitting import fitted, opening_for, paint_flow
from cool_sheen.core.gun.guns import AirSupply, OwnGun
from cool_sheen.core.gun.handling import LAY_WORDS, STROKE_WORDS, hold_for
from cool_sheen.core.gun.pressures import pressures
from cool_sheen.core.gun.training import hand_of, places
from cool_sheen.core.gun.verdicts import coat_time, judge_air, judge_pauses, judge_start, span_words
from cool_sheen.formats.catalogue import armoury, drills, shipped
from cool_sheen.service.gun.field import meeting_line, panel_of
from cool_sheen.web.views import airway, field, hold

GUNS = {gun.key: gun for gun in armoury().guns}
HVLP = GUNS["hvlp-gravity"]
PRODUCTS = sorted(shipped().products.values(), key=lambda p: p.key)
CLEAR, HIGH_BUILD, HIGH_HEAT = (
    shipped().products[key] for key in ("clear-two-pack", "high-build-surfacer", "high-heat-aluminium")
)


def air(**other):
    known = {"tank_l": 50, "cut_in_bar": 6, "cut_out_bar": 8, "fad_l_per_min": 180, "hose_m": 12, "hose_bore_mm": 8}
    return AirSupply(**(known | other))


hoses = {
    "flow_l_per_s": st.floats(0, 12), "length_m": st.floats(0, 40), "bore_mm": st.floats(6, 20),
}  # fmt: skip


@given(outlet_bar=st.floats(0.2, 8), **hoses)
def test_what_is_fed_into_a_hose_comes_out_of_it(outlet_bar, flow_l_per_s, length_m, bore_mm):
    feed = hose_feed(flow_l_per_s, length_m, bore_mm, outlet_bar)
    assert feed - hose_loss(flow_l_per_s, length_m, bore_mm, feed) == pytest.approx(outlet_bar, abs=1e-9)


def test_a_hose_that_would_lose_all_there_is_names_the_pressure_and_what_to_do():
    with pytest.raises(Inconsistent, match="wider or shorter hose") as refusal:
        hose_loss(12, 60, 5, 3)
    assert refusal.value.field == "inlet_bar"
    with pytest.raises(OutOfRange, match="above nought"):
        hose_feed(5, 10, 0, 3)


@settings(max_examples=60)
@given(
    bar=st.floats(0.9, 2.6),
    length=st.floats(0, 25),
    bore=st.floats(7, 13),
    place=st.sampled_from(["inlet", "cap", "regulator"]),
    state=st.sampled_from(["rest", "air_only", "pulled"]),
)
def test_a_pressure_that_is_read_anywhere_gives_all_the_others_and_these_give_it_back(bar, length, bore, place, state):
    line = air(hose_m=length, hose_bore_mm=bore)
    known = pressures(HVLP, line, bar, "inlet", "pulled")
    shown = known.at(place, state)
    if shown is None:
        with pytest.raises(Inconsistent, match="says nothing there"):
            pressures(HVLP, line, 1.0, place, state)
        return
    again = pressures(HVLP, line, shown, place, state)
    for where in ("inlet", "cap", "regulator"):
        assert again.at(where, "pulled") == pytest.approx(known.at(where, "pulled"), abs=1e-6)
    assert known.inlet_bar["rest"] >= known.inlet_bar["air_only"] >= known.inlet_bar["pulled"] - 1e-9
    assert known.regulator_bar == pytest.approx(known.inlet_bar["rest"])


def test_the_tank_is_read_at_the_regulator_and_no_regulator_gives_too_much():
    with pytest.raises(Inconsistent, match="read it at the regulator"):
        pressures(HVLP, air(), 7, "compressor", "pulled")
    with pytest.raises(Inconsistent, match="No regulator gives"):
        pressures(HVLP, air(hose_m=100, hose_bore_mm=2), 3, "inlet", "pulled")


def test_a_compressor_keeps_up_to_the_last_litre_that_it_delivers():
    assert duty(50, 6, 8, 250, 250).continuous
    lends = duty(50, 6, 8, 250, 251)
    assert (lends.spray_s, lends.recover_s) == (pytest.approx(6000), pytest.approx(24))
    assert lends.slowing == pytest.approx(1.004)
    for wrong in ({"tank_l": 0}, {"fad_l_per_min": 0}, {"cut_in_bar": 8}):
        given_so = {"tank_l": 50, "cut_in_bar": 6, "cut_out_bar": 8, "fad_l_per_min": 100, "demand_l_per_min": 200}
        with pytest.raises(CoreError) as refusal:
            duty(**(given_so | wrong))
        assert refusal.value.field == next(iter(wrong))


@given(temp=st.floats(-10, 45), rh=st.floats(0, 100), line=st.floats(0, 60), bar=st.floats(0, 12))
def test_water_neither_comes_from_nothing_nor_goes_anywhere_but_out_or_on(temp, rh, line, bar):
    found = water(temp, rh, line, bar, 300)
    taken = found.falls_g_per_h + found.carried_g_per_h
    assert found.falls_g_per_h >= 0
    assert found.carried_g_per_h >= -1e-9
    assert (found.falls_g_per_h > 0) == (found.intake_g_per_kg > found.line_g_per_kg)
    drier = water(temp, rh / 2, line, bar, 300)
    assert drier.falls_g_per_h <= found.falls_g_per_h + 1e-9
    assert taken >= drier.falls_g_per_h + drier.carried_g_per_h - 1e-9


def test_a_line_so_hot_that_it_holds_any_water_lets_none_fall_and_an_intake_of_vapour_is_refused():
    assert water(30, 90, 110, 0, 300).falls_g_per_h == 0
    with pytest.raises(OutOfRange, match="nothing but vapour"):
        water(110, 100, 20, 7, 300)


def test_pauses_are_counted_between_spells_and_held_against_the_wet_edge():
    lends = Duty(60.0, 40.0)
    assert coat_time(200, 200, lends).pauses == 0
    longer = coat_time(201, 200, lends)
    assert (longer.pauses, longer.longer_min) == (1, pytest.approx(40 / 60))
    with pytest.raises(OutOfRange, match="never gets on"):
        coat_time(200, 0, lends)
    assert judge_pauses(Duty(), None, 600).level == "good"
    assert judge_pauses(lends, coat_time(200, 200, lends), 600).level == "good"
    assert judge_pauses(lends, longer, 40.0).level == "bad"
    assert judge_pauses(lends, longer, 41.0).level == "care"
    assert "break" in judge_pauses(lends, longer, None).says
    assert [span_words(s) for s in (8, 99.4, 99.6, 1190, 1198)] == ["8 s", "99 s", "1.7 min", "19.8 min", "20 min"]


@pytest.mark.parametrize(
    ("bar", "level"),
    [(1.38, "bad"), (1.4, "care"), (1.69, "care"), (1.7, "good"), (2.2, "good"), (2.21, "care")],
)
def test_a_starting_pressure_is_judged_at_both_sides_of_its_band(bar, level):
    assert judge_start(HVLP, bar).level == level


def test_cap_compressor_and_hose_have_their_say():
    easy = pressures(HVLP, air(hose_bore_mm=12), 2.0, "inlet", "pulled")
    assert judge_air(HVLP, easy, air(hose_bore_mm=12)) == []
    assert judge_air(HVLP, easy, None) == []
    over = judge_air(HVLP, pressures(HVLP, None, 2.1, "inlet", "pulled"), None)
    assert [f.says[:10] for f in over] == ["At the cap"]
    small = air(hose_m=25, hose_bore_mm=7, cut_in_bar=2.5, cut_out_bar=3.0)
    said = judge_air(HVLP, pressures(HVLP, small, 2.0, "inlet", "pulled"), small)
    assert [f.level for f in said] == ["bad", "care"]
    sags = air(cut_in_bar=2.5, cut_out_bar=6.0)
    assert "sags" in judge_air(HVLP, pressures(HVLP, sags, 2.0, "inlet", "pulled"), sags)[0].says


def levels(gun, product, mm, grain=0.0):
    wanted = opening_for(product, gun, armoury().openings, grain)
    return [f.level for f in fitted(gun, product, wanted, mm, grain)]


@pytest.mark.parametrize(("mm", "level"), [(1.19, "care"), (1.2, "good"), (1.4, "good"), (1.41, "care")])
def test_a_nozzle_is_judged_by_the_sheet_at_both_ends(mm, level):
    assert levels(HVLP, CLEAR, mm)[0] == level


def test_grit_wants_three_grains_abreast_and_two_millimetres_at_least():
    assert opening_for(CLEAR, HVLP, armoury().openings, 0.5)[0] == 2.0
    assert opening_for(CLEAR, HVLP, armoury().openings, 0.7)[0] == pytest.approx(2.1)
    assert levels(HVLP, CLEAR, 1.99, 0.5)[:2] == ["bad", "bad"]  # the nozzle, and the screen that holds it back
    assert levels(HVLP, CLEAR, 2.0, 0.5)[0] == "good"


def test_the_guns_own_screen_comes_out_for_what_is_heavy_gritty_or_says_so():
    def screen(gun, product, grain=0.0):
        wanted = opening_for(product, gun, armoury().openings, grain)
        return next((f for f in fitted(gun, product, wanted, wanted[0], grain) if "screen" in f.says), None)

    assert screen(HVLP, CLEAR).level == "good"
    assert screen(HVLP, HIGH_BUILD).level == "care"
    assert "its sheet says so" in screen(HVLP, HIGH_HEAT).says
    finer = HVLP.model_copy(update={"screen_um": 124.0})
    assert "finer than the strainer" in screen(finer, CLEAR).says
    assert screen(HVLP.model_copy(update={"screen_um": 125.0}), CLEAR).level == "good"
    assert screen(HVLP.model_copy(update={"screen_um": None}), HIGH_BUILD) is None
    assert "bad" in levels(GUNS["turbine-three"], HIGH_BUILD, 1.8)


def test_a_gun_of_ones_own_knows_better_than_its_kind_and_airless_tips_keep_their_fan():
    own = OwnGun(name="Mine", type="airless", nozzles_mm=(0.33, 0.7), start_bar=200, no_screen=True).of(GUNS["airless"])
    assert [(tip.orifice_mm, tip.fan_mm) for tip in own.tips] == [(0.33, 200), (0.7, 350)]
    assert (own.start.usual, own.start.high, own.screen_um, own.name) == (200, 200, None, "Mine")
    assert paint_flow(own, 0.43, 138.0) == pytest.approx(1160, rel=0.02)  # 17 thou at 2000 psi: 0.31 gal a minute
    assert paint_flow(HVLP, 2.6) == pytest.approx(4 * 190)


@pytest.mark.parametrize("product", PRODUCTS, ids=lambda p: p.key)
def test_every_product_has_an_opening_and_a_hand_for_each_way_that_its_sheet_names(product):
    for method in product.methods:
        gun = next(g for g in armoury().guns if g.method == method)
        low, high = opening_for(product, gun, armoury().openings)
        assert 0.1 < low <= high
        assert any(t.fits(method, product.family, product.role) for t in armoury().techniques)


def test_every_gun_that_sprays_has_controls_faults_and_a_place_where_it_is_set():
    for gun in (g for g in armoury().guns if g.sprays):
        assert gun.controls
        assert gun.distance_mm == tuple(sorted(gun.distance_mm))
        assert (gun.start is None) == (gun.feed == "can")
        faults = [f for f in armoury().faults if gun.source in f.sources]
        assert {f.name for f in faults} >= {"Nothing comes out", "A blob at the start of a stroke"}
        for fault in faults:
            costs = [check.minutes for check in fault.in_order()]
            assert costs == sorted(costs)


@pytest.mark.parametrize("lay_so", LAY_WORDS)
@pytest.mark.parametrize("stroke", STROKE_WORDS)
def test_the_fan_stands_across_the_stroke_and_the_tube_looks_where_the_paint_runs(lay_so, stroke):
    held = hold_for(GUNS["conventional-suction"], lay_so, stroke)
    assert {held.fan, stroke} == {"across", "up_down"}
    assert held.tube == ("back" if lay_so == "underside" else "forward")
    assert hold_for(HVLP, lay_so, stroke).tube == ""
    drawn = hold.draw(held, lay_so, below=True)
    (x1, y1, x2, y2), (_, _, wide, high) = drawn.strokes[0], drawn.fan
    assert (y1 == y2) == (stroke == "across")
    assert (high > wide) == (stroke == "across")
    assert (drawn.tube[2] < 0) == (held.tube == "forward")
    assert drawn.strokes[1] != drawn.strokes[0]
    assert (x1, y1) != (x2, y2)


PANEL = Panel(1600.0, 1200.0, 160, 120)
SPRAY = Spray(200.0, 0.7, 250.0, 180.0)


def test_the_profile_of_the_fan_holds_all_of_the_paint():
    y = np.linspace(-200, 200, 400_001)
    assert across(y, 250).sum() * (y[1] - y[0]) == pytest.approx(1, abs=1e-6)
    assert across(np.array([0.0]), 250)[0] == pytest.approx(1 / (250 * PROFILE_SHARE))
    assert across(np.array([125.0, 126.0]), 250).tolist() == [0.0, 0.0]


@settings(max_examples=30, deadline=None)
@given(overlap=st.floats(0.3, 0.75), speed=st.floats(150, 700), distance=st.floats(150, 240))
def test_the_mean_of_a_field_is_the_film_by_rule_and_no_paint_is_lost(overlap, speed, distance):
    how = Strokes(overlap, speed, distance, early_mm=120, late_mm=120)
    fan = float(fan_at(250.0, 180.0, distance))
    film = lay(PANEL, SPRAY, passes_over(PANEL, SPRAY, how))
    landed = SPRAY.transfer * math.exp((180 - distance) / 450)
    pitch, rows = fan * (1 - overlap), PANEL.rows
    inner = film[rows // 4 : rows - rows // 4]
    assert inner.mean() == pytest.approx(pass_film(200, min(0.95, landed), fan, overlap, speed), rel=0.06)
    one = lay(PANEL, SPRAY, [Pass(600, 300, 1300, speed, distance)])
    cell = PANEL.width_mm * PANEL.height_mm / film.size
    assert one.sum() * cell / 1000 == pytest.approx(200 * min(0.95, landed) / 60 * 1000 / speed * 1000, rel=0.01)
    assert pitch > 0


def test_speed_and_film_are_two_sides_of_one_rule_and_bad_figures_are_named():
    assert pass_film(180, 0.7, 230, 0.5, pass_speed(180, 0.7, 230, 0.5, 60)) == pytest.approx(60)
    for wrong, field_name in (((180, 0.7, 0, 0.5, 60), "fan_mm"), ((180, 0.7, 230, 1.0, 60), "overlap")):
        with pytest.raises(OutOfRange) as refusal:
            pass_film(*wrong)
        assert refusal.value.field == field_name


def test_an_arm_that_swings_leaves_the_ends_thin_and_a_late_trigger_the_edge():
    def laid(**other):
        return lay(PANEL, SPRAY, passes_over(PANEL, SPRAY, Strokes(**other)))

    straight, swung, late = laid(), laid(pivot_mm=500.0), laid(early_mm=-60.0, late_mm=-60.0)
    row = PANEL.rows // 2
    assert swung[row, 4] < 0.5 * straight[row, 4]
    assert swung[row, 80] == pytest.approx(straight[row, 80], rel=0.02)
    assert late[row, 1] < 0.1 * straight[row, 1]
    assert evenness(swung, 50, 108).spread_pct > 2 * evenness(straight, 50, 108).spread_pct


def test_a_second_coat_between_or_across_the_lines_is_more_even_than_on_them():
    spread = {
        way: evenness(lay(PANEL, SPRAY, passes_over(PANEL, SPRAY, Strokes(coats=2, second=way))), 50, 300).spread_pct
        for way in ("along", "between", "across")
    }
    assert spread["between"] < spread["across"] < spread["along"]


@settings(max_examples=20, deadline=None)
@given(speed=st.floats(80, 900), line=st.floats(100, 500), down=st.booleans())
def test_a_stroke_that_is_drawn_lays_what_one_that_is_worked_out_lays(speed, line, down):
    panel = Panel(800.0, 600.0, 100, 75)
    seconds = 1000 / speed
    at = np.linspace(0, seconds, 1 + math.ceil(60 * seconds))
    along = (-100 + speed * at).tolist()
    points = [(line, a) if down else (a, line) for a in along]
    drawn = draw(panel, SPRAY, [Sample(t, x, y, True, down) for t, (x, y) in zip(at, points, strict=True)], 180)
    worked_out = lay(panel, SPRAY, [Pass(line, -100, 900, speed, 180, down=down)])
    assert np.abs(drawn - worked_out).max() <= 0.01 * worked_out.max()


def test_thin_and_running_are_counted_at_both_sides_of_their_bounds():
    film = np.array([[39.99, 40.0], [100.0, 100.01]])
    found = evenness(film, 50, 100)
    assert (found.thin_pct, found.over_pct, found.least_um, found.most_um) == (25, 25, 39.99, 100.01)
    assert evenness(np.zeros((2, 2)), 50, 100).spread_pct == 0


def test_the_time_round_is_held_against_the_wet_edge_of_the_day():
    minutes = round_minutes(1100, 700, 125, 300, 0.6)
    assert minutes == pytest.approx(7 * (1100 / 300 + 0.6) / 60)
    assert meeting_line(2.0, None) is None
    assert [meeting_line(2.0, s).level for s in (120.0, 121.0, 199.0, 201.0)] == ["bad", "care", "care", "good"]
    assert "in 3 pieces" in meeting_line(2.0, 70.0).says


def test_a_panel_is_cut_into_cells_that_are_about_square_and_no_more_than_are_laid_at_once():
    for wide, high in ((1000, 700), (700, 1000), (50, 10_000), (10_000, 50)):
        panel = panel_of(wide, high)
        assert panel.columns <= 200
        assert panel.rows <= 150
        if min(wide, high) > 50:
            assert (wide / panel.columns) / (high / panel.rows) == pytest.approx(1, rel=0.02)
    with pytest.raises(OutOfRange, match="60000 cells"):
        Panel(10, 10, 400, 400)
    with pytest.raises(OutOfRange, match="a width and a height"):
        Panel(0, 10, 4, 4)


def test_a_hand_is_told_how_fast_it_went_how_long_it_stood_and_where_it_was_wrong():
    steady = [Sample(t / 60, 5.0 * t, 100, t < 120) for t in range(181)]
    hand = hand_of(steady)
    assert (hand.strokes, hand.sprayed_s, hand.speed_mm_per_s) == (1, pytest.approx(2), pytest.approx(300))
    assert hand.speed_spread_pct == pytest.approx(0, abs=1e-6)
    stops = [*steady[:60], *[Sample(1 + t / 60, 295.0, 100, True) for t in range(60)], Sample(2.2, 295.0, 100, False)]
    assert hand_of(stops).stood_s == pytest.approx(1.2, abs=0.2)
    assert hand_of([]).strokes == hand_of(steady[:1]).strokes == 0
    film = np.ones((30, 30))
    film[:10, 20:] = 0
    assert places(film, film < 0.5) == ["top right"]
    assert places(film, film < 2) == [
        "top left", "top", "top right", "middle left", "middle", "middle right", "bottom left", "bottom", "bottom right"
    ]  # fmt: skip


def test_the_drills_grow_harder_and_judge_the_middle_of_their_panels():
    there = drills()
    assert len({d.key for d in there}) == len(there) >= 6
    film = np.arange(80 * 112, dtype=float).reshape(80, 112)
    assert there[0].part_that_counts(film).shape == (12, 96)
    whole = next(d for d in there if d.judged == (1.0, 1.0))
    assert whole.part_that_counts(film).shape == film.shape


def card(gun, temp, set_ago=0.0):
    said = CardSaid(
        gun=gun,
        gun_name=gun,
        product="clear-two-pack",
        product_name="Clear",
        temp_c=temp,
        inlet_bar=2.0,
        opening_mm=1.3,
    )
    return Card(uuid=uuid4(), said=said, made_at=T0, set_at=T0 - timedelta(hours=set_ago))


def test_cards_of_this_gun_come_first_then_the_nearest_temperature_and_hold_for_a_working_day():
    cold, warm, other = card("a", 8), card("a", 22), card("b", 20)
    assert offered([cold, other, warm], "a", 20.0) == [warm, cold, other]
    assert offered([cold, other, warm], "", 20.0) == [other, warm, cold]
    assert warm.holds_at(T0)
    assert not warm.holds_at(T0 + SET_FOR)
    assert not warm.holds_at(T0 - timedelta(seconds=1))
    assert warm.said.in_the_log() == {
        "gun": "a",
        "gun_name": "a",
        "temp_c": "22",
        "opening_mm": "1.3",
        "inlet_bar": "2",
    }
    assert warm.said.says_anything
    assert not CardSaid(gun="a", gun_name="a", product="c", product_name="C", temp_c=1, opening_mm=1.3).says_anything


def test_the_way_of_the_air_falls_from_left_to_right_and_is_drawn_to_scale():
    found = pressures(HVLP, air(), 2.0, "inlet", "pulled")
    picture = airway.draw(found, air(), "metric")
    pulled = [tuple(map(float, p.split(","))) for p in picture.falls[0].points.split()]
    assert [p[0] for p in pulled] == sorted(p[0] for p in pulled)
    assert [p[1] for p in pulled] == sorted(p[1] for p in pulled)
    nought, top = (next(y for y, words in picture.ticks if words == f"{bar} bar") for bar in (0, 8))
    assert (nought - pulled[1][1]) / (nought - top) == pytest.approx(2.0 / 8, abs=0.01)
    assert [s.name for s in picture.stops] == ["tank", "regulator", "gun's inlet", "cap"]
    alone = airway.draw(pressures(HVLP, None, 2.0, "inlet", "pulled"), None, "us")
    assert (len(alone.stops), alone.tank) == (3, None)
    assert "29 psi" in {words for _, _, words, _ in alone.figures}


def test_a_field_becomes_bytes_that_keep_its_bounds_and_a_histogram_that_counts_it():
    film = np.linspace(0, 120, 100 * 75).reshape(75, 100)
    picture = field.draw(film, Panel(100, 75, 100, 75), 50, 108, "metric")
    cells = np.frombuffer(base64.b64decode(picture.cells), dtype=np.uint8)
    assert cells.size == film.size
    assert (cells < picture.thin).mean() == pytest.approx(1 / 3, abs=0.01)
    assert (cells > picture.over).mean() == pytest.approx(0.1, abs=0.01)
    bars = field.histogram(film, 50, 108, "metric").bars
    assert {what for *_, what in bars} == {"thin", "good", "runs"}

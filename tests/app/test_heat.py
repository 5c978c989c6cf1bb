"""Heat: flash-off first, stages in their order and at their target, worth so much air cure, and a cooling after it."""

from datetime import timedelta

import numpy as np
from hypothesis import given
from hypothesis import strategies as st
from tests.support import SURE, T0, steady

from cool_sheen.core.climate.series import seconds
from cool_sheen.core.drying.clock import Clock, Film
from cool_sheen.core.drying.heat import Bake, air_cure_equivalent, baked
from cool_sheen.formats.catalogue import shipped
from cool_sheen.web.pages.bench import gate_of


@given(st.floats(25, 90), st.floats(5, 120))
def test_a_bake_moves_the_reactive_clock_by_its_air_cure_equivalent_and_warmer_is_worth_more(metal, minutes):
    product = shipped().products["clear-two-pack"]
    worth = air_cure_equivalent(metal, minutes, 20)
    assert worth > minutes
    assert air_cure_equivalent(metal + 5, minutes, 20) > worth
    air = steady(20, 50)
    # A surface without mass follows its air, so that the cooling adds next to nothing.
    bake = Bake(T0 + timedelta(hours=1), T0 + timedelta(hours=1, minutes=minutes), metal)
    mark = product.drying.named("assemble")
    plain, hot = (Clock.over(c, product.drying, T0).curve(mark) for c in (air, baked(_long(air), [bake], 0.0)))
    until = seconds(T0 + timedelta(hours=20))
    gained = (hot.progress(seconds(T0), until) - plain.progress(seconds(T0), until)) / 60
    cooling = 7 * worth / minutes  # six minutes of lag: less than that at full warmth
    assert 0.9 * (worth - minutes) < gained < 1.05 * (worth - minutes) + cooling
    bands = [Clock.over(c, product.drying, T0).band("assemble", Film(T0, 65)) for c in (air, baked(air, [bake], 0.0))]
    assert bands[1].likely <= bands[0].likely


def _long(air):
    return air.sampled(seconds(T0) + 600.0 * np.arange(0, 6 * 48))


def finished_coats(shop):
    part = shop.new_part("high-heat-staged", "bare_steel_cast")
    while shop.standing(part).action.step.kind != "bake":
        shop.do_next(part)
    return part


def heat(shop, part, **read):
    return shop.log(part, "bake", **read)


def test_staged_heat_goes_by_target_hold_and_order_and_the_first_stage_is_never_skipped(shop):
    part = finished_coats(shop)
    early = heat(shop, part, metal="120", minutes="30", sure="")
    assert "is not ready to handle yet by the clock" in early.text
    assert "I tested it" in early.text
    assert not shop.standing(part).history.bakes
    shop.clock.turn(hours=30)
    for read, says in (
        ({"metal": "95", "minutes": "30"}, "it read 95: go on heating"),
        ({"metal": "230", "minutes": "60"}, "too fast blisters"),
        ({"metal": "120", "minutes": "10"}, "Hold it for 30 min"),
        ({"metal": "hot", "minutes": "30"}, "no temperature"),
        ({"metal": "120", "minutes": "1441"}, "how long it was held: 0.5 to 1440 min"),
    ):
        answer = heat(shop, part, **read)
        assert (answer.status_code, says in answer.text) == (422, True), answer.text
    skipped = shop.log(part, "step", kind="assemble")
    assert (skipped.status_code, "never skipped" in skipped.text) == (409, True)
    assert "reading" in shop.log(part, "step", kind="bake").text
    assert not shop.standing(part).history.bakes
    for metal, minutes in (("250 F", "30"), ("182", "31"), ("228", "60")):  # 250 F are 121 C
        shop.clock.turn(hours=2)
        assert heat(shop, part, metal=metal, minutes=minutes).status_code == 200
    found = shop.standing(part)
    assert [round(h.bake.metal_temp_c) for h in found.history.bakes] == [121, 182, 228]
    assert found.top.bands["full_cure"].likely == found.history.bakes[-1].bake.end
    assert shop.log(part, "step", kind="assemble").status_code == 200
    assert shop.standing(part).action.says == "Finished"
    page = shop.http.get(f"/parts/{part}").text
    assert "Heated: 228 °C metal for 60 min" in page


def test_heat_on_a_film_that_the_clock_calls_too_soft_is_logged_with_the_test_that_was_made(shop):
    part = finished_coats(shop)
    assert heat(shop, part, metal="120", minutes="30", sure=SURE).status_code == 200
    history = shop.standing(part).history
    assert len(history.bakes) == 1
    assert (history.touches[-1].payload.milestone, history.touches[-1].payload.ready) == ("handle", True)


def test_a_lamp_on_an_ordinary_film_brings_it_forward_and_the_part_cools_before_it_is_coated(shop):
    part = shop.new_part("single-stage-epoxy", "bare_steel_cast")
    while not shop.standing(part).top:
        shop.do_next(part)
    before = shop.standing(part).top.bands["sand"].likely
    shop.clock.turn(hours=3)
    assert "up to 80 °C" in heat(shop, part, metal="130", minutes="30").text
    assert heat(shop, part, metal="60", minutes="30").status_code == 200
    after = shop.standing(part)
    assert after.top.bands["sand"].likely < before - timedelta(minutes=90)
    gate = gate_of(after, after.next_coat()).shut_at(shop.clock.at)
    assert gate is not None
    assert "surface over" in gate.reason
    shop.clock.turn(hours=8)
    cooled = shop.standing(part)
    assert gate_of(cooled, cooled.next_coat()).shut_at(shop.clock.at) is None


def test_a_stage_goes_by_its_sheet_by_season_and_with_its_prompts(shop):
    """January: the last hold is longer, and what is not ticked of it stands in the log."""
    shop.clock.at = T0 - timedelta(days=150)
    part = shop.new_part("high-heat-staged", "bare_steel_sheet")
    for _ in range(30):
        if heat_now(shop, part).startswith("Heat"):
            break
        shop.do_next(part)
    shop.clock.turn(hours=72)  # the film flashes off
    dialog = shop.http.get(f"/parts/{part}/bake").text
    assert "By the sheet 120 °C at the metal for 30 min." in dialog
    assert 'name="tick_0"' not in dialog
    for metal, minutes, ticks in ((120, 30, {}), (180, 30, {"tick_0": "1", "tick_1": "1"})):
        assert shop.log(part, "bake", metal=str(metal), minutes=str(minutes), **ticks).status_code == 200
        shop.clock.turn(hours=3)
    dialog = shop.http.get(f"/parts/{part}/bake").text
    assert "230 °C at the metal for 75 min, in winter" in dialog
    assert "<b>Heat to 230 °C metal, hold 60 min, in winter 75 min.</b>" in dialog
    hold = next(p for p in shop.standing(part).rest.steps if p.step.kind == "bake")
    assert hold.end - hold.start - hold.labour == timedelta(minutes=75)
    short = shop.log(part, "bake", metal="230", minutes="60")
    assert (short.status_code, "Hold it for 75 min at that temperature, in winter" in short.text) == (422, True)
    assert shop.log(part, "bake", metal="230", minutes="75", tick_0="1").status_code == 200
    log = shop.http.get(f"/parts/{part}").text
    assert "180 °C metal for 30 min, extraction on, people and animals out" in log
    assert "75 min, extraction on; not ticked: people and animals out, smoke gone before the end" in log


def heat_now(shop, part):
    """The label of what is next."""
    return next((row.step.label for row in shop.standing(part).rows if row.owed), "")

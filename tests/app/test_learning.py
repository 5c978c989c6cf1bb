"""Windows that learn: a touch test teaches the factor of its product in its space, and can be taken out again."""

import re
from datetime import timedelta

import pytest

from cool_sheen.core.drying.clock import DEFAULT_LN_SD
from cool_sheen.core.drying.milestones import Mode
from cool_sheen.core.part.film_clock import FactorAsked


def primed(shop, system="two-stage-epoxy", substrate="bare_steel_cast"):
    """A part with its first coat on, and the minutes that the clock then gives until the next one."""
    part = shop.new_part(system, substrate)
    while not shop.standing(part).top:
        shop.do_next(part)
    return part


def minutes_to_flash(shop, part):
    top = shop.standing(part).top
    return (top.opens.likely - top.coat.ended_at).total_seconds() / 60


def factor(shop, part, mode=Mode.SOLVENT):
    found = shop.standing(part)
    return found.situation.factor(FactorAsked(found.top.product, mode, found.space.uuid))


def touch(shop, part, after_min, ready):
    coat = shop.standing(part).top.coat
    shop.clock.at = coat.ended_at + timedelta(minutes=after_min)
    assert shop.log(part, "touch", ready="yes" if ready else "no", milestone="flash").status_code == 200


def test_what_one_part_taught_moves_the_clock_of_another_until_the_test_is_taken_out(shop):
    first = primed(shop)
    sheet = minutes_to_flash(shop, first)
    assert factor(shop, first) == (0.0, DEFAULT_LN_SD)
    touch(shop, first, 1.3 * sheet, ready=False)
    touch(shop, first, 1.5 * sheet, ready=True)
    mean, spread = factor(shop, first)
    assert 0.15 < mean < 0.45
    assert spread < 0.15
    second = primed(shop)
    assert minutes_to_flash(shop, second) == pytest.approx(sheet * 2.718281828**mean, rel=0.08)
    assert factor(shop, second, Mode.REACTIVE) == (0.0, DEFAULT_LN_SD)  # the flash says nothing of the cure
    page = shop.http.get("/shelf/epoxy-primer-grey").text
    assert re.search(r"<b>1\.[23]\d</b>", page)
    assert page.count("Take this test back") == 2
    shown = shop.http.get(f"/parts/{second}").text
    assert re.search(r"× 1\.[23]\d of the sheet", shown)
    # A bad test is taken out, and the earlier belief is back.
    for touched in list(shop.standing(first).history.touches):
        assert shop.log(first, "undo", entry=str(touched.uuid)).status_code == 200
    assert factor(shop, second) == (0.0, DEFAULT_LN_SD)
    assert minutes_to_flash(shop, second) == pytest.approx(sheet, rel=0.08)


def test_a_coat_is_not_taught_twice_by_its_own_tests(shop):
    part = primed(shop)
    sheet = minutes_to_flash(shop, part)
    before = shop.standing(part).top.bands["dust_free"]
    touch(shop, part, 1.4 * sheet, ready=True)
    touch_free = shop.standing(part)
    own = touch_free.situation.factor(
        FactorAsked(touch_free.top.product, Mode.SOLVENT, touch_free.space.uuid, without=touch_free.top.coat.uuid)
    )
    assert own == (0.0, DEFAULT_LN_SD)
    after = touch_free.top.bands["dust_free"]
    assert after.late - after.early < before.late - before.early


def test_tests_that_contradict_each_other_widen_nothing_and_break_nothing(shop):
    beliefs = []
    for late in (0.6, 1.7):
        part = primed(shop)
        sheet = minutes_to_flash(shop, part)
        touch(shop, part, 0.9 * late * sheet, ready=False)
        touch(shop, part, 1.1 * late * sheet, ready=True)
        beliefs.append(factor(shop, part))
    (low, _), (both, spread) = beliefs
    assert low < both < 0.4
    assert 0 < spread < DEFAULT_LN_SD
    assert shop.http.get("/shelf/epoxy-primer-grey").status_code == 200


def test_a_product_that_asks_for_two_tests_at_once_is_tested_only_when_both_are_ready(shop):
    part = primed(shop, "sump-membrane", "masonry")
    for _ in range(60):
        top = shop.standing(part).top
        if top.product.ready_tests:
            break
        shop.do_next(part)
    assert top.product.ready_tests == ("colour_change", "thumb_on_tape")
    shop.clock.at = top.opens.late
    assert "asks for colour change and thumb on the tape" in shop.http.get(f"/parts/{part}/touch").text
    shop.log(part, "touch", ready="yes", milestone=top.rule.opens, how="colour_change")
    assert not shop.standing(part).top.tested
    shop.log(part, "touch", ready="yes", milestone=top.rule.opens, how="thumb_on_tape")
    assert shop.standing(part).top.tested
    assert shop.log(part, "touch", ready="yes", how="licking").status_code == 422

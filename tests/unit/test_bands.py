"""Bands tell the truth: simulated shops whose factor is known, and what their fresh coats do."""

import math
import random
from datetime import timedelta
from uuid import uuid4

import pytest
from tests.support import T0
from tests.unit.paper import PaperPart

from cool_sheen.core.drying.clock import DEFAULT_LN_SD, P90, Band
from cool_sheen.core.drying.touch import TouchTest, believe, evidence, next_coat_sd, pooled
from cool_sheen.core.log.entries import TouchTestPayload
from cool_sheen.core.log.history import Touch
from cool_sheen.core.part.film_clock import is_wild, was_asked_for

SHEET_MIN, SHOPS, COATS = 30.0, 20, 20


def normal(z):
    return 0.5 * (1 + math.erf(z / math.sqrt(2)))


def band(tests):
    """Mean and spread of ln factor that the next coat is shown with."""
    if not tests:
        return 0.0, DEFAULT_LN_SD
    found = believe(evidence(pooled(tests)))
    return found.ln_mean, next_coat_sd(found.ln_sd)


def held(factor, mean, spread):
    """The share of fresh coats of a factor that a band holds: they differ from each other by a tenth."""
    low, high = (mean + s * P90 * spread - math.log(factor) for s in (-1, 1))
    return normal(high / 0.1) - normal(low / 0.1)


def shop(factor, seed, press):
    """What a band holds before each coat of a shop, and the factor that it comes to believe."""
    chance, tests, shares = random.Random(seed), [], []
    for _ in range(COATS):
        mean, spread = band(tests)
        shares.append(held(factor, mean, spread))
        ready = SHEET_MIN * factor * math.exp(chance.gauss(0, 0.1))
        tests.append(press(SHEET_MIN * math.exp(mean), ready, chance))
    return shares, math.exp(band(tests)[0])


def goes_when_asked(likely, ready, chance):
    """Touches when the screen says so, and then again after a tenth of the wait, until it is ready."""
    at, before = likely, None
    while at < ready:
        before, at = at, at + max(0.1 * at, 2.0)
    return TouchTest(SHEET_MIN, before, at, prompted=before is None)


def brackets_it(likely, ready, chance):
    """Touches now and then, wherever the screen is."""
    return TouchTest(SHEET_MIN, ready * chance.uniform(0.9, 0.99), ready * chance.uniform(1.01, 1.1))


def only_ready(likely, ready, chance):
    """Never presses "not ready", and comes when it suits."""
    at = ready * chance.uniform(1.0, 1.3)
    return TouchTest(SHEET_MIN, None, at, prompted=abs(at - likely) <= min(5.0, max(1.0, 0.1 * likely)))


@pytest.mark.parametrize("seed", [1, 2, 3])
@pytest.mark.parametrize("press", [goes_when_asked, brackets_it])
def test_eighty_per_cent_bands_hold_three_quarters_to_seventeen_in_twenty_of_fresh_coats(press, seed):
    """Shops that are a third too slow and a fifth too fast, at every stage of what they learn."""
    shops = [shop(f, 1000 * seed + n, press) for n in range(SHOPS) for f in (1.3, 0.8)]
    for stage in (0, *range(2, COATS)):
        share = sum(shares[stage] for shares, _ in shops) / len(shops)
        assert 0.75 <= share <= 0.85, stage
    for factor, place in ((1.3, 0), (0.8, 1)):
        learned = [believed for _, believed in shops[place::2]]
        assert sum(learned) / SHOPS == pytest.approx(factor, rel=0.03)
    after = [shares[-1] for shares, _ in shops]
    assert min(after) > 0.6  # no shop by itself is sure of what is not so


def test_somebody_who_only_ever_presses_ready_does_not_say_more_with_every_coat():
    """A shop a third too slow: summed up, its twenty-four coats would drive the factor under 0.8."""
    believed = [shop(1.3, n, only_ready)[1] for n in range(SHOPS)]
    assert sum(believed) / SHOPS > 0.88


def test_of_tests_with_one_side_the_strongest_of_each_kind_counts_beside_all_that_add_up():
    ready = [TouchTest(30, None, at) for at in (45, 33, 40)]
    not_yet = [TouchTest(30, at, None) for at in (20, 25, 10)]
    both, asked = TouchTest(30, 28, 35), TouchTest(30, None, 31, prompted=True)
    assert pooled([*ready, both, *not_yet, asked]) == [both, asked, ready[1], not_yet[1]]
    alone = believe(evidence(pooled(ready)))
    assert alone == believe(evidence([ready[1]]))
    assert believe(evidence(ready)).ln_mean < alone.ln_mean


@pytest.mark.parametrize(
    ("wait_min", "off_min", "asked"),
    [(8, 1, True), (8, 1.1, False), (30, 3, True), (30, -3, True), (30, 3.1, False), (600, 5, True), (600, 5.1, False)],
)
def test_a_test_was_asked_for_within_a_tenth_of_the_wait_and_from_one_to_five_minutes(wait_min, off_min, asked):
    said = TouchTestPayload(coat=uuid4(), milestone="flash", ready=True, asked_at=T0 + timedelta(minutes=wait_min))
    touch = Touch(uuid4(), said.asked_at + timedelta(minutes=off_min), said)
    assert was_asked_for(T0, touch) is asked
    unasked = Touch(touch.uuid, touch.at, said.model_copy(update={"asked_at": None}))
    assert was_asked_for(T0, unasked) is False


@pytest.mark.parametrize(
    ("minutes", "ready", "wild"),
    [
        (13.9, True, True),
        (14, True, False),
        (14, False, False),
        (60, False, False),
        (60.1, False, True),
        (99, True, False),
    ],
)
def test_a_first_test_far_from_its_band_is_wild(minutes, ready, wild):
    """Ready before two thirds of 21 minutes, or not ready after one and a half times 40."""
    shown = Band(T0 + timedelta(minutes=21), T0 + timedelta(minutes=29), T0 + timedelta(minutes=40))
    assert is_wild(T0, shown, T0 + timedelta(minutes=minutes), ready=ready) is wild
    assert not is_wild(T0, Band(None, None, None), T0 + timedelta(minutes=minutes), ready=ready)


def test_a_mist_dries_by_what_mists_taught_and_a_full_coat_by_what_full_coats_did():
    part = PaperPart("two-stage-epoxy").prepared()
    part.factor = lambda asked: (math.log(0.5), 0.1) if asked.mist else (math.log(1.5), 0.1)
    part.coat(0, "epoxy", film=80)
    full = part.top(0.1).opens.likely - T0
    part.lines.pop()
    part.coat(0, "epoxy", kind="mist", film=80)
    mist = part.top(0.1).opens.likely - T0
    assert full / mist == pytest.approx(3, rel=0.01)

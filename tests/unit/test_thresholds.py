"""Both sides of each threshold, with the figure written here: a rule that is moved by a little is seen."""

from dataclasses import replace
from datetime import timedelta

import numpy as np
import pytest
from tests.support import T0
from tests.unit.paper import ALWAYS, UTC_DAY, PaperPart, at, climate, zone

from cool_sheen.core.climate.series import Series, seconds
from cool_sheen.core.drying.blend import Blend
from cool_sheen.core.drying.milestones import Mode
from cool_sheen.core.drying.touch import TouchTest, learn
from cool_sheen.core.log.entries import StepPayload
from cool_sheen.core.part.climate import PartClimate
from cool_sheen.core.part.gate import CoatGate, GoingOn
from cool_sheen.core.part.key import Key, damp_until, sandable
from cool_sheen.core.part.memory import Memory
from cool_sheen.core.part.placing import gates_of, slowest_gate
from cool_sheen.core.part.situation import Pot
from cool_sheen.core.part.status import statuses
from cool_sheen.formats.catalogue import shipped

PRODUCTS = shipped().products


@pytest.mark.parametrize(("key", "minutes"), [("epoxy-primer-grey", 30), ("high-build-surfacer", 240)])
def test_the_water_of_wet_sanding_leaves_a_dense_film_in_half_an_hour_and_a_surfacer_in_four(key, minutes):
    leaves = damp_until(PRODUCTS[key], T0, climate())
    assert leaves - T0 == pytest.approx(timedelta(minutes=minutes), abs=timedelta(seconds=1))


@pytest.mark.parametrize(("minutes", "morning"), [(119, False), (120, False), (121, True)])
def test_who_worked_late_is_there_for_two_more_hours(minutes, morning):
    late = at(13)  # 21:00, three hours after closing
    day = UTC_DAY.working_late(late)
    asked = late + timedelta(minutes=minutes)
    fits = day.fit(asked, timedelta(minutes=10))
    assert fits == (at(24) if morning else asked)


@pytest.mark.parametrize(("hours", "late"), [(0, False), (-0.1, True), (10, False), (10.1, True)])
def test_who_works_while_the_shop_is_open_is_not_late(hours, late):
    """It opens at T0 and closes ten hours later."""
    assert (UTC_DAY.working_late(at(hours)) != UTC_DAY) is late


@pytest.mark.parametrize(("minute", "today"), [(49, True), (50, True), (51, False)])
def test_work_is_begun_when_it_still_fits_into_the_day(minute, today):
    asked = at(9) + timedelta(minutes=minute)  # 17:49 or 17:51; the shop closes at 18:00
    assert UTC_DAY.fit(asked, timedelta(minutes=10)) == (asked if today else at(24))


@pytest.mark.parametrize(("hours", "asks"), [(11.95, False), (12.05, True)])
def test_a_wipe_is_good_for_twelve_hours(hours, asks):
    part = PaperPart("two-stage-epoxy", day=ALWAYS).prepared()
    part.coat(0, "epoxy")
    part.coat(1, "epoxy")
    part.sand(40)
    part.step(40.1, "wipe")
    assert (part.rest(40.1 + hours).steps[0].step.kind == "wipe") is asks


def test_a_lacquer_that_may_have_so_many_coats_a_day_gets_the_next_one_after_midnight():
    part = PaperPart("dope-on-fabric", climate(), zone(ground="fabric"), day=ALWAYS).prepared()
    dope = part.system.layers[0]
    most = part.products[dope.product].coats_a_day
    assert most == 3
    for n in range(3):
        assert part.rest(2 * n).steps[0].start < at(16)  # the day of T0 ends sixteen hours later
        part.coat(2 * n, dope.id)
    fourth = next(p for p in part.rest(6.5).steps if p.step.kind == "coat")
    assert fourth.start >= at(16)
    assert part.action(6.5).counts_to == fourth.start or part.action(6.5).state.value == "limit"


@pytest.mark.parametrize(("minutes", "words"), [(0, ""), (-1, " before it is dew safe"), (1, "")])
def test_a_gate_says_whether_the_limit_is_met_at_once_or_before_the_film_is_safe(minutes, words):
    """The humidity leaves 85 % at T0 and is at 100 % an hour later."""
    at_s = seconds(T0) + 3600.0 * np.array([-48.0, 0.0, 1.0, 300.0])
    series = Series(at_s, np.full(4, 20.0), np.array([85.0, 85.0, 100.0, 100.0])).with_surface(np.full(4, 26.0))
    gate = CoatGate(PartClimate(series, T0 - timedelta(days=2)), GoingOn.of_sheet(PRODUCTS["primer-one-pack"]))
    assert gate.shut_at(T0 + timedelta(minutes=minutes)).reason == f"humidity over 85 %{words}"


@pytest.mark.parametrize(
    ("lifts", "because"),
    [
        ("handle", "a new coat would lift this one"),
        ("tack_free", "past its window, and too soft to sand"),
        (None, "past its window, and too soft to sand"),
    ],
)
def test_a_locked_film_says_whether_a_coat_would_lift_it_or_it_is_only_too_soft(lifts, because):
    """Closed after 4 hours; hard enough to sand after 40, and one coat alone of the label's two after 29."""
    part = PaperPart("one-pack-enamel", day=ALWAYS).prepared()
    key = part.system.layers[-1].product
    window = part.products[key].windows[0].model_copy(update={"lifts_until": lifts})
    part.products[key] = part.products[key].model_copy(update={"windows": (window,)})
    for layer in part.system.layers[:-1]:
        for n in range(len(layer.coats)):
            part.coat(n - 300, layer.id)
    part.coat(0, part.system.layers[-1].id)
    for hours in (8, 28):
        action = part.action(hours)
        assert (action.state.value, action.does, action.because) == ("locked", "", because)
    assert part.action(8).counts_to - T0 == pytest.approx(timedelta(hours=48 if lifts == "handle" else 29), rel=0.05)
    assert part.action(60).state.value == "key"


def lifting():
    """Metal primer that a coat would lift: sandable after 16 hours, closed after 72, lifted until 168."""
    part = PaperPart("one-pack-enamel", climate(days=60), day=ALWAYS).prepared()
    key = part.system.layers[0].product
    window = part.products[key].windows[0].model_copy(update={"lifts_until": "full_cure"})
    part.products[key] = part.products[key].model_copy(update={"windows": (window,)})
    for _ in part.system.layers[0].coats:
        part.coat(0, "primer")
    return part


@pytest.mark.parametrize(("now", "early", "late"), [(1, 16, 40), (50, 50, 50), (150, 168, 400), (390, 390, 390)])
def test_a_film_that_lifts_is_sanded_before_its_window_closes_or_when_it_lifts_no_more(now, early, late):
    part = lifting()
    first = part.rest(now).steps[0]
    assert first.step.kind == "sand"
    assert at(early) <= first.start <= at(late)
    assert (first.start == at(now)) is sandable(part.top(now), at(now))


def test_each_coat_has_the_window_for_the_product_that_lies_on_it():
    """For itself open until full cure, for anything else until it can be handled."""
    part = PaperPart("two-stage-epoxy").prepared()
    own = part.products[part.system.layers[0].product].windows[0]
    for key, product in part.products.items():
        for_itself = own.model_copy(update={"follows": "itself", "closes": "full_cure"})
        other = own.model_copy(update={"follows": "any", "closes": "handle"})
        part.products[key] = product.model_copy(update={"windows": (for_itself, other)})
    for hours, layer in enumerate(["epoxy", "epoxy", "build", "build"]):
        part.coat(hours, layer)
    film = part.look(5).film_of(part.zones[0].uuid)
    assert [clock.rule.closes for clock in film.clocks] == [
        f"recoat_closes_{mark}" for mark in ("full_cure", "handle", "full_cure", "full_cure")
    ]


@pytest.mark.parametrize(("micro", "waits"), [(-1, False), (0, True)])
def test_a_film_lifts_from_the_instant_of_its_closing_on(micro, waits):
    part = lifting()
    closing = part.top(1).bands["recoat_closes"].likely
    now = (closing + timedelta(microseconds=micro) - T0) / timedelta(hours=1)
    assert (part.rest(now).steps[0].start > at(now)) is waits
    assert sandable(part.top(now), at(now)) is not waits


@pytest.mark.parametrize("named", [True, False])
def test_a_film_takes_sandpaper_from_its_mark_on_whether_its_window_names_that_or_not(named):
    """Metal primer: open after three hours; sandable after sixteen, and one coat alone of the label's two after twelve."""
    part = PaperPart("one-pack-enamel", day=ALWAYS).prepared()
    layer = part.system.layers[0]
    product = part.products[layer.product]
    window = product.windows[0].model_copy(update={"sand": "sand" if named else None})
    part.products[layer.product] = product.model_copy(update={"windows": (window,)})
    part.coat(0, layer.id)
    found = {hours: sandable(part.top(hours), at(hours)) for hours in (1, 8, 11, 17, 30)}
    assert found == {1: False, 8: False, 11: False, 17: True, 30: True}


@pytest.mark.parametrize(("hardener", "later"), [("fast", False), ("slow", True)])
def test_the_gate_takes_the_hardener_that_will_go_in(hardener, later):
    product = PRODUCTS["single-stage-two-pack"]
    sheet = GoingOn.of_sheet(product)
    gate, other = (CoatGate(climate(), coat) for coat in (sheet, sheet.mixed(Blend(hardener))))
    start = seconds(T0)
    assert (other.safe_s(start) > gate.safe_s(start)) is later
    longer = CoatGate(climate(), replace(sheet, minutes=25))
    assert longer.safe_s(start) - gate.safe_s(start) == pytest.approx(25 * 60, abs=5)


def test_what_is_believed_before_the_first_test_spreads_by_a_quarter():
    assert learn([]).ln_sd == pytest.approx(0.25, abs=0.001)
    one = [TouchTest(100, ready_minutes=80)]
    assert learn(one) == learn(one, prior_ln_sd=0.25, noise_ln_sd=0.10, prior_ln_mean=0.0)


@pytest.mark.parametrize(
    ("minutes", "done"), [((29.6, 29.6, 59.6), True), ((29.6, 29.4, 60), False), ((30, 30, 30), False)]
)
def test_a_stage_of_heat_is_held_when_half_a_minute_is_missing_and_no_more(minutes, done):
    """120, 180 and 230 °C for 30, 30 and 60 minutes."""
    part = PaperPart("high-heat-staged").prepared()
    part.coat(0, "heat")
    for n, (metal, held) in enumerate(zip((120, 180, 230), minutes, strict=True)):
        part.write(20 + 2 * n, StepPayload(kind="bake", metal_temp_c=metal, minutes=held))
    assert (part.top(30).bands["full_cure"].likely == at(24)) is done


@pytest.mark.parametrize(("minutes", "again"), [(10, 12.0), (40, 44.0)])
def test_a_film_that_was_not_ready_is_touched_again_after_a_tenth_of_its_age_and_two_minutes_at_least(minutes, again):
    part = PaperPart("two-stage-epoxy").prepared()
    part.factor = lambda asked: (-9.0, 0.01)  # by the clock it was ready long ago
    part.coat(0, "epoxy")
    part.touch(minutes / 60, ready=False)
    assert (part.top(1).opens.early - T0).total_seconds() / 60 == pytest.approx(again)


@pytest.mark.parametrize(("minutes", "hardener"), [(-0.1, "fast"), (0, "slow")])
def test_a_pot_is_taken_until_the_instant_at_which_it_ends(minutes, hardener):
    part = PaperPart("two-stage-epoxy").prepared()
    layer = part.system.layers[0].model_copy(update={"hardener_speed": "slow"})
    part.pots = {layer.product: Pot(Blend("fast", doses=((Mode.REACTIVE, 0.8),)), ends=at(1))}
    found = Memory(part.look(0)).mix(layer, at(1 + minutes / 60))
    assert found.hardener_speed == hardener


def test_water_that_never_leaves_is_waited_for_to_the_end_of_what_the_climate_tells():
    """Saturated air: sixty days, and nothing goes on before."""
    assert damp_until(PRODUCTS["epoxy-primer-grey"], T0, climate(20, 100)) == T0 + timedelta(days=60)


def test_zones_that_were_wetted_one_after_the_other_are_wiped_when_the_last_is_dry():
    part = PaperPart("two-stage-epoxy", None, zone("A"), zone("B")).prepared()
    part.coat(0, "epoxy")
    part.sand(60, wet=True, zones="A")
    part.sand(61, wet=True, zones="B")
    wipe = part.rest(61.01).steps[0]
    assert (wipe.step.kind, wipe.start, wipe.step.zones) == ("wipe", at(61.5), {z.uuid for z in part.zones})


def test_the_gate_of_a_coat_over_two_films_is_that_of_the_thicker_one():
    part = PaperPart("two-stage-epoxy", None, zone("A"), zone("B")).prepared()
    part.coat(0, "epoxy", film=60, zones="B")
    part.coat(0, "epoxy", film=160, zones="A")
    gate = slowest_gate(part.look(1.5), part.rest(1.5).steps[0].step, at(1.5))
    assert gate.coat.below.film.wet_film_um == 160
    safe = {
        g.coat.below.film.wet_film_um: g.safe_s(seconds(at(1.5)))
        for g in gates_of(part.look(1.5), part.rest(1.5).steps[0].step, at(1.5))
    }
    assert gate.safe_s(seconds(at(1.5))) == safe[160] > safe[60] + 600


def coated_through(system="single-stage-epoxy", ends=-135.0):
    """A part on which all is done: a coat an hour, the last one at ``ends``."""
    part = PaperPart(system, climate(days=60), day=ALWAYS)
    part.skip(-200, *(step.id for step in part.steps if step.kind != "coat"))
    coats = [layer.id for layer in part.system.layers for _ in layer.coats]
    for place, layer in enumerate(coats):
        part.coat(ends - len(coats) + 1 + place, layer)
    return part


@pytest.mark.parametrize("frost", [True, False])
def test_a_film_that_stands_still_in_the_cold_is_never_called_cured(frost):
    part = coated_through()
    at_s = seconds(T0) + 3600.0 * np.arange(-240, 240)
    air = np.where(at_s < seconds(T0) - 3600 * 130, 20.0, -5.0 if frost else 20.0)
    part.climate = PartClimate(Series(at_s, air, np.full(len(at_s), 50.0)), T0 - timedelta(days=9))
    action, row = part.action(500), statuses(part.look(500))[0]
    assert (action.state.value, row.state.value) == (("curing", "curing") if frost else ("cured", "cured"))
    assert action.because == (
        "the film stands still in this climate" if frost else "past full cure, and nothing more to come"
    )


def on_the(edge, micro):
    """Hours from T0 to an instant, or to a microsecond beside it."""
    return (edge + timedelta(microseconds=micro) - T0) / timedelta(hours=1)


def test_each_instant_belongs_to_what_begins_with_it():
    """A microsecond before and at: the last hour of a window, its end, the mark of the sandpaper, and full cure."""
    part = PaperPart("two-stage-epoxy", day=ALWAYS).prepared()
    part.coat(0, "epoxy")
    closes = part.top(1).closes
    last_hour = closes.likely - timedelta(hours=1)
    before, then = (part.action(on_the(last_hour, micro)) for micro in (-1, 0))
    assert (before.state.value, before.counts_to) == ("open", closes.likely)
    assert (then.state.value, then.counts_to) == ("closing", closes.likely)
    assert [part.rest(on_the(closes.likely, micro)).steps[0].step.kind for micro in (0, 1)] == ["coat", "sand"]

    opens = part.top(1).bands["flash"]
    waiting, going = (part.rest(on_the(opens.likely, micro)).steps[0].start for micro in (-1, 0))
    assert (waiting, going) == (opens.late, opens.likely)
    key = part.rest(60).steps[0]
    assert (key.because, key.wait.value, key.start) == ("the recoat window has closed", "nothing", at(60))
    assert part.action(60).because == key.because

    primed = PaperPart("one-pack-enamel", day=ALWAYS).prepared()
    for _ in primed.system.layers[0].coats:
        primed.coat(0, "primer")
    sands = primed.top(1).bands["sand"].likely
    assert [primed.action(on_the(sands, micro)).does for micro in (-1, 0)] == ["touch_test", "sand"]
    assert [sandable(primed.top(1), sands + timedelta(microseconds=micro)) for micro in (-1, 0)] == [False, True]

    done = coated_through()
    cured = done.action(-130).counts_to
    for micro, state in ((-1, "curing"), (0, "cured")):
        hours = on_the(cured, micro)
        assert (done.action(hours).state.value, statuses(done.look(hours))[0].state.value) == (state, state)


@pytest.mark.parametrize(("micro", "asks"), [(0, False), (1, True)])
def test_a_wipe_is_good_for_twelve_hours_and_not_a_moment_longer(micro, asks):
    assert Key(T0 - timedelta(hours=1), T0, None, False).wants_wipe(at(12) + timedelta(microseconds=micro)) is asks


@pytest.mark.parametrize("air", [-5, 20])
def test_a_film_that_does_not_flash_in_the_cold_is_touched_still(air):
    part = PaperPart("two-stage-epoxy", climate(air), day=ALWAYS).prepared()
    part.coat(0, "epoxy")
    action = part.action(0.1)
    assert (action.state.value, action.does, action.counts_to is None) == ("wet", "touch_test", air < 0)
    assert bool(part.rest(0.1).stuck) is (air < 0)

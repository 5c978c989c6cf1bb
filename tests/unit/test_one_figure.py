"""One figure for one thing: waits end, closings show beside other work, readings add up, steps take what they say."""

from datetime import timedelta

import pytest
from tests.support import T0
from tests.unit.paper import ALWAYS, UTC_DAY, PaperPart, at, climate, zone

from cool_sheen.core.coatings.edit import set_finish
from cool_sheen.core.coatings.systems import System, Task
from cool_sheen.core.film.gauge import judge_readings
from cool_sheen.core.inspection.comb import combed
from cool_sheen.core.log.entries import StepPayload
from cool_sheen.core.log.looked import FilmReadingPayload
from cool_sheen.core.part.rows import next_actions
from cool_sheen.core.survey.below import Evidence, Strip, as_stripped, that_stay, what_is_below
from cool_sheen.core.work.labour import minutes_of
from cool_sheen.core.work.steps import only_on
from cool_sheen.formats.catalogue import shipped


def two_coats(*finish, product="single-stage-two-pack", film=60.0):
    """A system of one layer of two coats, and what is done after them."""
    layer = {"id": "one", "name": "One", "role": shipped().products[product].role, "product": product,
             "coats": [{"kind": "full", "wet_film_um": film}] * 2}  # fmt: skip
    told = {"key": "two", "name": "Two", "note": "two coats", "prepare": [], "finish": list(finish), "layers": [layer]}
    return System.model_validate(told)


@pytest.mark.parametrize(("hours", "waits"), [(18.4, True), (18.6, False), (30, False)])
def test_a_wait_of_a_step_that_also_waits_for_the_film_ends(hours, waits):
    """It went on for ever, at 0:00:00: the film was ready long before."""
    part = PaperPart(two_coats({"kind": "unmask", "wait_minutes": 1080, "words": "cure"}), climate(20, 50, days=30))
    part.coat(0, "one")
    part.coat(0.5, "one")
    action = part.action(hours)
    assert (action.alarm == "wait") is waits
    assert action.counts_to == (at(18.5) if waits else None)


def test_after_the_days_last_coat_the_lane_counts_to_the_hour_that_the_plan_has():
    part = PaperPart("dope-on-fabric", climate(), zone(ground="fabric"), day=UTC_DAY).prepared()
    for n in range(3):
        part.coat(n, part.system.layers[0].id)
    action = part.action(4)
    assert action.state.value == "limit"
    assert action.counts_to == at(24)  # T0 is at eight, and so is the morning
    assert action.counts_to == next(p.start for p in part.rest(4).steps if p.step.kind == "coat")


@pytest.mark.parametrize(
    ("coats", "hours", "does", "resumes"),
    [(0, 9, "wash", None), (0, 10, "wash", 24), (1, 9.5, "touch_test", None), (1, 9.9, "touch_test", 24),
     (2, 12, "touch_test", 24), (2, 23.9, "touch_test", 24), (2, 24, "touch_test", None)],
)  # fmt: skip
def test_whatever_waits_for_working_hours_says_when_they_begin_as_the_plan_has_it(coats, hours, does, resumes):
    part = PaperPart("two-stage-epoxy", day=UTC_DAY)
    if coats:
        part.prepared()
    for n in range(coats):
        part.coat(8 + n, "epoxy")
    action = part.action(hours)
    assert (action.does, action.resumes) == (does, at(resumes) if resumes else None)
    if resumes:
        assert part.rest(hours).steps[0].start == at(resumes)


def test_an_inspection_that_is_owed_counts_down_to_the_closing_of_the_coat_after_it():
    system = two_coats()
    layer = system.layers[0].model_copy(update={"between": (Task(kind="inspect", after="nothing"),)})
    part = PaperPart(system.model_copy(update={"layers": (layer,)}), climate(20, 50))
    part.coat(0, "one")
    action = part.action(1)
    assert (action.does, action.counting, action.alarm) == ("inspect", "window closes in", "closing")
    assert action.counts_to == part.top(1).closes.likely


@pytest.mark.parametrize(("hours", "counting"), [(47, "window closes in"), (48.1, "")])
def test_a_sanding_that_is_put_in_because_a_window_closes_at_night_counts_down_to_it_while_it_is_open(hours, counting):
    """Whoever stays may still coat as is: the lane said nothing of it."""
    part = PaperPart("two-stage-epoxy", climate(), day=UTC_DAY).prepared()
    part.coat(-12.5, "epoxy")
    part.coat(-12, "epoxy")
    action = part.action(hours - 12)  # the window closes at 36, the shop opens at 48
    assert (action.step.id.endswith(":key"), action.counting, action.resumes) == (True, counting, at(48))


@pytest.mark.parametrize(("holds", "left"), [(False, "done"), (True, "passed")])
def test_a_zone_that_was_found_thin_and_coated_over_is_not_asked_for_its_inspection_again(holds, left):
    system = two_coats()
    layer = system.layers[0].model_copy(update={"between": (Task(kind="inspect", after="nothing", holds=holds),)})
    part = PaperPart(system.model_copy(update={"layers": (layer,)}), climate(20, 50))
    part.coat(0, "one")
    look = next(s for s in part.steps if s.kind == "inspect")
    part.write(0.5, StepPayload(kind="inspect", not_passed=True), look.id)
    part.coat(1, "one")
    assert part.stands(2)[look.id] == left


def test_what_was_touched_and_ready_is_not_to_be_tested_first():
    part = PaperPart(day=ALWAYS).prepared()
    for n in range(2):
        part.coat(n, "epoxy")
    for n in range(3):
        part.coat(2 + n, "build")
    sands = part.top(5).bands["sand"].likely
    hours = (sands - T0) / timedelta(hours=1)
    assert "test first" in part.action(hours + 0.1).because
    part.touch(hours + 0.1, ready=True, milestone="sand")
    assert part.action(hours + 0.2).because == "tested"


def test_a_film_that_was_tested_dry_enough_to_sand_takes_its_key_however_early_that_is():
    part = PaperPart(day=ALWAYS).prepared()
    part.coat(0, "epoxy")
    part.coat(1, "epoxy")
    part.touch(1.05, ready=True, milestone="sand")
    part.sand(1.1)
    assert part.look(1.2).films[0].key.sanded == at(1.1)


# --- readings ---------------------------------------------------------------------------------------------------------


@pytest.mark.parametrize(("share", "thin"), [(0.8, False), (1.0, True)])
def test_the_tolerance_of_a_reading_is_the_sheets(share, thin):
    found = judge_readings([340, 520], 400, 550, share)
    assert (found.verdict, bool(found.low)) == (("uneven", True) if thin else ("ok", False))


@pytest.mark.parametrize(("second", "open_"), [(420, True), (460, False)])
def test_where_coats_add_up_a_thin_place_is_mended_by_the_sum(second, open_):
    """340 and 420 of twice 400: another coat alone mended it before."""
    part = PaperPart(two_coats(product="membrane-moisture", film=450), climate(20, 60, days=30))
    key = "membrane-moisture"
    part.products[key] = part.products[key].model_copy(update={"wet_film_min_um": 400, "wet_film_max_um": 550})
    part.coat(0, "one", film=450)
    said = FilmReadingPayload(state="wet", readings_um=(340, 520), places=("corner", "face"), coat=part.coats[-1])
    part.write(0.1, said)
    part.coat(30, "one", film=second)
    (read,) = combed(part.look(31).history, {p.content_hash: p for p in part.products.values()})
    assert bool(read.open_on) is open_


# --- what is below ----------------------------------------------------------------------------------------------------


def rub(hours, depth, family=None, state="cured"):
    return Evidence("solvent rub", at(hours), family, state, depth, "rub")


def test_to_sound_film_takes_off_what_solvents_soften_over_what_they_leave_alone():
    """Softens, softens, unaffected: what stays is the two-pack below."""
    old = zone(old_finish="enamel_1k", old_state="cured")
    tests = [rub(0, 0, "enamel_1k"), rub(1, 1, "lacquer"), rub(2, 2, "urethane_2k")]
    strips = [Strip(at(3), "sound")]
    found = what_is_below(as_stripped(old, strips), that_stay(tests, strips))
    assert found.below.family == "urethane_2k"
    enamel = [rub(0, 0, "enamel_1k", "failing"), rub(1, 1, "enamel_1k")]
    assert what_is_below(as_stripped(old, strips), that_stay(enamel, strips)).below.family == "enamel_1k"


@pytest.mark.parametrize(("demands", "state"), [((), "keyed"), (("gloss-key",), "cured")])
def test_a_film_that_was_found_matt_gives_hold(demands, state):
    old = zone(old_finish="enamel_1k", old_state="cured")
    gloss = Evidence("gloss and wax", at(1), None, None, 0, "gloss", demands)
    assert what_is_below(old, [gloss]).below.state == state


def test_a_strip_that_is_planned_is_no_finding():
    old = zone(old_finish="enamel_1k", old_state="failing", strip="planned")
    assert old.bare  # the system goes on the substrate
    assert what_is_below(old.as_it_is, []).below.family == "enamel_1k"
    assert what_is_below(as_stripped(old, [Strip(at(1), "substrate")]).as_it_is, []).below.state == "bare"


# --- steps ------------------------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("task", "minutes"),
    [
        ({"kind": "own", "words": "wet the floor"}, 5),
        ({"kind": "own", "words": "wet the floor", "minutes": 12}, 12),
        ({"kind": "own", "words": "mist each face", "minutes": 2, "per_m2": True}, 20),
        ({"kind": "test_card"}, 2),
    ],
)
def test_a_step_of_ones_own_takes_what_it_says_whatever_the_area(task, minutes):
    system = set_finish(shipped().systems["single-stage-epoxy"], [Task.model_validate(task)])
    part = PaperPart(system, None, zone("A", 6.0), zone("B", 4.0))
    step = part.steps[-1]
    assert minutes_of(step) == pytest.approx(minutes)
    half = only_on(step, frozenset({part.zones[0].uuid}), part.zones)
    assert minutes_of(half) == pytest.approx(minutes * 0.6 if step.per_m2 else minutes)
    assert bool(step.to_tick) is (step.kind == "test_card")


# --- rows -------------------------------------------------------------------------------------------------------------


def test_zones_with_the_same_next_thing_are_one_row_and_the_rest_have_their_own():
    part = PaperPart("two-stage-epoxy", None, zone("A"), zone("B"), zone("C"), day=ALWAYS).prepared()
    part.coat(0, "epoxy", zones="A B")
    rows = [(a.row, part.look(1).names(a.zones)) for a in next_actions(part.look(1))]
    assert rows == [("epoxy:coat:1", "C"), ("epoxy:coat:2", "A, B")]
    whole = PaperPart("two-stage-epoxy", None, zone("A"), zone("B"), day=ALWAYS).prepared()
    whole.coat(0, "epoxy")
    assert [a.row for a in next_actions(whole.look(1))] == ["epoxy:coat:2"]


def test_zones_whose_window_has_closed_have_a_row_of_their_own_beside_those_that_are_open():
    part = PaperPart("two-stage-epoxy", None, zone("A"), zone("B"), day=ALWAYS).prepared()
    part.coat(0, "epoxy", zones="A")
    part.coat(3, "epoxy", zones="B")
    rows = {a.row: part.look(48.5).names(a.zones) for a in next_actions(part.look(48.5))}
    assert rows == {"epoxy:coat:2:key": "A", "epoxy:coat:2": "B"}


def test_the_other_face_is_a_row_that_asks_for_the_turn():
    part = PaperPart("two-stage-epoxy", None, zone("A"), zone("B", setting=2), day=ALWAYS).prepared()
    part.coat(0, "epoxy", zones="A")
    first, second = next_actions(part.look(1))
    assert first.row == "epoxy:coat:2"
    assert second.row.startswith("epoxy:coat:1@2:turn@2")

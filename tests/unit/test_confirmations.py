"""What is asked before it is logged: the table is told on its page, and each check asks on its own side of its threshold."""

import re
from dataclasses import replace
from datetime import timedelta
from pathlib import Path

import pytest
from tests.support import T0
from tests.unit.paper import ALWAYS, PaperPart, at, climate, zone

from cool_sheen.core.coatings.systems import Coat
from cool_sheen.core.part.rows import next_actions
from cool_sheen.core.press.contradictions import CHECKS, Intent, contradictions
from cool_sheen.core.work.steps import CoatStep

PAGE = (Path(__file__).parents[2] / "docs" / "confirmations.md").read_text()


def test_the_page_tells_every_check_of_the_table_and_no_other():
    told = re.findall(r"^\| (\w+) \| (.+?) \| (.+?) \|$", PAGE.partition("Four more")[0], re.MULTILINE)
    table = [(c.code, c.asks_when, "all" if "*" in c.of else ", ".join(sorted(c.of))) for c in CHECKS]
    assert [row for row in told if row[0] != "code"] == table


def intent(part, hours, does="coat", step=None, zones=None, **more):
    """What a press at an hour means to log: the row's step, on its zones, unless it says something else."""
    look = part.look(hours)
    row = next_actions(look)[0]
    step = step or row.step
    layer, coat = (step.layer, step.coat) if isinstance(step, CoatStep) else (None, None)
    names = frozenset(z.uuid for z in part.zones if z.name in zones.split()) if zones else row.zones
    made = Intent(look, does, names or look.all_zones, at(hours), lambda t: f"{t:%H:%M}", step, layer, coat)
    return replace(made, **more)


def codes(*args, **more):
    return [c.code for c in contradictions(intent(*args, **more))]


def coats(part):
    return [s for s in part.look(0).owed.steps if isinstance(s, CoatStep)]


def test_a_press_of_the_row_at_its_time_is_asked_nothing():
    part = PaperPart(day=ALWAYS)
    for kind in ("wash", "degrease"):
        assert codes(part, 0, kind) == []
        part.step(0, kind)
    part = PaperPart(day=ALWAYS).prepared()
    assert codes(part, 0) == []
    part.coat(0, "epoxy")
    assert codes(part, 2) == []


def test_a_first_coat_on_a_surface_with_nothing_prepared_names_what_is_not_done():
    part = PaperPart(day=ALWAYS)
    (found,) = contradictions(intent(part, 0, step=coats(part)[0]))
    assert found.code == "before"
    assert found.words.startswith("Not done before it: Wash")
    assert codes(part, 0, "sand", step=next(s for s in part.look(0).owed.steps if s.kind == "sand"), grit="P120") == [
        "before"
    ]


@pytest.mark.parametrize(("minutes", "asks"), [(5, ["wet"]), (40, [])])
def test_a_coat_on_a_film_that_has_not_flashed_is_asked_about(minutes, asks):
    part = PaperPart(day=ALWAYS).prepared()
    part.coat(0, "epoxy")
    assert codes(part, minutes / 60) == asks


@pytest.mark.parametrize(("hours", "asks"), [(47.9, []), (48.1, ["closed"])])
def test_a_coat_past_its_window_is_asked_about(hours, asks):
    part = PaperPart(day=ALWAYS).prepared()
    part.coat(0, "epoxy")
    assert codes(part, hours, step=coats(part)[1]) == asks


@pytest.mark.parametrize(("had", "asks"), [(2, []), (3, ["day"])])
def test_a_coat_over_the_days_limit_says_what_it_risks(had, asks):
    part = PaperPart("lacquer-build", climate(), day=ALWAYS).prepared()
    for n in range(had):
        part.coat(n, part.system.layers[0].id)
    asked = contradictions(intent(part, had + 0.5, step=coats(part)[min(had, len(coats(part)) - 1)]))
    assert [c.code for c in asked if c.code == "day"] == asks
    if asks:
        assert "shrinks and cracks" in next(c.words for c in asked if c.code == "day")


@pytest.mark.parametrize(("rh", "asks"), [(70, []), (95, ["gate"])])
def test_a_coat_outside_the_limits_says_which(rh, asks):
    part = PaperPart("two-stage-epoxy", climate(20, rh), day=ALWAYS).prepared()
    found = contradictions(intent(part, 0, step=coats(part)[0]))
    assert [c.code for c in found] == asks
    assert all("humidity over" in c.words for c in found)


@pytest.mark.parametrize(("left", "asks"), [(2154, []), (2153, ["cup"]), (None, [])])
def test_a_cup_that_holds_too_little_is_asked_about(left, asks):
    part = PaperPart(day=ALWAYS).prepared()
    assert codes(part, 0, cup_ml=left, takes_ml=2692) == asks


def test_an_open_tick_is_asked_about_and_one_that_was_ticked_with_another_piece_is_not():
    part = PaperPart(day=ALWAYS).prepared()
    step = replace(coats(part)[0], to_tick=("pattern checked",))
    assert codes(part, 0, step=step) == ["ticks"]
    assert codes(part, 0, step=step, ticked=("pattern checked",)) == []


def test_each_of_two_tests_that_the_sheet_asks_for_is_named_when_it_is_missing():
    part = PaperPart(day=ALWAYS).prepared()
    key = part.system.layers[0].product
    part.products[key] = part.products[key].model_copy(update={"ready_tests": ("colour_change", "thumb_on_tape")})
    part.coat(0, "epoxy")
    (both,) = contradictions(intent(part, 2))
    assert (both.code, "colour change, thumb on the tape" in both.words) == ("tests", True)
    part.touch(2, ready=True, how="colour_change")
    (one,) = contradictions(intent(part, 2.1))
    assert one.words.endswith("thumb on the tape.")
    part.touch(2.2, ready=True, how="thumb_on_tape")
    assert codes(part, 2.3) == []


@pytest.mark.parametrize(("hours", "says"), [(1, "wiped"), (14, "over 12 h")])
def test_a_sanded_film_that_was_not_wiped_or_long_ago_is_asked_about(hours, says):
    part = PaperPart(day=ALWAYS).prepared()
    part.coat(-60, "epoxy")
    part.sand(0)
    if hours > 12:
        part.step(0.1, "wipe")
    (found,) = contradictions(intent(part, hours, step=coats(part)[1]))
    assert (found.code, says in found.words) == ("wipe", True)


def test_a_coat_on_the_face_that_lies_down_asks_for_the_turn_and_says_from_when():
    part = PaperPart("two-stage-epoxy", None, zone("A"), zone("B", setting=2), day=ALWAYS).prepared()
    part.coat(0, "epoxy", zones="A")
    second = next(s for s in coats(part) if s.setting == 2)
    found = contradictions(intent(part, 0.6, step=second, zones="B"))
    turn = next(c for c in found if c.code == "turn")
    assert turn.words.startswith("No turn is logged, and B lies down. It can be turned from ")


def test_a_coat_that_ended_before_the_one_on_top_would_be_under_it():
    part = PaperPart(day=ALWAYS).prepared()
    part.coat(0, "epoxy")
    late = intent(part, 2)
    assert next(c.code for c in contradictions(replace(late, at=T0 - timedelta(hours=1)))) == "order"


def test_sanding_a_soft_film_says_that_it_is_no_key_and_from_when():
    part = PaperPart(day=ALWAYS).prepared()
    part.coat(0, "epoxy")
    (found,) = [c for c in contradictions(intent(part, 1, "sand", grit="P320")) if c.code == "wet"]
    assert "too soft to sand. It can be sanded from" in found.words


def test_a_mist_may_be_followed_and_may_follow_while_it_is_wet():
    part = PaperPart(day=ALWAYS).prepared()
    part.coat(0, "epoxy")
    assert codes(part, 0.02, coat=Coat(kind="mist", wet_film_um=30)) == []

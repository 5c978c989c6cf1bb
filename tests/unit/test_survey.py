"""What is underneath: areas from shapes, what tests and words make of a zone, and histories that are handed on."""

import math
from datetime import timedelta
from uuid import uuid4

import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.support import T0
from tests.unit.paper import PaperPart, at
from tests.unit.paper import zone as paper_zone

from cool_sheen.core.coatings.compatibility import Below
from cool_sheen.core.errors import OutOfRange
from cool_sheen.core.log.entries import (
    CheckPayload,
    ClaimPayload,
    CoatPayload,
    Entry,
    Recorded,
    StepPayload,
    SurveyTestPayload,
    Target,
    VoidPayload,
)
from cool_sheen.core.log.fold import fold
from cool_sheen.core.survey.below import (
    SOFTEST_FIRST,
    WORST_FIRST,
    Evidence,
    Strip,
    as_stripped,
    asked_by,
    that_stay,
    what_is_below,
)
from cool_sheen.core.survey.shapes import NEEDS, Shape
from cool_sheen.core.survey.zones import ZoneFacts, bared_first, gone_off
from cool_sheen.formats.catalogue import shipped

# Worked by hand: kind, sizes in metres, area in square metres.
AREAS = [
    ({"kind": "sheet", "length_m": 2, "width_m": 0.5}, 1.0),
    ({"kind": "sheet", "length_m": 2, "width_m": 0.5, "sides": 2, "count": 3}, 6.0),
    ({"kind": "box", "length_m": 1, "width_m": 2, "height_m": 3}, 22.0),
    ({"kind": "tube", "diameter_m": 0.1, "length_m": 2}, 0.2 * math.pi),
    ({"kind": "cylinder", "diameter_m": 2, "length_m": 1}, 4 * math.pi),
    ({"kind": "cone", "diameter_m": 6, "height_m": 4}, 15 * math.pi),
    ({"kind": "sphere", "diameter_m": 0.5}, 0.25 * math.pi),
    ({"kind": "frame", "length_m": 1, "width_m": 1, "openness": 0.6}, 0.8),
    ({"kind": "spindles", "length_m": 1, "width_m": 1, "openness": 0.5}, math.pi / 2),
    ({"kind": "typed", "typed_m2": 1.4}, 1.4),
]


@pytest.mark.parametrize(("data", "area"), AREAS, ids=[data["kind"] for data, _ in AREAS])
def test_an_area_follows_from_its_shape(data, area):
    assert Shape.model_validate(data).area_m2 == pytest.approx(area, rel=1e-9)


@given(st.sampled_from(sorted(set(NEEDS) - {"typed"})), st.floats(0.01, 5), st.floats(1.1, 3), st.integers(1, 20))
def test_twice_as_long_is_four_times_the_area_and_pieces_add_up(kind, size, scale, count):
    one = Shape.model_validate({"kind": kind, **dict.fromkeys(NEEDS[kind], size)})
    larger = Shape.model_validate({"kind": kind, **dict.fromkeys(NEEDS[kind], size * scale)})
    many = Shape.model_validate({"kind": kind, "count": count, **dict.fromkeys(NEEDS[kind], size)})
    assert larger.area_m2 == pytest.approx(one.area_m2 * scale**2)
    assert many.area_m2 == pytest.approx(one.area_m2 * count)


@pytest.mark.parametrize(
    ("data", "says"),
    [
        ({"kind": "box", "length_m": 1, "width_m": 1}, "a box needs height"),
        ({"kind": "sheet", "length_m": 0, "width_m": 1}, "greater than 0"),
        ({"kind": "sheet", "length_m": 200, "width_m": 200, "count": 10}, "none of a part"),
        ({"kind": "frame", "length_m": 1, "width_m": 1, "openness": 1}, "less than 1"),
        ({"kind": "sphere", "diameter_m": float("nan")}, "finite number"),
        ({"kind": "blob"}, "Input should be"),
    ],
)
def test_an_absurd_shape_is_refused(data, says):
    with pytest.raises(ValueError, match=says):
        Shape.model_validate(data)


def zone(**facts) -> ZoneFacts:
    return ZoneFacts(**{"uuid": uuid4(), "name": "Rim", "area_m2": 1.0, "ground": "bare_steel", **facts})


def test_a_test_beats_a_word_and_a_later_test_an_earlier_one():
    told = zone(old_finish="urethane_2k", old_state="cured")
    assert what_is_below(told, []).below == Below("urethane_2k", "cured")
    heard = zone(old_finish="urethane_2k", old_state="cured", word_of_another=True)
    assert what_is_below(heard, []).below == Below("unknown", "unknown")
    assert "not checked" in what_is_below(heard, []).why
    rub = Evidence("solvent rub", T0, "enamel_1k", "cured")
    assert what_is_below(heard, [rub]).below == Below("enamel_1k", "cured")
    cut = Evidence("cross-cut", T0 + timedelta(hours=1), None, "failing")
    assert what_is_below(heard, [rub, cut]).below == Below("enamel_1k", "failing")
    assert what_is_below(told, [rub], keyed=True).below == Below("enamel_1k", "keyed")
    assert what_is_below(told, [cut], keyed=True).below == Below("urethane_2k", "failing")


def test_a_stripped_zone_shows_its_substrate_whatever_was_on_it():
    stripped = zone(old_finish="unknown", strip="substrate")
    assert what_is_below(stripped, [Evidence("solvent rub", T0, "lacquer", "cured")]).below == Below(
        "bare_steel", "bare"
    )
    sound = zone(old_finish="enamel_1k", old_state="failing", strip="sound")
    assert what_is_below(sound, []).below == Below("enamel_1k", "cured")


LIMITS = {"bare_steel": 8, "bare_aluminium": 24, "bare_zinc": 24}


def test_the_zone_that_was_bared_first_is_the_first_to_be_abraded_again():
    old, new = (zone(name=n, old_finish="none", bare_since=T0 - timedelta(hours=h)) for n, h in (("a", 30), ("b", 5)))
    assert [z.name for z in bared_first([new, old, zone(old_finish="none")])] == ["a", "b"]
    found = {(ground, h): gone_off(ground, h) for ground, at in LIMITS.items() for h in (at, at + 0.01)}
    assert found == {(ground, h): h > at for ground, at in LIMITS.items() for h in (at, at + 0.01)}
    assert not gone_off("bare_timber", 900)
    assert not gone_off("bare_steel", None)


def test_a_figure_means_what_the_table_says_and_an_impossible_one_is_refused():
    cut, damp = shipped().tests["cross_cut"], shipped().tests["timber_moisture"]
    assert [cut.of_reading(n).key for n in range(6)] == ["sound", "sound", "doubtful", "failing", "failing", "failing"]
    assert [damp.of_reading(n).key for n in (8, 12, 12.1, 16, 40)] == ["dry", "dry", "damp", "damp", "wet"]
    with pytest.raises(OutOfRange, match="reads from 0 to 5 class"):
        cut.of_reading(6)
    for test in shipped().tests.values():
        assert test.judge
        assert len(test.results) >= 2


class Log:
    """Lines about zones, in order."""

    def __init__(self) -> None:
        self.lines: list[Recorded] = []

    def write(self, payload, *zones, **more) -> Entry:
        at = T0 + timedelta(hours=len(self.lines))
        targets = tuple(Target(zone=z) for z in zones)
        entry = Entry(uuid=uuid4(), payload=payload, occurred_at=at, targets=targets, **more)
        self.lines.append(Recorded(seq=len(self.lines) + 1, recorded_at=at, entry=entry))
        return entry


COAT = CoatPayload(layer_id="epoxy", coating="x", volume_solids_pct=50, wet_film_um=100)


def test_a_zone_that_was_split_hands_its_coats_on_and_new_coats_stay_where_they_were_put():
    whole, rest, patch = uuid4(), uuid4(), uuid4()
    log = Log()
    log.write(COAT, whole)
    log.write(COAT, patch)
    state = fold(log.lines, [rest, patch], {whole: frozenset({rest, patch})})
    assert [state.coats_by_zone[z]["epoxy"] for z in (rest, patch)] == [1, 2]
    assert [state.builds[z].total_um for z in (rest, patch)] == [50, 100]
    assert state.counts["epoxy"] == 1
    assert sorted(len(g) for g in state.same_coats()) == [1, 1]
    assert len(state.of(frozenset({rest})).coats) == 1


def test_a_claim_is_no_work_until_it_was_checked_and_a_check_can_be_taken_back():
    here = uuid4()
    log = Log()
    claim = log.write(ClaimPayload(says="degrease", whose="the customer"), here)
    assert fold(log.lines, [here]).works == []
    check = log.write(CheckPayload(claim=claim.uuid, holds=True), here)
    assert [d.kind for d in fold(log.lines, [here]).works] == ["degrease"]
    log.write(VoidPayload(), voids=check.uuid)
    assert fold(log.lines, [here]).works == []
    log.write(CheckPayload(claim=claim.uuid, holds=False), here)
    state = fold(log.lines, [here])
    assert state.works == []
    assert state.claims[claim.uuid].holds is False
    log.write(SurveyTestPayload(test="solvent_rub", result="softens"), here)
    assert [s.payload.result for s in fold(log.lines, [here]).surveyed] == ["softens"]


OLD = {"old_finish": "enamel_1k", "old_state": "cured"}
RUB = {"dissolves": ("lacquer", "cured"), "softens": ("enamel_1k", "cured"), "unaffected": ("urethane_2k", "cured")}


def seen(depth, result, hours=0.0):
    family, state = RUB.get(result, (None, result))
    return Evidence("solvent rub", T0 + timedelta(hours=hours), family, state, depth)


@pytest.mark.parametrize(
    ("tests", "family", "state"),
    [
        ([(0, "unaffected")], "urethane_2k", "cured"),
        ([(0, "unaffected"), (1, "dissolves")], "lacquer", "cured"),
        ([(0, "unaffected"), (1, "softens"), (2, "unaffected")], "enamel_1k", "cured"),
        ([(0, "unaffected"), (1, "failing")], "urethane_2k", "failing"),
        ([(0, "unaffected"), (1, "dissolves"), (1, "unaffected")], "urethane_2k", "cured"),  # tested again
    ],
)
def test_tests_at_depths_are_read_from_the_top_down_and_the_softest_decides(tests, family, state):
    evidence = [seen(depth, result, n) for n, (depth, result) in enumerate(tests)]
    assert what_is_below(zone(**OLD), evidence).below == Below(family, state)


@pytest.mark.parametrize(
    ("strips", "family", "state"),
    [
        ([], "lacquer", "failing"),
        (["1"], "lacquer", "failing"),
        (["2"], "urethane_2k", "cured"),
        (["1", "1"], "urethane_2k", "cured"),
        (["sound"], "urethane_2k", "cured"),  # the lacquer that lets go is off, and what lay over it
        (["3"], "unknown", "unknown"),  # deeper than anybody looked
        (["substrate"], "bare_steel", "bare"),
    ],
)
def test_what_was_stripped_since_is_out_of_the_tests(strips, family, state):
    evidence = [seen(0, "softens"), seen(1, "dissolves"), seen(1, "failing", 0.5), seen(2, "unaffected")]
    done = [Strip(T0 + timedelta(hours=1 + n), depth) for n, depth in enumerate(strips)]
    there = as_stripped(zone(**OLD), done)
    assert what_is_below(there, that_stay(evidence, done)).below == Below(family, state)
    if family != "bare_steel":  # what is found after it counts
        soft = that_stay([*evidence, seen(0, "dissolves", 9)], done)
        assert what_is_below(there, soft).below.family in ("lacquer", "unknown")


@given(
    st.lists(st.tuples(st.integers(0, 4), st.sampled_from(sorted(RUB)), st.integers(0, 40)), max_size=8),
    st.lists(st.tuples(st.sampled_from(["1", "2", "sound", "substrate"]), st.integers(0, 40)), max_size=3),
)
def test_no_film_that_stays_is_softer_than_what_is_said_and_no_stripped_one_is_spoken_of(tests, strips):
    evidence = sorted((seen(d, result, hours) for d, result, hours in tests), key=lambda e: e.at)
    done = sorted((Strip(T0 + timedelta(hours=hours + 0.5), depth) for depth, hours in strips), key=lambda s: s.at)
    there, kept = as_stripped(zone(**OLD), done), that_stay(evidence, done)
    last = max((s.at for s in done if s.depth == "substrate"), default=None)
    assert not [e for e in kept if last and e.at <= last]
    assert len(kept) <= len(evidence)
    found = what_is_below(there, kept).below
    latest = {e.depth: e.family for e in kept}
    if not there.bare:
        assert all(SOFTEST_FIRST.index(found.family) <= SOFTEST_FIRST.index(f) for f in latest.values() if f)
        assert WORST_FIRST.index(found.state) <= WORST_FIRST.index("cured")


@pytest.mark.parametrize(("held", "says"), [(None, True), (1.99, False), (2.0, True), (24, True)])
def test_a_rub_that_shows_nothing_says_nothing_before_its_time(held, says):
    rub = shipped().tests["solvent_rub"]
    assert rub.proves(rub.result("unaffected"), held) is says
    assert rub.proves(rub.result("softens"), held), "what softens at once is soft"


def test_the_latest_word_of_a_test_says_what_is_asked_for():
    rusty = Evidence("rust", T0, key="rust", demands=("rust-off", "rust-blocker"))
    bright = Evidence("rust", T0 + timedelta(hours=2), key="rust")
    waxed = Evidence("gloss and wax", T0, key="gloss", demands=("wax-off",))
    assert set(asked_by([rusty, waxed])) == {"rust-off", "rust-blocker", "wax-off"}
    assert set(asked_by([rusty, waxed, bright])) == {"wax-off"}


@pytest.mark.parametrize(
    ("ground", "hours", "state"),
    [
        ("bare_steel", 8.0, "bare"), ("bare_steel", 8.1, "weathered"), ("bare_zinc", 24, "bare"),
        ("bare_zinc", 24.1, "weathered"), ("bare_timber", 999, "bare"), ("bare_steel", None, "bare"),
    ],
)  # fmt: skip
def test_bare_metal_that_stood_too_long_is_abraded_again(ground, hours, state):
    bare = zone(old_finish="none", ground=ground)
    assert what_is_below(bare, [], bare_h=hours).below == Below(ground, state)


def test_abrading_and_stripping_start_the_clock_of_bare_metal_anew_and_the_first_coat_stops_it():
    steel = paper_zone(bare_since=T0 - timedelta(hours=30))
    part = PaperPart("two-stage-epoxy", None, steel)

    def stood(hours):
        history = part.look(hours).history
        return round(history.bare_h(history.as_logged([steel])[0], at(hours)), 6)

    assert stood(0) == 30
    part.sand(1, "P120")
    assert stood(3) == 2
    part.write(4, StepPayload(kind="strip", stripped="substrate"))
    assert stood(5) == 1
    part.coat(9, "epoxy")
    part.sand(60, "P320")
    assert stood(70) == 5

"""One account by zone: what is done to one zone moves no other, and the next action is the first thing in the plan."""

from datetime import timedelta
from itertools import pairwise

import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.support import T0
from tests.unit.paper import UTC_DAY, PaperPart, at, climate, zone

from cool_sheen.core.coatings.edit import edit_layer
from cool_sheen.core.coatings.systems import System
from cool_sheen.core.drying.clock import Film, film_factor
from cool_sheen.core.drying.phases import Phase
from cool_sheen.core.log.entries import CoatPayload
from cool_sheen.core.part.status import State, statuses
from cool_sheen.formats.catalogue import shipped

KINDS = ("coat", "coat", "coat", "sand", "wash", "degrease", "wipe", "tack", "mask", "touch", "skip")
EVENT = st.tuples(
    st.integers(0, 480), st.sampled_from(KINDS), st.integers(0, 11), st.sampled_from(["A", "B", "A B"])
)  # fmt: skip
LOG = st.lists(EVENT, max_size=12).map(sorted)
SYSTEMS = st.sampled_from(sorted(shipped().systems))


def two(system, **more):
    return PaperPart(system, climate(days=40), zone("A"), zone("B"), **more)


def write(part, event):
    """Write one event of a log: quarters of an hour after T0, its kind, which one, and where."""
    quarter, kind, which, where = event
    hours, layers = quarter / 4, part.system.layers
    if kind == "coat":
        part.coat(hours, layers[which % len(layers)].id, zones=where)
    elif kind == "sand":
        part.sand(hours, ("P120", "P320", "P500")[which % 3], zones=where, wet=which > 9)
    elif kind == "skip":
        part.skip(hours, part.steps[which % len(part.steps)].id, zones=where)
    elif kind == "touch":
        if part.coats:
            part.touch(hours, which % 2 == 0, zones=where)
    else:
        part.step(hours, kind, zones=where)


def stands(part, hours, name):
    """How one zone stands."""
    uuid = next(z.uuid for z in part.zones if z.name == name)
    row = next(row for row in statuses(part.look(hours)) if uuid in row.zones)
    return row.state, row.until, row.closes, row.tested, row.warnings


@given(SYSTEMS, LOG, EVENT, st.integers(0, 240))
def test_whatever_is_done_to_one_zone_moves_no_other(system, log, more, later):
    part = two(system)
    for event in log:
        write(part, event)
    hours = max(480, more[0]) / 4 + later / 4
    before = stands(part, hours, "B")
    write(part, (*more[:3], "A"))
    assert stands(part, hours, "B") == before


@given(SYSTEMS, LOG, st.integers(0, 240))
def test_whatever_was_logged_the_next_action_is_the_first_thing_in_the_plan(system, log, later):
    part = two(system)
    for event in log:
        write(part, event)
    hours = 120 + later / 4
    action, plan = part.action(hours), part.rest(hours)
    rows = {row.step.id: row for row in part.look(hours).owed.rows}
    if plan.steps:
        assert (action.step.id, action.zones) == (plan.steps[0].step.id, plan.steps[0].step.zones)
    else:
        assert action.does == ""
        assert bool(plan.stuck) == any(row.owed and not row.passed for row in rows.values())
    for planned in plan.steps:
        assert planned.start >= at(hours)
        if planned.step.id in rows:
            assert rows[planned.step.id].owed
            assert planned.step.zones <= rows[planned.step.id].owed
    for one, after_it in pairwise(plan.steps):
        assert one.end <= after_it.start
    if not plan.stuck:
        placed = {p.step.id for p in plan.steps}
        assert {i for i, row in rows.items() if row.owed - row.passed} <= placed


@pytest.mark.parametrize("key", sorted(shipped().products))
def test_a_second_account_of_the_phases_at_reference_conditions_agrees(key):
    """The sheet's own figures, read off: no integral, no factor, no band."""
    product = shipped().products[key]
    system = System.model_validate(
        {
            "key": "two-coats", "name": "Two coats", "note": "to look at its clock", "prepare": [], "finish": [],
            "layers": [{"id": "one", "name": "One", "role": product.role, "product": key,
                        "coats": [{"kind": "full", "wet_film_um": product.ref_wet_film_um}] * 2}],
        }
    )  # fmt: skip
    minutes = {m.name: m.ref_minutes for m in product.milestones}
    window = next(w for w in (*(w for w in product.windows if w.follows == "itself"), *product.windows))
    opens = minutes[window.opens]
    closes = None if window.redissolves or window.closes is None else minutes[window.closes]
    sand = minutes[window.sand] if window.sand else None
    lifts = minutes[window.lifts_until] if window.lifts_until else None
    mark = next((m for m in product.drying.milestones if m.name == window.sand), None)
    if mark is not None:  # one coat alone of a build: sooner, by the film of it
        sand *= film_factor(product.drying, mark, Film(T0, product.ref_wet_film_um))
    part = PaperPart(system, climate(product.ref_temp_c, product.ref_rh_pct, days=60))
    part.coat(0, "one", film=product.ref_wet_film_um)

    def expected(after):
        if after < opens:
            return Phase.WET
        if closes is None or after < closes:
            return Phase.OPEN
        ready = max(sand or 0, lifts or 0)
        if product.never_sanded:
            return Phase.SHUT
        return Phase.LOCKED if after < ready else Phase.KEY

    edges = sorted({opens, *(e for e in (closes, sand, lifts) if e)})
    for minute in [edge + side for edge in edges for side in (-0.05 * edge, 0.05 * edge)]:
        now = T0 + timedelta(minutes=minute)
        seen = part.top(minute / 60).phase_at(now).phase
        seen = Phase.OPEN if seen is Phase.CLOSING else seen
        assert seen == expected(minute), (minute, edges)


def test_two_faces_coated_in_turn_are_owed_their_own_coats_and_close_at_their_own_hours():
    part = two("two-stage-epoxy").prepared()
    for hours, where in ((0, "A"), (1, "B"), (2, "A")):
        part.coat(hours, "epoxy", zones=where)
    action = part.action(2.2)
    assert action.step.id == "epoxy:coat:2"
    assert part.look(2.2).names(action.zones) == "B"
    assert (action.state, action.does) == (State.OPEN, "touch_test")
    rows = statuses(part.look(2.2))
    assert [(part.look(2.2).names(row.zones), row.state) for row in rows] == [("B", State.OPEN), ("A", State.WET)]
    part.coat(2.3, "epoxy", zones="B")
    assert part.action(2.4).step.id == "build:coat:1"
    assert part.action(2.4).state is State.WET


@pytest.mark.parametrize("done", ["sand", "touch", "coat"])
def test_a_locked_zone_stays_locked_when_the_other_one_is_worked_on(done):
    part = two("one-pack-enamel").prepared()
    part.coat(0, "primer")
    locked = [h for h in range(1, 200) if stands(part, h, "A")[0] is State.LOCKED]
    hours = locked[0] + 0.5 if locked else 30
    before = stands(part, hours + 1, "B")
    if done == "sand":
        part.sand(hours, zones="A")
    elif done == "touch":
        part.touch(hours, True, "sand", zones="A")
    else:
        part.coat(hours, "primer", zones="A")
    assert stands(part, hours + 1, "B") == before
    assert stands(part, hours + 1, "A") != before


def test_key_sanding_between_two_coats_does_not_tick_off_the_sanding_that_is_still_to_come():
    part = two("two-stage-epoxy").prepared()
    part.coat(0, "epoxy")
    part.sand(24, "P320")
    part.step(24.2, "wipe")
    part.coat(24.4, "epoxy")
    for n in range(3):
        part.coat(25 + n, "build")
    owed = [i for i, status in part.stands(28).items() if status in ("next", "ahead")]
    assert [i for i in owed if ":sand:" in i][:2] == ["build:sand:P320", "build:sand:P500"]
    assert "build:then:1:wipe" in owed


def test_what_a_later_coat_lies_over_asks_until_it_is_said_to_be_done_or_why_not():
    part = two("two-stage-epoxy")
    part.coat(0, "epoxy")
    passed = [row.step.id for row in part.look(1).owed.passed_over()]
    assert passed == [s.id for s in part.steps if s.id.startswith("prepare:")]
    assert part.action(1).step.id == "epoxy:coat:2"
    part.skip(1, *passed[:2])
    part.step(1, part.steps[2].kind if part.steps[2].kind != "sand" else "wipe", passed[2])
    left = [row.step.id for row in part.look(2).owed.passed_over()]
    assert set(left) == set(passed[3:])


@pytest.mark.parametrize(("called", "done"), [("build:coat:3", "build:coat:3"), (None, "build:coat:1")])
def test_a_mist_coat_is_the_one_that_it_was_called_or_the_first_of_its_kind(called, done):
    """Two mist coats in one layer: neither counts, and each is a step of its own."""
    coats = [
        {"kind": kind, "wet_film_um": um, "counts": False} for kind, um in (("mist", 30), ("full", 60), ("mist", 30))
    ]
    coats[1]["counts"] = True
    system = edit_layer(shipped().systems["two-stage-epoxy"], "build", coats=coats)
    part = two(system).prepared()
    for hours in (0, 1):
        part.coat(hours, "epoxy")
    payload = CoatPayload(layer_id="build", coat_kind="mist", counts=False, coating=part.products["high-build-surfacer"].content_hash,
                          volume_solids_pct=50, wet_film_um=30)  # fmt: skip
    part.write(2, payload, called)
    assert [step for step in ("build:coat:1", "build:coat:2", "build:coat:3") if part.stands(3)[step] == "done"] == [
        done
    ]


def test_a_skip_of_one_zone_leaves_the_step_to_the_other():
    part = two("two-stage-epoxy").prepared()
    part.skip(0, "epoxy:coat:1", "epoxy:coat:2", zones="A")
    action = part.action(1)
    assert (action.step.id, part.look(1).names(action.zones)) == ("epoxy:coat:1", "B")


@pytest.mark.parametrize(("hours", "keyed"), [(0.2, False), (40, True)])
def test_sanding_a_film_that_cannot_take_it_gives_no_key_and_says_so(hours, keyed):
    part = two("two-stage-epoxy").prepared()
    part.coat(0, "epoxy")
    part.sand(hours, "P320")
    row = statuses(part.look(hours + 0.1))[0]
    assert (row.state is State.KEYED) is keyed
    assert bool(row.warnings) is not keyed


@pytest.mark.parametrize(("wet", "minutes"), [(False, 0), (True, 30)])
def test_the_water_of_wet_sanding_has_to_leave_before_the_wipe(wet, minutes):
    part = two("two-stage-epoxy").prepared()
    part.coat(0, "epoxy")
    part.coat(1, "epoxy")
    part.sand(40, "P320", wet=wet)
    first = part.rest(40).steps[0]
    assert first.step.kind == "wipe"
    assert bool(first.start >= at(40) + timedelta(minutes=30)) is (minutes == 30)
    assert first.start <= at(40) + timedelta(minutes=1.7 * minutes)


@pytest.mark.parametrize(("after", "asks"), [(11.5, False), (12.5, True)])
def test_a_wipe_lasts_half_a_day(after, asks):
    part = two("two-stage-epoxy").prepared()
    part.coat(0, "epoxy")
    part.coat(1, "epoxy")
    part.sand(40, "P320")
    part.step(40.1, "wipe")
    first = part.rest(40.1 + after).steps[0].step
    assert (first.kind == "wipe") is asks


def test_a_colour_that_is_never_sanded_is_given_a_fresh_coat_once_its_window_has_closed():
    data = shipped().systems["two-stage-epoxy"].model_dump(mode="json")
    next(la for la in data["layers"] if la["id"] == "colour")["product"] = "basecoat-solvent-metallic"
    part = two(System.model_validate(data)).prepared()
    for hours, layer in enumerate(["epoxy"] * 2 + ["build"] * 3):
        part.coat(hours - 100, layer)
    part.coat(0, "colour")
    part.coat(0.7, "colour")
    assert part.rest(1).steps[0].step.id == "clear:coat:1"
    shut = next(h for h in range(2, 400) if stands(part, h, "A")[0] is State.SHUT)
    first = next(p for p in part.rest(shut).steps if p.step.kind in ("coat", "sand"))
    assert (first.step.kind, first.step.layer.id, first.inserted) == ("coat", "colour", True)
    assert (first.end - first.start, part.rest(shut).steps[1].start >= first.end) == (first.labour, True)
    part.sand(shut, "P800")
    assert stands(part, shut + 0.1, "A")[0] is State.SHUT
    assert stands(part, shut + 0.1, "A")[-1]


def firsts(part, hours, count=2):
    """What a plan begins with: steps and the zones that they are for."""
    look = part.look(hours)
    return [(p.step.id, look.names(p.step.zones) or "all") for p in part.rest(hours).steps[:count]]


@pytest.mark.parametrize(("coated", "hurried"), [(46.5, False), (47, True)])
def test_zones_whose_window_closes_soon_are_coated_before_long_work_on_another(coated, hurried):
    """A closes after 50 hours, B after 56; the large zone takes two hours and a half from its flash on."""
    part = PaperPart("two-stage-epoxy", climate(), zone("A"), zone("B"), zone("large", area=30.0)).prepared()
    for hours, where in ((0, "A B"), (2, "A"), (8, "B"), (coated, "large")):
        part.coat(hours, "epoxy", zones=where)
    large, small = ("epoxy:coat:2", "large"), ("build:coat:1", "A, B")
    assert firsts(part, coated + 0.1) == ([small, large] if hurried else [large, ("build:coat:1", "A")])


@pytest.mark.parametrize(("built", "hurried"), [(52, False), (52.5, True)])
def test_a_coat_does_not_wait_for_another_zone_to_be_sandable_when_its_window_would_close(built, hurried):
    """The colour on B closes after 55 hours; A can be sanded two hours and a half after its last coat."""
    part = two("two-stage-epoxy").prepared()
    for hours, layer, where in ((0, "epoxy", "A B"), (1, "epoxy", "A B"), (2, "build", "A B"), (3, "build", "A B"),
                                (4, "build", "B")):  # fmt: skip
        part.coat(hours, layer, zones=where)
    part.skip(30, "build:sand:P500", "build:then:1:wipe", "build:then:2:tack", zones="B")
    part.sand(30, zones="B")
    part.coat(31, "colour", zones="B")
    part.coat(built, "build", zones="A")
    sand, colour = ("build:sand:P320", "A"), ("colour:coat:2", "B")
    assert [step for step in firsts(part, built + 0.1, 4) if step in (sand, colour)] == (
        [colour, sand] if hurried else [sand, colour]
    )


@pytest.mark.parametrize(("minute", "hurried"), [(31, False), (33, True)])
def test_a_coat_does_not_wait_for_work_that_would_only_be_done_tomorrow(minute, hurried):
    """28 minutes of sanding on A fit until 17:32; B closes at 8:24 in the morning, before they would be done."""
    part = two("two-stage-epoxy", day=UTC_DAY).prepared()
    for hours, layer in ((0, "epoxy"), (1, "epoxy"), (2, "build"), (3, "build"), (4, "build")):
        part.coat(hours, layer)
    part.skip(24, "build:sand:P500", "build:then:1:wipe", "build:then:2:tack", zones="B")
    part.sand(24, zones="B")
    part.coat(24.4, "colour", zones="B")
    sand, colour = ("build:sand:P320", "A"), ("colour:coat:2", "B")
    assert firsts(part, 33 + minute / 60, 1) == [colour if hurried else sand]  # T0 is at eight


@pytest.mark.parametrize(
    ("hours", "then"),
    [
        (47.9, [("epoxy:coat:2", "all"), ("build:coat:1", "all")]),
        (48.5, [("epoxy:coat:2", "B"), ("epoxy:coat:2:key", "A")]),
        (48.7, [("epoxy:coat:2:key", "all"), ("epoxy:coat:2:wipe", "all")]),
    ],
)
def test_what_is_still_open_is_coated_before_the_rest_is_keyed(hours, then):
    """A closes 48 hours after its coat, B half an hour later; a key takes 28 minutes and more."""
    part = two("two-stage-epoxy").prepared()
    part.coat(0, "epoxy", zones="A")
    part.coat(0.6, "epoxy", zones="B")
    assert firsts(part, hours) == then


@pytest.mark.parametrize(("hours", "state", "counts"), [(30, "open", 48), (46.9, "open", 48), (47.1, "closing", 48)])
def test_what_is_counted_to_is_the_closing_of_the_zone_that_closes_first(hours, state, counts):
    """A closes after 48 hours, the last of them shown as closing; B three hours later."""
    part = two("two-stage-epoxy").prepared()
    part.coat(0, "epoxy", zones="A")
    part.coat(3, "epoxy", zones="B")
    action = part.action(hours)
    assert (action.step.id, action.state.value) == ("epoxy:coat:2", state)
    assert (action.counts_to - T0) / timedelta(hours=1) == pytest.approx(counts, abs=0.01)


def test_zones_whose_films_take_another_grit_are_keyed_one_after_the_other():
    """The window of all has closed: epoxy is keyed with one grit, and the high-build on B with another."""
    part = two("two-stage-epoxy").prepared()
    part.products["high-build-surfacer"] = part.products["high-build-surfacer"].model_copy(update={"key_grit": "P400"})
    assert part.products["epoxy-primer-grey"].key_grit != "P400"
    part.coat(0, "epoxy")
    part.coat(1, "epoxy")
    part.coat(2, "build", zones="B")
    part.skip(3, "build:coat:1", zones="A")
    found = [
        (p.step.grit, part.look(300).names(p.step.zones)) for p in part.rest(300).steps if p.step.id.endswith(":key")
    ]
    assert found[:2] == [(part.products["epoxy-primer-grey"].key_grit, "A"), ("P400", "B")]


def test_no_coat_goes_first_that_would_cost_the_first_its_own_window():
    """A closes in two minutes, B in eleven: whoever comes second is late."""
    part = two("two-stage-epoxy").prepared()
    part.coat(0, "epoxy")
    part.coat(0.15, "epoxy", zones="B")
    assert firsts(part, 47.97) == [("epoxy:coat:2", "A"), ("build:coat:1:key", "B")]

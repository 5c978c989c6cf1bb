"""Looks, marks, readings, branches and rounds as pure folds of the log: properties, and both sides of every threshold."""

from datetime import timedelta
from uuid import UUID, uuid4

import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.support import T0

from cool_sheen.core.coatings.systems import System
from cool_sheen.core.errors import NotReadable, OutOfRange
from cool_sheen.core.inspection.comb import combed
from cool_sheen.core.inspection.defects import way_back
from cool_sheen.core.inspection.enough import enough_to_sand
from cool_sheen.core.inspection.readings import read_readings
from cool_sheen.core.inspection.rungs import skipped
from cool_sheen.core.log.entries import CoatPayload, Entry, Recorded, SandPayload, StepPayload, Target
from cool_sheen.core.log.fold import fold
from cool_sheen.core.log.looked import AcceptPayload, FilmReadingPayload, MarkPayload, MendStep, MishapPayload
from cool_sheen.core.survey.zones import ZoneFacts
from cool_sheen.core.work.owed import owed_to
from cool_sheen.core.work.steps import CoatStep, is_look, steps_of
from cool_sheen.core.work.walk import Stand
from cool_sheen.formats.catalogue import shipped
from cool_sheen.web.views import outline

PART = uuid4()
FRONT, RIM = (ZoneFacts(uuid4(), name, area, old_finish="none") for name, area in (("Front", 1.2), ("Rim", 0.2)))
ZONES = (FRONT, RIM)


class Log:
    """A log that is written line by line."""

    def __init__(self):
        self.rows, self.at = [], T0

    def add(self, payload, *zones, step=None, reason=None, voids=None, minutes=10.0):
        self.at += timedelta(minutes=minutes)
        targets = tuple(Target(part=PART, zone=z.uuid) for z in zones or ZONES)
        entry = Entry(
            uuid=uuid4(), payload=payload, occurred_at=self.at, targets=targets, planned_step=step, reason=reason, voids=voids
        )  # fmt: skip
        self.rows.append(Recorded(seq=len(self.rows) + 1, recorded_at=self.at, entry=entry))
        return entry.uuid

    def coat(self, layer="build", *zones, step=None, counts=True, film=120.0, solids=50.0):
        said = CoatPayload(layer_id=layer, coating="sheet", volume_solids_pct=solids, wet_film_um=film, counts=counts)
        return self.add(said, *zones, step=step)

    def look(self, passed, *zones, step=None):
        return self.add(StepPayload(kind="inspect", not_passed=not passed), *zones, step=step)

    @property
    def history(self):
        return fold(self.rows, [z.uuid for z in ZONES])


def system(**layer):
    told = {
        "id": "build",
        "name": "Build",
        "role": "surfacer",
        "product": "high-build-surfacer",
        "coats": 2,
        "wet_film_um": 120,
    }
    data = {"key": "own", "name": "Own", "note": "-", "layers": [{**told, **layer}]}
    return System.model_validate(data)


def owed(log, made, guess="estimate"):
    return owed_to(steps_of(made, ZONES), log.history, ZONES, guess)


def labels(found, zone):
    return [found.steps[n].id for n in found.ahead(zone.uuid)]


# --- marks ------------------------------------------------------------------------------------------------
def test_a_mark_is_open_coated_over_and_closed_by_the_look_that_passes():
    log = Log()
    log.coat()
    log.add(MarkPayload(what="thin"), RIM)
    assert len(log.history.open_marks(RIM.uuid)) == 1
    assert not log.history.open_marks(FRONT.uuid)
    log.coat("build", FRONT)
    assert len(log.history.open_marks(RIM.uuid)) == 1  # a coat on another zone covers nothing here
    log.coat("build", RIM)
    assert not log.history.open_marks(RIM.uuid)
    assert len(log.history.open_marks(RIM.uuid, coated=True)) == 1
    log.look(True, RIM)
    assert not log.history.open_marks(RIM.uuid, coated=True)


def test_the_last_of_several_marks_that_is_accepted_passes_the_zone_and_taking_it_back_holds_it_again():
    log = Log()
    log.coat()
    first, second = (log.add(MarkPayload(what="fibres"), RIM) for _ in range(2))
    log.look(False, RIM, step="finish:1:inspect")
    works = len(log.history.works)
    log.add(AcceptPayload(marks=(first,)), RIM, reason="nobody sees it")
    assert len(log.history.works) == works
    log.add(AcceptPayload(marks=(second,)), RIM, reason="nor that")
    (done,) = log.history.works[works:]
    assert (done.kind, done.planned_step, done.zones) == ("inspect", "finish:1:inspect", {RIM.uuid})
    log.rows.pop()
    assert len(log.history.works) == works


def test_what_a_support_left_is_no_reason_not_to_pass_and_stays_until_it_is_touched_in():
    log = Log()
    log.coat()
    mark = log.add(MarkPayload(what="support", where="two feet"), RIM)
    log.look(True)
    assert [m.uuid for m in log.history.open_marks(RIM.uuid)] == [mark]
    step = next(s for s in owed(log, system()).steps if s.mends == mark)
    assert (step.kind, step.zones) == ("own", {RIM.uuid})
    log.add(AcceptPayload(marks=(mark,)), RIM, reason="it is the foot itself")
    assert all(s.mends is None for s in owed(log, system()).steps)


# --- rounds -------------------------------------------------------------------------------------------------
ROUNDS = system(rounds_most=4)


def look_ahead(log, zone, guess="estimate"):
    found = owed(log, ROUNDS, guess)
    return next(s for s in (found.steps[n] for n in found.ahead(zone.uuid)) if is_look(s))


@given(st.lists(st.booleans(), min_size=1, max_size=7), st.lists(st.booleans(), min_size=1, max_size=7))
def test_every_zone_gets_a_round_for_each_look_that_found_something_and_none_after_one_that_did_not(front, rim):
    log, looks = Log(), {FRONT: [*front, True], RIM: [*rim, True]}
    for zone, answers in looks.items():
        for passed in answers:
            found = owed(log, ROUNDS)
            if not any(is_look(found.steps[n]) for n in found.ahead(zone.uuid)):
                break
            coat = next(s for s in (found.steps[n] for n in found.ahead(zone.uuid)) if isinstance(s, CoatStep))
            assert zone.uuid in coat.zones
            log.coat("build", zone, step=coat.id)
            log.look(passed, zone, step=look_ahead(log, zone).id)
    history = log.history
    for zone, answers in looks.items():
        assert history.coats_by_zone[zone.uuid]["build"] == answers.index(True) + 1
        assert labels(owed(log, ROUNDS), zone) == []


@pytest.mark.parametrize(("guess", "rounds"), [("fewest", 1), ("estimate", 2), ("most", 4)])
def test_the_plan_reckons_with_the_estimate_and_says_the_fewest_and_the_most(guess, rounds):
    log = Log()
    coats = [s for s in owed(log, ROUNDS, guess).steps if isinstance(s, CoatStep)]
    assert len(coats) == rounds
    log.coat("build", step="build:coat:1")
    log.look(False, step="build:look:1")
    coats = [s for s in owed(log, ROUNDS, guess).steps if isinstance(s, CoatStep)]
    assert len(coats) == max(2, rounds)


def test_a_look_of_ones_own_beside_the_plan_ends_no_round():
    log = Log()
    log.coat("build", step="build:coat:1")
    log.look(True)
    assert labels(owed(log, ROUNDS), FRONT)[0] == "build:coat:2"
    assert len([s for s in owed(log, ROUNDS).steps if isinstance(s, CoatStep)]) == 2


# --- mishaps -------------------------------------------------------------------------------------------------
STEPS = st.sampled_from([
    MendStep(does="wait", minutes=60), MendStep(does="sand", grit="P240"), MendStep(does="feather", grit="P320"),
    MendStep(does="wipe"), MendStep(does="coat", layer_id="build"), MendStep(does="own", words="tap it"),
])  # fmt: skip


@given(st.lists(STEPS, min_size=1, max_size=6), st.integers(0, 2))
def test_a_branch_stands_between_what_was_done_and_what_was_owed_and_touches_no_other_zone(steps, coats):
    log, made = Log(), system(then=[{"kind": "sand", "grit": "P320"}])
    for number in range(coats):
        log.coat("build", step=f"build:coat:{number + 1}")
    before = {zone: labels(owed(log, made), zone) for zone in ZONES}
    mishap = log.add(MishapPayload(steps=tuple(steps)), RIM)
    found = owed(log, made)
    assert labels(found, FRONT) == before[FRONT]
    mine = labels(found, RIM)
    assert mine[len(steps) :] == before[RIM]
    branch = [found.steps[n] for n in found.ahead(RIM.uuid)][: len(steps)]
    assert all(s.mends == mishap and s.zones == {RIM.uuid} for s in branch)
    for step in branch:
        if isinstance(step, CoatStep):
            log.coat("build", RIM, step=step.id, counts=step.coat.counted)
        elif step.kind == "sand":
            log.add(SandPayload(grit=step.grit), RIM, step=step.id)
        elif step.kind != "wait":
            log.add(StepPayload(kind=step.kind), RIM, step=step.id)
    found = owed(log, made)
    assert labels(found, FRONT) == before[FRONT]
    left = [n for n in labels(found, RIM) if not n.startswith("mend:")]
    assert left == before[RIM]
    counts = log.history.coats_by_zone
    assert counts[RIM.uuid] == counts[FRONT.uuid]


def test_a_step_of_a_branch_that_a_later_coat_lies_over_is_asked_for():
    log = Log()
    log.coat("build", step="build:coat:1")
    log.add(MishapPayload(steps=(MendStep(does="sand", grit="P240"),)), RIM)
    log.coat("build", step="build:coat:2")
    found = owed(log, system())
    place = next(n for n, s in enumerate(found.steps) if s.id.startswith("mend:"))
    assert found.by_zone[RIM.uuid][place] is Stand.PASSED


@pytest.mark.parametrize(
    "told", [{"does": "wait"}, {"does": "sand"}, {"does": "coat"}, {"does": "own"}, {"does": "sand", "grit": "320"}]
)
def test_a_step_of_a_branch_says_what_it_wants(told):
    with pytest.raises(ValueError, match=r"says how long|match pattern"):
        MendStep.model_validate(told)


@pytest.mark.parametrize("name", sorted(shipped().systems))
def test_every_way_back_is_made_of_layers_that_the_system_has(name):
    made = shipped().systems[name]
    layers = {layer.id for layer in made.used}
    for defect in shipped().defects.values():
        for on in (None, "gone", made.used[-1].id):
            steps = way_back(defect.way_back, made, on)
            assert steps
            assert {s.layer_id for s in steps if s.does == "coat"} <= layers


# --- readings -------------------------------------------------------------------------------------------------
SHEET = shipped().products["high-build-surfacer"]
LOW, HIGH = SHEET.wet_film_min_um, SHEET.wet_film_max_um


def reading(log, *um, coat=None, zones=(RIM,), **more):
    return log.add(FilmReadingPayload(state="wet", readings_um=um, coat=coat, **more), *zones)


@pytest.mark.parametrize(
    ("um", "verdict", "bad"),
    [
        ((LOW, HIGH), "ok", []), ((LOW - 0.1,), "thin", []), ((HIGH + 0.1,), "heavy", []),
        ((0.8 * LOW, 1.5 * LOW), "ok", []), ((0.8 * LOW - 0.1, 1.5 * LOW), "uneven", ["thin"]),
        ((1.2 * HIGH, LOW), "ok", []), ((1.2 * HIGH + 0.1, LOW), "uneven", ["heavy"]),
    ],
)  # fmt: skip
def test_readings_are_judged_on_both_sides_of_every_bound(um, verdict, bad):
    log = Log()
    reading(log, *um, coat=log.coat())
    (one,) = combed(log.history, {"sheet": SHEET})
    assert (one.verdict, [s.verdict for s in one.bad]) == (verdict, bad)
    assert bool(one.open_on) == (verdict != "ok")


def test_thin_is_mended_by_another_coat_of_the_layer_and_heavy_by_sanding():
    def open_after(um, *later):
        log = Log()
        reading(log, um, coat=log.coat())
        for do in later:
            do(log)
        return bool(combed(log.history, {"sheet": SHEET})[-1].open_on)

    coat, other = (lambda log: log.coat("build", RIM)), (lambda log: log.coat("colour", RIM))
    elsewhere, sand = (lambda log: log.coat("build", FRONT)), (lambda log: log.add(SandPayload(grit="P320"), RIM))
    assert [open_after(1.0, do) for do in (coat, other, elsewhere, sand)] == [False, True, True, True]
    assert [open_after(900.0, do) for do in (coat, sand)] == [True, False]


@given(st.lists(st.floats(1, 900), min_size=1, max_size=5), st.booleans())
def test_the_film_is_as_thick_as_it_was_read_whenever_that_was_written_down(um, late):
    log = Log()
    coat = log.coat(solids=50.0)
    if late:
        log.coat("colour")
    reading(log, *um, coat=coat)
    history, mean = log.history, sum(um) / len(um)
    film = {z: history.builds[z.uuid].layers[0].left_um for z in ZONES}
    assert film[RIM] == pytest.approx(mean / 2)
    assert film[FRONT] == 60.0
    assert sum(len(c.zones) for c in history.coats if c.uuid == coat) == len(ZONES)  # no zone twice
    assert len(history.apart()) == (1 if mean == 120 else 2)


def test_a_place_that_is_read_again_counts_by_its_last_reading():
    log = Log()
    coat = log.coat()
    reading(log, 60.0, 120.0, coat=coat, places=("left", "right"))
    reading(log, 100.0, coat=coat, places=("Left",))
    assert log.history.builds[RIM.uuid].total_um == pytest.approx((100 + 120) / 2 / 2)


@pytest.mark.parametrize(("um", "verdict"), [(45.0, "ok"), (44.9, "off"), (75.0, "ok"), (75.1, "off")])
def test_a_dry_film_is_held_against_the_ledger(um, verdict):
    log = Log()
    log.coat()  # 60 um dry
    log.add(FilmReadingPayload(state="dry", readings_um=(um,)), RIM)
    (one,) = combed(log.history, {"sheet": SHEET})
    assert (one.verdict, one.open_on) == (verdict, frozenset())


@pytest.mark.parametrize(
    ("text", "units", "out"),
    [
        ("left edge 120", "metric", [("left edge", 120.0)]), ("corner: 3.5 mil", "metric", [("corner", 88.9)]),
        ("4", "us", [("", 101.6)]), ("110 120\n95 µm", "metric", [("", 110.0), ("", 120.0), ("", 95.0)]),
        ("rail 2: 120; top 0,1 mm", "metric", [("rail 2", 120.0), ("top", 100.0)]), ("0", "metric", [("", 0.0)]),
    ],
)  # fmt: skip
def test_readings_are_read_as_they_are_written(text, units, out):
    assert [(r.where, round(r.um, 6)) for r in read_readings(text, units)] == out


@pytest.mark.parametrize(
    ("text", "error"),
    [("", NotReadable), ("left", NotReadable), ("rail 2 120", NotReadable), ("120 left", NotReadable), ("mil", NotReadable),
     ("20001", OutOfRange), ("-3", OutOfRange), ("left edge -120 µm", OutOfRange), ("left edge -120", OutOfRange),
     ("\n".join(["100"] * 61), OutOfRange), ("1 " * 900 + "x", NotReadable)],
)  # fmt: skip
def test_readings_that_cannot_be_are_refused(text, error):
    with pytest.raises(error):
        read_readings(text, "metric")


@given(st.text(max_size=60))
def test_whatever_is_typed_as_readings_is_read_or_refused(text):
    try:
        read = read_readings(text, "metric")
    except (NotReadable, OutOfRange):
        return
    assert all(0 <= r.um <= 20_000 for r in read)


# --- sanding ----------------------------------------------------------------------------------------------------
@pytest.mark.parametrize(
    ("before", "grit", "missing"),
    [
        ("P180", "P320", ()),
        ("P180", "P400", ("P280",)),
        ("P400", "P180", ()),
        ("P80", "P150", ("P120",)),
        ("P320", "P320", ()),
    ],
)
def test_a_grit_that_skips_names_what_is_missing(before, grit, missing):
    assert skipped(before, grit) == missing


@pytest.mark.parametrize(("reserve", "enough"), [(90.0, True), (90.1, False)])
def test_enough_to_sand_keeps_the_reserve_to_the_micron(reserve, enough):
    log = Log()
    made = system(reserve_um=reserve, then=[{"kind": "sand", "grit": "P320", "removal_um": 30}])
    log.coat()
    assert enough_to_sand(owed(log, made), log.history, ZONES) == []  # a coat is to come
    log.coat()  # 120 um dry
    (asked,) = enough_to_sand(owed(log, made), log.history, ZONES)
    assert (asked.grit, asked.by_ledger) == ("P320", enough)


# --- the outline ------------------------------------------------------------------------------------------------
@given(
    st.lists(
        st.tuples(st.floats(1e-4, 40), st.sampled_from(["face", "edge", "patch"]), st.integers(1, 3)),
        min_size=1,
        max_size=40,
    ),
    st.sampled_from([outline.WIDE, outline.NARROW]),
)
def test_the_tiles_of_an_outline_lie_side_by_side_and_marks_lie_on_theirs(told, width):
    zones = [ZoneFacts(UUID(int=n), f"Zone {n}", area, kind, setting) for n, (area, kind, setting) in enumerate(told)]
    log = Log()
    for x, y in ((0.0, 0.0), (1.0, 1.0), (None, None)):
        log.add(MarkPayload(what="thin", x=x, y=y))
    marks = list(log.history.marks.values())
    for mark in marks:
        mark.zones = frozenset(z.uuid for z in zones)
    drawn = outline.draw(zones, [(n, m, "open") for n, m in enumerate(marks, 1)], {}, {}, width)
    assert len(drawn.tiles) == len(zones)
    for n, a in enumerate(drawn.tiles):
        assert 0 <= a.x <= a.x + a.width <= width + 0.2
        for b in drawn.tiles[:n]:
            assert (
                a.x >= b.x + b.width - 0.2
                or b.x >= a.x + a.width - 0.2
                or a.y >= b.y + b.height
                or b.y >= a.y + a.height
            )
    tiles = [t for _ in marks for t in drawn.tiles]
    for pin, tile in zip(drawn.pins, tiles, strict=True):
        assert tile.x <= pin.x <= tile.x + tile.width
        assert tile.y <= pin.y <= tile.y + tile.height

"""What is done around the coats: tasks in the old words and the new, their names, their waits, and their order."""

from datetime import timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.unit.paper import PaperPart, at, zone

from cool_sheen.core.coatings import edit
from cool_sheen.core.coatings.edit import FINISH, PREPARE, Spot
from cool_sheen.core.coatings.order import set_right, spoiled
from cool_sheen.core.coatings.systems import Coat, Layer, System, Task, named_tasks
from cool_sheen.core.errors import Inconsistent
from cool_sheen.core.film.planned import planned_build
from cool_sheen.core.work.steps import steps_of, task_label
from cool_sheen.formats.catalogue import compatibility, shipped

RULES = compatibility().order
THEN = Spot("then", "primer")


def made(**changes):
    """One-pack enamel over its primer, with other tasks."""
    whole = shipped().systems["one-pack-enamel"].model_dump()
    primer = {**whole["layers"][0], **{k: v for k, v in changes.items() if k in ("between", "then")}}
    rest = {k: v for k, v in changes.items() if k not in ("between", "then")}
    return System.model_validate({**whole, **rest, "layers": [primer, *whole["layers"][1:]]})


def task(kind, **more):
    return {"kind": kind, **more}


def ids(system, *zones):
    return [step.id for step in steps_of(system, zones or (zone(),), shipped().products)]


def test_a_layer_in_the_old_words_is_the_same_work_under_the_same_names():
    old = {"id": "a", "name": "A", "role": "primer", "product": "primer-one-pack", "coats": 2, "wet_film_um": 60,
           "between_coats": "P400", "sanding": [{"grit": "P320", "removal_um": 9}], "then": ["wipe", "tack"]}  # fmt: skip
    layer = Layer.model_validate(old)
    assert [t.grit or t.kind for t in (*layer.between, *layer.then)] == ["P400", "P320", "wipe", "tack"]
    assert Layer.model_validate(layer.model_dump()) == layer
    assert ids(made().model_copy(update={"layers": (layer,), "prepare": (), "finish": ()})) == [
        "a:coat:1", "a:scuff:2", "a:coat:2", "a:sand:P320", "a:then:1:wipe", "a:then:2:tack",
    ]  # fmt: skip
    build = planned_build(System(key="s", name="S", note="S", layers=(layer,)), shipped().products)
    solids = shipped().products["primer-one-pack"].volume_solids_pct / 100
    assert build.total_um == pytest.approx(120 * solids - 9 - round(0.35 * 35 / 2, 1))  # the scuff takes film, too


def test_what_was_done_stays_done_when_a_step_is_put_in_before_it_or_moved():
    part = PaperPart("one-pack-enamel")
    for step in part.steps[:3]:
        part.write(-5, _payload(step), step.id)
    was = {i for i, stand in part.stands(0).items() if stand == "done"}
    tasks = edit.pinned(part.system, PREPARE)
    fresh = Task(kind="own", words="plug the threads")
    part.system = edit.with_tasks(part.system, PREPARE, [tasks[0], fresh, *tasks[1:]])
    stands = part.stands(0)
    assert {i for i, stand in stands.items() if stand == "done"} == was
    assert [i for i, stand in stands.items() if stand == "next"] == ["prepare:own-1"]
    assert edit.with_tasks(part.system, PREPARE, edit.pinned(part.system, PREPARE)) is part.system


def _payload(step):
    part = PaperPart()
    if step.kind == "sand":
        part.sand(0, step.grit)
    else:
        part.step(0, step.kind)
    return part.lines[0].entry.payload


def test_a_wait_counts_from_what_was_done_before_it_and_takes_nobodys_time():
    part = PaperPart(made(prepare=[task("degrease"), task("wait", wait_minutes=90, words="let it dry"), task("mask")]))
    assert part.action(0).does == "degrease"
    part.step(1, "degrease")
    waiting = part.action(1.5)
    assert (waiting.does, waiting.alarm, waiting.counts_to) == ("", "wait", at(2.5))
    assert waiting.because == "let it dry"
    assert part.action(2.5).does == "mask"  # nobody pressed anything
    part.step(3, "mask")
    assert part.stands(3)["prepare:2:wait"] == "done"
    part.step(1.1, "degrease")
    part.lines.pop(-2)
    part.step(2, "mask")  # half an hour too soon
    assert part.stands(3)["prepare:2:wait"] == "passed"
    part.skip(4, "prepare:2:wait")
    assert part.stands(5)["prepare:2:wait"] == "skipped"


def test_a_wait_holds_its_own_zones_alone():
    edge, face = zone("edge", kind="edge"), zone("face", kind="face")
    wait = task("wait", wait_minutes=600, words="glue sets", where="edge")
    part = PaperPart(made(prepare=[wait, task("degrease", where="face"), task("mask")]), None, edge, face)
    part.step(0, "wash")  # on both, of one's own accord
    waits, degreased, masked = part.rest(0).steps[:3]
    assert (waits.step.kind, waits.step.zones) == ("wait", frozenset({edge.uuid}))
    assert (degreased.step.zones, degreased.start) == (frozenset({face.uuid}), at(0))
    assert (masked.step.zones, masked.start) == (frozenset({face.uuid, edge.uuid}), at(10))


@pytest.mark.parametrize(("minutes", "opens"), [(1, False), (2000, True)])
def test_a_wait_of_a_coats_own_step_is_on_top_of_the_film(minutes, opens):
    """Sanding that is to wait: the later of film and wait counts."""
    usual = PaperPart(made(then=[task("sand", grit="P320", removal_um=5)])).prepared()
    system = made(then=[task("sand", grit="P320", removal_um=5, wait_minutes=minutes, words="by my book")])
    slow = PaperPart(system).prepared()
    for part in (usual, slow):
        part.coat(0, "primer")
        part.coat(12, "primer")
    starts = [next(p for p in part.rest(12.1).steps if p.step.kind == "sand") for part in (usual, slow)]
    assert (starts[1].start > starts[0].start) is opens
    assert ("by my book" in starts[1].because) is opens
    if opens:
        assert starts[1].start == at(12) + timedelta(minutes=minutes)


def test_a_second_masking_waits_until_the_film_bears_tape():
    part = PaperPart(made(then=[task("mask"), task("tack")])).prepared()
    part.coat(0, "primer")
    part.coat(12, "primer")
    asked = part.action(12.2)
    assert (asked.step.kind, asked.milestone, asked.does) == ("mask", "handle", "touch_test")
    assert PaperPart(made(prepare=[task("mask")])).action(0).does == "mask"  # on bare metal at once
    at_once = PaperPart(made(then=[task("mask", after="nothing")])).prepared()
    at_once.coat(0, "primer")
    at_once.coat(12, "primer")
    assert at_once.action(12.2).does == "mask"


def test_heat_between_layers_and_at_the_end_goes_by_the_sheet_of_the_film_below():
    system = shipped().systems["high-heat-staged"]
    bakes = [Task(kind="bake")] * 3
    free = edit.set_finish(system, [Task(kind="unmask"), *bakes, Task(kind="bake", metal_temp_c=90, hold_minutes=20)])
    heat = [s for s in steps_of(free, (zone(),), shipped().products) if s.kind == "bake"]
    assert [(s.metal_temp_c, s.hold_minutes) for s in heat] == [(120, 30), (180, 30), (230, 60), (90, 20)]
    assert {s.after for s in heat} == {"flash"}


SPOILS = [  # where, and tasks that stand the wrong way round: put right they stand as in the third column
    (PREPARE, ["degrease", "wash", "mask"], ["wash", "degrease", "mask"]),
    (PREPARE, ["sand", "degrease", "tack"], ["degrease", "sand", "tack"]),
    (PREPARE, ["strip", "test_patch"], ["test_patch", "strip"]),
    (PREPARE, ["degrease", "tack", "mask"], ["degrease", "mask", "tack"]),
    (THEN, ["tack", "wipe"], ["wipe", "tack"]),
    (FINISH, ["unmask", "inspect"], ["inspect", "unmask"]),
    (FINISH, ["polish", "bake"], ["bake", "polish"]),
    (FINISH, ["assemble", "polish", "decals", "bake"], ["bake", "polish", "assemble", "decals"]),
]


@pytest.mark.parametrize(("spot", "wrong", "right"), SPOILS)
def test_an_order_that_spoils_the_work_is_found_and_put_right(spot, wrong, right):
    def laid(kinds):
        tasks = [Task(kind=k, grit="P180" if k == "sand" else None) for k in kinds]
        return edit.with_tasks(made(prepare=[], finish=[], then=[]), spot, tasks)

    assert spoiled(laid(wrong), RULES)
    assert not spoiled(laid(right), RULES)
    system = laid(wrong)
    while found := spoiled(system, RULES):
        system = set_right(system, found[0])
    assert [t.kind for t in spot.of(system)] == right


@given(st.lists(st.sampled_from(["wash", "degrease", "sand", "fill", "wipe", "mask", "tack", "strip", "test_patch"])))
def test_putting_right_ends_and_loses_nothing(kinds):
    tasks = [Task(kind=k, grit="P180" if k == "sand" else None) for k in kinds[:20]]
    system = edit.set_prepare(made(prepare=[]), tasks)
    for _ in range(200):
        found = spoiled(system, RULES)
        if not found:
            break
        system = set_right(system, found[0])
    assert not spoiled(system, RULES)
    assert sorted(t.kind for t in system.prepare) == sorted(kinds[:20])
    names = [name for name, _ in named_tasks("prepare", system.prepare)]
    assert len(set(names)) == len(names)


def test_no_system_that_ships_spoils_its_own_order():
    for system in shipped().systems.values():
        assert not spoiled(system, RULES), system.key


@pytest.mark.parametrize(
    "data", [task("wait", words="why"), task("wait", wait_minutes=5), task("own"), task("sand"), task("wipe", grit="P80"),
             task("wait", wait_minutes=0, words="why"), task("mask", where="roof")],
)  # fmt: skip
def test_a_task_that_says_half_is_none(data):
    with pytest.raises(ValueError, match="Task"):
        Task.model_validate(data)


def test_a_layer_is_called_as_its_product_until_somebody_names_it():
    products = shipped().products
    system = edit.blank("own", "Own", products["epoxy-primer-grey"])
    assert system.layers[0].name == "Two-pack epoxy primer"
    system = edit.add_layer(system, edit.new_layer(system, products["basecoat-solvent-blue"]), 1)
    system = edit.add_layer(system, edit.new_layer(system, products["basecoat-solvent-signal-red"]), 2)
    assert len({la.name for la in system.layers}) == 3  # two colours of one kind are told apart
    swapped = edit.swap_product(system, system.layers[0].id, products["etch-primer"], products["epoxy-primer-grey"])
    assert swapped.layers[0].name == products["etch-primer"].name.partition(",")[0]
    named = edit.edit_layer(system, system.layers[0].id, name="My ground")
    swapped = edit.swap_product(named, named.layers[0].id, products["etch-primer"], products["epoxy-primer-grey"])
    assert swapped.layers[0].name == "My ground"
    with pytest.raises(Inconsistent):
        edit.with_tasks(system, Spot("then", "nowhere"), [])


def test_zones_by_name_become_zones_of_their_kind_for_another_part():
    system = edit.set_prepare(made(), [Task(kind="mask", where="zone:Left lug")])
    system = edit.set_coats(system, "primer", [Coat(wet_film_um=50, where="zone:Left lug")])
    kept = edit.with_wheres(system, {"zone:Left lug": "edge"})
    assert (kept.prepare[0].where, kept.layer("primer").coats[0].where) == ("edge", "edge")
    assert [s.id for s in steps_of(kept, (zone(kind="face"),))][:1] != ["prepare:mask-1"]  # none there: no step


@pytest.mark.parametrize(
    ("minutes", "says"), [(45, "45 min"), (59, "59 min"), (60, "1 h"), (90, "1.5 h"), (2879, "48 h"), (2880, "2 days")]
)
def test_waits_are_written_as_painters_say_them(minutes, says):
    assert task_label(Task(kind="wait", wait_minutes=minutes, words="so")) == f"Wait {says}: so"

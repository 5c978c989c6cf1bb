"""A sanding that went through: seen or by the figures, asked for until it is mended. Grit and pads beside it."""

from datetime import timedelta

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from tests.unit.paper import PaperPart, at, climate, zone
from tests.unit.test_zones_apart import stands, two

from cool_sheen.core.coatings.systems import System
from cool_sheen.core.film.build import GROUND
from cool_sheen.core.log.entries import SandPayload, VoidPayload
from cool_sheen.core.log.fold import fold
from cool_sheen.core.log.history import History
from cool_sheen.core.part.status import State
from cool_sheen.core.work.broken import unmended
from cool_sheen.core.work.owed import Owed, owed_to
from cool_sheen.core.work.steps import CoatStep
from cool_sheen.formats.catalogue import shipped


def primed(*names: str) -> PaperPart:
    """A machine casting in epoxy and high-build, three days old and ready to be sanded."""
    part = PaperPart("two-stage-epoxy", None, *(zone(name) for name in names or ("A", "B"))).prepared()
    for hours, layer in enumerate(["epoxy"] * 2 + ["build"] * 3):
        part.coat(hours - 90, layer)
    return part


def through(part: PaperPart, hours: float, shows: str = "", where: str = "the lug", zones: str = "") -> None:
    said = SandPayload(grit="P320", removal_um=5, break_through=where, shows=shows)
    part.write(hours, said, part.action(hours).step.id, zones)


def asked(part: PaperPart, hours: float) -> list[tuple[str, tuple[str, ...]]]:
    """The zones that are open, and the layers that are asked for."""
    look = part.look(hours)
    return [(look.names(one.zones) or "all", one.layers) for one in unmended(look.owed, look.history)]


def ahead(part: PaperPart, hours: float, most: int = 4) -> list[str]:
    return [p.step.label for p in part.rest(hours).steps if p.step.kind != "wipe"][:most]


def test_a_layer_that_went_through_is_put_on_again_where_it_did_and_nowhere_else():
    part = primed()
    through(part, 0, zones="B")
    broken = part.look(0).history.breaks[0]
    assert (broken.layers, broken.shows, broken.where, broken.seen) == (("build",), "epoxy", "the lug", True)
    assert asked(part, 0.1) == [("B", ("build",))]
    assert ahead(part, 0.1) == [
        "Sand P320: A", "High-build again where it broke through: B", "Sand P320 again where it was mended: B",
        "Sand P500",
    ]  # fmt: skip
    part.sand(0.2, "P320", zones="A")
    part.step(0.3, "wipe")
    part.coat(0.4, "build", "mist", zones="B")
    part.coat(0.5, "build", zones="A")
    assert asked(part, 0.5) == [("B", ("build",))], "a mist coat, or one elsewhere, mends nothing"
    part.coat(0.6, "build", zones="B")
    assert asked(part, 0.7) == []
    assert ahead(part, 0.7, 2) == ["Sand P320 again where it was mended: B", "Sand P500"]
    counts = part.look(0.7).history.coats_by_zone
    assert [counts[z.uuid]["build"] for z in part.zones] == [4, 4]


def test_through_to_the_metal_asks_for_the_primer_first_and_then_for_what_was_over_it():
    part = primed("A")
    through(part, 0, GROUND)
    assert asked(part, 0) == [("all", ("epoxy", "build"))]
    assert ahead(part, 0, 3) == [
        "Epoxy primer again where it broke through", "High-build again where it broke through",
        "Sand P320 again where it was mended",
    ]  # fmt: skip
    part.step(0.1, "wipe")
    part.coat(0.2, "epoxy")
    assert asked(part, 0.3) == [("all", ("build",))]
    part.coat(3, "build")
    assert asked(part, 3.1) == []


@pytest.mark.parametrize(("share", "breaks"), [(0.999, 0), (1.0, 1)])
def test_the_figures_notice_it_at_the_last_micron_of_the_layer_and_not_before(share, breaks):
    part = primed("A")
    build = part.look(0).history.builds[part.zones[0].uuid]
    left = build.layers[-1].left_um
    part.sand(0, "P320", removal=share * left)
    assert len(part.look(1).history.breaks) == breaks
    assert [b.seen for b in part.look(1).history.breaks] == [False] * breaks
    assert asked(part, 1) == [("all", ("build",))] * breaks


def test_a_layer_that_has_coats_to_come_is_mended_by_them():
    part = PaperPart("two-stage-epoxy", None, zone("A")).prepared()
    for hours, layer in enumerate(["epoxy"] * 2 + ["build"]):
        part.coat(hours - 90, layer)
    part.write(0, SandPayload(grit="P320", break_through="an edge"))
    assert asked(part, 0.1) == [("all", ("build",))]
    assert ahead(part, 0.1, 2) == ["High-build, coat 2", "High-build, coat 3"]
    part.coat(0.2, "build")
    assert asked(part, 0.3) == []


def test_what_only_the_figures_suspect_is_settled_by_whoever_coats_it_over_and_a_filler_is_meant_to_go():
    part = primed("A")
    part.sand(0, "P320", removal=900)
    assert asked(part, 0.1) == [("all", ("epoxy", "build"))]
    part.coat(0.2, "epoxy")
    assert asked(part, 0.3) == [("all", ("build",))]
    part.coat(0.4, "colour")
    assert asked(part, 0.5) == []
    assert not [row for row in part.look(0.5).owed.passed_over() if ":mend:" in row.step.id]
    older = primed("A")
    older.write(0, SandPayload(grit="P320", break_through="to the layer below"))
    assert asked(older, 0.1) == [("all", ("build",))]
    older.coat(0.2, "colour")
    assert asked(older, 0.3) == []
    filled = primed("A")
    layers = tuple(la.model_copy(update={"role": "filler"}) if la.id == "build" else la for la in filled.system.layers)
    filled.system = filled.system.model_copy(update={"layers": layers})
    filled.sand(0, "P320", removal=200)
    assert (len(filled.look(0.1).history.breaks), asked(filled, 0.1)) == (1, [])


def test_words_or_taking_the_entry_back_end_it_and_coating_over_it_does_not():
    part = primed("A")
    through(part, 0)
    mend = next(s.id for s in part.look(0).owed.steps if isinstance(s, CoatStep) and s.mends)
    part.skip(0.1, mend, reason="the epoxy is enough there")
    assert asked(part, 0.2) == []
    part.lines.pop()
    part.coat(0.2, "colour")
    look = part.look(0.3)
    assert asked(part, 0.3) == [("all", ("build",))]
    assert mend in [row.step.id for row in look.owed.passed_over()]
    broke = next(line.entry for line in part.lines if isinstance(line.entry.payload, SandPayload)
                 and line.entry.payload.break_through)  # fmt: skip
    gone = broke.model_copy(update={"payload": VoidPayload(), "voids": broke.uuid, "uuid": mend_id()})
    part.lines.append(part.lines[-1].model_copy(update={"seq": 99, "entry": gone}))
    assert asked(part, 0.4) == []


def mend_id():
    return zone().uuid


WORK = st.lists(
    st.tuples(
        st.sampled_from(["coat", "sand", "through", "ground", "next", "next", "next"]),
        st.sampled_from(["A", "B", "A B"]),
        st.sampled_from(["epoxy", "build", "colour"]),
        st.floats(0.1, 90),
    ),
    max_size=14,
)


@settings(max_examples=60, deadline=None)
@given(WORK)
def test_whatever_was_done_what_went_through_is_asked_for_by_the_plan_until_it_is_mended(works):
    part, hours = PaperPart("two-stage-epoxy", climate(days=60), zone("A"), zone("B")).prepared(), -150.0
    for what, zones, layer, removal in works:
        hours += 9
        if what == "coat":
            part.coat(hours, layer, zones=zones)
        elif what == "sand":
            part.sand(hours, "P320", removal=removal, zones=zones)
        elif what == "next":
            do(part, hours)
        else:
            through_to = GROUND if what == "ground" else ""
            part.write(hours, SandPayload(grit="P120", break_through="x", shows=through_to), zones=zones)
    for one in unmended(*books(part)):
        owed, _ = books(part)
        for name in one.layers:
            coats = [n for n, s in enumerate(owed.steps) if isinstance(s, CoatStep) and s.layer.id == name]
            open_on = {z for z in one.zones for n in coats if owed.by_zone[z].get(n) in ("owed", "passed")}
            assert open_on, (name, one)
    for _ in range(60):
        hours += 9
        if not do(part, hours):
            break
    owed, history = books(part)
    assert not [row for row in owed.rows if row.owed]
    passed = {row.step.id for row in owed.passed_over()}
    for one in unmended(owed, history):
        assert any(step_id.startswith(f"{name}:") for name in one.layers for step_id in passed), one


def books(part: PaperPart) -> tuple[Owed, History]:
    """A part by its log alone."""
    history = fold(part.lines, [z.uuid for z in part.zones])
    return owed_to(part.steps, history, part.zones), history


def do(part: PaperPart, hours: float) -> bool:
    """Do the next thing that is owed, in order, on the zones that it is owed to."""
    row = next((r for r in books(part)[0].rows if r.owed), None)
    if row is None:
        return False
    zones = " ".join(z.name for z in part.zones if z.uuid in row.owed)
    if isinstance(row.step, CoatStep):
        part.coat(hours, row.step.layer.id, row.step.coat.kind, zones=zones, counts=row.step.coat.counted)
        entry = part.lines[-1].entry.model_copy(update={"planned_step": row.step.id})
        part.lines[-1] = part.lines[-1].model_copy(update={"entry": entry})
    elif row.step.kind == "sand":
        part.write(hours, SandPayload(grit=row.step.grit, removal_um=1), row.step.id, zones)
    else:
        part.step(hours, row.step.kind, row.step.id, zones)
    return True


# --- grit ------------------------------------------------------------------------------------------------
def treads(**colour: object) -> PaperPart:
    """Treads in brushed two-pack, the anti-slip coat on."""
    data = shipped().systems["brushed-two-pack"].model_dump(mode="json")
    next(la for la in data["layers"] if la["id"] == "tread").update(colour)
    part = PaperPart(System.model_validate(data), climate(days=60), zone("A")).prepared()
    for layer in part.system.used:
        if layer.id == "cover":
            break
        for n in range(layer.counted):
            part.coat(-400 + 50 * part.system.used.index(layer) + 24 * n, layer.id)
    part.coat(0, "tread")
    return part


def test_loose_grit_is_swept_off_when_it_is_dry_and_never_sanded():
    part = treads()
    part.step(0.1, "broadcast")
    sweep = next(p for p in part.rest(0.2).steps if p.step.kind == "sweep")
    sand = part.top(0.2).bands["sand"]
    assert sand.likely <= sweep.start
    assert [p.step.kind for p in part.rest(0.2).steps[:3]] == ["sweep", "wipe", "coat"]
    dry = (sand.late - at(0)) / timedelta(hours=1) + 1
    part.sand(dry, "P120")
    row = stands(part, dry + 0.1, "A")
    assert row[0] is not State.KEYED
    assert "grit is never sanded" in row[-1][0]


def test_past_its_window_a_gritty_film_takes_its_cover_coat_as_its_fresh_coat_and_no_key():
    part = treads()
    part.step(0.1, "broadcast")
    shut = next(h for h in range(10, 900, 5) if stands(part, h, "A")[0] is State.SHUT)
    plan = [p for p in part.rest(shut).steps if p.step.kind in ("coat", "sand")]
    assert [(p.step.kind, p.inserted) for p in plan] == [("coat", False)]
    without = treads(broadcast=None)
    assert "sand" in [p.step.kind for p in without.rest(shut).steps if p.inserted], "plain paint is keyed"


@pytest.mark.parametrize(("says", "kinds"), [("fresh", ["coat", "coat"]), ("pad", ["degloss", "coat"])])
def test_a_never_sanded_film_past_its_window_gets_what_its_sheet_says(says, kinds):
    data = shipped().systems["two-stage-epoxy"].model_dump(mode="json")
    next(la for la in data["layers"] if la["id"] == "colour")["product"] = "basecoat-solvent-metallic"
    part = two(System.model_validate(data)).prepared()
    metallic = part.products["basecoat-solvent-metallic"]
    part.products["basecoat-solvent-metallic"] = metallic.model_copy(update={"past_window": says})
    for hours, layer in enumerate(["epoxy"] * 2 + ["build"] * 3):
        part.coat(hours - 100, layer)
    part.coat(0, "colour")
    part.coat(0.7, "colour")
    plan = [p.step for p in part.rest(200).steps if p.step.kind in ("coat", "sand", "degloss")][:2]
    assert [step.kind for step in plan] == kinds
    assert plan[1].layer.id == "clear"
    part.sand(200, "P800")
    assert "never sanded" in stands(part, 200.1, "A")[-1][0]
    part.step(200.2, "degloss")
    assert (stands(part, 200.3, "A")[0] is State.KEYED) is (says == "pad")


def test_coats_to_come_that_are_left_out_in_words_leave_nothing_to_ask_for():
    part = PaperPart("two-stage-epoxy", None, zone("A")).prepared()
    part.coat(-90, "epoxy")
    part.write(0, SandPayload(grit="P320", break_through="an edge"))
    assert asked(part, 0.1) == [("all", ("epoxy",))]
    part.skip(0.2, "epoxy:coat:2", reason="the high-build covers it")
    assert asked(part, 0.3) == []

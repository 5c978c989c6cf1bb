"""The journeys of building: survey a part, build on it, take a shelf system over and give it back."""

import re
from uuid import uuid4

import pytest

from cool_sheen.formats.catalogue import shipped
from cool_sheen.service.building import built_on_part
from cool_sheen.service.jobs import find_part, zone_facts
from cool_sheen.store import log

HX = {"HX-Request": "true"}


def change(shop, address, op, headers=HX, **fields):
    return shop.http.post(f"{address}/change", data={"op": op, **fields}, headers=headers)


def on_part(shop, part):
    with shop.workshop.read() as unit:
        return built_on_part(unit, part)


def zones_of(shop, part):
    with shop.workshop.read() as unit:
        return {z.name: z for z in zone_facts(shop.workshop, find_part(unit, part))}


def face_of(shop, part, name=None):
    with shop.workshop.read() as unit:
        faces = find_part(unit, part).faces
        return str(next(f for f in faces if name in (None, f.name)).uuid)


def split(shop, part, source="whole", **fields):
    zone = {"zone": str(zones_of(shop, part)[source].uuid), "kind": "face", "substrate": "bare_steel_sheet",
            "old_finish": "none", "old_state": "unknown", "strip": "nothing", "face": face_of(shop, part),
            "shape": "sheet", "length": "50", "width": "20", "count": "1", "from_its_area": "1"}  # fmt: skip
    return shop.http.post(f"/parts/{part}/survey/split", data={**zone, **fields})


NINE = [
    {"name": "Edges", "kind": "edge", "shape": "tube", "diameter": "3", "length": "1.2 m", "count": "4"},
    {"name": "Old faces", "old_finish": "enamel_1k", "old_state": "weathered"},
    {"name": "Foot", "old_finish": "unknown", "word_of_another": "1", "shape": "box", "height": "8 in"},
    {"name": "Patch", "kind": "patch", "strip": "substrate", "bare_since": "2026-06-07T08:00", "shape": "sphere",
     "diameter": "8"},
    {"name": "Slats", "substrate": "bare_timber", "count": "4"},
    {"name": "Bolts", "substrate": "bare_zinc", "shape": "cylinder", "diameter": "2", "length": "5", "count": "8"},
    {"name": "Cap", "substrate": "bare_aluminium", "shape": "cone", "diameter": "20", "height": "10"},
    {"name": "Lattice", "shape": "frame", "openness": "70", "keep_texture": "1"},
]  # fmt: skip


def test_a_mixed_part_of_nine_zones_is_surveyed_built_on_and_worked(shop):
    part = shop.new_part("epoxy-barrier-mixed", area="3")
    for fields in NINE:
        assert split(shop, part, **fields).status_code == 303, fields
    zones = zones_of(shop, part)
    assert set(zones) == {"whole", *(z["name"] for z in NINE)}
    assert zones["Edges"].area_m2 == pytest.approx(4 * 3.14159 * 0.03 * 1.2, rel=1e-3)
    assert zones["Lattice"].area_m2 == pytest.approx(0.06)
    assert sum(z.area_m2 for z in zones.values()) == pytest.approx(3)
    page = shop.http.get(f"/parts/{part}/survey").text
    assert "abrade again" in page
    built = on_part(shop, part)
    verdicts = {(f.rule, f.standing) for f in built.findings if f.layer_id == "barrier"}
    assert ("unknown-isolated", "care") in verdicts
    assert ("weathered", "care") in verdicts or ("epoxy-isolates", "care") in verdicts
    assert ("epoxy-on-bare", "good") in verdicts
    # The first coat is the stripe on the edges, the second for what is bare, the third for all.
    for _ in range(40):
        if shop.standing(part).situation.films[0].clocks or shop.do_next(part) == "coat":
            break
    while sum(c.payload.layer_id == "barrier" for c in shop.standing(part).history.coats) < 3:
        shop.do_next(part)
    counts = shop.standing(part).history.coats_by_zone
    by_name = {z.name: counts[z.uuid]["barrier"] for z in zones.values()}
    assert by_name == {n: 1 if n in ("Old faces", "Foot") else 2 for n in by_name}
    film = shop.standing(part).history.builds
    assert film[zones["Edges"].uuid].total_um > film[zones["whole"].uuid].total_um > film[zones["Foot"].uuid].total_um
    assert len(re.findall(r'class="zone-word"', shop.http.get(f"/parts/{part}").text)) == 9


def test_a_zone_split_off_later_keeps_the_coats_that_it_had_and_can_be_put_back(shop):
    part = shop.new_part("two-stage-epoxy")
    while not shop.standing(part).history.coats:
        shop.do_next(part)
    assert split(shop, part, name="Rim", kind="edge").status_code == 303
    zones = zones_of(shop, part)
    counts = shop.standing(part).history.coats_by_zone
    assert {name: counts[z.uuid]["epoxy"] for name, z in zones.items()} == {"whole": 1, "Rim": 1}
    put_back = shop.http.post(f"/parts/{part}/survey/merge", data={"zone": str(zones["Rim"].uuid)})
    assert put_back.status_code == 303
    assert {z.name: round(z.area_m2, 3) for z in zones_of(shop, part).values()} == {"whole": 1.4}


@pytest.mark.parametrize(
    ("fields", "says"),
    [
        ({"length": "0"}, "Enter more than 0"),
        ({"length": "lots"}, "is no length"),
        ({"length": "-3"}, "Enter more than 0"),
        ({"length": "19000", "width": "19000"}, "none of a part"),
        ({"length": "300"}, "only: enter less"),
        ({"count": "2.5"}, "whole number"),
        ({"shape": "blob"}, "Choose a shape"),
        ({"name": ""}, "Enter a name"),
        ({"name": "WHOLE"}, "has this name"),
        ({"kind": "ghost"}, "Choose one of"),
        ({"bare_since": "2027-01-01T08:00"}, "up to now"),
        ({"openness": "100", "shape": "frame"}, "from 0 to 99"),
        ({"old_finish": "jam"}, "Choose the old finish"),
    ],
)
def test_an_absurd_zone_is_refused_at_its_field_and_what_was_typed_stays(shop, fields, says):
    part = shop.new_part()
    answer = split(shop, part, **{"name": "Rim", "width": "60", **fields})
    assert answer.status_code == 422
    assert says in answer.text
    assert len(zones_of(shop, part)) == 1
    if fields.get("name", "Rim"):
        assert f'value="{fields.get("name", "Rim")}"' in answer.text


def test_tests_decide_what_is_below_and_another_persons_word_waits_for_the_own_check(shop):
    part = shop.new_part("single-stage-epoxy", "unknown")
    survey = f"/parts/{part}/survey"
    assert "an unknown finish" in shop.http.get(survey).text
    rub = {"press": str(uuid4()), "test": "solvent_rub", "result": "unaffected"}
    assert shop.http.post(f"{survey}/test", data=rub).status_code == 303
    assert shop.http.post(f"{survey}/test", data=rub).status_code == 303  # the same press, once
    assert "two-pack urethane, keyed" in shop.http.get(survey).text
    wild = shop.http.post(f"{survey}/test", data={"press": str(uuid4()), "test": "cross_cut", "reading": "9"})
    assert wild.status_code == 422
    assert "reads from 0 to 5" in wild.text
    cut = {"press": str(uuid4()), "test": "cross_cut", "reading": "4"}
    assert shop.http.post(f"{survey}/test", data=cut).status_code == 303
    found = shop.http.get(survey).text
    assert "two-pack urethane, failing" in found
    assert found.count("Solvent rub</b>, everywhere") == 1
    claim = {"press": str(uuid4()), "says": "degrease", "whose": "the customer"}
    assert shop.http.post(f"{survey}/claim", data=claim).status_code == 303
    assert [p.step.kind for p in shop.standing(part).rows if p.status == "done"] == []
    claimed = re.search(r'name="claim" value="([0-9a-f-]+)"', shop.http.get(survey).text)[1]
    checked = {"press": str(uuid4()), "claim": claimed, "holds": "yes"}
    assert shop.http.post(f"{survey}/check", data=checked).status_code == 303
    assert [p.step.kind for p in shop.standing(part).rows if p.status == "done"] == ["degrease"]


def test_a_stack_is_built_step_by_step_and_every_change_can_be_taken_back(shop):
    part = shop.new_part("one-pack-enamel", "bare_steel_sheet")
    address = f"/parts/{part}/system"
    before = on_part(shop, part)
    added = change(shop, address, "add", product="single-stage-two-pack")
    assert added.status_code == 200
    assert "two-pack-over-one-pack" in added.text
    no = next(f for f in on_part(shop, part).findings if f.verdict == "no")
    sealed = change(shop, address, "way", rule=no.rule, at_place=no.place, way="isolate")
    assert "two-pack-over-one-pack" not in sealed.text
    ids = [la.id for la in on_part(shop, part).system.layers]
    assert ids == ["primer", "enamel", "sealer-1", "single-stage-1"]
    fields = {
        "layer": "sealer-1", "layer_name": "Isolating coat", "product": "epoxy-sealer-wet-on-wet",
        "coat_0_kind": "stripe", "coat_0_film": "3 mil", "coat_0_where": "edge", "coat_1_kind": "full",
        "coat_1_film": "70", "coat_1_where": "all", "reserve": "5",
    }  # fmt: skip
    assert change(shop, address, "layer", **fields).status_code == 200
    gloss = {"spot": "between:sealer-1", "do": "add", "task_kind": "degloss"}
    assert change(shop, address, "task", **gloss).status_code == 200
    ladder = {"spot": "then:sealer-1", "do": "ladder", "sand_from": "P320", "sand_to": "P800", "sand_first": "10"}
    assert change(shop, address, "task", **ladder).status_code == 200
    layer = on_part(shop, part).system.layer("sealer-1")
    assert [(c.kind, round(c.wet_film_um, 1), c.where, c.counted) for c in layer.coats] == [
        ("stripe", 76.2, "edge", False),
        ("full", 70, "all", True),
    ]
    assert (layer.sanding[0].grit, layer.sanding[0].removal_um, layer.sanding[-1].grit) == ("P320", 10, "P800")
    assert [t.kind for t in layer.then if t.kind != "sand"] == ["wipe", "tack"]
    assert [t.kind for t in layer.between] == ["degloss"]
    assert change(shop, address, "layer", **fields, also="coat-add:mist").status_code == 200
    assert [c.kind for c in on_part(shop, part).system.layer("sealer-1").coats] == ["mist", "stripe", "full"]
    assert change(shop, address, "move", layer="sealer-1", to="0").status_code == 200
    assert change(shop, address, "move", layer="sealer-1", by="1").status_code == 200
    assert [la.id for la in on_part(shop, part).system.layers][1] == "sealer-1"
    assert change(shop, address, "remove", layer="enamel").status_code == 200
    while on_part(shop, part).can_undo:
        assert change(shop, address, "undo").status_code == 200
    assert on_part(shop, part).system == before.system
    assert change(shop, address, "undo").status_code == 409


@pytest.mark.parametrize(
    ("fields", "says"),
    [
        ({"coat_0_film": "wet"}, "is no film"),
        ({"coat_0_film": "0"}, "Enter more than 0"),
        ({"coat_0_where": "under the bed of nails"}, "Choose from the list where"),
        ({"coat_0_kind": "fog"}, "Choose a kind"),
        ({"reserve": "9000"}, "from 0 up to 5,000 µm"),
        ({"product": "moon-dust"}, "Choose a product"),
        ({"hardener_speed": "warp"}, "Choose one of"),
        ({"layer": "nowhere"}, "no such layer"),
        ({"left_out": "1", "layer": "top"}, "must not be left out"),
    ],
)
def test_a_change_that_cannot_be_leaves_the_system_as_it_was(shop, fields, says):
    part = shop.new_part("epoxy-barrier-mixed")
    before = on_part(shop, part).system
    top = before.layer("top")
    good = {"layer": "top", "layer_name": top.name, "product": top.product, "coat_0_kind": "full", "coat_0_film": "70",
            "coat_0_where": "all"}  # fmt: skip
    answer = change(shop, f"/parts/{part}/system", "layer", **{**good, **fields})
    assert 400 <= answer.status_code < 500
    assert says in answer.text
    assert on_part(shop, part).system == before


def test_going_against_the_advice_wants_words_that_stay_with_the_job(shop):
    part = shop.new_part("single-stage-epoxy", "unknown")
    address = f"/parts/{part}/system"
    finding = next(f for f in on_part(shop, part).findings if f.verdict != "good")
    asked = {"rule": finding.rule, "at_place": finding.place, "press": str(uuid4())}
    empty = change(shop, address, "override", reason=" ", **asked)
    assert empty.status_code == 422
    assert "Write why it is done all the same" in empty.text
    assert change(shop, address, "override", reason="Test patch held for a week", **asked).status_code == 200
    assert "Test patch held for a week" in shop.http.get(address).text
    with shop.workshop.read() as unit:
        kept = [r.entry for r in log.of_part(unit.session, part) if r.entry.payload.kind == "override"]
    assert [e.reason for e in kept] == ["Test patch held for a week"]
    assert finding.rule in kept[0].payload.rule


def test_a_school_is_worked_out_and_a_side_can_be_taken(shop):
    part = shop.new_part("two-stage-epoxy")
    address = f"/parts/{part}/system"
    for school in [s.key for s in shipped().schools] + ["method"]:
        shown = shop.http.get(f"{address}/schools/{school}")
        assert shown.status_code == 200
        assert shop.http.get(f"{address}/schools/{school}", headers=HX).status_code == 200
    sides = shop.http.get(f"{address}/schools/primer", headers=HX).text
    assert sides.count("hands on") == 3
    assert "Riskier in:" in sides
    assert change(shop, address, "side", school="primer", side="heavy").status_code == 200
    assert len(on_part(shop, part).system.layer("build").coats) == 1
    assert change(shop, address, "side", school="old-finish", side="strip").status_code == 409


def test_a_shelf_system_becomes_the_shops_own_and_can_go_back(shop):
    key = shop.http.post("/systems/two-stage-epoxy/copy").headers["location"].rsplit("/", 1)[1]
    address = f"/systems/{key}"
    assert 'name="layer" value="clear"' in shop.http.get(address).text
    assert change(shop, address, "remove", layer="clear").status_code == 200
    assert 'name="layer" value="clear"' not in shop.http.get(address).text
    assert change(shop, address, "rename", system_name="Matt two stage").status_code == 200
    assert "Matt two stage" in shop.http.get("/systems").text
    assert "Matt two stage" in shop.http.get("/jobs/new").text
    assert shop.http.get(f"{address}?ground=fabric").text.count("only-dope-on-fabric") >= 1
    used = shop.http.post("/shelf/epoxy-primer-grey/remove")
    assert used.status_code == 409
    assert change(shop, address, "remove", layer="epoxy", headers={}).status_code == 303  # without script
    assert shop.http.post(f"{address}/remove").status_code == 303
    assert shop.http.get(address).status_code == 404
    assert shop.http.get("/systems/nowhere").status_code == 404

"""A part looked over: marks on its outline, what passes and what is accepted, rounds, mending, and readings of the film."""

import re
from datetime import timedelta
from uuid import uuid4

import pytest
from tests.fuzz.forms import filled_as_shown

from cool_sheen.core.inspection.rungs import rung_ladders
from cool_sheen.core.work.steps import CoatStep, SandStep, is_look
from cool_sheen.service.jobs import find_part
from cool_sheen.service.looks import rounds_to_come
from cool_sheen.service.part_now import part_now
from cool_sheen.store import log
from cool_sheen.web.views import looking


def zones_of(shop, part):
    return {z.name: z.uuid for z in shop.standing(part).zones}


def split(shop, part, name, area="0.4"):
    """Split a zone off the first one."""
    source = next(iter(zones_of(shop, part).values()))
    form = filled_as_shown(shop.http.get(f"/parts/{part}/survey?split={source}").text, "/survey/split")
    fields = {"zone": str(source), "name": name, "shape": "typed", "area": area, "from_its_area": "1"}
    answer = shop.http.post(f"/parts/{part}/survey/split", data={**form, **fields})
    assert answer.status_code == 303, answer.text
    return zones_of(shop, part)[name]


def inspect(shop, part, verb, **fields):
    return shop.http.post(f"/parts/{part}/inspect/{verb}", data={"press": str(uuid4()), **fields})


def went_wrong(shop, part, *steps, **fields):
    """Log a mishap: each step is what is done, its detail and its layer."""
    form = {"press": str(uuid4()), **fields}
    for number, (does, detail, layer) in enumerate(steps):
        form |= {f"does_{number}": does, f"detail_{number}": detail, f"layer_{number}": layer}
    return shop.http.post(f"/parts/{part}/mishap", data=form)


def ahead(shop, part, zone=None):
    """What is owed, in words: to the part, or to one of its zones."""
    owed = shop.standing(part).owed
    return (
        [s.label for s in shop.standing(part).ahead()]
        if zone is None
        else [owed.steps[n].label for n in owed.ahead(zone)]
    )


def until(shop, part, wanted):
    """Do what comes next until the next action is what is wanted."""
    for _ in range(80):
        step = shop.standing(part).action.step
        if step is not None and wanted(step):
            return step
        shop.do_next(part)
    raise AssertionError(f"it never came to that: {ahead(shop, part)}")


def entry_of(shop, part, kind):
    """The newest entry of a kind."""
    with shop.workshop.read() as unit:
        return [r.entry.uuid for r in log.of_part(unit.session, part) if r.entry.payload.kind == kind][-1]


def is_inspection(step):
    return step.kind == "inspect"


def with_an_inspection(shop, holds=True):
    """A part of two zones whose system has it inspected before it is unmasked, done up to there."""
    part = shop.new_part("one-pack-enamel")
    split(shop, part, "Rim")
    with shop.workshop.write() as unit:
        row = find_part(unit, part)
        system = dict(row.system)
        system["finish"] = [
            {"kind": "inspect", "holds": holds},
            *[t for t in system["finish"] if t["kind"] != "inspect"],
        ]
        row.system, row.changes = system, row.changes + 1
    until(shop, part, is_inspection)
    return part


def test_a_zone_with_a_mark_does_not_pass_until_it_is_accepted_with_a_reason(shop):
    part = with_an_inspection(shop)
    zones = zones_of(shop, part)
    rim, rest = str(zones["Rim"]), next(u for n, u in zones.items() if n != "Rim")
    assert inspect(shop, part, "mark", what="hose", zone=rim, where="outer edge", x="0.25", y="0.5").status_code == 303
    page = shop.http.get(f"/parts/{part}/inspect").text
    assert "touched by hose or hand" in page.lower()
    assert "1 mark open" in page
    assert "Marked there: touched by hose or hand, Rim, outer edge" in shop.http.get("/").text
    refused = inspect(shop, part, "look", **{f"zone_{rim}": "passed"})
    assert refused.status_code == 409
    assert "Rim: a mark is open there" in refused.text
    # nor does a script, or a press that was kept while nobody answered, pass it without a look at the marks
    as_a_step = shop.log(part, "step", kind="inspect")
    assert as_a_step.status_code == 409
    assert "Rim: a mark is open there" in as_a_step.text
    # the rest passes, and what follows is still held for the rim
    failed = {"rest": "1", f"zone_{rim}": "not_passed", "light_0": "1"}
    assert inspect(shop, part, "look", **failed).status_code == 303
    assert is_inspection(shop.standing(part).action.step)
    assert shop.standing(part).action.zones == {zones["Rim"]}
    assert not any("Inspect" in label for label in ahead(shop, part, rest))
    mark = next(iter(shop.standing(part).history.marks))
    nothing = inspect(shop, part, "accept", mark=str(mark), because="distance", seen_from="2 m", reason=" ")
    assert nothing.status_code == 422
    assert "The reason is missing" in nothing.text
    assert (
        inspect(
            shop, part, "accept", mark=str(mark), because="distance", seen_from="2 m", reason="hangs high"
        ).status_code
        == 303
    )
    assert not is_inspection(shop.standing(part).action.step)
    story = shop.http.get(f"/parts/{part}").text
    assert "Accepted as it is: it does not show from where it is seen, from 2 m: Rim – hangs high" in story
    # taking the word back holds the rim again
    accept = entry_of(shop, part, "accept")
    assert shop.log(part, "undo", entry=str(accept)).status_code == 200
    assert is_inspection(shop.standing(part).action.step)
    assert shop.standing(part).action.zones == {zones["Rim"]}


def test_the_rest_passes_no_zone_with_an_open_defect_and_logs_nothing_of_it(shop):
    part = with_an_inspection(shop)
    rim = zones_of(shop, part)["Rim"]
    assert inspect(shop, part, "mark", what="hose", zone=str(rim)).status_code == 303
    assert inspect(shop, part, "look", rest="1").status_code == 303
    assert not [look for look in shop.standing(part).history.looks if rim in look.zones]
    nothing = inspect(shop, part, "look", rest="1")
    assert (nothing.status_code, "every zone that is due has an open defect" in nothing.text) == (422, True)
    assert not [look for look in shop.standing(part).history.looks if rim in look.zones]


def test_a_lane_names_some_marks_and_counts_the_others(shop):
    part = shop.new_part()
    for where in ("one", "two", "three", "four", "five"):
        assert inspect(shop, part, "mark", what="fibres", where=where).status_code == 303
    words = "loose fibres, one; loose fibres, two; loose fibres, three; and 2 more"
    assert f"Marked there: {words}" in shop.http.get("/").text


def test_a_mishap_on_one_zone_is_a_branch_of_its_own_and_moves_no_other_clock(shop):
    part = shop.new_part()
    rim = split(shop, part, "Rim")
    face = next(u for n, u in zones_of(shop, part).items() if n != "Rim")
    until(shop, part, lambda s: isinstance(s, CoatStep) and s.layer.id == "build" and s.number == 2)
    before, counts = ahead(shop, part, face), dict(shop.standing(part).history.coats_by_zone[face])
    film = shop.standing(part).situation.film_of(face).top
    shop.clock.turn(minutes=2)
    answer = went_wrong(
        shop, part, ("wait", "3 h", ""), ("sand", "240", ""), ("feather", "P320 wet", ""), ("wipe", "", ""),
        ("coat", "", "build"), defect="run", words="a run", **{f"zone_{rim}": "1"},
    )  # fmt: skip
    assert answer.status_code == 303, answer.text
    assert ahead(shop, part, face) == before
    assert shop.standing(part).situation.film_of(face).top.bands == film.bands
    owed = ahead(shop, part, rim)
    assert [w.partition(":")[0] for w in owed[:5]] == [
        "Wait 3 h to mend", "Sand P240 to mend", "Feather P320 to mend", "Wipe down to mend", "High-build to mend",
    ]  # fmt: skip
    assert owed[5:] == before  # and then it rejoins
    # while the branch waits, the others go on: nothing is held up by it
    coat = next(p for p in shop.standing(part).rest.steps if isinstance(p.step, CoatStep))
    assert coat.step.zones == {face}
    assert coat.start - shop.clock.at < timedelta(hours=1)
    # the wait counts from the mishap, not from the coat before it
    found = shop.standing(part)
    wait = next(p for p in found.rest.steps if p.step.kind == "wait")
    assert wait.end - found.now == timedelta(hours=3)
    until(shop, part, lambda s: isinstance(s, SandStep) and "to mend" not in s.label)
    found = shop.standing(part)
    assert not any("to mend" in label for label in ahead(shop, part))
    mended, other = (found.history.coats_by_zone[zone]["build"] for zone in (rim, face))
    assert mended == other > counts["build"]  # the mending coat counted for nothing
    laid = {zone: sum(zone in c.zones for c in found.history.coats) for zone in (rim, face)}
    assert laid[rim] == laid[face] + 1
    assert not found.owed.passed_over()


def test_a_zone_that_is_still_mended_does_not_pass_with_the_rest(shop):
    part = with_an_inspection(shop)
    rim = zones_of(shop, part)["Rim"]
    assert went_wrong(shop, part, ("coat", "", "enamel"), **{f"zone_{rim}": "1"}).status_code == 303
    assert inspect(shop, part, "look", rest="1").status_code == 303
    others = [u for n, u in zones_of(shop, part).items() if n != "Rim"]
    assert any("Inspect" in label for label in ahead(shop, part, rim))
    assert not any("Inspect" in label for zone in others for label in ahead(shop, part, zone))
    # said of it all the same, it is asked first: a look of one's own, and the look of the plan stays owed after its coat
    asked = inspect(shop, part, "look", **{f"zone_{rim}": "passed"})
    assert (asked.status_code, "Press the same button again" in asked.text) == (409, True)
    codes = re.search(r'name="sure" value="([^"]+)"', asked.text)[1]
    assert inspect(shop, part, "look", sure=codes, **{f"zone_{rim}": "passed"}).status_code == 303
    assert any("Inspect" in label for label in ahead(shop, part, rim))
    until(shop, part, is_inspection)
    assert inspect(shop, part, "look", rest="1").status_code == 303
    assert not any("Inspect" in label for label in ahead(shop, part))


def test_a_patch_is_cut_out_and_mended_alone(shop):
    part = shop.new_part()
    until(shop, part, lambda s: isinstance(s, CoatStep) and s.layer.id == "build")
    zone = next(iter(zones_of(shop, part)))
    too_large = went_wrong(shop, part, ("sand", "P240", ""), patch="Corner", patch_area="9 m2")
    assert too_large.status_code == 422
    assert "has 1.40 m² only" in too_large.text
    assert list(zones_of(shop, part)) == [zone]  # nothing was cut, nothing logged
    assert went_wrong(shop, part, ("sand", "P240", ""), patch="Corner", patch_area="0,1").status_code == 303
    zones = zones_of(shop, part)
    found = shop.standing(part)
    assert "Corner" in zones
    assert {z.name: round(z.area_m2, 2) for z in found.zones} == {zone: 1.3, "Corner": 0.1}
    assert "Sand P240 to mend: Corner" in ahead(shop, part, zones["Corner"])
    assert not any("to mend" in label for label in ahead(shop, part, zones[zone]))
    assert found.history.coats_by_zone[zones["Corner"]] == found.history.coats_by_zone[zones[zone]]


def test_each_dry_round_asks_what_is_thin_and_the_answer_is_the_next_round(shop):
    part = shop.new_part("solid-stain-masonry", "masonry")
    plinth = split(shop, part, "Plinth")
    wall = next(u for n, u in zones_of(shop, part).items() if n != "Plinth")
    until(shop, part, is_look)
    with shop.workshop.read() as unit:
        rounds = rounds_to_come(part_now(unit, part))
    assert (rounds.on, rounds.fewest, rounds.reckoned, rounds.most) == (1, 1, 2, 4)
    assert rounds.ends_early < rounds.ends_late
    page = shop.http.get(f"/parts/{part}/inspect").text
    assert "Anything thin, and where?" in page
    # thin on the plinth alone: it gets another round, and the other is done with
    for number in (1, 2, 3, 4, 5):
        answer = inspect(shop, part, "look", rest="1", **{f"zone_{plinth}": "thin"})
        assert answer.status_code == 303, answer.text
        assert shop.standing(part).action.zones == {plinth}
        assert not any("round" in label.lower() or "coat" in label for label in ahead(shop, part, wall))
        coat = next(s for s in shop.standing(part).ahead() if isinstance(s, CoatStep))
        assert coat.zones == {plinth}
        assert ("over the 4 at most" in coat.label) == (number >= 4)
        until(shop, part, is_look)
    assert inspect(shop, part, "look", **{f"zone_{plinth}": "passed"}).status_code == 303
    assert ahead(shop, part) == ["Unmask"]
    counts = shop.standing(part).history.coats_by_zone
    assert (counts[wall]["stain"], counts[plinth]["stain"]) == (1, 6)
    assert not [r for r in looking.mark_rows(shop.standing(part)) if r.state != "closed"]


def test_comb_readings_are_the_film_and_stay_on_the_list_until_they_are_mended(shop):
    part = shop.new_part()
    rim = split(shop, part, "Rim")
    face = next(u for n, u in zones_of(shop, part).items() if n != "Rim")
    until(shop, part, lambda s: isinstance(s, CoatStep) and s.layer.id == "build" and s.number == 2)
    sheet = shop.standing(part).products[shop.standing(part).system.layer("build").product]
    low, high = sheet.wet_film_min_um, sheet.wet_film_max_um
    plan = shop.standing(part).history.builds[rim].total_um
    wrong_unit = shop.log(part, "reading", readings="left 5", sure="")
    assert "Is it the right unit" in wrong_unit.text
    assert not shop.standing(part).history.readings
    fine, thin = (low + high) / 2, 0.8 * low - 1
    said = f"left edge {0.8 * low:.6f}; right: {fine:.3f} {high:.3f}; corner {thin:.6f}"
    assert shop.log(part, "reading", readings=said, **{f"zone_{rim}": "1"}).status_code == 200
    found = shop.standing(part)
    (row,) = looking.film_notices(looking.reading_rows(found, "metric"))
    assert [(s.where, s.verdict) for s in row.combed.spots] == [
        ("left edge", "ok"), ("right", "ok"), ("right", "ok"), ("corner", "thin"),
    ]  # fmt: skip
    # the ledger goes by what was read, on that zone alone
    mean = row.combed.mean_um
    laid = {frozenset(c.zones): c.payload.film_um for c in found.history.coats if c.payload.layer_id == "build"}
    assert laid[frozenset({rim})] == pytest.approx(mean)
    assert found.history.builds[face].total_um == plan
    assert found.history.builds[rim].total_um != plan
    assert found.situation.film_of(rim) is not found.situation.film_of(face)
    assert "Thin: corner" in shop.http.get(f"/parts/{part}").text
    assert found.history.coats_by_zone[rim] == found.history.coats_by_zone[face]
    until(shop, part, lambda s: not (isinstance(s, CoatStep) and s.layer.id == "build"))
    assert not looking.film_notices(looking.reading_rows(shop.standing(part), "metric"))


def test_enough_to_sand_is_answered_by_the_ledger_and_by_the_eye(shop):
    part = shop.new_part()
    until(shop, part, lambda s: isinstance(s, SandStep) and s.slot == "build")
    before = ahead(shop, part)
    page = shop.http.get(f"/parts/{part}").text
    grit = re.search(r"High-build: enough to sand to (P\d+)\?", page)[1]
    assert grit == [s for s in shop.standing(part).ahead() if isinstance(s, SandStep) and s.slot == "build"][-1].grit
    assert shop.log(part, "enough", layer="build", enough="no").status_code == 200
    assert ahead(shop, part) == ["High-build, another coat before its sanding", *before]
    assert "enough to sand" not in shop.http.get(f"/parts/{part}").text  # the coat is asked for first
    assert shop.log(part, "enough", layer="build", enough="yes").status_code == 409
    assert shop.log(part, "undo", entry=str(entry_of(shop, part, "judgement"))).status_code == 200
    assert ahead(shop, part) == before
    assert shop.log(part, "enough", layer="build", enough="no").status_code == 200
    until(shop, part, lambda s: isinstance(s, SandStep))
    assert ahead(shop, part) == before
    assert shop.log(part, "enough", layer="build", enough="yes").status_code == 200
    assert "You said enough" in shop.http.get(f"/parts/{part}").text


def test_a_ladder_keeps_its_rungs_with_what_is_left_and_asks_back_a_grit_that_skips(shop):
    part = shop.new_part()
    first = until(shop, part, lambda s: isinstance(s, SandStep) and s.slot == "build")
    shop.clock.at = shop.standing(part).action.counts_to + timedelta(minutes=1)
    stood = min(
        f.left_um for b in shop.standing(part).history.builds.values() for f in b.layers if f.layer_id == "build"
    )
    told = {"method": "long_board", "minutes": "12", "tick_1": "1", "tick_2": "1", "removal": "8"}
    assert shop.log(part, "sand", grit="P180", **told).status_code == 200
    assert "Sanded P180 dry by long board for 12 min, 8 µm off measured, no drag left, guide coat gone" in (
        shop.http.get(f"/parts/{part}").text
    )
    (ladder,) = rung_ladders(shop.standing(part).owed, shop.standing(part).history)
    assert [r.grit for r in ladder.rungs][:2] == ["P180", first.grit]
    assert ladder.rungs[0].left_um == pytest.approx(stood - 8)
    assert ladder.rungs[1].left_um == pytest.approx(stood - 8 - first.removal_um)
    shop.clock.turn(minutes=1)
    page = shop.http.get(f"/parts/{part}/sand").text
    offer = re.search(r'name="offered" value="([^"]+)"', page)[1]
    asked = shop.log(part, "sand", grit="P500", offered=offer)
    assert "P500 won&#39;t remove P180 scratches. Use P280 in between." in asked.text
    assert len([w for w in shop.standing(part).history.works if w.grit]) == len(ladder.rungs) - 1
    assert shop.log(part, "sand", grit="P500", offered=offer, sure="skip,before").status_code == 200
    (ladder,) = rung_ladders(shop.standing(part).owed, shop.standing(part).history)
    assert ladder.rungs[1].skips == ("P280",)


def test_wipes_are_counted_until_the_white_cloth_stays_clean(shop):
    part = shop.new_part()
    until(shop, part, lambda s: s.kind == "degrease")
    before = ahead(shop, part)
    for count, words in ((1, "Wiped once so far"), (2, "Wiped 2 times so far")):
        assert shop.log(part, "step", kind="degrease", passed="no").status_code == 200
        assert ahead(shop, part) == before
        assert shop.standing(part).history.wiped_in_vain(shop.standing(part).situation.all_zones) == count
        assert words in shop.http.get(f"/parts/{part}/step").text
    assert "Degrease: the cloth is not clean yet" in shop.http.get(f"/parts/{part}").text
    assert shop.log(part, "step", kind="degrease").status_code == 200
    assert ahead(shop, part) == before[1:]
    assert not shop.standing(part).history.wiped_in_vain(shop.standing(part).situation.all_zones)


def test_what_a_support_left_is_touched_in_at_the_end(shop):
    part = shop.new_part("one-pack-enamel")
    until(shop, part, lambda s: isinstance(s, CoatStep))
    inspect(shop, part, "mark", what="support", where="two feet")
    labels = ahead(shop, part)
    touch = labels.index(next(w for w in labels if w.startswith("Touch in where it stood")))
    assert all("coat" not in label for label in labels[touch + 1 :])
    assert any("coat" in label for label in labels[:touch])
    until(shop, part, lambda s: s.kind == "own")
    shop.do_next(part)
    assert [r.state for r in looking.mark_rows(shop.standing(part))] == ["closed"]


@pytest.mark.parametrize(
    ("fields", "says"),
    [
        ({}, "Choose what is done first"),
        ({"does_0": "wait", "detail_0": "soon"}, "such as 45 min"),
        ({"does_0": "wait", "detail_0": "43 d"}, "up to six weeks"),
        ({"does_0": "sand", "detail_0": "P7"}, "Enter a grit"),
        ({"does_0": "coat"}, "Enter the layer"),
        ({"does_0": "coat", "layer_0": "nowhere"}, "Choose one of the part"),
        ({"detail_0": "something"}, "Choose what is done"),
        ({"does_0": "wipe", "zone_00000000-0000-0000-0000-000000000000": "1"}, "no such zone"),
        ({"does_0": "wipe", "patch": "Corner"}, "is no area"),
        ({"does_0": "wipe", "defect": "gremlin"}, "no such defect"),
    ],
)
def test_a_mishap_that_cannot_be_is_told_and_nothing_is_logged(shop, fields, says):
    part = shop.new_part()
    answer = shop.http.post(f"/parts/{part}/mishap", data={"press": str(uuid4()), "words": "kept words", **fields})
    assert answer.status_code in (409, 422), answer.text
    assert says in answer.text
    assert "kept words" in answer.text
    assert not shop.standing(part).history.mishaps


def test_the_same_press_twice_is_one_entry(shop):
    part = shop.new_part()
    presses = [str(uuid4()) for _ in range(3)]
    for _ in range(2):
        assert went_wrong(shop, part, ("wipe", "", ""), press=presses[0]).status_code == 303
        assert inspect(shop, part, "look", press=presses[1], rest="1").status_code == 303
        assert inspect(shop, part, "mark", press=presses[2], what="fibres").status_code == 303
    history = shop.standing(part).history
    assert (len(history.mishaps), len(history.looks), len(history.marks)) == (1, 1, 1)
    other = inspect(shop, part, "mark", press=presses[2], what="hose")
    assert other.status_code == 409


def test_a_note_is_kept_with_its_zones_and_whoever_wrote_it(shop):
    part = shop.new_part()
    rim = split(shop, part, "Rim")
    shop.http.post("/device", data={"person": "Ane"})
    assert shop.log(part, "note", text=" ").status_code == 422
    assert shop.log(part, "note", text="x" * 4001).status_code == 422
    assert shop.log(part, "note", text="the <lamp> was low", **{f"zone_{rim}": "1"}).status_code == 200
    page = shop.http.get(f"/parts/{part}").text
    assert "the &lt;lamp&gt; was low: Rim" in page
    assert '<span class="soft">Ane</span>' in page
    assert shop.standing(part).action.does == "wash"  # words move nothing


def test_what_was_done_before_it_went_wrong_mends_nothing(shop):
    part = shop.new_part()
    split(shop, part, "Rim")
    rim = zones_of(shop, part)["Rim"]
    layer = until(shop, part, lambda s: isinstance(s, CoatStep)).layer.id
    shop.log(part, "coat")
    shop.log(part, "sand", grit="P320")  # before it went wrong
    went_wrong(shop, part, ("sand", "P320", ""), ("coat", "", layer), **{f"zone_{rim}": "1"})
    assert ahead(shop, part, rim)[0] == "Sand P320 to mend: Rim"
    shop.log(part, "sand", grit="P320", **{f"zone_{rim}": "1"})
    assert ahead(shop, part, rim)[0].endswith("to mend: Rim")
    assert not ahead(shop, part, rim)[0].startswith("Sand")

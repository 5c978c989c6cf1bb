"""Jobs tended: renamed, moved, repeated, set aside, archived, brought back, deleted; and found again."""

import re
from uuid import UUID

import pytest
from sqlalchemy import select
from tests.fuzz.forms import filled_as_shown

from cool_sheen.core.work.steps import CoatStep
from cool_sheen.service.part_now import live_parts
from cool_sheen.store.models import Part


def on_the_bench(shop):
    with shop.workshop.read() as unit:
        return {found.part.name for found in live_parts(unit)}


def jobs(shop, **asked):
    page = shop.http.get("/jobs", params=asked).text
    return re.findall(r'<div class="part-name"><a href="/parts/[^"]+">([^<]+)<', page)


def project_of(shop, part) -> UUID:
    return shop.standing(part).part.project_uuid


def parts_named(shop, like):
    with shop.workshop.read() as unit:
        rows = unit.session.execute(select(Part.name, Part.uuid).where(Part.name.startswith(like), Part.away == ""))
        return {row.name: row.uuid for row in rows}


def tend(shop, part, **fields):
    return shop.http.post(f"/parts/{part}/tend", data=fields)


def test_a_part_is_renamed_moved_and_put_after_another_and_every_page_says_so(shop):
    first, then = shop.new_part(), shop.new_part()
    assert shop.http.post("/projects/new", data={"name": "Milling machine"}).status_code == 303
    other = UUID(shop.http.post("/projects/new", data={"name": "Drill"}).headers["location"].rsplit("/", 1)[1])
    said = {"name": "Tailstock", "project": str(other), "after": str(first)}
    assert tend(shop, then, **said).status_code == 303
    for address in ("/", "/jobs", f"/parts/{then}"):
        page = re.sub(r"\s+", " ", shop.http.get(address).text)
        assert "Tailstock" in page
        assert "omes after Headstock casting" in page
    assert "Drill" in shop.http.get("/").text
    ring = tend(shop, first, name="Headstock casting", project=str(other), after=str(then))
    assert (ring.status_code, "comes after this one already" in ring.text) == (422, True)
    itself = tend(shop, then, name="Tailstock", project=str(other), after=str(then))
    assert itself.status_code == 422
    assert tend(shop, first, op="archived").status_code == 303
    assert "omes after" not in shop.http.get(f"/parts/{then}").text


def test_what_is_set_aside_or_archived_leaves_the_bench_and_comes_back_with_its_log(shop):
    part = shop.new_part()
    shop.do_next(part)
    seq = shop.standing(part).version[1]
    for how, listed in (("aside", True), ("archived", False)):
        assert tend(shop, part, op=how).status_code == 303
        assert on_the_bench(shop) == set()
        assert (jobs(shop) == ["Headstock casting"]) == listed
        assert jobs(shop, state=how) == ["Headstock casting"]
        page = shop.http.get(f"/parts/{part}").text
        assert "Bring it back" in page
        assert tend(shop, part, op="back").status_code == 303
        assert on_the_bench(shop) == {"Headstock casting"}
    assert shop.standing(part).version[1] == seq


def test_a_project_is_archived_with_its_parts_and_brought_back_without_what_was_archived_before(shop):
    kept, old = shop.new_part(), shop.new_part()
    home = project_of(shop, kept)
    assert tend(shop, old, name="Old guard", project=str(home)).status_code == 303
    tend(shop, old, op="archived")
    shop.clock.turn(hours=1)
    assert shop.http.post(f"/projects/{home}", data={"op": "archive"}).status_code == 303
    assert (on_the_bench(shop), jobs(shop)) == (set(), [])
    assert set(jobs(shop, state="archived")) == {"Headstock casting", "Old guard"}
    blocked = tend(shop, kept, op="back")
    assert (blocked.status_code, "bring the project back first" in blocked.text) == (409, True)
    assert shop.http.post(f"/projects/{home}", data={"op": "back"}).status_code == 303
    assert jobs(shop) == ["Headstock casting"]


@pytest.mark.parametrize("worked", [False, True])
def test_only_what_was_never_worked_on_is_deleted(shop, worked):
    part = shop.new_part()
    home = project_of(shop, part)
    if worked:
        shop.do_next(part)
    assert ("Delete it" in shop.http.get(f"/parts/{part}/tend").text) != worked
    for address in (f"/parts/{part}/tend", f"/projects/{home}"):
        answer = shop.http.post(address, data={"op": "delete"})
        if worked:
            assert (answer.status_code, "archive" in answer.text) == (409, True)
    assert (shop.http.get(f"/parts/{part}").status_code == 404) != worked
    assert (shop.http.get(f"/projects/{home}").status_code == 404) != worked
    assert (jobs(shop) == []) != worked


@pytest.mark.parametrize("coats", [False, True])
def test_six_alike_are_made_in_one_go_with_or_without_what_was_done(shop, coats):
    part = shop.new_part()
    while not isinstance(shop.standing(part).action.step, CoatStep):
        shop.do_next(part)
    shop.do_next(part)
    home = project_of(shop, part)
    said = {"count": "6", "to_project": str(home), "zones": "1", "system": "1", **({"coats": "1"} if coats else {})}
    assert shop.http.post(f"/parts/{part}/again", data=said).status_code == 303
    alike = parts_named(shop, "Headstock casting")
    assert set(alike) == {"Headstock casting", *(f"Headstock casting {n}" for n in range(2, 8))}
    first = shop.standing(part)
    for name, uuid in alike.items():
        there = shop.standing(uuid)
        assert there.part.area_m2 == first.part.area_m2
        same = coats or uuid == part
        assert len(there.history.coats) == (1 if same else 0), name
        if same:
            assert there.history.coats[0].ended_at == first.history.coats[0].ended_at
            assert there.action.says == first.action.says
            assert there.action.counts_to == first.action.counts_to
    again = shop.http.post(f"/parts/{part}/again", data={**said, "count": "1"})
    assert again.headers["location"] != "/jobs"  # to the one that was made
    assert "Headstock casting 8" in shop.http.get(again.headers["location"]).text


BAD_AGAIN = {
    "none": ({"count": "0"}, "from 1 to 24"),
    "half a part": ({"count": "1.5"}, "whole number"),
    "a crowd": ({"count": "25"}, "from 1 to 24"),
    "words": ({"count": "six"}, "from 1 to 24"),
    "no project": ({"to_project": ""}, "Choose a project"),
    "coats on no zones": ({"zones": ""}, "belongs to zones and system"),
}


@pytest.mark.parametrize("said", BAD_AGAIN)
def test_what_cannot_be_repeated_is_refused_and_nothing_is_made(shop, said):
    part = shop.new_part()
    fields, words = BAD_AGAIN[said]
    form = {"count": "2", "to_project": str(project_of(shop, part)), "zones": "1", "system": "1", "coats": "1"}
    answer = shop.http.post(f"/parts/{part}/again", data={**form, **fields})
    assert (answer.status_code, words in answer.text) == (422, True)
    assert len(parts_named(shop, "Headstock")) == 1


def test_a_project_says_for_whom_in_which_colour_for_how_much_and_by_when(shop):
    part = shop.new_part()
    home = project_of(shop, part)
    said = {"name": "Toolroom lathe", "customer": "The mill", "colour": "Reed green", "price": "640,50",
            "due": "2026-07-01T12:00", "note": "Mind the scale."}  # fmt: skip
    assert shop.http.post(f"/projects/{home}", data=said).status_code == 303
    page = shop.http.get("/jobs").text
    assert "The mill · Reed green" in page
    assert re.search(r"usable by\s+Wed 1 Jul 12:00", page)
    assert "640.50" in shop.http.get("/stores/cost").text
    stale = shop.http.post(f"/projects/{home}", data={**said, "note": "Other words.", "seen": "of before"})
    assert (stale.status_code, "Mind the scale." in stale.text) == (409, True)
    wrongs = (("price", "dear", "amount of money"), ("due", "soon", "date and time"), ("name", "", "Enter a name"))
    for name, value, words in wrongs:
        wrong = shop.http.post(f"/projects/{home}", data={**said, name: value})
        assert (wrong.status_code, words in wrong.text, "Mind the scale." in wrong.text) == (422, True, True)


FINDS = {
    "by a part": ({"find": "guard"}, ["Chuck guard"]),
    "by a project": ({"find": "toolroom"}, ["Headstock casting", "Chuck guard"]),
    "by a customer and a part": ({"find": "mill guard"}, ["Chuck guard"]),
    "by a colour": ({"find": "reed"}, ["Headstock casting", "Chuck guard"]),
    "by a product in words": ({"find": "enamel"}, ["Chuck guard"]),
    "by a product": ({"product": "enamel-one-pack"}, ["Chuck guard"]),
    "by its space": ({"space": "room"}, ["Headstock casting", "Chuck guard"]),
    "by its state": ({"state": "is-bare"}, ["Headstock casting", "Chuck guard"]),
    "by a state that none is in": ({"state": "is-wet"}, []),
    "by the day": ({"since": "2026-06-08", "until": "2026-06-08"}, ["Headstock casting", "Chuck guard"]),
    "by a day before": ({"until": "2026-06-07"}, []),
    "live ones": ({"state": "live"}, ["Headstock casting", "Chuck guard"]),
    "finished ones": ({"state": "finished"}, []),
    "nothing of that name": ({"find": "zeppelin"}, []),
    "a sign that means something to the database": ({"find": "%"}, []),
}


@pytest.fixture(scope="module")
def two(tmp_path_factory):
    from tests.support import ShopOnTrial

    shop = ShopOnTrial(tmp_path_factory.mktemp("two"))
    part = shop.new_part()
    home = project_of(shop, part)
    said = {"name": "Toolroom lathe", "customer": "The mill", "colour": "Reed green"}
    assert shop.http.post(f"/projects/{home}", data=said).status_code == 303
    shop.clock.turn(minutes=1)
    form = {"project": str(home), "name": "Chuck guard", "substrate": "bare_steel_sheet", "area": "0.4",
            "space": str(shop.standing(part).space.uuid), "system": "one-pack-enamel"}  # fmt: skip
    assert shop.http.post("/jobs/new", data=form).status_code == 303
    return shop, shop.standing(part).space.uuid


@pytest.mark.parametrize("how", FINDS)
def test_jobs_are_found(two, how):
    shop, room = two
    asked, names = FINDS[how]
    assert jobs(shop, **{k: str(room) if v == "room" else v for k, v in asked.items()}) == names


@pytest.mark.parametrize("asked", [{"state": "lost"}, {"space": "cellar"}, {"since": "soon"},
                                   {"since": "2026-06-08", "until": "2026-06-01"}])  # fmt: skip
def test_what_cannot_be_looked_for_is_said_at_its_field(two, asked):
    answer = two[0].http.get("/jobs", params=asked)
    name = list(asked)[-1]
    assert answer.status_code == 422
    assert re.search(rf'id="n-{name}">[^<]+', answer.text)


def test_what_lands_on_a_part_of_its_own_moves_mix_stores_and_cost_alike(shop):
    part = shop.new_part("single-stage-epoxy")
    while not isinstance(shop.standing(part).action.step, CoatStep):
        shop.do_next(part)

    def ready():
        page = re.sub(r"\s+", " ", shop.http.get("/stores").text)
        return float(re.search(r"Two-pack epoxy primer, grey \(base\)</b>.*?needs ([\d.]+) ml", page)[1])

    def mixed():
        address = f"/mix/new?product=epoxy-primer-grey&part_{part}=1&loss=0"
        return float(re.search(r"([\d.]+) ml a coat", shop.http.get(address).text)[1])

    before, cup = ready(), mixed()
    form = filled_as_shown(shop.http.get(f"/parts/{part}/tend").text, f"/parts/{part}/tend")
    assert shop.http.post(f"/parts/{part}/tend", data=form | {"lands": "130"}).status_code == 422
    assert shop.http.post(f"/parts/{part}/tend", data=form | {"lands": "32.5"}).status_code == 303
    assert mixed() == pytest.approx(2 * cup, abs=1.1)  # half of what a gun leaves on a face
    assert ready() > 1.8 * before
    kept = filled_as_shown(shop.http.get(f"/parts/{part}/tend").text, f"/parts/{part}/tend")
    assert kept["lands"] == "32.5"
    assert shop.http.post(f"/parts/{part}/tend", data=kept | {"lands": ""}).status_code == 303
    assert mixed() == cup

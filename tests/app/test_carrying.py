"""A project between two machines: it stands there as it stood here, and what cannot be taken changes nothing."""

import json
import re
import shutil
from pathlib import Path
from uuid import UUID, uuid4

import pytest
from sqlalchemy import text
from tests.app.test_clinic_journeys import words
from tests.app.test_inspection import inspect, split, zones_of
from tests.app.test_mixing_journeys import batch_of, begin, do, mix_through
from tests.app.test_photos import bring as photographed
from tests.app.test_the_past import add_space, logged, read
from tests.app.test_the_past import bring as recorded
from tests.support import ShopOnTrial, as_seen
from tests.unit.test_photo_files import written

from cool_sheen.service import scripts
from cool_sheen.service.jobs import find_part, spaces_by_id
from cool_sheen.service.part_now import part_now
from cool_sheen.service.projections import rebuild
from cool_sheen.service.story import story

CANNOT = (
    "NaN is no number",
    "This file is cut off",
    "Nothing was taken",
    "nothing was brought in",
    "This file has version",
    "This is no",
    "The file",
    "A project",
)


@pytest.fixture
def there(tmp_path):
    """Another machine, with a shop of its own: another name, other weather, other rooms."""
    folder = tmp_path / "there"
    folder.mkdir()
    shop = ShopOnTrial(folder)
    shop.change(name="The other shop")
    yield shop
    shop.look_away()


@pytest.fixture
def third(tmp_path):
    folder = tmp_path / "third"
    folder.mkdir()
    shop = ShopOnTrial(folder)
    yield shop
    shop.look_away()


@pytest.fixture
def worked_on(shop):
    """Two parts of a project with zones, batch, marks, photo, readings, a record, doors and a move; one more beside."""
    part = shop.new_part()
    project = project_of(shop, part)
    second = shop.http.post("/jobs/new", data={**_like(shop), "project": str(project), "name": "Tailstock"})
    assert second.status_code == 303
    beside = shop.new_part()  # of another project: its tests teach, and stay
    split(shop, part, "ways", "0.4")
    yard = add_space(shop, "Yard", kind="outdoors")
    recorded(shop, yard, logged(shop.clock.at, [14, 15, 16, 15]))
    for _ in range(4):
        shop.do_next(part)
        shop.do_next(beside)
    while not shop.standing(part).history.coats:
        if shop.standing(part).action.does == "coat":
            product = shop.standing(part).action.step.layer.product
            batch = batch_of(begin(shop, product, [part]))
            mix_through(shop, batch)
            shop.log(part, "coat")
            shop.log(beside, "coat")
            do(shop, batch, "end", left="50", goes="waste")
        else:
            shop.do_next(part)
            shop.do_next(beside)
    room = shop.standing(part).space
    read(shop, room, 23, 61)
    shop.clock.turn(minutes=20)
    shop.log(part, "touch", ready="no", milestone="flash")
    shop.log(beside, "touch", ready="no", milestone="flash")
    press = {"press": str(uuid4()), "space": str(room.uuid), "door": "open"}
    assert shop.http.post("/weather/door", data=press).status_code == 303
    photographed(shop, part, written(640, 480), words="After the first coat")
    inspect(shop, part, "mark", zone=str(zones_of(shop, part)["ways"]), what="defect", defect="dust", where="top edge")
    shop.clock.turn(minutes=50)
    shop.log(part, "touch", ready="yes", milestone="flash")
    shop.log(part, "note", text="warm the tin first")
    assert shop.log(part, "move", space=str(yard.uuid)).status_code == 200
    shop.clock.turn(hours=3)
    return project, part


def _like(shop):
    with shop.workshop.read() as unit:
        space = next(s.uuid for s in spaces_by_id(unit).values() if s.name == "Room")
    return {"substrate": "bare_steel_cast", "area": "0,5", "space": str(space), "system": "two-stage-epoxy"}


def project_of(shop, part):
    with shop.workshop.read() as unit:
        return find_part(unit, part).project_uuid


def given_out(shop, project):
    answer = shop.http.get(f"/projects/{project}/project.json")
    assert answer.status_code == 200, answer.text
    assert "attachment" in answer.headers["content-disposition"]
    return answer.content


def looked_at(shop, content):
    return shop.http.post("/jobs/bring", files={"document": ("project.json", content, "application/json")})


def brought(shop, content):
    """Look at a file, and take it."""
    shown = looked_at(shop, content)
    assert shown.status_code == 200, words(shown.text)
    name = re.search(r'name="looked_at" value="([^"]+)"', shown.text)[1]
    answer = shop.http.post("/jobs/bring", data={"looked_at": name})
    return shown, answer


def said(content):
    """All that a file says but when it was made."""
    return {name: value for name, value in json.loads(content).items() if name != "made_at"}


def state_of(shop, part):
    with shop.workshop.read() as unit:
        found = part_now(unit, part)
        told = scripts.status_of(unit, found)
        seen = story(unit, found)
        return told, scripts.log_of(unit, found, 0, 500), seen.until


def rounded(value):
    """To the second: a clock is put together from figures of four digits."""
    if isinstance(value, dict):
        return {k: rounded(v) for k, v in value.items() if k not in ("offer", "seq")}  # places in the log
    if isinstance(value, list | tuple):
        return [rounded(v) for v in value]
    if isinstance(value, str):
        return re.sub(r" \((Trial|The other) shop\)", "", value)  # what a room is called there
    return round(value.timestamp()) if hasattr(value, "timestamp") else value


def counts(shop):
    """How many rows there are of everything."""
    with shop.workshop.read() as unit:
        tables = unit.session.scalars(text("SELECT name FROM sqlite_master WHERE type = 'table' ORDER BY name")).all()
        rows = {t: unit.session.scalar(text(f"SELECT count(*) FROM {t}")) for t in tables if not t.startswith("log_te")}
    return rows, sorted(p.name for p in Path(shop.workshop.engine.url.database).parent.glob("**/*.jpg"))


def test_a_project_stands_on_another_machine_as_it_stood_here_and_goes_on_to_a_third(shop, there, third, worked_on):
    project, part = worked_on
    there.clock.at = third.clock.at = shop.clock.at
    file = given_out(shop, project)
    shown, answer = brought(there, file)
    assert "Room (Trial shop)" in words(shown.text)  # the name is taken there
    assert answer.headers["location"] == f"/projects/{project}"
    assert said(given_out(there, project)) == said(file)
    for mine, its in zip(state_of(shop, part), state_of(there, part), strict=True):
        assert rounded(its) == rounded(mine)
    assert "Brought in from Trial shop" in words(there.http.get(f"/projects/{project}").text)
    photo = re.search(r"/photos/[0-9a-f]{64}-small\.jpg", there.http.get(f"/parts/{part}/photos").text)
    pages = [
        f"/parts/{part}",
        f"/parts/{part}/sheet",
        f"/parts/{part}/story",
        f"/projects/{project}/sheet",
        "/",
        "/plan",
    ]
    for page in ["/jobs", "/weather", "/records?words=warm", f"/parts/{part}/log.csv", photo[0], *pages]:
        assert there.http.get(page).status_code == 200, page
    assert "warm the tin first" in words(there.http.get("/records?words=warm").text)
    with there.workshop.read() as unit:
        assert unit.session.scalar(text("SELECT count(*) FROM lesson WHERE part_uuid IS NULL")) == 1
    # work goes on there, and back here nobody lost anything
    with there.workshop.read() as unit:
        room = next(s for s in spaces(unit) if s.name == "Room")
    assert there.log(part, "move", space=str(room.uuid)).status_code == 200
    for _ in range(3):
        there.do_next(part)
    further = given_out(there, project)
    assert len(said(further)["entries"]) > len(said(file)["entries"])
    assert {s["name"] for s in said(further)["shops"]} == {"Trial shop", "The other shop"}
    third.clock.at = there.clock.at
    brought(third, further)
    assert said(given_out(third, project)) == said(further)
    assert rounded(state_of(third, part)[0]) == rounded(state_of(there, part)[0])
    assert "here already" in words(looked_at(shop, further).text)


def spaces(unit):
    return list(spaces_by_id(unit).values())


def test_two_projects_of_one_shop_share_spaces_readings_and_a_batch(shop, there, worked_on):
    project, part = worked_on
    with shop.workshop.read() as unit:
        beside = next(
            p for p in unit.session.scalars(text("SELECT uuid FROM part")) if project_of(shop, UUID(p)) != project
        )
    other = project_of(shop, UUID(beside))
    there.clock.at = shop.clock.at
    files = given_out(shop, project), given_out(shop, other)
    for file in files:
        shown, answer = brought(there, file)
        assert answer.status_code == 303
    assert "is a space that is known here" in words(shown.text)
    assert "entries are here already" in words(shown.text)
    for name, file in zip((project, other), files, strict=True):
        told, again = said(file), said(given_out(there, name))
        for rows in (told["entries"], again["entries"]):  # those that both share came with the first one
            rows.sort(key=lambda row: row["entry"]["uuid"])
        assert [key for key, value in told.items() if again[key] != value] == []
    for name in (part, UUID(beside)):
        assert rounded(state_of(there, name)[0]) == rounded(state_of(shop, name)[0])
    with there.workshop.read() as unit:  # what was taught elsewhere is taught by the log that came in
        assert unit.session.scalar(text("SELECT count(*) FROM lesson WHERE part_uuid IS NULL")) == 0
    with there.workshop.write() as unit:
        assert rebuild(unit) == 3
    assert said(given_out(there, project))["entries"] == said(files[0])["entries"]


def spoil(change):
    """A file in which something was changed."""

    def spoilt(content):
        data = json.loads(content)
        change(data)
        return json.dumps(data).encode()

    return spoilt


def put(*path, value):
    def change(data):
        *way, last = path
        for step in way:
            data = data[step]
        data[last] = value

    return spoil(change)


ENTRY = ("entries", 5, "entry")
SPOILT = {
    "newer": (put("version", value=2), "of a newer program"),
    "newer entry": (put("entries", 3, "schema_version", value=9), "newer than this program"),
    "cut off": (lambda content: content[: len(content) // 2], "cut off"),
    "empty": (lambda _: b"  ", "The file is empty"),
    "no text": (lambda _: b"\xff\xfe\x00PK", "no text file"),
    "no project": (lambda _: b'{"format": "cool-sheen-shelf"}', "A project says"),
    "a list": (lambda _: b"[]", "A project says"),
    "deep": (lambda _: b"[" * 100_000 + b"]" * 100_000, "nested too deeply"),
    "no number": (lambda content: content.replace(b'"area_m2":0.5', b'"area_m2":NaN', 1), "NaN is no number"),
    "half a character": (put("project", "note", value="\ud800"), "no text has"),
    "a nought": (put(*ENTRY, "person", value="a\0b"), "no text has"),
    "long name": (put("project", "name", value="x" * 1_000_000), "80 characters at most"),
    "long person": (put(*ENTRY, "person", value="x" * 1_000_000), "200 characters at most"),
    "long field": (put("x" * 100_000, value=1), "There is no such field"),
    "no such substrate": (put("parts", 0, "substrate", value="cheese"), "no substrate"),
    "a zone of nobody": (put("parts", 0, "zones", 0, "face", value=str(uuid4())), "there is no face"),
    "data of another": (put("revisions", 0, "product", "name", value="Another"), "not that of these product data"),
    "a system of nothing": (put("parts", 0, "revisions", value={}), "the system needs the data"),
    "about another": (put(*ENTRY, "targets", 0, "project", value=str(uuid4())), "another project"),
    "about nobody": (put(*ENTRY, "targets", 0, "part", value=str(uuid4())), "there is no part"),
    "far ahead": (put(*ENTRY, "occurred_at", value="9000-01-01T00:00:00Z"), "ahead of now"),
    "far back": (put("shops", 0, "weather", 0, "at", value="0009-01-01T00:00:00Z"), "too long ago"),
    "twice": (spoil(lambda data: data["entries"].append(data["entries"][5])), "stands 2 times"),
    "nowhere": (
        spoil(lambda d: d.update(entries=[e for e in d["entries"] if e["entry"]["payload"]["kind"] != "move"])),
        "a move is missing",
    ),
    "another picture": (put("files", 0, "jpeg", value="AAAA"), "it is damaged"),
    "no picture": (put("files", value=[]), "the picture of a photo is missing"),
    "a path": (put("files", 0, "content_hash", value="../../etc/passwd"), "not written as it has to be"),
    "hot": (put("shops", 0, "weather", 3, "air_temp_c", value=1e9), "200 or less"),
    "in a circle": (
        spoil(lambda data: [zone.update(split_from=zone["uuid"]) for zone in data["parts"][0]["zones"]]),
        "in a circle",
    ),
}


def test_what_cannot_be_taken_is_refused_with_the_place_and_nothing_is_half_done(shop, there, worked_on):
    project, _ = worked_on
    there.clock.at = shop.clock.at
    file, before = given_out(shop, project), counts(there)
    for name, (spoilt, why) in SPOILT.items():
        answer = looked_at(there, spoilt(file))
        if answer.status_code == 200:  # seen only when it is written
            looked = re.search(r'name="looked_at" value="([^"]+)"', answer.text)[1]
            answer = there.http.post("/jobs/bring", data={"looked_at": looked})
        assert answer.status_code == 422, name
        assert why in as_seen(answer.text), (name, words(answer.text)[:900])
        assert any(start in as_seen(answer.text) for start in CANNOT), name
        assert len(answer.content) < 60_000, name
        assert counts(there) == before, name
    assert "too long ago" in words(there.http.post("/jobs/bring", data={"looked_at": "nobody"}).text)


def test_ids_that_are_taken_are_refused_and_the_same_words_are_not_written_twice(shop, there, worked_on):
    project, _ = worked_on
    there.clock.at = shop.clock.at
    file = given_out(shop, project)
    brought(there, file)
    before = counts(there)
    assert "here already, as “Toolroom lathe”" in as_seen(looked_at(there, file).text)
    there.http.post(f"/projects/{project}", data={"op": "archive"})
    assert "archived" in as_seen(looked_at(there, file).text)
    for change, why in (
        ({"project": str(uuid4())}, "is the id of something else"),
        ({"project": str(uuid4()), "entry": "f" * 64}, "says something else"),
    ):
        data = json.loads(file.decode().replace(str(project), change["project"]))
        if "entry" in change:
            data["entries"][4]["content_hash"] = change["entry"]
        answer = looked_at(there, json.dumps(data).encode())
        assert answer.status_code == 422
        assert why in as_seen(answer.text)
    assert counts(there) == before


def test_hostile_words_are_words_and_a_formula_stays_one_in_no_table(shop, there, worked_on):
    project, part = worked_on
    there.clock.at = shop.clock.at
    evil, formula = "<script>alert(1)</script>", '=HYPERLINK("http://x","y")'
    data = json.loads(given_out(shop, project))
    data["project"] |= {"name": evil, "customer": evil, "note": "../../etc/passwd"}
    data["shops"][0]["name"] = evil
    data["parts"][0]["name"] = formula
    for space in data["spaces"]:
        space["name"] = f"{evil[:40]} {space['name']}"[:60]
    for row in data["entries"]:
        row["entry"]["person"] = evil
        if row["entry"]["payload"]["kind"] == "note":
            row["entry"]["payload"]["text"] = formula
    shown, answer = brought(there, json.dumps(data).encode())
    assert answer.status_code == 303
    for page in (
        f"/projects/{project}",
        f"/parts/{part}",
        "/jobs",
        "/weather",
        f"/parts/{part}/sheet",
        "/records?words=x",
    ):
        assert evil not in there.http.get(page).text, page
    assert evil not in shown.text
    table = there.http.get(f"/parts/{part}/log.csv").text
    assert '"=HYPER' not in table
    assert "'=HYPER" in table
    given = there.http.get(f"/projects/{project}/project.json")
    assert given.headers["content-disposition"] == 'attachment; filename="script-alert-1-script.json"'


def test_the_schema_that_is_published_describes_what_is_given_out(shop, worked_on):
    published = shop.http.get("/jobs/schema.json").json()
    assert published == json.loads((Path(__file__).parents[2] / "docs" / "project.schema.json").read_text())
    told = json.loads(given_out(shop, worked_on[0]))
    assert set(published["required"]) <= set(told) == set(published["properties"])
    entry = published["$defs"]["Entry"]["properties"]
    assert set(told["entries"][0]["entry"]) == set(entry)
    kinds = set(entry["payload"]["discriminator"]["mapping"])
    assert {row["entry"]["payload"]["kind"] for row in told["entries"]} <= kinds


def test_a_project_without_a_part_or_with_a_lost_photo_says_so(shop, worked_on):
    project, _ = worked_on
    shop.http.post("/projects/new", data={"name": "Nothing yet"})
    with shop.workshop.read() as unit:
        empty = unit.session.scalar(text("SELECT uuid FROM project WHERE name = 'Nothing yet'"))
    answer = shop.http.get(f"/projects/{UUID(empty)}/project.json")
    assert answer.status_code == 409
    assert "no part yet" in answer.text
    for folder in Path(shop.workshop.engine.url.database).parent.glob("*photos*"):
        shutil.rmtree(folder)
    assert "not where they were kept" in shop.http.get(f"/projects/{project}/project.json").text

"""Many hands at once: presses at one instant, forms that are stale, a press that says something else, and trouble told."""

import asyncio
import json
import re
import sqlite3
from concurrent.futures import ThreadPoolExecutor
from contextlib import closing
from datetime import UTC, datetime
from threading import Event, Thread
from uuid import uuid4

import pytest
from sqlalchemy import event
from tests.app.test_build_journeys import zones_of
from tests.app.test_mixing_journeys import balance, batch_of, begin, do, state_of
from tests.app.test_records import record
from tests.fuzz.forms import filled_as_shown
from tests.support import SURE, ShopOnTrial

from cool_sheen.core.log.entries import Entry, NotePayload
from cool_sheen.formats.catalogue import shipped
from cool_sheen.service import climate_imports, keeping, shelf, work
from cool_sheen.service.imports_at_hand import AtHand
from cool_sheen.service.pen import Pen
from cool_sheen.service.shelf_now import shelf_now
from cool_sheen.store import engine as engines
from cool_sheen.store import log
from cool_sheen.web import troubles
from cool_sheen.web.turnstile import Lane, Turnstile

HX = {"HX-Request": "true"}


def at_once(shop, press, times=8):
    with shop.http, ThreadPoolExecutor(times) as hands:  # one loop for all, as it is when it serves
        return sorted(answer.status_code for answer in hands.map(press, range(times)))


def seen_in(page, action=""):
    """The mark that a form brings back."""
    return re.search(rf'action="{action}[^"]*".*?name="seen" value="(\w+)"', page, re.S)[1]


# --- presses at one instant --------------------------------------------------------------------------


def test_layers_that_are_added_at_once_are_all_there_and_of_those_that_say_what_they_saw_one_is_taken(shop):
    key = shop.http.post("/systems/single-stage-epoxy/copy").headers["location"].rsplit("/", 1)[1]

    def layers():
        with shop.workshop.read() as unit:
            return len(shelf_now(unit).systems[key].layers)

    def add(_, **more):
        form = {"op": "add", "product": "clear-two-pack", **more}
        return shop.http.post(f"/systems/{key}/change", data=form, headers=HX)

    before = layers()
    assert at_once(shop, add) == [200] * 8
    assert layers() == before + 8
    seen = re.search(r'data-seen="(\w+)"', shop.http.get(f"/systems/{key}").text)[1]
    assert at_once(shop, lambda n: add(n, seen=seen)) == [200, *[409] * 7]
    assert layers() == before + 9


def test_one_line_of_a_batch_is_poured_once_however_many_pour_it(shop):
    batch = batch_of(begin(shop, "clear-two-pack", how="ready", amount="300 ml"))
    do(shop, batch, "stamp", gate="base_stirred")
    assert at_once(shop, lambda _: do(shop, batch, "pour", line="0", how="mark")).count(200) == 1
    assert len(state_of(shop, batch).pours) == 1


def test_no_more_is_thrown_away_than_there_is(shop):
    def move(kind, amount):
        form = {"press": str(uuid4()), "item": "paint:clear-two-pack", "kind": kind, "amount": amount}
        return shop.http.post("/stores/stock", data=form)

    assert move("bought", "1000 ml").status_code == 303
    assert at_once(shop, lambda _: move("discarded", "400 ml")) == [303, 303, *[422] * 6]
    assert balance(shop, "paint:clear-two-pack") == pytest.approx(200)


def test_a_zone_is_split_once_and_its_area_stays_what_it_was(shop):
    part = shop.new_part(area="2.2")
    fields = {"zone": str(zones_of(shop, part)["whole"].uuid)}
    assert at_once(shop, lambda n: _split_of(shop, part, n, fields)) == [303, *[409] * 7]
    assert sum(z.area_m2 for z in zones_of(shop, part).values()) == pytest.approx(2.2)


def _split_of(shop, part, n, fields):
    face = re.search(r'name="face_uuid" value="([\w-]+)"', shop.http.get(f"/parts/{part}/survey").text)[1]
    zone = {"kind": "face", "substrate": "bare_steel_sheet", "old_finish": "none", "old_state": "unknown", "strip": "nothing",
            "face": face, "shape": "sheet", "length": "50", "width": "20", "count": "1", "from_its_area": "1"}  # fmt: skip
    return shop.http.post(f"/parts/{part}/survey/split", data={**zone, "name": f"Rim {n}", **fields})


def test_of_first_starts_at_once_one_sets_the_shop_up(empty):
    form = {
        "name": "Mine",
        "time_zone": "Europe/Berlin",
        "units": "metric",
        "space_name_0": "Booth",
        "space_kind_0": "booth",
    }
    assert at_once(empty, lambda _: empty.http.post("/start", data=form)).count(303) == 1
    with empty.workshop.read() as unit:
        assert unit.shop.name == "Mine"


# --- a press that says something else ----------------------------------------------------------------


def test_a_press_that_comes_again_with_another_content_is_told_and_the_first_one_stands(shop):
    part, press = shop.new_part("single-stage-epoxy"), uuid4()
    bought = {"press": str(press), "item": "paint:clear-two-pack", "kind": "bought", "amount": "500 ml"}
    assert shop.http.post("/stores/stock", data=bought).status_code == 303
    assert shop.http.post("/stores/stock", data=bought).status_code == 303
    again = shop.http.post("/stores/stock", data=bought | {"amount": "700 ml"})
    assert (again.status_code, "made before, with another content" in again.text) == (409, True)
    assert balance(shop, "paint:clear-two-pack") == pytest.approx(500)
    assert shop.log(part, "coat", press).status_code == 409
    assert shop.standing(part).history.coats == []


def test_a_press_that_was_refused_may_say_something_else(shop):
    press = str(uuid4())
    form = {"press": press, "item": "paint:clear-two-pack", "kind": "bought", "amount": "a lot"}
    assert shop.http.post("/stores/stock", data=form).status_code == 422
    assert shop.http.post("/stores/stock", data=form | {"amount": "2 l"}).status_code == 303


# --- forms that are stale ----------------------------------------------------------------------------


def test_a_sheet_that_somebody_else_changed_is_shown_beside_what_was_typed_and_taken_on_the_second_press(shop):
    page = shop.http.get("/shelf/clear-two-pack/edit").text
    mine, theirs = filled_as_shown(page, "/edit"), filled_as_shown(page, "/edit")
    assert (
        shop.http.post("/shelf/clear-two-pack/edit", data=theirs | {"note": "Thinner than last year."}).status_code
        == 303
    )
    late = shop.http.post("/shelf/clear-two-pack/edit", data=mine | {"name": "Clear of mine"})
    assert late.status_code == 409
    assert "Somebody changed this meanwhile" in late.text
    assert "There now: <b>Thinner than last year.</b>" in late.text
    assert 'value="Clear of mine"' in late.text
    again = filled_as_shown(late.text, "/edit")
    assert shop.http.post("/shelf/clear-two-pack/edit", data=again).status_code == 303
    assert "Clear of mine" in shop.http.get("/shelf/clear-two-pack").text


def test_a_space_a_zone_a_face_and_a_price_are_not_overwritten_by_who_saw_them_as_they_were(shop):
    part = shop.new_part()
    space = re.search(r"/spaces\?space=([\w-]+)", shop.http.get("/spaces").text)[1]
    zone = zones_of(shop, part)["whole"].uuid
    places = (
        (f"/spaces?space={space}", "/spaces", {"heater": "12"}, {"heater": "25"}, "There now: <b>12</b>"),
        (
            f"/parts/{part}/survey?zone={zone}",
            "/survey/zone",
            {"name": "Ways"},
            {"name": "Bed"},
            "There now: <b>Ways</b>",
        ),
        (f"/parts/{part}/survey", "/survey/face", {"support": "trestles"}, {"support": "hooks"}, "held by: trestles"),
        ("/stores/sizes", "/stores/sizes", {"price": "31.50"}, {"price": "99"}, "price: 31.50"),
    )
    for path, action, first, second, says in places:
        shown = filled_as_shown(shop.http.get(path).text, action)
        address = f"/parts/{part}{action}" if "survey" in action else action
        assert shop.http.post(address, data=shown | first).status_code == 303, path
        late = shop.http.post(address, data=shown | second)
        assert late.status_code == 409, path
        assert "Somebody changed this meanwhile" in late.text, path
        assert says in late.text, path
        same = shop.http.post(address, data=shown | first)
        assert same.status_code == 303, path  # both meant the same


# --- long imports ------------------------------------------------------------------------------------


def document(count):
    with_one = json.loads(json.dumps(shelf_sheet()))
    return {
        "format": "cool-sheen-shelf",
        "version": 1,
        "products": [{**with_one, "key": f"mine-{n}", "name": f"Mine {n}"} for n in range(count)],
    }


def shelf_sheet():
    return shipped().products["clear-two-pack"].model_dump(mode="json")


def looked_at(shop, content):
    page = shop.http.post("/shelf/import", files={"document": ("mine.json", json.dumps(content).encode())})
    return re.search(r'name="looked_at" value="([^"]+)"', page.text)[1]


def test_while_a_large_document_is_prepared_others_press_and_a_shelf_that_changed_is_compared_again(shop, monkeypatch):
    name, pressed = looked_at(shop, document(60)), []
    prepare = shelf.prepare

    def slowly(unit, content):
        ready = prepare(unit, content)
        if len(pressed) < 2:
            pressed.append(
                shop.http.post("/systems/single-stage-epoxy/copy").status_code
            )  # the shelf is another one now
        return ready

    monkeypatch.setattr(shelf, "prepare", slowly)
    taken = shop.http.post("/shelf/import", data={"looked_at": name})
    assert (taken.status_code, taken.headers["location"]) == (303, "/shelf?taken=60")
    assert pressed == [303, 303]
    with shop.workshop.read() as unit:
        assert sum(key.startswith("mine-") for key in shelf_now(unit).products) == 60
    gone = shop.http.post("/shelf/import", data={"looked_at": name})
    assert (gone.status_code, "choose it again" in gone.text) == (422, True)


def test_a_long_record_is_taken_in_lots_between_which_others_press_and_counts_when_all_of_it_is_there(
    demo, monkeypatch
):
    monkeypatch.setattr(climate_imports, "_LOT", 3)
    part = demo.http.get("/").text.split('data-part="')[1].split('"')[0]
    space = re.search(r'name="space"[^>]*value="([0-9a-f-]{36})"', demo.http.get("/weather").text)[1]
    form = {"space": space, "time_zone": "UTC"}
    page = demo.http.post("/weather/records", data=form, files={"file": ("log.csv", record(-9, 0, 11, 55))})
    draft = re.search(r"/weather/records/([\w-]+)/take", page.text)[1]
    seen, took = [], type(demo.workshop).took

    def pressed():
        return {"press": str(uuid4()), "ready": "yes", "sure": SURE, **demo.offered(part, "touch", {})}

    def pressing(workshop, uuid, done, of):
        took(workshop, uuid, done, of)
        seen.append((done, of, demo.http.post(f"/parts/{part}/touch", data=pressed()).status_code))
        told = demo.http.get(f"/weather/records/{draft}/taken").text
        assert f"{done} of {of} readings are in" in told
        assert demo.http.post(f"/weather/records/{draft}/take").status_code == 409

    monkeypatch.setattr(type(demo.workshop), "took", pressing)
    assert demo.http.post(f"/weather/records/{draft}/take").status_code == 303
    assert [s[2] for s in seen] == [303] * len(seen)
    assert [s[0] for s in seen[:-1]] == [3 * (n + 1) for n in range(len(seen) - 1)]
    assert seen[-1][0] == seen[-1][1]


def test_what_was_looked_at_is_kept_by_size_and_for_an_hour(monkeypatch):
    kept = AtHand(most_bytes=100)
    first, second, third = (kept.put(n, 45) for n in range(3))
    assert [kept.get(name) for name in (first, second, third)] == [None, 1, 2]
    large = kept.put("large", 1000)
    assert [kept.get(name) for name in (second, third, large)] == [None, None, "large"]
    kept.drop(large)
    assert kept.get(large) is None
    old = kept.put("old", 1)
    monkeypatch.setattr("cool_sheen.service.imports_at_hand.LASTS_S", -1.0)
    assert kept.get(old) is None


# --- trouble ------------------------------------------------------------------------------------------


def fill_the_disk(shop):
    """From here on the file grows no more."""
    engine = shop.workshop.engine
    with engine.execution_options(means_to="reads").connect() as connection:
        pages = connection.exec_driver_sql("PRAGMA page_count").scalar()
    most = [pages]

    def limit(connection, _record, _proxy):
        connection.execute(f"PRAGMA max_page_count={most[0]}")

    event.listen(engine, "checkout", limit)
    return lambda: most.__setitem__(0, 1_000_000)


def test_a_full_disk_is_told_with_what_became_of_the_press_and_nothing_of_it_is_there(shop):
    part = shop.new_part("single-stage-epoxy")
    free = fill_the_disk(shop)
    answers = []
    while not answers or answers[-1].status_code == 303:
        note = {
            "press": str(uuid4()),
            "item": "paint:clear-two-pack",
            "kind": "bought",
            "amount": "1 ml",
            "note": "x" * 190,
        }
        answers.append(shop.http.post("/stores/stock", data=note))
    said = answers[-1]
    assert said.status_code == 503
    assert "The disk is full: make room on it" in said.text
    assert troubles.NOT_SAVED in said.text
    assert said.headers["Content-Security-Policy"].startswith("default-src 'self'")
    assert balance(shop, "paint:clear-two-pack") == pytest.approx(len(answers) - 1)
    assert shop.http.get(f"/parts/{part}").status_code == 200  # reading goes on
    free()
    assert shop.http.post("/stores/stock", data=note).status_code == 303
    assert balance(shop, "paint:clear-two-pack") == pytest.approx(len(answers))


def test_a_database_that_another_program_holds_is_told(tmp_path, monkeypatch):
    monkeypatch.setattr(engines, "_PATIENCE_S", 0.1)
    shop = ShopOnTrial(tmp_path)
    with closing(sqlite3.connect(keeping.file_of(shop.workshop), isolation_level=None)) as other:
        other.execute("BEGIN IMMEDIATE")
        said = shop.http.post("/systems/single-stage-epoxy/copy")
        assert (said.status_code, "Another program holds" in said.text) == (503, True)
        assert shop.http.get("/systems").status_code == 200
    assert shop.http.post("/systems/single-stage-epoxy/copy").status_code == 303


@pytest.mark.parametrize("kind", ["page", "piece"])
def test_what_goes_wrong_after_a_press_was_saved_says_that_it_was(shop, monkeypatch, kind):
    part = shop.new_part("single-stage-epoxy")

    def broken(*_, **__):
        raise RuntimeError("nobody thought of this")

    does = shop.standing(part).action.does
    monkeypatch.setattr(work, "new_id", broken)
    said = shop.log(part, "step", kind=does)
    assert (said.status_code, troubles.SAVED in said.text) == (500, True)
    assert shop.standing(part).action.does != does  # it is on
    monkeypatch.setattr(work, "step_done", broken)
    headers = HX if kind == "piece" else {}
    form = {"press": str(uuid4()), "kind": does, **shop.offered(part, "step", {}), "sure": SURE}
    said = shop.http.post(f"/parts/{part}/step", data=form, headers=headers)
    assert (said.status_code, troubles.NOT_SAVED in said.text) == (500, True)
    assert ("<html" in said.text) == (kind == "page")
    assert said.headers["Content-Security-Policy"].startswith("default-src 'self'")
    assert re.search(r"The console says more under [0-9a-f]{6}", said.text)


def test_a_calculation_that_goes_wrong_says_so_as_a_problem(shop, monkeypatch):
    def broken(*_, **__):
        raise RuntimeError

    monkeypatch.setattr("cool_sheen.web.api.materials.cheapest", broken)
    body = {"need_ml": {"base": 10}, "kits": [{"sku": "a", "price": 1, "contains": {"base": 10}}]}
    said = shop.http.post("/api/v1/materials/kits", json=body)
    assert (said.status_code, said.headers["content-type"]) == (500, "application/problem+json")
    assert said.json()["detail"].startswith("Something happened")


def test_a_unit_of_work_that_reads_can_write_nothing(shop):
    with pytest.raises(AssertionError, match="was asked to write"), shop.workshop.read() as unit:
        log.append(unit.session, _note(), unit.now)


def _note():
    return Entry(uuid=uuid4(), payload=NotePayload(text="x"), occurred_at=datetime(2026, 6, 8, tzinfo=UTC))


# --- the turnstile -----------------------------------------------------------------------------------


def test_so_many_are_at_work_the_others_wait_their_turn_and_too_many_are_told_how_many_are_before_them():
    at_work, most, answers = 0, 0, []

    async def inside(scope, receive, send):
        nonlocal at_work, most
        at_work += 1
        most = max(most, at_work)
        await asyncio.sleep(0.02)
        at_work -= 1
        answers.append(scope["path"])

    async def busy(request, before):
        async def told(scope, receive, send):
            answers.append(before)

        return told

    async def trial():
        gate = Turnstile(inside, busy)
        gate.looks, gate.long = Lane(3, 10, 5.0), Lane(1, 2, 0.01)

        def ask(path, method="GET"):
            return gate({"type": "http", "path": path, "method": method, "headers": []}, None, None)

        await asyncio.gather(*(ask("/jobs") for _ in range(16)), *(ask("/healthz") for _ in range(4)))
        first = (most, answers.count("/jobs"), answers.count("/healthz"), [a for a in answers if isinstance(a, int)])
        answers.clear()
        await asyncio.gather(*(ask("/parts/x/what-if") for _ in range(5)))
        long = sorted(map(str, answers))
        answers.clear()
        gate.looks, gate.presses = Lane(3, 10, 5.0), Lane(2, 10, 5.0)
        presses = [ask("/parts/x/coat", "POST") for _ in range(8)]
        await asyncio.gather(*presses, ask("/jobs"))
        return first, long, answers.index("/jobs")

    (together, served, healthy, refused), long, read_after = asyncio.run(trial())
    assert together <= 3 + 4
    assert (served, healthy) == (13, 4)
    assert refused == [13, 13, 13]
    assert long.count("/parts/x/what-if") == 1
    assert len(long) == 5
    assert read_after <= 3  # there is a place for who reads, however many write


# --- the clock ---------------------------------------------------------------------------------------


@pytest.fixture
def autumn(tmp_path):
    shop = ShopOnTrial(tmp_path, at=datetime(2026, 10, 25, 9, tzinfo=UTC))
    part = shop.new_part("single-stage-epoxy")
    while shop.standing(part).action.does != "coat":
        shop.do_next(part)
    shop.clock.at = datetime(2026, 10, 25, 12, tzinfo=UTC)
    return shop, part


@pytest.mark.parametrize(
    "typed, which, ended",
    [
        ("2026-10-25T02:30", "first", "2026-10-25T00:30+00:00"),
        ("2026-10-25T02:30", "second", "2026-10-25T01:30+00:00"),
        ("2026-10-25T01:59", "", "2026-10-24T23:59+00:00"),
        ("2026-10-25T03:00", "", "2026-10-25T02:00+00:00"),
        ("2026-10-25T02:30+01:00", "", "2026-10-25T01:30+00:00"),
        ("2026-10-25T02:30Z", "", "2026-10-25T02:30+00:00"),
    ],
)
def test_a_time_in_the_doubled_hour_is_the_one_that_was_meant(autumn, typed, which, ended):
    shop, part = autumn
    assert shop.log(part, "coat", at=typed, **({"at_which": which} if which else {})).status_code == 200
    assert shop.standing(part).history.coats[-1].ended_at == datetime.fromisoformat(ended)


def test_which_of_two_hours_is_asked_and_the_answer_goes_with_the_next_press(autumn):
    shop, part = autumn
    asked = shop.log(part, "coat", at="2026-10-25T02:30")
    assert asked.status_code == 422
    assert "02:30 came twice on 25 October 2026" in asked.text
    assert re.findall(r'name="at_which" value="(\w+)"', asked.text) == ["first", "second"]
    form = {"press": str(uuid4()), "at": "2026-10-25T02:30", **shop.offered(part, "coat", {}), "sure": SURE}
    page = shop.http.post(f"/parts/{part}/coat", data=form).text
    assert f'name="press" value="{form["press"]}"' in page  # a page of its own brings all that was typed
    assert shop.http.post(f"/parts/{part}/coat", data=form | {"at_which": "second"}).status_code == 303
    assert len(shop.standing(part).history.coats) == 1


@pytest.mark.parametrize(
    "typed, says",
    [
        ("2026-03-29T02:30", "There was no 02:30 on 29 March 2026"),
        ("1969-12-31T23:59", "Enter a year from 1970 to 2199"),
        ("2200-01-01T00:00", "Enter a year from 1970 to 2199"),
        ("0001-01-01T00:00", "Enter a year"),
        ("9999-12-31T23:59", "Enter a year"),
        ("2026-02-30T10:00", "Enter date and time"),
    ],
)
def test_a_time_that_was_never_is_refused(autumn, typed, says):
    shop, part = autumn
    answer = shop.log(part, "coat", at=typed)
    assert (answer.status_code, says in answer.text) == (422, True)


def test_one_sheet_without_a_figure_keeps_nobody_from_all_the_others(shop):
    shop.new_part("two-stage-epoxy")
    sheets = shop.http.get("/shelf/export.json").json()
    bare = [{**s, "density_g_per_ml": None} for s in sheets["supplies"] if s["key"] == "reducer-epoxy"]
    name = looked_at(shop, {"format": "cool-sheen-shelf", "version": 1, "supplies": bare})
    assert shop.http.post("/shelf/import", data={"looked_at": name}).status_code == 303
    for path in ("/stores", "/stores/cost", "/stores/takeoff.csv"):
        page = shop.http.get(path)
        assert page.status_code == 200
        assert "is left out: Epoxy reducer has no density" in page.text, path
    assert "\ncomponent," in shop.http.get("/stores/takeoff.csv").text.replace("\r", "")  # the layer above is there
    for path in ("/stores/stock", "/stores/sizes", "/stores/cans"):
        assert shop.http.get(path).status_code == 200


def test_the_pen_is_handed_on_in_turn_and_given_up_by_who_waited_too_long():
    pen, order, ready = Pen(), [], Event()
    assert pen.take(0)
    assert not pen.take(0.01)

    def wait(name, before):
        before.wait(5)
        ready.set()
        assert pen.take(5)
        order.append(name)
        pen.hand_on()

    first, second = Event(), Event()
    hands = [Thread(target=wait, args=("first", first)), Thread(target=wait, args=("second", second))]
    for hand in hands:
        hand.start()
    for event_of in (first, second):
        ready.clear()
        event_of.set()
        ready.wait(5)
        while len(pen._waiting) < 1 + (event_of is second):
            pass
    pen.hand_on()
    for hand in hands:
        hand.join(5)
    assert order == ["first", "second"]
    assert pen.take(0)

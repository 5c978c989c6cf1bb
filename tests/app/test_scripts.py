"""Scripts and wall displays: let in by a token, told what the part's page says, and writing by the guards of a press."""

import re
from uuid import uuid4

import pytest
from fastapi.testclient import TestClient
from sqlalchemy import select, text
from tests.app.test_gun_bench import ready_to_coat
from tests.support import as_seen

from cool_sheen.settings import Settings
from cool_sheen.store.models import ScriptToken
from cool_sheen.store.passcode import set_passcode
from cool_sheen.web.app import create_app
from cool_sheen.web.entrance import Entrance
from cool_sheen.web.security import Doorkeeper


def make_token(shop, name="wall display", **fields):
    answer = shop.http.post("/shop/scripts", data={"press": str(uuid4()), "name": name, **fields})
    assert answer.status_code == 200, answer.text
    return re.search(r'<code class="token">([^<]+)</code>', answer.text)[1]


@pytest.fixture
def script(shop):
    """A shop with a part that waits for a coat, and callers with a token that reads, one that writes, and none."""
    part = ready_to_coat(shop)
    app = Doorkeeper(create_app(shop.workshop, Settings(hosts="testserver", dev=True)), ("testserver",))
    reads, writes = (
        TestClient(app, headers={"Authorization": f"Bearer {token}"})
        for token in (make_token(shop), make_token(shop, "booth script", may_write="1"))
    )
    return shop, part, reads, writes, TestClient(app)


def offered(reads, part):
    return reads.get(f"/api/v1/parts/{part}").json()["offer"]


def entry(offer, says, **more):
    return {"press": str(uuid4()), "offer": offer, "says": says, **more}


def test_a_token_is_shown_once_kept_by_its_hash_and_let_in_until_it_is_ended(script):
    shop, part, reads, _, nobody = script
    token = reads.headers["authorization"].split()[1]
    page = shop.http.get("/shop/scripts").text
    assert "wall display" in page
    assert token not in page
    with shop.workshop.read() as unit:
        kept = list(unit.session.execute(text("SELECT * FROM script_token")).mappings())
        row = unit.session.scalar(select(ScriptToken).where(ScriptToken.name == "wall display"))
    assert token not in str(kept)
    assert reads.get("/api/v1/parts").status_code == 200
    assert shop.http.post(f"/shop/scripts/{row.uuid}").status_code in (200, 303)
    for caller in (reads, nobody):
        for call in ("", f"/{part}", f"/{part}/log"):
            answer = caller.get(f"/api/v1/parts{call}")
            assert (answer.status_code, answer.headers["content-type"]) == (401, "application/problem+json")


def test_the_same_press_makes_no_second_token_and_a_token_has_a_name(shop):
    press = str(uuid4())
    assert shop.http.post("/shop/scripts", data={"press": press, "name": "display"}).status_code == 200
    again = shop.http.post("/shop/scripts", data={"press": press, "name": "display"})
    assert again.status_code == 409
    assert "shown once" in again.text
    unnamed = shop.http.post("/shop/scripts", data={"press": str(uuid4()), "name": " "})
    assert unnamed.status_code == 422
    with shop.workshop.read() as unit:
        assert len(list(unit.session.scalars(select(ScriptToken)))) == 1


def test_a_script_is_told_what_the_part_page_says(script):
    shop, part, reads, _, _ = script
    (listed,) = reads.get("/api/v1/parts").json()
    told = reads.get(f"/api/v1/parts/{part}").json()
    assert told == listed
    action = shop.standing(part).action
    assert (told["does"], told["says"], told["live"]) == ("coat", action.says, True)
    assert told["says"] in as_seen(shop.http.get(f"/parts/{part}").text)
    assert sum(z["area_m2"] for z in told["zones"]) == pytest.approx(1.4)
    assert {film["product"] for film in told["films"]} == {None}
    assert reads.get(f"/api/v1/parts/{uuid4()}").status_code == 404
    assert reads.get(f"/api/v1/parts/{part}/log?most=0").status_code == 422
    for method, call in (("HEAD", ""), ("PUT", ""), ("GET", "/entries")):  # no form stands there to be led back to
        answer = reads.request(method, f"/api/v1/parts/{part}{call}", follow_redirects=False)
        assert answer.status_code in (403, 405), (method, call)


def test_an_entry_is_logged_once_under_the_name_of_the_token_and_read_back(script):
    shop, part, reads, writes, _ = script
    asked = entry(offered(reads, part), {"kind": "coat", "wet_film_measured_um": 130})
    first = writes.post(f"/api/v1/parts/{part}/entries", json=asked)
    again = writes.post(f"/api/v1/parts/{part}/entries", json=asked)
    assert (first.status_code, again.status_code) == (201, 201), first.text
    assert first.json() == again.json()
    other = asked | {"says": {"kind": "coat", "wet_film_measured_um": 150}}
    assert writes.post(f"/api/v1/parts/{part}/entries", json=other).status_code == 409
    (coat,) = shop.standing(part).history.coats
    assert coat.payload.wet_film_measured_um == 130
    read = reads.get(f"/api/v1/parts/{part}/log?most=500").json()
    assert [e["seq"] for e in read] == sorted(e["seq"] for e in read)
    assert read[-1]["says"] == first.json()["says"]
    assert (read[-1]["person"], read[-1]["device"]) == ("booth script", "script")
    assert reads.get(f"/api/v1/parts/{part}/log?after={read[-1]['seq']}").json() == []
    film = reads.get(f"/api/v1/parts/{part}").json()["films"][0]
    assert film["product"] == "epoxy-primer-grey"
    assert film["coated_at"] is not None
    assert "booth script" in as_seen(shop.http.get(f"/parts/{part}").text)
    spent = entry(offered(reads, part), {"kind": "hours", "work": "coat", "minutes": 75})
    assert writes.post(f"/api/v1/parts/{part}/entries", json=spent).json()["says"] == "1 h 15 min of mixing and coating"


def test_a_token_that_reads_writes_nothing_and_no_page_of_another_site_writes(script):
    shop, part, reads, writes, nobody = script
    asked = entry(offered(reads, part), {"kind": "note", "text": "from afar"})
    address = f"/api/v1/parts/{part}/entries"
    assert reads.post(address, json=asked).status_code == 403
    assert nobody.post(address, json=asked).status_code == 403  # nothing but a token stands for an Origin
    assert nobody.post(address, json=asked, headers={"Origin": "http://testserver"}).status_code == 401
    assert nobody.post(address, json={}, headers={"Origin": "http://testserver"}).status_code == 401
    assert writes.post(address, json=asked, headers={"Origin": "http://elsewhere.example"}).status_code == 403
    assert writes.post(f"/parts/{part}/note", data={"text": "by a page"}).status_code == 403
    assert "from afar" not in shop.http.get(f"/parts/{part}").text
    assert writes.post(address, json=asked).status_code == 201
    assert "from afar" in shop.http.get(f"/parts/{part}").text


def test_what_is_stale_or_doubtful_is_asked_back_and_taken_when_sure(script):
    shop, part, reads, writes, _ = script
    address = f"/api/v1/parts/{part}/entries"
    before = offered(reads, part)
    assert writes.post(address, json=entry(before, {"kind": "coat"})).status_code == 201
    shop.clock.turn(seconds=30)
    stale = entry(before, {"kind": "coat"})
    back = writes.post(address, json=stale)
    assert back.status_code == 409
    assert {a["code"] for a in back.json()["asks"]} == {"offer"}
    assert back.json()["offer"] == offered(reads, part) != before
    shop.clock.turn(seconds=-30)
    at_once = writes.post(address, json=entry(back.json()["offer"], {"kind": "note", "text": "no hand is so fast"}))
    assert at_once.status_code == 201
    soon = entry(offered(reads, part), {"kind": "coat"})
    asks = writes.post(address, json=soon).json()["asks"]
    assert asks
    assert all(a["words"] for a in asks)
    taken = writes.post(address, json=soon | {"sure": [a["code"] for a in asks]})
    assert taken.status_code == 201, taken.text
    assert len(shop.standing(part).history.coats) == 2
    for offer in ("", "x", ":coat", "1"):
        assert writes.post(address, json=entry(offer, {"kind": "coat"})).status_code == 422


ABSURD = (
    {"kind": "mix"},
    {"kind": "coat", "wet_film_measured_um": -1},
    {"kind": "coat", "zones": ["00000000-0000-0000-0000-000000000001"]},
    {"kind": "sand", "grit": "P0"},
    {"kind": "step", "step": "dance"},
    {"kind": "note", "text": ""},
    {"kind": "touch"},
)


def test_absurd_entries_are_refused_with_what_is_wrong(script):
    _, part, reads, writes, _ = script
    before = reads.get(f"/api/v1/parts/{part}/log?most=500").json()
    for says in ABSURD:
        answer = writes.post(f"/api/v1/parts/{part}/entries", json=entry(offered(reads, part), says))
        assert 400 <= answer.status_code < 500, (says, answer.text)
        assert answer.json()["detail"]
    assert reads.get(f"/api/v1/parts/{part}/log?most=500").json() == before


def test_behind_a_passcode_a_token_is_enough_for_its_calls_and_for_nothing_else(script, tmp_path):
    shop, part, reads, _, _ = script
    file = tmp_path / "passcode.json"
    set_passcode(file, "varnish on 12 doors")
    app = Doorkeeper(Entrance(create_app(shop.workshop, Settings(hosts="testserver", dev=True)), file), ("testserver",))
    display = TestClient(app, headers=dict(reads.headers), follow_redirects=False)
    assert display.get(f"/api/v1/parts/{part}").status_code == 200
    assert display.get(f"/parts/{part}").status_code == 401
    assert display.get("/api/openapi.json").status_code == 401
    forged = TestClient(app, headers={"Authorization": "Bearer forged"}, follow_redirects=False)
    assert forged.get(f"/api/v1/parts/{part}").status_code == 401
    bare = TestClient(app, follow_redirects=False)
    assert bare.get("/api/v1/parts").status_code == 401

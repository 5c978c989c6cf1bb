"""A coat worked piece by piece: start and end of each, an order of one's own, pauses, and the side that is up."""

import re
from uuid import UUID, uuid4

import pytest
from tests.app.test_inspection import split, until, zones_of
from tests.app.test_presses import entries, offered
from tests.support import SURE

from cool_sheen.core.work.steps import CoatStep
from cool_sheen.service.jobs import find_part
from cool_sheen.service.part_now import part_now
from cool_sheen.service.pieces import pieces_now
from cool_sheen.web.views.pieces import turning_words


def in_pieces(shop, *names):
    part = shop.new_part()
    for name in names:
        split(shop, part, name, "0.2")
    until(shop, part, lambda s: isinstance(s, CoatStep))
    return part


def press(shop, part, verb, zone="", **fields):
    data = {"press": str(uuid4()), "zone": str(zone), "sure": SURE, "offered": offered(shop, part), **fields}
    return shop.http.post(f"/parts/{part}/pieces/{verb}", data=data)


def order(shop, part, does, zone=""):
    return shop.http.post(f"/parts/{part}/pieces/order", data={"do": does, "zone": str(zone)})


def now(shop, part):
    with shop.workshop.read() as unit:
        return pieces_now(part_now(unit, part))


def states(shop, part):
    return {row.piece.name: row.state for row in now(shop, part).rows}


def test_each_piece_has_its_start_its_end_and_its_pauses_and_the_next_begins_with_it(shop):
    part = in_pieces(shop, "Left", "Right")
    zones = zones_of(shop, part)
    press(shop, part, "begin", zones["whole"])
    began = shop.clock.at
    shop.clock.turn(minutes=4)
    press(shop, part, "pause")
    shop.clock.turn(minutes=3)
    assert states(shop, part)["whole"] == "rests"
    press(shop, part, "begin", zones["whole"])
    shop.clock.turn(minutes=5)
    press(shop, part, "done", zones["whole"])
    ended = shop.clock.at
    (coat,) = shop.standing(part).history.coats
    assert (coat.payload.started_at, coat.ended_at, coat.payload.paused_min) == (began, ended, 3.0)
    assert coat.zones == {zones["whole"]}
    assert states(shop, part) == {"whole": "done", "Left": "in_hand", "Right": "to_come"}
    shop.clock.turn(minutes=6)
    press(shop, part, "done", zones["Left"], then="stop")
    assert states(shop, part) == {"whole": "done", "Left": "done", "Right": "to_come"}
    press(shop, part, "done", zones["Right"], then="stop")
    coats = shop.standing(part).history.coats
    assert [c.payload.started_at for c in coats] == [began, ended, None]
    assert shop.standing(part).history.counts[coats[0].payload.layer_id] == 1  # all of them have it
    assert set(states(shop, part).values()) == {"to_come"}  # the next coat


def test_what_a_coat_asks_for_is_ticked_with_its_first_piece_and_not_asked_again(shop):
    part = shop.new_part("high-heat-staged")
    split(shop, part, "Left", "0.2")
    until(shop, part, lambda s: isinstance(s, CoatStep))
    zones = zones_of(shop, part)
    shop.clock.turn(minutes=1)

    def on(zone, **fields):
        data = {
            "press": str(uuid4()),
            "zone": str(zones[zone]),
            "offered": offered(shop, part),
            "then": "stop",
            **fields,
        }
        return shop.http.post(f"/parts/{part}/pieces/done", data=data, headers={"HX-Request": "true"})

    boxes = re.findall(r'name="(ask_\d)" value="([^"]+)"', shop.http.get(f"/parts/{part}/pieces").text)
    assert dict(boxes) == {"ask_0": "screen out of the gun", "ask_1": "vent open"}
    asked = on("whole", ask_0="screen out of the gun")
    assert "Not ticked: vent open." in asked.text
    assert asked.headers["HX-Reswap"] == "none"
    shop.clock.turn(minutes=1)
    assert "HX-Reswap" not in on("whole", **dict(boxes)).headers
    assert 'name="ask_' not in shop.http.get(f"/parts/{part}/pieces").text
    shop.clock.turn(minutes=1)
    assert "HX-Reswap" not in on("Left").headers
    assert [c.payload.ticked for c in shop.standing(part).history.coats] == [("screen out of the gun", "vent open"), ()]


def test_a_piece_that_was_left_for_another_keeps_its_start(shop):
    part = in_pieces(shop, "Left")
    zones = zones_of(shop, part)
    press(shop, part, "begin", zones["whole"])
    began = shop.clock.at
    shop.clock.turn(minutes=2)
    press(shop, part, "begin", zones["Left"])
    shop.clock.turn(minutes=2)
    press(shop, part, "done", zones["whole"], then="stop")
    (coat,) = shop.standing(part).history.coats
    assert (coat.payload.started_at, coat.payload.paused_min) == (began, None)
    assert states(shop, part) == {"whole": "done", "Left": "in_hand"}


def test_one_press_that_wrote_two_entries_is_taken_back_as_one_and_put_back_as_one(shop):
    part = in_pieces(shop, "Left")
    zones = zones_of(shop, part)
    press(shop, part, "begin", zones["whole"])
    shop.clock.turn(minutes=4)
    press(shop, part, "done", zones["whole"])
    before = len(entries(shop, part))
    shop.log(part, "undo")
    assert states(shop, part) == {"whole": "in_hand", "Left": "to_come"}
    gone = entries(shop, part)[before:]
    assert len(gone) == 2
    shop.log(part, "undo", entry=str(gone[0].entry.uuid), whole="1")
    assert states(shop, part) == {"whole": "done", "Left": "in_hand"}


def test_an_order_of_ones_own_stands_is_warned_of_and_gives_way_to_the_rule(shop):
    part = in_pieces(shop, "Left", "Right")
    zones = zones_of(shop, part)
    names = lambda: [row.piece.name for row in now(shop, part).rows]  # noqa: E731
    assert names() == ["whole", "Left", "Right"]
    order(shop, part, "up", zones["Right"])
    assert names() == ["whole", "Right", "Left"]
    order(shop, part, "shut", zones["Left"])
    page = shop.http.get(f"/parts/{part}/pieces").text
    assert "Left is moved after whole is wet" in page
    press(shop, part, "done", zones["whole"], then="stop")
    assert "Left is moved after whole is wet" in shop.http.get(f"/parts/{part}/pieces").text
    order(shop, part, "rule")
    assert names() == ["Left", "whole", "Right"]
    again = shop.http.post(f"/parts/{part}/again", data={"count": "1", "zones": "1", "system": "1",
                           "to_project": str(shop.standing(part).part.project_uuid)})  # fmt: skip
    assert again.status_code == 303
    other = UUID(again.headers["location"].rpartition("/")[2])
    with shop.workshop.read() as unit:
        assert [z.shuts for z in find_part(unit, other).live_zones if z.name == "Left"] == [True]


@pytest.mark.parametrize(
    ("verb", "zone", "fields", "status"),
    [("pause", "", {}, 409), ("begin", "another", {}, 409), ("done", "another", {}, 409), ("begin", "nonsense", {}, 422),
     ("done", "whole", {"at": "2031-01-01T10:00"}, 422)],
)  # fmt: skip
def test_what_cannot_be_is_refused_and_nothing_is_written(shop, verb, zone, fields, status):
    part = in_pieces(shop, "Left")
    zones = {**zones_of(shop, part), "another": uuid4(), "": ""}
    before = entries(shop, part)
    assert press(shop, part, verb, zones.get(zone, zone), **fields).status_code == status
    assert entries(shop, part) == before


def test_a_piece_that_ended_before_it_was_begun_is_refused(shop):
    part = in_pieces(shop, "Left")
    zone = zones_of(shop, part)["whole"]
    press(shop, part, "begin", zone)
    answer = press(shop, part, "done", zone, ago="5")
    assert answer.status_code == 422
    assert "before it was begun" in answer.text


def test_a_part_of_two_sides_says_which_is_up_and_when_it_can_be_turned(shop):
    part = in_pieces(shop, "Back")
    with shop.workshop.write() as unit:
        row = find_part(unit, part)
        back = next(z for z in row.live_zones if z.name == "Back")
        face = type(row.faces[0])(uuid=uuid4(), part_uuid=part, name="rear", setting=2)
        unit.session.add(face)
        unit.session.flush()
        back.face_uuid = face.uuid
        unit.session.flush()
        unit.session.refresh(row, ["faces"])
    step = until(shop, part, lambda s: isinstance(s, CoatStep))
    assert "Up:" not in shop.http.get(f"/parts/{part}").text  # nothing is wet yet
    shop.log(part, "coat")
    with shop.workshop.read() as unit:
        found = part_now(unit, part)
        said = turning_words(found, unit.zone)
        top = next(f.top for f in found.situation.films if f.top)
    assert "Likely to be turned from" in said
    assert said in shop.http.get(f"/parts/{part}").text
    assert len(step.zones) == 1
    late = top.bands["turn"].late
    shop.clock.turn(seconds=(late - shop.clock.at).total_seconds() - 1)
    assert "It can be turned" not in shop.http.get(f"/parts/{part}/pieces").text
    shop.clock.turn(seconds=2)
    assert "It can be turned" in shop.http.get(f"/parts/{part}/pieces").text

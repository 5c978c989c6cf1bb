"""Presses that are safe: what was offered is what is logged; what contradicts the clock is asked back and remembered."""

import re
from datetime import timedelta
from uuid import UUID, uuid4

import pytest
from tests.app.test_mixing_journeys import batch_of, begin, mix_through
from tests.fuzz.forms import filled_as_shown

from cool_sheen.core.work.steps import CoatStep, SandStep
from cool_sheen.service.batches import find
from cool_sheen.service.jobs import find_part
from cool_sheen.store import log

HX = {"HX-Request": "true"}


def offered(shop, part):
    page = shop.http.get(f"/parts/{part}").text
    if 'name="offered"' not in page:  # what is next has a page of its own: any other press is offered by its dialog
        page = shop.http.get(f"/parts/{part}/coat").text
    return re.search(r'name="offered" value="([^"]+)"', page)[1]


def press(shop, part, verb, sure="", offer=None, **fields):
    """A press on a button of today's page, or of an older one."""
    form = {"press": str(uuid4()), "offered": offer or offered(shop, part), "sure": sure, **fields}
    return shop.http.post(f"/parts/{part}/{verb}", data=form, headers=HX)


def split_in_two(shop, part):
    with shop.workshop.read() as unit:
        whole = find_part(unit, part).live_zones[0].uuid
    page = shop.http.get(f"/parts/{part}/survey?split={whole}").text
    rim = {"name": "Rim", "shape": "typed", "area": "0.3", "count": "1", "kind": "face"}
    split = {**filled_as_shown(page, "/split"), **rim}
    assert shop.http.post(f"/parts/{part}/survey/split", data=split).status_code == 303


def is_asked(answer):
    return answer.headers.get("HX-Reswap") == "none" and '<div id="dialog-body" hx-swap-oob="innerHTML">' in answer.text


def entries(shop, part):
    with shop.workshop.read() as unit:
        return log.of_part(unit.session, part)


def at_a_coat(shop, system="two-stage-epoxy"):
    part = shop.new_part(system)
    while not isinstance(shop.standing(part).action.step, CoatStep):
        shop.do_next(part)
    shop.clock.turn(minutes=1)
    return part


def test_a_stale_tab_never_logs_the_next_step_and_says_what_was_logged_by_whom(shop):
    part = shop.new_part()
    before = offered(shop, part)
    first = shop.standing(part).action.does
    assert press(shop, part, "step", offer=before, kind=first).status_code == 200
    shop.clock.turn(seconds=8)
    stale = press(shop, part, "step", offer=before, kind=first)
    assert is_asked(stale)
    assert "logged already, 8 s ago, by this device" in stale.text
    assert shop.standing(part).action.says in stale.text
    count = len(entries(shop, part))
    shop.http.cookies.clear()
    assert "by another device" in press(shop, part, "step", offer=before, kind=first).text
    assert len(entries(shop, part)) == count
    fields = dict(re.findall(r'<input type="hidden" name="(\w+)" value="([^"]*)"', stale.text))
    assert shop.http.post(f"/parts/{part}/step", data=fields, headers=HX).status_code == 200  # said once more
    assert len(entries(shop, part)) == count + 1


def test_the_same_press_sent_twice_is_one_entry_however_old_its_offer_is(shop):
    part = shop.new_part()
    form = {"press": str(uuid4()), "offered": offered(shop, part), "kind": shop.standing(part).action.does}
    for _ in range(2):
        answer = shop.http.post(f"/parts/{part}/step", data=form, headers=HX)
        assert (answer.status_code, is_asked(answer)) == (200, False)
        shop.clock.turn(seconds=5)
    assert len(entries(shop, part)) == 2  # it came in, and the step


def test_what_was_logged_in_between_does_not_matter_when_the_offer_still_holds(shop):
    part = at_a_coat(shop)
    assert not is_asked(press(shop, part, "coat"))
    shop.clock.turn(hours=3)
    before = offered(shop, part)
    assert press(shop, part, "touch", ready="no").status_code == 200
    shop.clock.turn(hours=3)
    assert not is_asked(press(shop, part, "touch", offer=before, ready="yes"))


@pytest.mark.parametrize(("seconds", "asked"), [(0.9, True), (1.0, False)])
def test_a_button_that_had_only_just_come_is_asked_back(shop, seconds, asked):
    part = shop.new_part()
    kind = shop.standing(part).action.does
    assert press(shop, part, "step", kind=kind).status_code == 200
    shop.clock.turn(seconds=seconds)
    answer = press(shop, part, "step", kind=shop.standing(part).action.does)
    assert is_asked(answer) == asked


@pytest.mark.parametrize(("minutes", "asked"), [(-0.1, True), (0.1, False)])
def test_a_coat_on_a_film_that_is_not_open_is_taken_but_asked_back_once_and_remembered(shop, minutes, asked):
    part = at_a_coat(shop)
    assert not is_asked(press(shop, part, "coat"))
    opens = shop.standing(part).top.opens.early
    shop.clock.at = opens + timedelta(minutes=minutes)
    answer = press(shop, part, "coat")
    assert is_asked(answer) == asked
    assert len(shop.standing(part).history.coats) == (1 if asked else 2)
    if asked:
        assert "old and wet by the clock" in answer.text
        assert not is_asked(press(shop, part, "coat", sure="wet"))
        assert "opens from" in entries(shop, part)[-1].entry.reason
        assert "Asked back:" in shop.http.get(f"/parts/{part}").text
    else:
        assert entries(shop, part)[-1].entry.reason is None


def test_a_press_without_a_row_or_without_a_zone_is_told_so_and_logs_nothing(shop):
    part = at_a_coat(shop)
    bare = shop.http.post(f"/parts/{part}/coat", data={"press": str(uuid4())}, headers=HX)
    assert (bare.status_code, "does not say which row it is for" in bare.text) == (409, True)
    split_in_two(shop, part)
    nowhere = press(shop, part, "coat")
    assert (nowhere.status_code, "Tick the zones that it was done on" in nowhere.text) == (422, True)
    assert not shop.standing(part).history.coats


def test_a_wet_film_that_is_sanded_is_asked_back(shop):
    part = at_a_coat(shop)
    shop.log(part, "coat")
    shop.clock.turn(minutes=5)
    answer = press(shop, part, "sand", grit="P320")
    assert is_asked(answer)
    assert "count as keying" in answer.text
    assert 'name="grit" value="P320"' in answer.text
    while not isinstance(shop.standing(part).action.step, SandStep):
        shop.do_next(part)
    shop.clock.at = max(shop.clock.at, shop.standing(part).top.bands[shop.standing(part).top.rule.sand].late)
    assert not is_asked(press(shop, part, "sand", grit=shop.standing(part).action.grit))


@pytest.mark.parametrize(("minutes", "asked"), [(0, True), (29, True), (30, False)])
def test_bakes_at_one_instant_are_asked_back(shop, minutes, asked):
    part = at_a_coat(shop)
    shop.log(part, "coat")
    shop.clock.turn(hours=8)
    heat = {"metal": "60", "minutes": "30"}
    assert not is_asked(press(shop, part, "bake", **heat))
    shop.clock.turn(minutes=minutes, seconds=2)
    assert is_asked(press(shop, part, "bake", **heat)) == asked


def test_a_coat_out_of_an_empty_cup_is_asked_back(shop):
    part = at_a_coat(shop)
    product = shop.standing(part).next_coat().layer.product
    batch = batch_of(begin(shop, product, [part], **{f"coats_{part}": "1", "tare": "38", "cup": "4 l"}))
    mix_through(shop, batch)
    assert not is_asked(press(shop, part, "coat"))
    shop.clock.at = shop.standing(part).top.opens.late + timedelta(minutes=1)
    again = press(shop, part, "coat")
    assert is_asked(again)
    left = re.search(r"The cup has (\d+) ml left", again.text)[1]
    page = re.sub(r"<[^>]+>", "", shop.http.get(f"/mix/{batch}").text)
    assert re.search(rf"(?<!\d){left} ml left of \d+ ml mixed", page)  # and Mix says the same of it
    end = {"press": str(uuid4()), "left": "18 g", "goes": "waste"}
    assert shop.http.post(f"/mix/{batch}/end", data=end).status_code == 303
    with shop.workshop.read() as unit:
        state = find(unit, UUID(batch)).state
    assert state.left_ml == pytest.approx(18 * state.cup.ready_ml / state.cup.ready_g, rel=0.001)


def test_who_keeps_the_list_of_the_room_is_asked_for_the_dehumidifier(shop):
    part = at_a_coat(shop)
    space = str(shop.standing(part).space.uuid)
    assert not is_asked(press(shop, part, "coat"))  # who keeps no list is not asked
    assert (
        shop.http.post("/weather/room", data={"press": str(uuid4()), "space": space, "step": "swept"}).status_code
        == 303
    )
    shop.clock.at = shop.standing(part).top.opens.late + timedelta(minutes=1)
    answer = press(shop, part, "coat")
    assert is_asked(answer)
    assert "Is the dehumidifier in Room off?" in answer.text


WHENS = {
    "20 minutes ago": ({"ago": "20"}, timedelta(minutes=20), ""),
    "at a time": ({"at": "2026-06-08T09:00"}, None, ""),
    "both": ({"ago": "20", "at": "2026-06-08T09:00"}, None, "not both"),
    "in words": ({"ago": "soon"}, None, "number from 0"),
    "of next year": ({"at": "2027-06-08T09:00"}, None, "future"),
}


@pytest.mark.parametrize("when", WHENS)
def test_steps_take_a_time_of_their_own(shop, when):
    fields, gone, refused = WHENS[when]
    part = shop.new_part()
    shop.clock.turn(hours=3)
    dialog = shop.http.get(f"/parts/{part}/step", headers=HX).text
    assert "20 minutes ago" in dialog
    answer = press(shop, part, "step", kind=shop.standing(part).action.does, **fields)
    assert (answer.status_code, refused in answer.text) == (422 if refused else 200, True)
    if gone:
        assert entries(shop, part)[-1].entry.occurred_at == shop.clock.at - gone


def test_the_time_of_an_entry_is_put_right_by_a_new_one_and_can_be_put_back(shop):
    part = at_a_coat(shop)
    assert shop.log(part, "coat").status_code == 200
    coat, opens = shop.standing(part).history.coats[0], shop.standing(part).top.opens.likely
    shop.clock.turn(hours=1)
    dialog = shop.http.get(f"/parts/{part}/retime", params={"entry": str(coat.uuid)}, headers=HX).text
    assert "coated" in dialog
    right = coat.ended_at - timedelta(minutes=20)
    at = right.astimezone(shop.standing(part)._day.zone).strftime("%Y-%m-%dT%H:%M")
    answer = shop.log(part, "retime", entry=str(coat.uuid), at=at)
    assert answer.status_code == 200
    assert shop.standing(part).history.coats[0].ended_at == right.replace(second=0)
    assert not shop.standing(part).history.coats[0].ended_at.utcoffset()  # as every other time of the log
    assert shop.standing(part).top.opens.likely < opens
    assert entries(shop, part)[-2].entry.occurred_at == coat.ended_at  # what was logged stands in the log
    assert "put right" in shop.http.get(f"/parts/{part}").text
    assert shop.log(part, "undo").status_code == 200
    assert shop.standing(part).history.coats[0].ended_at == coat.ended_at


@pytest.mark.parametrize("named", ["the arrival", "nothing", "another part's"])
def test_what_has_no_time_of_its_own_is_not_put_right(shop, named):
    part, other = shop.new_part(), shop.new_part()
    shop.do_next(other)
    entry = {"the arrival": entries(shop, part)[0].entry.uuid, "nothing": uuid4(),
             "another part's": entries(shop, other)[-1].entry.uuid}[named]  # fmt: skip
    assert shop.log(part, "retime", entry=str(entry), at="2026-06-08T07:00").status_code == 409


def test_coats_zone_after_zone_are_no_coats_on_a_wet_film_and_are_repeated_with_their_zones(shop):
    part = at_a_coat(shop)
    split_in_two(shop, part)
    zones = {zone.name: str(zone.uuid) for zone in shop.standing(part).zones}
    for name in zones:
        assert not is_asked(press(shop, part, "coat", **{f"zone_{zones[name]}": "1"}))
        shop.clock.turn(minutes=2)
    assert is_asked(press(shop, part, "coat", **{f"zone_{zones['Rim']}": "1"}))
    alike = {
        "count": "1",
        "to_project": str(shop.standing(part).part.project_uuid),
        "zones": "1",
        "system": "1",
        "coats": "1",
    }
    again = shop.http.post(f"/parts/{part}/again", data=alike).headers["location"].rsplit("/", 1)[1]

    def coated(of):
        found = shop.standing(of)
        return {z.name: [c.ended_at for c in found.history.coats if z.uuid in c.zones] for z in found.zones}

    assert coated(UUID(again)) == coated(part)
    assert [len(times) for times in coated(part).values()] == [1, 1]


@pytest.mark.parametrize(("minutes", "asked"), [(1, True), (0, False), (-1, False)])
def test_a_coat_that_ended_before_the_one_on_top_is_asked_back_and_lies_below_it_when_it_is_so(shop, minutes, asked):
    part = at_a_coat(shop)
    assert shop.log(part, "coat").status_code == 200
    on_top = shop.standing(part).top.coat.ended_at
    shop.clock.turn(hours=2)
    at = (on_top - timedelta(minutes=minutes)).isoformat()
    answer = press(shop, part, "coat", sure="wet,offer", at=at)
    assert ("this coat would be under it" in answer.text) == asked
    if asked:
        assert shop.log(part, "coat", at=at, offered=offered(shop, part), sure="order,wet,offer").status_code == 200
        assert [c.ended_at for c in shop.standing(part).history.coats][-2:] == [
            on_top - timedelta(minutes=minutes),
            on_top,
        ]

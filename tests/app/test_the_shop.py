"""One page changes the shop; every page goes by it. The demo is opened beside it, and left again."""

import re
import shutil
from datetime import timedelta

import pytest
from fastapi.testclient import TestClient
from tests.support import ORIGIN, T0, ShopOnTrial, TurnedClock, demo_laid

from cool_sheen.settings import Settings
from cool_sheen.store.copies import copies_of
from cool_sheen.web.premises import Premises

MONDAY = T0 - timedelta(days=T0.weekday())


def field(page: str, name: str) -> str:
    return re.search(rf'name="{name}"[^>]*?value="([^"]*)"', page)[1]


def test_what_the_shop_page_keeps_is_what_every_page_goes_by(shop):
    part = shop.new_part()
    shop.clock.at = T0.replace(hour=10) + timedelta(days=(5 - T0.weekday()) % 7)  # a Saturday
    assert shop.standing(part).rest.steps[0].start.date() == shop.clock.at.date()
    weekdays = {f"{end}_{day}": "" for day in (5, 6) for end in ("opens", "closes")}
    assert shop.change(name="Quay Lane", currency="£", labour_rate="51.50", units="us", **weekdays).status_code == 303
    assert shop.standing(part).rest.steps[0].start.weekday() == 0  # nothing is planned on a weekend any more
    page = shop.http.get(f"/parts/{part}").text
    assert "Mon to Fri 08:00 to 18:00" in page
    assert "15.07 ft²" in shop.http.get("/jobs").text
    assert "51.50 £" in shop.http.get("/stores/cost").text
    monday = (shop.clock.at + timedelta(days=2)).date()
    assert shop.change(off_first_0=str(monday), off_last_0="", off_why_0="Fair").status_code == 303
    assert shop.standing(part).rest.steps[0].start.date() == monday + timedelta(days=1)
    again = shop.http.get("/shop").text
    assert (field(again, "off_last_0"), field(again, "off_why_0")) == (str(monday), "Fair")


BAD = {
    "no name": ({"name": " "}, "name", "Enter the name of your shop"),
    "a zone of nowhere": ({"time_zone": "Berlin"}, "time_zone", "Choose a time zone of the list"),
    "a day that closes first": ({"opens_2": "18:00", "closes_2": "08:00"}, "closes_2", "Closing comes after opening"),
    "half a day": ({"closes_2": ""}, "closes_2", "Enter both times"),
    "no day": ({f"{e}_{d}": "" for d in range(7) for e in ("opens", "closes")}, "opens_0", "one day at least"),
    "no time": ({"opens_2": "8 o'clock"}, "opens_2", "time of day"),
    "days off that end first": ({"off_first_0": "2026-12-24", "off_last_0": "2026-12-01"}, "off_last_0", "comes after"),
    "a year and more": ({"off_first_0": "2026-01-01", "off_last_0": "2027-01-02"}, "off_last_0", "a year at most"),
    "a why without a day": ({"off_why_0": "Fair"}, "off_first_0", "Enter the first day"),
    "a cup that loses itself": ({"holds_hvlp": "20 ml", "loss_hvlp": "25 ml"}, "loss_hvlp", "loses less"),
    "a cup of words": ({"holds_hvlp": "big"}, "holds_hvlp", "is no volume"),
    "half a place": ({"latitude": "51"}, "longitude", "both latitude and longitude"),
    "no money": ({"labour_rate": "-1"}, "labour_rate", "an amount of money"),
    "no hourly rate": ({"labour_rate": ""}, "labour_rate", "what an hour costs"),
    "no currency": ({"currency": ""}, "currency", "a sign"),
    "an alarm of its own": ({"alarm": "siren"}, "alarm", "Choose from the list"),
    "other units": ({"units": "furlongs"}, "units", "Choose from the list"),
}


@pytest.fixture(scope="module")
def kept(tmp_path_factory):
    """A shop that is only ever refused."""
    return ShopOnTrial(tmp_path_factory.mktemp("kept"))


@pytest.mark.parametrize("said", BAD)
def test_a_shop_that_cannot_be_is_refused_at_its_field_and_stays_as_it_was(kept, said):
    fields, name, words = BAD[said]
    answer = kept.change(place="Somewhere else", **fields)
    assert answer.status_code == 422
    note = re.search(rf'id="n-{name}">([^<]+)<', answer.text)[1]
    assert words in note.replace("&#39;", "'")
    assert field(answer.text, "place") == "Somewhere else"
    assert field(kept.http.get("/shop").text, "place") == ""


def test_two_who_change_the_shop_at_once_are_told(shop):
    assert shop.change(place="The quay").status_code == 303
    told = shop.change(place="The mill", seen="of another day")
    assert (told.status_code, "There now: <b>The quay</b>" in told.text) == (409, True)


@pytest.mark.parametrize(("method", "fills"), [("hvlp", 2), ("airless", 0)])
def test_a_batch_is_filled_as_the_equipment_is(shop, method, fills):
    holds = {"holds_hvlp": "250 ml", "loss_hvlp": "50 ml", "loss_airless": "240 ml"}
    assert shop.change(**holds).status_code == 303
    part = shop.new_part("two-stage-epoxy", area="2")
    asked = {
        "product": "epoxy-primer-grey",
        "how": "parts",
        "method": method,
        f"part_{part}": "1",
        f"coats_{part}": "1",
    }
    page = re.sub(r"\s+", " ", shop.http.get("/mix/new", params=asked).text)
    left = {"hvlp": "100 ml", "airless": "240 ml"}[method]
    said = re.search(r"(\d+) fills? leave ([^.]*) behind", page)
    assert (int(said[1]), said[2]) == (fills, left), said


@pytest.mark.parametrize(("before", "after", "heat"), [("metric", "us", "68 °F"), ("us", "metric", "20 °C")])
def test_other_units_bring_their_own_usual_figures_and_what_was_typed_stays(empty, before, after, heat):
    first = empty.http.get("/start/units", params={"units": before, "units_before": before}).text
    said = {
        name: field(first, name) for name in ("space_heater_0", "loss_hvlp", "currency") if f'name="{name}"' in first
    }
    said |= {"units": after, "units_before": before, "name": "Quay Lane", "space_heater_1": "21"}
    page = empty.http.get("/start/units", params=said, headers={"HX-Request": "true"}).text
    assert "<html" not in page
    assert field(page, "name") == "Quay Lane"
    assert field(page, "space_heater_0") == heat
    kept = {"metric": "69.8 °F", "us": "-6.111 °C"}[before]
    assert field(page, "space_heater_1") == kept
    assert field(page, "currency") == {"us": "$", "metric": "€"}[after]


@pytest.mark.parametrize(("typed", "is_taken"), [("20", False), ("33", True), ("113", True), ("114", False)])
def test_a_room_is_heated_above_frost_and_below_a_sauna(empty, typed, is_taken):
    form = {"name": "Shed", "time_zone": "America/Chicago", "units": "us", "space_name_0": "Room",
            "space_kind_0": "garage", "space_heater_0": typed}  # fmt: skip
    answer = empty.http.post("/start", data=form)
    assert answer.status_code == (303 if is_taken else 422)
    if not is_taken:
        assert "Enter more than 32 °F and up to 113 °F" in answer.text


@pytest.fixture
def premises(tmp_path):
    clock = TurnedClock(T0)
    settings = Settings(data=tmp_path, hosts="testserver")
    settings.demo_database.parent.mkdir()
    shutil.copy(demo_laid(T0), settings.demo_database)  # somebody looked at it before
    opened = Premises(settings, clock=clock)
    opened.open()
    yield opened, TestClient(opened, headers=ORIGIN, follow_redirects=False), clock
    opened.close()


def test_the_demo_is_opened_beside_ones_own_shop_and_left_again(premises):
    _, http, clock = premises
    assert http.get("/").headers["location"] == "/start"
    assert "Open the demo shop" in http.get("/start").text
    assert http.post("/shop/demo").status_code == 303
    bench = http.get("/").text
    assert bench.count('class="lane ') == 15
    assert {re.search(r"is-(\w+)", m)[1] for m in re.findall(r'class="lane [^"]+"', bench)} >= {
        "wet", "open", "closing", "locked", "key", "curing", "bare",
    }  # fmt: skip
    assert 'class="demo-mark"' in bench
    first = re.search(r'data-part="([^"]+)"', bench)[1]
    assert http.post("/shop/own").status_code == 303
    assert http.get("/").headers["location"] == "/start"
    form = {"name": "Quay Lane", "time_zone": "Europe/Berlin", "units": "metric", "space_name_0": "Room",
            "space_kind_0": "garage"}  # fmt: skip
    assert http.post("/start", data=form).status_code == 303
    own = http.get("/").text
    assert ("Quay Lane" in own, 'class="demo-mark"' in own) == (True, False)
    assert http.get(f"/parts/{first}").status_code == 404  # a tab of the other shop
    http.post("/shop/demo")
    assert re.search(r'data-part="([^"]+)"', http.get("/").text)[1] == first  # as it was left
    clock.turn(days=3)
    http.post("/shop/demo", data={"anew": "1"})
    laid = http.get("/").text
    assert laid.count('class="lane ') == 15
    assert first not in laid
    http.post("/shop/own")
    assert "Quay Lane" in http.get("/").text


def test_a_demo_that_stands_in_the_place_of_ones_own_shop_is_left_for_an_empty_one_and_kept(tmp_path):
    settings = Settings(data=tmp_path, hosts="testserver")
    shutil.copy(demo_laid(T0), settings.database)
    opened = Premises(settings, demo=True, clock=TurnedClock(T0))
    opened.open()
    http = TestClient(opened, headers=ORIGIN, follow_redirects=False)
    assert 'class="demo-mark"' in http.get("/").text
    assert http.post("/shop/own").status_code == 303
    assert http.get("/").headers["location"] == "/start"
    opened.close()
    kept = copies_of(settings.database)
    assert [copy.why for copy in kept] == ["replaced"]
    assert kept[0].size > 200_000

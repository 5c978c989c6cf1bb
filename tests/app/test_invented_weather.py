"""Times that rest on weather which nobody has brought in say so where they are decided, with the way out."""

import re
from datetime import timedelta
from uuid import uuid4

import pytest

from cool_sheen.service.invented import READ_LATELY
from cool_sheen.store.models import ClimateImport

MADE_UP, WHAT_COMES = "no reading and no forecast yet", "what comes: no forecast yet"


def said(shop, part):
    """What each page that decides says of its weather."""
    pages = [shop.http.get(address).text for address in ("/", "/weather", f"/parts/{part}")]
    return [re.findall(rf"{MADE_UP}|{WHAT_COMES}", page) for page in pages]


def bring(shop, kind, until):
    with shop.workshop.write() as unit:
        space = shop.standing_space
        unit.session.add(
            ClimateImport(uuid=uuid4(), space_uuid=space, kind=kind, file_name="f", options={}, content=None,
                          content_hash="0", state="taken", points=2, first_at=unit.now - timedelta(days=1),
                          last_at=unit.now + until, recorded_at=unit.now)
        )  # fmt: skip


@pytest.fixture
def part(shop):
    made = shop.new_part()
    shop.standing_space = shop.standing(made).space.uuid
    return made


def test_weather_that_is_made_up_says_so_on_bench_gate_and_plan_until_a_forecast_is_brought(shop, part):
    assert [set(words) for words in said(shop, part)] == [{MADE_UP}] * 3
    page = shop.http.get("/weather").text
    assert '#reading-title">Type the air' in page
    assert 'id="reading-title"' in page
    assert '#records">Import a file' in page
    bring(shop, "forecast", timedelta(days=3))
    assert said(shop, part) == [[], [], []]
    shop.clock.turn(days=3, minutes=20)
    assert [set(words) for words in said(shop, part)] == [{MADE_UP}] * 3


@pytest.mark.parametrize(("gone", "words"), [(READ_LATELY, WHAT_COMES), (READ_LATELY + timedelta(minutes=11), MADE_UP)])
def test_a_typed_reading_speaks_of_the_present_for_three_hours(shop, part, gone, words):
    form = {"space": str(shop.standing_space), "press": str(uuid4()), "air": "20", "rh": "50"}
    assert shop.http.post("/weather/readings", data=form).status_code == 303
    shop.clock.at += gone
    assert [set(found) for found in said(shop, part)] == [{words}] * 3


def test_a_typical_year_is_what_was_brought_and_a_record_says_nothing_of_what_comes(shop, part):
    bring(shop, "record", timedelta(0))
    assert {words for page in said(shop, part) for words in page} == {WHAT_COMES}
    bring(shop, "typical_year", timedelta(days=200))
    assert said(shop, part) == [[], [], []]

"""The log of all parts is searched: by words, product, defect, weather and date; what nobody wrote is not found."""

import re
from uuid import uuid4

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from sqlalchemy import text
from tests.app.test_clinic_journeys import words
from tests.app.test_gun_bench import ready_to_coat
from tests.app.test_inspection import inspect, zones_of

from cool_sheen.service.records import PAGE, Sought, search
from cool_sheen.store import log_text


def found(shop, **sought):
    with shop.workshop.read() as unit:
        return [line.says for line in search(unit, Sought(**sought)).lines]


@pytest.fixture
def busy(shop):
    """A shop in which a few things happened."""
    part = ready_to_coat(shop)
    shop.log(part, "coat")
    shop.log(part, "note", text='Gloss like Grünspan, "odd" smell')
    zone = zones_of(shop, part)["whole"]
    inspect(shop, part, "mark", zone=str(zone), what="defect", defect="orange-peel", where="left edge")
    shop.clock.turn(days=40)
    shop.log(part, "note", text="forty days later")
    return shop, part


def test_entries_are_found_by_what_they_say_whatever_the_accents_and_by_all_that_is_asked(busy):
    shop, _ = busy
    assert [w for w in found(shop, words=("grunspan",)) if "Grünspan" in w]
    assert found(shop, words=("grün", "smell"))
    assert found(shop, words=("grün", "later")) == []
    assert len(found(shop, words=("orange",))) == 1
    assert found(shop, defect="orange-peel") == found(shop, words=("orange",))
    assert found(shop, defect="run") == []
    coats = found(shop, product="epoxy-primer-grey")
    assert len(coats) == 1
    assert "Epoxy primer coated" in coats[0]
    assert found(shop, words=("epoxy", "coat")) == coats
    (note,) = found(shop, kind="note", words=("forty",))
    assert note.startswith("forty days later")


def test_weather_and_date_are_asked_within_their_bounds(busy):
    shop, part = busy
    coat = next(c for c in shop.standing(part).history.coats)
    air, rh = coat.payload.promised.air_temp_c, coat.payload.promised.rh_pct
    assert found(shop, kind="coat", air_c=(air - 1, air + 1), rh_pct=(rh - 5, rh + 5))
    assert found(shop, kind="coat", air_c=(air + 2, None)) == []
    assert found(shop, kind="coat", rh_pct=(None, rh - 10)) == []
    assert found(shop, kind="coat", air_c=(30, 10)) == []
    day = coat.ended_at.date().isoformat()
    page = words(shop.http.get(f"/records?kind=coat&since={day}&until={day}").text)
    assert "Epoxy primer coated" in page
    assert "Nothing in the log is like that" in shop.http.get("/records?kind=note&since=2031-01-01").text
    late = words(shop.http.get(f"/records?kind=note&until={day}").text)
    assert "Grünspan" in late
    assert "forty days later" not in late


def test_what_was_taken_back_says_so_and_a_page_leads_to_the_next(busy):
    shop, part = busy
    press = uuid4()
    shop.log(part, "note", press, text="mistaken")
    shop.log(part, "undo", entry=str(press))
    page = shop.http.get("/records?find=mistaken").text
    assert "(taken back)" in page
    for n in range(PAGE + 5):
        shop.log(part, "note", text=f"many {n:02d}")
    first = shop.http.get("/records?find=many").text
    assert first.count(">many ") + first.count("Note: many") >= 0
    further = re.search(r'href="(/records\?[^"]*before=\d+)"', first)[1].replace("&amp;", "&")
    second = words(shop.http.get(further).text)
    assert "many 04" in second
    assert "many 44" not in second


def test_the_table_of_words_is_dropped_and_filled_again_from_the_log(busy):
    shop, _ = busy
    with shop.workshop.read() as unit:
        before = unit.session.execute(text("SELECT rowid, words, tags FROM log_text ORDER BY rowid")).all()
    with shop.workshop.write() as unit:
        unit.session.execute(text("DELETE FROM log_text"))
        log_text.rebuild(unit.session)
    with shop.workshop.read() as unit:
        assert unit.session.execute(text("SELECT rowid, words, tags FROM log_text ORDER BY rowid")).all() == before
        assert len(before) == unit.session.scalar(text("SELECT count(*) FROM log_entry"))


@settings(max_examples=40, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(typed=st.text(max_size=60), low=st.floats(-1e9, 1e9), day=st.text(max_size=12))
def test_nothing_that_is_typed_breaks_the_search(busy, typed, low, day):
    shop, _ = busy
    for query in (
        {"find": typed},
        {"find": f'"{typed}" OR NEAR(*'},
        {"air_from": f"{low}"},
        {"since": day, "product": typed},
    ):
        assert shop.http.get("/records", params=query).status_code in (200, 422)

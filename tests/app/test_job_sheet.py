"""The sheet of a job and what is given out of it: everything that was logged stands there, and nothing that acts."""

import csv
import io
import re
from datetime import datetime
from uuid import uuid4

import pytest
from tests.app.test_clinic_journeys import words
from tests.app.test_gun_bench import ready_to_coat
from tests.app.test_inspection import inspect, zones_of
from tests.app.test_photos import bring
from tests.unit.test_photo_files import written

from cool_sheen.service.jobs import spaces_by_id


@pytest.fixture
def job(shop):
    part = ready_to_coat(shop)
    product = shop.standing(part).action.step.layer.product
    card = {"gun": "hvlp-gravity", "product": product, "opening": "1.6", "inlet_bar": "1.9", "press": str(uuid4())}
    shop.http.post("/gun/cards", data=card)
    shop.log(part, "coat")
    shop.clock.turn(minutes=5)
    shop.log(part, "reading", state="wet", readings="95 105")
    shop.log(part, "note", text='=HYPERLINK("http://x","click")')
    shop.log(part, "note", text="warm the tin first", moment="coat", same_product="1")
    zone = zones_of(shop, part)["whole"]
    inspect(shop, part, "mark", zone=str(zone), what="defect", defect="dust", where="top edge")
    bring(shop, part, written(64, 64), words="after the primer")
    return part


def table(answer):
    assert answer.status_code == 200
    assert answer.headers["content-type"].startswith("text/csv")
    assert "attachment" in answer.headers["content-disposition"]
    return list(csv.DictReader(io.StringIO(answer.text)))


def test_all_that_was_logged_stands_on_the_sheet_of_the_part_and_on_that_of_its_project(shop, job):
    page = shop.http.get(f"/parts/{job}/sheet").text
    said = words(page)
    for words_there in ("Epoxy primer", "1.90 bar at the inlet", "top edge", "after the primer", "Headstock casting"):
        assert words_there in said, words_there
    assert re.search(r"\d+\.\d °C, \d+ %", said)
    project = re.search(r'href="/projects/([0-9a-f-]{36})"', page)[1]
    with shop.workshop.read() as unit:
        space = next(iter(spaces_by_id(unit)))
    form = {"project": project, "name": "Tailstock", "substrate": "bare_steel_cast", "area": "0,5", "space": str(space)}
    made = shop.http.post("/jobs/new", data={**form, "system": "two-stage-epoxy"})
    other = made.headers["location"].rsplit("/", 1)[1]
    whole = words(shop.http.get(f"/projects/{project}/sheet").text)
    assert "after the primer" in whole
    assert "No coat is on yet" in whole
    assert whole.count("Zones:") == 2
    assert "No coat is on yet" in words(shop.http.get(f"/parts/{other}/sheet").text)
    assert shop.http.get(f"/projects/{uuid4()}/sheet").status_code == 404


def test_the_log_is_given_out_whole_with_formulas_defused_and_what_was_taken_back(shop, job):
    press = uuid4()
    shop.log(job, "note", press, text="mistaken")
    shop.log(job, "undo", entry=str(press))
    rows = table(shop.http.get(f"/parts/{job}/log.csv"))
    assert not [cell for row in rows for cell in row.values() if cell[:1] in ("=", "+", "-", "@")]
    assert any("HYPERLINK" in row["says"] for row in rows)
    assert [row["says"] for row in rows if row["taken_back"] == "yes"] == [
        r["says"] for r in rows if "mistaken" in r["says"] and r["kind"] == "note"
    ]
    assert {row["kind"] for row in rows} >= {"coat", "film_reading", "note", "mark", "void"}
    assert len({row["uuid"] for row in rows}) == len(rows)


def test_readings_and_climate_are_given_out_as_figures_with_their_units(shop, job):
    readings = table(shop.http.get(f"/parts/{job}/readings.csv"))
    assert [float(row["um"]) for row in readings] == [95.0, 105.0]
    assert {row["state"] for row in readings} == {"wet"}
    shop.clock.turn(hours=5)
    climate = table(shop.http.get(f"/parts/{job}/climate.csv"))
    at = [datetime.fromisoformat(row["at"]) for row in climate]
    assert at == sorted(at)
    assert at[-1] <= shop.clock.at
    for row in climate:
        assert float(row["dew_point_c"]) <= float(row["air_temp_c"]) + 0.02
        assert 0 <= float(row["rh_pct"]) <= 100

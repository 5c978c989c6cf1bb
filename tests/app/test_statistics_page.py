"""Hours are logged on a part, put right and taken back, and the jobs stand against their estimates by them."""

import csv
import io
import re
from uuid import uuid4

import pytest
from tests.app.test_carrying import project_of
from tests.app.test_clinic_journeys import words
from tests.app.test_gun_bench import ready_to_coat
from tests.app.test_inspection import inspect, zones_of
from tests.app.test_mixing_journeys import batch_of, begin, do, mix_through
from tests.support import as_seen

from cool_sheen.service import statistics
from cool_sheen.service.jobs import spaces_by_id

PAGE = "/records/statistics"


def jobs(shop):
    with shop.workshop.read() as unit:
        return statistics.jobs(unit, None)


def test_hours_are_typed_bounded_put_right_and_taken_back(shop):
    assert "No hours are logged yet" in words(shop.http.get(PAGE).text)
    part = shop.new_part()
    press = uuid4()
    for _ in range(2):  # sent again it is the same press
        assert shop.log(part, "hours", press, work="sand", hours="1,5", minutes="15").status_code == 200
    assert "1 h 45 min of sanding" in words(shop.http.get(f"/parts/{part}").text)
    for wrong in (
        {"hours": ""},
        {"hours": "0"},
        {"hours": "-1"},
        {"hours": "101"},
        {"hours": "nan"},
        {"work": "napping"},
    ):
        answer = shop.log(part, "hours", **{"work": "sand", "hours": "1", **wrong})
        assert answer.status_code == 422, wrong
    (job,) = jobs(shop).rows
    assert (job.account.came.hours, [line.work for line in job.hours]) == (1.75, ["sand"])
    assert not job.account.finished
    entry = re.search(r'name="entry" value="([0-9a-f-]{36})"', shop.http.get(f"/parts/{part}").text)
    form = shop.http.get(f"/parts/{part}/correct?entry={entry[1]}")
    assert "Kind of work" in form.text
    assert shop.log(part, "undo", entry=entry[1]).status_code == 200
    assert jobs(shop).rows == ()


def test_a_job_stands_against_its_estimate_with_what_was_poured_and_goodwill_apart(shop):
    part = ready_to_coat(shop)
    with shop.workshop.read() as unit:
        space = next(iter(spaces_by_id(unit)))
    other = {"name": "Tailstock", "substrate": "bare_steel_cast", "area": "0,6", "space": str(space)}
    project = project_of(shop, part)
    more = {"project": str(project), "system": "two-stage-epoxy"}
    assert shop.http.post("/jobs/new", data={**other, **more}).status_code == 303
    product = shop.standing(part).action.step.layer.product
    before = jobs(shop)
    batch = batch_of(begin(shop, product, [part]))
    mix_through(shop, batch)
    shop.log(part, "coat")
    do(shop, batch, "end", left="20", goes="waste")
    shop.log(part, "hours", work="prepare", hours="2")
    shop.log(part, "hours", work="coat", hours="1")
    terms = {"project": str(project), "price": "400", "hire": "", "saved": "", "goodwill": "1"}
    page = shop.http.get("/stores/cost").text
    seen = re.search(r'name="seen" value="([^"]*)"', page)[1]
    assert shop.http.post("/stores/cost", data={**terms, "seen": seen}).status_code == 303
    (job,) = jobs(shop).rows
    assert before.rows == ()
    assert job.account.came.hours == 3
    assert job.account.came.paid_hours == 2
    assert job.account.weighed == 1
    assert 0 < job.account.came.materials < job.account.estimate.materials
    assert job.account.area_m2 == pytest.approx(2.0)
    assert "sand" in job.untold
    inspect(shop, part, "mark", zone=str(zones_of(shop, part)["whole"]), what="defect", defect="dust", where="top")
    said = words(shop.http.get(PAGE).text)
    for there in (
        "preparing and masking",
        "1.5 h/m²",
        "Dust",
        "none was found yet",
        "nobody said what it took",
        "so far",
    ):
        assert there in said, there
    shop.change(units="us")
    assert "h/ft²" in as_seen(shop.http.get(PAGE).text)
    (row,) = csv.DictReader(io.StringIO(shop.http.get(f"{PAGE}/jobs.csv?back=ever").text))
    assert (row["hours_came"], row["goodwill_hours"], row["finished"]) == ("3.00", "1.0", "False")
    shop.clock.turn(days=120)
    assert "No hours are logged yet" in words(shop.http.get(f"{PAGE}?back=quarter").text)
    assert "Toolroom lathe" in shop.http.get(f"{PAGE}?back=nonsense").text


def test_finished_jobs_with_a_price_stand_together_and_say_why(shop):
    part = shop.new_part("solid-stain-masonry", "masonry", "1,0")
    for _ in range(80):
        if not shop.standing(part).owed.left():
            break
        shop.do_next(part)
    assert not shop.standing(part).owed.left()
    shop.log(part, "hours", work="prepare", hours="3")
    shop.log(part, "hours", work="coat", hours="1")
    terms = {"project": str(project_of(shop, part)), "price": "500", "hire": "20", "saved": "", "goodwill": "1"}
    seen = re.search(r'name="seen" value="([^"]*)"', shop.http.get("/stores/cost").text)[1]
    assert shop.http.post("/stores/cost", data={**terms, "seen": seen}).status_code == 303
    found = jobs(shop)
    (job,), all_of_them = found.rows, found.together
    assert (all_of_them.jobs, all_of_them.hours, all_of_them.goodwill_hours) == (1, 4, 1)
    came = job.account.came
    assert all_of_them.profit == came.price - came.labour - came.materials - 20
    said = words(shop.http.get(PAGE).text)
    assert "Finished jobs together" in said
    assert f"{all_of_them.profit_per_hour} €" in said
    assert "1 h of goodwill" in said

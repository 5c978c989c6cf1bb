"""A customer is forgotten: name, contact, note and photos are gone, and the log says what it said before."""

from uuid import UUID, uuid4

import pytest
from tests.app.test_clinic_journeys import words
from tests.app.test_photos import bring, kept
from tests.app.test_presses import entries
from tests.unit.test_photo_files import written

from cool_sheen.store.models import Project

SAID = {"name": "Lathe of the mill", "customer": "Ida Fernweg", "contact": "0160 555 010", "note": "rings twice"}


@pytest.fixture
def job(shop):
    part = shop.new_part()
    with shop.workshop.read() as unit:
        project = unit.session.query(Project).one().uuid
    page = shop.http.get(f"/projects/{project}").text
    seen = page.split('name="seen" value="')[1].split('"')[0]
    assert shop.http.post(f"/projects/{project}", data={**SAID, "seen": seen}).status_code == 303
    return part, project


def everywhere(shop, part, project):
    pages = ("/", "/jobs", f"/jobs?find={SAID['customer'].split()[0]}", f"/projects/{project}", f"/projects/{project}/people",
             f"/parts/{part}", "/stores/cost")  # fmt: skip
    return " ".join(words(shop.http.get(page).text) for page in pages)


def test_what_a_project_holds_about_people_stands_on_one_page(shop, job):
    part, project = job
    bring(shop, part, written(64, 64))
    shop.log(part, "note", text="Frau Ida wants it greener")
    page = words(shop.http.get(f"/projects/{project}/people").text)
    for said in (SAID["customer"], SAID["contact"], SAID["note"], "Headstock casting 1", "Frau Ida wants it greener"):
        assert said in page


def test_a_customer_is_forgotten_for_good_and_the_log_says_what_it_said(shop, job):
    part, project = job
    bring(shop, part, written(64, 64))
    shop.do_next(part)
    shop.log(part, "note", text="greener")
    before = [row.entry.model_dump() for row in entries(shop, part)]
    (photo,) = kept(shop, part)
    refused = shop.http.post(f"/projects/{project}/people", data={"press": str(uuid4())})
    assert refused.status_code == 422
    assert "for good" in refused.text
    assert SAID["customer"] in everywhere(shop, part, project)
    for _ in range(2):
        answer = shop.http.post(f"/projects/{project}/people", data={"press": str(uuid4()), "sure": "1"})
        assert answer.status_code == 303
    left = everywhere(shop, part, project)
    assert not [said for said in (SAID["customer"], SAID["contact"], SAID["note"]) if said in left]
    assert "was forgotten on" in left
    assert kept(shop, part) == []
    assert shop.http.get(f"/photos/{photo.content_hash}.jpg").status_code == 404
    assert [row.entry.model_dump() for row in entries(shop, part)] == before
    assert "Forget the customer" not in shop.http.get(f"/projects/{project}/people").text
    assert shop.http.get(f"/projects/{UUID(int=5)}/people").status_code == 404

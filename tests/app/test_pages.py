"""Pages over HTTP: forms keep what was typed, the doorkeeper keeps strangers out, pages stay light."""

import gzip
import re
from uuid import uuid4

import pytest
from tests.support import SURE, ShopOnTrial

from cool_sheen.web.security import POLICY

PAGES = ["/", "/jobs", "/jobs/new", "/weather", "/shelf", "/shelf/clear-two-pack", "/components",
         "/mix", "/mix/new?product=clear-two-pack&how=ready&amount=600+ml", "/stores", "/stores/stock", "/stores/sizes",
         "/stores/cans", "/stores/cost", "/spaces", "/stores/yields?product=clear-two-pack", "/data", "/shop", "/projects/new",
         "/jobs?state=finished&since=2026-06-01", "/plan", "/gun", "/gun?gun=roller&product=solid-stain-slate", "/gun/field",
         "/gun/trainer", "/gun/faults?fault=spit&ruled=1", "/gun/rack", "/clinic", "/records?find=coat", "/shop/scripts",
         "/jobs/bring", "/records/statistics"]  # fmt: skip


@pytest.mark.parametrize("address", PAGES)
def test_every_page_is_served_under_the_strict_policy_with_no_style_or_script_of_its_own(demo, address):
    answer = demo.http.get(address)
    assert answer.status_code == 200
    assert answer.headers["content-security-policy"] == POLICY
    assert "unsafe" not in POLICY
    assert not re.search(r"<script(?![^>]+src=)|<style|\sstyle=|\son\w+=", answer.text)
    assert not re.search(r"(?:src|href|action)=\"(?:https?:)?//", answer.text)


@pytest.mark.parametrize("address", PAGES)
def test_no_page_speaks_in_the_names_of_the_program(demo, address):
    seen = re.sub(r"<[^>]+>", " ", re.sub(r"<(svg|datalist|code).*?</\1>", " ", demo.http.get(address).text))
    assert re.findall(r"\b[A-Z][a-z]+[A-Z][a-z]+\w*|\b\w+_\w+\b|\bNone\b|\bTrue\b", seen) == []


@pytest.mark.parametrize("address", ["/", "/jobs", "/weather", "/shelf", "/mix", "/stores", "/stores/cost"])
def test_before_the_first_start_every_page_leads_to_the_set_up(empty, address):
    answer = empty.http.get(address)
    assert (answer.status_code, answer.headers["location"]) == (303, "/start")


def test_the_set_up_keeps_what_was_typed_and_says_what_is_wrong_at_each_field(empty):
    form = {
        "name": "",
        "time_zone": "Mars/Crater",
        "units": "us",
        "space_name_0": "Spray cabin",
        "space_kind_0": "booth",
        "space_heater_0": "warm",
        "space_name_1": "spray cabin",
        "space_kind_1": "garage",
    }
    answer = empty.http.post("/start", data=form)
    assert answer.status_code == 422
    for words in (
        "Enter the name of your shop",
        "Choose a time zone",
        "is no temperature",
        "Another space has that name",
        "Spray cabin",
        "Mars/Crater",
    ):
        assert words in answer.text
    assert empty.http.get("/").headers["location"] == "/start"
    good = {**form, "name": "Shed", "time_zone": "America/Chicago", "space_heater_0": "68 F", "space_name_1": "Yard"}
    assert empty.http.post("/start", data=good).status_code == 303
    page = empty.http.get("/")
    assert "No part yet" in page.text
    assert empty.http.post("/start", data=good).status_code == 422
    weather = empty.http.get("/weather").text
    assert "68 °F" in weather


BAD_PARTS = {
    "no name": ({"name": " "}, "Enter a name for the part"),
    "a negative area": ({"area": "-2"}, "more than 0"),
    "no number": ({"area": "big"}, "is no area"),
    "an absurd area": ({"area": "999999999"}, "up to 10,000 m²"),
    "another unit": ({"area": "5 C"}, "is no unit of area"),
    "not a number": ({"area": "NaN"}, "is no area"),
    "no substrate": ({"substrate": "cheese"}, "Choose what the part is made of"),
    "no system": ({"system": "gilding"}, "Choose a system"),
    "no space": ({"space": "moon"}, "Choose the space"),
    "no project": ({"project_name": ""}, "Name a new project"),
    "a strange project": ({"project": str(uuid4())}, "Choose a project of the list"),
}


@pytest.mark.parametrize("name", BAD_PARTS)
def test_a_part_that_cannot_be_is_refused_at_its_field_and_nothing_is_made(shop, name):
    changes, says = BAD_PARTS[name]
    form = {
        "project_name": "Toolroom lathe",
        "name": "Tailstock <b>x</b>",
        "substrate": "bare_steel_cast",
        "area": "0.8",
        "space": str(uuid4()),
        "system": "two-stage-epoxy",
    }
    answer = shop.http.post("/jobs/new", data={**form, **changes})
    assert answer.status_code == 422
    assert says in answer.text
    if name != "no name":
        assert "Tailstock &lt;b&gt;x&lt;/b&gt;" in answer.text
    assert "No job yet" in shop.http.get("/jobs").text


def test_an_area_may_be_typed_in_either_unit(shop):
    part = shop.new_part(area="15 ft2")
    assert shop.standing(part).part.area_m2 == pytest.approx(1.3935, abs=1e-3)


UPLOADS = {
    "an image": (b"\x89PNG\r\n\x1a\n" + bytes(200), "no text file"),
    "empty": (b"", "The file is empty"),
    "swapped columns": (b"time,temp,rh\n2026-06-08 08:00,50,21\n2026-06-08 08:10,51,21\n", "look swapped"),
}


@pytest.mark.parametrize("name", UPLOADS)
def test_a_file_that_is_no_record_is_refused_on_the_page_and_changes_nothing(demo, name):
    content, says = UPLOADS[name]
    page = demo.http.get("/weather").text
    space = re.search(r'<option value="([0-9a-f-]{36})"', page)[1]
    answer = demo.http.post("/weather/records", data={"space": space}, files={"file": ("record.csv", content)})
    assert answer.status_code == 422
    assert says in answer.text
    assert "No record yet" in demo.http.get("/weather").text


def test_fifty_megabytes_are_refused_before_they_are_read(demo):
    answer = demo.http.post("/weather/records", files={"file": ("record.csv", b"1,2,3\n" * 8_500_000)})
    assert answer.status_code == 413
    assert "21 MB" in answer.text


def test_a_preview_shows_the_rows_that_cannot_be_read_and_takes_nothing_by_itself(demo):
    space = re.search(r'<option value="([0-9a-f-]{36})"', demo.http.get("/weather").text)[1]
    text = "time,temp,rh\n2026-06-08 07:00,21,50\n2026-06-08 07:10,hot,50\n2026-06-08 07:20,21.4,51\n"
    files = {"file": ("record.csv", text.encode())}
    preview = demo.http.post("/weather/records", data={"space": space, "time_zone": "UTC"}, files=files)
    assert "1 row cannot be read" in preview.text
    assert "“hot” is no temperature" in preview.text
    assert "No record yet" in demo.http.get("/weather").text
    draft = preview.text.split("/weather/records/")[1].split("/")[0]
    fahrenheit = demo.http.post(f"/weather/records/{draft}/look", data={"unit": "F", "time_zone": "UTC"})
    assert "-6.1 °C" in fahrenheit.text
    for _ in range(2):
        assert demo.http.post(f"/weather/records/{draft}/take").status_code == 303
    assert demo.http.get("/weather").text.count("record.csv</th>") == 1


def test_strangers_are_kept_out(demo):
    part = re.search(r'data-part="([^"]+)"', demo.http.get("/").text)[1]
    form = {"press": str(uuid4())}
    assert demo.http.get("/", headers={"Host": "evil.example"}).status_code == 400
    assert (
        demo.http.post(f"/parts/{part}/coat", data=form, headers={"Origin": "http://evil.example"}).status_code == 403
    )
    assert demo.http.post("/api/v1/climate/air", json={}, headers={"Origin": "http://evil.example"}).status_code == 403
    del demo.http.headers["Origin"]
    assert demo.http.post(f"/parts/{part}/coat", data=form).status_code == 403
    assert demo.http.post("/api/v1/climate/air", json={"air_temp_c": 20, "rh_pct": 50}).status_code == 200


def test_what_is_not_here_is_said_plainly(demo):
    for address in (
        "/nowhere",
        f"/parts/{uuid4()}",
        "/parts/none",
        "/shelf/varnish",
        "/static/app.css",
        "/static/../app.py",
    ):
        assert demo.http.get(address).status_code in (404, 422)
    assert "There is nothing at this address" in demo.http.get("/nowhere").text


def test_static_files_are_named_by_their_content_compressed_and_kept(demo):
    page = demo.http.get("/").text
    for address in re.findall(r'(?:href|src)="(/static/[^"]+)"', page):
        answer = demo.http.get(address)
        assert answer.status_code == 200
        assert "immutable" in answer.headers["cache-control"]
        assert re.search(r"\.[0-9a-f]{10}\.\w+$", address)


def test_the_first_load_weighs_under_150_kilobytes(demo):
    demo.http.event_hooks = {"request": [], "response": []}  # as it comes over the wire
    with demo.http.stream("GET", "/", headers={"Accept-Encoding": "gzip"}) as answer:
        raw = b"".join(answer.iter_raw())
    total, page = len(raw), gzip.decompress(raw).decode()
    seen = set(re.findall(r'(?:href|src)="(/static/[^"]+)"', page))
    style = next(a for a in seen if "/app." in a and a.endswith(".css"))
    seen |= set(re.findall(r"url\((/static/[^)]+)\)", demo.http.get(style).text))
    for address in seen:
        with demo.http.stream("GET", address, headers={"Accept-Encoding": "gzip"}) as answer:
            total += sum(len(block) for block in answer.iter_raw())
    assert total < 150_000


def test_a_page_for_people_without_scripts_still_logs_a_coat(shop: ShopOnTrial):
    part = shop.new_part()
    form = {"press": str(uuid4()), "back": "/", "sure": SURE, **shop.offered(part, "coat", {})}
    answer = shop.http.post(f"/parts/{part}/coat", data=form)
    assert (answer.status_code, answer.headers["location"]) == (303, "/")
    elsewhere = shop.http.post(f"/parts/{part}/coat", data=form | {"press": str(uuid4()), "back": "//evil.example"})
    assert elsewhere.headers["location"] == f"/parts/{part}"
    assert '<h2 class="dialog-title">Log sanding' in shop.http.get(f"/parts/{part}/sand").text


def test_the_guide_is_found_from_every_page_at_its_chapter(demo):
    guide = demo.http.get("/guide").text
    chapters = set(re.findall(r'<h2 id="([^"]+)">', guide))
    part = re.search(r'href="(/parts/[0-9a-f-]{36})"', demo.http.get("/jobs").text)[1]
    found = {}
    for page in ("/", "/jobs", part, f"{part}/survey", f"{part}/system", "/mix", "/stores/stock", "/weather", "/systems",
                 "/shelf/clear-two-pack", "/shop", "/data"):  # fmt: skip
        found[page] = re.search(r'href="/guide#([^"]+)"', demo.http.get(page).text)[1]
    assert set(found.values()) <= chapters
    assert len(set(found.values())) == 11

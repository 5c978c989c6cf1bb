"""Nothing that comes in breaks the program: parts of what ``make fuzz`` does, a fortieth of its forms and more of the rest."""

import random

import pytest
from tests.fuzz import files
from tests.fuzz.calls import call_all
from tests.fuzz.shop import Pressed

from cool_sheen.formats import documents
from cool_sheen.formats.climate_files import read_climate_file
from cool_sheen.formats.documents import Unsound
from cool_sheen.formats.logger_csv import MOST_COLUMNS, NotALog, Options


def test_forms_of_every_page_are_answered_however_they_are_spoiled(tmp_path):
    pressed = Pressed(tmp_path, 101)
    pressed.press_at(500)
    assert pressed.broken == []
    assert pressed.statuses[303] > 20  # some of it was taken: the fuzzer reaches behind the first refusal
    assert pressed.statuses[422] > 100


def test_files_are_read_or_refused_in_words_however_they_are_spoiled():
    dice = random.Random(6)
    came = [
        (kind, files.read(kind, files.spoil(files.seeds()[kind], dice), dice))
        for kind in (dice.choice(sorted(files.seeds())) for _ in range(500))
    ]
    for kind in files.seeds():
        assert (kind, "refused") in came
        assert (kind, "taken") in came


def test_calculators_answer_whatever_their_description_allows(empty):
    statuses = call_all(empty.http.app, 31)
    assert statuses[200] > 50
    assert statuses[422] > 50


def test_files_brought_to_a_page_are_answered_however_they_are_spoiled(demo):
    dice = random.Random(11)
    for n in range(60):
        kind = dice.choice(sorted(files.seeds()))
        content = files.spoil(files.seeds()[kind], dice)
        if kind == "shelf":
            answer = demo.http.post("/shelf/import", files={"document": ("x.json", content)})
        else:
            space = {"space": _space(demo), "time_zone": "UTC"}
            answer = demo.http.post("/weather/records", data=space, files={"file": ("x.csv", content)})
        assert answer.status_code in (200, 422), (n, kind)


def _space(demo):
    return demo.http.get("/weather").text.partition('name="space"')[2].partition('value="')[2][:36]


@pytest.mark.parametrize(
    "first, says",
    [
        (b"LOCATION,X,X,X,X,0,50,8,1e300,100\n", "time zone"),
        (b"LOCATION,X,X,X,X,0,50,8,nan,100\n", "time zone"),
        (b"LOCATION,X,X,X,X,0,50,8,-40,100\n", "time zone"),
    ],
)
def test_a_typical_year_of_no_time_zone_on_earth_is_refused(first, says):
    rest = files.seeds()["epw"].split(b"\n", 1)[1]
    with pytest.raises(NotALog, match=says):
        read_climate_file(first + rest, Options(), files.NOW)


def test_what_a_file_may_hold_is_bounded_and_said():
    header = ",".join(f"c{n}" for n in range(MOST_COLUMNS + 1)) + "\n"
    row = "2026-06-08 08:00,20,50" + ",1" * (MOST_COLUMNS - 2) + "\n"
    with pytest.raises(NotALog, match="columns"):
        read_climate_file((header + row * 5).encode(), Options(), files.NOW)
    with pytest.raises(NotALog, match="longer than"):
        read_climate_file(
            ("time,temp,rh\n2026-06-08 08:00,20,50," + "x" * 30_000 + "\n").encode(), Options(), files.NOW
        )
    lines = files.seeds()["epw"] + b"2001,1,1,1,0,A7,1,1,50\n" * 9_000
    with pytest.raises(NotALog, match="8,760 hours"):
        read_climate_file(lines, Options(), files.NOW)


@pytest.mark.parametrize(
    "year, taken", [(1969, False), (1970, True), (2199, True), (2200, False), (1, False), (9999, False)]
)
def test_readings_of_years_in_which_no_logger_hung_are_left_out(year, taken):
    rows = "".join(f"{year:04}-06-08 0{n}:00,20,50\n" for n in range(5))
    content = ("time,temp,rh\n" + rows).encode()
    if taken:
        assert len(read_climate_file(content, Options(), files.NOW)[1].readings) == 5
    else:
        with pytest.raises(NotALog, match=f"the year {year} cannot be"):
            read_climate_file(content, Options(), files.NOW)


@pytest.mark.parametrize(
    "document, says",
    [
        ("{" + ",".join(f'"f{n}": 1' for n in range(1000)) + "}", 'says "format"'),
        ("{" + ",".join(f'"f{n}": 1' for n in range(1001)) + "}", "has 1,001 fields"),
        ('{"a": [' + ",".join("1" for _ in range(1000)) + "]}", 'says "format"'),
        ('{"a": [{"b": [' + ",".join("1" for _ in range(1001)) + "]}]}", "has 1,001 values"),
        ('{"a": 1, "b": 2, "a": 3}', "stands twice"),
        ('{"a": Infinity}', "no number that a sheet can have"),
    ],
)
def test_a_document_is_as_large_as_sheets_are(document, says):
    with pytest.raises(Unsound, match=says):
        documents.read(document.encode())

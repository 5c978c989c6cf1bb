"""The journeys of the shelf: sheets of one's own, their revisions, and the documents in which they travel."""

import json
import re
from pathlib import Path
from uuid import uuid4

import pytest

from cool_sheen.formats.catalogue import shipped
from cool_sheen.formats.documents import schema


def product_form(shop, key):
    page = shop.http.get(f"/shelf/{key}/edit").text
    form = dict(re.findall(r'<input class="input[^"]*" id="[^"]*" name="([^"]+)" value="([^"]*)"', page))
    for name, options in re.findall(r'<select id="[^"]*" name="([^"]+)"[^>]*>(.*?)</select>', page, re.S):
        chosen = re.search(r'value="([^"]*)" selected', options)
        form[name] = chosen[1] if chosen else ""
    form |= dict(re.findall(r'<input type="hidden" name="(tick[^"]+)" value="([^"]*)"', page))
    form |= dict.fromkeys(re.findall(r'name="([^"]+)" value="1" checked', page), "1")
    return form


@pytest.mark.parametrize("units", ["metric", "us"])
def test_a_sheet_that_is_saved_as_it_is_stays_the_same_in_both_unit_systems(shop, units):
    with shop.workshop.write() as unit:
        unit.shop.units = units
    for key, product in list(shipped().products.items())[:: 1 if units == "metric" else 4]:
        assert shop.http.post(f"/shelf/{key}/edit", data=product_form(shop, key)).status_code == 303, key
        data = json.loads(shop.http.get(f"/shelf/export.json?product={key}").text)["products"][0]
        for name, value in product.model_dump(mode="json").items():
            if isinstance(value, float):
                assert data[name] == pytest.approx(value, rel=2e-3), (key, name)
            else:
                assert data[name] == value or units == "us", (key, name)


def test_a_part_keeps_the_data_that_it_was_planned_with_until_it_takes_the_new_ones(shop):
    part = shop.new_part("two-stage-epoxy")
    form = product_form(shop, "clear-two-pack")
    shop.clock.turn(minutes=1)
    form |= {
        "volume_solids_pct": "51",
        "milestones.0.ref_minutes": "11",
        "limits.air_max_c": "31",
        "windows.0.closes": "",
    }
    assert shop.http.post("/shelf/clear-two-pack/edit", data=form).status_code == 303
    assert "Your own version" in shop.http.get("/shelf/clear-two-pack").text
    assert shop.standing(part).products["clear-two-pack"].volume_solids_pct != 51
    page = shop.http.get(f"/parts/{part}/system").text
    assert "newer data of Two-pack clear, gloss" in page
    rows = re.findall(r"<th scope=\"row\">([^<]+)</th><td>([^<]+)</td><td>([^<]+)</td>", page)
    assert rows == [
        ("Volume solids of the ready mix", "42 %", "51 %"),
        ("Milestones, flashed off, after", "12 min", "11 min"),
        ("Recoat windows, row 1, closes when", "past its recoat window", "nothing"),
        ("Air, most", "32.0 °C", "31.0 °C"),
    ]
    taken = shop.http.post(
        f"/parts/{part}/system/change",
        data={"op": "newer", "product": "clear-two-pack", "press": str(uuid4())},
        headers={"HX-Request": "true"},
    )
    assert "newer data" not in taken.text
    assert shop.standing(part).products["clear-two-pack"].volume_solids_pct == 51
    assert "Took the shelf" in shop.http.get(f"/parts/{part}").text
    assert shop.http.post("/shelf/clear-two-pack/remove").status_code == 303
    assert "newer data of Two-pack clear, gloss" in shop.http.get(f"/parts/{part}/system").text


BAD_FORMS = {
    "no number": ({"volume_solids_pct": "half"}, "volume_solids_pct", "is no number"),
    "too much solids": ({"volume_solids_pct": "130"}, "volume_solids_pct", "Enter 100 or less."),
    "opens after it closes": (
        {"windows.0.opens": "full_cure"},
        "milestones.10.ref_minutes",
        "it must close later than it opens",
    ),
    "opens after it closes, below an empty row": (
        {"windows.0.opens": "full_cure", **{f"milestones.1.{f}": "" for f in ("name", "mode", "ref_minutes")}},
        "milestones.10.ref_minutes",
        "it must close later than it opens",
    ),
    "air upside down": ({"limits.air_min_c": "60"}, "limits", "the least air temperature, 60, must be under the most"),
    "nothing to put it on with": ({"tick.methods.hvlp": "", "tick.methods.conventional": ""}, "methods", "At least 1"),
    "a strange colour": (
        {"swatch": "red"},
        "swatch",
        "not written as it has to be.",
    ),
    "no name": ({"name": ""}, "name", "Fill this in."),
}


@pytest.mark.parametrize("name", BAD_FORMS)
def test_a_sheet_that_cannot_be_is_refused_at_its_field_and_the_typed_text_stays(shop, name):
    fields, place, says = BAD_FORMS[name]
    answer = shop.http.post("/shelf/clear-two-pack/edit", data={**product_form(shop, "clear-two-pack"), **fields})
    assert answer.status_code == 422
    assert says in answer.text
    assert f'href="#f-{place}"' in answer.text
    for value in fields.values():
        assert value in answer.text
    assert "Your own version" not in shop.http.get("/shelf/clear-two-pack").text


def document(**more):
    product = shipped().products["clear-two-pack"].model_dump(mode="json") | {"key": "my-clear", "name": "My clear"}
    return {"format": "cool-sheen-shelf", "version": 1, "products": [product], **more}


def bring(shop, content, **fields):
    content = content if isinstance(content, bytes) else json.dumps(content).encode()
    return shop.http.post("/shelf/import", files={"document": ("shelf.json", content)}, data=fields)


def test_sheets_travel_as_one_document_that_its_schema_describes(shop, empty):
    shown = bring(shop, document())
    assert shown.status_code == 200
    assert "new</span>" in shown.text
    assert shop.http.get("/shelf/my-clear").status_code == 404  # looked at, not taken
    looked_at = re.search(r'name="looked_at" value="([^"]+)"', shown.text)[1]
    taken = shop.http.post("/shelf/import", data={"looked_at": looked_at})
    assert taken.status_code == 303
    assert shop.http.get("/shelf/my-clear").status_code == 200
    again = bring(shop, document())
    assert "as it is</span>" in again.text
    assert "Take " not in again.text
    everything = shop.http.get("/shelf/export.json").content
    assert "0 new or changed" in bring(shop, everything).text
    published = shop.http.get("/shelf/schema.json").json()
    assert published == json.loads(json.dumps(schema()))
    assert published == json.loads((Path(__file__).parents[2] / "docs" / "shelf.schema.json").read_text())
    assert published["additionalProperties"] is False
    assert set(published["properties"]) == {"format", "version", "products", "supplies", "systems"}
    one = json.loads(shop.http.get("/shelf/export.json?system=brushed-two-pack").text)
    assert {p["key"] for p in one["products"]} == {"epoxy-primer-grey", "brushing-two-pack-cream"}
    assert [s["key"] for s in one["supplies"]] == ["grit-coarse"]


def spoiled(change):
    made = document()
    change(made)
    return made


SYSTEM = shipped().systems["two-stage-epoxy"].model_dump(mode="json")
BAD_FILES = {
    "an unknown field": (spoiled(lambda d: d["products"][0].update(colour="red")), "products.0 (my-clear).colour"),
    "an unknown head": (spoiled(lambda d: d.update(extra=1)), "extra"),
    "a window that closes first": (
        spoiled(lambda d: d["products"][0]["milestones"][0].update(ref_minutes=99999)),
        "it must close later than it opens",
    ),
    "a missing product": (
        document(systems=[{**SYSTEM, "key": "mine", "layers": [{**SYSTEM["layers"][0], "product": "moon-dust"}]}]),
        "systems.0 (mine).layers.0.product",
    ),
    "a key twice": (spoiled(lambda d: d["products"].append(d["products"][0])), "stands twice"),
    "nought of a film": (spoiled(lambda d: d["products"][0].update(wet_film_min_um=0)), "wet_film_min_um"),
    "another format": ({"format": "else"}, "format"),
    "no object": ([1, 2], "is an object"),
    "no JSON": (b"{'a': 1}", "line 1, column 2"),
    "a number that is none": (b'{"format": "cool-sheen-shelf", "version": NaN}', "NaN is no number"),
    "a field twice": (b'{"format": "cool-sheen-shelf", "format": "x"}', "stands twice"),
    "an image": (b"\x89PNG\r\n\x1a\n\x00\x00", "no text file"),
    "nothing": (b"", "The file is empty"),
    "deep": (b"[" * 100_000, "nested too deeply"),
    "twenty megabytes": (b" " * 20_000_000, "20.0 MB"),
}


@pytest.mark.parametrize("name", BAD_FILES)
def test_a_file_that_is_not_sound_is_refused_with_the_place_and_the_shelf_stays(shop, name):
    content, says = BAD_FILES[name]
    answer = bring(shop, content)
    assert answer.status_code == 422
    assert says in answer.text
    assert shop.http.get("/shelf/my-clear").status_code == 404
    assert bring(shop, b"x" * 25_000_000).status_code == 413


LABELS = {
    "flash off 10-15 min": ({"flash": ("10-15 min", {})}, {"flash": 15}),
    "recoat within 24 hours": ({"recoat_closes": ("24 hours", {})}, {"recoat_closes": 1440}),
    "recoat before 18 to 24 h": ({"recoat_closes": ("18 to 24 h", {})}, {"recoat_closes": 1080}),
    "touch dry 1 h 30": ({"tack_free": ("1 h 30", {})}, {"tack_free": 90}),
    "full cure 7 days": ({"full_cure": ("7 days", {})}, {"full_cure": 10_080}),
    "polish after 30 d": ({"polish": ("30 d", {})}, {"polish": 43_200}),
    "sand 3 hours after the last coat": ({"sand": ("3 hours", {"counts_for": "build"})}, {"sand": 180}),
    "after a mist coat 12 minutes": ({"flash": ("12 minutes", {"after": "mist"})}, {"flash": 12}),
    "handle after 0.5 days": ({"handle": ("0,5 days", {})}, {"handle": 720}),
    "dust dry in 40": ({"dust_free": ("40", {})}, {"dust_free": 40}),
}


@pytest.mark.parametrize("label", LABELS)
def test_a_label_is_typed_as_it_is_printed(shop, label):
    rows, wanted = LABELS[label]
    key = "single-stage-two-pack"
    form = product_form(shop, key)
    place = {form[name]: name.split(".")[1] for name in form if re.fullmatch(r"milestones\.\d+\.name", name)}
    modes = {form[f"milestones.{n}.name"]: form[f"milestones.{n}.mode"] for n in place.values()}
    spare = place.pop("")
    for name, (time, more) in rows.items():
        n = spare if "after" in more or name not in place else place[name]
        typed = {"name": name, "mode": modes.get(name, "reactive"), "ref_minutes": time, **more}
        form |= {f"milestones.{n}.{field}": value for field, value in typed.items()}
    form |= {"mix.pot_life_minutes": "2 to 3 h", "build_coats": "2"}
    answer = shop.http.post(f"/shelf/{key}/edit", data=form)
    assert answer.status_code == 303, re.findall(r"is-danger[^>]*>([^<]+)", answer.text)
    data = json.loads(shop.http.get(f"/shelf/export.json?product={key}").text)["products"][0]
    for name, minutes in wanted.items():
        more = rows[name][1]
        mark = next(m for m in data["milestones"] if m["name"] == name and m.get("after") == more.get("after"))
        assert mark["ref_minutes"] == minutes
        assert mark.get("counts_for") == more.get("counts_for")
    assert data["mix"]["pot_life_minutes"] == 120  # a pot gels at the soonest


@pytest.mark.parametrize("text", ["4-2 h", "soon", "2 parsecs", "1 - 2 - 3 h", "-5 min", "3 h 2 d", "1 h 30 h"])
def test_a_time_that_is_none_is_refused_at_its_field_and_stays_as_typed(shop, text):
    form = product_form(shop, "single-stage-two-pack") | {"milestones.0.ref_minutes": text}
    answer = shop.http.post("/shelf/single-stage-two-pack/edit", data=form)
    assert answer.status_code == 422
    assert f'value="{text}"' in answer.text
    assert "enter" in re.search(r'id="n-milestones.0.ref_minutes">([^<]+)', answer.text)[1]

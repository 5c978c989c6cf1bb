"""The clinic on real logs: what was done, seen and set points at its cause, on its zone and at its time."""

import re
from datetime import timedelta
from uuid import uuid4

import pytest
from tests.app.test_gun_bench import ready_to_coat, words
from tests.app.test_inspection import split, zones_of
from tests.app.test_presses import entries

from cool_sheen.service.clinic.findings import found_before, look_into
from cool_sheen.service.part_now import part_now


def looked(shop, part, defect, zone=None, at=None, **answers):
    with shop.workshop.read() as unit:
        found = part_now(unit, part)
        zone = zone or found.zones[0].uuid
        return look_into(unit, found, defect, zone, at or unit.now, answers)


def first(shop, part, defect, **more):
    return looked(shop, part, defect, **more).ranked[0].cause.key


def test_a_heavy_coat_that_was_measured_points_at_too_much_film_and_a_right_one_does_not(shop):
    part = ready_to_coat(shop)
    sheet = shop.standing(part).products[shop.standing(part).action.step.layer.product]
    assert shop.log(part, "coat", wet_film=f"{1.3 * sheet.runs_over_um:.0f} um").status_code == 200
    shop.clock.turn(hours=3)
    found = looked(shop, part, "run")
    assert found.ranked[0].cause.key == "heavy-film"
    assert any("(measured)" in line for line in found.ranked[0].speaks_for)
    assert looked(shop, part, "solvent-pop").ranked[0].cause.key == "thick"
    before = looked(shop, part, "run", at=shop.clock.at - timedelta(hours=4))
    assert before.coat is None
    assert before.sure.startswith("nothing is known")


def test_the_guns_card_points_at_its_pressure_and_the_cloth_at_the_wipe(shop):
    part = ready_to_coat(shop)
    product = shop.standing(part).action.step.layer.product
    card = {"press": str(uuid4()), "gun": "hvlp-gravity", "product": product, "opening": "1.6", "distance_mm": "180"}
    assert shop.http.post("/gun/cards", data=card | {"inlet_bar": "1.2"}).status_code == 303
    shop.log(part, "coat")
    shop.clock.turn(hours=2)
    peel = looked(shop, part, "orange-peel")
    assert peel.ranked[0].cause.key == "low-pressure"
    assert "the gun's pressure was under its band" in peel.ranked[0].speaks_for
    far = next(r for r in peel.ranked if r.cause.key == "far")
    assert far.speaks_against == ("the gun's distance was in its band",)


def test_air_that_was_read_points_at_it_and_a_reading_that_comes_late_does_so_too(shop):
    part = ready_to_coat(shop)
    with shop.workshop.read() as unit:
        space = part_now(unit, part).space.uuid
    shop.log(part, "coat")
    coated = shop.clock.at
    shop.clock.turn(hours=1)
    assert first(shop, part, "blush") != "dew"
    told = {
        "press": str(uuid4()),
        "space": str(space),
        "air": "21",
        "rh": "97",
        "at": f"{coated.astimezone():%Y-%m-%dT%H:%M%z}",
    }
    assert shop.http.post("/weather/readings", data=told).status_code in (200, 303)
    assert first(shop, part, "blush") == "humid"


def test_each_zone_has_a_log_of_its_own_and_a_finding_is_kept_once_told_and_taken_back(shop):
    part = shop.new_part()
    split(shop, part, "Left", "0.4")
    for _ in range(40):
        if shop.standing(part).action.does == "coat":
            break
        shop.do_next(part)
    zones = zones_of(shop, part)
    sheet = shop.standing(part).products[shop.standing(part).action.step.layer.product]
    heavy = {"wet_film": f"{1.4 * sheet.runs_over_um:.0f} um", f"zone_{zones['Left']}": "1"}
    assert shop.log(part, "coat", **heavy).status_code == 200
    shop.clock.turn(hours=2)
    assert looked(shop, part, "run", zone=zones["Left"]).ranked[0].cause.key == "heavy-film"
    assert looked(shop, part, "run", zone=zones["whole"]).coat is None
    share = next(r.share for r in looked(shop, part, "run", zone=zones["whole"]).ranked if r.cause.key == "gun-near")
    press = str(uuid4())
    said = {"press": press, "zone": str(zones["Left"]), "defect": "run", "cause": "gun-near"}
    for _ in range(2):
        assert shop.http.post(f"/parts/{part}/clinic", data=said).status_code == 303
    assert shop.http.post(f"/parts/{part}/clinic", data=said | {"cause": "cold"}).status_code == 409
    with shop.workshop.read() as unit:
        assert found_before(unit)["run"] == {"gun-near": 1}
    after = next(r.share for r in looked(shop, part, "run", zone=zones["whole"]).ranked if r.cause.key == "gun-near")
    assert after > share
    assert "the cause of run, sag or curtain: gun too near" in words(shop.http.get(f"/parts/{part}").text).lower()
    assert "gun too near 1 time" in words(shop.http.get("/clinic").text)
    assert entries(shop, part)[-1].entry.payload.kind == "cause"
    assert shop.log(part, "undo", entry=press).status_code in (200, 303)
    with shop.workshop.read() as unit:
        assert found_before(unit) == {}


def test_the_page_asks_what_would_decide_takes_answers_back_and_leads_to_the_way_back(shop):
    part = ready_to_coat(shop)
    shop.log(part, "coat")
    shop.clock.turn(hours=2)
    page = shop.http.get(f"/parts/{part}/clinic?defect=fisheye").text
    assert "Was polish, silicone or spray lubricant used near it?" in page
    yes = re.search(r'href="([^"]*silicone\.1[^"]*)"', page)[1].replace("&amp;", "&")
    answered = shop.http.get(yes).text
    assert "Take it back" in answered
    assert re.search(r"<b>([^<]+)</b>\s*<span class=\"figure\">", answered)[1] == "Silicone or polish near it"
    way = re.search(r'href="(/parts/[^"]+/mishap\?[^"]+)"', answered)[1].replace("&amp;", "&")
    assert "Degrease" in shop.http.get(way).text
    assert shop.http.get(f"/clinic?part={part}").headers["location"] == f"/parts/{part}/clinic"
    assert shop.http.get("/clinic?part=nonsense").headers["location"] == "/clinic"


@pytest.mark.parametrize(
    "query",
    [
        "defect=nosuch",
        "defect=run&zone=1",
        "defect=run&at=yesterday",
        "defect=run&at=2999-01-01T00:00",
        "said=" + "x.1," * 400,
    ],
)
def test_absurd_questions_are_answered_with_what_there_is(shop, query):
    part = shop.new_part()
    answer = shop.http.get(f"/parts/{part}/clinic?{query}")
    assert answer.status_code == 200
    refused = shop.http.post(
        f"/parts/{part}/clinic", data={"press": str(uuid4()), "zone": str(uuid4()), "defect": "run", "cause": "x"}
    )
    assert refused.status_code == 422
    assert "Choose which cause it was" in refused.text


def test_a_defect_that_stays_is_marked_and_accepted_with_its_reason_in_one_press(shop):
    part = ready_to_coat(shop)
    shop.log(part, "coat")
    zone = zones_of(shop, part)["whole"]
    said = {"press": str(uuid4()), "zone": str(zone), "defect": "dust", "because": "distance", "reason": ""}
    for unknown in ("", "a ghost"):
        asked = said | {"defect": unknown, "reason": "it does not show from the front"}
        assert shop.http.post(f"/parts/{part}/clinic/accept", data=asked).status_code == 422
    refused = shop.http.post(f"/parts/{part}/clinic/accept", data=said)
    assert (refused.status_code, "Write why it stays" in refused.text) == (422, True)
    said = {**said, "press": str(uuid4()), "reason": "seen from the street alone"}
    for _ in range(2):
        assert shop.http.post(f"/parts/{part}/clinic/accept", data=said).status_code == 303
    kinds = [row.entry.payload.kind for row in entries(shop, part)]
    assert (kinds.count("mark"), kinds.count("accept")) == (1, 1)
    assert entries(shop, part)[-1].entry.reason == "seen from the street alone"
    assert shop.standing(part).history.open_marks(zone) == []

"""The story of a part: the same as every other page says, from its first day to its last, and still years later."""

import re

from tests.app.test_inspection import inspect, split, until, went_wrong, zones_of
from tests.app.test_photos import bring
from tests.app.test_presses import HX
from tests.unit.test_photo_files import written

from cool_sheen.core.work.steps import CoatStep
from cool_sheen.service import story
from cool_sheen.service.part_now import part_now


def told(shop, part):
    page = shop.http.get(f"/parts/{part}/story")
    assert page.status_code == 200
    return " ".join(page.text.split())


def gathered(shop, part):
    with shop.workshop.read() as unit:
        return story.story(unit, part_now(unit, part))


def same_to_a_minute(some, others):
    """Bands over two climates that begin on other days: their grids differ, and what is found on them hardly."""
    apart = [
        abs((getattr(some[name], edge) - getattr(band, edge)).total_seconds())
        for name, band in others.items()
        for edge in ("early", "likely", "late")
        if getattr(band, edge) is not None
    ]
    return set(some) == set(others) and max(apart) <= 60


def test_a_whole_life_is_told_zone_by_zone_with_all_that_happened(shop):
    part = shop.new_part()
    assert "No coat is on yet" in told(shop, part)
    split(shop, part, "Rim")
    rim = str(zones_of(shop, part)["Rim"])
    bring(shop, part, written(120, 90), words="as it came, with rust")
    layer = until(shop, part, lambda s: isinstance(s, CoatStep) and s.number == 2).layer.id
    inspect(shop, part, "mark", what="hose", zone=rim, where="left edge")
    went_wrong(shop, part, ("wait", "30", ""), ("sand", "P320", ""), ("coat", "", layer), **{f"zone_{rim}": "1"})
    shop.log(part, "note", text="The rim wants less air")
    shop.log(part, "note", text="A note that was wrong")
    shop.log(part, "undo")
    for _ in range(90):
        if not shop.standing(part).is_live:
            break
        shop.do_next(part)
    page = told(shop, part)
    for words in ("as it came, with rust", "left edge", "The rim wants less air", "Went wrong"):
        assert words in page
    assert "A note that was wrong" not in page
    found, whole = shop.standing(part), gathered(shop, part)
    assert {z for s in whole.zones for z in s.zones} == set(zones_of(shop, part).values())
    by_zone = {z: s for s in whole.zones for z in s.zones}
    for zone in zones_of(shop, part).values():
        assert [c.coat.uuid for c in by_zone[zone].clocks] == [c.uuid for c in found.history.coats if zone in c.zones]
        mine = found.situation.film_of(zone).clocks  # what the part's own page goes by: the last coats
        assert same_to_a_minute(by_zone[zone].clocks[-1].bands, mine[-1].bands)
    rows = re.findall(r'<th scope="row">', page)
    assert len(rows) >= len(found.history.coats)
    assert whole.finished_at is not None
    shop.clock.turn(days=400)
    assert told(shop, part).count("as it came") == page.count("as it came")
    later = gathered(shop, part)
    assert (later.since, later.until, later.works) == (whole.since, whole.until, whole.works)


def test_what_was_said_and_what_the_finger_found_stand_side_by_side(shop):
    part = shop.new_part()
    until(shop, part, lambda s: isinstance(s, CoatStep))
    shop.log(part, "coat")
    top = shop.standing(part).top
    said = top.bands[top.rule.opens].likely
    shop.clock.turn(seconds=(said - shop.clock.at).total_seconds() + 90)
    shop.log(part, "touch", ready="yes")
    (row,) = gathered(shop, part).zones[0].came
    assert row.asked == said
    assert row.promised.likely == said  # the coat's own test teaches the next one, and not what was promised
    assert row.late_by == 1.5
    assert "2 min later" in told(shop, part)


def test_the_page_of_a_part_takes_its_story_in_and_a_project_says_what_was_promised(shop):
    part = shop.new_part()
    assert f'hx-get="/parts/{part}/story"' in shop.http.get(f"/parts/{part}").text
    piece = shop.http.get(f"/parts/{part}/story", headers=HX).text
    assert "<html" not in piece
    assert "Promised against came" in piece


def test_of_very_many_coats_the_last_ones_are_told_and_it_says_so(shop, monkeypatch):
    part = shop.new_part()
    until(shop, part, lambda s: isinstance(s, CoatStep))
    for _ in range(4):
        shop.log(part, "coat")
        shop.clock.turn(hours=1)
    assert "The last coats are told" not in told(shop, part)
    monkeypatch.setattr("cool_sheen.core.part.story.MOST_TOLD", 3)
    shop.log(part, "note", text="One more thing")
    whole = gathered(shop, part)
    assert [c.coat.uuid for c in whole.zones[0].clocks] == [c.uuid for c in shop.standing(part).history.coats[-3:]]
    assert whole.since == shop.standing(part).history.coats[-3].ended_at
    page = told(shop, part)
    assert "The last coats are told" in page
    assert "One more thing" in page
    assert "Stands in Room" not in page

"""Two jobs side by side: what each screen says of one of them, both say here; coats stand in pairs."""

from datetime import timedelta
from types import SimpleNamespace
from uuid import uuid4

import pytest
from tests.app.test_clinic_journeys import words
from tests.app.test_gun_bench import ready_to_coat
from tests.app.test_inspection import inspect, split, zones_of

from cool_sheen.service.costs import costs
from cool_sheen.service.side_by_side import paired, side_of
from cool_sheen.web.pages.job_sheet import film_of


def laid(*coats):
    """Coats by product and kind, as they are paired."""
    said = [pair if isinstance(pair, tuple) else (pair, "full") for pair in coats]
    line = [SimpleNamespace(product=p, coat=SimpleNamespace(payload=SimpleNamespace(coat_kind=k))) for p, k in said]
    return [SimpleNamespace(line=one) for one in line]


@pytest.mark.parametrize(
    ("ours", "theirs", "pairs"),
    [
        ("PPC", "PPC", "PP PP CC"),
        ("PPC", "PC", "P- PP CC"),
        ("PC", "PBC", "PP -B CC"),
        ("P", "C", "P- -C"),
        ("", "PC", "-P -C"),
        ("", "", ""),
    ],
)
def test_coats_stand_beside_those_of_the_same_product_in_the_order_of_both(ours, theirs, pairs):
    made = paired(laid(*ours), laid(*theirs))
    said = [(a.line.product if a else "-", b.line.product if b else "-") for a, b in made]
    assert sorted(a + b for a, b in said) == sorted(pairs.split())
    assert "".join(a for a, _ in said if a != "-") == ours
    assert "".join(b for _, b in said if b != "-") == theirs


def test_a_mist_coat_is_not_the_same_as_a_full_one():
    made = paired(laid(("P", "mist")), laid("P"))
    assert [(a is None, b is None) for a, b in made] == [(False, True), (True, False)]


@pytest.fixture
def jobs(shop):
    """Two parts of one system: the first with a coat and a defect, the second with two coats."""
    one = ready_to_coat(shop)
    shop.log(one, "coat", wet_film_measured="130")
    inspect(shop, one, "mark", zone=str(zones_of(shop, one)["whole"]), what="defect", defect="dust", where="top edge")
    shop.clock.turn(hours=2)
    other = ready_to_coat(shop)
    shop.log(other, "coat")
    shop.clock.turn(hours=6)
    shop.log(other, "coat")
    return shop, one, other


def test_each_side_says_what_the_sheet_the_cost_and_the_log_say(jobs):
    shop, one, other = jobs
    with shop.workshop.read() as unit:
        found = [shop.standing(part) for part in (one, other)]
        sides = [side_of(unit, f) for f in found]
        (costed,) = costs(unit, unit.the_shop, [found[0].part.project_uuid])
        assert sides[0].cost == costed.parts[0].cost
        films = [film_of(f, "metric", 700) for f in found]
    assert sides[0].hours_per_m2 == pytest.approx(sides[0].cost.hours / 1.4)
    assert dict(sides[0].defects) == {"dust": 1}
    assert not sides[1].defects
    assert [c.since for c in sides[0].coats] == [None]
    gap = found[1].history.coats[1].ended_at - found[1].history.coats[0].ended_at
    assert sides[1].coats[1].since == pytest.approx(gap / timedelta(hours=1))
    assert {film.tallest_um for film in films} == {700}
    page = words(shop.http.get(f"/parts/{one}/beside/{other}").text)
    for said in ("Marked: dust", "Coats on 1 2", f"{sides[0].cost.labour:.2f}", "6 h after the one below", "1.40 m²"):
        assert said in page, said


def test_hours_are_by_the_area_that_the_shop_measures_in_and_a_split_zone_keeps_what_lies_under_it(jobs):
    shop, one, other = jobs
    split(shop, one, "Rim")
    shop.clock.turn(hours=3)
    shop.log(one, "coat")
    with shop.workshop.read() as unit:
        side = side_of(unit, shop.standing(one))
    assert side.coats[-1].since > 3
    assert f"{side.hours_per_m2:.1f} h/m²" in words(shop.http.get(f"/parts/{one}/beside/{other}").text)
    shop.change(units="us")
    page = words(shop.http.get(f"/parts/{one}/beside/{other}").text)
    assert f"{side.cost.hours / 15.069:.2f} h/ft²" in page
    assert "m²" not in page


def test_the_other_is_offered_by_its_products_and_found_by_words(jobs):
    shop, one, other = jobs
    page = shop.http.get(f"/parts/{one}/beside").text
    assert f"/parts/{one}/beside/{other}" in page
    assert f"/parts/{one}/beside/{one}" not in page
    assert f"/parts/{one}/beside/{other}" in shop.http.get(f"/parts/{one}/beside?find=headstock").text
    assert "No other part is called that" in shop.http.get(f"/parts/{one}/beside?find=zzz").text
    assert f"/parts/{one}/beside" in shop.http.get(f"/parts/{one}/sheet").text


def test_a_part_beside_itself_says_so_and_one_that_is_not_here_is_refused(jobs):
    shop, one, _ = jobs
    assert "the same part twice" in shop.http.get(f"/parts/{one}/beside/{one}").text
    assert shop.http.get(f"/parts/{one}/beside/{uuid4()}").status_code == 404
    assert shop.http.get(f"/parts/{uuid4()}/beside").status_code == 404

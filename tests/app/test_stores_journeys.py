"""In the stores and at the end of a batch: sizes of one's own, other units, labels, viscosity, a mix that gels."""

import re
from datetime import timedelta
from uuid import UUID, uuid4
from zoneinfo import ZoneInfo

import pytest
from tests.app.test_mixing_journeys import balance, batch_of, begin, do, mix_through, state_of, title, up_to_priming

from cool_sheen.core.coatings.products import Product
from cool_sheen.formats.catalogue import shipped
from cool_sheen.service import shelf
from cool_sheen.service.jobs import spaces_by_id
from cool_sheen.service.shops import NewSpace, change_space
from cool_sheen.store.models import Shop


def test_a_size_of_ones_own_is_bought_where_it_is_the_cheapest_and_a_second_of_its_name_is_refused(shop):
    up_to_priming(shop)
    before = float(re.search(r'figure total">([\d.]+)', shop.http.get("/stores").text)[1])
    size = {"op": "add", "item": "paint:clear-two-pack", "name": "Clear from the barrel, 5 l", "amount": "5 l",
            "price": "0,50", "keeps": "90"}  # fmt: skip
    assert shop.http.post("/stores/sizes", data=size).status_code == 303
    page = shop.http.get("/stores").text
    assert "Clear from the barrel, 5 l" in page
    after = float(re.search(r'figure total">([\d.]+)', page)[1])
    assert after < before - 20
    again = shop.http.post("/stores/sizes", data=size)
    assert (again.status_code, "This number is taken" in again.text) == (422, True)
    for wrong, says in (
        ({"amount": "a lot"}, "no volume"),
        ({"price": ""}, "Enter its price"),
        ({"item": "wine"}, "not sound"),
    ):
        answer = shop.http.post("/stores/sizes", data=size | {"name": "Other"} | wrong)
        assert (answer.status_code, says in answer.text) == (422, True), says


def test_a_shop_that_thinks_in_ounces_types_and_reads_them_and_the_scale_stays_in_grams(shop):
    with shop.workshop.write() as unit:
        unit.session.get(Shop, 1).units = "us"
    page = shop.http.get("/mix/new", params={"product": "clear-two-pack", "how": "ready", "amount": "20"}).text
    assert 'mix-total"><span class="figure">20.0 fl oz' in page
    batch = batch_of(begin(shop, "clear-two-pack", how="ready", amount="1 pt"))
    assert state_of(shop, batch).plan.ready_ml == pytest.approx(473.2, abs=0.1)
    do(shop, batch, "stamp", gate="base_stirred")
    page = do(shop, batch, "pour", line="0", how="typed", amount="11 fl oz")
    assert state_of(shop, batch).poured_ml()[0] == pytest.approx(11 * 29.5735, abs=0.1)
    assert "fl oz" in page.text
    do(shop, batch, "pour", line="0", how="typed", amount="1 oz")  # ounces alone are a weight
    assert state_of(shop, batch).pours[-1].payload.ml == pytest.approx(28.35 / 0.98, abs=0.05)


def test_the_pot_life_follows_the_warmth_of_the_room_and_a_gelled_mix_is_waste(shop):
    batch = batch_of(begin(shop, "clear-two-pack", how="ready", amount="300 ml"))
    mix_through(shop, batch)

    def until():
        return re.search(r"until (\d\d:\d\d)", shop.http.get(f"/mix/{batch}").text)[1]

    cool = until()
    with shop.workshop.write() as unit:
        for space in spaces_by_id(unit).values():
            change_space(unit, space.uuid, NewSpace(name=space.name, kind="insulated_shop", heater_min_c=32))
    warm = until()
    assert warm < cool
    label = shop.http.get(f"/mix/{batch}/label").text
    assert warm in label
    assert 'aria-label="Code that leads back to this batch"' in label
    answer = do(shop, batch, "viscosity", seconds="17,5", run_by="stick")
    assert "17.5 s by the stick" in answer.text
    assert do(shop, batch, "viscosity", seconds="thick").status_code == 422
    shop.clock.turn(hours=3)
    page = shop.http.get(f"/mix/{batch}").text
    assert "The pot life is over" in page
    late = do(shop, batch, "end", left="200 ml", goes="offered")
    assert (late.status_code, "it is waste" in late.text) == (422, True)
    assert do(shop, batch, "end", left="200 ml", goes="waste").status_code == 200
    assert do(shop, batch, "pour", line="0", how="mark").status_code == 409
    reopened = do(shop, batch, "undo", entry=str(state_of(shop, batch).end_entry))
    assert title(reopened) == "Ready to use"


def test_a_coat_after_the_pot_life_or_of_another_paint_comes_out_of_no_batch(shop):
    part = up_to_priming(shop)
    batch = batch_of(begin(shop, "epoxy-primer-grey", [part]))
    mix_through(shop, batch)
    other = shop.new_part("one-pack-enamel", "bare_steel_sheet")
    shop.log(other, "coat")
    assert shop.standing(other).history.coats[0].payload.batch is None
    shop.clock.turn(hours=20)
    shop.log(part, "coat")
    assert shop.standing(part).history.coats[0].payload.batch is None
    late = shop.clock.at - timedelta(hours=19, minutes=30)  # one that was forgotten, and logged with its own time
    with shop.workshop.read() as unit:
        zone = unit.session.get(Shop, 1).time_zone
    shop.log(part, "coat", at=late.astimezone(ZoneInfo(zone)).strftime("%Y-%m-%dT%H:%M"))
    batches = [c.payload.batch for c in shop.standing(part).history.coats]
    assert batches == [UUID(batch), None]
    page = shop.http.get(f"/parts/{part}").text
    assert f'href="/mix/{batch}"' in page
    assert "Poured" not in page  # what is in the cup stands with its batch


def test_what_is_counted_wrong_is_counted_again_and_nothing_of_it_is_ever_changed(shop):
    item = "supply:white-spirit"
    for amount in ("1 l", "400 ml"):
        data = {"press": str(uuid4()), "kind": "counted", "item": item, "amount": amount}
        assert shop.http.post("/stores/stock", data=data).status_code == 303
    assert balance(shop, item) == 400
    thrown = {"press": str(uuid4()), "kind": "discarded", "item": item, "amount": "150 ml", "note": "rust in it"}
    assert shop.http.post("/stores/stock", data=thrown).status_code == 303
    page = shop.http.get(f"/stores/stock?item={item}").text
    assert re.findall(r"<td>(counted|discarded)", page) == ["discarded", "counted", "counted"]
    assert "rust in it" in page
    assert "-600 ml" in page
    rows = shop.http.get("/stores/stock.csv").text.splitlines()
    assert len(rows) == 4
    assert rows[0].startswith("at,item,name,kind,ml")


def test_a_labels_word_is_held_against_the_film_for_one_coat_or_for_all_and_in_pails(shop):
    asked = "/stores/yields?product=single-stage-two-pack&claim=10&area=6&coats=2"
    one = shop.http.get(f"{asked}&counts=coat&method=roller").text
    every = shop.http.get(f"{asked}&counts=build&method=roller").text
    assert re.search(r"<b>1200 ml</b> for 2 coats", re.sub(r"\s+", " ", one))
    assert re.search(r"<b>600 ml</b> for 2 coats", re.sub(r"\s+", " ", every))
    sheet = shipped().products["single-stage-two-pack"]
    takes = 6 * 2 * sheet.ref_wet_film_um / 0.95
    for page in (one, every):
        assert f"<b>{takes:.0f} ml</b>" in page
        assert "95 % ends on the part (roller)" in page
        assert re.search(r"\d × Two-pack single stage, machine green", page)
    assert "<b>50 µm</b> wet" in every  # all coats out of one litre on ten: each as thin as that
    assert "no size known" in shop.http.get(asked.replace("single-stage-two-pack", nameless(shop))).text


def nameless(shop):
    """A product that nobody sells: its own, without a size."""
    data = shipped().products["single-stage-two-pack"].model_dump(mode="json") | {"key": "nameless", "name": "Nameless"}
    with shop.workshop.write() as unit:
        shelf.save(unit, "product", Product.model_validate(data), new=True)
    return "nameless"


def test_what_cost_leaves_out_is_said(shop):
    part = shop.new_part("single-stage-epoxy")
    own = nameless(shop)
    layer = shop.standing(part).system.layers[-1]
    swap = {"op": "layer", "layer": layer.id, "product": own, "layer_name": layer.name}
    assert shop.http.post(f"/parts/{part}/system/change", data=swap).status_code == 303
    assert "Left out, because no size and price is known: Nameless" in shop.http.get("/stores/cost").text
    assert "no size known: add one" in shop.http.get("/stores").text

"""The gun bench in an empty shop: guns and air of one's own, a set-up, cards that go into the log, and the trainer."""

import re
from uuid import uuid4

import pytest
from tests.app.test_presses import entries

from cool_sheen.core.work.steps import CoatStep
from cool_sheen.service.gun.bench import Asked, set_up
from cool_sheen.service.gun.training import course, judge, read_samples

AIR = {
    "tank_l": "24 l", "cut_in_bar": "6", "cut_out_bar": "8 bar", "fad_l_per_min": "120", "hose_m": "10 m",
    "hose_bore_mm": "9", "treatment_bar": "0.3", "line_over_k": "5", "bowl_ml": "60",
}  # fmt: skip
SWORN = {"name": "Old faithful", "type": "hvlp-gravity", "nozzles": "1.2, 1.3; 1.4 mm", "demand_l_per_min": "320"}


def words(text):
    return re.sub(r"\s+", " ", re.sub(r"<[^>]+>", " ", text))


def notes(answer):
    return re.findall(r'<p class="help is-danger"[^>]*>([^<]+)', answer.text)


def keep(shop, address, press=None, **fields):
    return shop.http.post(address, data={"press": str(press or uuid4()), **fields})


def ready_to_coat(shop):
    """A part whose next step is a coat."""
    part = shop.new_part()
    for _ in range(40):
        if isinstance(shop.standing(part).action.step, CoatStep) and shop.standing(part).action.does == "coat":
            return part
        shop.do_next(part)
    raise AssertionError("it never came to a coat")


def test_guns_and_air_of_ones_own_are_kept_changed_put_away_and_hung_back(shop):
    assert "Say which compressor" in shop.http.get("/gun").text
    assert keep(shop, "/gun/rack", **SWORN).status_code == 303
    assert shop.http.post("/gun/rack/air", data=AIR).status_code == 303
    page = shop.http.get("/gun/rack").text
    key = re.search(r"/gun\?gun=([0-9a-f-]{36})", page)[1]
    assert "1.2, 1.3, 1.4 mm" in words(page)
    again = keep(shop, "/gun/rack", **SWORN)
    assert (again.status_code, notes(again)) == (422, ["There is a gun of this name: give it another."])
    seen = re.search(r'name="seen" value="([^"]+)"', shop.http.get(f"/gun/rack?gun={key}").text)[1]
    changed = {**SWORN, "name": "Young faithful", "editing": key}
    assert keep(shop, "/gun/rack", seen=seen, **changed).status_code == 303
    stale = keep(shop, "/gun/rack", seen=seen, **{**changed, "name": "Another"})
    assert stale.status_code == 409
    assert "Young faithful" in stale.text
    assert shop.http.post(f"/gun/rack/{key}", data={"do": "away"}).status_code == 303
    assert f'value="{key}"' not in shop.http.get("/gun").text
    assert keep(shop, "/gun/rack", **changed).status_code == 404
    shop.http.post(f"/gun/rack/{key}", data={"do": "back"})
    assert f'value="{key}"' in shop.http.get("/gun").text


@pytest.mark.parametrize(
    ("wrong", "field", "said"),
    [
        ({"tank_l": "0"}, "tank_l", "more than 0"),
        ({"cut_in_bar": "8"}, "cut_in_bar", "cuts in below"),
        ({"fad_l_per_min": "1e999"}, "fad_l_per_min", "no unit"),
        ({"hose_bore_mm": "3 furlongs"}, "hose_bore_mm", "no unit of span"),
    ],
)
def test_air_that_cannot_be_is_refused_at_its_field_and_what_was_typed_stands(shop, wrong, field, said):
    answer = shop.http.post("/gun/rack/air", data=AIR | wrong)
    assert answer.status_code == 422
    assert said in re.search(rf'id="n-{field}">([^<]+)', answer.text)[1]
    assert f'value="{wrong.get(field, "")}"' in answer.text
    with shop.workshop.read() as unit:
        assert unit.the_shop.air is None


def test_a_set_up_says_the_same_of_a_coat_as_the_mix_does_and_what_the_pauses_do(shop):
    part = ready_to_coat(shop)
    shop.http.post("/gun/rack/air", data=AIR)
    with shop.workshop.read() as unit:
        found = set_up(unit, Asked(part=part))
        step = shop.standing(part).action.step
        assert found.at.product.key == step.layer.product
        assert found.at.ml == pytest.approx(found.at.waiting.coats[0].ml)
        assert found.gun.method == step.method
        slow = set_up(unit, Asked(part=part, gun="hvlp-gravity", flow_ml_per_min=60.0))
        assert slow.feed.time.pauses > 0
        assert slow.feed.pauses.level in ("care", "bad")
        assert slow.feed.time.whole_s == pytest.approx(slow.feed.time.trigger_s + slow.feed.time.pauses * 24 * 2 / 2)
    page = words(shop.http.get(f"/gun?part={part}&gun=hvlp-gravity&flow=60").text)
    assert "in all" in page
    assert "less are left for the next coat" in page


def test_a_pressure_has_its_place_and_state_and_another_gun_has_its_own(shop):
    shop.http.post("/gun/rack/air", data=AIR)
    first = shop.http.get("/gun?gun=hvlp-gravity&product=clear-two-pack&bar=0.7&place=cap&state=pulled").text
    assert "The pressure is in its band" in first
    was = re.search(r'name="was" value="([^"]+)"', first)[1]
    other = {"gun": "conventional-gravity", "product": "clear-two-pack", "bar": "0.7", "place": "cap", "was": was}
    assert 'value="3 bar"' in shop.http.get("/gun", params=other).text
    assert "read it at the regulator" in shop.http.get("/gun?bar=7&place=compressor").text
    assert "one gauge that counts" in shop.http.get("/gun?gun=turbine-five&bar=0.5&place=inlet").text
    assert "Too low to atomise" in shop.http.get("/gun?gun=airless&product=membrane-moisture&bar=50").text
    assert "too small for the grit" in shop.http.get("/gun?gun=hvlp-gravity&opening=1.3&grit=grit-coarse").text


def test_a_card_is_kept_once_goes_into_the_log_of_the_coats_that_follow_and_is_offered_next_time(shop):
    part = ready_to_coat(shop)
    product = shop.standing(part).action.step.layer.product
    chosen = {"gun": "hvlp-gravity", "product": product, "opening": "1.6"}
    empty = keep(shop, "/gun/cards", **chosen)
    assert (empty.status_code, notes(empty)) == (422, ["Enter what the gun was set to, the pressure at least."])
    press = uuid4()
    for _ in range(2):
        assert keep(shop, "/gun/cards", press, inlet_bar="1.9", fluid_turns="2,5", **chosen).status_code == 303
    assert keep(shop, "/gun/cards", press, inlet_bar="2.1", **chosen).status_code == 409
    assert "HVLP gun, gravity cup, 1.6 mm, 1.90 bar at the inlet" in words(shop.http.get(f"/parts/{part}/coat").text)
    assert shop.log(part, "coat").status_code == 200
    coat = entries(shop, part)[-1]
    assert coat.entry.payload.gun["inlet_bar"] == "1.9"
    assert coat.entry.payload.gun["fluid_turns"] == "2.5"
    assert "gravity cup, 1.6 mm, 1.90 bar at the inlet" in words(shop.http.get(f"/parts/{part}").text)
    shop.clock.turn(hours=13)
    with shop.workshop.read() as unit:
        held = set_up(unit, Asked(product=product))
        assert held.set_by is None
        assert [c.uuid for c in held.cards] == [press]
    assert shop.http.post(f"/gun/cards/{press}", data={"do": "away", **chosen}).status_code == 303
    assert shop.http.post(f"/gun/cards/{press}", data={"do": "set", **chosen}).status_code == 404
    assert "Offer it again" in shop.http.get(f"/gun?product={product}").text
    shop.http.post(f"/gun/cards/{press}", data={"do": "back", **chosen})
    assert shop.http.post(f"/gun/cards/{press}", data={"do": "set", **chosen}).status_code == 303
    with shop.workshop.read() as unit:
        assert set_up(unit, Asked(product=product)).set_by.uuid == press


def test_the_field_answers_for_any_panel_and_asks_for_a_gun_where_a_brush_was_chosen(shop):
    page = shop.http.get("/gun/field?product=clear-two-pack&gun=hvlp-gravity&width=800&height=600")
    assert page.text.count("data-cells") == 1
    assert "Back at the line where you began" in page.text
    slow = shop.http.get("/gun/field?product=clear-two-pack&gun=hvlp-gravity&target=400")
    assert "would run on an upright face" in slow.text
    late = shop.http.get("/gun/field?product=clear-two-pack&gun=hvlp-gravity&early=-80&late=-80")
    assert "of it is thin" in late.text
    assert "has no fan" in shop.http.get("/gun/field?gun=brush").text
    assert "smaller panel" in shop.http.get("/gun/field?gun=hvlp-small&width=10000&height=10000&overlap=90&fan=10").text
    was = re.search(r'name="was" value="([^"]+)"', page.text)[1]
    other = {"gun": "hvlp-small", "product": "high-build-surfacer", "fan": "250 mm", "target": "60 um", "was": was}
    again = shop.http.get("/gun/field", params=other).text
    assert 'value="140 mm"' in again  # another gun has its own fan
    assert 'value="60 um"' in shop.http.get("/gun/field", params={**other, "product": "clear-two-pack"}).text
    wrong = shop.http.get("/gun/field?gun=hvlp-gravity&overlap=120&width=-3&coats=99")
    assert [n[:7] for n in notes(wrong)] == ["Enter m", "Enter a", "Enter a"]


def test_faults_lead_to_the_cheapest_check_first_and_the_drill_opens_every_control(shop):
    first = words(shop.http.get("/gun/faults?gun=conventional-suction&fault=spit").text)
    assert "nearly empty" in first
    assert "Suction tube" not in first
    second = words(shop.http.get("/gun/faults?gun=conventional-suction&fault=spit&ruled=1").text)
    assert "It was not that" in second
    assert "Suction tube" in second
    assert "Everything that can be looked at" in shop.http.get("/gun/faults?gun=airless&fault=drip&ruled=99").text
    assert first.count("From closed") >= 2


def test_a_drawn_film_is_judged_by_the_field_and_kept_once_in_the_record(shop):
    with shop.workshop.read() as unit:
        on = course(set_up(unit, Asked(product="clear-two-pack", gun="hvlp-gravity")), "one-stroke")
    step = on.speed_mm_per_s / 60
    count = int(1100 / step)
    text = ";".join(f"{round(1000 * n / 60)} {round(10 * (-100 + n * step))} 1600 1 0" for n in range(count))
    told = judge(on, read_samples(text, on.panel))
    assert told.even.spread_pct < 10
    press = str(uuid4())
    sent = {"press": press, "drill": "one-stroke", "gun": "hvlp-gravity", "product": "clear-two-pack", "samples": text}
    for _ in range(2):
        answer = shop.http.post("/gun/trainer", data=sent)
        assert answer.status_code == 200
        assert answer.text.split("run-bars")[1].count("<rect") == 1
    assert "1 stroke" in words(answer.text)
    for bad in ("1 2 3", "a b c d e", "5 1 1 1 0;4 1 1 1 0", "1 99999999 1 1 0", "1 2 3 1 0;" * 20_001):
        refused = shop.http.post("/gun/trainer", data={**sent, "press": str(uuid4()), "samples": bad})
        assert refused.status_code == 422, bad[:20]
    empty = shop.http.post("/gun/trainer", data={**sent, "press": str(uuid4()), "samples": ""})
    assert "Nothing has landed yet" in empty.text
    assert shop.http.post("/gun/trainer/forget", data={"drill": "one-stroke"}).status_code == 303
    assert "Nothing yet" in shop.http.get("/gun/trainer?drill=one-stroke").text


@pytest.mark.parametrize("demo_units", ["us"])
def test_a_shop_that_reckons_in_psi_sees_no_bar(shop, demo_units):
    shop.change(units=demo_units)
    shop.http.post("/gun/rack/air", data=AIR)
    page = words(shop.http.get("/gun?gun=hvlp-gravity&product=clear-two-pack&bar=20").text)
    assert "psi" in page
    assert not re.search(r"\d bar\b", page)
    assert not re.search(r"\d (?:l/min|ml/min|mm/s)\b", words(shop.http.get("/gun/field?gun=hvlp-gravity").text))

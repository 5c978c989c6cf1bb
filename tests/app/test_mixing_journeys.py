"""At the mixing bench over HTTP: a batch from the coats that wait to what is left of it, and what goes wrong on the way."""

import csv
import io
import re
from datetime import timedelta
from uuid import UUID, uuid4

import pytest
from tests.support import T0

from cool_sheen.service.batches import find, yields
from cool_sheen.store import stock as kept

HTMX = {"HX-Request": "true"}


def begin(shop, product, parts=(), **fields):
    ticked = {f"part_{part}": "1" for part in parts}
    return shop.http.post("/mix/new", data={"product": product, "press": str(uuid4()), **ticked, **fields})


def batch_of(answer):
    assert answer.status_code == 303, answer.text
    return answer.headers["location"].rsplit("/", 1)[1]


def do(shop, batch, verb, press=None, **fields):
    data = {"press": str(press or uuid4()), **fields}
    return shop.http.post(f"/mix/{batch}/{verb}", data=data, headers=HTMX)


def state_of(shop, batch):
    with shop.workshop.read() as unit:
        return find(unit, UUID(batch)).state


def balance(shop, item):
    with shop.workshop.read() as unit:
        return kept.balances(unit.session).get(item, 0.0)


def title(answer):
    return " ".join(re.search(r'id="stage-title">(.*?)</h2>', answer.text, re.S)[1].split())


def mix_through(shop, batch):
    """Do what the page asks for until the mix is ready."""
    for _ in range(20):
        page = shop.http.get(f"/mix/{batch}")
        if title(page) == "Ready to use":
            return
        if gate := re.search(r'name="gate" value="(\w+)"', page.text):
            assert do(shop, batch, "stamp", gate=gate[1]).status_code == 200
        elif line := re.search(r'name="line" value="(\d+)"', page.text):
            assert do(shop, batch, "pour", line=line[1], how="mark").status_code == 200
        else:
            shop.clock.turn(minutes=5)
    raise AssertionError("the mix never gets ready")


def up_to_priming(shop, **more):
    """A part whose next step is its first coat of epoxy primer."""
    part = shop.new_part("two-stage-epoxy", **more)
    while shop.standing(part).action.does != "coat":
        shop.do_next(part)
    return part


def test_an_over_pour_is_rescued_the_reducer_waits_and_coats_come_out_of_the_batch(shop):
    part = up_to_priming(shop)
    batch = batch_of(begin(shop, "epoxy-primer-grey", [part], tare="38", cup="4 l"))
    plan = state_of(shop, batch).plan
    assert plan.uses[0].part == part
    # Gates first; a component out of its turn is refused with the reason, and nothing is logged.
    assert "Stir the paint first" in do(shop, batch, "pour", line="0", how="mark").text
    do(shop, batch, "stamp", gate="base_stirred")
    refused = do(shop, batch, "pour", line="1", how="mark")
    assert (refused.status_code, "goes in first" in refused.text) == (409, True)
    assert not state_of(shop, batch).pours
    do(shop, batch, "pour", line="0", how="mark")
    hardener = plan.lines[1].ml_per_ml * plan.ready_ml
    page = do(shop, batch, "pour", line="1", how="typed", amount=f"{1.3 * hardener:.1f} ml")
    assert "went over by 30 %" in page.text
    assert title(page) == "Add more of the base"
    do(shop, batch, "pour", line="0", how="mark")
    state = state_of(shop, batch)
    base, hard = state.poured_ml()[:2]
    assert base / hard == pytest.approx(4, rel=0.001)
    assert hard == pytest.approx(1.3 * hardener, rel=0.001)
    # The reducer is locked until the induction is over, and follows what is in the cup.
    do(shop, batch, "stamp", gate="mix_stirred")
    locked = do(shop, batch, "pour", line="2", how="mark")
    assert (locked.status_code, "inducts for another 20 min" in locked.text) == (409, True)
    shop.clock.turn(minutes=21)
    do(shop, batch, "pour", line="2", how="mark")
    state = state_of(shop, batch)
    assert state.poured_ml()[2] == pytest.approx(0.1 * (base + hard), rel=0.001)
    mix_through(shop, batch)
    assert shop.log(part, "coat").status_code == 200
    coat = shop.standing(part).history.coats[0].payload
    assert coat.batch == UUID(batch)
    assert coat.volume_solids_pct == pytest.approx(state_of(shop, batch).cup.volume_solids_pct, abs=0.01)
    # The undo of the part takes its coat, never what is in the cup.
    shop.log(part, "undo")
    assert len(state_of(shop, batch).pours) == 4
    assert not shop.standing(part).history.coats


@pytest.mark.parametrize(("over", "topped_up"), [(1.4, []), (1.9, [0, 1])], ids=["under its cap", "over its cap"])
def test_a_reducer_may_stay_up_to_its_cap_and_over_it_everything_else_is_topped_up(shop, over, topped_up):
    batch = batch_of(begin(shop, "clear-two-pack", how="ready", amount="630 ml"))  # 5 % of the mixed, up to 10 %
    do(shop, batch, "stamp", gate="base_stirred")
    for line in "01":
        do(shop, batch, "pour", line=line, how="mark")
    do(shop, batch, "stamp", gate="mix_stirred")
    page = do(shop, batch, "pour", line="2", how="typed", amount=f"{30 * over * (1.2 if over > 1.5 else 1):.1f} ml")
    state = state_of(shop, batch)
    short = [n for n, t in enumerate(state.targets()) if t.missing_ml > 0.1]
    assert short == topped_up
    assert ("went over" in page.text) == bool(topped_up)
    for line in topped_up:
        do(shop, batch, "pour", line=str(line), how="mark")
    clear, hardener, reducer = state_of(shop, batch).poured_ml()
    assert clear / hardener == pytest.approx(2, rel=0.001)
    assert reducer / (clear + hardener) == pytest.approx(
        0.10 if topped_up else 0.07, rel=0.001
    )  # no more than it takes
    mix_through(shop, batch)


def test_pours_come_out_of_stock_once_and_go_back_when_taken_back(shop):
    item = "paint:clear-two-pack"
    bought = {"press": str(uuid4()), "kind": "bought", "sku": "clear-two-pack-set-1000ml", "count": "2"}
    for _ in range(2):  # the same press sent twice is one purchase
        assert shop.http.post("/stores/stock", data=bought).status_code == 303
    assert balance(shop, item) == 2000
    assert balance(shop, "supply:hardener-urethane-standard") == 1000
    batch = batch_of(begin(shop, "clear-two-pack", how="ready", amount="600 ml"))
    do(shop, batch, "stamp", gate="base_stirred")
    press = uuid4()
    for _ in range(2):
        do(shop, batch, "pour", press, line="0", how="typed", amount="400 ml")
    assert len(state_of(shop, batch).pours) == 1
    assert balance(shop, item) == 1600
    do(shop, batch, "undo", entry=str(state_of(shop, batch).pours[0].uuid))
    assert not state_of(shop, batch).pours
    assert balance(shop, item) == 2000


def test_left_over_two_pack_is_offered_until_it_gels_and_a_coat_on_another_part_takes_it(shop):
    first, second = up_to_priming(shop), up_to_priming(shop, area="0,2")
    batch = batch_of(begin(shop, "epoxy-primer-grey", [first]))
    mix_through(shop, batch)
    shop.log(first, "coat")
    assert "Two-pack does not keep" in do(shop, batch, "end", left="120 ml", goes="jar").text
    assert "At most" in do(shop, batch, "end", left="9 l", goes="waste").text
    assert do(shop, batch, "end", left="150 ml", goes="offered").status_code == 200
    page = shop.http.get("/mix").text
    assert "Left over, and still good" in page
    assert re.search(r"enough for \d of its \d coats|not enough", page)
    shop.log(second, "coat")
    assert shop.standing(second).history.coats[0].payload.batch == UUID(batch)
    with shop.workshop.read() as unit:
        learned = yields(unit)
    assert learned
    shop.clock.turn(hours=30)
    assert "Left over, and still good" not in shop.http.get("/mix").text


def test_left_over_one_pack_becomes_a_labelled_jar_and_is_used_up_first(shop):
    part = shop.new_part("one-pack-enamel", "bare_steel_sheet")
    while shop.standing(part).action.does != "coat":
        shop.do_next(part)
    batch = batch_of(begin(shop, "primer-one-pack", [part], **{f"coats_{part}": "1"}))
    mix_through(shop, batch)
    shop.log(part, "coat")
    assert do(shop, batch, "end", left="60 ml", goes="jar").status_code == 200
    assert balance(shop, f"jar:{batch}") == 60
    asked = {"product": "primer-one-pack", f"part_{part}": "1", f"coats_{part}": "1"}
    fresh = float(re.search(r'mix-total"><span class="figure">(\d+)', shop.http.get("/mix/new", params=asked).text)[1])
    again = batch_of(begin(shop, "primer-one-pack", [part], jar=batch, **{f"coats_{part}": "1"}))
    assert state_of(shop, again).plan.ready_ml == pytest.approx(fresh - 60, abs=1)
    assert balance(shop, f"jar:{batch}") == 0


BAD = {
    "a cup that is smaller than the batch": ({"how": "ready", "amount": "900 ml", "cup": "300 ml"}, "cup", "It holds 300 ml and the mix is 900 ml"),
    "nothing to mix for": ({"how": "parts"}, "parts", "Tick a part that waits for this"),
    "a bare number that could be anything": ({"how": "ready", "amount": "0.4"}, "amount", "0.4 what? Write “0.4 ml” or “0.4 l”."),
    "no amount": ({"how": "have", "amount": ""}, "amount", "Enter how much"),
    "a negative amount": ({"how": "ready", "amount": "-5 ml"}, "amount", "Enter more than 0"),
    "a percentage that is a wash": ({"how": "ready", "amount": "500 ml", "reducer_pct": "920"}, "reducer_pct", "from 0 to 900"),
    "a reducer over its cap": ({"how": "ready", "amount": "500 ml", "reducer_pct": "30"}, "reducer_pct", "up to 10 %"),
    "all of the ready mix": ({"how": "ready", "amount": "500 ml", "reducer_pct": "100", "reducer_of": "ready", "reason": "to see"}, "", "nothing is left for the paint"),
    "a dose over its cap": ({"how": "ready", "amount": "500 ml", "dose.accelerator-urethane": "9 capfuls"}, "dose.accelerator-urethane", "at most 30 ml"),
    "a dose in words": ({"how": "ready", "amount": "500 ml", "dose.accelerator-urethane": "a glug"}, "dose.accelerator-urethane", "such as 10 ml or 2 capfuls"),
    "a tin that is not there": ({"how": "tins", "sku": "a-barrel"}, "sku", "Choose a tin of this product"),
    "a fill that loses all of itself": ({"how": "ready", "amount": "500 ml", "reservoir": "20 ml", "loss": "25 ml"}, "loss", "less than the gun"),
    "a basis that nobody knows": ({"how": "ready", "amount": "500 ml", "reducer_of": "hardener"}, "reducer_of", "Choose from the list"),
}  # fmt: skip


@pytest.mark.parametrize("name", BAD)
def test_a_batch_that_cannot_be_is_refused_at_its_field_and_keeps_what_was_typed(shop, name):
    fields, field, says = BAD[name]
    answer = begin(shop, "clear-two-pack", **fields)
    assert answer.status_code == 422
    assert says in answer.text
    for kept_name in fields.keys() - {"how", "sku", "reducer_of"}:
        assert re.search(rf'name="{re.escape(kept_name)}"[^>]* value="{re.escape(fields[kept_name])}"', answer.text)
    assert (f'id="n-{field}"' in answer.text) is (field not in ("", "parts"))
    with shop.workshop.read() as unit:
        assert not kept.balances(unit.session)
    assert "In the pot" not in shop.http.get("/mix").text


def test_it_is_worked_out_from_whatever_is_left_and_from_whole_tins(shop):
    def total(**fields):
        page = shop.http.get("/mix/new", params={"product": "clear-two-pack", "reducer_pct": "0", **fields}).text
        return float(re.search(r'mix-total"><span class="figure">(\d+)', page)[1])

    assert total(how="have", have_of="0", amount="380 ml") == 570  # 2 : 1
    assert total(how="have", have_of="1", amount="105 g") == 300  # 100 ml of hardener
    assert total(how="mixed", amount="600") == 600
    assert total(how="tins", sku="clear-two-pack-set-1000ml", tins="2") == 3000
    assert total(how="have", have_of="0", amount="1 qt") == pytest.approx(946.35 * 1.5, abs=1)


def test_a_batch_that_gels_before_its_coats_are_on_is_warned_about_before_it_is_mixed(shop):
    part = up_to_priming(shop)
    asked = {"product": "epoxy-primer-grey", f"part_{part}": "1", f"coats_{part}": "1"}
    gels = r"this mix gels at (\w+) [\d:]+, and the last of these coats is on at (\w+) [\d:]+\. (Mix[^<]*)\."
    morning = shop.http.get("/mix/new", params=asked).text
    assert "Gels, mixed now" in morning
    assert not re.search(gels, morning)
    shop.clock.at = T0 + timedelta(hours=7, minutes=55)  # five minutes before the shop closes
    today, on, advice = re.search(gels, shop.http.get("/mix/new", params=asked).text).groups()
    assert today != on
    assert advice == "Mix it later, just before the coat"


def test_the_scale_is_read_with_the_tare_and_streams_what_it_shows(shop):
    batch = batch_of(begin(shop, "clear-two-pack", how="ready", amount="300 ml", tare="40", reducer_pct="0"))
    do(shop, batch, "stamp", gate="base_stirred")
    shop.http.post("/scale", data={"grams": "40", "how": "put"})
    shop.clock.turn(seconds=20)
    empty = do(shop, batch, "pour", line="0", how="scale")
    assert (empty.status_code, "no more than before" in empty.text) == (422, True)
    shop.http.post("/scale", data={"grams": "236", "how": "pour"})
    shop.clock.turn(seconds=1)
    assert '"steady": false' in shop.http.get("/scale/stream?readings=1").text
    shop.clock.turn(seconds=30)
    shown = shop.http.get("/scale/stream?readings=2")
    assert shown.headers["content-type"].startswith("text/event-stream")
    assert shown.text.count('"steady": true') == 2
    do(shop, batch, "pour", line="0", how="scale", by="scale")
    assert state_of(shop, batch).poured_ml()[0] == pytest.approx(196 / 0.98, rel=0.01)


def test_the_take_off_is_what_the_steps_take_and_a_count_or_a_missing_size_moves_it(shop):
    part = up_to_priming(shop)
    rows = list(csv.DictReader(io.StringIO(shop.http.get("/stores/takeoff.csv").text)))
    need = {r["name"]: float(r["need_ml"]) for r in rows if r["kind"] == "component"}
    layers = sum(float(r["need_ml"]) for r in rows if r["kind"] == "layer")
    assert sum(need.values()) == pytest.approx(layers, rel=0.001)
    coats = [p.step for p in shop.standing(part).rows if p.step.kind == "coat"]
    book = sum(1.4 * s.coat.wet_film_um / 0.65 for s in coats)
    assert layers == pytest.approx(book, rel=0.12)  # and the loss of the fills
    assert layers > book
    buy = {r["name"]: r for r in rows if r["kind"] == "buy"}
    assert any("Two-pack clear" in name for name in buy)
    clear = next(r for r in rows if r["kind"] == "component" and r["name"].startswith("Two-pack clear"))
    counted = {"press": str(uuid4()), "kind": "counted", "item": "paint:clear-two-pack", "amount": "5 l"}
    assert shop.http.post("/stores/stock", data=counted).status_code == 303
    after = list(csv.DictReader(io.StringIO(shop.http.get("/stores/takeoff.csv").text)))
    again = next(r for r in after if r["name"] == clear["name"])
    assert float(again["left_ml"]) == pytest.approx(5000 - float(clear["need_ml"]), abs=0.2)
    assert not any("Two-pack clear" in r["name"] for r in after if r["kind"] == "buy")
    gone = next(r["name"] for r in after if r["kind"] == "buy")
    sku = next(o.sku for o in shop.workshop.catalogue.packs.values() if o.name == gone)
    assert (
        shop.http.post("/stores/sizes", data={"sku": sku, "price": "9.99"}).status_code == 303
    )  # not ticked: not to be had
    assert gone not in shop.http.get("/stores/takeoff.csv").text
    assert shop.http.post("/stores/sizes", data={"sku": sku, "price": "ten", "to_be_had": "1"}).status_code == 422


def test_more_cannot_be_used_than_there_is_and_a_price_is_money(shop):
    use = {"press": str(uuid4()), "kind": "used", "item": "paint:clear-two-pack", "amount": "5 ml"}
    answer = shop.http.post("/stores/stock", data=use)
    assert (answer.status_code, "0 ml are in stock" in answer.text) == (422, True)
    part = shop.new_part()
    project = str(shop.standing(part).part.project_uuid)
    money = {"project": project, "price": "640,50", "hire": "40", "saved": "2", "goodwill": "1"}
    assert shop.http.post("/stores/cost", data=money).status_code == 303
    page = shop.http.get("/stores/cost").text
    assert "640.50" in page
    assert "pays by 44.00" in page  # two hours at 42, less 40
    wrong = shop.http.post("/stores/cost", data={**money, "price": "-3"})
    assert (wrong.status_code, 'value="-3"' in wrong.text, "amount of money" in wrong.text) == (422, True, True)


def test_moving_a_part_to_another_session_changes_the_cans(shop):
    shop.new_part("aerosol-enamel", "bare_steel_sheet", area="2,4")
    page = shop.http.get("/stores/cans").text
    day = re.search(r'name="day"><option value="([\d-]+)"', page)[1]
    part = re.search(r'name="part"><option value="([0-9a-f-]+)"', page)[1]
    moved = shop.http.get("/stores/cans", params={"part": part, "day": day, "to": "2026-08-01"}).text
    assert re.search(r"With it moved: <b>\d+ cans", moved)
    assert "Sat 1 Aug" in moved
    assert shop.http.get("/stores/cans", params={"part": part, "day": "soon", "to": day}).status_code == 422


def test_a_film_that_needs_more_paint_than_there_was_is_asked_back_and_a_batch_is_left_out_of_the_yields(shop):
    part = up_to_priming(shop)
    batch = batch_of(begin(shop, "epoxy-primer-grey", [part], cup="4 l"))
    mix_through(shop, batch)
    assert shop.log(part, "coat").status_code == 200
    ready = state_of(shop, batch).cup.ready_ml
    doubted = do(shop, batch, "end", left=f"{ready - 20:.0f} ml", goes="waste")
    assert (doubted.status_code, "that is not enough" in doubted.text) == (422, True)
    assert 'name="sure" value="1"' in doubted.text
    assert state_of(shop, batch).ended is None
    with shop.workshop.read() as unit:
        assert yields(unit) == {}
    assert do(shop, batch, "end", left=f"{ready - 20:.0f} ml", goes="waste", sure="1").status_code == 200
    assert "left out of the shop's yields" in shop.http.get(f"/mix/{batch}").text
    with shop.workshop.read() as unit:
        assert yields(unit) == {}
    do(shop, batch, "undo", entry=str(state_of(shop, batch).end_entry))
    assert do(shop, batch, "end", left="20 ml", goes="waste").status_code == 200
    with shop.workshop.read() as unit:
        assert yields(unit)
    assert do(shop, batch, "leave-out").status_code == 200
    with shop.workshop.read() as unit:
        assert yields(unit) == {}
    other = batch_of(begin(shop, "epoxy-primer-grey", [part], cup="4 l"))
    assert do(shop, other, "leave-out").status_code == 409


def test_a_note_about_a_batch_stands_with_it_and_with_its_parts_and_moves_nothing(shop):
    part = shop.new_part()
    batch = batch_of(begin(shop, "epoxy-primer-grey", [part]))
    before = state_of(shop, batch)
    press = str(uuid4())
    for _ in range(2):
        assert do(shop, batch, "note", press=press, text="The base had settled hard").status_code == 200
    state = state_of(shop, batch)
    assert [text for _, text, _ in state.notes] == ["The base had settled hard"]
    assert (state.pours, state.stamps, state.ended) == (before.pours, before.stamps, before.ended)
    assert "The base had settled hard" in shop.http.get(f"/mix/{batch}").text
    assert "The base had settled hard" in shop.http.get(f"/parts/{part}").text
    assert do(shop, batch, "note", text=" ").status_code == 422
    shop.log(part, "undo")
    assert not state_of(shop, batch).notes

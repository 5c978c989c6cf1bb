"""A system of one's own, whole: made in the builder, kept for the shop, worked by on a part, changed meanwhile."""

import re

from tests.app.test_build_journeys import change, on_part, split
from tests.app.test_presses import is_asked, press

from cool_sheen.core.coatings.systems import named_tasks
from cool_sheen.formats.catalogue import shipped
from cool_sheen.service.confirmations import offer_of
from cool_sheen.service.shelf_now import shelf_now


def task(shop, address, do, spot, **fields):
    return change(
        shop, address, "task", do=do, spot=spot, **{f"task_{k}" if k != "task" else k: v for k, v in fields.items()}
    )


def kinds(shop, part, stage="prepare"):
    system = on_part(shop, part).system
    return [t.kind for t in getattr(system, stage)]


def blank(shop, name="Tailstock, my way", product="primer-one-pack"):
    answer = shop.http.post("/systems/new", data={"system_name": name, "product": product, "from": ""})
    assert answer.status_code == 303, answer.text
    return answer.headers["location"]


def test_a_system_is_made_from_nothing_and_every_step_of_it_is_ones_own(shop):
    address = blank(shop)
    for fields in (
        {"kind": "wash"}, {"kind": "degrease"}, {"kind": "sand", "grit": "p 180"},
        {"kind": "wait", "wait": "2 h", "words": "the wash water leaves"}, {"kind": "own", "words": "plug the threads"},
        {"kind": "mask"}, {"kind": "tack"},
    ):  # fmt: skip
        answer = task(shop, address, "add", "prepare", **fields)
        assert answer.status_code == 200, answer.text
    assert change(shop, address, "add", product="enamel-one-pack").status_code == 200
    first = "then:primer-1"
    for fields in (
        {"kind": "sand", "grit": "P320"},
        {"kind": "sand", "grit": "P600"},
        {"kind": "wipe"},
        {"kind": "inspect"},
    ):
        assert task(shop, address, "add", first, **fields).status_code == 200
    told = {"task": "inspect-1", "holds": "1", "words": "no pinholes"}
    assert task(shop, address, "keep", first, **told).status_code == 200
    assert task(shop, address, "up", first, task="inspect-1").status_code == 200
    assert task(shop, address, "add", "between:single-stage-1", kind="degloss").status_code == 200
    assert (
        task(shop, address, "add", "prepare", kind="wipe").status_code == 200
    )  # before the tack-off, which stays last
    for kind in ("inspect", "unmask", "assemble"):
        assert task(shop, address, "add", "finish", kind=kind).status_code == 200
    page = shop.http.get(f"{address}?layer=primer-1").text
    for words in (
        "Wait 2 h: the wash water leaves",
        "plug the threads",
        "no pinholes; nothing follows before it has passed",
    ):
        assert words in page
    with shop.workshop.read() as unit:
        system = shelf_now(unit).systems[address.rsplit("/", 1)[1]]
    assert [t.kind for t in system.prepare][-3:] == ["mask", "wipe", "tack"]
    assert [t.grit or t.kind for t in system.layers[0].then] == ["P320", "P600", "inspect", "wipe"]
    assert system.layers[0].then[1].removal_um == 16.2  # the scratches of P320
    part = shop.new_part(system.key)
    shop.standing(part)
    done = []
    while not done or done[-1]:
        done.append(shop.do_next(part))
        assert len(done) < 60
    assert [d for d in done if d][:6] == ["wash", "degrease", "sand", "own", "mask", "wipe"]
    assert {"inspect", "degloss", "unmask", "assemble", "own"} <= set(done)
    assert "plug the threads" in shop.http.get(f"/parts/{part}").text


def test_what_the_order_spoils_is_refused_or_taken_with_a_reason_that_stays(shop):
    address = blank(shop)
    assert task(shop, address, "add", "prepare", kind="sand", grit="P180").status_code == 200
    refused = task(shop, address, "add", "prepare", kind="degrease")
    assert refused.status_code == 409
    assert "Sanding drives grease" in refused.text
    assert 'name="order_reason"' in refused.text
    short = change(shop, address, "task", do="add", spot="prepare", task_kind="degrease", order_reason="x")
    assert "Write why it is done all the same" in short.text
    taken = change(
        shop, address, "task", do="add", spot="prepare", task_kind="degrease", order_reason="grease came after"
    )
    assert taken.status_code == 200
    assert "grease came after" in taken.text
    assert "Put them the right way round" in taken.text
    place = re.search(r'name="at_place" value="(prepare: sand before degrease)"', taken.text)[1]
    right = change(shop, address, "way", rule="order-degrease-first", at_place=place, way="order")
    assert right.text.index("Degrease</b>") < right.text.index("Sand P180</b>")


def test_no_step_goes_without_a_word(shop):
    part = shop.new_part("two-stage-epoxy")
    address = f"/parts/{part}/system"
    assert task(shop, address, "add", "then:build", kind="inspect").status_code == 200
    gone = change(shop, address, "remove", layer="build")
    assert "What went with it: Sand P320; Sand P500; Wipe down; Tack off; Inspect under a low lamp." in gone.text
    assert change(shop, address, "undo").status_code == 200
    assert task(shop, address, "add", "then:colour", kind="inspect").status_code == 200
    school = next(s for s in shipped().schools if s.sides[1].change == "day-key-clear")
    for side in (school.sides[1], school.sides[0]):
        assert change(shop, address, "side", school=school.key, side=side.key).status_code == 200
        assert "inspect" in [t.kind for t in on_part(shop, part).system.layer("colour").then]


def test_a_parts_system_is_kept_for_the_shop_and_taken_for_another_part(shop):
    part = shop.new_part("one-pack-enamel")
    assert split(shop, part, name="Left lug", kind="edge").status_code == 303
    address = f"/parts/{part}/system"
    assert task(shop, address, "add", "prepare", kind="inspect", where="zone:Left lug").status_code == 200
    assert "Enter a name" in change(shop, address, "keep_as", keep_name=" ").text
    kept = change(shop, address, "keep_as", keep_name="Lugs, ours")
    key = re.search(r'href="/systems/(lugs-ours)"', kept.text)[1]
    with shop.workshop.read() as unit:
        system = shelf_now(unit).systems[key]
    assert (system.name, system.prepare[-1].where) == ("Lugs, ours", "edge")
    other = shop.new_part(key)
    assert "inspect" in kinds(shop, other)
    assert not [s for s in shop.standing(other).owed.steps if s.kind == "inspect"]  # this part has no edges


def test_work_past_what_holds_it_is_asked_back_once_and_remembered(shop):
    part = shop.new_part("one-pack-enamel")
    address = f"/parts/{part}/system"
    for name, t in reversed(named_tasks("prepare", on_part(shop, part).system.prepare)):
        if t.kind != "wash":
            task(shop, address, "remove", "prepare", task=name)
    assert (
        task(shop, address, "add", "prepare", kind="wait", wait="3 h", words="water out of the seams").status_code
        == 200
    )
    assert task(shop, address, "add", "prepare", kind="inspect", holds="1").status_code == 200
    assert shop.do_next(part) == "wash"
    waits = shop.standing(part).action
    assert (waits.does, waits.alarm) == ("", "wait")
    bench = shop.http.get("/").text
    assert "Wait 3 h: water out of the seams" in bench
    assert shop.http.get("/alarms").json()
    early = press(shop, part, "coat", offer=offer_of(shop.standing(part)))
    assert is_asked(early)
    assert "Wait 3 h: water out of the seams, until" in early.text
    assert "Inspect under a low lamp holds what follows" in early.text
    shop.clock.turn(hours=4)
    assert shop.standing(part).action.does == "inspect"
    assert shop.log(part, "step", kind="inspect", passed="no").status_code == 200
    assert shop.standing(part).action.does == "inspect"  # it stays owed
    assert "not passed" in shop.http.get(f"/parts/{part}").text
    shop.clock.turn(minutes=1)
    assert is_asked(press(shop, part, "coat"))
    assert not is_asked(press(shop, part, "coat", sure="holds"))
    assert "Inspect under a low lamp holds what follows" in shop.http.get(f"/parts/{part}").text
    assert [r.step.kind for r in shop.standing(part).owed.passed_over()] == ["inspect"]


def test_absurd_steps_get_their_sentence_and_keep_what_was_typed(shop):
    address = blank(shop)
    for fields, says in (
        ({"kind": "sand"}, "Enter the grit"), ({"kind": "sand", "grit": "P9"}, "is no grit"),
        ({"kind": "wait", "words": "so"}, "Enter how long"), ({"kind": "wait", "wait": "soon", "words": "so"}, "is no time"),
        ({"kind": "wait", "wait": "90 days", "words": "so"}, "up to 42 days"), ({"kind": "own"}, "Enter what is done"),
        ({"kind": "bake"}, "Choose a step"), ({"kind": "wait", "wait": "1 h"}, "Enter why it waits"),
        ({"kind": "mask", "where": "the moon"}, "Choose from the list where"),
    ):  # fmt: skip
        answer = task(shop, address, "add", "prepare", **fields)
        assert 400 <= answer.status_code < 500, fields
        assert says in answer.text, fields
        assert "_" not in re.sub(r"<[^>]*>", "", answer.text)
    assert task(shop, address, "keep", "prepare", task="wash-9").status_code == 409
    assert task(shop, address, "add", "then:nowhere", kind="wipe").status_code == 409
    assert shop.http.post("/systems/new", data={"system_name": "", "product": "", "from": "x"}).status_code == 422
    taken = shop.http.post(
        "/systems/new", data={"system_name": "Tailstock, my way", "product": "", "from": "one-pack-enamel"}
    )
    assert taken.headers["location"] == "/systems/tailstock-my-way-2"

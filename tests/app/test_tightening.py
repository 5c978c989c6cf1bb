"""Tightening the plan over HTTP: begun, watched, stopped, interrupted, taken; and never two at a time."""

import json
import time
from uuid import UUID, uuid4

import pytest
from sqlalchemy import select
from tests.app.test_the_plan import another_part, plan_of, press_plan
from tests.support import T0, ShopOnTrial

from cool_sheen.service import tightening
from cool_sheen.service.kept_plans import followed
from cool_sheen.store.models import TighteningRow

ENDS_S = 60.0


@pytest.fixture
def shop(tmp_path, monkeypatch):
    monkeypatch.setattr(tightening, "LEAST_S", 2.5)
    monkeypatch.setattr(tightening, "A_STEP_S", 0.0)
    monkeypatch.setattr(tightening, "_KEEP_EVERY_S", 0.0)
    shop = ShopOnTrial(tmp_path)
    yield shop
    tightening.end_all(shop.workshop)


def with_a_plan(shop: ShopOnTrial) -> None:
    shop.new_part()
    for n in range(3):
        another_part(shop, f"Bracket {n}", "one-pack-enamel")
    another_part(shop, "Hood", "cabinet-waterborne", substrate="bare_timber")
    assert press_plan(shop).status_code == 303


def found(shop: ShopOnTrial):
    with shop.workshop.read() as unit:
        return tightening.newest(unit, followed(unit).uuid)


def until(shop: ShopOnTrial, is_so) -> None:
    begun = time.monotonic()
    while not is_so():
        assert time.monotonic() - begun < ENDS_S, "it does not come to its end"
        time.sleep(0.05)


def test_a_search_tells_how_far_it_is_ends_and_what_it_found_is_taken_and_stays(shop, monkeypatch):
    monkeypatch.setattr(tightening, "LEAST_S", 8.0)  # a busy machine gets a few tries done in that, too
    assert shop.http.post("/plan/tighten").status_code == 409
    with_a_plan(shop)
    was = plan_of(shop)[0].said
    assert "Tighten" in shop.http.get("/plan").text
    assert shop.http.post("/plan/tighten").status_code == 303
    assert shop.http.post("/plan/tighten").status_code == 409  # one at a time
    assert "Stop, and keep the best so far" in shop.http.get("/plan").text
    events = shop.http.get("/plan/tighten/stream").text  # until it is over
    lines = [json.loads(line[6:]) for line in events.splitlines() if line.startswith('data: {"')]
    assert events.endswith("event: over\ndata: {}\n\n")
    assert [line["share"] for line in lines] == sorted(line["share"] for line in lines)
    until(shop, lambda: found(shop).state == tightening.DONE)
    best = found(shop)
    assert best.told["tries"] > 2
    assert best.told["bound"] <= best.told["best"] <= best.told["first"]
    page = shop.http.get("/plan/tighten").text
    assert f"{best.told['tries']} plans tried" in page
    assert best.is_better
    assert (best.said.ends, best.said.keyings) <= (was.ends, was.keyings)
    assert plan_of(shop)[0].said == was  # nothing is taken by itself
    assert shop.http.post("/plan/tighten/take", data={"search": str(uuid4())}).status_code == 409
    assert shop.http.post("/plan/tighten/take", data={"search": str(best.uuid)}).status_code == 303
    plan, stands = plan_of(shop)
    assert plan.said.lines == best.said.lines
    assert stands.holds
    assert plan.name.endswith("tightened")
    assert found(shop) is None  # it was for the plan before
    assert shop.http.post("/plan/again").status_code == 303
    assert plan_of(shop)[0].said.ends == best.said.ends  # planned anew, it does as was found


def test_a_search_is_stopped_with_its_best_kept(shop, monkeypatch):
    monkeypatch.setattr(tightening, "LEAST_S", 100.0)
    assert shop.http.post("/plan/tighten/stop").status_code == 409
    with_a_plan(shop)
    shop.http.post("/plan/tighten")
    until(shop, lambda: found(shop).told.get("tries", 0) > 2)
    assert shop.http.post("/plan/tighten/stop").status_code == 303
    until(shop, lambda: "plan" not in shop.workshop.searches)
    stopped = found(shop)
    assert stopped.state == tightening.STOPPED
    assert "Stopped, best kept." in shop.http.get("/plan").text
    assert stopped.told["spent"] < 60


def test_what_a_program_that_ended_had_found_is_interrupted_and_kept(shop):
    with_a_plan(shop)
    plan = plan_of(shop)[0]
    told = {"tries": 7, "first": plan.said.ends.isoformat(), "best": plan.said.ends.isoformat(), "better": True,
            "bound": T0.isoformat(), "gap": 0.2}  # fmt: skip
    with shop.workshop.write() as unit:
        unit.session.add(TighteningRow(
            uuid=UUID(int=5), plan_uuid=plan.uuid, begun_at=T0, state=tightening.AT_WORK,
            asked=plan.asked.model_dump(mode="json"), told=told, said=plan.said.model_dump(mode="json"),
        ))  # fmt: skip
    page = shop.http.get("/plan").text
    assert "Interrupted, best kept." in page
    assert "20.0 % longer" in page
    assert shop.http.post("/plan/tighten/take", data={"search": str(UUID(int=5))}).status_code == 303
    assert shop.http.post("/plan/tighten").status_code == 303  # and another one can be begun


def test_a_search_that_breaks_says_so_and_the_next_one_is_free_to_begin(shop, monkeypatch):
    with_a_plan(shop)
    monkeypatch.setattr("cool_sheen.service.apart.json.dumps", lambda _: "{}")  # it is told nothing that it understands
    shop.http.post("/plan/tighten")
    until(shop, lambda: "plan" not in shop.workshop.searches)
    assert found(shop).state == tightening.FAILED
    assert "ended by itself" in shop.http.get("/plan").text
    monkeypatch.undo()
    with shop.workshop.read() as unit:
        assert len(unit.session.scalars(select(TighteningRow)).all()) == 1
    assert shop.http.post("/plan/tighten").status_code == 303

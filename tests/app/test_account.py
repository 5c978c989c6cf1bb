"""What one screen says of a part, every other screen says too; and what is kept of the log can be made again from it."""

import re
import threading
from datetime import timedelta
from html import unescape
from uuid import UUID, uuid4

import pytest
from sqlalchemy import select
from tests.app.test_build_journeys import split, zones_of
from tests.app.test_mixing_journeys import batch_of, begin, do, mix_through, up_to_priming
from tests.app.test_shelf_journeys import product_form
from tests.scale.shop import opened, worked
from tests.support import ShopOnTrial

from cool_sheen.core.work.steps import CoatStep
from cool_sheen.demo.years import Years, lay_years
from cool_sheen.service import ahead, work
from cool_sheen.service import part_now as part_now_module
from cool_sheen.service.part_now import live_parts, part_now
from cool_sheen.service.projections import rebuild
from cool_sheen.service.shelf import take_newer
from cool_sheen.store.models import BatchStatus, LessonRow, LogEntry, PartStatus
from cool_sheen.web.pages.bench import ready_board


def shown(page: str) -> str:
    """The words of a page."""
    return re.sub(r"\s+", " ", unescape(re.sub(r"<[^>]+>", " ", page)))


def kept(shop):
    """All that is kept of the log, but for the numbers of its rows."""
    with shop.workshop.read() as unit:
        out = {}
        for table in (PartStatus, LessonRow, BatchStatus):
            names = [c.name for c in table.__table__.columns if c.name not in ("id", "state", "finished_at")]
            rows = unit.session.scalars(select(table))
            out[table.__tablename__] = sorted([str(getattr(r, n)) for n in names] for r in rows)
        return out


def test_bench_jobs_mix_stores_weather_and_the_part_name_the_same_next_step(tmp_path):
    shop = ShopOnTrial(tmp_path, demo=True)
    bench, jobs = shown(shop.http.get("/").text), shown(shop.http.get("/jobs").text)
    mix, weather = shop.http.get("/mix").text, {}
    with shop.workshop.read() as unit:
        parts = live_parts(unit)
        assert len(parts) == 15
        for found in parts:
            action, plan = found.action, found.rest
            assert (action.step.id if action.step else None) == (plan.steps[0].step.id if plan.steps else None)
            assert action.says in bench
            assert f"{found.part.name}" in jobs
            page = shop.http.get(f"/parts/{found.part.uuid}").text
            if plan.steps:
                assert f"<b>{plan.steps[0].step.label}</b>" in unescape(page)
            coat = next((p.step for p in plan.steps if isinstance(p.step, CoatStep)), None)
            owed = [row for row in found.rows if isinstance(row.step, CoatStep) and row.owed]
            if coat is None or found.products[coat.layer.product].aerosol:
                continue
            assert found.next_coat().id in {row.step.id for row in owed} | {coat.id}
            assert f"product={coat.layer.product}&amp;part_{found.part.uuid}" in page
            assert found.products[coat.layer.product].name in unescape(mix)
            address = f"/weather?space={found.space.uuid}"
            weather.setdefault(address, shown(shop.http.get(address).text))
            assert coat.label in weather[address]


def test_what_is_kept_can_be_dropped_and_is_the_same_again(tmp_path):
    shop = ShopOnTrial(tmp_path, demo=True)
    before = kept(shop)
    assert all(before.values())
    with shop.workshop.write() as unit:
        assert rebuild(unit) == 15
    assert kept(shop) == before


def test_a_batch_that_was_ended_is_ended_on_every_screen_at_once(shop):
    part = up_to_priming(shop)
    batch = batch_of(begin(shop, "epoxy-primer-grey", [part], tare="38", cup="1 l"))
    mix_through(shop, batch)
    assert batch in shop.http.get("/mix").text
    assert batch in shop.http.get("/").text
    assert do(shop, batch, "end", left="20 ml", goes="waste").status_code == 200
    with shop.workshop.read() as unit:
        row = unit.session.scalar(select(BatchStatus))
        assert (row.ended_at is not None, row.goes) == (True, "waste")
    assert batch not in shop.http.get("/").text


def test_what_was_passed_over_asks_on_the_bench_and_can_be_said_to_be_done_or_left_out(shop):
    part = shop.new_part("single-stage-epoxy")
    shop.clock.turn(hours=1)
    assert shop.log(part, "coat").status_code == 200
    rows = shop.standing(part).owed.passed_over()
    ids = [row.step.id for row in rows]
    assert len(ids) > 3
    assert f"Not done: {rows[0].step.label}" in shown(shop.http.get("/").text)
    press = uuid4()
    for _ in range(2):  # the same press, twice
        assert shop.log(part, "passed", press, **{f"step_{ids[0]}": "1"}).status_code == 200
    shop.clock.turn(minutes=1)
    for verb in ("skip", "passed"):
        nothing = shop.log(part, verb, reason="none of it")
        assert (nothing.status_code, "No step is ticked" in nothing.text) == (422, True)
    without = shop.log(part, "skip", **{f"step_{i}": "1" for i in ids[1:]})
    assert "why it is not done" in without.text
    assert [row.step.id for row in shop.standing(part).owed.passed_over()] == ids[1:]
    left_out = {f"step_{i}": "1" for i in ids[1:]}
    assert shop.log(part, "skip", reason="it came clean from the blaster", **left_out).status_code == 200
    assert shop.standing(part).owed.passed_over() == []
    assert "Not done:" not in shown(shop.http.get("/").text)
    log = shown(shop.http.get(f"/parts/{part}").text)
    assert "it came clean from the blaster" in log
    again = shop.log(part, "skip", reason="it came clean from the blaster", **left_out)
    assert again.status_code == 409
    with shop.workshop.read() as unit:
        skips = list(unit.session.scalars(select(LogEntry).where(LogEntry.kind == "skip")))
    assert len(skips) == 1
    undone = shop.http.post(f"/parts/{part}/undo", data={"press": str(uuid4()), "entry": str(skips[0].uuid)})
    assert undone.status_code in (200, 303)
    assert [row.step.id for row in shop.standing(part).owed.passed_over()] == ids[1:]


@pytest.mark.parametrize("looked_at_first", ["old", "new"])
def test_two_parts_on_two_revisions_of_a_sheet_each_go_by_their_own_until_the_new_data_are_taken(shop, looked_at_first):
    def flash_minutes(name):
        found = shop.standing(parts[name])
        return round((found.top.bands["flash"].likely - found.history.coats[0].ended_at).total_seconds() / 60, 1)

    parts = {"old": shop.new_part("single-stage-epoxy")}
    form = product_form(shop, "epoxy-primer-grey")
    field = next(name for name, value in form.items() if "flash" in str(value) and "name" in name)
    minutes = field.replace("name", "ref_minutes")
    assert minutes in form, sorted(form)
    form[minutes] = str(2 * float(form[minutes].removesuffix(" min")))
    assert shop.http.post("/shelf/epoxy-primer-grey/edit", data=form).status_code == 303
    parts["new"] = shop.new_part("single-stage-epoxy")
    for part in parts.values():
        assert shop.log(part, "coat").status_code == 200
    other = "new" if looked_at_first == "old" else "old"
    first = flash_minutes(looked_at_first)
    both = {looked_at_first: first, other: flash_minutes(other)}
    assert both["new"] == pytest.approx(2 * both["old"], rel=0.02)
    with shop.workshop.write() as unit:
        take_newer(unit, part_now(unit, parts["old"]).row, ["epoxy-primer-grey"], uuid4())
    assert flash_minutes("old") == both["old"]  # the coat that is on keeps its own data
    shop.clock.turn(hours=30)
    assert shop.log(parts["old"], "coat").status_code == 200
    coat = shop.standing(parts["old"]).history.coats[-1]
    assert coat.payload.coating != shop.standing(parts["old"]).history.coats[0].payload.coating


def test_what_a_unit_of_work_worked_out_is_gone_when_it_is_undone(shop):
    part = shop.new_part("single-stage-epoxy")
    before = shop.standing(part).action.says

    def goes_wrong():
        with shop.workshop.write() as unit:
            found = part_now(unit, part)
            work.step_done(unit, found, uuid4(), work.StepSaid(kind=found.action.does), unit.now)
            assert part_now(unit, part).action.says != before
            raise InterruptedError

    with pytest.raises(InterruptedError):
        goes_wrong()
    assert shop.standing(part).action.says == before
    shop.log(part, "coat")
    assert shop.standing(part).history.coats


def test_a_shop_of_some_years_serves_its_live_parts_and_not_what_it_has_done(tmp_path):
    scale = opened(tmp_path / "years.sqlite3", lambda unit: lay_years(unit, Years(12, 4_000, live=6)))
    worked(scale, 12)
    report = scale.report()
    with scale.workshop.read() as unit:
        live = live_parts(unit)
        assert len(live) == 6
        assert unit.session.query(PartStatus).count() == 96
    assert report["bench"]["n"] >= 12
    assert report["press"]["n"] == 2


@pytest.mark.parametrize(
    ("minutes", "says"),
    [
        (-5, r"Rim closes first: \d\d:\d\d"),
        (5, ""),
    ],
)
def test_what_closes_first_is_said_until_it_has_closed(shop, minutes, says):
    part = shop.new_part("two-stage-epoxy")
    assert split(shop, part, name="Rim").status_code == 303
    while shop.standing(part).action.does != "coat":
        shop.do_next(part)
    rim = zones_of(shop, part)["Rim"].uuid
    assert shop.log(part, "coat", **{f"zone_{rim}": "1"}).status_code == 200
    top = next(film.top for film in shop.standing(part).situation.films if film.top)
    shop.clock.at = top.closes.likely + timedelta(minutes=minutes)
    found = re.findall(r"Rim closes first: .{40}", shown(shop.http.get("/").text))
    assert len(found) == (1 if says else 0)
    assert all(re.match(says, words) for words in found)


def test_a_part_that_was_only_prepared_and_left_for_half_a_year_goes_on_where_it_was(shop):
    part = shop.new_part("one-pack-enamel")
    first = shop.standing(part).action.step
    shop.log(part, "step", kind=first.kind, step=first.id)
    shop.clock.turn(days=170)
    found = shop.standing(part)
    assert found.action.step.id == found.ahead()[0].id != first.id
    assert found.action.says in shown(shop.http.get("/").text)
    assert found.action.says in shown(shop.http.get(f"/parts/{part}").text)


def test_a_job_that_was_left_for_half_a_year_between_two_coats_asks_for_its_key_and_has_a_plan(shop):
    part = up_to_priming(shop)
    assert shop.log(part, "coat").status_code == 200
    shop.clock.turn(days=170)
    found = shop.standing(part)
    assert (found.action.state, found.action.does) == ("key", "sand")
    assert found.rest.stuck == ""
    assert {p.step.id for p in found.rest.steps} >= {step.id for step in found.ahead()}
    assert "Sand P320 to key" in shown(shop.http.get("/").text)


def held_back(shop, monkeypatch):
    """A worker that has started, but for its thread."""
    worker = ahead.Worker(shop.workshop, lambda unit, _: ready_board(unit, shop.http.app.state.pages))
    monkeypatch.setattr(worker, "_thread", threading.Thread(target=lambda: None))
    worker.start()
    return worker


def test_a_bench_of_many_parts_says_what_the_log_says_until_its_clocks_are_worked_out(tmp_path, monkeypatch):
    monkeypatch.setattr(ahead, "FEW", 14)
    shop = ShopOnTrial(tmp_path, demo=True)
    whole = shown(shop.http.get("/bench/lanes").text)
    worker = held_back(shop, monkeypatch)
    page = shop.http.get("/").text
    early = shown(page)
    assert "the clocks are being worked out, 0 of 15 so far" in early
    assert 'hx-trigger="every 700ms"' in page
    assert page.count("its clock is being worked out") == 15
    with shop.workshop.read() as unit:
        for found in live_parts(unit):
            assert f'id="lane-{found.part.uuid}"' in page
            assert found.part.name in early
            assert found.ahead()[0].label in early if found.ahead() else True
    worker._look_at_lanes()
    assert shop.workshop.first_look is None
    assert shown(shop.http.get("/bench/lanes").text) == whole
    worker.stop()


def test_the_lanes_of_a_small_shop_are_ready_before_its_first_page(tmp_path, monkeypatch):
    shop = ShopOnTrial(tmp_path, demo=True)
    held_back(shop, monkeypatch)
    assert shop.workshop.first_look is None
    assert "worked out" not in shown(shop.http.get("/").text)


def test_who_changed_the_air_of_a_space_waits_for_its_parts_and_the_rest_follows(tmp_path, monkeypatch):
    shop = ShopOnTrial(tmp_path, demo=True)
    made, told, real = [], [], part_now_module.last_starts
    monkeypatch.setattr(part_now_module, "last_starts", lambda s: made.append(s.climate.space) or real(s))
    page = shop.http.get("/weather").text
    space = UUID(re.search(r'<option value="([0-9a-f-]{36})"[^>]*>\s*Garage bay', page)[1])
    made.clear()
    reading = {"space": str(space), "press": str(uuid4()), "air": "17 C", "rh": "55"}
    assert shop.http.post("/weather/readings", data=reading).status_code == 303

    def tell():
        told.append((set(made), shop.workshop.ready is not None))

    ahead.look_once(shop.workshop, None, tell)
    assert told == [({space}, True)]
    assert len(set(made)) > 2

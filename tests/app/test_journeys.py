"""Whole journeys over HTTP: whatever the system, the counts, the next action and the clock follow the log."""

import re
from datetime import time, timedelta
from uuid import uuid4
from zoneinfo import ZoneInfo

import pytest
from tests.support import T0, ShopOnTrial

from cool_sheen.core.drying.phases import Phase
from cool_sheen.core.part.placing import gates_of
from cool_sheen.core.plan.rest import rest_of
from cool_sheen.core.work.hours import WorkingHours
from cool_sheen.core.work.steps import CoatStep
from cool_sheen.formats.catalogue import shipped
from cool_sheen.service.jobs import find_part, spaces_by_id, zone_facts

WOOD = {"cabinet-waterborne", "lacquer-build"}


@pytest.mark.parametrize("system", sorted(shipped().systems))
def test_every_system_can_be_worked_from_bare_to_finished(shop, system):
    part = shop.new_part(system, "bare_timber" if system in WOOD else "bare_steel_sheet")
    layers = shop.standing(part).system.layers
    done = []
    for _ in range(120):
        if shop.standing(part).action.step is None:
            break
        done.append(shop.do_next(part))
    found = shop.standing(part)
    assert found.action.says in ("Curing", "Finished")
    with shop.workshop.read() as unit:
        zone = zone_facts(shop.workshop, find_part(unit, part))[0]
    taken = {la.id: sum(c.counted and zone.takes(c.where) for c in la.coats) for la in layers}
    taken |= {la.id: 1 for la in layers if la.rounds_most}  # nothing was thin after the first round
    assert found.layers_done == taken
    assert {p.status for p in found.rows} == {"done"}
    coats = {la.id: sum(zone.takes(c.where) for c in la.coats) for la in layers}
    assert done.count("coat") == sum(coats.values() if not any(la.rounds_most for la in layers) else taken.values())
    assert done.count("sand") >= sum(len(layer.sanding) for layer in layers)
    assert {p.status for p in found.rows} == {"done"}
    shop.clock.turn(days=60)
    assert shop.standing(part).action.says == "Finished"
    film = next(iter(found.history.builds.values()))
    assert film.total_um > 0
    assert shop.http.get(f"/parts/{part}").status_code == 200


@pytest.mark.parametrize("system", sorted(shipped().systems))
def test_a_plan_keeps_every_window_and_every_gate(shop, system):
    part = shop.new_part(system, "bare_timber" if system in WOOD else "bare_steel_sheet")
    found = shop.standing(part)
    day = WorkingHours.every_day(*_hours("08:00", "18:00"))
    assert found.situation.day == day  # nobody has worked late
    plan = rest_of(found.situation)
    assert not plan.stuck
    wanted = [p.step.id for p in found.rows]
    assert [p.step.id for p in plan.steps if p.step.id in wanted] == wanted
    for one, after in zip(plan.steps, plan.steps[1:], strict=False):
        assert one.end <= after.start
    for planned in plan.steps:
        local = planned.start.astimezone(day.zone).time()
        assert time(8) <= local <= time(18)
        if isinstance(planned.step, CoatStep):
            for gate in gates_of(found.situation, planned.step, planned.start):
                assert gate.shut_at(planned.start) is None


def _hours(opens: str, closes: str):
    return time.fromisoformat(opens), time.fromisoformat(closes), ZoneInfo("Europe/Berlin")


def prime(shop: ShopOnTrial, system: str = "two-stage-epoxy", coats: int = 1):
    """A part with its preparation skipped and its first coats on."""
    part = shop.new_part(system)
    for _ in range(coats):
        assert shop.log(part, "coat").status_code == 200
        shop.clock.turn(hours=1)
    return part


def test_a_wet_film_becomes_open_and_a_touch_test_overrules_the_clock(shop):
    part = prime(shop, coats=0)
    shop.log(part, "coat")
    wet = shop.standing(part).action
    assert (wet.state, wet.does, wet.alarm) == (Phase.WET, "touch_test", "test")
    promised = wet.counts_to
    shop.clock.at = promised - timedelta(minutes=3)
    shop.log(part, "touch", ready="no")
    later = shop.standing(part).action
    assert later.counts_to > promised
    assert later.band.early < later.band.late
    shop.clock.turn(minutes=1)
    shop.log(part, "touch", ready="yes")
    ready = shop.standing(part).action
    assert (ready.state, ready.does, ready.tested) == (Phase.OPEN, "coat", True)


def test_an_open_window_that_closes_asks_for_a_key_and_a_keyed_film_for_a_wipe_after_a_night(shop):
    part = prime(shop)
    shop.clock.turn(days=6)
    key = shop.standing(part).action
    assert (key.state, key.does, key.grit) == (Phase.KEY, "sand", "P320")
    shop.log(part, "sand", grit="P320")
    dusty = shop.standing(part).action
    assert (dusty.state, dusty.does, dusty.step.id) == (Phase.KEYED, "wipe", "epoxy:coat:2:wipe")
    shop.log(part, "step", kind="wipe")
    keyed = shop.standing(part).action
    assert (keyed.state, keyed.does, keyed.step.id) == (Phase.KEYED, "coat", "epoxy:coat:2")
    shop.clock.turn(hours=13)
    assert shop.standing(part).action.does == "wipe"
    shop.log(part, "step", kind="wipe")
    assert shop.standing(part).action.does == "coat"


def test_one_pack_enamel_is_locked_between_its_windows_and_says_that_it_would_lift(shop):
    part = shop.new_part("one-pack-enamel", "bare_steel_sheet")
    for layer in ("primer", "primer", "enamel"):
        shop.log(part, "coat", layer_id=layer)
        shop.clock.turn(hours=8)
    action = shop.standing(part).action
    assert (action.state, action.does) == (Phase.LOCKED, "")
    assert "lift" in action.because


def test_cold_air_shuts_the_gate_and_the_lane_says_why_and_until_when(shop):
    part = prime(shop, "single-stage-epoxy")
    record = "time,temp,rh\n" + "\n".join(
        f"{shop.clock.at + timedelta(minutes=20 * n):%Y-%m-%d %H:%M},4.0,60" for n in range(-30, 12)
    )
    _take(shop, record)
    shop.clock.turn(hours=2)
    action = shop.standing(part).action
    assert action.state == "gate"
    assert action.because.startswith("air under 12 °C")
    assert action.counts_to > shop.clock.at


def _take(shop: ShopOnTrial, text: str):
    with shop.workshop.read() as unit:
        space = next(iter(spaces_by_id(unit)))
    files = {"file": ("logger.csv", text.encode(), "text/csv")}
    shown = shop.http.post("/weather/records", data={"space": str(space), "time_zone": "UTC"}, files=files)
    assert shown.status_code == 200, shown.text
    draft = shown.text.split("/weather/records/")[1].split("/")[0]
    assert shop.http.post(f"/weather/records/{draft}/take").status_code == 303
    return draft


def test_a_climate_record_moves_the_windows_and_taking_it_back_puts_them_where_they_were(shop):
    part = prime(shop, coats=0)
    shop.log(part, "coat")
    before = shop.standing(part).action.counts_to
    cold = "time,temp,rh\n" + "\n".join(
        f"{T0 + timedelta(minutes=10 * n):%Y-%m-%d %H:%M},10,70" for n in range(-300, 30)
    )
    draft = _take(shop, cold)
    colder = shop.standing(part).action.counts_to
    assert colder - T0 > 1.3 * (before - T0)
    shop.http.post(f"/weather/records/{draft}/withdraw")
    assert shop.standing(part).action.counts_to == before


def test_the_same_press_sent_twice_records_once_and_with_another_content_it_is_a_conflict(shop):
    part, press = shop.new_part(), uuid4()
    for _ in range(3):
        assert shop.log(part, "coat", press).status_code == 200
        shop.clock.turn(minutes=1)
    assert len(shop.standing(part).history.coats) == 1
    assert shop.log(part, "coat", press, layer_id="build").status_code == 409
    assert shop.log(part, "touch", press, ready="yes").status_code == 409
    assert len(shop.standing(part).history.coats) == 1


def test_undo_takes_back_the_last_entry_then_the_one_before_and_never_the_arrival(shop):
    part = prime(shop, coats=2)
    assert shop.standing(part).layers_done["epoxy"] == 2
    for left in (1, 0):
        assert shop.log(part, "undo").status_code == 200
        assert shop.standing(part).layers_done["epoxy"] == left
    assert shop.log(part, "undo").status_code == 409
    void = re.search(
        r'name="entry" value="([^"]+)"><button class="btn btn-quiet" aria-label="Put back',
        shop.http.get(f"/parts/{part}").text,
    )[1]
    assert "put back: Epoxy primer coated" in shop.log(part, "undo", entry=void).text
    assert shop.standing(part).layers_done["epoxy"] == 1
    assert shop.standing(part).space.name == "Room"


def test_a_coat_that_was_forgotten_is_logged_where_it_belongs(shop):
    part = prime(shop)
    local = (shop.clock.at - timedelta(minutes=30)).astimezone(ZoneInfo("Europe/Berlin"))
    assert shop.log(part, "coat", at=f"{local:%Y-%m-%dT%H:%M}").status_code == 200
    found = shop.standing(part)
    assert found.history.coats[-1].ended_at == shop.clock.at - timedelta(minutes=30)
    assert found.layers_done["epoxy"] == 2


def test_sanding_that_goes_through_or_under_the_reserve_is_said_on_the_part(shop):
    part = shop.new_part()
    for _ in range(3):
        shop.log(part, "coat", layer_id="build")
        shop.clock.turn(hours=1)
    shop.clock.turn(hours=9)
    shop.log(part, "sand", grit="P320", removal="110")
    page = shop.http.get(f"/parts/{part}").text
    assert "High-build is under its reserve:</b> 77 µm left of 90 µm" in page
    assert "Sanded through" not in page
    shop.log(part, "sand", grit="P500", break_through="1")
    assert "Sanded through" in shop.http.get(f"/parts/{part}").text


def test_a_mist_coat_starts_a_clock_and_does_not_count(shop):
    part = shop.new_part()
    shop.log(part, "coat", coat_kind="mist", wet_film="1 mil")
    found = shop.standing(part)
    assert found.layers_done["epoxy"] == 0
    assert found.action.state == Phase.WET
    assert found.top.film.wet_film_um == pytest.approx(25.4)


def test_a_part_that_moves_dries_in_the_climate_of_each_place(demo):
    part = demo.new_part("single-stage-epoxy")
    demo.log(part, "coat")
    in_booth = demo.standing(part).action.counts_to
    with demo.workshop.read() as unit:
        yard = next(s.uuid for s in spaces_by_id(unit).values() if s.name == "Yard")
    assert demo.log(part, "move", space=str(yard)).status_code == 200
    moved = demo.standing(part)
    assert moved.space.name == "Yard"
    assert moved.action.counts_to != in_booth


@pytest.mark.parametrize(
    ("verb", "fields", "says"),
    [
        ("coat", {"layer_id": "varnish"}, "no such layer"),
        ("coat", {"wet_film": "thick"}, "is no film"),
        ("coat", {"wet_film": "nan"}, "is no film"),
        ("coat", {"wet_film": "-20"}, "more than 0"),
        ("coat", {"wet_film": "20 m2"}, "is no unit of film"),
        ("coat", {"at": "2026-06-09T08:00"}, "lies in the future"),
        ("coat", {"at": "1999-01-01T08:00"}, "over a year ago"),
        ("coat", {"at": "yesterday"}, "Enter date and time"),
        ("touch", {"ready": "perhaps"}, "Ready or Not ready"),
        ("touch", {"ready": "yes", "milestone": "polish"}, "has no such mark"),
        ("sand", {"grit": "P9999"}, "is no grit"),
        ("sand", {"grit": ""}, "Enter the grit"),
        ("step", {"kind": "dance"}, "is no step"),
        ("move", {"space": "nowhere"}, "Choose a space"),
        ("undo", {"entry": "00000000-0000-0000-0000-000000000000"}, "nothing to take back"),
    ],
)
def test_absurd_presses_are_refused_in_words_and_change_nothing(shop, verb, fields, says):
    part = prime(shop)
    before = shop.standing(part).history
    answer = shop.log(part, verb, **fields)
    assert 400 <= answer.status_code < 500
    assert says in answer.text
    assert shop.standing(part).history == before

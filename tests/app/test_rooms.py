"""Rooms: described, read, made ready; and what is fed to them: forecasts, a typical year."""

import json
import re
import time
from datetime import UTC, datetime, timedelta
from uuid import uuid4
from zoneinfo import ZoneInfo

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.support import A_SLOW_MACHINE, T0

from cool_sheen.core.climate.series import seconds
from cool_sheen.core.climate.sky import Sky, exposed
from cool_sheen.core.climate.sun import sun_sine, sun_times
from cool_sheen.formats.climate_files import read_climate_file
from cool_sheen.formats.logger_csv import NotALog, Options
from cool_sheen.service.climate import space_series
from cool_sheen.service.jobs import spaces_by_id
from cool_sheen.service.weather_now import weather_now


def room(shop, name="Room"):
    with shop.workshop.read() as unit:
        return next(s for s in spaces_by_id(unit).values() if s.name == name)


def air_in(shop, name="Room", at=None):
    with shop.workshop.read() as unit:
        space = next(s for s in spaces_by_id(unit).values() if s.name == name)
        series = space_series(unit, space, shop.clock.at - timedelta(days=1), weather_now(unit))
    found = series.sampled(np.array([seconds(at or shop.clock.at)]))
    return float(found.air_temp_c[0]), float(found.rh_pct[0])


def upload(shop, space, name, content, **fields):
    data = {"space": str(space.uuid), "time_zone": "Europe/Berlin", **fields}
    return shop.http.post("/weather/records", data=data, files={"file": (name, content)})


def take(shop, answer):
    assert answer.status_code == 200, answer.text
    draft = re.search(r"/weather/records/([0-9a-f-]+)/take", answer.text)[1]
    assert shop.http.post(f"/weather/records/{draft}/take").status_code == 303
    return draft


def typical_year(first_rows=()):
    """8760 hours: 14 degrees at midnight in winter, 24 in summer; some rows as they are handed in."""
    head = (
        ["LOCATION,Sample Place,-,-,made up,000000,51.0,10.0,1.0,200"]
        + ["HEAD"] * 6
        + ["DATA PERIODS,1,1,Data,Sunday, 1/ 1,12/31"]
    )
    rows = []
    for n in range(8760):
        at = datetime(2001, 1, 1) + timedelta(hours=n)  # noqa: DTZ001 - the format has no year that counts
        air = 19 - 5 * np.cos(n / 8760 * 2 * np.pi)
        rows.append(f"2001,{at.month},{at.day},{at.hour + 1},0,flags,{air:.1f},9.0,60,101325")
    rows[: len(first_rows)] = first_rows
    return ("\n".join([*head, *rows]) + "\n").encode()


def test_a_space_described_anew_is_felt_by_its_parts_at_once_and_what_cannot_be_is_refused(shop):
    warm, _ = air_in(shop)
    space = room(shop)
    form = {"space": str(space.uuid), "name": "Room", "kind": "insulated_shop", "heater": "75 F", "dehumidifier": "30",
            "lag": "2.5", "extraction": "1"}  # fmt: skip
    assert shop.http.post("/spaces", data=form).status_code == 303
    air, rh = air_in(shop)
    assert air == pytest.approx(23.9, abs=0.1)
    assert air > warm
    assert rh <= 30
    assert room(shop).extraction
    wrong = shop.http.post("/spaces", data={**form, "name": "", "kind": "cellar", "heater": "hot", "lag": "-1"})
    assert wrong.status_code == 422
    for name, typed in (("heater", "hot"), ("lag", "-1")):
        assert re.search(rf'name="{name}"[^>]*value="{typed}"', wrong.text)
    twice = shop.http.post("/spaces", data={"name": " room ", "kind": "outdoors"})
    assert (twice.status_code, "There is a “room” already" in twice.text) == (422, True)


def test_a_typed_reading_is_believed_fades_and_can_be_taken_back(shop):
    space, before = room(shop), air_in(shop)[0]
    press = str(uuid4())
    said = {"space": str(space.uuid), "press": press, "air": "26", "rh": "45"}
    for _ in range(2):
        assert shop.http.post("/weather/readings", data=said).status_code == 303
    assert air_in(shop) == pytest.approx((26, 45), abs=0.1)
    later = air_in(shop, at=shop.clock.at + timedelta(hours=3))[0]
    assert later == pytest.approx((26 + air_in(shop, at=shop.clock.at + timedelta(days=3))[0]) / 2, abs=0.5)
    page = shop.http.get(f"/weather?space={space.uuid}").text
    entry = re.search(r'name="entry" value="([0-9a-f-]+)"', page)[1]
    back = {"press": str(uuid4()), "entry": entry, "space": str(space.uuid)}
    assert shop.http.post("/weather/readings/undo", data=back).status_code == 303
    assert air_in(shop)[0] == pytest.approx(before, abs=0.01)
    for wrong in ({"rh": "104"}, {"air": "warm"}, {"at": "2031-01-01T10:00"}):
        answer = shop.http.post("/weather/readings", data={**said, "press": str(uuid4()), **wrong})
        assert answer.status_code == 422
        assert air_in(shop)[0] == pytest.approx(before, abs=0.01)


def test_a_room_is_made_ready_in_its_order_and_the_air_is_read_again_after_a_coat(shop):
    space = room(shop)

    def turn():
        page = shop.http.get(f"/weather?space={space.uuid}").text
        step = re.search(r'name="step" value="(\w+)"', page)
        return step[1] if step else re.search(r"is-now.*?<b>(.*?)</b>", page, re.S)[1]

    def stamp(key):
        data = {"press": str(uuid4()), "space": str(space.uuid), "step": key}
        return shop.http.post("/weather/room", data=data)

    def read():
        said = {"press": str(uuid4()), "space": str(space.uuid), "air": "20", "rh": "50"}
        assert shop.http.post("/weather/readings", data=said).status_code == 303

    early = stamp("air_drained")
    assert (early.status_code, "Sweep, wipe the walls down: one after the other" in early.text) == (409, True)
    done = []
    while turn() != "Read the air":
        done.append(turn())
        assert stamp(done[-1]).status_code == 303
    assert done == ["swept", "flames_off", "dehumidifier_off", "air_drained"]  # no extraction, no damped floor here
    read()
    part = shop.new_part("one-pack-enamel", "bare_steel_sheet")
    shop.clock.turn(minutes=30)
    shop.log(part, "coat")
    assert turn() == "Read the air"
    shop.clock.turn(minutes=5)
    read()
    assert turn() == "vented"
    for key in ("vented", "dehumidifier_on"):
        assert stamp(key).status_code == 303
    shop.clock.turn(hours=24)
    assert turn() == "swept"  # a new day


def test_a_typical_year_is_taken_in_three_seconds_missing_hours_named_and_a_forecast_overrules_it(shop):
    missing = ["2001,1,1,1,0,flags,99.9,9.0,60,101325", "2001,1,1,2,0,flags,12,9.0,999,101325", "2001,1,1,3,0,flags"]
    space = room(shop)
    begun = time.process_time()
    answer = upload(shop, space, "place.epw", typical_year(missing))
    take(shop, answer)
    assert time.process_time() - begun < 3 * A_SLOW_MACHINE
    assert "a typical year of Sample Place" in answer.text
    assert "temperature or humidity is marked as missing" in answer.text
    assert re.search(r'<td class="figure">9</td>', answer.text)  # the first row after the eight lines of the head
    assert shop.http.post("/spaces", data={"name": "Yard", "kind": "outdoors"}).status_code == 303
    at = T0 + timedelta(days=5)
    assert air_in(shop, "Yard", at)[0] == pytest.approx(23.5, abs=0.6)  # early June in that year
    part = shop.new_part("single-stage-epoxy", "bare_steel_cast")
    compared = shop.http.get(f"/parts/{part}/what-if").text
    assert "begun in three months, by the typical year" in compared
    done = re.findall(r"bar-cell.*?<td class=\"figure\">(\w+ \d+ \w+)", compared, re.S)
    assert done[0].endswith("Jun")
    assert done[-1].endswith("Sep")
    points = [{"at": (at + timedelta(hours=h)).isoformat(), "air_temp_c": 3.0, "rh_pct": 88} for h in range(-6, 7)]
    take(shop, upload(shop, space, "forecast.json", json.dumps({"series": points}).encode()))
    assert air_in(shop, "Yard", at) == pytest.approx((3, 88), abs=0.2)
    assert air_in(shop, "Yard", at + timedelta(days=2))[0] == pytest.approx(23.5, abs=0.8)  # and fades again


@pytest.mark.parametrize(
    ("name", "content", "says"),
    [
        ("cut.epw", b"LOCATION,Nowhere\n", "names its place and time zone"),
        ("empty.epw", typical_year()[:400].split(b"2001")[0], "No day of hours"),
        ("x.json", b'{"series": [', "no JSON that can be read"),
        ("x.json", b"[]", "A forecast is a list of points"),
        ("x.json", b'[{"at": "2026-06-08T08:00:00", "air_temp_c": 18, "rh_pct": 60}]', "no offset from UTC"),
        ("x.json", b'[{"at": "2026-06-08T08:00:00Z", "air_temp_c": 18, "rh_pct": 160}]', "cannot be"),
    ],
)
def test_a_climate_file_that_cannot_be_read_is_refused_in_words(shop, name, content, says):
    answer = upload(shop, room(shop), name, content)
    assert answer.status_code == 422
    assert says in answer.text


@given(st.binary(max_size=300))
def test_whatever_stands_after_the_head_of_a_climate_file_ends_in_points_or_a_refusal(tail):
    for head in (b"LOCATION,P,-,-,-,0,1,2,1.0,5\n" + b"H\n" * 7, b"[", b"{"):
        try:
            kind, record = read_climate_file(head + tail, Options(), T0)
        except NotALog:
            continue
        assert record.readings
        assert kind in ("typical_year", "forecast")


@given(st.floats(-66, 66), st.floats(-180, 180), st.integers(0, 364))
def test_the_sun_warms_by_day_and_the_clear_sky_cools_by_night_and_clouds_stop_both(latitude, longitude, day):
    at = seconds(datetime(2026, 1, 1, tzinfo=UTC)) + 86_400.0 * day + 1800.0 * np.arange(48)
    none = np.zeros(len(at))
    offset, covered = (
        exposed(Sky(at, none, none, none, none + cloud), sun_sine(at, latitude, longitude)).offset_k for cloud in (0, 1)
    )
    assert offset.min() >= -3 - 1e-9
    assert 0 < offset.max() <= 8 + 1e-9
    assert np.allclose(covered, 0)
    times = sun_times(datetime(2026, 6, 8, 12, tzinfo=UTC), 51.0, 10.0, ZoneInfo("Europe/Berlin"))
    assert (times.rises.hour, times.sets.hour) == (5, 21)


def test_a_record_with_a_gap_of_over_three_hours_shows_two_stretches_and_bridges_nothing(shop):
    space = room(shop)
    rows = [f"2026-06-08 {h:02d}:{m:02d};31,0;40" for h in (1, 2, 8, 9) for m in range(0, 60, 10)]
    take(shop, upload(shop, space, "gap.csv", "time;temp;rh\n" + "\n".join(rows)))
    page = shop.http.get(f"/weather?space={space.uuid}").text
    assert page.count('class="source record"') == 2
    assert air_in(shop, at=T0 - timedelta(hours=7, minutes=30))[0] == pytest.approx(31, abs=0.1)
    middle = air_in(shop, at=T0 - timedelta(hours=3))[0]  # five hours of no reading: the difference fades
    assert middle < 27


def test_the_doubled_hour_is_read_twice_and_the_hour_that_is_not_there_is_named(shop):
    shop.clock.at = datetime(2026, 10, 25, 12, 0, tzinfo=UTC)
    space = room(shop)
    rows = ["2026-10-25 01:30;20;50", "2026-10-25 02:30;21;50", "2026-10-25 02:30;22;50", "2026-10-25 03:30;23;50"]
    take(shop, upload(shop, space, "autumn.csv", "time;temp;rh\n" + "\n".join(rows)))
    for hour, air in ((23, 20), (24, 21), (25, 22), (26, 23)):
        at = datetime(2026, 10, 24, 0, 30, tzinfo=UTC) + timedelta(hours=hour)
        assert air_in(shop, at=at)[0] == pytest.approx(air, abs=0.05)
    spring = upload(shop, space, "spring.csv", "time;temp;rh\n2026-03-29 02:30;20;50\n2026-03-29 03:30;21;50\n")
    assert spring.status_code == 200
    assert "02:30 does not exist on this day: the clocks went forward" in spring.text

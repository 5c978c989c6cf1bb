"""What was stays as it was: moves, doors, readings, spaces described anew; and what a test, a sky, a file really say."""

import json
import re
from datetime import timedelta
from uuid import uuid4

import numpy as np
import pytest
from tests.support import T0

from cool_sheen.core.climate.series import seconds
from cool_sheen.core.drying.milestones import Mode
from cool_sheen.core.part.film_clock import FactorAsked
from cool_sheen.formats.catalogue import shipped
from cool_sheen.service.climate import space_series
from cool_sheen.service.jobs import spaces_by_id
from cool_sheen.service.weather_now import weather_now

BERLIN = "%Y-%m-%dT%H:%M"


def local(at):
    """A moment as the form has it, by the shop's clock."""
    return (at + timedelta(hours=2)).strftime(BERLIN)


def space_of(shop, name):
    with shop.workshop.read() as unit:
        return next(s for s in spaces_by_id(unit).values() if s.name == name)


def add_space(shop, name, **fields):
    form = {"name": name, "kind": "garage", **fields}
    assert shop.http.post("/spaces", data=form).status_code == 303
    return space_of(shop, name)


def read(shop, space, air, rh, at=None, **fields):
    form = {"press": str(uuid4()), "space": str(space.uuid), "air": str(air), "rh": str(rh), **fields}
    return shop.http.post("/weather/readings", data=form | ({"at": local(at)} if at else {}))


def bring(shop, space, text, name="record.csv", **fields):
    data = {"space": str(space.uuid), "time_zone": "UTC", **fields}
    shown = shop.http.post("/weather/records", data=data, files={"file": (name, text.encode())})
    assert shown.status_code == 200, shown.text
    draft = re.search(r"/weather/records/([0-9a-f-]+)/take", shown.text)[1]
    assert shop.http.post(f"/weather/records/{draft}/take").status_code == 303
    return shown.text, draft


def logged(since, figures, step_min=10):
    rows = [f"{since + timedelta(minutes=step_min * n):%Y-%m-%d %H:%M},{temp},50" for n, temp in enumerate(figures)]
    return "time,temp,rh\n" + "\n".join(rows) + "\n"


def in_room(shop, name, at, column="air_temp_c"):
    with shop.workshop.read() as unit:
        space = next(s for s in spaces_by_id(unit).values() if s.name == name)
        series = space_series(unit, space, T0 - timedelta(days=2), weather_now(unit))
    return float(getattr(series.sampled(np.array([seconds(at)])), column)[0])


def coated(shop, **fields):
    """A part with its first coat on."""
    part = shop.new_part(substrate="bare_steel_sheet", **fields)
    while not shop.standing(part).top:
        shop.do_next(part)
    return part


def minutes_to(shop, part, mark="flash"):
    top = shop.standing(part).top
    return (top.bands[mark].likely - top.coat.ended_at).total_seconds() / 60


# --- moves, doors, spaces ---------------------------------------------------------------------------------------------


def test_a_part_carried_to_another_room_an_hour_ago_dries_there_from_that_minute_on(shop):
    """Logged late: the film was in the cold room for some minutes, and then in the warm one."""
    cold = add_space(shop, "Cold room", lag="0")
    start = T0 - timedelta(hours=3)
    bring(shop, cold, logged(start - timedelta(hours=3), [8] * 80))
    warm = space_of(shop, "Room")
    bring(shop, warm, logged(start - timedelta(hours=3), [30] * 80))
    shop.clock.at = start
    part = coated(shop)
    ended = shop.standing(part).top.coat.ended_at
    in_the_warm = minutes_to(shop, part)
    assert shop.log(part, "move", space=str(cold.uuid)).status_code == 200
    shop.clock.turn(hours=2)
    in_the_cold = minutes_to(shop, part)
    carried = (ended + timedelta(minutes=9)).replace(second=0, microsecond=0)
    assert shop.log(part, "move", space=str(warm.uuid), at=local(carried)).status_code == 200
    both = minutes_to(shop, part)
    assert in_the_warm < both < in_the_cold
    assert shop.log(part, "move", space=str(warm.uuid), at=local(T0 + timedelta(days=2))).status_code == 422


def test_a_space_described_anew_changes_nothing_that_was_unless_it_was_always_so(shop):
    room = space_of(shop, "Room")
    before = in_room(shop, "Room", T0 - timedelta(hours=2))
    form = {"space": str(room.uuid), "name": "Room", "kind": "insulated_shop", "heater": "28", "dehumidifier": "50"}
    assert shop.http.post("/spaces", data=form).status_code == 303
    assert in_room(shop, "Room", T0 - timedelta(hours=2)) == pytest.approx(before, abs=0.01)
    assert in_room(shop, "Room", T0 + timedelta(hours=2)) == pytest.approx(28, abs=0.01)
    assert shop.http.post("/spaces", data={**form, "always": "1"}).status_code == 303
    assert in_room(shop, "Room", T0 - timedelta(hours=2)) == pytest.approx(28, abs=0.01)


def test_the_past_of_a_coat_keeps_the_air_of_its_space_as_it_moved_then(shop):
    part = coated(shop)
    shop.clock.turn(hours=2)
    before = minutes_to(shop, part)
    room = space_of(shop, "Room")
    form = {"space": str(room.uuid), "name": "Room", "kind": "insulated_shop", "heater": "20", "dehumidifier": "50"}
    assert shop.http.post("/spaces", data={**form, "air_movement": "still"}).status_code == 303
    assert minutes_to(shop, part) == pytest.approx(before, rel=0.001)
    assert shop.http.post("/spaces", data={**form, "air_movement": "still", "always": "1"}).status_code == 303
    assert minutes_to(shop, part) == pytest.approx(before / 0.75, rel=0.02)


def test_doors_that_are_opened_let_the_weather_in_and_can_be_shut_and_taken_out_of_the_log(shop):
    room = space_of(shop, "Room")
    out = in_room(shop, "Room", T0)
    press = {"press": str(uuid4()), "space": str(room.uuid), "door": "open", "at": local(T0 - timedelta(hours=1))}
    assert shop.http.post("/weather/door", data=press).status_code == 303
    assert "doors open</b> since Mon 09:00" in shop.http.get("/weather").text
    assert in_room(shop, "Room", T0) != pytest.approx(out, abs=0.5)
    assert in_room(shop, "Room", T0 - timedelta(minutes=62)) == pytest.approx(20, abs=0.05)
    shop.clock.turn(minutes=5)
    shut = {"press": str(uuid4()), "space": str(room.uuid), "door": "shut"}
    assert shop.http.post("/weather/door", data=shut).status_code == 303
    assert "doors open" not in shop.http.get("/weather").text
    assert in_room(shop, "Room", T0 + timedelta(minutes=6)) == pytest.approx(20, abs=0.05)
    yard = add_space(shop, "Yard", kind="outdoors")
    nowhere = {"press": str(uuid4()), "space": str(yard.uuid), "door": "open"}
    assert shop.http.post("/weather/door", data=nowhere).status_code == 422


# --- readings ---------------------------------------------------------------------------------------------------------


def test_a_typed_reading_that_agrees_with_a_logger_leaves_its_warm_hour_where_it_is(shop):
    cold = add_space(shop, "Cold room", lag="0")
    start = T0 - timedelta(hours=4)
    bring(shop, cold, logged(start - timedelta(hours=2), [12] * 12 + [28] * 7 + [12] * 30))
    shop.clock.at = start
    part = coated(shop)
    assert shop.log(part, "move", space=str(cold.uuid)).status_code == 200
    shop.clock.turn(hours=4)
    before = minutes_to(shop, part)
    assert read(shop, cold, 12, 50, start - timedelta(minutes=10)).status_code == 303
    assert minutes_to(shop, part) == pytest.approx(before, rel=0.01)
    assert read(shop, cold, 28, 50, start + timedelta(minutes=5)).status_code == 303
    assert minutes_to(shop, part) == pytest.approx(before, rel=0.02)


def test_one_damp_reading_in_a_dried_room_shuts_it_for_hours_and_not_for_a_week(shop):
    room = space_of(shop, "Room")
    read(shop, room, 20, 95)
    rh = [in_room(shop, "Room", T0 + timedelta(hours=h), "rh_pct") for h in (0, 1, 6)]
    assert rh[0] == pytest.approx(95, abs=0.5)
    assert 60 < rh[1] < 80
    assert rh[2] <= 50
    page = shop.http.get(f"/weather?space={room.uuid}&product=cabinet-waterborne").text
    assert "Good starts of the next five days" in page


def test_the_surface_of_a_part_is_asked_for_where_it_lags_and_goes_on_from_what_was_measured(shop):
    part = shop.new_part(substrate="bare_steel_cast")
    room = space_of(shop, "Room")
    page = shop.http.get("/weather").text
    assert re.search(r"<option value=\"" + str(part) + r"\"[^>]*> ?Headstock casting: \d", page)
    other = shop.standing(shop.new_part(substrate="bare_steel_cast")).climate
    assert read(shop, room, 20, 50, surface_temp="9", part=str(part)).status_code == 303
    found = shop.standing(part)
    assert found.climate.at(T0).surface_temp_c[0] == pytest.approx(9, abs=0.01)
    after = found.climate.at(T0 + timedelta(hours=2.5)).surface_temp_c[0]
    assert after == pytest.approx(20 - 11 / 2.71828, abs=0.3)
    assert other.at(T0).surface_temp_c[0] > 17
    log = shop.http.get(f"/parts/{part}").text
    assert "Read in Room: 20.0 °C, 50 %, surface 9.0 °C" in log
    assert read(shop, room, 20, 50, surface_temp="9").status_code == 422


def test_two_readings_on_the_way_to_a_limit_give_an_estimate_that_says_that_it_is_one(shop):
    cold = add_space(shop, "Cold room")
    read(shop, cold, 2, 60, T0 - timedelta(minutes=30))
    read(shop, cold, 4, 60, T0)
    page = shop.http.get(f"/weather?space={cold.uuid}&product=epoxy-primer-grey").text
    least = shipped().products["epoxy-primer-grey"].limits.air_min_c
    reached = T0 + timedelta(minutes=30 * (least - 4) / 2, hours=2)
    assert f"estimate</span> air {least:g} °C at about <b>{reached:%H:%M}</b>" in page
    room = f"space={space_of(shop, 'Room').uuid}"
    assert "estimate</span>" not in shop.http.get(f"/weather?{room}&product=epoxy-primer-grey").text


# --- the sky ----------------------------------------------------------------------------------------------------------


def forecast_rows(**sky):
    return [
        {
            "at": (T0 + timedelta(hours=n)).isoformat(),
            "air_temp_c": 20,
            "rh_pct": 50,
            **{k: f(n) for k, f in sky.items()},
        }
        for n in range(-2, 60)
    ]


def test_a_forecast_carries_the_sky_in_csv_and_json_and_the_yard_is_shut_by_it(shop):
    yard = add_space(shop, "Yard", kind="outdoors")
    rows = "time;temp;rh;wind speed (km/h);wind direction;rain (mm);cloud cover (%)\n" + "".join(
        f"{T0 + timedelta(hours=n):%Y-%m-%d %H:%M};20;50;{28.8 if 3 <= n < 6 else 7.2};270;{2 if 30 <= n < 32 else 0};100\n"
        for n in range(-2, 60)
    )
    shown, draft = bring(shop, yard, rows, kind="forecast")
    assert re.search(r"<dt>Sky</dt><dd>wind 2.0 to 8.0 m/s, rain 0.0 to 2.0 mm/h, cloud 100.0 to 100.0 %", shown)
    page = shop.http.get(f"/weather?space={yard.uuid}&product=single-stage-two-pack").text
    assert "wind 2.0 m/s, gusts 2.8, no rain, no direct sun" in page
    shop.clock.turn(hours=4)
    page = shop.http.get(f"/weather?space={yard.uuid}&product=single-stage-two-pack").text
    assert "wind over 5 m/s" in page
    assert "Put up a wind-break</b> (wind 8 to 3 m/s)" in page
    shop.clock.turn(hours=26.5)
    assert re.search(r"shut</span> rain", shop.http.get(f"/weather?space={yard.uuid}").text)
    assert shop.http.post(f"/weather/records/{draft}/withdraw").status_code == 303
    points = forecast_rows(wind_m_per_s=lambda n: 1, gust_m_per_s=lambda n: 9, rain_mm_per_h=lambda n: 0)
    shop.clock.at = T0
    bring(shop, yard, json.dumps(points), "points.json")
    assert "gusts over 8 m/s" in shop.http.get(f"/weather?space={yard.uuid}").text
    wrong = json.dumps([{**points[0], "wind_m_per_s": 900}, *points[1:]])
    data = {"space": str(yard.uuid), "time_zone": "UTC"}
    shown = shop.http.post("/weather/records", data=data, files={"file": ("p.json", wrong.encode())}).text
    assert "wind of 900 cannot be" in shown


def test_what_is_seen_outdoors_counts_at_once_and_direct_sun_waits_for_shade(shop):
    yard = add_space(shop, "Yard", kind="outdoors")
    bring(shop, yard, json.dumps(forecast_rows(wind_m_per_s=lambda n: 1, rain_mm_per_h=lambda n: 0,
                                               cloud_pct=lambda n: 0)), "points.json")  # fmt: skip
    page = f"/weather?space={yard.uuid}&product=single-stage-two-pack"
    assert "shut</span>" not in shop.http.get(page).text.split("Can I coat here now?")[1].split("</table>")[0]
    assert read(shop, yard, 20, 50, sky="it rains").status_code == 303
    assert re.search(r"shut</span> rain<", shop.http.get(page).text)
    shop.clock.turn(minutes=10)
    assert read(shop, yard, 20, 50, sky="dry, windy").status_code == 303
    assert "shut</span> wind over 5 m/s" in shop.http.get(page).text
    shop.clock.turn(minutes=10)
    assert read(shop, yard, 20, 50, sky="calm").status_code == 303
    assert read(shop, yard, 20, 50, sky="frogs").status_code == 422
    assert shop.change(latitude="51", longitude="10").status_code == 303
    shown = shop.http.get(page).text
    assert "shut</span> direct sun" in shown
    assert "Put it in the shade</b>" in shown
    shade = {"space": str(yard.uuid), "name": "Yard", "kind": "outdoors", "shade": "1"}
    assert shop.http.post("/spaces", data=shade).status_code == 303
    assert "direct sun" not in shop.http.get(page).text.replace("no direct sun", "")


def test_a_typical_year_carries_wind_rain_and_cloud(shop):
    from cool_sheen.formats.epw import read_epw

    head = ["LOCATION,Sample Place,-,-,made up,000000,51.0,10.0,1.0,200"] + ["H"] * 7
    row = ["2001", "1", "1", "1", "0", "f", "5.0", "1.0", "60", *["0"] * 12, "6.5", "7", *["0"] * 10, "1.5", "1"]
    rows = [[*row[:3], str(h), *row[4:]] for h in range(1, 25)]
    rows[3][21], rows[3][22], rows[3][33] = "999", "99", "999"
    record = read_epw("\n".join([*head, *(",".join(r) for r in rows)]).encode(), range(2026, 2027))
    first, missing = record.readings[0].sky, record.readings[3].sky
    assert (first.wind_m_per_s, first.cloud_pct, first.rain_mm_per_h) == (6.5, 70, 1.5)
    assert not missing


# --- what a test teaches ----------------------------------------------------------------------------------------------


def factor(shop, part, space=None, mist=False):
    found = shop.standing(part)
    return found.situation.factor(FactorAsked(found.top.product, Mode.SOLVENT, space or found.space.uuid, mist))


def touch(shop, part, at, ready, **fields):
    shop.clock.at = at
    return shop.log(part, "touch", ready="yes" if ready else "no", milestone="flash", **fields)


def test_a_wild_test_is_asked_back_and_counts_for_its_coat_alone(shop):
    part = coated(shop)
    ended, sheet = shop.standing(part).top.coat.ended_at, minutes_to(shop, part)
    early = ended + timedelta(minutes=0.2 * sheet)
    asked = touch(shop, part, early, True, sure="")
    assert "Sure? Ready after" in asked.text
    assert asked.text.startswith('<div id="dialog-body" hx-swap-oob')
    assert 'name="sure" value="test"' in asked.text
    assert not shop.standing(part).history.touches
    plain = shop.http.post(
        f"/parts/{part}/touch",
        data={"press": str(uuid4()), "ready": "yes", "milestone": "flash", **shop.offered(part, "touch", {})},
    )
    assert plain.status_code == 409
    assert touch(shop, part, early, True).status_code == 200
    assert shop.standing(part).top.opens.likely == early  # ready is ready, for this coat
    assert factor(shop, part) == (0.0, 0.25)
    assert "Nothing yet: the times are the sheet's" in shop.http.get("/shelf/epoxy-primer-grey").text


def test_a_mist_teaches_mists_and_a_full_coat_full_coats(shop):
    part = shop.new_part(substrate="bare_steel_sheet")
    shop.log(part, "coat", coat_kind="mist")
    ended, sheet = shop.standing(part).top.coat.ended_at, minutes_to(shop, part)
    touch(shop, part, ended + timedelta(minutes=1.3 * sheet), False)
    touch(shop, part, ended + timedelta(minutes=1.4 * sheet), True)
    assert factor(shop, part, mist=True)[0] > 0.1
    assert factor(shop, part)[0] == 0.0
    assert ", mist coats" in shop.http.get("/shelf/epoxy-primer-grey").text


def test_a_test_teaches_the_space_in_which_the_film_dried(shop):
    other = add_space(shop, "Other room", kind="insulated_shop", heater="20", dehumidifier="50")
    for stays, taught in ((0.9, True), (0.5, None), (0.1, False)):
        part = coated(shop)
        ended, sheet = shop.standing(part).top.coat.ended_at, minutes_to(shop, part)
        shop.clock.at = ended + timedelta(minutes=stays * 1.3 * sheet)
        assert shop.log(part, "move", space=str(other.uuid)).status_code == 200
        touch(shop, part, ended + timedelta(minutes=1.25 * sheet), False)
        touch(shop, part, ended + timedelta(minutes=1.35 * sheet), True)
        here, there = (factor(shop, part, space_of(shop, name).uuid)[0] for name in ("Room", "Other room"))
        assert (here > 0.05, there > 0.05) == (taught is True, taught is False)
        for touched in list(shop.standing(part).history.touches):
            assert shop.log(part, "undo", entry=str(touched.uuid)).status_code == 200


def test_what_a_test_taught_follows_a_late_reading_at_once(shop):
    room = space_of(shop, "Room")
    part = coated(shop)
    ended, sheet = shop.standing(part).top.coat.ended_at, minutes_to(shop, part)
    touch(shop, part, ended + timedelta(minutes=1.2 * sheet), False)
    touch(shop, part, ended + timedelta(minutes=1.3 * sheet), True)
    slow = factor(shop, part)[0]
    assert slow > 0.1
    begin = ended - timedelta(hours=1)
    _, draft = bring(shop, room, logged(begin, [11] * 20))  # it was cold: the film was not slow
    cold = factor(shop, part)[0]
    assert cold < slow - 0.1
    assert shop.http.post(f"/weather/records/{draft}/withdraw").status_code == 303
    assert factor(shop, part)[0] == pytest.approx(slow, abs=1e-6)


def test_the_touch_dialog_and_the_product_say_how_long_it_took_the_last_times_in_such_air(shop):
    took = []
    for late in (1.1, 1.2, 1.0, 1.15):
        part = coated(shop)
        ended = shop.standing(part).top.coat.ended_at
        took.append(round(late * minutes_to(shop, part)))
        assert touch(shop, part, ended + timedelta(minutes=took[-1]), True).status_code == 200
    part = coated(shop)
    said = ", ".join(f"{m} min" for m in took[:0:-1])
    assert (
        f"Found ready the last times in such air: <b>{said} at 20 °C</b>" in shop.http.get(f"/parts/{part}/touch").text
    )
    page = shop.http.get("/shelf/epoxy-primer-grey").text
    assert f"flashed off after <b>{said} at 20 °C</b>" in page


def test_a_late_test_is_logged_at_its_own_time(shop):
    part = coated(shop)
    ended, sheet = shop.standing(part).top.coat.ended_at, minutes_to(shop, part)
    shop.clock.at = ended + timedelta(minutes=3 * sheet)
    at = (ended + timedelta(minutes=1.1 * sheet)).replace(second=0, microsecond=0)
    assert shop.log(part, "touch", ready="yes", milestone="flash", at=local(at)).status_code == 200
    assert shop.standing(part).top.opens.likely == at


def test_a_label_with_a_time_after_a_mist_is_typed_as_it_is_printed_and_moves_no_other_time(shop):
    page = shop.http.get("/shelf/single-stage-two-pack/edit").text
    boxes = [m for m in re.findall(r"<input[^>]*>", page) if 'type="checkbox"' not in m or " checked" in m]
    named = ((re.search(r'name="([^"]+)"', b), re.search(r'value="([^"]*)"', b)) for b in boxes)
    fields = {name[1]: value[1] if value else "" for name, value in named if name}
    for name, options in re.findall(r'<select[^>]*name="([^"]+)"[^>]*>(.*?)</select>', page, re.DOTALL):
        chosen = re.search(r'value="([^"]*)" selected', options)
        fields[name] = chosen[1] if chosen else ""
    spare = max(int(name.split(".")[1]) for name in fields if name.startswith("milestones."))
    mist = {"name": "flash", "mode": "solvent", "ref_minutes": "12", "after": "mist"}
    typed = fields | {f"milestones.{spare}.{name}": value for name, value in mist.items()}
    first = next(n for n in range(spare) if fields[f"milestones.{n}.name"] == "sand")
    typed |= {f"milestones.{first}.counts_for": "build", "build_coats": "2"}
    assert shop.http.post("/shelf/single-stage-two-pack/edit", data=typed).status_code == 303
    shown = shop.http.get("/shelf/single-stage-two-pack").text
    usual = next(m.ref_minutes for m in shipped().products["single-stage-two-pack"].milestones if m.name == "flash")
    assert re.search(
        r'<th scope="row">flashed off, after a mist coat <span class="soft">after one coat</span></th><td class="figure">12 min',
        shown,
    )
    assert re.search(
        rf'<th scope="row">flashed off <span class="soft">after one coat</span></th><td class="figure">{usual:g} min',
        shown,
    )
    assert f"opens when flashed off, {usual:g} min" in shown
    assert 'dry enough to sand <span class="soft">after the last of 2 coats</span>' in shown
    assert "12 min" not in shop.http.get("/shelf?find=machine+green").text
    part = shop.new_part("single-stage-epoxy", "bare_steel_sheet")
    assert shop.log(
        part, "coat", layer_id="colour" if "colour" in layers_of(shop, part) else "top", coat_kind="mist"
    ).is_success
    assert minutes_to(shop, part) == pytest.approx(12, rel=0.05)


def layers_of(shop, part):
    return [layer.id for layer in shop.standing(part).system.layers]


@pytest.mark.parametrize("at", ["0001-01-01T00:00", "9999-12-31T23:59", "soon"])
def test_doors_readings_and_dates_of_no_time_that_can_be_are_refused(shop, at):
    room, part = space_of(shop, "Room"), shop.new_part()
    press = {"press": str(uuid4()), "space": str(room.uuid)}
    assert shop.http.post("/weather/door", data={**press, "door": "open", "at": at}).status_code == 422
    assert shop.http.post("/weather/readings", data={**press, "air": "20", "rh": "50", "at": at}).status_code == 422
    assert shop.log(part, "move", space=str(room.uuid), at=at).status_code == 422
    assert shop.http.get(f"/parts/{part}?by={at}").status_code == 200
    assert shop.http.post("/weather/door", data={**press, "door": "ajar"}).status_code == 422

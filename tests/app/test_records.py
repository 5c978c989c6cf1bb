"""Climate records and rooms: what is brought in counts, and can be taken back whole."""

import re
from datetime import timedelta
from uuid import UUID, uuid4

import numpy as np
import pytest
from sqlalchemy import select
from tests.support import T0, ShopOnTrial

from cool_sheen.core.climate.series import Series, seconds
from cool_sheen.core.log.entries import ClimateReadingPayload, Entry
from cool_sheen.service.climate import space_series
from cool_sheen.service.jobs import spaces_by_id
from cool_sheen.service.weather_now import weather_now
from cool_sheen.store import log
from cool_sheen.store.models import ClimateImport


def space_named(shop: ShopOnTrial, name: str) -> UUID:
    with shop.workshop.read() as unit:
        return next(s.uuid for s in spaces_by_id(unit).values() if s.name == name)


def air(shop: ShopOnTrial, name: str, hours: float) -> tuple[float, float]:
    """Temperature and humidity of a space, so many hours from now."""
    at = shop.clock.at + timedelta(hours=hours)
    with shop.workshop.read() as unit:
        space = spaces_by_id(unit)[space_named(shop, name)]
        found: Series = space_series(unit, space, T0 - timedelta(days=2), weather_now(unit))
    there = found.sampled(np.array([seconds(at)]))
    return float(there.air_temp_c[0]), float(there.rh_pct[0])


def record(since_h: float, until_h: float, temp: float, rh: float, step_min: int = 20) -> str:
    count = int((until_h - since_h) * 60 / step_min) + 1
    times = [T0 + timedelta(hours=since_h, minutes=step_min * n) for n in range(count)]
    return "time,temp,rh\n" + "".join(f"{t:%Y-%m-%d %H:%M},{temp},{rh}\n" for t in times)


def bring(shop: ShopOnTrial, name: str, text: str, take: bool = True) -> str:
    data = {"space": str(space_named(shop, name)), "time_zone": "UTC"}
    shown = shop.http.post("/weather/records", data=data, files={"file": ("logger.csv", text.encode())})
    assert shown.status_code == 200, shown.text
    draft = shown.text.split("/weather/records/")[1].split("/")[0]
    if take:
        assert shop.http.post(f"/weather/records/{draft}/take").status_code == 303
    return draft


def test_a_record_silences_the_stand_in_from_its_first_reading_on(demo):
    before = air(demo, "Booth", -0.2)[0]
    assert before == pytest.approx(21, abs=1.5)
    bring(demo, "Booth", record(-12, -2, 9, 80))
    assert air(demo, "Booth", -5) == pytest.approx((9, 80), abs=0.1)
    now = air(demo, "Booth", 0)[0]  # two hours after the last reading the heater has taken back three quarters of it
    assert now == pytest.approx(21 - 0.25 * (21 - 9), abs=0.1)
    assert air(demo, "Booth", 24)[0] == pytest.approx(21, abs=0.5)


def test_what_lies_ahead_in_a_record_is_taken_as_a_forecast_and_the_preview_says_so(demo):
    text = record(-1, 6, 27, 40)
    data = {"space": str(space_named(demo, "Booth")), "time_zone": "UTC"}
    shown = demo.http.post("/weather/records", data=data, files={"file": ("ahead.csv", text.encode())})
    assert "18 readings lie in the future: they are taken as a forecast" in shown.text
    draft = shown.text.split("/weather/records/")[1].split("/")[0]
    demo.http.post(f"/weather/records/{draft}/take")
    assert air(demo, "Booth", 4) == pytest.approx((27, 40), abs=0.2)


def test_of_two_records_at_one_instant_the_later_one_counts_and_taking_it_back_brings_the_first_back(demo):
    bring(demo, "Finishing shop", record(-6, 0, 12, 60))
    demo.clock.turn(seconds=5)
    second = bring(demo, "Finishing shop", record(-6, 0, 15, 50))
    assert air(demo, "Finishing shop", -3)[0] == pytest.approx(15, abs=0.1)
    demo.http.post(f"/weather/records/{second}/withdraw")
    assert air(demo, "Finishing shop", -3)[0] == pytest.approx(12, abs=0.1)
    page = demo.http.get("/weather").text
    assert page.count("logger.csv</th>") == 2
    assert "taken back" in page


def test_a_record_of_the_yard_moves_the_rooms_that_follow_the_weather(demo):
    before = air(demo, "Garage bay", 0)[0]
    bring(demo, "Yard", record(-48, 0, 33, 30))
    assert air(demo, "Yard", -1)[0] == pytest.approx(33, abs=0.1)
    assert air(demo, "Garage bay", 0)[0] > before + 4


def test_gaps_of_over_three_hours_stay_gaps(demo):
    text = record(-10, -8, 5, 80) + record(-2, -1, 5, 80).partition("\n")[2]
    data = {"space": str(space_named(demo, "Garage bay")), "time_zone": "UTC"}
    shown = demo.http.post("/weather/records", data=data, files={"file": ("gap.csv", text.encode())}).text
    assert re.search(r"<dt>Gaps</dt><dd>1 of over three hours", shown)
    bring(demo, "Garage bay", text)
    model = air(demo, "Garage bay", 30)[0]
    assert air(demo, "Garage bay", -9)[0] == pytest.approx(5, abs=0.1)
    assert 5.5 < air(demo, "Garage bay", -3)[0] < model + 4  # fading back to the model, not held at five


def test_a_typed_reading_is_believed_before_a_record_and_voiding_it_brings_the_record_back(demo):
    bring(demo, "Booth", record(-3, 0, 18, 55))
    space = space_named(demo, "Booth")
    entry = Entry(
        uuid=uuid4(),
        payload=ClimateReadingPayload(space=space, air_temp_c=11, rh_pct=70),
        occurred_at=T0 - timedelta(hours=1),
    )
    with demo.workshop.write() as unit:
        log.append(unit.session, entry, T0)
    assert air(demo, "Booth", -1)[0] == pytest.approx(11, abs=0.1)
    void = Entry(uuid=uuid4(), payload={"kind": "void"}, occurred_at=T0, voids=entry.uuid)
    with demo.workshop.write() as unit:
        log.append(unit.session, void, T0)
    assert air(demo, "Booth", -1)[0] == pytest.approx(18, abs=0.1)


def test_a_draft_is_nothing_until_it_is_taken_and_goes_after_a_day(demo):
    draft = bring(demo, "Booth", record(-3, 0, 2, 55), take=False)
    assert air(demo, "Booth", -1)[0] > 18
    demo.clock.turn(hours=25)
    bring(demo, "Yard", record(-3, 0, 12, 55), take=False)
    with demo.workshop.read() as unit:
        names = list(unit.session.scalars(select(ClimateImport.uuid)))
    assert UUID(draft) not in names
    gone = demo.http.post(f"/weather/records/{draft}/take")
    assert gone.status_code == 404
    assert "choose the file again" in gone.text


@pytest.mark.parametrize(
    ("data", "says"),
    [
        ({"space": "nowhere"}, "Choose the space that the logger hung in"),
        ({"time_zone": "Mars/Crater"}, "Choose the time zone of the logger"),
    ],
)
def test_a_record_without_its_place_or_its_clock_is_refused(demo, data, says):
    form = {"space": str(space_named(demo, "Booth")), "time_zone": "UTC", **data}
    answer = demo.http.post("/weather/records", data=form, files={"file": ("x.csv", record(-1, 0, 20, 50).encode())})
    assert answer.status_code == 422
    assert says in answer.text

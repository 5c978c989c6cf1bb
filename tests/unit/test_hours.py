"""The working week: hours by weekday, days off, and who is there all the same."""

from datetime import UTC, date, datetime, time, timedelta
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given
from hypothesis import strategies as st

from cool_sheen.core.work.hours import Stretch, WorkingHours
from cool_sheen.web.views.week import week_in_words

BERLIN = ZoneInfo("Europe/Berlin")
LONG, SHORT = Stretch(time(8), time(18)), Stretch(time(9), time(12))
WEEK = WorkingHours((LONG, LONG, LONG, LONG, LONG, SHORT, None), BERLIN, ((date(2026, 6, 10), date(2026, 6, 11)),))


def on(day: int, hour: int, minute: int = 0) -> datetime:
    return datetime(2026, 6, day, hour, minute, tzinfo=BERLIN).astimezone(UTC)


FITS = {  # Monday is the 8th; the 10th and 11th are off
    "before opening": (on(8, 6), 1, on(8, 8)),
    "in the day": (on(8, 17), 1, on(8, 17)),
    "a minute too late": (on(8, 17, 1), 1, on(9, 8)),
    "over days off": (on(9, 17, 1), 1, on(12, 8)),
    "too long for a short day": (on(12, 17), 4, on(15, 8)),
    "short enough for it": (on(12, 17), 3, on(13, 9)),
    "over a shut day": (on(14, 10), 1, on(15, 8)),
    "longer than any day": (on(13, 8), 11, on(13, 9)),
}


@pytest.mark.parametrize("what", FITS)
def test_work_fits_into_the_hours_of_its_day(what):
    at, hours, expected = FITS[what]
    assert WEEK.fit(at, timedelta(hours=hours)) == expected


def test_a_day_off_has_no_closing_and_the_next_opening_is_looked_for_past_it():
    assert WEEK.closing(on(8, 10)) == on(8, 18)
    assert WEEK.closing(on(10, 10)) == on(10, 0)
    assert WEEK.next_opening(on(9, 10)) == on(12, 8)
    assert WEEK.next_opening(on(13, 10)) == on(15, 8)
    late = WEEK.working_late(on(14, 10))  # a Sunday
    assert late.fit(on(14, 11, 59), timedelta(hours=1)) == on(14, 11, 59)
    assert WEEK.working_late(on(13, 10)) == WEEK


@given(
    st.lists(st.sampled_from([LONG, SHORT, None]), min_size=7, max_size=7).filter(any),
    st.lists(st.integers(1, 28), max_size=6),
    st.integers(0, 20 * 1440),
    st.integers(1, 600),
)
def test_where_work_is_put_the_shop_is_open_and_nothing_earlier_would_do(week, off, minute, labour):
    hours = WorkingHours(tuple(week), BERLIN, tuple((date(2026, 6, d), date(2026, 6, d)) for d in off))
    at, work = on(1, 0) + timedelta(minutes=minute), timedelta(minutes=labour)

    def does(start: datetime) -> bool:
        local = start.astimezone(BERLIN)
        day = hours.on(local.date())
        if day is None or not day.opens <= local.time() < day.closes:
            return False
        ends = datetime.combine(local.date(), day.closes, BERLIN)
        return local + work <= ends

    longest = max(day.length for day in week if day)
    if work > longest:
        return
    found = hours.fit(at, work)
    assert found >= at
    assert does(found)
    tries = (at + timedelta(minutes=n) for n in range(0, int((found - at).total_seconds() // 60), 7))
    assert not any(does(earlier) for earlier in tries if earlier < found)


def test_a_week_is_said_in_a_few_words():
    alike = [["08:00", "18:00"]] * 7
    assert week_in_words(alike) == "08:00 to 18:00"
    assert week_in_words([*alike[:5], ["09:00", "12:00"], None]) == "Mon to Fri 08:00 to 18:00, Sat 09:00 to 12:00"

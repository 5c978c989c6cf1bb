"""Logger files: their dialects, their faults."""

from datetime import UTC, datetime

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from cool_sheen.formats.logger_csv import NotALog, Options, guess, read_logger

BERLIN = Options(time_zone="Europe/Berlin")
EIGHT = datetime(2026, 6, 8, 6, 0, tzinfo=UTC)  # eight o'clock in Berlin

DIALECTS = {
    "semicolon, decimal comma, German": "Zeit;Temperatur (°C);Luftfeuchte (%)\n08.06.2026 08:00;21,5;50\n08.06.2026 08:10;21,7;49,5\n",
    "tab, Fahrenheit, date and time apart, a preamble": "Logger 12\n\nDate\tTime\tTemp °F\tRH %\n06/08/2026\t08:00\t70.7\t50\n06/18/2026\t08:10\t71\t49.5\n",
    "comma, ISO with offset, no header": "2026-06-08T08:00:00+02:00,21.5,50\n2026-06-08T08:10:00+02:00,21.7,49.5\n",
    "columns in another order, with an index and a dew point": "no,dew point,relative humidity,timestamp,air temperature\n1,9,50,2026-06-08 08:00,21.5\n2,9,49.5,2026-06-08 08:10,21.7\n",
    "quoted, twelve-hour clock, Fahrenheit": '"Date-Time","Temperature (°F)","RH (%)"\n"06/08/26 08:00:00 AM","70.7","50"\n"06/08/26 08:10:00 AM","71","49.5"\n',
    "comma, decimal commas in quotes, Fahrenheit": '"Time","Temperature [F]","Humidity [%]"\n"08/06/2026 08:00","70,7","50,0"\n"18/06/2026 08:10","71","49,5"\n',
    "units in the cells": "time,temp,humidity\n2026-06-08 08:00,21.5 °C,50 %\n2026-06-08 08:10,21.7 °C,49.5 %\n",
    "metadata of the same width, and the units in a row of their own": "Logger,Serial,Model\nL7,0042,TH-1\ntime,temperature,humidity\n,°F,%\n2026-06-08 08:00,70.7,50\n2026-06-08 08:10,71,49.5\n",
    "time of day before the date": "clock;day;humidity;temp C\n08:00;08.06.2026;50;21.5\n08:10;08.06.2026;49.5;21.7\n",
    "French, UTF-16": "horodatage heure;température;humidité\n08/06/2026 08:00;21,5;50\n18/06/2026 08:10;21,7;49,5\n",
}  # fmt: skip


@pytest.mark.parametrize("name", DIALECTS)
def test_the_dialects_of_loggers_are_understood(name):
    encoding = "utf-16" if "UTF-16" in name else "utf-8-sig"
    record = read_logger(DIALECTS[name].encode(encoding), BERLIN)
    assert not record.problems
    assert record.readings[0].at == EIGHT
    assert record.readings[0].air_temp_c == pytest.approx(21.5)
    assert [r.rh_pct for r in record.readings] == [50, 49.5]


def test_rows_that_cannot_be_read_are_named_by_line_and_the_rest_is_read():
    text = "time,temp,rh\n2026-06-08 08:00,21,50\nyesterday,21,50\n2026-06-08 08:20,hot,50\n2026-06-08 08:30,21,140\n2026-06-08 08:40,21\n2026-06-08 08:50,22,51\n"
    record = read_logger(text.encode(), BERLIN)
    assert len(record.readings) == 2
    assert [(p.line, p.why) for p in record.problems] == [
        (3, "“yesterday” is no date and time"),
        (4, "“hot” is no temperature"),
        (5, "a humidity of 140 % cannot be; it lies above 0 and up to 100 %"),
        (6, "it has 2 columns, and 3 are needed"),
    ]


@pytest.mark.parametrize(
    ("content", "says"),
    [
        (b"", "The file is empty"),
        (b"\x89PNG\r\n\x1a\n" + b"\x00\x01" * 50, "no text file"),
        (b"x" * 20_000_001, "20 MB at a time"),
        (b"hello\nworld\n", "No table was found"),
        (
            b"alpha,beta,gamma\n2026-06-08 08:00,21,50\n",
            "No column for time and temperature and humidity among “alpha”",
        ),
        (b"time,temp,rh\n2026-06-08 08:00,50,21\n2026-06-08 08:10,51,21\n", "look swapped"),
        (b"time,temp,rh\n21.5,2026-06-08 08:00,50\n", "Line 2: “21.5” is no date and time"),
    ],
)
def test_a_file_that_is_no_record_is_refused_with_what_to_do(content, says):
    with pytest.raises(NotALog, match=says):
        read_logger(content, BERLIN)


def test_what_looks_swapped_can_be_sorted_out_by_hand():
    odd = b"time,temp,rh\n2026-06-08 08:00,50,21\n"
    assert read_logger(odd, Options("Europe/Berlin", columns=(0, 2, 1))).readings[0].air_temp_c == 21
    assert read_logger(odd, Options("Europe/Berlin", sure=True)).readings[0].air_temp_c == 50
    assert read_logger(odd, Options("Europe/Berlin", unit="F", sure=True)).readings[0].air_temp_c == pytest.approx(10)


@pytest.mark.parametrize(
    ("rows", "taken"),
    [
        ([(34, 28), (36, 22)], True),  # a hot dry afternoon
        ([(40, 21), (55, 22)], False),  # humidity where the temperature should be
        ([(35, 21), (36, 21)], False),
        ([(70, 80), (72, 78)], False),  # Fahrenheit without a word
        ([(28, 90), (29, 88)], True),
    ],
)
def test_a_hot_record_is_taken_and_a_swapped_one_is_not(rows, taken):
    text = "time,temp,rh\n" + "".join(f"2026-06-08 08:{n}0,{t},{h}\n" for n, (t, h) in enumerate(rows))
    if taken:
        assert len(read_logger(text.encode(), BERLIN).readings) == 2
    else:
        with pytest.raises(NotALog, match="swapped, or the temperature is in Fahrenheit"):
            read_logger(text.encode(), BERLIN)


def test_the_doubled_hour_of_autumn_follows_the_rule_and_the_missing_hour_of_spring_is_refused():
    autumn = b"time,temp,rh\n2026-10-25 02:30,15,60\n"
    earlier, later = (
        read_logger(autumn, Options("Europe/Berlin", doubled_hour=rule)).readings[0].at for rule in ("earlier", "later")
    )
    assert (later - earlier).total_seconds() == 3600
    spring = b"time,temp,rh\n2026-03-29 02:30,15,60\n2026-03-29 03:30,15,60\n"
    record = read_logger(spring, BERLIN)
    assert "the clocks went forward" in record.problems[0].why
    assert len(record.readings) == 1


def test_day_and_month_are_told_apart_by_a_number_that_can_only_be_a_day():
    for day, order in (("13/06/2026", "day first"), ("06/13/2026", "month first")):
        record = read_logger(f"time,temp,rh\n06/06/2026 08:00,21,50\n{day} 08:00,21,50\n".encode(), BERLIN)
        assert (record.date_order, len(record.readings)) == (order, 2)


@given(st.binary(max_size=400) | st.text(alphabet="0123456789,;\t\n-: .hrtempim%", max_size=400).map(str.encode))
@settings(max_examples=200, deadline=None)
def test_any_bytes_end_in_a_record_or_a_refusal(content):
    list(guess(content))
    try:
        record = read_logger(content, BERLIN)
    except NotALog:
        return
    assert record.readings
    assert all(0 < r.rh_pct <= 100 for r in record.readings)

"""A typical year in EPW, the open building-weather format: 8760 hours of a place."""

import csv
from datetime import UTC, datetime, timedelta, timezone

from cool_sheen.formats.logger_csv import LoggerRecord, NotALog, Problem, Reading
from cool_sheen.formats.sky_columns import COLUMNS, SkyRow, checked

_HEAD = 8
_MONTH, _DAY, _HOUR, _AIR, _RH = 1, 2, 3, 6, 8
# Of the sky: column, the code for "missing", and what brings it into our unit (the cover is given in tenths).
_SKY = {"wind_m_per_s": (21, 999.0, 1.0), "cloud_pct": (22, 99.0, 10.0), "rain_mm_per_h": (33, 999.0, 1.0)}
_NO_AIR, _NO_RH = 99.9, 999.0  # the format's codes for "missing"
_MOST_LINES = 9_000
_MOST_PROBLEMS = 50
_LEAST_ROWS = 24


def is_epw(content: bytes) -> bool:
    """Whether a file begins like one."""
    return content.lstrip(b"\xef\xbb\xbf \r\n")[:9].upper() == b"LOCATION,"


def read_epw(content: bytes, years: range) -> LoggerRecord:
    """Read a typical year and lay it over calendar years.

    Args:
        content: The file.
        years: The years that it stands for; its own are left aside, since months of many years were put together.

    Returns: Readings in order of time, hour by hour in the place's standard time (an hour ends at its number); rows
        with missing-value codes or figures that cannot be are named by line and left out, so that gaps stay gaps.
    Raises: NotALog: no hours, or a head without the place's offset.
    Source: EnergyPlus weather format: columns dry bulb, relative humidity, wind speed, total
        sky cover and liquid precipitation; 99.9, 999 and 99 for missing.
    """
    lines = content.decode("utf-8-sig", errors="replace").splitlines()
    if len(lines) > _MOST_LINES:
        raise NotALog(f"The file has {len(lines):,} lines; a typical year has a head and 8,760 hours.")
    try:
        rows = list(csv.reader(lines[:_HEAD])) if lines else []
        offset = timezone(timedelta(hours=float(rows[0][8])))
    except (IndexError, ValueError, OverflowError, csv.Error) as error:
        raise NotALog("The first line of an EPW file names its place and time zone; this one does not.") from error
    record = LoggerRecord(
        delimiter=",",
        header=["typical year", rows[0][1]],
        columns=(0, _AIR, _RH),
        unit="C",
        date_order="month first",
        decimal_comma=False,
    )
    try:
        body = list(csv.reader(lines[_HEAD:]))
    except csv.Error as error:
        raise NotALog(f"The table of hours breaks off: {error}.") from error
    hours = [h for n, row in enumerate(body, _HEAD + 1) if (h := _hour(n, row, record))]
    if len(hours) < _LEAST_ROWS:
        why = f" Line {record.problems[0].line}: {record.problems[0].why}." if record.problems else ""
        raise NotALog(f"No day of hours could be read in this EPW file.{why}")
    for year in years:
        for month, day, hour, air, rh, sky in hours:
            if at := _instant(year, month, day, hour, offset):
                record.readings.append(Reading(at, air, rh, sky))
    by_time = {reading.at: reading for reading in record.readings}
    record.repeats = len(record.readings) - len(by_time)
    record.readings = [by_time[at] for at in sorted(by_time)]
    return record


def _instant(year: int, month: int, day: int, hour: int, offset: timezone) -> datetime | None:
    try:
        return (datetime(year, month, day, tzinfo=offset) + timedelta(hours=hour)).astimezone(UTC)
    except ValueError:
        return None  # the twenty-ninth of February of another year


def _hour(line: int, row: list[str], record: LoggerRecord) -> tuple[int, int, int, float, float, SkyRow] | None:
    if not any(cell.strip() for cell in row):
        return None
    try:
        month, day, hour = (int(row[c]) for c in (_MONTH, _DAY, _HOUR))
        air, rh = float(row[_AIR]), float(row[_RH])
    except (IndexError, ValueError):
        _problem(record, line, row, "it has no month, day, hour, temperature and humidity")
        return None
    if air >= _NO_AIR or rh >= _NO_RH:
        _problem(record, line, row, "temperature or humidity is marked as missing")
        return None
    if not (-70 <= air <= 70 and 0 < rh <= 110 and 1 <= month <= 12 and 1 <= day <= 31 and 1 <= hour <= 24):
        _problem(record, line, row, f"{air:g} °C at {rh:g} % in hour {hour} of {day}.{month}. cannot be")
        return None
    return month, day, hour, air, min(rh, 100.0), _sky(row)


def _sky(row: list[str]) -> SkyRow:
    """Wind, rain and cloud of an hour; the format knows no gusts, and marks what is missing by a figure of its own."""
    figures: dict[str, float | None] = {}
    for name, (place, missing, times) in _SKY.items():
        try:
            value = float(row[place])
        except (IndexError, ValueError):
            continue
        figures[name] = None if not 0 <= value < missing else min(value * times, COLUMNS[name].most)
    return checked(figures)


def _problem(record: LoggerRecord, line: int, row: list[str], why: str) -> None:
    record.problem_count += 1
    if len(record.problems) < _MOST_PROBLEMS:
        record.problems.append(Problem(line, ",".join(row)[:120], why))

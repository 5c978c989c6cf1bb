"""Climate files of any kind: a logger's record, a forecast as CSV or JSON, a typical year in EPW."""

import json
from datetime import UTC, datetime
from typing import Any

from cool_sheen.formats.epw import is_epw, read_epw
from cool_sheen.formats.logger_csv import MOST_BYTES, LoggerRecord, NotALog, Options, Problem, Reading, read_logger
from cool_sheen.formats.logger_times import check_year
from cool_sheen.formats.sky_columns import COLUMNS, checked

KINDS: dict[str, str] = {
    "record": "a logger's record", "forecast": "a forecast", "typical_year": "a typical year",
}  # fmt: skip
_MOST_POINTS = 20_000


def read_climate_file(content: bytes, options: Options, now: datetime) -> tuple[str, LoggerRecord]:
    """Read a climate file by what it is.

    Args:
        content: The file.
        options: What the file does not say.
        now: The present; a typical year is laid over this year and the next.

    Returns: Its kind and what was understood. Raises NotALog.
    """
    if is_epw(content):
        return "typical_year", read_epw(content, range(now.year - 1, now.year + 2))
    if content.lstrip(b"\xef\xbb\xbf \r\n\t")[:1] in (b"[", b"{"):
        return "forecast", read_json(content)
    return ("forecast" if options.kind == "forecast" else "record"), read_logger(content, options)


def read_json(content: bytes) -> LoggerRecord:
    """Read a forecast as JSON: a list of points, or an object with one under ``series``, as the calculators write it.

    A point may also have ``wind_m_per_s``, ``gust_m_per_s``, ``rain_mm_per_h`` and ``cloud_pct``.

    Raises: NotALog: no such list, or no point of it can be read.
    """
    if len(content) > MOST_BYTES:
        raise NotALog(f"The file has {len(content) / 1e6:.0f} MB; {MOST_BYTES / 1e6:.0f} MB at a time are read.")
    try:
        data = json.loads(content)
    except (ValueError, RecursionError) as error:
        raise NotALog("This is no JSON that can be read: it breaks off, or a bracket is missing.") from error
    points = data.get("series") if isinstance(data, dict) else data
    if not isinstance(points, list) or not points:
        raise NotALog(
            'A forecast is a list of points such as {"at": "2026-06-08T08:00:00Z", "air_temp_c": 18, "rh_pct": 60}.'
        )
    if len(points) > _MOST_POINTS:
        raise NotALog(f"The forecast has {len(points):,} points; {_MOST_POINTS:,} are read.")
    record = LoggerRecord(",", ["at", "air_temp_c", "rh_pct"], (0, 1, 2), "C", "day first", False)
    for place, point in enumerate(points):
        _point(record, place, point)
    if not record.readings:
        raise NotALog(
            f"No point of this forecast could be read. Point {record.problems[0].line}: {record.problems[0].why}"
        )
    by_time = {reading.at: reading for reading in record.readings}
    record.repeats = len(record.readings) - len(by_time)
    record.readings = [by_time[at] for at in sorted(by_time)]
    return record


def _point(record: LoggerRecord, place: int, point: Any) -> None:
    try:
        at = datetime.fromisoformat(point["at"])
        air, rh = float(point["air_temp_c"]), float(point["rh_pct"])
        if at.tzinfo is None:
            raise ValueError(f"{point['at']} has no offset from UTC")
        check_year(at)
        if not (-60 <= air <= 60 and 0 < rh <= 100):
            raise ValueError(f"{air:g} °C at {rh:g} % cannot be")
        sky = checked({name: None if point.get(name) is None else float(point[name]) for name in COLUMNS})
    except (KeyError, TypeError, ValueError, OverflowError) as error:
        record.problem_count += 1
        if len(record.problems) < 50:
            why = f"it has no {error}" if isinstance(error, KeyError) else str(error)
            record.problems.append(Problem(place, json.dumps(point)[:120], why))
        return
    record.readings.append(Reading(at.astimezone(UTC), air, rh, sky))

"""Reads the files that temperature and humidity loggers write, whatever their dialect.

Time, temperature in Celsius or Fahrenheit and relative humidity; comma, semicolon or tab; point or comma as the decimal
mark; header words of several languages, or none. Nothing is guessed silently: what was understood is in the result.
"""

import csv
import re
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from itertools import islice
from statistics import median
from zoneinfo import ZoneInfo

from cool_sheen.formats.logger_times import moment, second_time, zoned
from cool_sheen.formats.logger_words import HEADER_WORDS, NEVER
from cool_sheen.formats.sky_columns import NO_SKY, Placed, SkyRow, read_sky_row, says, sky_columns

MOST_BYTES = 20_000_000
MOST_ROWS = 120_000  # a year of readings every five minutes
MOST_COLUMNS = 200
_LONGEST_LINE = 20_000
_SAMPLE = 500  # lines by which the table is understood
_PROBLEMS_SHOWN = 50
_HEAD_ROWS = 60  # where the figures have to begin
_DELIMITERS = (";", "\t", ",", "|")


class NotALog(ValueError):
    """The file as a whole cannot be a logger's record; the text says why, and what to do."""


@dataclass(frozen=True, slots=True)
class Options:
    """How to read what the file itself does not say. Empty means: find out."""

    time_zone: str = "UTC"
    doubled_hour: str = "earlier"  # which of the two, in autumn
    unit: str = ""  # C or F
    date_order: str = ""  # a key of SLASHED
    columns: tuple[int, int, int] | None = None  # time, temperature, humidity; from 0
    sure: bool = False  # the figures look odd, and are right
    kind: str = ""  # record or forecast


@dataclass(frozen=True, slots=True)
class Problem:
    """A row that cannot be read."""

    line: int
    text: str
    why: str


@dataclass(slots=True)
class Reading:
    """One row."""

    at: datetime
    air_temp_c: float
    rh_pct: float
    sky: SkyRow = NO_SKY


@dataclass(slots=True)
class LoggerRecord:
    """What was understood of a file."""

    delimiter: str
    header: list[str]
    columns: tuple[int, int, int]
    unit: str
    date_order: str
    decimal_comma: bool
    clock: int | None = None  # the column of the time of day, where the date has one of its own
    sky: Placed = field(default_factory=dict)  # the columns of wind, gusts, rain and cloud
    readings: list[Reading] = field(default_factory=list)
    problems: list[Problem] = field(default_factory=list)
    problem_count: int = 0
    repeats: int = 0

    @property
    def sky_says(self) -> str:
        """What was understood of the sky, in words."""
        return says([reading.sky for reading in self.readings])

    @property
    def gaps(self) -> list[tuple[datetime, datetime]]:
        """Stretches of over three hours without a reading."""
        pairs = zip(self.readings, self.readings[1:], strict=False)
        return [(a.at, b.at) for a, b in pairs if b.at - a.at > timedelta(hours=3)]


def read_logger(content: bytes, options: Options) -> LoggerRecord:
    """Read a logger's file.

    Args:
        content: The file.
        options: What the file does not say.

    Returns: Readings in order of time, and every row that could not be read by its line.
    Raises: NotALog: the file is empty, no text, too large, without the columns that are needed, or its temperature
        and humidity look swapped.
    """
    lines = _text(content).splitlines()
    delimiter, first = _shape(lines)
    rows = _table(lines[first : first + _SAMPLE], delimiter)
    widest = max(map(len, rows[:_HEAD_ROWS]), default=0)
    if widest > MOST_COLUMNS:
        raise NotALog(
            f"The table has {widest:,} columns; {MOST_COLUMNS} are read. Export time, temperature and humidity."
        )
    begins = next((n for n, row in enumerate(rows[:_HEAD_ROWS]) if _is_data(row)), min(1, len(rows) - 1))
    header = _header(rows[:begins])
    body = rows[begins:]  # the first of them: they show what the columns are
    if (count := len(lines) - first - begins) > MOST_ROWS:
        raise NotALog(f"The file has {count:,} rows; {MOST_ROWS:,} at a time are read. Split it.")
    columns, clock = _with_clock(options.columns or _columns(header, body), body)
    record = LoggerRecord(
        delimiter=delimiter,
        header=header,
        columns=columns,
        unit=options.unit or _unit(header, columns, body),
        date_order="",
        decimal_comma=_decimal_comma(body, columns),
        clock=clock,
        sky=sky_columns(header, [*columns, *([clock] if clock is not None else [])]),
    )
    record.date_order = options.date_order or _date_order(_body(lines, first, begins, delimiter), record)
    _read_rows(record, _body(lines, first, begins, delimiter), first + begins + 1, options)
    if not record.readings:
        why = f" Line {record.problems[0].line}: {record.problems[0].why}" if record.problems else ""
        raise NotALog(f"No row of this file could be read.{why}")
    if not options.sure:
        _refuse_swapped(record)
    return record


def _header(above: list[list[str]]) -> list[str]:
    """Join the last rows above the figures: some loggers write the units under the names."""
    if not above:
        return []
    same = [row for row in above[-2:] if len(row) == len(above[-1])]
    return [
        " ".join(dict.fromkeys(cell.strip() for cell in cells if cell.strip())) for cells in zip(*same, strict=True)
    ]


def _table(lines: list[str], delimiter: str) -> list[list[str]]:
    try:
        return list(csv.reader(lines, delimiter=delimiter, skipinitialspace=True))
    except csv.Error as error:
        raise NotALog(f"The table breaks off: {error}. Export the record again.") from error


def _body(lines: list[str], first: int, begins: int, delimiter: str) -> Iterator[list[str]]:
    """Give the rows with figures one by one: all of them at once would take ten times what the file does."""
    rows = csv.reader(islice(lines, first, None), delimiter=delimiter, skipinitialspace=True)
    try:
        yield from islice(rows, begins, None)
    except csv.Error as error:
        raise NotALog(f"The table breaks off: {error}. Export the record again.") from error


def _text(content: bytes) -> str:
    if not content.strip():
        raise NotALog("The file is empty. Choose the record that your logger wrote.")
    if len(content) > MOST_BYTES:
        raise NotALog(
            f"The file has {len(content) / 1e6:.0f} MB; {MOST_BYTES / 1e6:.0f} MB at a time are read. Split it."
        )
    if content[:2] in (b"\xff\xfe", b"\xfe\xff"):
        return content.decode("utf-16", errors="replace")
    head = content[:4000]
    if b"\x00" in head or sum(b < 9 or 13 < b < 32 for b in head) > len(head) // 50:
        raise NotALog("This is no text file (a picture, a spreadsheet or a program?). Export the record as CSV.")
    try:
        return content.decode("utf-8-sig")
    except UnicodeDecodeError:
        return content.decode("cp1252", errors="replace")


def _shape(lines: list[str]) -> tuple[str, int]:
    """Return the delimiter, and the first line of the table: loggers often write a few lines about themselves."""
    head = list(islice(((n, line) for n, line in enumerate(lines) if line.strip()), 60))
    if not head:
        raise NotALog("The file is empty. Choose the record that your logger wrote.")
    if any(len(line) > _LONGEST_LINE for _, line in head):
        raise NotALog("A line of this file is longer than a logger's table has columns. Export the record as CSV.")
    best: tuple[int, str, int] = (0, "", 0)
    for delimiter in _DELIMITERS:
        widths = [(n, _width(line, delimiter)) for n, line in head]
        usual = max({w for _, w in widths}, key=[w for _, w in widths].count)
        if usual >= 3:
            fitting = [n for n, w in widths if w == usual]
            if len(fitting) > best[0]:
                best = (len(fitting), delimiter, fitting[0])
    if not best[0]:
        raise NotALog(
            "No table was found: a record has a column each for time, temperature and humidity, parted by comma, "
            "semicolon or tab."
        )
    return best[1], best[2]


def _width(line: str, delimiter: str) -> int:
    """How many cells a line has; a delimiter inside quotes is part of its cell."""
    try:
        return len(next(csv.reader([line], delimiter=delimiter, skipinitialspace=True), []))
    except csv.Error:
        return 0


_DATE_ONLY = re.compile(r"\d{1,4}[-./]\d{1,2}[-./]\d{1,4}\.?")
_CLOCK_ONLY = re.compile(r"\d{1,2}:\d{2}(:\d{2})?(\s*[AaPp][Mm])?")


def _with_clock(columns: tuple[int, int, int], body: list[list[str]]) -> tuple[tuple[int, int, int], int | None]:
    """Return the columns with the date first, and the column of the time of day where it has one of its own."""
    row = next((r for r in body if len(r) > max(columns)), None)
    if row is None:
        return columns, None
    dates = [c for c, cell in enumerate(row) if _DATE_ONLY.fullmatch(cell.strip())]
    clocks = [c for c, cell in enumerate(row) if _CLOCK_ONLY.fullmatch(cell.strip())]
    if columns[0] in [*dates, *clocks] and dates and clocks:
        return (dates[0], columns[1], columns[2]), clocks[0]
    return columns, None


_NUMBER = re.compile(r"[-+]?\d+(?:[.,]\d+)?\s*(?:°?\s*[CF]|%)?(?:\s*(?:RH|rH|rF))?", re.IGNORECASE)


def _is_data(row: list[str]) -> bool:
    if any(moment(cell, "day first") or moment(cell, "month first") for cell in row):
        return True
    return any(_DATE_ONLY.fullmatch(cell.strip()) for cell in row)


def _columns(header: list[str], body: list[list[str]]) -> tuple[int, int, int]:
    """Find time, temperature and humidity by the header's words; by the figures where there is no header."""
    if not header:
        return _columns_by_figures(body)
    found: dict[str, int] = {}
    for wanted in ("time", "rh", "temp"):
        scores = [(_score(cell, wanted), -place) for place, cell in enumerate(header) if place not in found.values()]
        score, place = max(scores, default=(0, 0))
        if score:
            found[wanted] = -place
    names = {"time": "time", "temp": "temperature", "rh": "humidity"}
    missing = [names[k] for k in names if k not in found]
    if missing:
        there = ", ".join(f"“{cell}”" for cell in header[:12])
        raise NotALog(f"No column for {' and '.join(missing)} among {there}. Choose the columns below.")
    return found["time"], found["temp"], found["rh"]


def _score(cell: str, wanted: str) -> int:
    text = cell.lower().strip()
    if any(word in text for word in NEVER[wanted]):
        return 0
    words = set(re.split(r"[^a-zà-ÿ°%.]+", text))
    for weight, word in enumerate(reversed(HEADER_WORDS[wanted]), start=1):
        if word in words:
            return 100 + weight
        if len(word) > 2 and word in text:
            return 50 + weight
    return 1 if wanted == "rh" and "%" in text else 0


def _columns_by_figures(body: list[list[str]]) -> tuple[int, int, int]:
    sample = body[:20]
    width = min(len(row) for row in sample)
    times = [c for c in range(width) if sum(_is_data([row[c]]) for row in sample) > len(sample) / 2]
    figures = [
        c
        for c in range(width)
        if c not in times and 2 * sum(bool(_NUMBER.fullmatch(r[c].strip())) for r in sample) >= len(sample)
    ]
    if not times or len(figures) < 2:
        raise NotALog(
            "There is no header, and time, temperature and humidity cannot be told apart. Choose the columns."
        )
    return times[0], figures[-2], figures[-1]


def _unit(header: list[str], columns: tuple[int, int, int], body: list[list[str]]) -> str:
    title = header[columns[1]] if header and columns[1] < len(header) else ""
    sample = [row[columns[1]] for row in body[:20] if len(row) > columns[1]]
    if re.search(r"(°\s*f\b|\bf\b|\(f\)|fahrenheit|_f\b)", title, re.IGNORECASE) or any(
        re.search(r"\d\s*°?\s*F$", cell.strip(), re.IGNORECASE) for cell in sample
    ):
        return "F"
    return "C"


def _date_order(body: Iterable[list[str]], record: LoggerRecord) -> str:
    """Where day and month are slashed, look for a number that can only be a day; else go by the unit's country."""
    column = record.columns[0]
    for row in body:
        match = re.match(r"\s*(\d{1,2})[/-](\d{1,2})[/-]", row[column] if column < len(row) else "")
        if match and int(match[1]) > 12:
            return "day first"
        if match and int(match[2]) > 12:
            return "month first"
    return "month first" if record.unit == "F" else "day first"


def _decimal_comma(body: list[list[str]], columns: tuple[int, int, int]) -> bool:
    return any("," in row[c] for row in body[:50] for c in columns[1:] if c < len(row))


def _read_rows(record: LoggerRecord, body: Iterable[list[str]], first_line: int, options: Options) -> None:
    zone = ZoneInfo(options.time_zone)
    readings: dict[datetime, Reading] = {}
    before: datetime | None = None
    for line, row in enumerate(body, start=first_line):
        if not any(cell.strip() for cell in row):
            continue
        try:
            reading = _read_row(record, row, zone, options.doubled_hour)
        except (ValueError, OverflowError) as error:
            record.problem_count += 1
            if len(record.problems) < _PROBLEMS_SHOWN:
                record.problems.append(Problem(line, record.delimiter.join(row)[:80], str(error)))
            continue
        if before is not None and reading.at <= before:
            reading.at = second_time(reading.at, before, zone)
        before = reading.at
        record.repeats += reading.at in readings
        readings[reading.at] = reading
    record.readings = [readings[at] for at in sorted(readings)]


def _read_row(record: LoggerRecord, row: list[str], zone: ZoneInfo, doubled_hour: str) -> Reading:
    t, a, h = record.columns
    last = max(*record.columns, record.clock or 0)
    if len(row) <= last:
        raise ValueError(f"it has {len(row)} columns, and {last + 1} are needed")
    when = row[t] if record.clock is None else f"{row[t].strip().rstrip('.')} {row[record.clock].strip()}"
    at = moment(when, record.date_order)
    if at is None:
        raise ValueError(f"“{when.strip()[:30]}” is no date and time")
    air = _number(row[a], "temperature")
    air_c = (air - 32) / 1.8 if record.unit == "F" else air
    rh = _number(row[h], "humidity")
    if not -60 <= air_c <= 90:
        raise ValueError(f"a temperature of {air_c:.0f} °C cannot be; from -60 to 90 °C are read")
    if not 0 < rh <= 100:
        raise ValueError(f"a humidity of {rh:g} % cannot be; it lies above 0 and up to 100 %")
    return Reading(zoned(at, zone, doubled_hour), air_c, rh, read_sky_row(row, record.sky))


def _number(cell: str, what: str) -> float:
    text = cell.strip()
    if not _NUMBER.fullmatch(text):
        raise ValueError(f"“{text[:30]}” is no {what}")
    return float(re.sub(r"[^\d.+-]", "", text.replace(",", ".")))


_HOT_C, _VERY_HOT_C = 30.0, 45.0  # a room may be hot; hotter than this it is more likely a mistake


def _refuse_swapped(record: LoggerRecord) -> None:
    """Refuse figures that are more likely a mistake: humidity swings more than temperature, and rooms are not ovens."""
    airs, rhs = [r.air_temp_c for r in record.readings], [r.rh_pct for r in record.readings]
    air, rh = median(airs), median(rhs)
    dry_and_steady = rh < air and max(airs) - min(airs) > max(rhs) - min(rhs)
    if air > _VERY_HOT_C or (air > _HOT_C and dry_and_steady):
        raise NotALog(
            f"Temperature and humidity look swapped, or the temperature is in Fahrenheit: the middle of the record is "
            f"{air:.0f} °C at {rh:.0f} %. Choose the columns or the unit, or confirm that it was so hot."
        )


def guess(content: bytes) -> Iterator[list[str]]:
    """Give the first rows of a file as cells, for choosing the columns; nothing for a file that has none."""
    try:
        lines = _text(content).splitlines()
        delimiter, first = _shape(lines)
        rows = _table(lines[first : first + 6], delimiter)
    except NotALog:
        return
    yield from rows

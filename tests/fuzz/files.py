"""Files as loggers, weather services and other shops write them, and then spoiled."""

import json
import random
from datetime import UTC, datetime, timedelta
from functools import cache

from cool_sheen.formats import documents
from cool_sheen.formats.catalogue import shipped
from cool_sheen.formats.climate_files import read_climate_file
from cool_sheen.formats.documents import Document, Unsound, written
from cool_sheen.formats.logger_csv import NotALog, Options
from tests.fuzz import nasty

NOW = datetime(2026, 6, 8, 8, tzinfo=UTC)


@cache
def seeds() -> dict[str, bytes]:
    """One sound file of each kind."""
    times = [NOW - timedelta(hours=h) for h in range(48, 0, -1)]
    logger = "Time;Temperature [°C];Humidity [%RH];Wind m/s\n" + "".join(
        f"{t:%d.%m.%Y %H:%M};{18 + n % 5},{n % 10};{55 + n % 9};{n % 4}\n" for n, t in enumerate(times)
    )
    us = "Date,Clock,Temp (F),RH\n" + "".join(
        f"{t:%m/%d/%Y},{t:%I:%M %p},{64 + n % 5},{50 + n % 9}\n" for n, t in enumerate(times)
    )
    points = [{"at": t.isoformat(), "air_temp_c": 18, "rh_pct": 60, "wind_m_per_s": 3} for t in times]
    hours = "".join(
        f"2001,{1 + n // 24 // 28 % 12},{1 + n // 24 % 28},{1 + n % 24},0,A7,{10 + n % 9}.5,5.0,{60 + n % 30},101325,"
        f"0,0,300,0,0,0,0,0,0,0,180,{n % 9}.0,5,5,20,7000,9,999999999,15,0.1,0,88,0.2,{n % 3}.0,1.0\n"
        for n in range(96)
    )
    epw = "LOCATION,Somewhere,X,YYY,TMY,000000,50.0,8.0,1.0,100.0\n" + "DESIGN CONDITIONS,0\n" * 7 + hours
    c = shipped()
    shelf = Document(products=tuple(c.products.values())[:3], systems=(), supplies=tuple(c.supplies.values())[:4])
    return {
        "logger": logger.encode("cp1252"),
        "us": us.encode(),
        "json": json.dumps({"series": points}).encode(),
        "epw": epw.encode(),
        "shelf": written(shelf).encode(),
    }


def spoil(content: bytes, dice: random.Random) -> bytes:
    """Return a file in which something is not as it should be."""
    out = bytearray(content)
    for _ in range(dice.choice((1, 1, 2, 5, 30))):
        place, way = dice.randrange(len(out) + 1), dice.random()
        if way < 0.25:
            end = min(len(out), place + dice.randint(1, 12))
            out[place:end] = nasty.text(dice).encode("utf-8", "replace")[:600]
        elif way < 0.4 and out:
            out[min(place, len(out) - 1)] = dice.randrange(256)
        elif way < 0.5:
            del out[place : place + dice.randint(1, 400)]
        elif way < 0.6:
            out[place:place] = out[place : place + dice.randint(1, 300)] * dice.randint(1, 4)
        elif way < 0.8:
            _field(out, dice)
        elif way < 0.85:
            out[place:] = b""
        else:
            out[place:place] = bytes(
                dice.choice((0, 9, 10, 13, 34, 44, 59, 91, 93, 123, 125, 255)) for _ in range(dice.randint(1, 6))
            )
    return bytes(out[:400_000])


def _field(out: bytearray, dice: random.Random) -> None:
    """Put something else in the place of one cell or value."""
    marks = [n for n, b in enumerate(out[:20_000]) if b in b",;:\n"]
    if len(marks) > 1:
        which = dice.randrange(len(marks) - 1)
        out[marks[which] + 1 : marks[which + 1]] = nasty.text(dice).encode("utf-8", "replace")


def options(dice: random.Random) -> Options:
    """How the file is said to be read."""
    columns = tuple(dice.choice((0, 1, 2, 3, 7, 39, 200)) for _ in range(3)) if dice.random() < 0.2 else None
    return Options(
        time_zone=dice.choice(("UTC", "Europe/Berlin", "Pacific/Apia")),
        doubled_hour=dice.choice(("earlier", "later")),
        unit=dice.choice(("", "C", "F")),
        date_order=dice.choice(("", "day first", "month first")),
        columns=columns,
        sure=dice.random() < 0.3,
        kind=dice.choice(("", "forecast")),
    )


def read(kind: str, content: bytes, dice: random.Random) -> str:
    """Read a file; return what came of it: taken or refused. Anything else is a fault of the program."""
    try:
        if kind == "shelf":
            documents.read(content)
        else:
            _, record = read_climate_file(content, options(dice), NOW)
            assert record.readings
            assert all(1970 <= r.at.year < 2201 for r in record.readings)
    except (NotALog, Unsound):
        return "refused"
    return "taken"

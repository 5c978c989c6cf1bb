"""The form of the shop's own ways: what stands there as fields, and what was typed as ways."""

from collections.abc import Mapping
from datetime import date, time
from decimal import Decimal
from typing import Any
from zoneinfo import available_timezones

from cool_sheen.core.errors import NotReadable
from cool_sheen.core.takeoff.equipment import FILLED
from cool_sheen.core.units import read_quantity, shown
from cool_sheen.core.work.hours import A_WEEK
from cool_sheen.service.own_ways import ALARMS, MOST_DAYS_OFF, NO_ZONE, Ways
from cool_sheen.web.forms import Typed

DAYS = ("Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday")
UNITS = [("metric", "°C, µm, m², ml, g"), ("us", "°F, mil, ft², fl oz, oz")]
_EMPTY_ROWS = 2
LABELS = {
    "name": "name", "place": "place", "latitude": "latitude", "longitude": "longitude", "time_zone": "time zone",
    "units": "units", "currency": "currency", "labour_rate": "an hour costs", "fresh_can": "fresh can",
    "alarm": "alarm", "keys": "keys",
    **{f"opens_{n}": f"{day} from" for n, day in enumerate(DAYS)},
    **{f"closes_{n}": f"{day} to" for n, day in enumerate(DAYS)},
    **{f"{what}_{m}": f"{m} {word}" for m in FILLED for what, word in (("holds", "holds"), ("loss", "loses"))},
}  # fmt: skip


def values_of(ways: Ways) -> dict[str, str]:
    """Return ways as the fields of a form."""
    values = {
        "name": ways.name,
        "place": ways.place,
        "latitude": _plain(ways.latitude),
        "longitude": _plain(ways.longitude),
        "time_zone": ways.time_zone,
        "units": ways.units,
        "currency": ways.currency,
        "labour_rate": str(ways.labour_rate),
        "fresh_can": "1" if ways.fresh_can else "",
        "alarm": ways.alarm,
        "keys": "1" if ways.keys else "",
    }
    for n, hours in enumerate(ways.week):
        values[f"opens_{n}"], values[f"closes_{n}"] = (f"{t:%H:%M}" for t in hours) if hours else ("", "")
    for n, (first, last, why) in enumerate(ways.days_off):
        values |= {f"off_first_{n}": str(first), f"off_last_{n}": str(last), f"off_why_{n}": why}
    for method, (holds, loss) in ways.equipment.items():
        values[f"holds_{method}"] = "" if holds is None else in_units(holds, "volume", ways.units)
        values[f"loss_{method}"] = in_units(loss, "volume", ways.units)
    return values


def off_rows(values: Mapping[str, Any]) -> range:
    """Return the rows of days off to show: those with something in them, and two more."""
    used = [int(name.removeprefix("off_first_")) for name in values if _is_row(name) and values[name]]
    return range(min(max(used, default=-1) + 1 + _EMPTY_ROWS, MOST_DAYS_OFF))


def _is_row(name: str) -> bool:
    number = name.removeprefix("off_first_")
    return number != name and number.isascii() and number.isdigit() and len(number) < 3


def in_units(value: float, dimension: str, units: str) -> str:
    """Write a quantity for a field, with its sign: it is read back as it was, whatever units are chosen then."""
    number, sign = shown(value, dimension, units)
    return f"{number:.4g} {sign}"


def in_other_units(text: str, dimension: str, before: str, after: str) -> str:
    """Write what was typed in one system in the units of another; what cannot be read stays as it was typed."""
    try:
        value = read_quantity(text, dimension, before)
    except NotReadable:
        return text
    return in_units(value, dimension, after)


def read_ways(typed: Typed) -> Ways:
    """Read the form. Raises Refused with a note at each field that is wrong."""
    units = typed.text("units")
    if units not in dict(UNITS):
        typed.notes["units"] = "Choose from the list."
    alarm = typed.text("alarm")
    if alarm not in ALARMS:
        typed.notes["alarm"] = "Choose from the list."
    if typed.text("time_zone") not in available_timezones():
        typed.notes["time_zone"] = NO_ZONE
    said = {
        "name": typed.text("name", "the name of your shop"),
        "place": typed.text("place"),
        "latitude": typed.number("latitude", -90, 90),
        "longitude": typed.number("longitude", -180, 180),
        "time_zone": typed.text("time_zone"),
        "units": units,
        "currency": typed.text("currency", "a sign, such as €", most=4),
        "labour_rate": _rate(typed),
        "week": tuple(_hours(typed, n) for n in range(A_WEEK)),
        "days_off": _days_off(typed),
        "equipment": {method: _held(typed, method) for method in FILLED},
        "fresh_can": typed.flag("fresh_can"),
        "alarm": alarm,
        "keys": typed.flag("keys"),
    }
    typed.stop()
    return Ways.model_validate(said)


def _rate(typed: Typed) -> Decimal:
    rate = typed.money("labour_rate")
    if rate is None:
        typed.notes.setdefault("labour_rate", "Enter what an hour costs, such as 42.")
    elif rate > 100_000:
        typed.notes["labour_rate"] = "Enter what an hour costs, 100,000 at most."
    return rate or Decimal(0)


def _hours(typed: Typed, day: int) -> tuple[time, time] | None:
    opens, closes = (_time(typed, f"{end}_{day}") for end in ("opens", "closes"))
    if opens is None and closes is None:
        return None
    if opens is None or closes is None:
        missing = "opens" if opens is None else "closes"
        typed.notes.setdefault(f"{missing}_{day}", "Enter both times, or neither for a day off.")
        return None
    return opens, closes


def _time(typed: Typed, name: str) -> time | None:
    text = typed.text(name)
    if not text:
        return None
    try:
        return time.fromisoformat(text).replace(second=0, microsecond=0, tzinfo=None)
    except ValueError:
        typed.notes[name] = "Enter a time of day, such as 08:00."
        return None


def _days_off(typed: Typed) -> tuple[tuple[date, date, str], ...]:
    out = []
    for n in range(MOST_DAYS_OFF):
        first, last = _date(typed, f"off_first_{n}"), _date(typed, f"off_last_{n}")
        why = typed.text(f"off_why_{n}")
        if first is None and last is None:
            if why and f"off_first_{n}" not in typed.notes:
                typed.notes[f"off_first_{n}"] = "Enter the first day, or empty the row."
            continue
        out.append((first or last, last or first, why))
    return tuple(sorted(out))  # type: ignore[arg-type]


def _date(typed: Typed, name: str) -> date | None:
    text = typed.text(name)
    if not text:
        return None
    try:
        found = date.fromisoformat(text)
    except ValueError:
        typed.notes[name] = "Enter a day, such as 2026-12-24."
        return None
    if not 1970 <= found.year < 2200:
        typed.notes[name] = "Enter a day from 1970 to 2199."
        return None
    return found


def _held(typed: Typed, method: str) -> tuple[float | None, float]:
    holds = typed.quantity(f"holds_{method}", "volume", 0, 50_000, optional=True)
    loss = typed.quantity(f"loss_{method}", "volume", -0.001, 10_000, optional=True)
    return holds, max(0.0, loss or 0.0)


def _plain(value: float | None) -> str:
    return "" if value is None else f"{value:g}"

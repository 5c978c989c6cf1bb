"""The shop's own ways: what it is called, where it stands, when it works, what its equipment holds."""

from datetime import date, time
from decimal import Decimal
from typing import Annotated, Literal
from zoneinfo import ZoneInfo, available_timezones

from pydantic import BaseModel, ConfigDict, Field

from cool_sheen.core.takeoff.equipment import Equipment, Reservoir
from cool_sheen.core.work.hours import A_WEEK, Stretch, WorkingHours
from cool_sheen.service.unit import Refused, Unit
from cool_sheen.store.models import Shop

ALARMS = {"chime": "chime", "bell": "bell", "buzzer": "buzzer", "silent": "none: it is shown, and makes no noise"}
MOST_DAYS_OFF = 60
_LONGEST_OFF_DAYS = 366
NO_ZONE = "Choose a time zone of the list, such as Europe/Berlin: type a part of its name to find it."


class Ways(BaseModel):
    """All that a shop can change about itself.

    Attributes:
        week: Monday to Sunday: when it opens and closes; None where it is shut.
        days_off: First day, last day, why.
        equipment: By way of applying: what it holds (None: it draws from the pail) and what a fill loses. [ml]
        labour_rate: For an hour, hands-on.
        fresh_can: Whether each session begins with a fresh can.
    """

    model_config = ConfigDict(extra="forbid")
    name: Annotated[str, Field(min_length=1, max_length=80)]
    time_zone: str
    units: Literal["metric", "us"] = "metric"
    place: Annotated[str, Field(max_length=80)] = ""
    latitude: Annotated[float, Field(ge=-90, le=90)] | None = None
    longitude: Annotated[float, Field(ge=-180, le=180)] | None = None
    currency: Annotated[str, Field(min_length=1, max_length=4)] = "€"
    labour_rate: Annotated[Decimal, Field(ge=0, le=100_000)] = Decimal("42.00")
    week: tuple[tuple[time, time] | None, ...] = ((time(8), time(18)),) * A_WEEK
    days_off: tuple[tuple[date, date, str], ...] = ()
    equipment: dict[str, tuple[float | None, float]] = Field(
        default_factory=lambda: {m: (r.reservoir_ml, r.loss_ml) for m, r in Equipment().by_method}
    )
    fresh_can: bool = True
    alarm: Literal["chime", "bell", "buzzer", "silent"] = "chime"
    keys: bool = True


def usual_ways(units: str) -> Ways:
    """What a shop that reckons in these units would enter first; name and time zone stand open."""
    if units == "us":
        cup = (20 * 29.5735, 29.5735)
        equipment = {"hvlp": cup, "conventional": cup, "airless": (None, 8 * 29.5735)}
        return Ways(name="-", time_zone="UTC", units="us", currency="$", equipment=equipment)
    return Ways(name="-", time_zone="UTC")


def ways_of(shop: Shop) -> Ways:
    """Return a shop's ways as they stand."""
    fields = {name: getattr(shop, name) for name in Ways.model_fields}
    return Ways.model_validate(fields | {"labour_rate": Decimal(str(shop.labour_rate))})


def keep_ways(unit: Unit, ways: Ways) -> None:
    """Keep the shop's ways; all that depends on them follows at once. Raises Refused."""
    put_ways(unit.the_shop, ways)
    unit.session.flush()


def put_ways(shop: Shop, ways: Ways) -> None:
    """Put ways into a shop's row. Raises Refused: they cannot be."""
    _check(ways)
    said = ways.model_dump(mode="json", exclude={"labour_rate", "week"})
    said["week"] = [[f"{at:%H:%M}" for at in hours] if hours else None for hours in ways.week]
    for name, value in said.items():
        if getattr(shop, name) != value:
            setattr(shop, name, value)
    if shop.labour_rate != ways.labour_rate:
        shop.labour_rate = ways.labour_rate


def _check(ways: Ways) -> None:
    notes: dict[str, str] = {}
    if ways.time_zone not in available_timezones():
        notes["time_zone"] = NO_ZONE
    if (ways.latitude is None) != (ways.longitude is None):
        notes["longitude"] = "Enter both latitude and longitude, or neither."
    for method, (holds, loss) in ways.equipment.items():
        if holds is not None and loss >= holds:
            notes[f"loss_{method}"] = "A fill loses less than the cup holds: enter a smaller figure."
    notes |= _week_notes(ways) | _off_notes(ways)
    if notes:
        raise Refused("Check what was entered.", notes)


def _week_notes(ways: Ways) -> dict[str, str]:
    if not any(ways.week):
        return {"opens_0": "Enter the hours of one day at least: on which days is work done?"}
    return {
        f"closes_{day}": "Closing comes after opening: enter a later time, or empty both for a day off."
        for day, hours in enumerate(ways.week)
        if hours and hours[0] >= hours[1]
    }


def _off_notes(ways: Ways) -> dict[str, str]:
    notes = {}
    for n, (first, last, _) in enumerate(ways.days_off):
        if last < first:
            notes[f"off_last_{n}"] = "The last day comes after the first one: enter a later day."
        elif (last - first).days >= _LONGEST_OFF_DAYS:
            notes[f"off_last_{n}"] = "Enter a year at most."
    if sum((last - first).days + 1 for first, last, _ in ways.days_off) > _LONGEST_OFF_DAYS:
        notes.setdefault("off_first_0", "That is more than a year in all: take out what is over.")
    return notes


def hours_of(shop: Shop) -> WorkingHours:
    """Return when a shop works, by its own clock."""
    week = tuple(Stretch(*map(time.fromisoformat, hours)) if hours else None for hours in shop.week)
    off = tuple((date.fromisoformat(first), date.fromisoformat(last)) for first, last, _ in shop.days_off)
    return WorkingHours(week, ZoneInfo(shop.time_zone), off)


def equipment_of(shop: Shop) -> Equipment:
    """Return what a shop's equipment holds and loses."""
    return Equipment(tuple((method, Reservoir(*held)) for method, held in sorted(shop.equipment.items())))

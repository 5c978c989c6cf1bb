"""Which of the weather is made up: by a stand-in, for as long as nobody has brought in a forecast or a reading."""

from dataclasses import dataclass
from datetime import datetime, timedelta
from uuid import UUID

from sqlalchemy import func, select

from cool_sheen.service.measured import typed_readings
from cool_sheen.service.unit import Unit
from cool_sheen.service.weather_now import weather_now
from cool_sheen.store.models import ClimateImport

READ_LATELY = timedelta(hours=3)  # for so long a reading speaks of the present
_COMES = ("forecast", "typical_year")


@dataclass(frozen=True, slots=True)
class Invented:
    """What is made up: the present as well, or only what comes."""

    space: UUID
    present: bool

    @property
    def words(self) -> str:
        """What is said beside each time that rests on it."""
        if self.present:
            return "no reading and no forecast yet."
        return "what comes: no forecast yet."


def invented(unit: Unit, space: UUID) -> Invented | None:
    """Say what of the weather of a space is made up; None when a forecast goes on from here.

    A typical year is no forecast, and is what was brought in for months ahead: it counts as brought.
    """
    weather = weather_now(unit)
    key = ("invented", space, weather.version)
    found: tuple[Invented | None] = unit.kept.get(key, lambda: (_look(unit, space, weather.tick),), lambda _: 200)
    return found[0]


def _look(unit: Unit, space: UUID, now: datetime) -> Invented | None:
    taken = (ClimateImport.state == "taken", ClimateImport.kind.in_(_COMES), ClimateImport.last_at > now)
    if unit.session.scalar(select(func.count()).select_from(ClimateImport).where(*taken)):
        return None
    typed = any(said.space == space and now - READ_LATELY <= at for at, said in typed_readings(unit))
    recorded = (
        ClimateImport.state == "taken",
        ClimateImport.kind == "record",
        ClimateImport.space_uuid == space,
        ClimateImport.last_at >= now - READ_LATELY,
    )
    measured = typed or bool(unit.session.scalar(select(func.count()).select_from(ClimateImport).where(*recorded)))
    return Invented(space, present=not measured)

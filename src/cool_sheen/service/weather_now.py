"""What the weather is that a look at the clock goes by, and the stretches under which results stay true."""

from collections.abc import Hashable
from dataclasses import dataclass
from datetime import datetime, timedelta

from cool_sheen.core.climate.series import instant, seconds
from cool_sheen.service.unit import Unit
from cool_sheen.store import changes
from cool_sheen.store import climate as records

AHEAD, MONTHS_AHEAD = timedelta(days=14), timedelta(days=120)  # the second once a typical year was taken
RUN_IN = timedelta(days=3)  # a room needs a past before it knows its temperature
SENSOR_BACK = timedelta(days=3)
_BLOCK_S = 10 * 86_400.0


@dataclass(frozen=True, slots=True)
class Weather:
    """What stays the same for all climates of one look at the clock: the key under which they are kept."""

    tick: datetime  # the stand-in sensor speaks every ten minutes
    number: int  # how often what the air depends on was changed
    ahead: timedelta = AHEAD

    @property
    def version(self) -> tuple[datetime, int]:
        """What results depend on."""
        return self.tick, self.number


@dataclass(frozen=True, slots=True)
class Ready:
    """What a worker has worked out, and all others go by until it has something newer."""

    weather: Weather  # of the next minute
    before: Weather  # of the minute in which it was worked out
    lessons: int

    def at(self, now: datetime) -> Weather:
        """The weather to go by at an instant."""
        return self.weather if self.weather.tick <= now else self.before


def weather_now(unit: Unit) -> Weather:
    """Return the weather to go by: the newest that was worked out, where a worker does that; else that of now."""
    ready: Ready | None = unit.workshop.ready
    return newest_weather(unit) if ready is None or unit.works_ahead else ready.at(unit.now)


def weather_age(unit: Unit) -> datetime | None:
    """When the weather that pages go by was made, while a newer one is being worked out; None when it is the newest."""
    ready: Weather = weather_now(unit)
    return None if ready.version == newest_weather(unit).version else ready.tick


def newest_weather(unit: Unit) -> Weather:
    """Take note of what the climate depends on now."""
    tick = unit.now.replace(minute=unit.now.minute // 10 * 10, second=0, microsecond=0)
    number = changes.generations(unit.session).get(changes.AIR, 0)
    ahead: timedelta = unit.kept.get(
        ("ahead", number), lambda: MONTHS_AHEAD if records.has_kind(unit.session, "typical_year") else AHEAD
    )
    return Weather(tick, number, ahead)


@dataclass(frozen=True, slots=True)
class Span:
    """A stretch of climate, in blocks of days, and the key under which it stays true."""

    since: datetime
    until: datetime
    key: tuple[Hashable, ...]


def span_of(since: datetime, until: datetime | None, weather: Weather) -> Span:
    """Return the stretch from a block of days on: to the end of the forecast, or as far as what is long over."""
    origin, end = block_of(since), weather.tick + weather.ahead
    if until is not None and block_of(until) + timedelta(seconds=_BLOCK_S) < weather.tick - SENSOR_BACK:
        end = block_of(until) + timedelta(seconds=_BLOCK_S)
        return Span(origin, end, (origin, end, weather.number))
    return Span(origin, end, (origin, end, weather.version))


def block_of(at: datetime) -> datetime:
    """Round down to blocks of some days, so that parts of one time share their series and clocks."""
    return instant(seconds(at) // _BLOCK_S * _BLOCK_S)

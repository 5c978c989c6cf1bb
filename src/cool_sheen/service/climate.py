"""The climate of a space and of a part: forecast, room model, readings, surface, put together once and kept."""

from collections.abc import Hashable
from dataclasses import dataclass
from datetime import datetime, timedelta
from uuid import UUID

import numpy as np
from sqlalchemy import select

from cool_sheen.core.climate.air import Floats
from cool_sheen.core.climate.corrections import BRIDGED_S, Readings, believed, corrected
from cool_sheen.core.climate.rooms import SPACE_LAG_H, SURFACE_LAG_H, Room, room_climate, surface_temperature
from cool_sheen.core.climate.series import REACH, Series, instant, seconds
from cool_sheen.core.climate.sun import sky_offset
from cool_sheen.core.log.entries import ClimateReadingPayload, Recorded
from cool_sheen.core.log.history import History, Stay, unvoided
from cool_sheen.core.part.climate import PartClimate
from cool_sheen.core.part.film_clock import MOST_COATS
from cool_sheen.devices.weather import SimulatedForecast, SimulatedThermoHygrometer
from cool_sheen.service.unit import Unit
from cool_sheen.store import changes, log
from cool_sheen.store import climate as records
from cool_sheen.store.models import Space

AHEAD, MONTHS_AHEAD = timedelta(days=14), timedelta(days=120)  # the second once a typical year was taken
_RUN_IN = timedelta(days=3)  # a room needs a past before it knows its temperature
_SENSOR_BACK = timedelta(days=3)
_BLOCK_S = 10 * 86_400.0
_JUST_BEFORE_S = 1e-3
_TYPED_RANK, _IMPORT_RANK = 0, 2
_SOURCES = {_TYPED_RANK: "reading", _IMPORT_RANK: "record"}


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


def _typed(unit: Unit) -> list[Recorded]:
    number = changes.generations(unit.session).get(changes.AIR, 0)
    found: list[Recorded] = unit.kept.get(
        ("typed", number),
        lambda: unvoided(log.of_kind(unit.session, "climate_reading")),
        lambda rows: 2_000 * len(rows),
    )
    return found


def space_series(unit: Unit, space: Space, since: datetime, weather: Weather, until: datetime | None = None) -> Series:
    """Return the air of a space from ``since`` (rounded down to a block of days) until two weeks ahead.

    Args:
        unit: The unit of work.
        space: The space.
        since: From when on.
        weather: The weather to go by.
        until: Where it may end, for work that lies far back: what is over does not move with the hour.
    """
    span = _span(since, until, weather)
    found: Series = unit.kept.get(
        ("space", space.uuid, *span.key), lambda: _make_series(unit, space, span, weather), _bytes_of
    )
    return found


@dataclass(frozen=True, slots=True)
class _Span:
    """A stretch of climate, in blocks of days, and the key under which it stays true."""

    since: datetime
    until: datetime
    key: tuple[Hashable, ...]


def _span(since: datetime, until: datetime | None, weather: Weather) -> _Span:
    origin, end = _block_of(since), weather.tick + weather.ahead
    if until is not None and _block_of(until) + timedelta(seconds=_BLOCK_S) < weather.tick - _SENSOR_BACK:
        end = _block_of(until) + timedelta(seconds=_BLOCK_S)
        return _Span(origin, end, (origin, end, weather.number))
    return _Span(origin, end, (origin, end, weather.version))


def _block_of(at: datetime) -> datetime:
    """Round down to blocks of some days, so that parts of one time share their series and clocks."""
    return instant(seconds(at) // _BLOCK_S * _BLOCK_S)


def measured_spans(unit: Unit, space: Space, since: datetime, weather: Weather) -> list[tuple[datetime, datetime, str]]:
    """Return the stretches in which a space was measured, each with its source; over three hours apart is a gap."""
    rows = [
        (instant(float(t)), _SOURCES[r.rank]) for r in _records(unit, space.uuid, since, weather.tick) for t in r.at_s
    ]
    if space.has_sensor:
        first = min((at for at, _ in rows), default=weather.tick)
        rows += [(max(since, weather.tick - _SENSOR_BACK), "sensor"), (min(first, weather.tick), "sensor")]
    out: list[tuple[datetime, datetime, str]] = []
    for source in ("reading", "record", "sensor"):
        mine = sorted(at for at, whose in rows if whose == source and at >= since)
        for at in mine:
            joined = source == "sensor" or (out and at - out[-1][1] <= timedelta(seconds=BRIDGED_S))
            if out and out[-1][2] == source and joined:
                out[-1] = (out[-1][0], at, source)
            else:
                out.append((at, at, source))
    return out


def _make_series(unit: Unit, space: Space, span: _Span, weather: Weather) -> Series:
    origin = span.since
    outdoor = _outdoor(unit, span)
    if space.kind == "outdoors":
        return outdoor
    lag_h = SPACE_LAG_H[space.kind] if space.lag_h is None else space.lag_h
    room = Room(lag_h, space.heater_min_c, space.dehumidifier_max_rh_pct)
    model = room_climate(outdoor, room)
    sources = _records(unit, space.uuid, origin - _RUN_IN, span.until)
    if space.has_sensor:
        # A stand-in makes way for what was really measured: from the first real reading on it is silent.
        real = min((instant(float(s.at_s[0])) for s in sources), default=weather.tick)
        since, until = max(origin, weather.tick - _SENSOR_BACK), min(real, weather.tick) + timedelta(seconds=1)
        sensor = SimulatedThermoHygrometer(unit.the_shop.weather_seed + space.uuid.int % 1009)
        if until > since:
            sources.append(sensor.readings(model, since, until))
    return corrected(model, believed(sources))


def _outdoor(unit: Unit, span: _Span) -> Series:
    since, until = span.since - _RUN_IN, span.until

    def make() -> Series:
        shop = unit.shop
        seed = shop.weather_seed if shop else 0
        forecast = SimulatedForecast(seed).hourly(since, until)
        for kind in ("typical_year", "forecast"):  # each overrules the one before where it speaks
            if points := records.taken_points(unit.session, since, until, kind=kind):
                forecast = corrected(forecast, _readings(0, points))
        sources = [
            reading
            for space in unit.session.scalars(select(Space).where(Space.kind == "outdoors"))
            for reading in _records(unit, space.uuid, since, until)
        ]
        return corrected(forecast, believed(sources))

    found: Series = unit.kept.get(("outdoor", *span.key), make, _bytes_of)
    return found


def _bytes_of(series: Series) -> int:
    return int(6 * series.at_s.nbytes)


def _records(unit: Unit, space: UUID, since: datetime, until: datetime) -> list[Readings]:
    """Imports and typed readings of a space."""
    taken = records.taken_points(unit.session, since, until, space)
    typed = [
        (row.entry.occurred_at, row.entry.payload.air_temp_c, row.entry.payload.rh_pct)
        for row in _typed(unit)
        if isinstance(row.entry.payload, ClimateReadingPayload) and row.entry.payload.space == space
    ]
    return [_readings(rank, rows) for rank, rows in ((_TYPED_RANK, typed), (_IMPORT_RANK, taken)) if rows]


def _readings(rank: int, rows: list[tuple[datetime, float, float]]) -> Readings:
    at, air, rh = zip(*sorted(rows), strict=True)
    return Readings(rank, np.array([seconds(a) for a in at]), np.array(air, float), np.array(rh, float))


def part_climate(unit: Unit, history: History, mass: str, *, goes_on: bool = True) -> PartClimate:
    """Return the climate that a part has seen and will see, where it stood and stands, without its bakes.

    Args:
        unit: The unit of work.
        history: The folded log, for the moves and the coats.
        mass: A key of the surface lags.
        goes_on: Whether work is still to come. If not, the climate may end with what was done long ago.
    """
    weather = weather_now(unit)
    first = min((c.ended_at for zone in history.builds for c in history.lately(zone, MOST_COATS)), default=unit.now)
    origin = _block_of(min(first, unit.now - timedelta(days=2)))
    stays = _since(tuple(history.stays), origin)
    last = [c.ended_at for c in history.coats[-1:]] + [w.at for w in history.works[-1:]]
    ended = max([*last, *(t.at for t in history.touches[-1:])], default=unit.now)
    long_over = not goes_on and bool(history.coats) and ended < unit.now - REACH
    span = _span(origin, ended + REACH if long_over else None, weather)
    key = ("part", stays, mass, *span.key)
    found: PartClimate = unit.kept.get(
        key, lambda: _make_part_climate(unit, stays, mass, span, weather), _climate_bytes
    )
    return found


def _climate_bytes(climate: PartClimate) -> int:
    """What a climate takes with the curves that are going to be drawn over it."""
    return int(30 * climate.series.at_s.nbytes + 2_000_000)


def _since(stays: tuple[Stay, ...], origin: datetime) -> tuple[Stay, ...]:
    """The stays that matter from an instant on: the one in force then counts from there."""
    begun = [stay for stay in stays if stay.since <= origin]
    first = begun[-1] if begun else stays[0]
    return (Stay(origin, first.space), *(s for s in stays if s.since > max(origin, first.since)))


def _make_part_climate(
    unit: Unit,
    stays: tuple[Stay, ...],
    mass: str,
    span: _Span,
    weather: Weather,
) -> PartClimate:
    spaces = {space.uuid: space for space in unit.session.scalars(select(Space))}
    pieces = []
    for place, stay in enumerate(stays):
        begin = seconds(stay.since) if place else -np.inf
        end = seconds(stays[place + 1].since) if place + 1 < len(stays) else np.inf
        series = space_series(unit, spaces[stay.space], span.since, weather, span.until)
        inside = series.at_s[(series.at_s > begin) & (series.at_s < end)]
        edges = [t for t in (begin, end - _JUST_BEFORE_S) if np.isfinite(t) and t > series.at_s[0]]
        # The move itself is a knot: nothing of one room is smeared into the hour of another.
        here = series.sampled(np.unique(np.concatenate([inside, edges])))
        pieces.append((here.at_s, here.air_temp_c, here.rh_pct))
    air = Series(*(np.concatenate([piece[column] for piece in pieces]) for column in range(3)))
    offset = _sky(unit, air, [spaces[stay.space].kind for stay in stays])
    series = air.with_surface(surface_temperature(air, SURFACE_LAG_H[mass], offset))
    where = spaces[stays[-1].space]
    return PartClimate(series, span.since, where.air_movement, SURFACE_LAG_H[mass], min(weather.tick, span.until))


def _sky(unit: Unit, air: Series, kinds: list[str]) -> Floats | float:
    """What sky and sun add to a surface that stands outdoors, once the shop has said where on earth it is."""
    shop = unit.shop
    if kinds[-1] != "outdoors" or shop is None or shop.latitude is None or shop.longitude is None:
        return 0.0
    cloud = np.clip((air.rh_pct - 50) / 45, 0, 1)  # no forecast of clouds: damp air stands for a covered sky
    return sky_offset(air.at_s, shop.latitude, shop.longitude, cloud)


def now_in(series: Series, at: datetime) -> Series:
    """Return a series at one instant."""
    return series.sampled(np.array([seconds(at)]))

"""The climate of a space and of a part: forecast, room model, readings, surface, put together once and kept."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

import numpy as np
from sqlalchemy import select

from cool_sheen.core.climate.air import Floats
from cool_sheen.core.climate.corrections import Readings, believed, corrected
from cool_sheen.core.climate.rooms import SURFACE_LAG_H, RoomStretch, bends, rooms_climate
from cool_sheen.core.climate.series import JUST_BEFORE_S, REACH, Series, instant, seconds
from cool_sheen.core.climate.sky import Exposure
from cool_sheen.core.climate.surfaces import airs_joined, skies_joined, surface_seen
from cool_sheen.core.log.history import History, Stay, SurfaceRead
from cool_sheen.core.part.climate import PartClimate, Stand
from cool_sheen.core.part.film_clock import MOST_COATS
from cool_sheen.devices.weather import SimulatedThermoHygrometer
from cool_sheen.service.measured import records_of
from cool_sheen.service.outside import bytes_of, outside_of
from cool_sheen.service.spaces_then import AsItWas, as_it_was, doors_of, room_stretches
from cool_sheen.service.unit import Unit
from cool_sheen.service.weather_now import AHEAD, RUN_IN, SENSOR_BACK, Span, Weather, block_of, span_of, weather_now
from cool_sheen.store.models import Space

_OFTEN_S, _SELDOM_S = 600.0, 1800.0


def space_series(unit: Unit, space: Space, since: datetime, weather: Weather, until: datetime | None = None) -> Series:
    """Return the air of a space from ``since`` (rounded down to a block of days) until two weeks ahead.

    Args:
        unit: The unit of work.
        space: The space.
        since: From when on.
        weather: The weather to go by.
        until: Where it may end, for work that lies far back: what is over does not move with the hour.
    """
    span = span_of(since, until, weather)
    found: Series = unit.kept.get(
        ("space", space.uuid, *span.key), lambda: _make_series(unit, space, span, weather), bytes_of
    )
    return found


def _make_series(unit: Unit, space: Space, span: Span, weather: Weather) -> Series:
    outside = outside_of(unit, span, space.elsewhere_uuid)
    described = as_it_was(unit).get(space.uuid) or [AsItWas.of(space)]
    if all(was.kind == "outdoors" for was in described):
        return outside.air
    stretches = room_stretches(described, doors_of(unit).get(space.uuid, []))
    model = rooms_climate(_looked_at(outside.air, stretches), stretches)
    sources = records_of(unit, space.uuid, span.since - RUN_IN, span.until)
    if sensor := _sensor(unit, space, span, weather, model, sources):
        sources.append(sensor)
    return corrected(model, believed(sources), stretches)


def _sensor(
    unit: Unit, space: Space, span: Span, weather: Weather, model: Series, sources: Sequence[Readings]
) -> Readings | None:
    """What the stand-in that hangs in a space read; it makes way for the first real reading, and is silent then."""
    if not space.has_sensor:
        return None
    real = min((instant(float(s.at_s[0])) for s in sources), default=weather.tick)
    since, until = max(span.since, weather.tick - SENSOR_BACK), min(real, weather.tick) + timedelta(seconds=1)
    instrument = SimulatedThermoHygrometer(unit.the_shop.weather_seed + space.uuid.int % 1009)
    return instrument.readings(model, since, until) if until > since else None


def sensor_readings(unit: Unit, space: Space, weather: Weather) -> Readings | None:
    """Return what the sensor of a space read lately; None where none hangs, or it was silent."""
    span = span_of(weather.tick - SENSOR_BACK, None, weather)
    outside = outside_of(unit, span, space.elsewhere_uuid)
    stretches = room_stretches(
        as_it_was(unit).get(space.uuid) or [AsItWas.of(space)], doors_of(unit).get(space.uuid, [])
    )
    model = rooms_climate(_looked_at(outside.air, stretches), stretches)
    return _sensor(unit, space, span, weather, model, records_of(unit, space.uuid, span.since - RUN_IN, span.until))


def _looked_at(outdoor: Series, stretches: Sequence[RoomStretch]) -> Series:
    """The weather at the instants between which a room that follows it is nearly straight.

    The same ones however a room was changed later: what was does not move by it.
    """
    first, last = float(outdoor.at_s[0]), float(outdoor.at_s[-1])
    changes = [s.since_s for s in stretches if s.since_s > first]
    after = [bends([s.since_s], s.room.lag_h) for s in stretches if s.since_s in changes]
    knots = [outdoor.at_s, np.arange(first, last, _OFTEN_S), *after]
    at = np.unique(np.concatenate(knots))
    return outdoor.sampled(at[at <= last])


def part_climate(
    unit: Unit,
    history: History,
    mass: str,
    *,
    goes_on: bool = True,
    weather: Weather | None = None,
    since: datetime | None = None,
) -> PartClimate:
    """Return the climate that a part has seen and will see, where it stood and stands, without its bakes.

    Args:
        unit: The unit of work.
        history: The folded log, for the moves, the coats and what was measured of its surface.
        mass: A key of the surface lags.
        goes_on: Whether work is still to come. If not, the climate may end with what was done long ago.
        weather: The weather to go by; that which pages go by when None.
        since: From when on, where that is earlier than the coats whose clocks still run.
    """
    weather = weather or weather_now(unit)
    first = min((c.ended_at for zone in history.builds for c in history.lately(zone, MOST_COATS)), default=unit.now)
    origin = block_of(min(first, unit.now - timedelta(days=2), since or first))
    stays = _since(tuple(history.stays), origin)
    last = [c.ended_at for c in history.coats[-1:]] + [w.at for w in history.works[-1:]]
    ended = max([*last, *(t.at for t in history.touches[-1:])], default=unit.now)
    long_over = not goes_on and bool(history.coats) and ended < unit.now - REACH
    span = span_of(origin, ended + REACH if long_over else None, weather)
    surfaces = tuple(s for s in history.surfaces if s.at >= origin)
    key = ("part", stays, surfaces, mass, *span.key)
    found: PartClimate = unit.kept.get(
        key, lambda: _make_part_climate(unit, stays, surfaces, mass, span, weather), _climate_bytes
    )
    return found


def _climate_bytes(climate: PartClimate) -> int:
    """What a climate takes with the curves that are going to be drawn over it."""
    return int(30 * climate.series.at_s.nbytes + 2_000_000)


def _since(stays: tuple[Stay, ...], origin: datetime) -> tuple[Stay, ...]:
    """The stays that matter from an instant on: the one in force then counts from there."""
    begun = max(1, sum(stay.since <= origin for stay in stays))
    return (Stay(origin, stays[begun - 1].space), *stays[begun:])


@dataclass(frozen=True, slots=True)
class _Piece:
    """A stretch in which a part stood in one space as that was then."""

    begin_s: float
    end_s: float
    space: Space
    was: AsItWas

    def looked_at(self, at_s: Floats, *finely: Floats) -> Floats:
        """The instants at which a series is looked at in this stretch, both ends among them."""
        begin, end = max(self.begin_s, float(at_s[0])), min(self.end_s - JUST_BEFORE_S, float(at_s[-1]))
        inside = [f[(f > begin) & (f < end)] for f in (at_s, *finely)]
        return np.unique(np.concatenate([[begin], *inside, [max(begin, end)]]))


def _pieces(unit: Unit, stays: tuple[Stay, ...]) -> list[_Piece]:
    spaces = {space.uuid: space for space in unit.session.scalars(select(Space))}
    known, out = as_it_was(unit), []
    for place, stay in enumerate(stays):
        begin = seconds(stay.since) if place else -np.inf
        end = seconds(stays[place + 1].since) if place + 1 < len(stays) else np.inf
        space = spaces[stay.space]
        described = known.get(stay.space) or [AsItWas.of(space)]
        for n, was in enumerate(described):
            since = max(begin, was.since_s if n else -np.inf)
            until = min(end, described[n + 1].since_s if n + 1 < len(described) else np.inf)
            if until > since:
                out.append(_Piece(since, until, space, was))
    return out


def _make_part_climate(
    unit: Unit,
    stays: tuple[Stay, ...],
    surfaces: tuple[SurfaceRead, ...],
    mass: str,
    span: Span,
    weather: Weather,
) -> PartClimate:
    lag_h = SURFACE_LAG_H[mass]
    fine_s = np.arange(seconds(span.since), seconds(span.until), _SELDOM_S)
    near_s = np.arange(seconds(span.since), seconds(min(span.until, weather.tick + AHEAD)), _OFTEN_S)
    pieces = _pieces(unit, stays)
    airs, skies = [], []
    for piece in pieces:
        # The move itself is a knot: nothing of one room is smeared into the hour of another.
        series = space_series(unit, piece.space, span.since, weather, span.until)
        airs.append(series.sampled(piece.looked_at(series.at_s, fine_s, near_s)))
        outside = outside_of(unit, span, piece.space.elsewhere_uuid)
        sky = outside.exposure.sampled(piece.looked_at(outside.exposure.at_s))
        if piece.was.kind == "outdoors":
            skies.append(sky.behind(shade=piece.was.shade, wind_break=piece.was.wind_break))
        else:
            skies.append(Exposure.under_a_roof(sky.at_s))
    reaches = skies_joined(skies) if any(p.was.kind == "outdoors" for p in pieces) else None
    read = [(seconds(s.at), s.surface_temp_c) for s in surfaces]
    series = surface_seen(airs_joined(airs), lag_h, reaches, read)
    stands = tuple(Stand(p.begin_s, p.space.uuid, p.was.air_movement, p.was.kind == "outdoors") for p in pieces)
    near = min(weather.tick, span.until)
    return PartClimate(series, span.since, stands[-1].air_movement, lag_h, near, stands, reaches, outside.air)

"""How a room follows the weather, and how a surface follows its air."""

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from cool_sheen.core.climate.air import Floats, humidity_ratio, relative_humidity
from cool_sheen.core.climate.series import JUST_BEFORE_S, Series
from cool_sheen.core.units import Celsius, Hours, Kelvin, Percent

# Thermal lag of a part's surface by what it is made of (surface follows air; hours).
SURFACE_LAG_H: dict[str, Hours] = {
    "sheet_metal": 0.25,
    "glass_fibre": 0.35,
    "timber": 0.8,
    "casting": 2.5,
    "masonry": 6.0,
}

_BENDS = np.array([0.02, 0.05, 0.1, 0.15, 0.2, 0.3, 0.4, 0.5, 0.7, 0.9, 1.2, 1.6, 2.0, 2.5, 3.0, 4.0, 5.0])  # lags

# Lag of the air in a space behind the air outdoors.
SPACE_LAG_H: dict[str, Hours] = {
    "outdoors": 0.0,
    "open_shed": 1.0,
    "garage": 6.0,
    "insulated_shop": 12.0,
    "booth": 12.0,
}


OPEN_DOOR_LAG_H: Hours = 0.25  # of a room whose doors stand open, or that is vented


@dataclass(frozen=True, slots=True)
class Room:
    """What the space model needs to know of a space."""

    lag_h: Hours
    heater_min_c: Celsius | None = None
    dehumidifier_max_rh_pct: Percent | None = None

    def vented(self) -> "Room":
        """The same room with its doors open: it follows the weather, and no heater or dehumidifier holds it."""
        return Room(min(self.lag_h, OPEN_DOOR_LAG_H))


@dataclass(frozen=True, slots=True)
class RoomStretch:
    """From when on a room is as it is described. [s since 1970]"""

    since_s: float
    room: Room


def surface_temperature(
    series: Series, lag_h: Hours, offset_k: Kelvin | Floats = 0, start_c: Celsius | None = None
) -> Floats:
    """Temperature of a part's surface along a climate series.

    Args:
        series: The air. Its own surface temperatures are ignored.
        lag_h: Time constant of the part. [h, 0 for none]
        offset_k: What sky or sun adds to the air, for all points or for each. [K]
        start_c: Surface at the first point; the air's when None. [°C]

    Returns: One temperature a point. [°C]
    Source: docs/trade.md, Surfaces and rooms: dTs/dt = (Ta + offset - Ts) / tau, solved exactly.
    """
    target = series.air_temp_c + offset_k
    if lag_h == 0:
        return target
    first = float(series.air_temp_c[0]) if start_c is None else start_c
    return _follow(series.at_s, target, lag_h, first, floor=-math.inf)


def room_climate(outdoor: Series, room: Room, start_temp_c: Celsius | None = None) -> Series:
    """Climate of a space that follows the weather outdoors.

    Args:
        outdoor: The weather.
        room: Lag, heater, dehumidifier.
        start_temp_c: Indoor air at the first point; the outdoor air's when None. [°C]

    Returns: Indoor air at the same instants; its surfaces are at the air's temperature.
    Source: docs/trade.md, Surfaces and rooms: first-order lag, with the outdoor humidity ratio of the same instant at
        101325 Pa.
    """
    return rooms_climate(outdoor, [RoomStretch(-math.inf, room)], start_temp_c)


def rooms_climate(outdoor: Series, stretches: Sequence[RoomStretch], start_temp_c: Celsius | None = None) -> Series:
    """Climate of a space that was changed: a door opened, another heater set.

    Args:
        outdoor: The weather.
        stretches: The room from each instant on; the first one holds before it, too.
        start_temp_c: Indoor air at the first point; the outdoor air's when None. [°C]

    Returns: Indoor air at the instants of the weather, at each change and just before it. The warmth of the air goes on
        through a change.
    Source: docs/trade.md, Surfaces and rooms.
    """
    begins = [-math.inf, *(s.since_s for s in stretches[1:]), math.inf]
    pieces: list[tuple[Floats, Floats, Floats]] = []
    state = float(outdoor.air_temp_c[0]) if start_temp_c is None else start_temp_c
    for stretch, begin, end in zip(stretches, begins, begins[1:], strict=False):
        if end <= outdoor.at_s[0] or begin >= outdoor.at_s[-1] or end - begin <= 2 * JUST_BEFORE_S:
            continue
        inside = outdoor.at_s[(outdoor.at_s > begin) & (outdoor.at_s < end - JUST_BEFORE_S)]
        edges = [t for t in (begin, end - JUST_BEFORE_S) if outdoor.at_s[0] < t < outdoor.at_s[-1]]
        here = outdoor.sampled(np.unique(np.concatenate([inside, edges])))
        air = _lagging(here.at_s, here.air_temp_c, stretch.room, state)
        rh = relative_humidity(air, humidity_ratio(here.air_temp_c, here.rh_pct))
        if stretch.room.dehumidifier_max_rh_pct is not None:
            rh = np.minimum(rh, stretch.room.dehumidifier_max_rh_pct)
        pieces.append((here.at_s, air, rh))
        state = float(air[-1])
    return Series(*(np.concatenate([piece[column] for piece in pieces]) for column in range(3)))


def _lagging(at_s: Floats, target: Floats, room: Room, first: float) -> Floats:
    floor = -math.inf if room.heater_min_c is None else room.heater_min_c
    if room.lag_h == 0:
        return np.maximum(target, floor)
    return _follow(at_s, target, room.lag_h, first, floor)


def _follow(at_s: Floats, target: Floats, lag_h: Hours, first: float, floor: float) -> Floats:
    """March a first-order lag behind a piecewise linear target, never below ``floor``.

    With target a + b s over a step of h: T(h) = a + b (h - tau) + (T0 - a + b tau) exp(-h / tau).
    """
    steps = np.diff(at_s) / 3600
    decay = np.exp(-steps / lag_h)
    slopes = np.diff(target) / steps
    settled = target[1:] - slopes * lag_h  # where the lag ends when the step is long
    begun = target[:-1] - slopes * lag_h
    state = max(first, floor)
    out = [state]
    if math.isinf(floor):
        for keeps, adds in zip(decay.tolist(), (settled - begun * decay).tolist(), strict=True):
            state = keeps * state + adds
            out.append(state)
        return np.array(out)
    may_touch = np.minimum(target[1:], target[:-1]) < floor  # else the state stays between floor and target
    stays_cold = np.maximum(target[1:], target[:-1]) <= floor  # what is down on the floor stays there
    rows = zip(decay.tolist(), settled.tolist(), begun.tolist(), may_touch.tolist(), stays_cold.tolist(), strict=True)
    for place, (d, end, start, touches, cold) in enumerate(rows):
        if cold and state <= floor:
            out.append(floor)
            continue
        free = end + (state - start) * d
        if touches:
            free = _held(float(steps[place]), float(target[place]), float(slopes[place]), lag_h, state, free, floor)
        state = free
        out.append(state)
    return np.array(out)


def _held(
    step_h: Hours, begin: Celsius, slope: float, lag_h: Hours, state: Celsius, free: Celsius, floor: Celsius
) -> Celsius:
    """Where a state that a heater holds above a floor is at the end of a step.

    Args:
        step_h: Length of the step. [h]
        begin: The target at its begin. [°C]
        slope: Its slope. [K/h]
        lag_h: The lag. [h]
        state: The state at its begin. [°C]
        free: Where the state would end without the heater. [°C]
        floor: What the heater holds. [°C]

    The state falls while the target is below it: it is lowest where the two meet, or at the end. Once it is down on the
    floor it stays there, until the target comes up through the floor and lifts it.
    """
    if slope <= 0:
        return max(free, floor)
    bends = state - begin + slope * lag_h
    meets = lag_h * math.log(bends / (slope * lag_h)) if state > begin else 0.0
    lowest = min(state, begin + slope * meets) if meets < step_h else free
    if lowest >= floor and not (state <= floor and begin < floor):
        return free
    lifted = step_h - (floor - begin) / slope
    return floor + slope * (lifted - lag_h * -math.expm1(-lifted / lag_h)) if lifted > 0 else floor


def held_at(stretches: Sequence[RoomStretch], at_s: Floats) -> tuple[Floats, Floats]:
    """Return what heater and dehumidifier hold at each instant: the least temperature [°C], the most humidity [%].

    Source: docs/trade.md, Surfaces and rooms.
    """
    if not stretches:
        return np.full(len(at_s), -math.inf), np.full(len(at_s), math.inf)
    begins = np.array([s.since_s for s in stretches[1:]])
    place = np.searchsorted(begins, at_s, side="right")
    floors = [-math.inf if s.room.heater_min_c is None else s.room.heater_min_c for s in stretches]
    caps = [s.room.dehumidifier_max_rh_pct or math.inf for s in stretches]
    return np.array(floors, dtype=float)[place], np.array(caps, dtype=float)[place]


def bends(jumps_s: Sequence[float] | Floats, lag_h: Hours) -> Floats:
    """Instants after jumps between which something that lags is nearly straight. [s since 1970]

    Source: docs/trade.md, Surfaces and rooms: an exponential, looked at where it bends.
    """
    if lag_h <= 0 or not len(jumps_s):
        return np.empty(0)
    return np.asarray(np.add.outer(np.asarray(jumps_s, dtype=float), 3600 * lag_h * _BENDS).ravel())

"""Readings overrule a forecast: the difference is carried on, and fades."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from cool_sheen.core.climate.air import Floats, humidity_ratio, relative_humidity
from cool_sheen.core.climate.rooms import RoomStretch, held_at
from cool_sheen.core.climate.series import JUST_BEFORE_S, Series
from cool_sheen.core.units import Hours, Kelvin, Percent

BRIDGED_S = 3 * 3600.0  # readings further apart than this leave a gap between them
HALF_LIFE_H: Hours = 3.0
HELD_HALF_LIFE_H: Hours = 1.0  # how fast a heater or a dehumidifier pulls a room back to what it holds
INSTRUMENT_K: Kelvin = 0.3  # a difference within the instrument's own error says nothing
INSTRUMENT_PCT: Percent = 2.0
SAME_S = 60.0  # readings of two instruments that close are of one moment
_FADES_H = np.array([0.25, 0.5, 0.75, 1.0, 1.5, 2.0, 3.0, 4.5, 6.0, 9.0, 12.0])


@dataclass(frozen=True, eq=False)
class Readings:
    """Measured air of one space from one kind of source. ``rank`` 0 is believed before 1. Ascending in time."""

    rank: int
    at_s: Floats
    air_temp_c: Floats
    rh_pct: Floats


def believed(sources: list[Readings]) -> Readings:
    """Merge readings: all of them stand, but of two of one moment the better source counts."""
    kept_at: Floats = np.empty(0)
    columns: list[tuple[Floats, Floats, Floats]] = []
    for source in sorted(sources, key=lambda s: s.rank):
        near = _distance(source.at_s, kept_at) <= SAME_S
        columns.append((source.at_s[~near], source.air_temp_c[~near], source.rh_pct[~near]))
        kept_at = np.sort(np.concatenate([kept_at, source.at_s[~near]]))
    at = np.concatenate([c[0] for c in columns]) if columns else np.empty(0)
    order = np.argsort(at, kind="stable")
    first = np.concatenate([[True], np.diff(at[order]) > 0]) if len(at) else np.empty(0, bool)
    pick = order[first]
    air = np.concatenate([c[1] for c in columns])[pick] if columns else at
    rh = np.concatenate([c[2] for c in columns])[pick] if columns else at
    return Readings(0, at[pick], air, rh)


def _distance(at_s: Floats, others_s: Floats) -> Floats:
    if not len(others_s):
        return np.full(len(at_s), np.inf)
    after = np.clip(np.searchsorted(others_s, at_s), 0, len(others_s) - 1)
    before = np.clip(after - 1, 0, None)
    return np.asarray(np.minimum(np.abs(others_s[after] - at_s), np.abs(others_s[before] - at_s)))


def corrected(model: Series, readings: Readings, held: Sequence[RoomStretch] = ()) -> Series:
    """A model series, overruled by readings.

    Args:
        model: What the forecast says of the space.
        readings: What was measured there, in order of time; those outside the model's span are left out.
        held: What heater and dehumidifier of the space hold, stretch by stretch; nothing where it has neither.

    Returns: The model at its own points and at the readings. At a reading it is the reading; between two that are
        three hours apart at most the difference is interpolated; after one it fades with a half-life of three hours,
        until it is within the instrument's own error; what is beyond a set point of the room fades with a half-life of
        one. Before a reading that follows on none the model stands: nothing is smeared over the hour before it.
        Temperature and humidity ratio are corrected, not the relative humidity.
    Source: docs/trade.md, Readings.
    """
    inside = (readings.at_s >= model.at_s[0]) & (readings.at_s <= model.at_s[-1])
    at_r, air_r, rh_r = readings.at_s[inside], readings.air_temp_c[inside], readings.rh_pct[inside]
    if not len(at_r):
        return model
    base_at_r = model.sampled(at_r)
    off_t = air_r - base_at_r.air_temp_c
    off_w = humidity_ratio(air_r, rh_r) - base_at_r.humidity_ratio
    off_rh = rh_r - relative_humidity(air_r, np.maximum(base_at_r.humidity_ratio, 1e-6))
    floor_r, cap_r = held_at(held, at_r)
    under, over = np.maximum(0.0, floor_r - air_r), np.maximum(0.0, rh_r - cap_r)  # what the room holds, and was read
    ends_t, ends_w = _within(at_r, off_t, INSTRUMENT_K), _within(at_r, off_rh, INSTRUMENT_PCT)
    back_t = _within(at_r, under, INSTRUMENT_K, HELD_HALF_LIFE_H)
    back_rh = _within(at_r, over, INSTRUMENT_PCT, HELD_HALF_LIFE_H)
    at = _knots(model.at_s, at_r, ends_t, ends_w, back_t, back_rh)
    base = model.sampled(at)
    weights = _weights(at, at_r)
    shift_t, shift_w = weights.of(off_t, ends_t), weights.of(off_w, ends_w)
    air = base.air_temp_c + shift_t
    floor, cap = held_at(held, at)
    fades = weights.fades
    air = np.where(fades, np.maximum(air, floor - weights.left(under, back_t)), air)
    rh = relative_humidity(air, np.maximum(base.humidity_ratio + shift_w, 1e-6))
    rh = np.where(fades, np.minimum(rh, cap + weights.left(over, back_rh)), rh)
    return Series(at, np.clip(air, -100, 200), rh)


def _within(at_r: Floats, off: Floats, error: float, half_life_h: Hours = HALF_LIFE_H) -> Floats:
    """When the difference of each reading has faded into the instrument's own error. [s since 1970]"""
    halvings = np.log2(np.maximum(np.abs(off), error) / error)
    return np.asarray(at_r + np.maximum(JUST_BEFORE_S, 3600 * half_life_h * halvings))


def _knots(model_s: Floats, at_r: Floats, *ends: Floats) -> Floats:
    """The model's instants, the readings, both sides of each jump, and where a fading difference bends."""
    following = np.concatenate([at_r[1:], [np.inf]])
    last_of_run = following - at_r > BRIDGED_S
    alone = np.concatenate([[True], last_of_run[:-1]])
    fading = np.add.outer(at_r[last_of_run], 3600 * _FADES_H)
    bends = fading[fading < following[last_of_run][:, None] - 1.0]
    cuts = np.concatenate([end[last_of_run & (end < following)] for end in ends])
    at = np.unique(np.concatenate([model_s, at_r, at_r[alone] - JUST_BEFORE_S, bends, cuts - JUST_BEFORE_S, cuts]))
    return np.asarray(at[(at >= model_s[0]) & (at <= model_s[-1])])


@dataclass(frozen=True, eq=False)
class _Weights:
    """How much the reading before and the reading after count at each instant."""

    at_s: Floats
    since_s: Floats  # seconds since the reading before; infinite where there is none
    before: NDArray[np.intp]
    after: NDArray[np.intp]
    along: Floats  # how far it is from the one to the other, where the two are bridged; NaN where they are not

    def of(self, off: Floats, ends_s: Floats) -> Floats:
        """The difference at each instant. [of the figure]"""
        fading = np.where(self.at_s < ends_s[self.before], 0.5 ** (self.since_s / 3600 / HALF_LIFE_H), 0.0)
        fading = np.where(self.since_s == 0, 1.0, fading)
        bridged = ~np.isnan(self.along)
        return np.asarray(
            np.where(
                bridged, (1 - self.along) * off[self.before] + self.along * off[self.after], fading * off[self.before]
            )
        )

    @property
    def fades(self) -> NDArray[np.bool_]:
        """Whether an instant follows on a reading, and lies on no bridge to another one."""
        return np.asarray(np.isnan(self.along) & np.isfinite(self.since_s))

    def left(self, beyond: Floats, ends_s: Floats) -> Floats:
        """What is left of what was read beyond a set point. [of the figure]"""
        fading = beyond[self.before] * 0.5 ** (self.since_s / 3600 / HELD_HALF_LIFE_H)
        return np.where((self.at_s < ends_s[self.before]) | (self.since_s == 0), fading, 0.0)


def _weights(at: Floats, at_r: Floats) -> _Weights:
    before = np.searchsorted(at_r, at, side="right") - 1
    after = np.clip(before + 1, 0, len(at_r) - 1)
    started = before >= 0
    before = np.clip(before, 0, None)
    gap = at_r[after] - at_r[before]
    bridged = started & (gap > 0) & (gap <= BRIDGED_S)
    along = np.where(bridged, (at - at_r[before]) / np.where(gap > 0, gap, 1.0), np.nan)
    return _Weights(at, np.where(started, at - at_r[before], np.inf), before, after, along)

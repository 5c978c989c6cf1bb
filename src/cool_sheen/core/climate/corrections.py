"""Readings overrule a forecast: the difference is carried on, and fades."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from cool_sheen.core.climate.air import Floats, humidity_ratio, relative_humidity
from cool_sheen.core.climate.series import Series
from cool_sheen.core.units import Hours

BRIDGED_S = 3 * 3600.0  # readings further apart than this leave a gap between them
HALF_LIFE_H: Hours = 3.0


@dataclass(frozen=True, eq=False)
class Readings:
    """Measured air of one space from one kind of source. ``rank`` 0 is believed before 1. Ascending in time."""

    rank: int
    at_s: Floats
    air_temp_c: Floats
    rh_pct: Floats


def believed(sources: list[Readings]) -> Readings:
    """Merge readings: where a better source speaks within an hour and a half, the lesser ones are silent."""
    kept_at: Floats = np.empty(0)
    columns: list[tuple[Floats, Floats, Floats]] = []
    for source in sorted(sources, key=lambda s: s.rank):
        near = _distance(source.at_s, kept_at) <= BRIDGED_S / 2
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


def corrected(model: Series, readings: Readings) -> Series:
    """A model series, overruled by readings.

    Args:
        model: What the forecast says of the space.
        readings: What was measured there, in order of time; those outside the model's span are left out.

    Returns: The model at its own points and at the readings. At a reading it is the reading; between two that are
        three hours apart at most the difference is interpolated; after one it fades with a half-life of three hours.
        Temperature and humidity ratio are corrected, not the relative humidity.
    Source: docs/trade.md, Readings.
    """
    inside = (readings.at_s >= model.at_s[0]) & (readings.at_s <= model.at_s[-1])
    at_r = readings.at_s[inside]
    if not len(at_r):
        return model
    base_at_r = model.sampled(at_r)
    off_t = readings.air_temp_c[inside] - base_at_r.air_temp_c
    off_w = humidity_ratio(readings.air_temp_c[inside], readings.rh_pct[inside]) - base_at_r.humidity_ratio
    at = np.unique(np.concatenate([model.at_s, at_r]))
    base = model.sampled(at)
    weight_before, before, weight_after, after = _weights(at, at_r)
    shift_t = weight_before * off_t[before] + weight_after * off_t[after]
    shift_w = weight_before * off_w[before] + weight_after * off_w[after]
    air = base.air_temp_c + shift_t
    rh = relative_humidity(air, np.maximum(base.humidity_ratio + shift_w, 1e-6))
    return Series(at, np.clip(air, -100, 200), rh)


def _weights(at: Floats, at_r: Floats) -> tuple[Floats, NDArray[np.intp], Floats, NDArray[np.intp]]:
    """How much the reading before and the reading after count at each instant."""
    before = np.searchsorted(at_r, at, side="right") - 1
    after = np.clip(before + 1, 0, len(at_r) - 1)
    started = before >= 0
    before = np.clip(before, 0, None)
    gap = at_r[after] - at_r[before]
    bridged = started & (gap > 0) & (gap <= BRIDGED_S)
    along = np.where(bridged, (at - at_r[before]) / np.where(gap > 0, gap, 1.0), 0.0)
    fading = 0.5 ** (np.maximum(at - at_r[before], 0) / 3600 / HALF_LIFE_H)
    weight_before = np.where(bridged, 1 - along, np.where(started, fading, 0.0))
    return weight_before, before, np.where(bridged, along, 0.0), after

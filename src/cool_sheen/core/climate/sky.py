"""The sky over a place: wind, gusts, rain, cloud and sun, and what of them reaches a part that stands outdoors."""

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from cool_sheen.core.climate.air import Floats
from cool_sheen.core.climate.corrections import BRIDGED_S
from cool_sheen.core.climate.series import JUST_BEFORE_S, spliced
from cool_sheen.core.units import Kelvin

CLEAR_NIGHT_K: Kelvin = -3.0
FULL_SUN_K: Kelvin = 8.0
WIND_BREAK_LETS_THROUGH = 0.4  # share of the wind behind a wind-break. A shop rule
MOST_RAIN_MM_PER_H, MOST_WIND_M_PER_S = 500.0, 120.0
RAINS_MM_PER_H, WINDY_M_PER_S = 1.0, 8.0  # what "it rains" and "windy" stand for where no figure is known


@dataclass(frozen=True, eq=False)
class Sky:
    """The sky along time, linear between points and held beyond them; NaN is not known.

    Arrays of one length: ``at_s`` [s since 1970, ascending], ``wind_m_per_s`` and ``gust_m_per_s`` [m/s],
    ``rain_mm_per_h`` [mm/h], ``cloud`` [share of the sky, 0 to 1].
    """

    at_s: Floats
    wind_m_per_s: Floats
    gust_m_per_s: Floats
    rain_mm_per_h: Floats
    cloud: Floats

    def sampled(self, at_s: Floats) -> "Sky":
        """Return the sky at other instants (ascending)."""
        return Sky(at_s, *(np.interp(at_s, self.at_s, column) for column in self.columns))

    def replaced_by(self, other: "Sky") -> "Sky":
        """Return the sky with another one in its place from that one's first point to its last."""
        at = spliced(self.at_s, other.at_s)
        inside = (at >= other.at_s[0]) & (at <= other.at_s[-1])
        pairs = zip(other.sampled(at).columns, self.sampled(at).columns, strict=True)
        return Sky(at, *(np.where(inside, its, mine) for its, mine in pairs))

    @property
    def columns(self) -> tuple[Floats, Floats, Floats, Floats]:
        """Wind, gusts [m/s], rain [mm/h] and cloud [1]."""
        return self.wind_m_per_s, self.gust_m_per_s, self.rain_mm_per_h, self.cloud


def overruled(base: Sky, better: Sky) -> Sky:
    """A sky, overruled by a better source where that speaks: at its points, and between two up to three hours apart.

    What the better source does not know (NaN) stays as it was, figure by figure.
    """
    at = np.unique(np.concatenate([base.at_s, better.at_s]))
    under = base.sampled(at)
    columns = []
    for below, over in zip(under.columns, better.columns, strict=True):
        known = ~np.isnan(over)
        columns.append(_where_it_speaks(at, below, better.at_s[known], over[known]))
    return Sky(at, *columns)


def _where_it_speaks(at: Floats, below: Floats, at_k: Floats, known: Floats) -> Floats:
    if not len(at_k):
        return below
    after = np.searchsorted(at_k, at, side="left")
    before = np.searchsorted(at_k, at, side="right") - 1
    inside = (before >= 0) & (after < len(at_k))
    gap = at_k[np.clip(after, 0, len(at_k) - 1)] - at_k[np.clip(before, 0, None)]
    return np.where(inside & (gap <= BRIDGED_S), np.interp(at, at_k, known), below)


def as_seen(sky: Sky, seen: Sky) -> Sky:
    """A sky, overruled by what somebody saw: each sighting holds until the next one, and for three hours at most.

    Args:
        sky: What the forecast says.
        seen: Sightings in order of time; NaN where nothing was said.
    """
    for at, *said in zip(seen.at_s.tolist(), *(column.tolist() for column in seen.columns), strict=True):
        later = seen.at_s[seen.at_s > at]
        ends = min(at + BRIDGED_S, float(later[0]) if len(later) else np.inf)
        knots = [sky.at_s, [at - JUST_BEFORE_S, at, ends - JUST_BEFORE_S, ends]]
        sky = sky.sampled(np.unique(np.concatenate([np.asarray(k, dtype=float) for k in knots])))
        holds = (sky.at_s >= at) & (sky.at_s < ends)
        sky = Sky(
            sky.at_s,
            *(c if np.isnan(v) else np.where(holds, v, c) for c, v in zip(sky.columns, said, strict=True)),
        )
    return sky


@dataclass(frozen=True, eq=False)
class Exposure:
    """What of the sky reaches a part: nought where it stands under a roof. Linear between points.

    Arrays of one length: ``at_s`` [s since 1970], ``wind_m_per_s``, ``gust_m_per_s`` [m/s], ``rain_mm_per_h`` [mm/h],
    ``sun`` [share of a high sun in a clear sky, 0 to 1], ``night_k`` [K, what a clear night takes].
    """

    at_s: Floats
    wind_m_per_s: Floats
    gust_m_per_s: Floats
    rain_mm_per_h: Floats
    sun: Floats
    night_k: Floats

    @property
    def offset_k(self) -> Floats:
        """What sky and sun add to the air at a surface. [K]

        Source: docs/trade.md, Surfaces and rooms.
        """
        return np.asarray(FULL_SUN_K * self.sun + self.night_k)

    def sampled(self, at_s: Floats) -> "Exposure":
        """Return the same at other instants (ascending)."""
        columns = (self.wind_m_per_s, self.gust_m_per_s, self.rain_mm_per_h, self.sun, self.night_k)
        return Exposure(at_s, *(np.interp(at_s, self.at_s, column) for column in columns))

    def behind(
        self, *, shade: bool | NDArray[np.bool_] = False, wind_break: bool | NDArray[np.bool_] = False
    ) -> "Exposure":
        """The same in the shade, or behind a wind-break: always, or at the instants that are true."""
        lets = np.where(wind_break, WIND_BREAK_LETS_THROUGH, 1.0)
        return replace(
            self,
            wind_m_per_s=self.wind_m_per_s * lets,
            gust_m_per_s=self.gust_m_per_s * lets,
            sun=np.where(shade, 0.0, self.sun),
        )

    @classmethod
    def under_a_roof(cls, at_s: Floats) -> "Exposure":
        """Nothing of the sky."""
        none = np.zeros(len(at_s))
        return cls(at_s, none, none, none, none, none)


def exposed(sky: Sky, sine: Floats) -> Exposure:
    """What the sky does to a part that stands in the open.

    Args:
        sky: The sky.
        sine: Sine of the sun's height at its instants. [1]
    """
    clear = 1 - np.clip(sky.cloud, 0, 1)
    night = CLEAR_NIGHT_K * np.clip(-6 * sine, 0, 1) * clear
    return Exposure(sky.at_s, sky.wind_m_per_s, sky.gust_m_per_s, sky.rain_mm_per_h, np.clip(sine, 0, 1) * clear, night)

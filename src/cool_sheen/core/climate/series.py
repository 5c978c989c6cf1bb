"""A stretch of climate: points in time, straight lines between them."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta

import numpy as np

from cool_sheen.core.climate.air import Floats, dew_point, humidity_ratio
from cool_sheen.core.errors import Inconsistent, OutOfRange
from cool_sheen.core.once import cached_property

REACH = timedelta(days=60)  # how long the last value is held
JUST_BEFORE_S = 1e-3  # where something jumps, it is looked at on both sides


def seconds(at: datetime) -> float:
    """Return an instant as seconds since 1970. Raises Inconsistent for a time without an offset."""
    if at.tzinfo is None:
        raise Inconsistent(f"{at.isoformat()} has no offset from UTC.")
    return at.timestamp()


def instant(at_s: float) -> datetime:
    """Return seconds since 1970 as an instant in UTC."""
    return datetime.fromtimestamp(at_s, UTC)


def spliced(at_s: Floats, other_s: Floats) -> Floats:
    """Return the instants of a course of which another one takes the place from its first point to its last. [s]

    Source: docs/trade.md, Readings.
    """
    first, last = float(other_s[0]), float(other_s[-1])
    before, after = at_s[at_s < first], at_s[at_s > last]
    seams = [first - JUST_BEFORE_S] * bool(len(before)) + [last + JUST_BEFORE_S] * bool(len(after))
    return np.unique(np.concatenate([before, other_s, after, seams]))


@dataclass(frozen=True, eq=False)
class Series:
    """Climate along time: linear between points, held before the first and after the last for ``REACH``.

    Arrays of one length: ``at_s`` [s since 1970, ascending], ``air_temp_c`` [°C], ``rh_pct`` [%],
    ``surface_temp_c`` [°C]. Raises Inconsistent or OutOfRange for lengths, order or figures that cannot be.
    """

    at_s: Floats
    air_temp_c: Floats
    rh_pct: Floats
    surface_temp_c: Floats = field(default_factory=lambda: np.empty(0))

    def __post_init__(self) -> None:
        if not len(self.at_s):
            raise Inconsistent("A climate series needs at least one point.", "climate")
        if not len(self.surface_temp_c):
            object.__setattr__(self, "surface_temp_c", self.air_temp_c)
        if np.any(np.diff(self.at_s) <= 0):
            place = int(np.argmax(np.diff(self.at_s) <= 0)) + 1
            raise Inconsistent("Times must ascend: this one is not after the one before.", f"climate.{place}.at")
        for name, values, low, high in (
            ("air_temp_c", self.air_temp_c, -100, 200),
            ("surface_temp_c", self.surface_temp_c, -100, 200),
            ("rh_pct", self.rh_pct, 0, 100),
        ):
            wrong = ~((values >= low) & (values <= high))
            if np.any(wrong):
                place = int(np.argmax(wrong))
                raise OutOfRange(f"{values[place]:g} is not between {low} and {high}.", f"climate.{place}.{name}")

    @classmethod
    def of(
        cls,
        at: Sequence[datetime],
        air_temp_c: Sequence[float],
        rh_pct: Sequence[float],
        surface_temp_c: Sequence[float | None] | None = None,
    ) -> "Series":
        """Build a series from lists; a missing surface temperature is the air's."""
        air = np.array(air_temp_c, dtype=float)
        surface = air
        if surface_temp_c is not None:
            surface = np.array([a if s is None else s for s, a in zip(surface_temp_c, air_temp_c, strict=True)])
        return cls(np.array([seconds(a) for a in at]), air, np.array(rh_pct, dtype=float), surface)

    @property
    def ends_s(self) -> float:
        """Last instant that the series speaks of. [s since 1970]"""
        return float(self.at_s[-1]) + REACH.total_seconds()

    @cached_property
    def humidity_ratio(self) -> Floats:
        """Water in the air at each point. [kg/kg]"""
        return humidity_ratio(self.air_temp_c, self.rh_pct)

    @cached_property
    def dew_point_c(self) -> Floats:
        """Dew point at each point. [°C]"""
        return dew_point(self.air_temp_c, self.rh_pct)

    def sampled(self, at_s: Floats) -> "Series":
        """Return the series at other instants (ascending)."""
        at = np.asarray(at_s, dtype=float)
        return Series(
            at,
            np.interp(at, self.at_s, self.air_temp_c),
            np.interp(at, self.at_s, self.rh_pct),
            np.interp(at, self.at_s, self.surface_temp_c),
        )

    def replaced_by(self, other: "Series") -> "Series":
        """Return the series with another one in its place from that one's first point to its last."""
        at = spliced(self.at_s, other.at_s)
        mine, its = self.sampled(at), other.sampled(at)
        inside = (at >= other.at_s[0]) & (at <= other.at_s[-1])
        return Series(
            at,
            np.where(inside, its.air_temp_c, mine.air_temp_c),
            np.where(inside, its.rh_pct, mine.rh_pct),
            np.where(inside, its.surface_temp_c, mine.surface_temp_c),
        )

    def with_surface(self, surface_temp_c: Floats) -> "Series":
        """Return the same air over another surface."""
        return Series(self.at_s, self.air_temp_c, self.rh_pct, surface_temp_c)

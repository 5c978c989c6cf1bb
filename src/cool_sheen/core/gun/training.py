"""Training the stroke: drills of rising difficulty, and what a drawn film says of the hand."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Annotated

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from cool_sheen.core.climate.air import Floats
from cool_sheen.core.coatings.sheet_fields import Key, Positive, Strict, Text
from cool_sheen.core.gun.field import THIN_SHARE, Evenness, Sample
from cool_sheen.core.units import Micron, Percent, Seconds

_ROWS = (("top", 0.0, 1 / 3), ("middle", 1 / 3, 2 / 3), ("bottom", 2 / 3, 1.0))
_COLUMNS = (("left", 0.0, 1 / 3), ("", 1 / 3, 2 / 3), ("right", 2 / 3, 1.0))
_PLACE_SHARE = 0.15  # of a ninth of the panel: from there on it is named
_STANDING_MM_PER_S, _LOOK_S = 40.0, 0.15


class Drill(Strict):
    """A drill: a panel, a film, and how even it is to become.

    Attributes:
        width_mm, height_mm: Of the panel. [mm]
        judged: What of it counts: the share of width and height around the middle. [1]
        coats: Whole rounds over it that the film is asked of.
        overlap: Share of the fan. [1]
        seconds: Time that there is. [s]
        spread_pct: Spread from which the next drill is offered. [%]
        sag_share: What runs, as a share of the product's limit; under 1 it is less forgiving. [1]
    """

    key: Key
    name: Text
    says: Text
    width_mm: Positive
    height_mm: Positive
    judged: tuple[Annotated[float, Field(gt=0, le=1)], Annotated[float, Field(gt=0, le=1)]] = (1.0, 1.0)
    coats: Annotated[int, Field(ge=1, le=3)] = 1
    overlap: Annotated[float, Field(ge=0, lt=1)] = 0.5
    seconds: Annotated[float, Field(gt=0, le=180)] = 60.0
    spread_pct: Annotated[float, Field(gt=0, le=100)] = 20.0
    sag_share: Annotated[float, Field(gt=0, le=2)] = 1.0

    def part_that_counts(self, film_um: Floats) -> Floats:
        """The cells around the middle that are judged. [um]"""
        rows, columns = film_um.shape
        wide, high = self.judged
        left, top = round(columns * (1 - wide) / 2), round(rows * (1 - high) / 2)
        return np.asarray(film_um[top : rows - top or rows, left : columns - left or columns])


@dataclass(frozen=True, slots=True)
class Hand:
    """What the samples say of the hand.

    Attributes:
        sprayed_s: With the trigger pulled. [s]
        speed_mm_per_s: Mean while it was. [mm/s]
        speed_spread_pct: Standard deviation of the speed by its mean. [%]
        stood_s: With the trigger pulled while the gun stood. [s]
        strokes: How often the trigger was pulled.
    """

    sprayed_s: Seconds
    speed_mm_per_s: float
    speed_spread_pct: Percent
    stood_s: Seconds
    strokes: int


def hand_of(samples: Sequence[Sample]) -> Hand:
    """Say what a hand did, while the trigger was pulled.

    Source: docs/trade.md, Gun.
    """
    if len(samples) < 2:
        return Hand(0.0, 0.0, 0.0, 0.0, 0)
    at = np.array([s.at_s for s in samples])
    way = np.hypot(np.diff([s.x_mm for s in samples]), np.diff([s.y_mm for s in samples]))
    pulled, took = np.array([s.pulled for s in samples[:-1]]), np.diff(at)
    on = pulled & (took > 0)
    sprayed = float(took[on].sum())
    if sprayed <= 0:
        return Hand(0.0, 0.0, 0.0, 0.0, 0)
    way, took = _looked_at(way[on], took[on])
    speed = way / took
    mean = float(np.average(speed, weights=took))
    spread = float(np.sqrt(np.average(np.square(speed - mean), weights=took)))
    begun = int(pulled[0]) + int(np.sum(pulled[1:] & ~pulled[:-1]))
    stood = float(took[speed < _STANDING_MM_PER_S].sum())
    return Hand(sprayed, mean, 100 * spread / mean if mean > 0 else 0.0, stood, begun)


def _looked_at(way_mm: Floats, took_s: Floats) -> tuple[Floats, Floats]:
    """Put samples together until each look lasts long enough: a hand is not seen at every frame. [mm, s]"""
    look = np.floor(np.cumsum(took_s) / _LOOK_S - 1e-9).astype(int)
    starts = np.flatnonzero(np.diff(look, prepend=-1))
    return np.add.reduceat(way_mm, starts), np.add.reduceat(took_s, starts)


def places(film_um: Floats, wrong: NDArray[np.bool_]) -> list[str]:
    """Name the ninths of a panel where a share of the cells is wrong: ``top left``, ``middle``.

    Args:
        film_um: Film by cell. [um]
        wrong: Which cells are, of the same shape.
    """
    rows, columns = film_um.shape
    out = []
    for row, top, bottom in _ROWS:
        for column, left, right in _COLUMNS:
            ninth = wrong[round(top * rows) : round(bottom * rows), round(left * columns) : round(right * columns)]
            if ninth.size and float(ninth.mean()) >= _PLACE_SHARE:
                out.append(f"{row} {column}".strip())
    return out


def told(
    drill: Drill, film_um: Floats, even: Evenness, hand: Hand, target_um: Micron, least_um: Micron, runs_over_um: Micron
) -> list[str]:
    """Tell in words how even a film came out, and where it would run or stay dry.

    Args:
        drill: What was asked.
        film_um: Film by cell of what is judged. [um]
        even: How even it is.
        hand: What the hand did.
        target_um: Film that was wanted, of all coats. [um]
        least_um: Least film of all coats. [um]
        runs_over_um: Film of all coats that runs. [um]

    Source: docs/trade.md, Gun.
    """
    if even.most_um <= 0:
        return ["Nothing has landed yet: press on the panel and draw, or hold the space bar and steer with the arrows."]
    out = [_how_even(even), _how_much(even, target_um)]
    if thin := places(film_um, film_um < THIN_SHARE * least_um):
        out.append(f"Thin: {_listed(thin)}. There a stroke is missing, or the trigger came late.")
    if over := places(film_um, film_um > runs_over_um):
        out.append(f"It would run: {_listed(over)}. There the gun was slow, or two strokes lie on each other.")
    if hand.stood_s > 0.3:
        out.append(f"The gun stood for {hand.stood_s:.1f} s with the trigger pulled: move first, then pull.")
    if hand.speed_spread_pct > 35:
        out.append("The speed wavered: count the beat, and let the arm go as far as the stroke.")
    if even.spread_pct <= drill.spread_pct and even.thin_pct < 5 and even.over_pct < 1:
        out.append("As even as this drill asks: the next one is harder.")
    return out


def is_passed(drill: Drill, even: Evenness) -> bool:
    """Whether a film is as even as its drill asks."""
    return even.mean_um > 0 and even.spread_pct <= drill.spread_pct and even.thin_pct < 5 and even.over_pct < 1


_EVEN = ((8.0, "Very even"), (14.0, "Even"), (22.0, "Fairly even"), (35.0, "Uneven"))


def _how_even(even: Evenness) -> str:
    words = next((w for most, w in _EVEN if even.spread_pct <= most), "Very uneven")
    return f"{words}: the film spreads by {even.spread_pct:.0f} % about its mean."


def _how_much(even: Evenness, target_um: Micron) -> str:
    off = even.mean_um / target_um - 1
    if abs(off) <= 0.1:
        return f"{even.mean_um:.0f} µm in the mean, as wanted."
    side = "more" if off > 0 else "less"
    way = "faster" if off > 0 else "slower"
    return f"{even.mean_um:.0f} µm in the mean, {abs(100 * off):.0f} % {side} than wanted: {way}."


def _listed(names: Sequence[str]) -> str:
    if len(names) == len(_ROWS) * len(_COLUMNS):
        return "everywhere"
    return ", ".join(names)

"""The field: the film that strokes leave on a panel, cell by cell, and how even it is."""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import Literal

import numpy as np

from cool_sheen.core.climate.air import Floats
from cool_sheen.core.errors import OutOfRange
from cool_sheen.core.gun.fan import SPOT_MM, across, arrives, fan_at
from cool_sheen.core.units import Micron, Percent, Seconds

_ML_PER_MIN_TO_MM3_PER_S, MM_TO_UM = 1000 / 60, 1000
THIN_SHARE = 0.8  # of the least wet film: below it a place is thin
STEP_SHARE = 0.5  # of the spot: how far the gun goes between two looks at a drawn stroke
REACH = 4.0  # spots along the stroke beyond which nothing lands
MOST_CELLS = 60_000


@dataclass(frozen=True, slots=True)
class Panel:
    """A panel, cut into cells. [mm]"""

    width_mm: float
    height_mm: float
    columns: int
    rows: int

    def __post_init__(self) -> None:
        if not (self.width_mm > 0 and self.height_mm > 0 and self.columns > 0 and self.rows > 0):
            raise OutOfRange("A panel has a width and a height.", "width_mm")
        if self.columns * self.rows > MOST_CELLS:
            raise OutOfRange(f"A panel is cut into {MOST_CELLS} cells at most.", "columns")

    @property
    def x_mm(self) -> Floats:
        """Middles of the columns, from the left. [mm]"""
        return (np.arange(self.columns) + 0.5) * self.width_mm / self.columns

    @property
    def y_mm(self) -> Floats:
        """Middles of the rows, from the top. [mm]"""
        return (np.arange(self.rows) + 0.5) * self.height_mm / self.rows


@dataclass(frozen=True, slots=True)
class Spray:
    """What leaves the gun.

    Attributes:
        flow_ml_per_min: Paint. [ml/min]
        transfer: Share that arrives from the usual distance. [1]
        fan_mm: Width of the fan there. [mm]
        usual_mm: That distance. [mm]
    """

    flow_ml_per_min: float
    transfer: float
    fan_mm: float
    usual_mm: float = 180.0

    @property
    def mm3_per_s(self) -> float:
        """Paint that leaves it. [mm3/s]"""
        return self.flow_ml_per_min * _ML_PER_MIN_TO_MM3_PER_S


@dataclass(frozen=True, slots=True)
class Pass:
    """One straight stroke at one speed.

    Attributes:
        line_mm: Where it runs: its height over the panel from the top, or from the left when it goes up and down. [mm]
        on_mm: Where the trigger is pulled, along the stroke; before the edge it is below nought. [mm]
        off_mm: Where it is released. [mm]
        speed_mm_per_s: Of the gun. [mm/s]
        distance_mm: Of the gun where it is square to the panel. [mm]
        pivot_mm: From the panel to the joint that it swings about; None for an arm that goes with it. [mm]
        middle_mm: Where it is square to the panel when it swings. [mm]
        down: Whether it goes up and down.
    """

    line_mm: float
    on_mm: float
    off_mm: float
    speed_mm_per_s: float
    distance_mm: float
    pivot_mm: float | None = None
    middle_mm: float = 0.0
    down: bool = False


def lay(panel: Panel, spray: Spray, passes: Sequence[Pass]) -> Floats:
    """Lay strokes on a panel.

    Args:
        panel: The panel.
        spray: What leaves the gun.
        passes: Strokes, in any order.

    Returns: Wet film by cell, of shape (rows, columns). [um]
    Source: docs/trade.md, Gun: film = Q TE f / v; a spot that is Gaussian along the stroke, and a gun that swings about
        its joint: its spot goes faster and comes from farther away towards the ends.
    """
    film = np.zeros((panel.rows, panel.columns))
    for one in passes:
        along, beside = (panel.y_mm, panel.x_mm) if one.down else (panel.x_mm, panel.y_mm)
        laid = _stroke(one, spray, along, beside)
        film += laid.T if one.down else laid
    return film


def _stroke(one: Pass, spray: Spray, along: Floats, beside: Floats) -> Floats:
    """Film of one stroke, of shape (beside, along). [um]"""
    if one.pivot_mm is None:
        distance, speed = np.full_like(along, one.distance_mm), np.full_like(along, one.speed_mm_per_s)
    else:
        turned = np.square((along - one.middle_mm) / one.pivot_mm)
        distance = one.distance_mm + one.pivot_mm * (np.sqrt(1 + turned) - 1)
        speed = one.speed_mm_per_s * (1 + turned)
    first, last = min(one.on_mm, one.off_mm), max(one.on_mm, one.off_mm)
    share = arrives(spray.transfer, spray.usual_mm, distance)
    by_length = spray.mm3_per_s * share / speed * (_normal(along, first) - _normal(along, last)) * MM_TO_UM
    fan = fan_at(spray.fan_mm, spray.usual_mm, distance)
    if one.pivot_mm is None:
        return np.outer(across(beside - one.line_mm, fan[0]), by_length)
    return across((beside - one.line_mm)[:, None], fan[None, :]) * by_length[None, :]


def _normal(at: Floats, edge: float) -> Floats:
    """Share of a spot that has come past a point when the gun stands at an edge. [1]"""
    return np.array([0.5 * (1 + math.erf((x - edge) / (SPOT_MM * math.sqrt(2)))) for x in at.tolist()])


@dataclass(frozen=True, slots=True)
class Sample:
    """Where a gun was at an instant, and whether paint flowed from there to the next one. [s, mm]

    Attributes:
        down: Whether its fan lies across the panel, for strokes that go up and down.
    """

    at_s: Seconds
    x_mm: float
    y_mm: float
    pulled: bool
    down: bool = False


def draw(panel: Panel, spray: Spray, samples: Sequence[Sample], distance_mm: float) -> Floats:
    """Lay the strokes that a hand drew.

    Args:
        panel: The panel.
        spray: What leaves the gun.
        samples: Where the gun was, in the order of time.
        distance_mm: Of the gun. [mm]

    Returns: Wet film by cell, of shape (rows, columns). [um]
    Source: docs/trade.md, Gun: the same spot, laid along the way at steps of half of it.
    """
    film = np.zeros((panel.rows, panel.columns))
    fan = float(fan_at(spray.fan_mm, spray.usual_mm, distance_mm))
    rate = spray.mm3_per_s * float(arrives(spray.transfer, spray.usual_mm, distance_mm)) * MM_TO_UM
    for one, following in pairwise(samples):
        if one.pulled and following.at_s > one.at_s:
            _stamp_along(film, panel, one, following, fan, rate)
    return film


def _stamp_along(film: Floats, panel: Panel, one: Sample, following: Sample, fan_mm: float, rate: float) -> None:
    length = math.hypot(following.x_mm - one.x_mm, following.y_mm - one.y_mm)
    steps = max(1, math.ceil(length / (SPOT_MM * STEP_SHARE)))
    dose = rate * (following.at_s - one.at_s) / steps
    for n in range(steps):
        share = (n + 0.5) / steps
        x = one.x_mm + share * (following.x_mm - one.x_mm)
        y = one.y_mm + share * (following.y_mm - one.y_mm)
        if one.down:
            film += dose * np.outer(_spot(panel.y_mm - y), across(panel.x_mm - x, fan_mm))
        else:
            film += dose * np.outer(across(panel.y_mm - y, fan_mm), _spot(panel.x_mm - x))


def _spot(along_mm: Floats) -> Floats:
    """Share of the paint by millimetre along the stroke. [1/mm]"""
    reached = np.where(np.abs(along_mm) <= REACH * SPOT_MM, np.exp(-0.5 * np.square(along_mm / SPOT_MM)), 0.0)
    return np.asarray(reached / (SPOT_MM * math.sqrt(2 * math.pi)))


@dataclass(frozen=True, slots=True)
class Evenness:
    """How even a film is.

    Attributes:
        mean_um: Mean of all cells. [um]
        spread_pct: Standard deviation by the mean. [%]
        thin_pct: Share of the panel under four fifths of the least film. [%]
        over_pct: Share over the film that runs. [%]
        least_um: Thinnest cell. [um]
        most_um: Thickest cell. [um]
    """

    mean_um: Micron
    spread_pct: Percent
    thin_pct: Percent
    over_pct: Percent
    least_um: Micron
    most_um: Micron


def evenness(film_um: Floats, least_um: Micron, runs_over_um: Micron) -> Evenness:
    """Say how even a film is.

    Args:
        film_um: Film by cell. [um]
        least_um: Least wet film that is asked for. [um]
        runs_over_um: Wet film that runs. [um]

    Source: docs/trade.md, Gun: thin under 80 % of the least film, as on the wet-film comb; over the sag limit it runs.
    """
    mean = float(film_um.mean())
    return Evenness(
        mean,
        100 * float(film_um.std()) / mean if mean > 0 else 0.0,
        100 * float((film_um < THIN_SHARE * least_um).mean()),
        100 * float((film_um > runs_over_um).mean()),
        float(film_um.min()),
        float(film_um.max()),
    )


Second = Literal["along", "between", "across"]


@dataclass(frozen=True, slots=True)
class Strokes:
    """How a panel is worked: what the passes of a coat have in common.

    Attributes:
        overlap: Share of the fan that the next stroke covers again. [1]
        speed_mm_per_s: Of the gun. [mm/s]
        distance_mm: Of the gun. [mm]
        early_mm: How long before the edge the trigger is pulled. [mm; below nought when too late]
        late_mm: How long after the other edge it is released. [mm; below nought when too soon]
        pivot_mm: From the panel to the joint about which the gun swings; None when the arm goes with it. [mm]
        coats: Rounds over the panel.
        second: How every second round goes: along the first one's lines, between them, or across them.
    """

    overlap: float = 0.5
    speed_mm_per_s: float = 300.0
    distance_mm: float = 180.0
    early_mm: float = 50.0
    late_mm: float = 50.0
    pivot_mm: float | None = None
    coats: int = 1
    second: Second = "along"


def passes_over(panel: Panel, spray: Spray, how: Strokes) -> list[Pass]:
    """Return the strokes of whole rounds: the first and the last one run along the edges.

    Args:
        panel: The panel.
        spray: What leaves the gun.
        how: How it is worked.

    Returns: Strokes, every other one the other way.
    Source: docs/trade.md, Gun: overlap is half the fan by habit; start before the edge, stop after it.
    """
    pitch = float(fan_at(spray.fan_mm, spray.usual_mm, how.distance_mm)) * (1 - how.overlap)
    out: list[Pass] = []
    for number in range(how.coats):
        down = how.second == "across" and number % 2 == 1
        length, height = (panel.height_mm, panel.width_mm) if down else (panel.width_mm, panel.height_mm)
        count = math.ceil(round(height / pitch, 9)) + 1
        between = how.second == "between" and number % 2 == 1
        count += between
        shift = (height - (count - 1) * pitch) / 2  # what is left over is shared by both edges
        for n in range(count):
            on, off = -how.early_mm, length + how.late_mm
            if n % 2:
                on, off = length + how.early_mm, -how.late_mm
            line = shift + n * pitch
            out.append(Pass(line, on, off, how.speed_mm_per_s, how.distance_mm, how.pivot_mm, length / 2, down))
    return out

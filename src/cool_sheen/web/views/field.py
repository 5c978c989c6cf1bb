"""The field as a picture: film by cell in steps, a histogram of it, and the words beside."""

import base64
from dataclasses import dataclass

import numpy as np

from cool_sheen.core.climate.air import Floats
from cool_sheen.core.gun.field import THIN_SHARE, Panel
from cool_sheen.core.units import Micron, amount

STEPS = 255  # a cell is one byte: nought is no film, 255 the top of the scale
_BARS, _RAMP = 24, 512.0
_ROOM = 70.0  # that a word beside a mark wants


@dataclass(frozen=True, slots=True)
class FieldPicture:
    """A field for a canvas.

    Attributes:
        cells: Film by cell, row by row, a byte each, as base64.
        top_um: What the largest byte stands for. [um]
        thin, over: Bytes below which a cell is thin, and above which it runs.
    """

    cells: str
    columns: int
    rows: int
    top_um: Micron
    thin: int
    over: int
    says: str
    scale: tuple[tuple[float, str, str], ...]  # where along the ramp, what stands there, how it is anchored


@dataclass(frozen=True, slots=True)
class Histogram:
    """How much of the panel has how much film.

    Attributes:
        bars: Each with x, width, height and what it is: thin, good, runs.
        marks: Places along it with their words, and how these are anchored.
    """

    width: float
    height: float
    bars: tuple[tuple[float, float, float, str], ...]
    marks: tuple[tuple[float, str, str], ...]
    says: str


def top_of(film_um: Floats, runs_over_um: Micron) -> Micron:
    """The top of the scale: what is there, and the film that runs. [um]"""
    return max(float(film_um.max()), 1.15 * runs_over_um)


def draw(film_um: Floats, panel: Panel, least_um: Micron, runs_over_um: Micron, units: str) -> FieldPicture:
    """Put a film into bytes for a canvas, with its scale."""
    top = top_of(film_um, runs_over_um)
    cells = np.clip(np.rint(film_um / top * STEPS), 0, STEPS).astype(np.uint8)
    thin, over = THIN_SHARE * least_um, runs_over_um
    scale = tuple((x, words, anchor) for x, words, anchor in _marks((thin, over), top, _RAMP, units))
    return FieldPicture(
        base64.b64encode(cells.tobytes()).decode("ascii"),
        panel.columns,
        panel.rows,
        top,
        round(thin / top * STEPS),
        round(over / top * STEPS),
        f"Film from {amount(float(film_um.min()), 'film', units)} to {amount(float(film_um.max()), 'film', units)}.",
        scale,
    )


def histogram(
    film_um: Floats, least_um: Micron, runs_over_um: Micron, units: str, width: float = 420.0, height: float = 96.0
) -> Histogram:
    """Draw how much of a panel has how much film."""
    top = top_of(film_um, runs_over_um)
    counts, edges = np.histogram(film_um, bins=_BARS, range=(0.0, top))
    most = max(1, int(counts.max()))
    thin, pitch = THIN_SHARE * least_um, width / _BARS
    bars = []
    for n, count in enumerate(counts.tolist()):
        middle = float(edges[n] + edges[n + 1]) / 2
        what = "thin" if middle < thin else "runs" if middle > runs_over_um else "good"
        bars.append((round(n * pitch + 1, 1), round(pitch - 2, 1), round(count / most * (height - 22), 1), what))
    shares = {name: float(np.mean(test)) for name, test in
              (("thin", film_um < thin), ("runs", film_um > runs_over_um))}  # fmt: skip
    says = f"{100 * shares['thin']:.0f} % thin, {100 * shares['runs']:.0f} % over the film that runs."
    return Histogram(width, height, tuple(bars), tuple(_marks((thin, runs_over_um), top, width, units)), says)


def _marks(at_um: tuple[Micron, Micron], top_um: Micron, width: float, units: str) -> list[tuple[float, str, str]]:
    """Where thin ends and running begins along an axis: the first one with its words to the left, the second right."""
    first, second = (round(um / top_um * width, 1) for um in at_um)
    words = [amount(um, "film", units) for um in at_um]
    return [
        (first, words[0], "end" if first > _ROOM else "start"),
        (second, words[1], "start" if second < width - _ROOM else "end"),
    ]

"""The field: the film that today's strokes leave on a panel, the speed for a film, and the time round to a line."""

import math
from dataclasses import dataclass, replace
from typing import get_args

from cool_sheen.core.climate.air import Floats
from cool_sheen.core.coatings.products import Product
from cool_sheen.core.gun.fan import beat, fan_at, pass_film, pass_speed, round_minutes
from cool_sheen.core.gun.field import (
    Evenness,
    Panel,
    Second,
    Spray,
    Strokes,
    evenness,
    lay,
    passes_over,
)
from cool_sheen.core.gun.fitting import Finding
from cool_sheen.core.gun.verdicts import span_words
from cool_sheen.core.units import Micron, Minutes, Seconds
from cool_sheen.service.gun.bench import SetUp
from cool_sheen.service.unit import Refused

CELLS_ACROSS, CELLS_DOWN = 200, 150
MOST_PASSES = 400
TURN_S = 0.6  # to turn round between two strokes: the hand is back before the next one begins
_ENOUGH_LEFT = 0.6  # of the wet edge: until then a meeting line melts in without a hurry


@dataclass(frozen=True, slots=True)
class FieldAsked:
    """What was typed of the strokes; what is left out is taken from the gun and the coat at hand.

    Attributes:
        width_mm, height_mm: Of the panel. [mm]
        speed_mm_per_s: Of the gun; None: that which lays the film of the coat. [mm/s]
        target_um: Film of a coat. [um]
    """

    width_mm: float = 1000.0
    height_mm: float = 700.0
    fan_mm: float | None = None
    distance_mm: float | None = None
    overlap: float = 0.5
    speed_mm_per_s: float | None = None
    target_um: Micron | None = None
    early_mm: float = 50.0
    late_mm: float = 50.0
    pivot_mm: float | None = None
    coats: int = 1
    second: Second = "along"


@dataclass(frozen=True)
class Field:
    """What the page says.

    Attributes:
        speed_mm_per_s: That the strokes go at. [mm/s]
        by_rule_um: Film of a coat by flow, speed and overlap, were the panel without end. [um]
        beat_s: One stroke, from trigger to trigger. [s]
        round_min: Once over the panel: until the gun is back at the line where it began. [min]
        ways: How even it becomes with a second round along, between and across the first.
    """

    panel: Panel
    spray: Spray
    strokes: Strokes
    passes: int
    film_um: Floats
    even: Evenness
    target_um: Micron
    least_um: Micron
    runs_over_um: Micron
    speed_mm_per_s: float
    by_rule_um: Micron
    beat_s: Seconds
    round_min: Minutes
    meeting: Finding | None
    ways: list[tuple[Second, Evenness]]
    says: list[Finding]

    @property
    def bounds_um(self) -> tuple[Micron, Micron]:
        """Least film of all coats, and film of all coats that runs. [um]"""
        return self.least_um * self.strokes.coats, self.runs_over_um * self.strokes.coats


def usual(found: SetUp, asked: FieldAsked) -> tuple[Spray, float]:
    """Return what leaves the gun, and from how far. Raises Refused: a tool that does not spray."""
    gun = found.gun
    if not gun.sprays or gun.fan_mm is None or gun.distance_mm is None or not found.fit.flow_ml_per_min:
        raise Refused("A brush or a roller has no fan: choose a gun.", {"gun": "Choose a gun."})
    usual_mm = gun.distance_mm[1]
    spray = Spray(found.fit.flow_ml_per_min, found.at.transfer, asked.fan_mm or gun.fan_mm, usual_mm)
    return spray, asked.distance_mm or usual_mm


def panel_of(width_mm: float, height_mm: float) -> Panel:
    """Cut a panel into cells that are about as wide as high."""
    columns = CELLS_ACROSS
    rows = round(columns * height_mm / width_mm)
    if rows > CELLS_DOWN:
        rows, columns = CELLS_DOWN, max(1, round(CELLS_DOWN * width_mm / height_mm))
    return Panel(width_mm, height_mm, min(CELLS_ACROSS, columns), max(1, rows))


def field_of(found: SetUp, asked: FieldAsked) -> Field:
    """Lay the strokes of a coat, or of several, on a panel. Raises Refused: no fan, or more strokes than are laid."""
    spray, distance = usual(found, asked)
    product = found.at.product
    target = asked.target_um or found.at.wet_um
    fan = float(fan_at(spray.fan_mm, spray.usual_mm, distance))
    rate = (spray.flow_ml_per_min, spray.transfer, fan, asked.overlap)
    speed = asked.speed_mm_per_s or pass_speed(*rate, target)
    how = Strokes(
        asked.overlap, speed, distance, asked.early_mm, asked.late_mm, asked.pivot_mm, asked.coats, asked.second
    )
    panel = panel_of(asked.width_mm, asked.height_mm)
    pitch = fan * (1 - asked.overlap)
    across = math.ceil(max(asked.width_mm, asked.height_mm) / pitch) + 2
    if across * max(asked.coats, 2) > MOST_PASSES:
        raise Refused("That many strokes are not laid at once.", {"width": "Enter a smaller panel, or a wider fan."})
    passes = passes_over(panel, spray, how)
    film = lay(panel, spray, passes)
    least, most = product.wet_film_min_um, product.runs_over_um  # of a coat: each flashes before the next
    even = evenness(film, least * asked.coats, most * asked.coats)
    length = asked.width_mm + asked.early_mm + asked.late_mm
    minutes = round_minutes(max(1.0, length), asked.height_mm, pitch, speed, TURN_S)
    return Field(
        panel,
        spray,
        how,
        len(passes),
        film,
        even,
        target,
        least,
        most,
        speed,
        pass_film(*rate, speed),
        beat(max(1.0, length), speed) + TURN_S,
        minutes,
        meeting_line(minutes + (found.feed.time.longer_min if found.feed.time else 0.0), found.at.flash_s),
        [(way, _second(panel, spray, replace(how, coats=2, second=way), least, most)) for way in get_args(Second)],
        _judged(even, product, asked, distance, found),
    )


def _second(panel: Panel, spray: Spray, how: Strokes, least_um: Micron, runs_over_um: Micron) -> Evenness:
    return evenness(lay(panel, spray, passes_over(panel, spray, how)), 2 * least_um, 2 * runs_over_um)


def meeting_line(minutes: Minutes, wet_edge_s: Seconds | None) -> Finding | None:
    """Judge the time round to the line where the gun began against today's wet edge; None where nothing is known.

    Source: docs/trade.md, Gun.
    """
    if wet_edge_s is None:
        return None
    round_s = 60 * minutes
    said = f"Back at the line where you began after {span_words(round_s)}; an edge is wet for {span_words(wet_edge_s)}."
    if round_s >= wet_edge_s:
        pieces = math.ceil(round_s / (_ENOUGH_LEFT * wet_edge_s))
        return Finding(
            "bad",
            f"{said} It is dry by then: work it in {pieces} pieces, each up to a break, or with a slower reducer.",
            "The film flashes at the early end of its band.",
        )
    if round_s > _ENOUGH_LEFT * wet_edge_s:
        return Finding("care", f"{said} Do not stop on the way.", "The film flashes at the early end of its band.")
    return Finding("good", said, "The film flashes at the early end of its band.")


def _judged(even: Evenness, product: Product, asked: FieldAsked, distance_mm: float, found: SetUp) -> list[Finding]:
    out = []
    coats = "a coat" if asked.coats == 1 else f"{asked.coats} coats"
    if even.over_pct >= 1:
        out.append(
            Finding(
                "bad",
                f"{even.over_pct:.0f} % of it would run on an upright face: over {product.runs_over_um:.0f} µm a coat.",
                "Faster, farther, less overlap, or two coats with a flash between.",
            )
        )
    if even.thin_pct >= 1:
        least = product.wet_film_min_um * asked.coats
        out.append(
            Finding(
                "care",
                f"{even.thin_pct:.0f} % of it is thin: under four fifths of {least:.0f} µm for {coats}.",
                "Slower, more overlap, or the trigger sooner and longer at the edges.",
            )
        )
    low, _, high = found.gun.distance_mm or (0.0, 0.0, math.inf)
    if distance_mm > high:
        out.append(Finding("care", "Far: less of it lands, and what lands is dry.", f"Up to {high:g} mm."))
    if distance_mm < low:
        out.append(Finding("care", "Near: the fan is narrow and wet.", f"From {low:g} mm."))
    if not out:
        out.append(Finding("good", f"Even within {even.spread_pct:.0f} %, nothing thin and nothing that runs.", ""))
    return out

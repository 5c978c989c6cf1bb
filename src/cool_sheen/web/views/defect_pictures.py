"""Defects as they look: our own small drawings, each a few strokes on a patch of film."""

import math
from dataclasses import dataclass
from functools import cache

import numpy as np

WIDTH, HEIGHT = 96.0, 60.0


@dataclass(frozen=True, slots=True)
class Stroke:
    """One stroke: ``line``, ``fine``, ``spot``, ``pale``, ``below``, or ``shade``."""

    kind: str
    d: str


def _circle(x: float, y: float, r: float) -> str:
    return f"M{x - r:.1f} {y:.1f}a{r:.1f} {r:.1f} 0 1 0 {2 * r:.1f} 0a{r:.1f} {r:.1f} 0 1 0 {-2 * r:.1f} 0"


def _strewn(seed: int, count: int, r: float) -> list[tuple[float, float]]:
    """Points strewn over the patch, no two nearer than two radii: the same for the same seed."""
    dice, out = np.random.default_rng(seed), list[tuple[float, float]]()
    for _ in range(60 * count):
        x, y = dice.uniform(r + 3, WIDTH - r - 3), dice.uniform(r + 3, HEIGHT - r - 3)
        if all(math.hypot(x - a, y - b) > 2.2 * r for a, b in out):
            out.append((x, y))
        if len(out) == count:
            break
    return out


def _run() -> list[Stroke]:
    drops = [(18, 26), (40, 40), (58, 20), (78, 34)]
    return [
        Stroke(
            "line",
            f"M{x - 7} 12C{x - 6} 22 {x - 4} {y} {x - 4} {y + 4}a4 5 0 0 0 8 0C{x + 4} {y} {x + 6} 22 {x + 7} 12",
        )
        for x, y in drops
    ]


def _peel() -> list[Stroke]:
    return [Stroke("fine", f"M{x - 4:.1f} {y + 1:.1f}q4 -5 8 0") for x, y in _strewn(2, 60, 3.4)]


def _dry() -> list[Stroke]:
    rows = [(12, 30), (30, 46), (48, 26)]
    out = []
    for y, n in rows:
        dice = np.random.default_rng(y)
        out.append(Stroke("spot", "".join(_circle(dice.uniform(4, 92), y + dice.normal(0, 3), 0.9) for _ in range(n))))
    return out


def _eyes() -> list[Stroke]:
    at = _strewn(5, 7, 8)
    return [
        Stroke("below", "".join(_circle(x, y, 3.5) for x, y in at)),
        Stroke("line", "".join(_circle(x, y, 6.5) for x, y in at)),
    ]


def _dust() -> list[Stroke]:
    spots = "".join(_circle(x, y, 1.4) for x, y in _strewn(7, 18, 4))
    return [Stroke("spot", spots), Stroke("line", "M20 44q14 -16 30 -4t26 -8"), Stroke("fine", "M60 14q8 6 4 14")]


def _pops() -> list[Stroke]:
    at = _strewn(11, 46, 2.6)
    return [
        Stroke("fine", "".join(_circle(x, y, 1.8) for x, y in at)),
        Stroke("spot", "".join(_circle(x, y, 0.6) for x, y in at)),
    ]


def _wrinkle() -> list[Stroke]:
    rows = [f"M2 {y}q6 -9 12 0t12 0t12 0t12 0t12 0t12 0t12 0t12 0" for y in (12, 24, 36, 48)]
    return [Stroke("line", "".join(rows)), Stroke("fine", "M14 6q-8 22 6 46M44 4q10 24 -4 52M72 6q-10 20 6 48")]


def _blush() -> list[Stroke]:
    clouds = "".join(f"M{x - r} {y}a{r} {r * 0.6:.1f} 0 1 0 {2 * r} 0a{r} {r * 0.6:.1f} 0 1 0 {-2 * r} 0" for x, y, r in
                     ((30, 26, 22), (58, 38, 24), (66, 18, 16)))  # fmt: skip
    return [Stroke("pale", clouds)]


def _dull() -> list[Stroke]:
    spots = "".join(_circle(x, y, 0.8) for x, y in _strewn(13, 60, 2.4) if x > 44)
    return [Stroke("line", "M8 14L40 8M8 24L40 18M8 34L40 28M8 44L40 38"), Stroke("spot", spots)]


def _mud() -> list[Stroke]:
    return [
        Stroke("line", "M0 20L22 26L34 8M22 26L28 44L10 60M28 44L54 38L62 12L92 18M54 38L66 60M62 12L58 0M66 48L96 42")
    ]


def _check() -> list[Stroke]:
    dice = np.random.default_rng(17)
    lines = []
    for _ in range(26):
        x, y, a = dice.uniform(4, 90), dice.uniform(4, 56), dice.uniform(0, math.pi)
        first, bent = (9 * math.cos(a), 9 * math.sin(a)), (5 * math.cos(a + 0.6), 5 * math.sin(a + 0.6))
        lines.append(f"M{x:.1f} {y:.1f}" + "".join(f"l{dx:.1f} {dy:.1f}" for dx, dy in (first, bent)))
    return [Stroke("fine", "".join(lines))]


def _bleed() -> list[Stroke]:
    return [
        Stroke("shade", "M22 34q-2 -18 18 -18q10 -10 22 2q18 0 16 18q-2 16 -22 14q-20 8 -34 -16z"),
        Stroke("below", _circle(46, 32, 7)),
    ]


def _flap() -> list[Stroke]:
    return [
        Stroke("below", "M30 0L96 0L96 40L58 44L40 26z"),
        Stroke("line", "M30 0L40 26L58 44L96 40"),
        Stroke("pale", "M40 26q-14 8 -10 24q18 2 28 -6z"),
        Stroke("line", "M40 26q-14 8 -10 24q18 2 28 -6"),
    ]


def _thin() -> list[Stroke]:
    return [Stroke("below", "M34 60q-6 -22 14 -26q22 -4 20 26z"), Stroke("fine", "M34 60q-6 -22 14 -26q22 -4 20 26")]


def _stripes() -> list[Stroke]:
    return [Stroke("pale", "".join(f"M0 {y}H96V{y + 6}H0z" for y in (6, 24, 42)))]


def _facets() -> list[Stroke]:
    return [
        Stroke("below", "M36 22q16 -12 30 2q6 14 -10 20q-22 4 -20 -22z"),
        Stroke("fine", "M30 18q22 -18 44 2q8 20 -14 30q-32 6 -30 -32M42 26q10 -8 18 2q4 8 -6 12q-12 2 -12 -14"),
    ]


def _print() -> list[Stroke]:
    rings = "".join(f"M{48 - r} {34 + r * 0.3:.1f}a{r} {r * 1.2:.1f} 0 0 1 {2 * r} 0" for r in (4, 8, 12, 16, 20))
    return [Stroke("line", rings)]


_DRAWN = {
    "run": _run, "orange-peel": _peel, "dry-spray": _dry, "fisheye": _eyes, "dust": _dust, "solvent-pop": _pops,
    "wrinkle": _wrinkle, "blush": _blush, "die-back": _dull, "mud-cracking": _mud, "checking": _check, "bleed": _bleed,
    "peeling": _flap, "thin": _thin, "stripes": _stripes, "sand-through": _facets, "print": _print,
}  # fmt: skip


@cache
def picture_of(defect: str) -> tuple[Stroke, ...]:
    """Return the drawing of a defect; nothing for one that has none."""
    return tuple(_DRAWN[defect]()) if defect in _DRAWN else ()

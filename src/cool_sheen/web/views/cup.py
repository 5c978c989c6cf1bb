"""The cup: a mix as cumulative levels, what is in it, and what the scale shows at each."""

from collections.abc import Sequence
from dataclasses import dataclass, field

from cool_sheen.core.mixing.pours import PourTarget
from cool_sheen.core.units import ML_IN_FL_OZ, Grams, Millilitres, amount

# Textures of their own: those of the phases mean something else.
TEXTURE = {"paint": "", "hardener": "hardener", "reducer": "reducer", "additive": "additive"}
_RIM, _FOOT = 26.0, 14.0
_TAPER = 26.0  # how much narrower the foot is, on each side
_LEAST_GAP = 62.0  # between two labels of the large picture
_GAP_SMALL = 46.0
_NOTHING = 0.02  # so little more of a component is not drawn


def short_name(name: str) -> str:
    """The part of a component's name that tells it from the others in the cup: ``base`` of ``... (base)``."""
    return name[name.rfind("(") + 1 : -1] if name.endswith(")") and "(" in name else name


@dataclass(slots=True)
class Level:
    """One component: where its level stands in the cup, and what the label says."""

    name: str
    role: str
    ml: Millilitres
    upto_ml: Millilitres
    g: Grams
    scale_g: Grams
    y: float
    label_y: float
    state: str  # poured, now, ahead
    upto: str = ""
    scale: str = ""
    texture: str = ""
    points: str = ""  # the outline of what is in the cup of it


@dataclass(slots=True)
class CupPicture:
    """A cup of so many ml, its levels from the bottom, and the marks on its side."""

    width: float
    height: float
    outline: str
    levels: list[Level] = field(default_factory=list)
    marks: list[tuple[float, float, float, str]] = field(default_factory=list)  # x1, x2, y, figure
    says: str = ""
    label_x: float = 0.0


@dataclass(frozen=True, slots=True)
class CupCanvas:
    """How large the picture is, and what the cup holds."""

    width: float = 300.0
    height: float = 460.0
    holds_ml: Millilitres = 0.0
    tare_g: Grams = 0.0
    units: str = "metric"

    def edge(self, share: float) -> float:
        """How far the side of the cup stands in, at a share of its height from the foot. [px]"""
        return _TAPER * (1 - share)

    def y(self, share: float) -> float:
        """Where a level stands. [px]"""
        return self.height - _FOOT - share * (self.height - _FOOT - _RIM)


def draw(targets: Sequence[PourTarget], roles: Sequence[str], now: int, canvas: CupCanvas) -> CupPicture:
    """Draw a mix.

    Args:
        targets: Each component with what it is to come to and what is in the cup, in pouring order.
        roles: What each component is: paint, hardener, reducer, additive.
        now: The place of the component that is poured now; -1 when none is.
        canvas: The size of the picture and of the cup.
    """
    steps = _steps(targets, roles, now)
    total = sum(step.ml for step in steps)
    holds = canvas.holds_ml if canvas.holds_ml >= total > 0 else 2 * total or 1.0
    left, right = 8.0, canvas.width - 8.0
    picture = CupPicture(canvas.width, canvas.height, _outline(canvas, left, right), label_x=canvas.width + 14)
    upto, scale = 0.0, canvas.tare_g
    for step in steps:
        before, upto, scale = upto, upto + step.ml, scale + step.g
        slab = _slab(canvas, left, right, before / holds, upto / holds) if step.state == "poured" else ""
        y = round(canvas.y(upto / holds), 1)
        picture.levels.append(
            Level(
                step.name,
                step.role,
                step.ml,
                upto,
                step.g,
                scale,
                y,
                y,
                step.state,
                amount(upto, "volume", canvas.units),
                f"{scale:.1f} g",
                TEXTURE[step.role],
                slab,
            )
        )
    _spread(picture.levels, canvas)
    picture.marks = _marks(canvas, left, holds)
    picture.says = "; ".join(f"{lv.name} to {lv.upto}, scale {lv.scale}" for lv in picture.levels)
    return picture


@dataclass(frozen=True, slots=True)
class _Step:
    name: str
    role: str
    ml: Millilitres
    g: Grams
    state: str


def _steps(targets: Sequence[PourTarget], roles: Sequence[str], now: int) -> list[_Step]:
    """What is in the cup from below, then what goes on top of it: what is poured now, and what follows."""
    inside: list[_Step] = []
    ahead: list[_Step] = []
    for place, (target, role) in enumerate(zip(targets, roles, strict=True)):
        name, density = short_name(target.share.name), target.share.density_g_per_ml
        if target.poured_ml > 0:
            inside.append(_Step(name, role, target.poured_ml, target.poured_ml * density, "poured"))
        if target.missing_ml > (0.05 if target.poured_ml == 0 or place == now else _NOTHING * target.target_ml):
            more = f"more {name}" if target.poured_ml > 0 else name
            state = "now" if place == now else "ahead"
            step = _Step(more, role, target.missing_ml, target.missing_ml * density, state)
            ahead.insert(0, step) if place == now else ahead.append(step)
    return [*inside, *ahead]


def _outline(canvas: CupCanvas, left: float, right: float) -> str:
    foot, rim, taper = canvas.height - _FOOT, 6.0, canvas.edge(0)
    return f"M{left} {rim}L{left + taper} {foot}H{right - taper}L{right} {rim}"


def _slab(canvas: CupCanvas, left: float, right: float, low: float, high: float) -> str:
    if high - low < 1e-6:
        return ""
    corners = [
        (left + canvas.edge(low), canvas.y(low)),
        (right - canvas.edge(low), canvas.y(low)),
        (right - canvas.edge(high), canvas.y(high)),
        (left + canvas.edge(high), canvas.y(high)),
    ]
    return " ".join(f"{x:.1f},{y:.1f}" for x, y in corners)


def _spread(levels: list[Level], canvas: CupCanvas) -> None:
    """Move labels apart that would cover each other, upwards first, and back down from the top edge."""
    floor, gap = canvas.height - 14.0, _LEAST_GAP if canvas.height > 400 else _GAP_SMALL
    for level in levels:
        level.label_y = min(level.label_y, floor)
        floor = level.label_y - gap
    ceiling = 24.0
    for level in reversed(levels):
        level.label_y = round(max(level.label_y, ceiling), 1)
        ceiling = level.label_y + gap


def _marks(canvas: CupCanvas, left: float, holds: Millilitres) -> list[tuple[float, float, float, str]]:
    unit = ML_IN_FL_OZ if canvas.units == "us" else 1.0
    holds /= unit
    sizes = (0.25, 0.5, 1, 2, 4, 8, 16, 32) if canvas.units == "us" else ()
    step = next(
        s for s in (*sizes, 10, 20, 50, 100, 200, 500, 1000, 2000, 5000, 10_000, 100_000, 1e9) if holds / s <= 12
    )
    out = []
    n = 1
    while n * step <= holds:
        share = n * step / holds
        x = left + canvas.edge(share)
        sign = " fl oz" if canvas.units == "us" and (n + 1) * step > holds else ""
        out.append((round(x, 1), round(x + 14, 1), round(canvas.y(share), 1), f"{n * step:g}{sign}"))
        n += 1
    return out

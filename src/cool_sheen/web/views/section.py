"""The section: the film cut through, to scale, a column for each zone."""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any

from cool_sheen.core.coatings.products import Product
from cool_sheen.core.coatings.systems import System
from cool_sheen.core.film.build import Build, LayerFilm
from cool_sheen.core.film.planned import planned_build
from cool_sheen.core.units import amount

MIL_UM = 25.4
_NOTCH = 11.0  # half the width of a wedge
_LETTER = 7.0  # width of a letter under a column
SUBSTRATE_UM_SHARE = 0.09  # drawn height of the substrate, as a share of the picture


@dataclass(frozen=True, slots=True)
class Slab:
    """One layer: from ``y`` down by ``height``; ``ghost`` above it is what sanding took."""

    layer_id: str
    name: str
    role: str
    swatch: str
    y: float
    height: float
    ghost: float
    coat_lines: list[float]
    um: float
    coats: int
    sanded_um: float
    scar: str
    reserve_y: float | None
    reserve_um: float


@dataclass(frozen=True, slots=True)
class Column:
    """One zone; its label is its number where the names have no room."""

    name: str
    label: str
    x: float
    width: float
    slabs: list[Slab]
    planned_y: float | None
    total_um: float
    notch: str = ""  # where sanding went through, down to what shows


@dataclass(frozen=True, slots=True)
class Section:
    """All that the macro draws."""

    width: float
    height: float
    base_y: float
    columns: list[Column]
    marks: list[tuple[float, str]]  # (y, figure in microns)
    planned_um: float
    says: str
    tallest_um: float  # the height that it shows


@dataclass(frozen=True, slots=True)
class Look:
    """How a layer looks: what it is called, its colour, and what must be left of it."""

    name: str
    role: str
    swatch: str
    reserve_um: float = 0.0


@dataclass(frozen=True, slots=True)
class Canvas:
    """The picture's size, and whether it has a scale: ``left`` is the room for it, in the units of ``units``.

    ``least_um`` is a height that it shows at least, so that two pictures side by side have one scale. [um]
    """

    width: float
    height: float
    left: float = 0.0
    marks: bool = False
    units: str = "metric"
    least_um: float = 1.0


@dataclass(frozen=True, slots=True)
class _Ruler:
    """Where the substrate's surface lies, and how many units of the picture a micron takes."""

    base: float
    scale: float


def draw(
    builds: Mapping[str, Build],
    system: System,
    products: Mapping[str, Product],
    canvas: Canvas,
    planned_um: Mapping[str, float] | None = None,
    broken: Mapping[str, str] | None = None,
) -> Section:
    """Compute a section.

    Args:
        builds: Film by the name of the zone.
        system: Names and order of the layers, and the reserve that must be left of each.
        products: By key.
        canvas: Size and scale of the picture.
        planned_um: What the system leaves on each zone; the same everywhere when None. [um]
        broken: The layer that shows where a zone was sanded through, by the zone's name; ``GROUND`` the substrate.
    """
    planned = planned_build(system, products).total_um if planned_um is None else max(planned_um.values())
    looks = {la.id: Look(la.name, la.role, products[la.product].swatch, la.reserve_um) for la in system.layers}
    drawn = _drawn(builds, looks, canvas, planned_um or dict.fromkeys(builds, planned), planned)
    if not broken:
        return drawn
    columns = [
        replace(c, notch=_notch(c, broken[c.name], drawn.base_y)) if c.name in broken else c for c in drawn.columns
    ]
    return replace(drawn, columns=columns, says=f"{drawn.says}; sanded through on {', '.join(broken)}")


def _notch(column: Column, shows: str, base_y: float) -> str:
    """A wedge from the surface of a column down to the layer that shows."""
    top = min((slab.y for slab in column.slabs), default=base_y)
    down = next((slab.y for slab in column.slabs if slab.layer_id == shows), base_y)
    x, half = column.x + 0.62 * column.width, min(_NOTCH, 0.2 * column.width)
    return f"M{x - half:.1f} {top - 1:.1f} L{x:.1f} {down:.1f} L{x + half:.1f} {top - 1:.1f}"


def portrait(film: Mapping[str, Any], canvas: Canvas) -> Section:
    """Draw the film of a part as it is kept with its status, without its log."""
    layers = film["layers"]
    build = Build([LayerFilm(la["id"], list(la["coats_um"]), la["sanded_um"]) for la in layers])
    looks = {la["id"]: Look(la["name"], la["role"], la["swatch"]) for la in layers}
    return _drawn({"film": build}, looks, canvas, {"film": film["planned_um"]}, film["planned_um"])


def _drawn(
    builds: Mapping[str, Build],
    looks: Mapping[str, Look],
    canvas: Canvas,
    planned_of: Mapping[str, float],
    planned: float,
) -> Section:
    heights = (b.total_um + sum(la.sanded_um for la in b.layers[-1:]) for b in builds.values())
    tallest = max(planned, canvas.least_um, *heights)
    base = canvas.height * (1 - SUBSTRATE_UM_SHARE)
    ruler = _Ruler(base, (base - (8.0 if canvas.marks else 4.0)) / tallest)
    gap = 10.0
    width = (canvas.width - canvas.left - gap * (len(builds) - 1)) / max(1, len(builds))
    room_for_names = all(len(name) * _LETTER < width + gap for name in builds)
    columns = []
    for place, (name, build) in enumerate(builds.items()):
        x = canvas.left + place * (width + gap)
        slabs = _slabs(build, looks, ruler, (x, width))
        top = round(base - planned_of[name] * ruler.scale, 1)
        label = name if room_for_names else str(place + 1)
        columns.append(Column(name, label, round(x, 1), round(width, 1), slabs, top, build.total_um))
    figures = ", ".join(f"{c.name} {amount(c.total_um, 'film', canvas.units)}" for c in columns)
    says = f"Film as it stands: {figures}, of {amount(planned, 'film', canvas.units)}"
    unit = MIL_UM if canvas.units == "us" else 1.0
    steps = [(base - n * unit * ruler.scale, f"{n:g}") for n in _scale_marks(tallest / unit)] if canvas.marks else []
    return Section(canvas.width, canvas.height, base, columns, steps, planned, says, tallest)


_GONE = Look("a layer that was taken out", "primer", "#888888")


def _slabs(build: Build, looks: Mapping[str, Look], ruler: _Ruler, across: tuple[float, float]) -> list[Slab]:
    """Lay the layers of one zone on top of each other."""
    y = ruler.base
    slabs = []
    for film in build.layers:
        look = looks.get(film.layer_id, _GONE)
        height = film.left_um * ruler.scale
        y -= height
        lines, level = [], 0.0
        for coat in film.coats_um[:-1]:
            level += coat
            if level < film.left_um:
                lines.append(round(y + height - level * ruler.scale, 1))
        reserve = look.reserve_um
        slabs.append(
            Slab(
                layer_id=film.layer_id,
                name=look.name,
                role=look.role,
                swatch=look.swatch,
                y=round(y, 1),
                height=round(height, 1),
                ghost=round(film.sanded_um * ruler.scale, 1),
                coat_lines=lines,
                um=film.left_um,
                coats=len(film.coats_um),
                sanded_um=film.sanded_um,
                scar=_scar(*across, y) if film.sanded_um else "",
                reserve_y=round(y + height - reserve * ruler.scale, 1) if reserve else None,
                reserve_um=reserve,
            )
        )
    return slabs


def _scar(x: float, width: float, y: float) -> str:
    """A rough line along the top: this layer was sanded."""
    teeth = max(4, int(width // 7))
    step = width / teeth / 2
    points = [f"{x + n * step:.1f} {y + (1.6 if n % 2 else 0):.1f}" for n in range(2 * teeth + 1)]
    return "M" + " L".join(points)


def _scale_marks(tallest: float) -> list[float]:
    step = next(s for s in (1, 2, 5, 10, 20, 40, 50, 100, 200, 500, 1000, 5000, 20000, 100000) if tallest / s <= 7)
    return [step * n for n in range(int(tallest // step) + 1)]

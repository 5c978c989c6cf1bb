"""The section: the film cut through, to scale, a column for each zone."""

from dataclasses import dataclass

from cool_sheen.core.coatings.products import Product
from cool_sheen.core.coatings.systems import System
from cool_sheen.core.film.build import Build, dry_film

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
    """One zone."""

    name: str
    x: float
    width: float
    slabs: list[Slab]
    planned_y: float | None
    total_um: float


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


def planned_film(system: System, products: dict[str, Product]) -> float:
    """Dry film that a system leaves when all goes by the plan. [um]"""
    return sum(
        layer.coats * dry_film(layer.wet_film_um, products[layer.product].volume_solids_pct)
        - sum(s.removal_um for s in layer.sanding)
        for layer in system.layers
    )


def draw(
    builds: dict[str, Build],
    system: System,
    products: dict[str, Product],
    *,
    width: float,
    height: float,
    left: float = 0.0,
    marks: bool = False,
) -> Section:
    """Compute a section.

    Args:
        builds: Film by the name of the zone.
        system: Names and order of the layers, and the reserve that must be left of each.
        products: By key.
        width: Of the picture.
        height: Of the picture.
        left: Room for the scale at the left.
        marks: Whether the scale is wanted.
    """
    planned = planned_film(system, products)
    tallest = max([planned, 1.0, *(b.total_um + sum(la.sanded_um for la in b.layers[-1:]) for b in builds.values())])
    base = height * (1 - SUBSTRATE_UM_SHARE)
    head = 8.0 if marks else 4.0
    scale = (base - head) / tallest
    gap = 10.0
    column_width = (width - left - gap * (len(builds) - 1)) / max(1, len(builds))
    columns = [
        _column(name, build, system, products, left + place * (column_width + gap), column_width, base, scale, planned)
        for place, (name, build) in enumerate(builds.items())
    ]
    figures = ", ".join(f"{c.name} {c.total_um:.0f} µm" for c in columns)
    steps = [(base - um * scale, f"{um:g}") for um in _scale_marks(tallest)] if marks else []
    return Section(width, height, base, columns, steps, planned, f"Film as it stands: {figures}, of {planned:.0f} µm")


def _column(  # noqa: PLR0913 - geometry has many numbers
    name: str,
    build: Build,
    system: System,
    products: dict[str, Product],
    x: float,
    width: float,
    base: float,
    scale: float,
    planned: float,
) -> Column:
    layers = {layer.id: layer for layer in system.layers}
    y = base
    slabs = []
    for film in build.layers:
        layer = layers.get(film.layer_id)
        height = film.left_um * scale
        y -= height
        lines, level = [], 0.0
        for coat in film.coats_um[:-1]:
            level += coat
            if level < film.left_um:
                lines.append(round(y + height - level * scale, 1))
        reserve = layer.reserve_um if layer else 0.0
        slabs.append(
            Slab(
                layer_id=film.layer_id,
                name=layer.name if layer else film.layer_id,
                role=layer.role if layer else "primer",
                swatch=products[layer.product].swatch if layer else "#888888",
                y=round(y, 1),
                height=round(height, 1),
                ghost=round(film.sanded_um * scale, 1),
                coat_lines=lines,
                um=film.left_um,
                coats=len(film.coats_um),
                sanded_um=film.sanded_um,
                scar=_scar(x, width, y) if film.sanded_um else "",
                reserve_y=round(y + height - reserve * scale, 1) if reserve else None,
                reserve_um=reserve,
            )
        )
    top = base - planned * scale
    return Column(name, round(x, 1), round(width, 1), slabs, round(top, 1), build.total_um)


def _scar(x: float, width: float, y: float) -> str:
    """A rough line along the top: this layer was sanded."""
    teeth = max(4, int(width // 7))
    step = width / teeth / 2
    points = [f"{x + n * step:.1f} {y + (1.6 if n % 2 else 0):.1f}" for n in range(2 * teeth + 1)]
    return "M" + " L".join(points)


def _scale_marks(tallest: float) -> list[float]:
    step = next(s for s in (10, 20, 40, 50, 100, 200, 500, 1000, 5000, 20000, 100000) if tallest / s <= 7)
    return [step * n for n in range(int(tallest // step) + 1)]

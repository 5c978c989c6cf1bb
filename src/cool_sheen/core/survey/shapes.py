"""Areas of zones from the shapes that they are made of."""

import math
from collections.abc import Callable
from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from cool_sheen.core.coatings.sheet_fields import Strict
from cool_sheen.core.units import Metres, SquareMetres

ShapeKind = Literal["sheet", "box", "tube", "cylinder", "cone", "sphere", "frame", "spindles", "typed"]
MOST_AREA_M2 = 10_000.0
Size = Annotated[float, Field(gt=0, le=200, allow_inf_nan=False)]


class Shape(Strict):
    """A shape and its sizes; ``openness`` is the share of a frame's outline that is air."""

    kind: ShapeKind
    length_m: Size | None = None
    width_m: Size | None = None
    height_m: Size | None = None
    diameter_m: Size | None = None
    sides: Annotated[int, Field(ge=1, le=2)] = 1
    openness: Annotated[float, Field(ge=0, lt=1, allow_inf_nan=False)] = 0.5
    count: Annotated[int, Field(ge=1, le=1000)] = 1
    typed_m2: Annotated[float, Field(gt=0, le=MOST_AREA_M2, allow_inf_nan=False)] | None = None

    @model_validator(mode="after")
    def _sizes_of_its_kind(self) -> Self:
        if missing := [name for name in NEEDS[self.kind] if getattr(self, name) is None]:
            raise ValueError(f"a {self.kind} needs {', '.join(name.rsplit('_', 1)[0] for name in missing)}")
        if not 0 < self.area_m2 <= MOST_AREA_M2:
            raise ValueError(f"an area of {self.area_m2:g} m² is none of a part: up to {MOST_AREA_M2:g} m²")
        return self

    @property
    def area_m2(self) -> SquareMetres:
        """Surface to be coated. [m2]

        Source: docs/trade.md, Survey: plane and solid geometry. A tube is its outside, a cylinder has both ends, a cone
        is its mantle, a box all six sides; a frame of flat bars has two sides, spindles are round bars: pi times what
        they cover.
        """
        return self.count * _AREA[self.kind](self)

    def size(self, name: str) -> Metres:
        """Return a size that the kind needs. [m]"""
        return float(getattr(self, name))  # the check of the kind has seen to it that it is there


NEEDS: dict[str, tuple[str, ...]] = {
    "sheet": ("length_m", "width_m"),
    "box": ("length_m", "width_m", "height_m"),
    "tube": ("diameter_m", "length_m"),
    "cylinder": ("diameter_m", "length_m"),
    "cone": ("diameter_m", "height_m"),
    "sphere": ("diameter_m",),
    "frame": ("length_m", "width_m"),
    "spindles": ("length_m", "width_m"),
    "typed": ("typed_m2",),
}
SHAPE_WORDS: dict[str, str] = {
    "sheet": "sheet or panel", "box": "box, six sides", "tube": "tube or bar, outside",
    "cylinder": "cylinder with ends",
    "cone": "cone, mantle", "sphere": "sphere or ball", "frame": "frame or lattice of flat bars",
    "spindles": "spindles or round bars", "typed": "area, typed in",
}  # fmt: skip


def _box(s: Shape) -> SquareMetres:
    length, width, height = s.size("length_m"), s.size("width_m"), s.size("height_m")
    return 2 * (length * width + length * height + width * height)


def _cylinder(s: Shape) -> SquareMetres:
    return _tube(s) + math.pi * s.size("diameter_m") ** 2 / 2


def _tube(s: Shape) -> SquareMetres:
    return math.pi * s.size("diameter_m") * s.size("length_m")


def _cone(s: Shape) -> SquareMetres:
    radius = s.size("diameter_m") / 2
    return math.pi * radius * math.hypot(radius, s.size("height_m"))


def _outline(s: Shape) -> SquareMetres:
    return s.size("length_m") * s.size("width_m")


_AREA: dict[str, Callable[[Shape], SquareMetres]] = {
    "sheet": lambda s: _outline(s) * s.sides,
    "box": _box,
    "tube": _tube,
    "cylinder": _cylinder,
    "cone": _cone,
    "sphere": lambda s: math.pi * s.size("diameter_m") ** 2,
    "frame": lambda s: 2 * _outline(s) * (1 - s.openness),
    "spindles": lambda s: math.pi * _outline(s) * (1 - s.openness),
    "typed": lambda s: s.size("typed_m2"),
}

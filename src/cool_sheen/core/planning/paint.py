"""The paint that steps take: by zone, film, shape and method."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from uuid import UUID

from cool_sheen.core.coatings.products import Product
from cool_sheen.core.materials.quantity import ready_volume
from cool_sheen.core.planning.labour import transfer_efficiency
from cool_sheen.core.planning.steps import Progress, Step
from cool_sheen.core.survey.zones import ZoneFacts
from cool_sheen.core.units import Micron, Millilitres, SquareMetres

Transfer = Callable[[str, str], float]  # method and shape -> share of the paint that ends on the part


@dataclass(frozen=True, slots=True)
class ZonePaint:
    """What one zone takes of one coat."""

    zone: UUID
    name: str
    shape: str
    method: str
    area_m2: SquareMetres
    wet_film_um: Micron
    transfer: float

    @property
    def ml(self) -> Millilitres:
        """Ready mix that leaves the gun for it. [ml]"""
        return ready_volume(self.area_m2, self.wet_film_um, self.transfer)


@dataclass(frozen=True, slots=True)
class CoatPaint:
    """What one coat step takes, zone by zone."""

    step: Step
    product: str
    zones: tuple[ZonePaint, ...]

    @property
    def ml(self) -> Millilitres:
        """Ready mix, without the loss of fills. [ml]"""
        return sum(zone.ml for zone in self.zones)

    @property
    def area_m2(self) -> SquareMetres:
        """What is coated. [m2]"""
        return sum(zone.area_m2 for zone in self.zones)

    @property
    def method(self) -> str:
        """How most of it is put on."""
        by = {z.method: 0.0 for z in self.zones}
        for zone in self.zones:
            by[zone.method] += zone.area_m2
        return max(by, key=by.__getitem__, default="hvlp")


def method_of(product: Product, zone: ZoneFacts) -> str:
    """How a zone is coated with a product: by its face's method, or the product's first where it cannot be."""
    return zone.method if zone.method in product.methods else product.methods[0]


def paint_of(
    step: Step, zones: Sequence[ZoneFacts], products: Mapping[str, Product], transfer: Transfer = transfer_efficiency
) -> CoatPaint | None:
    """Work out what a coat step takes; None for a step that is no coat.

    Args:
        step: A step of the plan.
        zones: The part's zones.
        products: Sheets by key.
        transfer: Share of the paint that ends on the part, by method and shape.
    """
    if step.coat is None or step.layer is None:
        return None
    product = products[step.layer.product]
    wanted = {uuid for uuid, _ in step.needs}
    return CoatPaint(
        step, product.key,
        tuple(
            ZonePaint(z.uuid, z.name, z.shape, method_of(product, z), z.area_m2, step.coat.wet_film_um,
                      transfer(method_of(product, z), z.shape))
            for z in zones if z.uuid in wanted
        ),
    )  # fmt: skip


def millilitres(step: Step, zones: Sequence[ZoneFacts], products: Mapping[str, Product]) -> Millilitres:
    """Ready mix of a step; nothing for one that is no coat. [ml]"""
    paint = paint_of(step, zones, products)
    return paint.ml if paint else 0.0


def coats_ahead(
    steps: Sequence[Progress], zones: Sequence[ZoneFacts], products: Mapping[str, Product],
    transfer: Transfer = transfer_efficiency,
) -> list[CoatPaint]:  # fmt: skip
    """Return what the coats take that are still to come, in order."""
    left = [paint_of(p.step, zones, products, transfer) for p in steps if p.status in ("next", "ahead")]
    return [paint for paint in left if paint is not None]


def next_coats(ahead: Sequence[CoatPaint]) -> list[CoatPaint]:
    """Return the coats of the layer that comes next: what one batch can be mixed for."""
    if not ahead or ahead[0].step.layer is None:
        return []
    first = ahead[0].step.layer.id
    out = []
    for coat in ahead:
        if coat.step.layer is None or coat.step.layer.id != first:
            break
        out.append(coat)
    return out

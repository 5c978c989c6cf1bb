"""The paint that steps take: by zone, film, shape and method."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from uuid import UUID

from cool_sheen.core.coatings.products import Product
from cool_sheen.core.materials.quantity import ready_volume
from cool_sheen.core.survey.zones import ZoneFacts
from cool_sheen.core.units import Micron, Millilitres, SquareMetres
from cool_sheen.core.work.labour import transfer_efficiency
from cool_sheen.core.work.owed import Owed
from cool_sheen.core.work.steps import CoatStep, Step, only_on

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
    """What one coat step takes, zone by zone. ``passed``: a later coat lies over it on some of them by now."""

    step: CoatStep
    product: str
    zones: tuple[ZonePaint, ...]
    passed: bool = False

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
    step: CoatStep,
    zones: Sequence[ZoneFacts],
    products: Mapping[str, Product],
    transfer: Transfer = transfer_efficiency,
    *,
    passed: bool = False,
) -> CoatPaint:
    """Work out what a coat step takes.

    Args:
        step: A coat of the plan, for the zones that it names.
        zones: The part's zones.
        products: Sheets by key.
        transfer: Share of the paint that ends on the part, by method and shape.
        passed: Whether a later coat lies over it on some of its zones.
    """
    product = products[step.layer.product]
    return CoatPaint(
        step,
        product.key,
        tuple(
            ZonePaint(
                z.uuid,
                z.name,
                z.shape,
                method_of(product, z),
                z.area_m2,
                step.coat.wet_film_um,
                transfer(method_of(product, z), z.shape),
            )
            for z in zones
            if z.uuid in step.zones
        ),
        passed,
    )


def millilitres(step: Step, zones: Sequence[ZoneFacts], products: Mapping[str, Product]) -> Millilitres:
    """Ready mix of a step; nothing for one that is no coat. [ml] Source: docs/trade.md, Paint and buying."""
    return paint_of(step, zones, products).ml if isinstance(step, CoatStep) else 0.0


def coats_ahead(
    owed: Owed, zones: Sequence[ZoneFacts], products: Mapping[str, Product], transfer: Transfer = transfer_efficiency
) -> list[CoatPaint]:
    """Return what the coats take that are owed to some zone, in order; those that were passed over are still owed."""
    rows = [(row, row.step) for row in owed.left()]
    return [
        paint_of(only, zones, products, transfer, passed=bool(row.passed))
        for row, step in rows
        if isinstance(step, CoatStep) and isinstance(only := only_on(step, row.owed | row.passed, zones), CoatStep)
    ]


def waiting_coats(ahead: Sequence[CoatPaint], owed: Owed) -> dict[str, list[CoatPaint]]:
    """Return by product the coats that one batch can be mixed for: those of the layer that is next for some zone.

    Args:
        ahead: All coats that are owed.
        owed: What is owed to which zone: zones may be at different layers.
    """
    layers = {step.layer.id for zone in owed.by_zone if (step := owed.following(zone))}
    out: dict[str, list[CoatPaint]] = {}
    for coat in ahead:
        if coat.passed or coat.step.layer.id in layers:
            out.setdefault(coat.product, []).append(coat)
    return out

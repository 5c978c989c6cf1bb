"""What is needed: everything that the coats to come will take, by layer and by component."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from cool_sheen.core.coatings.products import Product
from cool_sheen.core.coatings.supplies import Supply
from cool_sheen.core.errors import CoreError
from cool_sheen.core.materials.consumables import Rates, Used, wear
from cool_sheen.core.mixing.ratios import shares
from cool_sheen.core.mixing.recipes import FREE, Choice, mix_of
from cool_sheen.core.takeoff.amounts import CoatPaint
from cool_sheen.core.takeoff.equipment import Equipment
from cool_sheen.core.units import Hours, Millilitres, SquareMetres
from cool_sheen.core.work.labour import WAYS, minutes_of
from cool_sheen.core.work.steps import SandStep, Step


@dataclass(slots=True)
class LayerNeed:
    """One layer of one part: its coats to come, and the ready mix that they take."""

    part: str
    layer: str
    product: Product
    coats: int = 0
    area_m2: SquareMetres = 0.0
    net_ml: Millilitres = 0.0
    loss_ml: Millilitres = 0.0
    fills: int = 0
    components: dict[str, Millilitres] = field(default_factory=dict)

    @property
    def ready_ml(self) -> Millilitres:
        """Ready mix with the loss of its fills. [ml]"""
        return self.net_ml + self.loss_ml


@dataclass(slots=True)
class TakeOff:
    """What is needed: layers, components by key, consumables, hours; and what could not be worked out, with why."""

    layers: list[LayerNeed] = field(default_factory=list)
    components: dict[str, Millilitres] = field(default_factory=dict)
    names: dict[str, str] = field(default_factory=dict)
    used: Used | None = None
    hours: Hours = 0.0
    unknown: list[str] = field(default_factory=list)

    def add(self, other: "TakeOff") -> None:
        """Put another part's take-off to this one."""
        self.layers += other.layers
        self.names |= other.names
        self.hours += other.hours
        self.unknown += [why for why in other.unknown if why not in self.unknown]
        for key, ml in other.components.items():
            self.components[key] = self.components.get(key, 0.0) + ml
        if other.used:
            self.used = other.used if self.used is None else _sum(self.used, other.used)


def _sum(one: Used, other: Used) -> Used:
    discs = {g: one.discs.get(g, 0) + other.discs.get(g, 0) for g in dict.fromkeys([*one.discs, *other.discs])}
    return Used(
        discs,
        one.tape_m + other.tape_m,
        one.paper_m2 + other.paper_m2,
        one.strainers + other.strainers,
        one.cleaning_ml + other.cleaning_ml,
    )


def take_off(
    part: str,
    coats: Sequence[CoatPaint],
    products: Mapping[str, Product],
    supplies: Mapping[str, Supply],
    equipment: Equipment,
) -> TakeOff:
    """Work out what the coats of one part take.

    Args:
        part: Its name.
        coats: Coats to come.
        products: Sheets by key.
        supplies: Everything that leaves no film, by key.
        equipment: What the guns hold, and what a fill loses.

    Returns: Needs by layer and by component. A hardener or reducer that serves several layers is one component.
        Each layer's coats of one day are filled together: the loss counts for each fill of a layer. A layer whose mix
        cannot be worked out is named with the reason, and counts for nothing.
    Source: docs/trade.md, Paint and buying.
    """
    out = TakeOff()
    by_layer: dict[str, list[CoatPaint]] = {}
    for coat in coats:
        by_layer.setdefault(coat.step.layer.id, []).append(coat)
    for group in by_layer.values():
        layer = group[0].step.layer
        product = products[layer.product]
        net = sum(coat.ml for coat in group)
        method = group[0].method
        need = LayerNeed(
            part,
            layer.name,
            product,
            len(group),
            sum(c.area_m2 for c in group),
            net,
            equipment.loss(net, method),
            equipment.fills(net, method),
        )
        out.layers.append(need)
        try:
            mix = mix_of(product, supplies, Choice(layer.hardener_speed, layer.reducer_speed, method))
            split = shares(mix.recipe)
        except CoreError as why:  # one sheet that lacks a figure keeps nobody from all the others
            out.unknown.append(f"{product.name} is left out: {why}")
            continue
        for component, share in zip(mix.components, split, strict=True):
            if component.name in FREE:
                continue
            ml = share.ml_per_ml * need.ready_ml
            need.components[component.key] = need.components.get(component.key, 0.0) + ml
            out.components[component.key] = out.components.get(component.key, 0.0) + ml
            out.names[component.key] = component.name
    return out


def work_of(
    steps: Sequence[Step], coats: Sequence[CoatPaint], equipment: Equipment, rates: Rates
) -> tuple[Used, Hours]:
    """Work out what sanding, masking and cleaning wear out, and the hands-on hours.

    Args:
        steps: The steps that are meant, each for the zones that it names.
        coats: The coats that are meant.
        equipment: What the guns hold, and what a fill loses.
        rates: The shop's rates.
    """
    method = coats[0].method if coats else "hvlp"
    sanding = [(s.grit, s.wet, s.area_m2) for s in steps if isinstance(s, SandStep)]
    masked = [(s.area_m2, WAYS[method].masking) for s in steps if s.kind == "mask"]
    layers: dict[str, list[CoatPaint]] = {}
    for coat in coats:
        layers.setdefault(coat.step.layer.id, []).append(coat)
    fills = sum(equipment.fills(sum(c.ml for c in group), group[0].method) for group in layers.values())
    used = wear(rates, sanding, masked, fills, [group[-1].method for group in layers.values()])
    return used, sum(minutes_of(s) for s in steps) / 60

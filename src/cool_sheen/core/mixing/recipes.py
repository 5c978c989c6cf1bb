"""From a product sheet and the day's choices to a recipe whose components have names that stores know."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from cool_sheen.core.coatings.products import Product, ReducerData
from cool_sheen.core.coatings.supplies import Supply
from cool_sheen.core.drying.blend import AS_USUAL, Blend, Doses
from cool_sheen.core.drying.milestones import Mode
from cool_sheen.core.errors import OutOfRange
from cool_sheen.core.mixing.ratios import (
    BASIS_WORDS,
    Addition,
    Basis,
    Measure,
    Recipe,
    RecipePart,
    percent_by_basis,
    shares,
)
from cool_sheen.core.mixing.speeds import fitting, speed_of
from cool_sheen.core.units import GramsPerMillilitre, Percent

FREE = ("water", "demineralised water")  # from the tap or nearly: not kept in stock
_SOLVENT_G_PER_ML: GramsPerMillilitre = 0.87  # about that of most of them, where nobody knows this one's


@dataclass(frozen=True, slots=True)
class Component:
    """One thing that goes into the cup, under the key that stock knows it by."""

    key: str
    name: str
    role: str  # paint, hardener, reducer, additive
    supply: Supply | None = None


@dataclass(frozen=True, slots=True)
class Choice:
    """What is chosen on the day; None goes by the sheet."""

    hardener_speed: str = "standard"
    reducer_speed: str = "medium"
    method: str = "hvlp"
    reducer_pct: Percent | None = None
    reducer_of: Basis | None = None
    doses_ml_per_l: tuple[tuple[str, float], ...] = ()
    measure: Measure | None = None
    beyond_cap: bool = False  # with a reason in words: the caller keeps it
    densities: tuple[tuple[str, float], ...] = ()


@dataclass(frozen=True, slots=True)
class Mix:
    """A recipe, what its components are called in stock, and what of it clock and gate mind."""

    recipe: Recipe
    components: tuple[Component, ...]
    blend: Blend = AS_USUAL


def mix_of(product: Product, supplies: Mapping[str, Supply], choice: Choice) -> Mix:
    """Put a product's mix together.

    Args:
        product: Its sheet.
        supplies: Everything that leaves no film, by key.
        choice: Speeds, method, reducer, doses.

    Returns: The recipe and its components, in pouring order: paint, hardener, then reducer and additives.
    Raises: OutOfRange: a reducer over its cap or with another basis missing, a dose over its cap, an additive that
        does not go with the product, no density where the scale is asked for.
    Source: docs/trade.md, Mixing.
    """
    own = dict(choice.densities)
    solids = _mixed_solids(product, supplies, choice, own)
    parts, components = [], []
    for place, part in enumerate(product.mix.parts):
        component = _part(product, place, supplies, choice)
        density = (component.supply and component.supply.density_g_per_ml) or part.density_g_per_ml
        parts.append(RecipePart(component.name, part.parts, own.get(component.key, density), solids))
        components.append(component)
    additions, doses = _additions(product, supplies, choice, own)
    components += [component for component, _ in additions]
    recipe = Recipe(choice.measure or product.mix.measure, tuple(parts), tuple(a for _, a in additions))
    if product.mix.reducer and additions and additions[0][0].role == "reducer" and not choice.beyond_cap:
        _keep_cap(product.mix.reducer, recipe)
    hardener = next((c.supply.own for c in components if c.supply and c.supply.kind == "hardener"), None)
    return Mix(recipe, tuple(components), Blend(choice.hardener_speed, choice.reducer_speed, doses, hardener))


def _keep_cap(reducer: ReducerData, recipe: Recipe) -> None:
    """The cap is on the sheet's own basis, whatever the percentage was said of."""
    asked = percent_by_basis(recipe, 0)[reducer.of]
    if asked > reducer.max_pct + 1e-9:
        raise OutOfRange(
            f"{reducer.name}: the sheet goes up to {reducer.max_pct:g} % {BASIS_WORDS[reducer.of]}, and this is "
            f"{asked:.3g} %. Take less, or write a reason for going beyond it.",
            "reducer_pct",
        )


def _part(product: Product, place: int, supplies: Mapping[str, Supply], choice: Choice) -> Component:
    part = product.mix.parts[place]
    if place == 0:
        name = product.name if len(product.mix.parts) == 1 else f"{product.name} ({part.name})"
        return Component(f"paint:{product.key}", name, "paint")
    if part.name in FREE:
        return Component(f"free:{part.name}", part.name, "hardener")
    choices = fitting(product, "hardener", choice.method, supplies.values()) if part.name == "hardener" else []
    chosen = next((s for s in choices if speed_of(s) == choice.hardener_speed), None) or _middle(choices)
    if chosen is None:
        return Component(f"{part.name}:{product.key}".replace(" ", "-"), f"{product.name} ({part.name})", "hardener")
    return Component(f"supply:{chosen.key}", chosen.name, "hardener", chosen)


def _middle(choices: Sequence[Supply]) -> Supply | None:
    """A speed that is not made falls back to the middle one of what there is."""
    return choices[len(choices) // 2] if choices else None


def _mixed_solids(
    product: Product, supplies: Mapping[str, Supply], choice: Choice, own: Mapping[str, float]
) -> Percent:
    """Solids before reducing: the sheet gives those of the ready mix at its usual reduction."""
    reducer = product.mix.reducer
    if reducer is None or not reducer.usual_pct:
        return product.volume_solids_pct
    _, density = _reducing(product, reducer, supplies, choice, own)
    parts = tuple(RecipePart(p.name, p.parts, p.density_g_per_ml) for p in product.mix.parts)
    usual = Addition(reducer.name, reducer.usual_pct, reducer.of, density or _SOLVENT_G_PER_ML)
    thinned = Recipe(product.mix.measure, parts, (usual,))
    return min(100.0, product.volume_solids_pct / (1 - shares(thinned)[-1].ml_per_ml))


def _additions(
    product: Product, supplies: Mapping[str, Supply], choice: Choice, own: Mapping[str, float]
) -> tuple[list[tuple[Component, Addition]], Doses]:
    out: list[tuple[Component, Addition]] = []
    reducer = product.mix.reducer
    if choice.reducer_pct and reducer is None:
        raise OutOfRange(f"{product.name} is not thinned: leave the reducer out.", "reducer_pct")
    if reducer is not None:
        pct = reducer.usual_pct if choice.reducer_pct is None else choice.reducer_pct
        if pct > 0:
            out.append(_reducer(product, reducer, supplies, choice, pct, own))
    factors: dict[Mode, float] = {}
    for key, dose in choice.doses_ml_per_l:
        supply = supplies.get(key)
        if supply is None or product.family not in supply.families:
            raise OutOfRange(f"“{key}” does not go into {product.name}.", f"dose.{key}")
        if dose < 0 or dose > (supply.max_dose_ml_per_l or 0):
            raise OutOfRange(
                f"{supply.name}: at most {supply.max_dose_ml_per_l:g} ml for a litre of ready mix.", f"dose.{key}"
            )
        if dose > 0:
            component = Component(f"supply:{key}", supply.name, "additive", supply)
            density = own.get(component.key, supply.density_g_per_ml or 0.0)
            _need_density(component.name, density, component.key)
            out.append((component, Addition(supply.name, _dose_pct(dose, density, choice, product), "ready", density)))
            if supply.time_factor and supply.dose_ml_per_l:
                moved = supply.time_factor ** (dose / supply.dose_ml_per_l)
                factors[supply.moves] = factors.get(supply.moves, 1.0) * moved
    return out, tuple(sorted(factors.items()))


def _dose_pct(dose_ml_per_l: float, density: float, choice: Choice, product: Product) -> Percent:
    """A dose is by volume of the ready mix; on a recipe by weight it is turned by the densities."""
    pct = dose_ml_per_l / 10
    if (choice.measure or product.mix.measure) == "volume":
        return pct
    mean = sum(p.parts for p in product.mix.parts) / sum(p.parts / p.density_g_per_ml for p in product.mix.parts)
    return pct * density / mean


def _reducer(
    product: Product,
    reducer: ReducerData,
    supplies: Mapping[str, Supply],
    choice: Choice,
    pct: Percent,
    own: Mapping[str, float],
) -> tuple[Component, Addition]:
    component, density = _reducing(product, reducer, supplies, choice, own)
    _need_density(component.name, density, component.key)
    return component, Addition(component.name, pct, choice.reducer_of or reducer.of, density)


def _reducing(
    product: Product,
    reducer: ReducerData,
    supplies: Mapping[str, Supply],
    choice: Choice,
    own: Mapping[str, float],
) -> tuple[Component, float]:
    """What the product is thinned with here, and its density [g/ml]; 0 where nobody knows it."""
    free = reducer.name in FREE
    choices = [] if free else fitting(product, "reducer", choice.method, supplies.values())
    supply = next((s for s in choices if speed_of(s) == choice.reducer_speed), None) or _middle(choices)
    if supply is None:
        key = f"{'free' if free else 'reducer'}:{reducer.name}".replace(" ", "-")
        component = Component(key, reducer.name, "reducer")
        return component, own.get(component.key, 1.0 if free else 0.0)
    component = Component(f"supply:{supply.key}", supply.name, "reducer", supply)
    return component, own.get(component.key, supply.density_g_per_ml or 0.0)


def _need_density(name: str, density: GramsPerMillilitre, key: str) -> None:
    """The scale is shown beside the marks: a density that nobody gave is asked for, not guessed."""
    if density <= 0:
        raise OutOfRange(f"{name} has no density on its sheet: enter it, such as 0.87 g/ml.", f"density.{key}")

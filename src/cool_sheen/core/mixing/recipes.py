"""From a product sheet and the day's choices to a recipe whose components have names that stores know."""

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from cool_sheen.core.coatings.products import Product, ReducerData
from cool_sheen.core.coatings.sheet_fields import Basis
from cool_sheen.core.coatings.supplies import Supply
from cool_sheen.core.drying.blend import AS_USUAL, Blend, Doses
from cool_sheen.core.drying.milestones import Mode
from cool_sheen.core.errors import OutOfRange
from cool_sheen.core.mixing.ratios import (
    BASIS_WORDS,
    Addition,
    Measure,
    Recipe,
    RecipePart,
    percent_by_basis,
    shares,
)
from cool_sheen.core.mixing.speeds import BRUSHED, fitting, speed_of
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
    dose_of: tuple[tuple[str, Basis], ...] = ()
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
        density = own.get(component.key, part.density_g_per_ml)  # the sheet's own figure, whoever makes the hardener
        parts.append(RecipePart(component.name, part.parts, density, solids))
        components.append(component)
    additions = _additions(product, supplies, choice, own)
    components += [component for component, _ in additions]
    recipe = Recipe(choice.measure or product.mix.measure, tuple(parts), tuple(a for _, a in additions))
    doses = _moved(recipe, [component for component, _ in additions])
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
        return Component(f"{_plain(part.name)}:{product.key}", f"{product.name} ({part.name})", "hardener")
    return Component(f"supply:{chosen.key}", chosen.name, "hardener", chosen)


def _plain(name: str) -> str:
    """A name as stock can keep it."""
    return re.sub(r"[^a-z0-9]+", "-", name.lower()).strip("-") or "part"


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
) -> list[tuple[Component, Addition]]:
    out: list[tuple[Component, Addition]] = []
    reducer = product.mix.reducer
    if choice.reducer_pct and reducer is None:
        raise OutOfRange(f"{product.name} is not thinned: leave the reducer out.", "reducer_pct")
    if reducer is not None:
        pct = reducer.usual_pct if choice.reducer_pct is None else choice.reducer_pct
        if pct > 0:
            out.append(_reducer(product, reducer, supplies, choice, pct, own))
    bases = dict(choice.dose_of)
    for key, dose in choice.doses_ml_per_l:
        supply = supplies.get(key)
        if supply is None or product.family not in supply.families:
            raise OutOfRange(f"“{key}” does not go into {product.name}.", f"dose.{key}")
        if dose < 0:
            raise OutOfRange(f"{supply.name}: a dose is nought or more.", f"dose.{key}")
        if dose > 0:
            component = Component(f"supply:{key}", supply.name, "additive", supply)
            density = own.get(component.key, supply.density_g_per_ml or 0.0)
            _need_density(component.name, density, component.key)
            basis = bases.get(key, supply.dose_of)
            out.append(
                (component, Addition(supply.name, _dose_pct(dose, density, basis, choice, product), basis, density))
            )
    return out


def dose_by_basis(recipe: Recipe, addition: int) -> dict[Basis, float]:
    """Say what a dose is for a litre of each of the three bases, by volume.

    Args:
        recipe: Parts and additions.
        addition: Its place among the additions, from 0.

    Returns: Millilitres for a litre of the mixed paint and hardener, of the paint alone, of the ready mix. [ml/l]
    Source: docs/trade.md, Mixing: the basis of a dose is as much of a choice as that of a percentage.
    """
    split, count = shares(recipe), len(recipe.parts)
    mine = 1000 * split[count + addition].ml_per_ml
    return {"mixed": mine / sum(s.ml_per_ml for s in split[:count]), "paint": mine / split[0].ml_per_ml, "ready": mine}


def _moved(recipe: Recipe, components: Sequence[Component]) -> Doses:
    """What the doses do to the times, each by its sheet's own basis. Raises OutOfRange: over a sheet's cap."""
    factors: dict[Mode, float] = {}
    for place, component in enumerate(components):
        supply = component.supply
        if component.role != "additive" or supply is None:
            continue
        dose = dose_by_basis(recipe, place)[supply.dose_of]
        if dose > (supply.max_dose_ml_per_l or 0) + 1e-9:
            raise OutOfRange(
                f"{supply.name}: at most {supply.max_dose_ml_per_l:g} ml for a litre {BASIS_WORDS[supply.dose_of]}; "
                f"this is {dose:.3g} ml.",
                f"dose.{supply.key}",
            )
        if supply.time_factor and supply.dose_ml_per_l:
            moved = supply.time_factor ** (dose / supply.dose_ml_per_l)
            factors[supply.moves] = factors.get(supply.moves, 1.0) * moved
    return tuple(sorted(factors.items()))


def _dose_pct(dose_ml_per_l: float, density: float, basis: Basis, choice: Choice, product: Product) -> Percent:
    """A dose is by volume; on a recipe by weight it is turned by the densities of what it is a dose of."""
    pct = dose_ml_per_l / 10
    if (choice.measure or product.mix.measure) == "volume":
        return pct
    parts = product.mix.parts[:1] if basis == "paint" else product.mix.parts
    mean = sum(p.parts for p in parts) / sum(p.parts / p.density_g_per_ml for p in parts)
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
    free = reducer.name.lower() in FREE
    supply = None if free else _thinner(product, reducer, supplies, choice)
    if supply is None:
        component = Component(f"{'free' if free else 'reducer'}:{_plain(reducer.name)}", reducer.name, "reducer")
        return component, own.get(component.key, reducer.density_g_per_ml or (1.0 if free else 0.0))
    component = Component(f"supply:{supply.key}", supply.name, "reducer", supply)
    return component, own.get(component.key, reducer.density_g_per_ml or supply.density_g_per_ml or 0.0)


def _thinner(product: Product, reducer: ReducerData, supplies: Mapping[str, Supply], choice: Choice) -> Supply | None:
    """The shelf's reducer that a sheet means: the one that it names, else by speed those of the kind that it names.

    None for a name that the shelf does not know: then it is the sheet's own, and nothing else takes its place.
    """
    named = set(_plain(reducer.name).split("-"))
    reducers = [s for s in supplies.values() if s.kind == "reducer"]
    applied = ("any", "brush" if choice.method in BRUSHED else "spray")
    exact = next((s for s in reducers if _plain(s.name) == _plain(reducer.name) and s.used_by in applied), None)
    if exact is not None:
        return exact
    if not any(named <= set(_plain(s.name).split("-")) for s in reducers):
        return None
    choices = fitting(product, "reducer", choice.method, reducers)
    return next((s for s in choices if speed_of(s) == choice.reducer_speed), None) or _middle(choices)


def _need_density(name: str, density: GramsPerMillilitre, key: str) -> None:
    """The scale is shown beside the marks: a density that nobody gave is asked for, not guessed."""
    if density <= 0:
        raise OutOfRange(f"{name} has no density on its sheet: enter it, such as 0.87 g/ml.", f"density.{key}")

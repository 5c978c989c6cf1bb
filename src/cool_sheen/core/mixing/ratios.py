"""What is in a mix, and how much of each: ratios by volume or weight, percentages on three bases."""

import re
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from cool_sheen.core.coatings.sheet_fields import Basis
from cool_sheen.core.errors import Inconsistent, NotReadable, OutOfRange
from cool_sheen.core.units import Grams, GramsPerMillilitre, Millilitres, Percent

Measure = Literal["volume", "weight"]
BASIS_WORDS: dict[str, str] = {
    "mixed": "of the mixed paint and hardener", "paint": "of the paint alone", "ready": "of the ready mix",
}  # fmt: skip


MOST_PCT: Percent = 900  # one part of paint in ten of what is put on: more is a wash
_PARTS = re.compile(r"\s*(?::|/|\bto\b)\s*")


def read_share(text: str, of: Basis) -> Percent:
    """Read a share of reducer: a percentage, or parts such as ``3 : 1``, the reducer last.

    Args:
        text: ``33``, ``33 %``, ``3 : 1``, ``4:1:1``, ``2 to 1``.
        of: What a percentage is of; parts before the last one are the paint, and the hardener where it is mixed in.

    Returns: The percentage on that basis. [%]
    Raises: NotReadable: neither.
    Source: docs/trade.md, Mixing: parts of paint to parts of reducer.
    """
    figures = [figure.removesuffix("%").strip().replace(",", ".") for figure in _PARTS.split(text.strip())]
    try:
        parts = [float(figure) for figure in figures]
    except ValueError:
        parts = []
    if not parts or any(not 0 <= part < 1e6 for part in parts) or (len(parts) > 1 and sum(parts[:-1]) <= 0):
        raise NotReadable(f"“{text.strip()[:30]}” is no share: enter a percentage such as 10, or parts such as 3 : 1.")
    if len(parts) == 1:
        return parts[0]
    return 100 * parts[-1] / (sum(parts) if of == "ready" else sum(parts[:-1]))


@dataclass(frozen=True, slots=True)
class RecipePart:
    """A component with its parts of the ratio; the first one is the paint."""

    name: str
    parts: float
    density_g_per_ml: GramsPerMillilitre
    volume_solids_pct: Percent = 0.0


@dataclass(frozen=True, slots=True)
class Addition:
    """A reducer, retarder or accelerator: a percentage, and what it is a percentage of."""

    name: str
    pct: Percent
    of: Basis
    density_g_per_ml: GramsPerMillilitre


@dataclass(frozen=True, slots=True)
class Recipe:
    """A ratio with its additions, by volume or by weight."""

    measure: Measure
    parts: tuple[RecipePart, ...]
    additions: tuple[Addition, ...] = ()


@dataclass(frozen=True, slots=True)
class Share:
    """One component's share of a millilitre of ready mix, in pouring order."""

    name: str
    ml_per_ml: float
    density_g_per_ml: GramsPerMillilitre
    volume_solids_pct: Percent = 0.0


@dataclass(frozen=True, slots=True)
class Pour:
    """One pour: how much, and what the scale shows after it."""

    name: str
    ml: Millilitres
    g: Grams
    scale_g: Grams


@dataclass(frozen=True, slots=True)
class Batch:
    """A mix worked out."""

    pours: tuple[Pour, ...]
    ready_ml: Millilitres
    ready_g: Grams
    volume_solids_pct: Percent
    cup_min_ml: Millilitres


def shares(recipe: Recipe) -> tuple[Share, ...]:
    """Work out what a millilitre of ready mix is made of.

    Args:
        recipe: Parts and additions. A percentage is by what the recipe measures, volume or weight.

    Returns: One share for each component, in pouring order; they add up to one.
    Raises: OutOfRange: parts that add up to nothing, a component without density. Inconsistent: shares of the ready
        mix that leave no room for the paint.
    Source: docs/trade.md, Mixing: a share x of the ready mix, itself included, is x R with R = (rest) / (1 - sum of x).
    """
    _check(recipe)
    mixed = sum(part.parts for part in recipe.parts)
    base = {"mixed": mixed, "paint": recipe.parts[0].parts}
    fixed = [base[a.of] * a.pct / 100 if a.of != "ready" else 0.0 for a in recipe.additions]
    of_ready = sum(a.pct for a in recipe.additions if a.of == "ready") / 100
    total = (mixed + sum(fixed)) / (1 - of_ready)
    amounts = [part.parts for part in recipe.parts]
    amounts += [total * a.pct / 100 if a.of == "ready" else f for a, f in zip(recipe.additions, fixed, strict=True)]
    things: list[RecipePart | Addition] = [*recipe.parts, *recipe.additions]
    if recipe.measure == "weight":
        amounts = [amount / thing.density_g_per_ml for amount, thing in zip(amounts, things, strict=True)]
    whole = sum(amounts)
    return tuple(
        Share(thing.name, amount / whole, thing.density_g_per_ml, getattr(thing, "volume_solids_pct", 0.0))
        for amount, thing in zip(amounts, things, strict=True)
    )


def _check(recipe: Recipe) -> None:
    if not recipe.parts or sum(part.parts for part in recipe.parts) <= 0:
        raise OutOfRange("The parts add up to nothing: give the paint and its hardener their parts.", "parts")
    if recipe.parts[0].parts <= 0:
        raise OutOfRange(f"{recipe.parts[0].name} is the paint: it needs parts above nought.", "parts.0.parts")
    for place, addition in enumerate(recipe.additions):
        most = 100 if addition.of == "ready" else MOST_PCT
        if not 0 <= addition.pct <= most:
            raise OutOfRange(
                f"{addition.pct:g} % is out of range: a percentage goes from 0 to {most}.", f"reducers.{place}.pct"
            )
    if sum(a.pct for a in recipe.additions if a.of == "ready") >= 100:
        raise Inconsistent(
            "Shares of the ready mix add up to 100 % or more: nothing is left for the paint.", "reducers.0.pct"
        )
    things: list[RecipePart | Addition] = [*recipe.parts, *recipe.additions]
    for thing in things:
        if thing.density_g_per_ml <= 0:
            raise OutOfRange(f"{thing.name} has no density: it cannot be turned into grams.", "density_g_per_ml")


def batch(recipe: Recipe, ready_ml: Millilitres, cup_tare_g: Grams = 0.0) -> Batch:
    """Work a batch out from the ready mix that is wanted.

    Args:
        recipe: Parts and additions.
        ready_ml: Ready mix. [ml, above 0]
        cup_tare_g: What the empty cup weighs. [g, from 0]

    Returns: Pours in order, each in ml, in g and as the scale shows it; solids of the ready mix by volume, the
        additions having none; the smallest cup, twice the mix.
    Raises: OutOfRange, Inconsistent: as ``shares``; or nothing is wanted.
    Source: docs/trade.md, Mixing: volumes add.
    """
    if not ready_ml > 0:
        raise OutOfRange("Enter how much ready mix is wanted, above nought.", "ready_ml")
    return poured_batch([(share, share.ml_per_ml * ready_ml) for share in shares(recipe)], cup_tare_g)


def poured_batch(amounts: Sequence[tuple[Share, Millilitres]], cup_tare_g: Grams = 0.0) -> Batch:
    """Return the batch that these amounts make, whatever the ratio asked for.

    Args:
        amounts: Each component with its volume. [ml]
        cup_tare_g: What the empty cup weighs. [g]
    """
    pours, scale = [], cup_tare_g
    for share, ml in amounts:
        grams = ml * share.density_g_per_ml
        scale += grams
        pours.append(Pour(share.name, ml, grams, scale))
    ready = sum(ml for _, ml in amounts)
    solids = sum(ml * share.volume_solids_pct for share, ml in amounts) / ready if ready else 0.0
    return Batch(tuple(pours), ready, scale - cup_tare_g, solids, 2 * ready)


def ready_from(recipe: Recipe, component: int, amount_ml: Millilitres) -> Millilitres:
    """Ready mix that comes of all that is left of one component.

    Args:
        recipe: Parts and additions.
        component: Its place in pouring order, from 0.
        amount_ml: What there is of it. [ml, above 0]

    Returns: Ready mix. [ml]
    Raises: OutOfRange: nothing there, or a component that the recipe does without.
    Source: docs/trade.md, Mixing: backwards from any side.
    """
    share = shares(recipe)[component]
    if share.ml_per_ml <= 0:
        raise OutOfRange(f"This mix has no {share.name} in it: choose another component.", "have_of")
    if not amount_ml > 0:
        raise OutOfRange(f"Enter how much {share.name} there is, above nought.", "have")
    return amount_ml / share.ml_per_ml


def ready_from_mixed(recipe: Recipe, mixed_ml: Millilitres) -> Millilitres:
    """Ready mix that comes of so much paint and hardener, before anything is added.

    Args:
        recipe: Parts and additions.
        mixed_ml: Paint and hardener together. [ml, above 0]

    Returns: Ready mix. [ml]
    Source: docs/trade.md, Mixing: backwards from any side.
    """
    paint = sum(share.ml_per_ml for share in shares(recipe)[: len(recipe.parts)])
    return mixed_ml / paint


def percent_by_basis(recipe: Recipe, addition: int) -> dict[Basis, Percent]:
    """Say what one addition is on each of the three bases, so that none is taken for another.

    Args:
        recipe: Parts and additions.
        addition: Its place among the additions, from 0.

    Returns: The percentage of the mixed paint and hardener, of the paint alone, and of the ready mix, by what the
        recipe measures. [%]
    Source: docs/trade.md, Mixing: 12 % of 1000 ml of paint is 120 ml, which is 10.7 % of the ready mix.
    """
    split = shares(recipe)
    weigh = [s.ml_per_ml * (s.density_g_per_ml if recipe.measure == "weight" else 1) for s in split]
    mine, count = weigh[len(recipe.parts) + addition], len(recipe.parts)
    return {"mixed": 100 * mine / sum(weigh[:count]), "paint": 100 * mine / weigh[0], "ready": 100 * mine / sum(weigh)}

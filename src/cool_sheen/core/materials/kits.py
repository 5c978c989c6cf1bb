"""The cheapest set of kits that covers a need; exact, in whole kits and exact decimals."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from decimal import ROUND_CEILING, ROUND_FLOOR, Decimal
from functools import lru_cache
from math import gcd
from typing import Any

from cool_sheen.core.errors import OutOfRange
from cool_sheen.core.units import Millilitres

_UNITS_PER_ML = 1000  # a microlitre: finer than anybody pours
_MOST_SECONDS = 4.0
_PLACES = 4  # of a price: a hundredth of a cent
_MOST_OF_ONE = 1_000_000
_MOST_SUM = 2**62  # the search reckons in whole numbers of 64 bits


@dataclass(frozen=True, slots=True)
class Kit:
    """A size that can be bought: its price, and what is in it by component. [ml]"""

    sku: str
    price: Decimal
    contains: tuple[tuple[str, Millilitres], ...]

    def of(self, component: str) -> Millilitres:
        """What is in it of a component. [ml]"""
        return dict(self.contains).get(component, 0.0)


@dataclass(frozen=True, slots=True)
class Purchase:
    """What to buy, what it costs, and what is left over by component. [ml]"""

    buy: tuple[tuple[str, int], ...]
    cost: Decimal
    left_ml: tuple[tuple[str, Millilitres], ...]


def cheapest(need_ml: Mapping[str, Millilitres], kits: Sequence[Kit]) -> Purchase:
    """Choose the kits that cover every component at least cost; among equals those that leave the least over.

    Args:
        need_ml: What is needed of each component. [ml, from 0]
        kits: The sizes that are to be had.

    Returns: How many of each size, the cost, and what is left of each component, of those too that come along unasked.
    Raises: OutOfRange: a component that no kit holds, or a search that did not end.
    Source: docs/trade.md, Paint and buying: a covering problem in whole numbers, solved by OR-Tools CP-SAT in two
        steps: cost, then what is left.
    """
    for component in need_ml:
        if not any(kit.of(component) > 0 for kit in kits):
            raise OutOfRange(f"No size on offer holds {component}.", f"need_ml.{component}")
    wanted = tuple(sorted(need_ml.items()))
    counts = _counts(wanted, tuple(kits)) if wanted else ()
    bought = [(kit, n) for kit, n in zip(kits, counts, strict=False) if n]
    names = dict.fromkeys([*need_ml, *(name for kit, _ in bought for name, _ in kit.contains)])
    left = tuple((name, sum(n * kit.of(name) for kit, n in bought) - need_ml.get(name, 0.0)) for name in names)
    cost = sum((n * kit.price for kit, n in bought), Decimal(0))
    return Purchase(tuple((kit.sku, n) for kit, n in bought), cost, left)


def load_solver() -> None:
    """Load what the search needs: seconds, which a program that serves spends before somebody waits for them."""
    from ortools.sat.python import cp_model  # noqa: F401


@lru_cache(maxsize=512)
def _counts(need: tuple[tuple[str, Millilitres], ...], kits: tuple[Kit, ...]) -> tuple[int, ...]:
    from ortools.sat.python import cp_model  # a second to import: only whoever buys pays for it

    model = cp_model.CpModel()
    most = [_most_of(kit, need) for kit in kits]
    counts = [model.new_int_var(0, most[n], f"k{n}") for n in range(len(kits))]
    for name, ml in need:
        held = sum(count * _units(kit.of(name), ROUND_FLOOR) for kit, count in zip(kits, counts, strict=True))
        model.add(held >= _units(ml, ROUND_CEILING))
    prices = [int(kit.price.scaleb(_PLACES).to_integral_value()) for kit in kits]
    common = gcd(*prices) or 1
    cost = sum(count * (price // common) for price, count in zip(prices, counts, strict=True))
    amounts = [sum(_units(ml, ROUND_FLOOR) for _, ml in kit.contains) for kit in kits]
    for figures in (prices, amounts):
        if sum(n * figure for n, figure in zip(most, figures, strict=True)) > _MOST_SUM:
            raise OutOfRange("Need, prices and sizes lie too far apart to be weighed: check their figures.", "kits")
    first = _solved(cp_model, model, cost)
    model.add(cost == round(first.objective_value))
    for kit_count, found in zip(counts, [first.value(c) for c in counts], strict=True):
        model.add_hint(kit_count, found)
    over = sum(count * held for held, count in zip(amounts, counts, strict=True))
    second = _solved(cp_model, model, over)
    return tuple(second.value(count) for count in counts)


def _most_of(kit: Kit, need: tuple[tuple[str, Millilitres], ...]) -> int:
    """More of a kit than would cover all that it holds is never bought."""
    held = [(ml, _units(kit.of(name), ROUND_FLOOR)) for name, ml in need]
    most = max((-(-_units(ml, ROUND_CEILING) // units) for ml, units in held if units > 0), default=0)
    if most > _MOST_OF_ONE:
        raise OutOfRange(f"Over {_MOST_OF_ONE:,} of {kit.sku} could be needed: check the need and the sizes.", "kits")
    return most


def _units(ml: Millilitres, rounding: str) -> int:
    return int((Decimal(str(ml)) * _UNITS_PER_ML).to_integral_value(rounding))


def _solved(cp_model: Any, model: Any, aim: Any) -> Any:
    model.minimize(aim)
    solver = cp_model.CpSolver()
    solver.parameters.num_workers = 1
    solver.parameters.max_time_in_seconds = _MOST_SECONDS
    state = solver.solve(model)
    if state in (cp_model.INFEASIBLE, cp_model.MODEL_INVALID):
        raise OutOfRange("These sizes hold too little to cover the need: check their amounts.", "kits")
    if state != cp_model.OPTIMAL:
        raise OutOfRange("The cheapest set was not found in time: offer fewer sizes.", "kits")
    return solver

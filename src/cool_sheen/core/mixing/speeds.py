"""Which hardener and reducer for the heat of the day, the size of the work and the method; and with what reason."""

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from cool_sheen.core.coatings.products import Product
from cool_sheen.core.coatings.supplies import Supply
from cool_sheen.core.drying.blend import OwnHardener
from cool_sheen.core.units import Celsius, SquareMetres

ORDER: dict[str, tuple[str, ...]] = {
    "hardener": ("fast", "standard", "slow"),
    "reducer": ("fast", "medium", "slow", "extra_slow"),
}
LARGE_M2, SMALL_M2 = 3.0, 0.3
_LARGE_SHIFT_K, _SMALL_SHIFT_K = 4.0, -3.0  # large work is treated like a warmer day, small work like a colder one
BRUSHED = ("brush", "roller")


@dataclass(frozen=True, slots=True)
class Proposal:
    """A hardener or reducer, and why it is this one."""

    supply: Supply
    speed: str
    reason: str


def speed_of(supply: Supply) -> str:
    """The speed on a supply's sheet; the middle one when it names none."""
    return supply.hardener_speed or supply.reducer_speed or ("standard" if supply.kind == "hardener" else "medium")


def fitting(product: Product, kind: str, method: str, supplies: Iterable[Supply]) -> list[Supply]:
    """Return the hardeners or reducers that go with a product and a method, fast ones first."""
    found = [s for s in supplies if s.kind == kind and product.family in s.families]
    brushed = "brush" if method in BRUSHED else "spray"
    own = [s for s in found if s.used_by == brushed]
    found = own or [s for s in found if s.used_by == "any"]
    return sorted(found, key=lambda s: ORDER[kind].index(speed_of(s)))


def own_hardener(product: Product, speed: str, supplies: Iterable[Supply]) -> OwnHardener | None:
    """What the hardener of a speed says of itself, of those that go with a product; None where it goes by the sheet."""
    if not any(part.name == "hardener" for part in product.mix.parts):
        return None
    found = [s for s in fitting(product, "hardener", "hvlp", supplies) if speed_of(s) == speed]
    return found[0].own if found else None


def propose(
    choices: Sequence[Supply], kind: str, temp_c: Celsius, area_m2: SquareMetres, method: str
) -> Proposal | None:
    """Propose one of the speeds that there are.

    Args:
        choices: Hardeners or reducers that go with the product and the method.
        kind: ``hardener`` or ``reducer``.
        temp_c: Air where it is put on. [C]
        area_m2: The largest piece that is coated in one go. [m2]
        method: How it is put on.

    Returns: The one whose range on the sheet lies nearest to the temperature; large work counts as warmer, small
        work as colder. None when there is no choice.
    Source: docs/trade.md, Mixing: hot or large is slow, cold or small is fast.
    """
    if not choices:
        return None
    shift, size = 0.0, ""
    if area_m2 >= LARGE_M2:
        shift, size = _LARGE_SHIFT_K, f", and {area_m2:.1f} m² is large: slower"
    elif area_m2 <= SMALL_M2:
        shift, size = _SMALL_SHIFT_K, f", and {area_m2:.2f} m² is small: faster"
    felt = temp_c + shift
    best = min(choices, key=lambda s: (_distance(s, felt), abs(_middle(s) - felt)))
    span = (
        f"best from {best.best_from_c:g} to {best.best_to_c:g} °C"
        if best.best_from_c is not None and best.best_to_c is not None
        else "the only one for it"
        if len(choices) == 1
        else "for any warmth"
    )
    by = " for brush and roller" if method in BRUSHED and best.used_by == "brush" else ""
    return Proposal(best, speed_of(best), f"{temp_c:.0f} °C{size}; {best.name}{by}: {span}")


def _distance(supply: Supply, temp_c: Celsius) -> float:
    low = -math.inf if supply.best_from_c is None else supply.best_from_c
    high = math.inf if supply.best_to_c is None else supply.best_to_c
    return max(low - temp_c, 0.0, temp_c - high)


def _middle(supply: Supply) -> float:
    if supply.best_from_c is None or supply.best_to_c is None:
        return 20.0
    return (supply.best_from_c + supply.best_to_c) / 2

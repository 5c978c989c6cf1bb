"""The grit ladder: the fewest steps from the coarsest grit to the finest, none of which skips."""

from dataclasses import dataclass
from itertools import pairwise

from cool_sheen.core.errors import Inconsistent
from cool_sheen.core.film.grits import MEAN_UM, mean_grain, scratch_removal
from cool_sheen.core.units import Micron

MOST_RATIO = 2.0  # a step that skips leaves scratches that the next grit does not reach


@dataclass(frozen=True, slots=True)
class Rung:
    """One step: its grain, the ratio to the step before (None at the first), and what it must take off."""

    grit: str
    mean_um: Micron
    ratio: float | None
    removal_um: Micron


def ladder(coarsest: str, finest: str, available: list[str] | None = None) -> list[Rung]:
    """Choose the steps between two grits.

    Args:
        coarsest: The grit that removes the fault.
        finest: The grit that the next layer needs.
        available: What is at hand; all of the first one's scale when None.

    Returns: The fewest rungs with every ratio of neighbours at most 2; among equals the smallest largest ratio.
        Removal is 0.35 x the mean grain of the step before. [um]
    Raises: NotReadable: no such grit. Inconsistent: from fine to coarse, or a gap that nothing at hand fills.
    Source: docs/trade.md, Sanding: a step should not skip; FEPA 43-1 and CAMI grain sizes.
    """
    start, end = mean_grain(coarsest, "from"), mean_grain(finest, "to")
    if end > start:
        raise Inconsistent(f"{finest} is coarser than {coarsest}: a ladder goes from coarse to fine.", "to")
    names = available if available is not None else [g for g in MEAN_UM if g[0] == coarsest.strip().upper()[0]]
    between = {name: size for name in names if end < (size := mean_grain(name, "available")) < start}
    sizes = {coarsest: start, **dict(sorted(between.items(), key=lambda item: -item[1])), finest: end}
    path = _shortest(list(sizes), sizes)
    if path is None:
        raise Inconsistent(
            f"Between {coarsest} and {finest} a grit is missing: no step may be over 2 to 1.", "available"
        )
    rungs = [Rung(path[0], sizes[path[0]], None, 0.0)]
    for before, grit in pairwise(path):
        rungs.append(Rung(grit, sizes[grit], sizes[before] / sizes[grit], scratch_removal(before)))
    return rungs


def _shortest(names: list[str], sizes: dict[str, Micron]) -> list[str] | None:
    """Go down the grits once, keeping for each the best way to it: fewest steps, then smallest largest ratio."""
    best: dict[str, tuple[float, list[str]]] = {names[0]: (0.0, [names[0]])}
    for name in names[1:]:
        ways = [
            (max(largest, sizes[before] / sizes[name]), [*way, name])
            for before, (largest, way) in best.items()
            if sizes[before] / sizes[name] <= MOST_RATIO
        ]
        if ways:
            best[name] = min(ways, key=lambda way: (len(way[1]), way[0]))
    return best[names[-1]][1] if names[-1] in best else None

"""Coats for a reserve, and the grit ladder."""

from itertools import combinations, pairwise

import pytest
from hypothesis import given
from hypothesis import strategies as st

from cool_sheen.core.errors import Inconsistent, NotReadable, OutOfRange
from cool_sheen.core.film.build import coats_needed
from cool_sheen.core.film.grits import MEAN_UM
from cool_sheen.core.film.ladder import ladder


@given(st.integers(10, 400), st.integers(1, 100), st.integers(0, 300), st.integers(0, 300))
def test_the_coats_leave_the_reserve_and_one_fewer_would_not(wet, solids, sanding, reserve):
    dry, coats = coats_needed(wet, solids, sanding, reserve)
    assert dry == pytest.approx(wet * solids / 100)
    assert coats * wet * solids >= 100 * (sanding + reserve)
    assert coats == 0 or (coats - 1) * wet * solids < 100 * (sanding + reserve)


def test_tenths_are_not_rounded_up_by_floating_point():
    assert coats_needed(100, 0.1, 0.1, 0.2) == (pytest.approx(0.1), 3)
    with pytest.raises(OutOfRange, match="without solids"):
        coats_needed(100, 0, 1, 1)


def best_by_trying_all(start: str, end: str, names: list[str]) -> tuple[int, float] | None:
    """Try every set of grits between the two: fewest steps, then smallest largest ratio."""
    between = [n for n in names if MEAN_UM[end] < MEAN_UM[n] < MEAN_UM[start]]
    for count in range(len(between) + 1):
        worst = []
        for chosen in combinations(sorted(between, key=lambda n: -MEAN_UM[n]), count):
            ratios = [MEAN_UM[a] / MEAN_UM[b] for a, b in pairwise([start, *chosen, end])]
            if max(ratios) <= 2 + 1e-12:
                worst.append(max(ratios))
        if worst:
            return count + 2, min(worst)
    return None


@given(st.data())
def test_a_ladder_is_the_best_of_all_that_could_be_built(data):
    scale = data.draw(st.sampled_from("PC"))
    grits = [name for name in MEAN_UM if name[0] == scale]
    one, other = sorted(
        data.draw(st.lists(st.sampled_from(grits), min_size=2, max_size=2, unique=True)), key=lambda n: -MEAN_UM[n]
    )
    at_hand = data.draw(st.lists(st.sampled_from(grits), max_size=9, unique=True))
    wanted = best_by_trying_all(one, other, at_hand)
    if wanted is None:
        with pytest.raises(Inconsistent, match="a grit is missing"):
            ladder(one, other, at_hand)
        return
    rungs = ladder(one, other, at_hand)
    assert (rungs[0].grit, rungs[-1].grit) == (one, other)
    assert (len(rungs), max(r.ratio for r in rungs[1:])) == (wanted[0], pytest.approx(wanted[1]))
    for before, after in pairwise(rungs):
        assert after.removal_um == pytest.approx(0.35 * before.mean_um)


def test_a_ladder_goes_down_and_knows_its_grits():
    assert [r.grit for r in ladder("P320", "P320")] == ["P320"]
    with pytest.raises(Inconsistent, match="from coarse to fine"):
        ladder("P400", "P80")
    with pytest.raises(NotReadable, match="“P85” is no grit") as refusal:
        ladder("P80", "P400", ["P85"])
    assert refusal.value.field == "available"

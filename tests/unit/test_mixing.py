"""The mixing bench: ratios on three bases, pours that go wrong, pot life, speeds, order."""

from datetime import timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.support import T0, steady

from cool_sheen.core.drying.milestones import Mode
from cool_sheen.core.errors import CoreError
from cool_sheen.core.mixing.order import stages
from cool_sheen.core.mixing.pot_life import pot_life, pot_life_ends, way_in_time
from cool_sheen.core.mixing.pours import rescue, targets
from cool_sheen.core.mixing.ratios import (
    Addition,
    Recipe,
    RecipePart,
    batch,
    percent_by_basis,
    ready_from,
    ready_from_mixed,
    shares,
)
from cool_sheen.core.mixing.recipes import Choice, mix_of
from cool_sheen.core.mixing.speeds import fitting, propose
from cool_sheen.formats.catalogue import shipped

amounts = st.floats(0.5, 100)
densities = st.floats(0.7, 1.9)
recipes = st.builds(
    Recipe,
    st.sampled_from(["volume", "weight"]),
    st.lists(st.builds(RecipePart, st.just("part"), amounts, densities, st.floats(10, 90)), min_size=1, max_size=3).map(
        tuple
    ),
    st.lists(
        st.builds(
            Addition, st.just("addition"), st.floats(0.1, 30), st.sampled_from(["mixed", "paint", "ready"]), densities
        ),
        max_size=3,
    ).map(tuple),
)


@given(recipes, st.floats(5, 5000))
def test_a_percentage_is_of_what_it_says_and_volumes_add(recipe, ready_ml):
    found = batch(recipe, ready_ml)
    assert sum(p.ml for p in found.pours) == pytest.approx(ready_ml)
    assert found.pours[-1].scale_g == pytest.approx(found.ready_g)
    measured = [p.ml if recipe.measure == "volume" else p.g for p in found.pours]
    count = len(recipe.parts)
    base = {"mixed": sum(measured[:count]), "paint": measured[0], "ready": sum(measured)}
    for place, addition in enumerate(recipe.additions):
        assert measured[count + place] == pytest.approx(base[addition.of] * addition.pct / 100)
        said = percent_by_basis(recipe, place)
        assert said[addition.of] == pytest.approx(addition.pct)
        assert all(measured[count + place] == pytest.approx(base[basis] * pct / 100) for basis, pct in said.items())
    for part, amount in zip(recipe.parts, measured, strict=False):
        assert amount / measured[0] == pytest.approx(part.parts / recipe.parts[0].parts)


@given(recipes, st.floats(5, 5000))
def test_from_whichever_side_a_batch_is_asked_for_it_is_the_same_batch(recipe, ready_ml):
    found = batch(recipe, ready_ml)
    for place, poured in enumerate(found.pours):
        assert ready_from(recipe, place, poured.ml) == pytest.approx(ready_ml)
    assert ready_from_mixed(recipe, sum(p.ml for p in found.pours[: len(recipe.parts)])) == pytest.approx(ready_ml)


@given(recipes, st.floats(50, 2000), st.data())
def test_after_any_over_pour_topping_up_brings_the_ratio_back_and_takes_nothing_out(recipe, ready_ml, data):
    split = shares(recipe)
    poured = [s.ml_per_ml * ready_ml * data.draw(st.floats(0, 1.6)) for s in split]
    aims = targets(split, ready_ml, poured)
    whole = sum(t.target_ml for t in aims)
    assert whole >= ready_ml * (1 - 1e-9)
    for share, aim in zip(split, aims, strict=True):
        assert aim.poured_ml + aim.missing_ml == pytest.approx(aim.target_ml, rel=1e-6)
        assert aim.target_ml == pytest.approx(share.ml_per_ml * whole)
    # The calculator says the same of a cup that is full.
    if all(p > 0 for p in poured) and max(p / s.ml_per_ml for p, s in zip(poured, split, strict=True)) >= ready_ml:
        told = rescue([s.ml_per_ml for s in split], poured)
        assert told.add == pytest.approx([t.missing_ml for t in aims], abs=1e-6)
        assert told.total == pytest.approx(whole)


def test_where_there_is_no_more_of_a_component_the_rest_goes_by_what_there_was():
    split = shares(Recipe("volume", (RecipePart("base", 4, 1.4), RecipePart("hardener", 1, 1.0))))
    aims = targets(split, 500, [320, 0], [True, False])
    assert [t.target_ml for t in aims] == pytest.approx([320, 80])
    straight = shares(Recipe("volume", (RecipePart("base", 4, 1.4), RecipePart("hardener", 0, 1.0))))
    assert [t.target_ml for t in targets(straight, 500, [320, 0])] == pytest.approx([500, 0])
    thinned = shares(Recipe("volume", (RecipePart("base", 3, 1.4),), (Addition("reducer", 25, "ready", 0.9),)))
    aims = targets(thinned, 400, [150, 60], [True, True], [None, 0.4])  # as much reducer as the cap lets stand
    assert [t.target_ml for t in aims] == pytest.approx([150, 50])
    aims = targets(thinned, 400, [0, 60], [False, True], [None, 0.4])
    assert [t.target_ml for t in aims] == pytest.approx([180, 60])


@pytest.mark.parametrize(
    ("recipe", "says"),
    [
        (Recipe("volume", (RecipePart("base", 0, 1.2), RecipePart("hardener", 0, 1.0))), "add up to nothing"),
        (Recipe("volume", (RecipePart("base", 0, 1.2), RecipePart("hardener", 1, 1.0))), "is the paint"),
        (Recipe("weight", (RecipePart("base", 4, 0.0),)), "no density"),
        (Recipe("volume", (RecipePart("base", 4, 1.2),), (Addition("reducer", 101, "ready", 0.9),)), "from 0 to 100"),
        (
            Recipe("volume", (RecipePart("base", 4, 1.2),), tuple(Addition("r", 50, "ready", 0.9) for _ in range(2))),
            "nothing is left for the paint",
        ),
    ],
)
def test_what_is_no_mix_is_refused_in_words(recipe, says):
    with pytest.raises(CoreError, match=says):
        shares(recipe)


@given(st.floats(5, 480), st.floats(5, 35), st.floats(0, 10))
def test_pot_life_in_steady_air_is_the_formula_and_warmth_shortens_it(minutes, temp, warmer):
    expected = pot_life(minutes, 20, temp)
    ends = pot_life_ends(T0, minutes, 20, steady(temp, 50))
    assert (ends - T0).total_seconds() / 60 == pytest.approx(expected, abs=0.1, rel=0.001)
    assert pot_life_ends(T0, minutes, 20, steady(temp + warmer, 50)) <= ends + timedelta(seconds=1)


@pytest.mark.parametrize(("minutes", "told"), [(3 * 1440 - 0.1, True), (3 * 1440 + 0.1, False)])
def test_an_end_is_told_within_three_days(minutes, told):
    assert (pot_life_ends(T0, minutes, 20, steady(20, 50)) is not None) is told


@pytest.mark.parametrize(
    ("hours", "says"),
    [
        ((1, 3, 30), "Mix for 2 of 3 coats now"),
        ((6, 7), "Mix for 1 of 2 coats now"),
        ((20, 23), "Mix it later, just before the coat"),
        ((20, 26), "Mix it later, just before the coat, and for fewer coats at a time"),
        ((20, 45), "Mix it later, just before the coat, and for fewer coats at a time"),
    ],
)
def test_a_batch_that_gels_too_soon_is_made_for_fewer_coats_or_later(hours, says):
    assert way_in_time([T0 + timedelta(hours=h) for h in hours], T0, T0 + timedelta(hours=6)) == says


@pytest.mark.parametrize(
    ("temp", "area", "method", "hardener", "reducer"),
    [
        (10, 1.0, "hvlp", "hardener-urethane-fast", "reducer-urethane-fast"),
        (20, 1.0, "hvlp", "hardener-urethane-standard", "reducer-urethane-medium"),
        (23, 6.0, "hvlp", "hardener-urethane-slow", "reducer-urethane-slow"),  # large counts as warmer
        (20, 0.1, "hvlp", "hardener-urethane-standard", "reducer-urethane-fast"),  # small counts as colder
        (34, 2.0, "hvlp", "hardener-urethane-slow", "reducer-urethane-extra-slow"),
        (20, 1.0, "brush", "hardener-brushing", "reducer-brushing"),  # the type depends on the method, too
    ],
)
def test_hot_or_large_is_slow_and_cold_or_small_is_fast_with_the_reason(temp, area, method, hardener, reducer):
    shelf, product = shipped().supplies.values(), shipped().products["single-stage-two-pack"]
    for kind, wanted in (("hardener", hardener), ("reducer", reducer)):
        found = propose(fitting(product, kind, method, shelf), kind, temp, area, method)
        assert found.supply.key == wanted
        assert f"{temp} °C" in found.reason


@pytest.mark.parametrize("product", sorted(k for k, p in shipped().products.items() if p.aerosol is None))
def test_every_product_can_be_mixed_and_its_solids_are_the_sheets_at_the_usual_reduction(product):
    sheet = shipped().products[product]
    mix = mix_of(sheet, shipped().supplies, Choice(method=sheet.methods[0]))
    found = batch(mix.recipe, 1000)
    assert abs(found.volume_solids_pct - sheet.volume_solids_pct) < 1.5
    assert len({c.key for c in mix.components}) == len(found.pours)


def test_a_sheet_by_weight_thins_by_the_density_of_what_it_is_thinned_with():
    """A hundred grams are 89.3 ml, five of white spirit 6.4 ml, of a solvent that nobody knows 5.7 ml."""
    sheet, shelf = shipped().products["enamel-one-pack"], shipped().supplies
    weighed = sheet.model_copy(update={"mix": sheet.mix.model_copy(update={"measure": "weight"})})
    ready = batch(mix_of(weighed, shelf, Choice()).recipe, 1000)
    assert (ready.volume_solids_pct, sheet.volume_solids_pct) == (pytest.approx(44, abs=0.01), 44)
    neat = [mix_of(weighed, on, Choice(reducer_pct=0)).recipe.parts[0].volume_solids_pct for on in (shelf, {})]
    assert neat == pytest.approx([47.16, 46.83], abs=0.01)


@pytest.mark.parametrize(("product", "names"), [
    ("enamel-one-pack", ["One-pack alkyd enamel, ivory", "White spirit"]),
    ("clear-two-pack", ["Two-pack clear, gloss (clear)", "Urethane hardener, standard", "Urethane and basecoat reducer, medium"]),
])  # fmt: skip
def test_what_goes_into_a_cup_is_called_as_in_stores(product, names):
    mix = mix_of(shipped().products[product], shipped().supplies, Choice())
    assert [c.name for c in mix.components] == names


def test_a_cap_holds_on_whatever_basis_the_percentage_is_said_unless_there_is_a_reason():
    clear, shelf = shipped().products["clear-two-pack"], shipped().supplies  # up to 10 % of the mixed
    mix_of(clear, shelf, Choice(reducer_pct=14.9, reducer_of="paint"))
    with pytest.raises(CoreError, match=r"up to 10 % of the mixed paint and hardener, and this is 10\.7 %"):
        mix_of(clear, shelf, Choice(reducer_pct=16, reducer_of="paint"))
    assert (
        mix_of(clear, shelf, Choice(reducer_pct=16, reducer_of="paint", beyond_cap=True)).recipe.additions[0].pct == 16
    )
    with pytest.raises(CoreError, match="at most 30 ml for a litre"):
        mix_of(clear, shelf, Choice(doses_ml_per_l=(("accelerator-urethane", 31.0),)))
    with pytest.raises(CoreError, match="does not go into"):
        mix_of(clear, shelf, Choice(doses_ml_per_l=(("drier-alkyd", 5.0),)))
    dosed = mix_of(clear, shelf, Choice(doses_ml_per_l=(("accelerator-urethane", 20.0),)))
    assert dict(dosed.blend.doses)[Mode.REACTIVE] == pytest.approx(0.7**2)
    assert batch(dosed.recipe, 1000).pours[-1].ml == pytest.approx(20)
    most = mix_of(clear, shelf, Choice(doses_ml_per_l=(("accelerator-urethane", 30.0),)))
    assert dict(most.blend.doses)[Mode.REACTIVE] == pytest.approx(0.7**3)
    none = mix_of(clear, shelf, Choice(doses_ml_per_l=(("accelerator-urethane", 0.0),)))
    assert (len(none.blend.doses), len(none.recipe.additions)) == (0, len(dosed.recipe.additions) - 1)


def test_a_dose_is_as_many_millilitres_when_all_is_weighed():
    """Twenty of accelerator on a litre, whether the rest is measured or on the scale."""
    clear, shelf = shipped().products["clear-two-pack"], shipped().supplies
    dose = (("accelerator-urethane", 20.0),)
    weighed = mix_of(clear, shelf, Choice(doses_ml_per_l=dose, measure="weight"))
    assert batch(weighed.recipe, 1000).pours[-1].ml == pytest.approx(20, rel=0.03)
    with pytest.raises(CoreError, match="has no density on its sheet: enter it"):
        mix_of(clear, shelf, Choice(densities=(("supply:accelerator-urethane", 0.0),), doses_ml_per_l=dose))


def test_stir_pour_stir_induct_and_only_then_reduce():
    order = stages(["paint", "hardener", "reducer"], "single_stage", True, True, True)
    assert [s.gate or s.line if s.does != "wait" else "wait" for s in order] == [
        "base_stirred", "colour_checked", 0, 1, "mix_stirred", "wait", 2, "strained", "test_pattern",
    ]  # fmt: skip
    assert [s.does for s in stages(["paint"], "primer", True, False, False)] == ["gate", "pour"]


@pytest.mark.parametrize("temp_c, told", [(20 + 500, True), (20 + 500.1, False), (20 - 500, True), (20 - 500.1, False)])
def test_a_pot_life_is_told_as_far_as_it_can_be_counted(temp_c, told):
    if told:
        assert pot_life(60, 20, temp_c) == pytest.approx(60 * 2.0 ** ((20 - temp_c) / 10))
    else:
        with pytest.raises(CoreError, match="no pot life can be told"):
            pot_life(60, 20, temp_c)

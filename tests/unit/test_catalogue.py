"""The data that ship make sense, product by product; and nonsense is refused."""

import pytest
from tests.support import T0, steady

from cool_sheen.core.climate.air import describe_air
from cool_sheen.core.coatings.families import FAMILY_WORDS
from cool_sheen.core.coatings.products import Product
from cool_sheen.core.drying.clock import Film, simulate
from cool_sheen.core.drying.phases import Phase, likely, phases
from cool_sheen.core.errors import Inconsistent
from cool_sheen.core.film.grits import MEAN_UM, mean_grain, scratch_removal
from cool_sheen.formats.catalogue import Catalogue, check, shipped

PRODUCTS = sorted(shipped().products.values(), key=lambda p: p.key)


@pytest.mark.parametrize("product", PRODUCTS, ids=lambda p: p.key)
def test_at_its_own_reference_a_product_dries_and_its_windows_open_before_they_close(product):
    climate = steady(product.ref_temp_c, product.ref_rh_pct)
    bands = simulate(product.drying, climate, Film(T0, product.ref_wet_film_um))
    for mark in product.milestones:
        assert (bands[mark.name].likely is None) is (mark.mode == "heat")  # only its heat stages set that
    for window in product.windows:
        spans = phases(T0, window.rule(), likely(bands))
        only_sanded = window.opens == window.closes  # an air-inhibited film opens for itself alone
        assert [s.phase for s in spans[:2]] == [Phase.WET, Phase.KEY if only_sanded else Phase.OPEN]
        assert window.redissolves or window.closes or product.family in ("stain_solid", "casein_paint")


@pytest.mark.parametrize("product", PRODUCTS, ids=lambda p: p.key)
def test_a_product_may_be_coated_at_its_own_reference_and_carries_the_cautions_of_its_kind(product):
    limits = product.limits
    margin = product.ref_temp_c - describe_air(product.ref_temp_c, product.ref_rh_pct).dew_point_c
    assert limits.air_min_c <= product.ref_temp_c <= limits.air_max_c
    assert limits.rh_min_pct <= product.ref_rh_pct <= limits.rh_max_pct
    assert margin >= limits.dew_margin_k
    assert product.wet_film_min_um <= product.ref_wet_film_um <= product.wet_film_max_um
    assert mean_grain(product.key_grit) > 0
    assert product.family in FAMILY_WORDS
    if product.family == "urethane_2k":
        assert "isocyanate" in product.cautions
    if any(m.mode == "solvent" for m in product.milestones):
        assert "solvent" in product.cautions
    assert "data sheet" in product.source


def test_the_shelf_covers_every_drying_mode_of_the_clock():
    modes = {m.mode.value for p in PRODUCTS for m in p.milestones}
    assert modes >= {"solvent", "water", "reactive", "oxidative", "moisture"}
    assert len(PRODUCTS) >= 8


@pytest.mark.parametrize("system", shipped().systems.values(), ids=lambda s: s.key)
def test_a_system_stays_within_the_films_of_its_products_and_sands_from_coarse_to_fine(system):
    for layer in system.layers:
        product = shipped().products[layer.product]
        for coat in layer.coats:
            least = product.wet_film_min_um if coat.counted else 0
            assert least <= coat.wet_film_um <= product.wet_film_max_um, layer.id
        grains = [mean_grain(s.grit) for s in layer.sanding]
        assert grains == sorted(grains, reverse=True)
        film = sum(c.wet_film_um for c in layer.coats if c.counted) * product.volume_solids_pct / 100
        assert film - sum(s.removal_um for s in layer.sanding) >= layer.reserve_um
        for coarse, fine in zip(layer.sanding, layer.sanding[1:], strict=False):
            assert fine.removal_um == pytest.approx(scratch_removal(coarse.grit), rel=0.02)


def test_the_grit_scales_fall_and_are_not_the_same():
    for scale in ("P", "C"):
        sizes = [um for name, um in MEAN_UM.items() if name.startswith(scale)]
        assert sizes == sorted(sizes, reverse=True)
    assert mean_grain("p 320") == 46.2
    assert mean_grain("C320") == 36


GOOD = shipped().products["clear-two-pack"].model_dump(mode="json")
BAD = {
    "an unknown field": ({"colour": "red"}, "Extra inputs are not permitted"),
    "a milestone twice": ({"milestones": GOOD["milestones"] * 2}, "each milestone may stand once only"),
    "a strange milestone": (
        {"milestones": [{"name": "sparkle", "mode": "solvent", "ref_minutes": 5}]},
        "no such milestone: sparkle",
    ),
    "a window on nothing": ({"windows": [{"opens": "tape_over"}]}, "names “ready to tape over”, which is no milestone"),
    "an upside-down film": ({"wet_film_min_um": 200}, "least wet film must not be over the most"),
    "an upside-down gate": (
        {"limits": {**GOOD["limits"], "air_min_c": 40}},
        "least air temperature, 40, must be under",
    ),
    "no solids": ({"volume_solids_pct": 0}, "greater than 0"),
    "not a number": ({"ref_wet_film_um": float("nan")}, "finite number"),
    "a colour that is none": ({"swatch": "red;}"}, "should match pattern"),
}


@pytest.mark.parametrize("name", BAD)
def test_a_product_sheet_that_cannot_be_is_refused_with_the_reason(name):
    changes, says = BAD[name]
    with pytest.raises(ValueError, match=says):
        Product.model_validate({**GOOD, **changes})


def test_a_catalogue_that_names_what_is_not_there_says_all_that_is_missing():
    whole = shipped()
    some = {k: p for k, p in whole.products.items() if k not in ("clear-two-pack", "lacquer-clear")}
    with pytest.raises(Inconsistent, match=r"clear-two-pack.*: nowhere to be found") as refusal:
        check(Catalogue(some, whole.systems, whole.substrates, {}, whole.rates))
    assert "lacquer-clear" in str(refusal.value)
    assert "isocyanate" in str(refusal.value)


def test_a_revision_is_named_by_its_content():
    product = shipped().products["clear-two-pack"]
    again = Product.model_validate(product.model_dump(mode="json"))
    thinner = product.model_copy(update={"volume_solids_pct": 40})
    assert again.content_hash == product.content_hash != thinner.content_hash


def test_a_product_is_followed_by_its_own_rule_before_its_familys_and_before_any():
    base = shipped().products["clear-two-pack"]
    windows = [
        {"follows": w, "opens": o} for w, o in (("any", "flash"), ("urethane_2k", "dust_free"), ("itself", "tack_free"))
    ]
    clear = Product.model_validate({**base.model_dump(), "windows": windows})
    assert clear.rule_for(clear).opens == "tack_free"
    assert clear.rule_for(shipped().products["high-build-surfacer"]).opens == "dust_free"
    assert clear.rule_for(shipped().products["lacquer-clear"]).opens == "flash"

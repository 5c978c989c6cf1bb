"""Figures as people write them: read by the shop's number style, asked back when they can be read in two ways."""

from decimal import Decimal

import pytest
from hypothesis import given
from hypothesis import strategies as st

from cool_sheen.core.errors import NotReadable
from cool_sheen.core.mixing.ratios import read_share
from cool_sheen.core.units import (
    amount,
    bound,
    coverage,
    difference,
    pack_size,
    plain_figure,
    read_quantity,
    said,
    shown,
)
from cool_sheen.web.forms import Typed

READ = {
    ("12 345 678", "metric"): 12345678,
    ("1400", "metric"): 1400, ("1,400", "us"): 1400, ("1,4", "metric"): 1.4, ("1.4", "us"): 1.4, ("1,4", "us"): 1.4,
    ("0,400", "metric"): 0.4, ("1.400", "metric"): 1.4, ("1 400", "metric"): 1400, ("1 400,5", "metric"): 1400.5,
    ("1.400,5", "metric"): 1400.5, ("1,400.5", "metric"): 1400.5, ("1,400.5", "us"): 1400.5, ("-2,5", "metric"): -2.5,
    ("1,234,567", "metric"): 1234567, ("1.234.567", "us"): 1234567, (",5", "metric"): 0.5, ("12,3456", "metric"): 12.3456,
    ("1400,5", "us"): 1400.5,
}  # fmt: skip


@pytest.mark.parametrize(("text", "system"), READ)
def test_a_figure_is_read_as_people_write_it(text, system):
    assert float(plain_figure(text, system)) == READ[text, system]
    assert read_quantity(f"{text} ml", "volume", system) == pytest.approx(READ[text, system])


@pytest.mark.parametrize("text", ["1,400", "12,500", "-1,400", "999,999"])
def test_a_figure_that_can_be_read_in_two_ways_is_asked_back_and_never_taken_for_the_smaller(text):
    with pytest.raises(NotReadable, match=r"two ways: enter \d+, or"):
        read_quantity(text + " ml", "volume", "metric")


@pytest.mark.parametrize("text", ["1,40,0", "1.2.3", "1,400,5", "1.400.5,2", "12,34.567,8", "1 2", "1 40", "1234 567"])
def test_what_is_no_figure_is_refused_with_an_example(text):
    with pytest.raises(NotReadable, match="number"):
        plain_figure(text)


@given(st.decimals(0, 99_999, places=2), st.sampled_from(["us", "metric"]))
def test_a_figure_written_with_groups_and_two_decimals_is_read_back(value, system):
    assert float(plain_figure(f"{value:,}", system)) == pytest.approx(float(value))
    swapped = f"{value:,}".replace(",", "_").replace(".", ",").replace("_", ".")
    assert float(plain_figure(swapped, system)) == pytest.approx(float(value))


def test_small_volumes_have_figures_enough_to_pour_by_and_differences_are_no_temperatures():
    assert [amount(ml, "volume", "us") for ml in (3, 295.7, 296)] == ["0.10 fl oz", "10.00 fl oz", "10.0 fl oz"]
    assert (difference(3), difference(3, "us")) == ("3.0 K", "5.4 °F")
    assert (bound(60, "temperature", "us"), bound(10_000, "area", "us"), bound(2000, "film", "metric")) == (
        "140 °F", "107,639 ft²", "2,000 µm")  # fmt: skip


SAID = {
    "air under 10 °C": "air under 50 °F",
    "dew margin under 3 K": "dew margin under 5.4 °F",
    "from 5 to 30 °C": "from 41 to 86 °F",
    "27 µm dry, 200 ml in the cup": "1.1 mil dry, 6.8 fl oz in the cup",
    "sand P320, 2 coats, 68 °F": "sand P320, 2 coats, 68 °F",
    "two-pack 2K clear": "two-pack 2K clear",
}


@pytest.mark.parametrize("text", SAID)
def test_sentences_are_said_in_the_shops_units(text):
    assert said(text, "us") == SAID[text]
    assert said(text, "metric") == text


@pytest.mark.parametrize("dimension", ["temperature", "area", "film", "length", "volume", "weight"])
def test_a_refusal_names_only_units_that_are_read(dimension):
    with pytest.raises(NotReadable) as refused:
        read_quantity("5 furlongs", dimension)
    for unit in str(refused.value).partition("use ")[2].rstrip(".").replace(" or ", ", ").split(", "):
        read_quantity(f"5 {unit}", dimension)


def test_how_far_paint_goes_is_said_by_the_gallon_where_gallons_are_bought():
    assert (coverage(11), coverage(11, "us")) == ("11.0 m² a litre", "448 ft² a gallon")


@pytest.mark.parametrize(("typed", "value", "note"), [
    ("1,400", None, "two ways: enter 1400, or 1.4"), ("1 400", 1400, ""), ("12,5", 12.5, ""), ("many", None, "Enter a number"),
    ("1.2.3", None, "Enter a number"), ("", None, ""),
])  # fmt: skip
def test_a_field_of_figures_says_what_it_was_typed_in_two_ways(typed, value, note):
    form = Typed({"n": typed, "m": typed})
    assert form.number("n", 0, 5000) == value
    assert note in form.notes.get("n", "")
    assert form.money("m") == (None if value is None else Decimal(str(value)))
    assert ("m" in form.notes) == bool(note)


@pytest.mark.parametrize(
    ("ml", "metric", "us"),
    [(999, "999 ml", "1.06 qt"), (1000, "1 l", "1.06 qt"), (2500, "2.5 l", "0.66 gal"), (473.1, "473.1 ml", "16 fl oz"),
     (473.2, "473.2 ml", "0.5 qt"), (1892.6, "1.89 l", "2 qt"), (1892.8, "1.89 l", "0.5 gal"), (3785.4, "3.79 l", "1 gal")],
)  # fmt: skip
def test_packs_are_named_as_shops_name_them(ml, metric, us):
    assert (pack_size(ml), pack_size(ml, "us")) == (metric, us)


@pytest.mark.parametrize(
    ("text", "dimension", "units", "inside"),
    [("9.5", "density", "us", 1.1384), ("1.1384 g/ml", "density", "us", 1.1384), ("448", "coverage", "us", 10.995),
     ("11", "coverage", "metric", 11), ("5.4", "difference", "us", 3), ("3 K", "difference", "us", 3), ("5.4 F", "difference", "metric", 3)],
)  # fmt: skip
def test_densities_coverages_and_differences_are_read_in_both_systems(text, dimension, units, inside):
    assert read_quantity(text, dimension, units) == pytest.approx(inside, rel=1e-3)
    assert shown(inside, dimension, "metric")[0] == pytest.approx(inside)


@pytest.mark.parametrize(
    ("text", "of", "pct"),
    [("33", "paint", 33), ("33 %", "paint", 33), ("3 : 1", "paint", 100 / 3), ("3:1", "ready", 25), ("4:1:1", "mixed", 20),
     ("1 : 2", "paint", 200), ("2 to 1", "mixed", 50), ("0", "paint", 0)],
)  # fmt: skip
def test_a_share_is_read_as_a_percentage_or_in_parts_the_reducer_last(text, of, pct):
    assert read_share(text, of) == pytest.approx(pct)


@pytest.mark.parametrize("text", ["", "half", "3 :", ": 1", "0 : 1", "-3", "3 : -1", "1e9"])
def test_what_is_no_share_is_refused(text):
    with pytest.raises(NotReadable, match="share"):
        read_share(text, "paint")

"""Figures as people write them: read by the shop's number style, asked back when they can be read in two ways."""

from decimal import Decimal

import pytest
from hypothesis import given
from hypothesis import strategies as st

from cool_sheen.core.errors import NotReadable
from cool_sheen.core.units import amount, bound, coverage, difference, plain_figure, read_quantity, said
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

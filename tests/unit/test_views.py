"""The pictures' view models, and the colours: what is drawn can be read."""

import inspect
import re
from datetime import timedelta
from importlib import import_module
from importlib.resources import files
from itertools import pairwise
from pkgutil import walk_packages
from types import SimpleNamespace
from uuid import UUID, uuid4
from zoneinfo import ZoneInfo

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from tests.support import T0, steady
from tests.unit.paper import ALWAYS, UTC_DAY, PaperPart, at, climate

import cool_sheen.core
from cool_sheen.core.climate.gates import Shut
from cool_sheen.core.climate.series import Series, seconds
from cool_sheen.core.drying.clock import Clock, Film
from cool_sheen.core.drying.phases import likely, phases, with_closing
from cool_sheen.core.film.build import Build
from cool_sheen.core.log.entries import CoatPayload
from cool_sheen.core.log.history import LaidCoat
from cool_sheen.core.part.film_clock import CoatClock
from cool_sheen.core.part.placed import Wait
from cool_sheen.core.plan.last_start import last_of, last_starts
from cool_sheen.formats.catalogue import shipped
from cool_sheen.web.views import band, lane, ribbon, section

ZONE = ZoneInfo("Europe/Berlin")


def clocks(product_key: str, hours_ago: list[float]) -> list[CoatClock]:
    """Coats of one product, so many hours before T0."""
    product = shipped().products[product_key]
    out = []
    for place, ago in enumerate(sorted(hours_ago, reverse=True)):
        at = T0 - timedelta(hours=ago)
        clock = Clock.over(steady(20, 50, at), product.drying, at)
        film = Film(at, product.ref_wet_film_um)
        bands = clock.bands(film)
        rule = product.rule_for(None)
        payload = CoatPayload(layer_id="colour", coating="x", volume_solids_pct=40, wet_film_um=60)
        coat = LaidCoat(uuid=uuid4(), ended_at=at, payload=payload)
        spans = with_closing(phases(at, rule, likely(bands)))
        out.append(CoatClock(coat, product, film, bands, rule, spans, tested=bool(place % 2), drying=product.drying))
    return out


@given(
    st.sampled_from(["epoxy-primer-grey", "enamel-one-pack", "lacquer-clear", "clear-two-pack"]),
    st.lists(st.floats(0.01, 60), max_size=5, unique=True),
    st.floats(0.5, 96),
    st.booleans(),
)
@settings(max_examples=60, deadline=None)
def test_a_ribbon_has_no_gaps_and_no_label_on_the_now_line(product, hours_ago, ahead, finishing):
    frame = ribbon.frame_around(T0, timedelta(hours=2), timedelta(hours=ahead))
    shut = [Shut(seconds(T0) + 1800, seconds(T0) + 7200, "dew")]
    story = ribbon.Story(clocks(product, hours_ago), finishing=finishing, cured_at=T0 + timedelta(hours=5), shut=shut)
    found = ribbon.draw(story, frame, ZONE)
    for one, after in pairwise(found.blocks):
        assert one.x + one.width == pytest.approx(after.x, abs=0.25)
    for label in found.labels:
        assert label.x >= 0
        assert label.x + label.width <= found.width + 0.2
        assert not label.x - 0.5 < found.now_x < label.x + label.width + 0.5
        assert any(
            b.phase == label.phase and b.x <= label.x and label.x + label.width <= b.x + b.width + 0.2
            for b in found.blocks
        )
    assert all(0 <= t.x <= found.width for t in [*found.ticks, *found.hours])
    assert found.says


@given(
    st.lists(st.tuples(st.sampled_from(["epoxy", "build", "colour"]), st.floats(1, 120), st.floats(0, 60)), max_size=9)
)
def test_a_section_is_to_scale_and_stays_in_its_picture(work):
    build = Build()
    for layer, dry, removal in work:
        build.coat(layer, dry)
        build.sand(removal)
    system = shipped().systems["two-stage-epoxy"]
    found = section.draw({"whole": build}, system, shipped().products, section.Canvas(360, 300, left=44, marks=True))
    slabs = found.columns[0].slabs
    heights = sum(s.height for s in slabs)
    scale = (found.base_y - 8) / max(
        found.planned_um, build.total_um + sum(la.sanded_um for la in build.layers[-1:]), 1
    )
    assert heights == pytest.approx(build.total_um * scale, abs=0.1 * len(slabs) + 0.1)
    assert all(s.y >= -0.2 for s in slabs)
    assert len(slabs) == len(build.layers)


def test_a_band_shows_the_last_safe_start_only_while_the_gate_is_open():
    at = seconds(T0) + 3600.0 * np.arange(48)
    series = Series(at, np.full(48, 20.0), np.full(48, 50.0))
    frame = ribbon.frame_around(T0, timedelta(hours=1), timedelta(hours=13), 430)
    later = [Shut(seconds(T0) + 5 * 3600, seconds(T0) + 9 * 3600, "dew")]
    assert band.last_safe_start(later, T0) == T0 + timedelta(hours=5)
    assert band.last_safe_start(later, T0 + timedelta(hours=6)) is None
    found = band.draw(series, frame, ZONE, height=64, shut=later, product_name="clear")
    assert found.last.text == "last safe start 15:00, clear"
    assert len(found.gates) == 1


STYLE = (files("cool_sheen.web") / "static" / "app.css").read_text()
TEXT = [
    ("ink", "ground"), ("ink", "panel"), ("soft", "ground"), ("soft", "panel"), ("link", "panel"), ("link", "ground"), ("bad", "panel"),
    ("ripe-ink", "ripe"), ("closing-ink", "closing"), ("key-ink", "key"), ("key-ink", "keyed"), ("cured-ink", "cured"),
    ("caution-ink", "caution"), ("ink", "bad-ground"), ("ink", "plate"), ("ink", "field"), ("ink", "rail"),
]  # fmt: skip
SHAPES = [
    ("outline", "panel"),
    ("edge", "panel"),
    ("edge", "ground"),
    ("air", "panel"),
    ("surface", "panel"),
    ("dew", "panel"),
    ("gate", "panel"),
    ("air", "gap"),
    ("dew", "gap"),
    ("locked", "panel"),
]


def _palette(selector: str) -> dict[str, str]:
    body = re.search(rf"{re.escape(selector)} {{(.*?)\n}}", STYLE, re.S)[1]
    return dict(re.findall(r"--([\w-]+): (#[0-9a-f]{6})", body))


def _contrast(one: str, other: str) -> float:
    def light(colour: str) -> float:
        parts = [int(colour[n : n + 2], 16) / 255 for n in (1, 3, 5)]
        lin = [p / 12.92 if p <= 0.04045 else ((p + 0.055) / 1.055) ** 2.4 for p in parts]
        return 0.2126 * lin[0] + 0.7152 * lin[1] + 0.0722 * lin[2]

    high, low = sorted((light(one), light(other)), reverse=True)
    return (high + 0.05) / (low + 0.05)


@pytest.mark.parametrize("booth", [False, True])
def test_text_has_a_contrast_of_four_and_a_half_and_shapes_of_three(booth):
    colours = _palette(":root") | (_palette('html[data-mode="booth"]') if booth else {})
    on_phase = "#10171b" if booth else "#ffffff"
    faint = [pair for pair in TEXT if _contrast(colours[pair[0]], colours[pair[1]]) < 4.5]
    faint += [name for name in ("wet", "locked") if _contrast(on_phase, colours[name]) < 4.5]
    dim = [pair for pair in SHAPES if _contrast(colours[pair[0]], colours[pair[1]]) < 3]
    assert not faint
    assert not dim


def _public_functions():
    for module in walk_packages(cool_sheen.core.__path__, "cool_sheen.core."):
        loaded = import_module(module.name)
        for name, function in inspect.getmembers(loaded, inspect.isfunction):
            if not name.startswith("_") and function.__module__ == module.name:
                yield pytest.param(function, id=f"{module.name.removeprefix('cool_sheen.core.')}.{name}")


@pytest.mark.parametrize("function", list(_public_functions()))
def test_a_docstring_that_lists_arguments_lists_those_that_there_are(function):
    doc = inspect.getdoc(function)
    assert doc
    if "Args:" not in doc:
        return
    listed = re.findall(r"^    (\w+):", doc.split("Args:")[1].split("Returns:")[0].split("Raises:")[0], re.M)
    assert listed == list(inspect.signature(function).parameters)


def counted(part, hours, count=None):
    """What the lane of a part on paper counts down to, hours after T0."""
    action = part.action(hours)
    found = SimpleNamespace(
        action=action, now=at(hours), part=SimpleNamespace(uuid=UUID(int=1)), situation=part.look(hours)
    )
    return lane._or_last_start(found, count, ZoneInfo("UTC")), action


@pytest.mark.parametrize(("minutes", "shows"), [(181, False), (180, True), (1, True), (-1, False)])
def test_in_the_last_hours_of_the_day_a_lane_counts_down_to_the_last_start_and_says_when_it_goes_on(minutes, shows):
    part = PaperPart("single-stage-epoxy", climate(20, 50, days=30), day=UTC_DAY).prepared()
    last = last_starts(part.look(1)).one  # as Weather has it
    count, _ = counted(part, (last - T0) / timedelta(hours=1) - minutes / 60)
    assert (count is not None) is shows
    if count:
        assert (count.text, count.alarm, count.after) == ("last start today in", "", "After it: Tue 08:00.")
        assert count.to_ms == pytest.approx(last.timestamp() * 1000, abs=1)


def test_before_the_weather_closes_a_lane_counts_down_to_the_last_safe_start_and_says_what_is_lost():
    part = PaperPart("single-stage-epoxy", climate(20, 50, night_c=4), day=ALWAYS).prepared()
    last = last_of(part.look(1), part.action(1).planned)
    assert (last.at, last.wait) == (last_starts(part.look(1)).one, Wait.GATE)
    hours = (last.at - T0) / timedelta(hours=1) - 1
    count, action = counted(part, hours)
    assert (count.text, count.alarm) == ("last safe start in", "closing")
    assert count.after == f"After it: {last.because}, until {last.again:%a %H:%M}."
    assert action.planned.start == at(hours)
    sooner = lane.Count(count.to_ms - 1, "closes in", "", "closing", "k")  # its window
    assert counted(part, hours, sooner)[0] is sooner

"""The trainer and the field in a browser: one set of equations, by mouse and by keyboard alone."""

import json
import math

import numpy as np
from playwright.sync_api import expect

from cool_sheen.core.gun.field import Sample, draw
from cool_sheen.service.gun.bench import Asked, set_up
from cool_sheen.service.gun.training import course


def _course(served, drill):
    with served.shop.workshop.read() as unit:
        return course(set_up(unit, Asked()), drill)


def test_the_page_lays_the_film_that_the_core_lays_by_constants_of_the_core(page, served):
    page.goto(f"{served.address}/gun/trainer?drill=crossed")
    on = _course(served, "crossed")
    assert json.loads(page.locator("#trainer").get_attribute("data-constants")) == on.constants()
    drawn, at = [], 0
    for n in range(240):  # a hand that goes to and fro, wavers, turns the cap and pulls late
        at += 9 + n % 14
        x, y = 400 + 520 * math.cos(n / 17), 40 + 2.3 * n + 30 * math.sin(n / 5)
        drawn.append([at, round(x, 1), round(y, 1), n % 40 > 5, n > 120])
    film = np.array(page.evaluate("drawn => coolSheenGun.filmOf(drawn)", drawn))
    samples = [Sample(ms / 1000, x, y, pulled, down) for ms, x, y, pulled, down in drawn]
    core = draw(on.panel, on.spray, samples, on.distance_mm)
    assert core.max() > 20
    assert np.abs(film.reshape(core.shape) - core).max() < 1e-6 * core.max()


def test_a_stroke_is_drawn_by_keyboard_alone_and_told_in_words(page, served):
    page.goto(f"{served.address}/gun/trainer?drill=one-stroke")
    page.locator("#trainer").focus()
    page.keyboard.press("Space")
    page.keyboard.down("ArrowRight")
    expect(page.locator("#left")).not_to_have_text("20 s")
    page.wait_for_timeout(700)
    page.keyboard.up("ArrowRight")
    page.keyboard.press("Space")
    page.keyboard.press("Enter")
    expect(page.locator("#told")).to_contain_text("about its mean")
    expect(page.locator("#told")).to_contain_text("1 stroke")
    page.get_by_role("button", name="Fresh panel").click()
    expect(page.locator('[data-trainer="done"]')).to_be_disabled()


def test_a_stroke_is_drawn_by_mouse_and_the_cap_turns(page, served):
    page.goto(f"{served.address}/gun/trainer?drill=panel")
    box = page.locator("#trainer").bounding_box()
    page.mouse.move(box["x"] + 4, box["y"] + 60)
    page.mouse.down()
    page.mouse.move(box["x"] + box["width"] - 4, box["y"] + 60, steps=20)
    page.mouse.up()
    page.get_by_role("button", name="Turn the cap").click()
    expect(page.locator('[data-trainer="turn"]')).to_have_attribute("aria-pressed", "true")
    page.get_by_role("button", name="That is it").click()
    expect(page.locator("#told")).to_contain_text("Thin:")
    expect(page.locator(".run-bars rect")).to_have_count(1)


def test_the_field_is_painted_and_follows_what_is_typed_and_the_beat_counts(page, served):
    page.goto(f"{served.address}/gun/field?gun=hvlp-gravity&product=clear-two-pack")
    seen = "() => { const c = document.querySelector('#field'); return c.getContext('2d').getImageData(9, 9, 1, 1).data[0]; }"
    before = page.evaluate(seen)
    assert before < 250
    page.get_by_label("Trigger before the edge").fill("-200 mm")
    page.get_by_label("Trigger before the edge").press("Tab")
    expect(page.locator(".findings").first).to_contain_text("thin")
    expect(page.locator("#field")).to_have_attribute("data-painted", "2")
    assert page.evaluate(seen) > before
    page.get_by_label("Speed", exact=False).first.fill("3000")
    page.get_by_label("Speed", exact=False).first.press("Tab")
    expect(page.locator("#f-beat ~ .beat")).to_have_attribute("data-beat", "883")
    page.get_by_role("button", name="Beat it").click()
    expect(page.locator("[data-strokes]")).to_have_count(1)
    page.get_by_role("button", name="Stop").click()

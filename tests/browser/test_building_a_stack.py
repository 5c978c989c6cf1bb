"""Surveying and building in a browser: by keyboard alone, by dragging, on a phone, with a file."""

import json
import re

from playwright.sync_api import expect
from tests.browser.test_bench import violations

from cool_sheen.formats.catalogue import shipped


def part_called(served, name: str) -> str:
    page = served.shop.http.get("/jobs").text
    return re.search(rf'href="(/parts/[0-9a-f-]+)"[^>]*>{name}', page)[1]


def layers(page) -> list[str]:
    return page.locator(".layer-card").evaluate_all("cards => cards.map(card => card.dataset.layer)")


def tab_to(page, selector: str, most: int = 120) -> None:
    """Press Tab until the focus is on it: what cannot be reached this way is not there for a keyboard."""
    for _ in range(most):
        if page.evaluate("s => document.activeElement.matches(s)", selector):
            return
        page.keyboard.press("Tab")
    raise AssertionError(f"no way to {selector} by the Tab key")


def test_a_stack_is_built_by_keyboard_alone_and_every_change_shows_what_follows(page, served):
    page.goto(part_called(served, "Column radiator") + "/system")
    before = layers(page)
    litres = page.locator(".figures dd.figure").nth(2).inner_text()
    tab_to(page, "#b-add")
    page.keyboard.type("Two-pack single")
    page.keyboard.press("Tab")
    page.keyboard.press("Enter")
    expect(page.locator(".layer-card")).to_have_count(len(before) + 1)
    expect(page.locator(".finding.is-no")).to_contain_text("strong solvents")
    assert page.locator(".figures dd.figure").nth(2).inner_text() != litres
    tab_to(page, ".finding.is-no .btn-way")
    page.keyboard.press("Tab")
    assert "isolate" in page.evaluate("document.activeElement.textContent")
    page.keyboard.press("Enter")
    expect(page.locator(".finding.is-no")).to_have_count(0)
    assert layers(page)[1].startswith("sealer")
    tab_to(page, "#layer-sealer-1 .layer-name")
    page.keyboard.press("Enter")
    expect(page.locator("#l-name")).to_be_visible()
    tab_to(page, "#l-reserve")
    page.keyboard.press("Control+a")
    page.keyboard.type("20")
    page.keyboard.press("Tab")
    expect(page.locator(".answer").first).to_contain_text("20 µm reserve")
    tab_to(page, "#layer-sealer-1 .layer-name", 400)
    page.keyboard.press("Alt+ArrowDown")
    expect(page.locator(".layer-card").nth(2)).to_have_attribute("data-layer", "sealer-1")
    page.keyboard.press("Alt+ArrowUp")
    expect(page.locator(".layer-card").nth(1)).to_have_attribute("data-layer", "sealer-1")


def test_layers_are_dragged_and_a_change_is_taken_back(page, served):
    page.set_viewport_size({"width": 1280, "height": 1000})
    page.goto("/systems/two-stage-epoxy")
    page.locator("#layer-clear .grip").drag_to(page.locator("#layer-epoxy"))
    expect(page.locator(".layer-card").last).to_have_attribute("data-layer", "clear")
    expect(page.locator(".figures")).to_be_visible()
    page.get_by_role("button", name="Take the last change back").click()
    expect(page.locator(".layer-card").first).to_have_attribute("data-layer", "clear")


def test_a_step_that_spoils_the_order_asks_for_its_reason_where_one_types(page, served):
    page.goto("/systems/two-stage-epoxy")
    page.locator("#around-prepare > summary").click()
    page.locator("#around-prepare").get_by_role("button", name="Tack off: earlier").click()
    reason = page.get_by_label("It is done all the same, because")
    expect(reason).to_be_focused()
    reason.fill("the tape was on before")
    page.get_by_role("button", name="Do it all the same").click()
    expect(page.locator(".findings")).to_contain_text("the tape was on before")
    form = page.locator("#around-prepare .task-add")
    form.get_by_label("Add", exact=True).select_option("wait")
    form.get_by_label("How long").fill("soon")
    form.get_by_label("Why, or what is done").fill("dust settles")
    form.get_by_role("button", name="Add").click()
    expect(form.get_by_label("How long")).to_be_focused()
    expect(form.get_by_label("How long")).to_have_value("soon")


def test_a_film_that_is_none_is_refused_at_its_field_and_the_page_stays(page, served):
    page.goto("/systems/two-stage-epoxy?layer=clear")
    film = page.locator("[name=coat_0_film]")
    film.fill("a lot")
    film.press("Tab")
    expect(page.locator(".notice.is-bad")).to_contain_text("is no film")
    expect(page.locator("[name=coat_0_film]")).to_have_value("a lot")
    page.locator("[name=coat_0_film]").fill("3 mil")
    page.locator("[name=coat_0_film]").press("Tab")
    expect(page.locator(".notice.is-bad")).to_have_count(0)
    expect(page.locator("#layer-clear .layer-words")).to_contain_text("76 µm")


def test_a_side_is_looked_at_and_taken_by_mouse(page, served):
    page.goto("/systems/two-stage-epoxy")
    page.get_by_role("link", name="Primer: coats, one heavy coat").click()
    expect(page.locator(".side")).to_have_count(3)
    expect(page.locator(".side").nth(1)).to_contain_text("Riskier in: film over the reserve")
    assert not violations(page)
    page.locator(".side").nth(1).get_by_role("button", name="Take this side").click()
    expect(page.locator("#layer-build .layer-words")).to_contain_text("192 µm")
    expect(page.locator(".findings")).to_contain_text("sanded under its reserve")


def test_a_zone_is_split_off_and_a_test_timed_and_logged(page, served):
    page.goto(part_called(served, "Gear cover") + "/survey")
    page.get_by_role("link", name="Split whole").click()
    page.locator("#f-name").fill("Rim")
    page.locator("#f-kind").select_option("edge")
    page.locator("#f-shape").select_option("tube")
    expect(page.locator("#f-width")).to_be_hidden()
    page.locator("#f-diameter").fill("2")
    page.locator("#f-length").fill("20 in")
    expect(page.locator("#shape-area")).to_have_text("= 0.03 m²")
    page.get_by_role("button", name="Split it off").click()
    expect(page.locator("table.zones")).to_contain_text("Rim")
    page.locator("#test-water_break summary").click()
    page.locator("#test-water_break [data-timer]").click()
    expect(page.locator("#test-water_break .timer")).to_have_text(re.compile(r"0:00:(30|2\d)"))
    page.reload()
    page.clock.run_for(31_000)
    expect(page.locator("#alarms")).to_contain_text("Water break: the time is up")
    page.locator("#test-water_break summary").click()
    page.get_by_label("it beads or breaks").check()
    page.locator("#test-water_break").get_by_role("button", name="Log the result").click()
    expect(page.locator(".notice.is-bad")).to_contain_text("Degrease twice")


def test_on_a_phone_and_in_gloves_a_layer_is_moved_and_changed(page, served):
    page.set_viewport_size({"width": 360, "height": 760})
    page.goto("/systems/one-pack-enamel")
    page.get_by_role("button", name="Move Enamel down").click()
    expect(page.locator(".layer-card").last).to_have_attribute("data-layer", "enamel")
    page.locator("#layer-enamel .layer-name").click()
    page.get_by_role("button", name="mist coat").click()
    expect(page.locator("#layer-enamel .layer-words")).to_contain_text("mist coat")
    page.set_viewport_size({"width": 1280, "height": 800})
    page.context.add_cookies([{"name": "booth", "value": "1", "url": served.address}])
    page.reload()
    for button in page.locator(".layer-acts .btn, .btn-way, .add-layer .btn").all():
        box = button.bounding_box()
        assert box is None or min(box["width"], box["height"]) >= 119.5, button.inner_text()
    assert page.evaluate("document.documentElement.scrollWidth") <= 1280


def test_a_document_is_brought_in_by_mouse(page, served, tmp_path):
    product = shipped().products["lacquer-clear"].model_dump(mode="json") | {
        "key": "own-lacquer",
        "name": "Own lacquer",
    }
    file = tmp_path / "mine.json"
    file.write_text(json.dumps({"format": "cool-sheen-shelf", "version": 1, "products": [product]}))
    page.goto("/shelf")
    page.get_by_role("link", name="Import").click()
    page.get_by_label("JSON document").set_input_files(file)
    page.get_by_role("button", name="Look at it").click()
    expect(page.locator(".coming")).to_contain_text("Own lacquer")
    page.get_by_role("button", name="Take 1").click()
    page.locator("#f-find").fill("own lacquer")
    page.keyboard.press("Enter")
    expect(page.locator("table.shelf tbody tr")).to_have_count(1)

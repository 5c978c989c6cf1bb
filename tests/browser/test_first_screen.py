"""In the booth and on the phone: the next action stands on the first screen, and whatever is pressed is large enough."""

import re

import pytest
from playwright.sync_api import expect
from tests.browser.test_alarms import run_to

SCREENS = [(390, 844), (1024, 768), (768, 1024), (1280, 800)]


def to_booth(page, served):
    page.context.add_cookies([{"name": "booth", "value": "1", "url": served.address}])


@pytest.mark.parametrize("booth", [False, True], ids=["day", "booth"])
@pytest.mark.parametrize(("width", "height"), SCREENS)
def test_the_next_action_and_its_whole_countdown_are_on_the_first_screen(page, served, width, height, booth):
    if booth:
        to_booth(page, served)
    page.set_viewport_size({"width": width, "height": height})
    page.goto("/")
    first = page.locator(".lane").first
    expect(first.locator(".acts .btn").first).to_be_visible()
    pot = page.locator(".pot-strip .cd").first.bounding_box()
    lane = first.bounding_box()
    assert pot["y"] + pot["height"] <= lane["y"]
    for place in (
        first.locator(".act"),
        first.locator(".cd"),
        first.locator(".acts .btn").first,
        page.locator(".pot-strip .cd b"),
    ):
        box = place.bounding_box()
        assert box["y"] + box["height"] <= height
        assert box["x"] >= 0
        assert box["x"] + box["width"] <= width
    bar = page.locator(".bar")
    tops = {round(e.bounding_box()["y"]) for e in page.locator(".places a:visible").all()}
    assert len(tops) == 1  # one row
    assert bar.bounding_box()["height"] <= (130 if booth else 60)
    assert page.evaluate("document.documentElement.scrollWidth") <= width


@pytest.mark.parametrize("booth", [False, True], ids=["day", "booth"])
def test_no_figure_of_a_countdown_is_cut(page, served, booth):
    if booth:
        to_booth(page, served)
    page.set_viewport_size({"width": 390, "height": 844})
    page.goto("/")
    expect(page.locator(".lane .cd b").first).to_have_text(re.compile(r"\d"))
    for figure in page.locator(".lane .cd b, .pot-strip .cd b").all():
        inside = figure.evaluate("""e => {
            const own = e.getBoundingClientRect(), row = e.closest('.cd').getBoundingClientRect();
            return own.left >= row.left - 1 && own.right <= row.right + 1 && own.bottom <= row.bottom + 1;
        }""")
        assert inside, figure.inner_text()


@pytest.mark.parametrize("address", ["/", "/jobs", "/mix", "/weather", "/stores", "/systems", "/shelf", "/shop"])
def test_whatever_is_pressed_on_a_phone_is_as_large_as_a_finger(page, served, address):
    page.set_viewport_size({"width": 390, "height": 844})
    page.goto(address)
    small = page.evaluate("""() => [...document.querySelectorAll('main a, main button, main summary, .bar a, .bar button')]
        .filter((e) => e.offsetParent && !e.closest('details:not([open]) > :not(summary)'))
        .map((e) => [e.textContent.trim().slice(0, 30), Math.max(...[...e.getClientRects()].map((r) => r.height))])
        .filter(([, height]) => height < 43.5)""")
    assert small == []


@pytest.mark.parametrize(("width", "height"), SCREENS)
def test_a_dialog_shows_its_button(page, served, width, height):
    to_booth(page, served)
    page.set_viewport_size({"width": width, "height": height})
    page.goto("/")
    for verb in ("coat", "sand", "touch"):
        part = page.locator(".lane", has_text="Carousel panel").get_attribute("data-part")
        page.evaluate(f"htmx.ajax('GET', '/parts/{part}/{verb}', {{target: '#dialog-body'}})")
        button = page.locator("#dialog form .btn-ripe")
        expect(button).to_be_visible()
        box = button.bounding_box()
        assert 0 <= box["y"] <= height - box["height"] + 1, verb
        page.keyboard.press("Escape")
        expect(page.locator("#dialog")).to_be_hidden()


def test_an_alarm_in_the_booth_leaves_the_button_free(page, served):
    to_booth(page, served)
    page.goto("/")
    run_to(page, served, 6 * 3600)
    page.reload()
    cards = page.locator("#alarms .alarm")
    expect(cards.first).to_be_visible()
    low = max(c.bounding_box()["y"] + c.bounding_box()["height"] for c in cards.all())
    assert page.locator(".lane .acts .btn").first.bounding_box()["y"] >= low

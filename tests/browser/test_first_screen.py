"""In the booth and on the phone: the next action stands on the first screen, and whatever is pressed is large enough."""

import re

import pytest
from playwright.sync_api import expect
from tests.browser.test_alarms import run_to

SCREENS = [(390, 844), (1024, 768), (768, 1024), (1280, 800)]


def to_booth(page, served):
    page.context.add_cookies([{"name": "booth", "value": "1", "url": served.address}])


@pytest.mark.parametrize("booth", [False, True], ids=["day", "booth"])
def test_the_next_action_and_its_whole_countdown_are_on_the_first_screen(page, served, booth):
    if booth:
        to_booth(page, served)
    page.goto("/")
    for width, height in SCREENS:
        page.set_viewport_size({"width": width, "height": height})
        first, pot = page.locator(".lane").first, page.locator(".pot-strip .cd").first
        expect(first.locator(".acts .btn").first).to_be_visible()
        assert pot.bounding_box()["y"] + pot.bounding_box()["height"] <= first.bounding_box()["y"]
        button = first.locator(".acts .btn").first
        for place in (first.locator(".act"), first.locator(".cd"), button, page.locator(".pot-strip .cd b")):
            box = place.bounding_box()
            assert box["y"] + box["height"] <= height
            assert 0 <= box["x"] <= width - box["width"]
        assert len({round(e.bounding_box()["y"]) for e in page.locator(".places a:visible").all()}) == 1  # one row
        assert page.locator(".bar").bounding_box()["height"] <= (130 if booth else 60)
        assert page.evaluate("document.documentElement.scrollWidth") <= width
    page.set_viewport_size({"width": 390, "height": 844})
    for figure in page.locator(".lane .cd b, .pot-strip .cd b").all():  # none of them is cut
        inside = figure.evaluate("""e => {
            const own = e.getBoundingClientRect(), row = e.closest('.cd').getBoundingClientRect();
            return own.left >= row.left - 1 && own.right <= row.right + 1 && own.bottom <= row.bottom + 1;
        }""")
        assert inside, figure.inner_text()


def test_whatever_is_pressed_on_a_phone_is_as_large_as_a_finger(page, served):
    page.set_viewport_size({"width": 390, "height": 844})
    for address in ("/", "/jobs", "/mix", "/weather", "/stores", "/systems", "/shelf", "/shop"):
        page.goto(address)
        small = page.evaluate("""() => [...document.querySelectorAll('main :is(a, button, summary), .bar :is(a, button)')]
            .filter((e) => e.offsetParent && !e.closest('details:not([open]) > :not(summary)'))
            .map((e) => [e.textContent.trim().slice(0, 30), Math.max(...[...e.getClientRects()].map((r) => r.height))])
            .filter(([, height]) => height < 43.5)""")
        assert small == [], address


def test_a_dialog_shows_its_button_and_an_alarm_leaves_the_buttons_free(page, served):
    to_booth(page, served)
    page.goto("/")
    expect(page.locator("html")).to_have_attribute("data-awake", re.compile("[01]"))
    part = page.locator(".lane", has_text="Carousel panel").get_attribute("data-part")
    for width, height in SCREENS:
        page.set_viewport_size({"width": width, "height": height})
        for verb in ("coat", "touch"):
            page.evaluate(f"htmx.ajax('GET', '/parts/{part}/{verb}', {{target: '#dialog-body'}})")
            button = page.locator("#dialog form .btn-ripe")
            expect(button).to_be_visible()
            box = button.bounding_box()
            assert 0 <= box["y"] <= height - box["height"] + 1, verb
            page.keyboard.press("Escape")
            expect(page.locator("#dialog")).to_be_hidden()
    run_to(page, served, 6 * 3600)
    page.reload()
    cards = page.locator("#alarms .alarm")
    expect(cards.first).to_be_visible()
    low = max(c.bounding_box()["y"] + c.bounding_box()["height"] for c in cards.all())
    assert page.locator(".lane .acts .btn").first.bounding_box()["y"] >= low

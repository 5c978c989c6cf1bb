"""The plan in a browser: by keyboard alone, by dragging a bar, on a phone, in the booth."""

import re

import pytest
from playwright.sync_api import expect
from tests.app.test_the_plan import another_part
from tests.browser.test_bench import violations
from tests.browser.test_building_a_stack import tab_to

from cool_sheen.service import tightening


def begins(page) -> str:
    return page.locator("#why b.figure").first.inner_text()


@pytest.fixture
def planned(page, served):
    served.shop.http.post("/plan", data={"painters": "1", "guns": "1"})
    page.goto("/plan")
    return page


def test_a_plan_is_pressed_read_and_moved_by_keyboard_alone(page, served):
    page.goto("/plan")
    tab_to(page, ".plan-ask form .btn-ripe", 300)
    page.keyboard.press("Enter")
    expect(page.locator(".calendar")).to_be_visible()
    assert violations(page) == []
    tab_to(page, '.cal-bar[aria-label*="Mask"]', 300)
    page.keyboard.press("Enter")
    expect(page.locator("#why h2")).to_contain_text("Mask")
    expect(page.locator("#why")).to_contain_text("follows at once")
    before = begins(page)
    page.keyboard.press("Alt+ArrowRight")
    expect(page.locator("#why .moved")).to_be_visible()
    page.keyboard.press("Alt+ArrowRight")
    expect(page.locator("#why .moved")).to_contain_text("It begins")
    assert violations(page) == []
    tab_to(page, ".moved .btn-ripe", 400)
    page.keyboard.press("Enter")
    expect(page.locator(".cal-bar.is-pinned").first).to_be_attached()
    page.locator('.cal-bar.is-pinned[aria-label*="Mask"]').first.focus()
    page.keyboard.press("Enter")
    expect(page.locator("#why")).to_contain_text("put there")
    assert begins(page) > before


def test_a_bar_is_dragged_and_what_moves_is_shown_before_it_is_taken(planned):
    page = planned
    bar = page.locator('.cal-line:not(.is-hands) .cal-bar[aria-label*="Sand P120"]').first
    bar.scroll_into_view_if_needed()
    box = bar.bounding_box()
    page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
    page.mouse.down()
    page.mouse.move(box["x"] + box["width"] / 2 + 130, box["y"] + box["height"] / 2, steps=5)
    page.mouse.up()
    expect(page.locator("#why .moved")).to_contain_text("If it is put there")
    was = re.search(r"(\d\d):(\d\d)", bar.get_attribute("aria-label"))
    typed = page.locator("#f-at").input_value()
    minutes = [int(typed[11:13]) * 60 + int(typed[14:16]), int(was[1]) * 60 + int(was[2])]
    per_px = float(page.locator("[data-calendar]").get_attribute("data-ms")) / 60_000
    scale = 960 / page.locator(".cal-row").first.bounding_box()["width"]
    assert minutes[0] - minutes[1] == pytest.approx(130 * scale * per_px, abs=6)
    expect(page.locator(".cal-bar.is-pinned")).to_have_count(0)


@pytest.mark.parametrize(("width", "booth"), [(390, False), (1024, True)])
def test_the_plan_is_read_on_a_phone_and_in_the_booth(planned, width, booth):
    page = planned
    page.set_viewport_size({"width": width, "height": 844})
    if booth:
        page.context.add_cookies([{"name": "booth", "value": "1", "url": page.url}])
    page.goto("/plan")
    expect(page.locator("#why h2")).to_have_text("Next by the plan")
    assert page.locator("#why").bounding_box()["y"] < page.locator(".calendar").bounding_box()["y"]
    assert page.evaluate("document.documentElement.scrollWidth") <= width
    assert violations(page) == []
    page.goto("/plan/sheet")
    assert violations(page) == []
    page.goto("/")
    expect(page.locator(".plan-strip")).to_be_visible()
    assert violations(page) == []


@pytest.mark.parametrize("served", [{"demo": False}], indirect=True)
def test_what_would_help_is_worked_out_when_it_is_asked_and_taken_with_a_press(page, served):
    for n in range(3):
        another_part(served.shop, f"Panel {n}", "one-pack-enamel", f"Job {n}")
    served.shop.http.post("/plan", data={"painters": "1", "guns": "1"})
    page.goto("/plan")
    page.get_by_text("What would help, when to begin").click()
    warmer = page.get_by_role("button", name="Take it: Room heated to")
    expect(warmer).to_be_visible(timeout=30_000)
    expect(page.locator(".starts tbody tr")).to_have_count(7)
    assert violations(page) == []
    before = page.locator(".plan-figures b").first.inner_text()
    warmer.click()
    expect(page.locator(".plan-figures b").first).not_to_have_text(before)
    expect(page.locator(".plan-moved")).to_have_count(0)


@pytest.mark.parametrize("served", [{"demo": False}], indirect=True)
def test_a_search_for_a_better_plan_is_watched_stopped_and_taken_by_keyboard_alone(page, served, monkeypatch):
    monkeypatch.setattr(tightening, "LEAST_S", 60.0)
    for n in range(3):
        another_part(served.shop, f"Panel {n}", "one-pack-enamel", f"Job {n}")
    another_part(served.shop, "Hood", "cabinet-waterborne", "Job 4", substrate="bare_timber")
    served.shop.http.post("/plan", data={"painters": "1", "guns": "1"})
    page.goto("/plan")
    tab_to(page, '#tighten form[action="/plan/tighten"] button', 300)
    page.keyboard.press("Enter")
    expect(page.locator("#tighten .tight")).to_be_visible(timeout=30_000)  # the page was not loaded again
    expect(page.locator('#tighten [data-waits-words="tries"]')).to_have_text(re.compile(r"[1-9]\d*"), timeout=30_000)
    expect(page.locator("#tighten progress")).to_have_attribute("value", re.compile(r"0\.\d+"))
    assert violations(page) == []
    tab_to(page, "#tighten-stop", 300)
    page.keyboard.press("Enter")
    expect(page.locator("#tighten")).to_contain_text("Stopped, best kept.", timeout=30_000)
    expect(page.locator("#tighten")).to_contain_text("plans tried")
    assert violations(page) == []
    take = page.get_by_role("button", name="Follow the tightened plan")
    expect(take).to_be_visible()
    take.focus()
    page.keyboard.press("Enter")
    expect(page.get_by_role("button", name="Tighten")).to_be_visible()
    expect(page.locator(".plan-moved")).to_have_count(0)

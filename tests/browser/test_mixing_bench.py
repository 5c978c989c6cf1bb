"""At the mixing bench in a browser: poured by keyboard alone, on the scale, in gloves, on a phone."""

import re

import pytest
from playwright.sync_api import expect
from tests.browser.test_bench import choose, violations
from tests.browser.test_building_a_stack import tab_to

ROOMS = ["/mix", "/stores", "/stores/stock", "/stores/sizes", "/stores/cans", "/stores/cost", "/stores/yields"]


def batch_in_the_pot(served) -> str:
    return re.search(r'href="(/mix/[0-9a-f-]{36})"', served.shop.http.get("/mix").text)[1]


def ask_for(page, product: str, amount: str) -> None:
    page.goto(f"/mix/new?product={product}&how=ready&amount={amount}&tare=40&reducer_pct=0")
    page.get_by_role("button", name="Begin to pour").click()


def test_a_batch_is_worked_out_poured_and_ended_by_keyboard_alone(page, served):
    page.goto("/")
    choose(page, "Bench end, north")
    page.keyboard.press("m")
    expect(page.locator("#mix-new")).to_be_visible()
    expect(page.locator(".mix-total .figure")).to_be_visible()
    total = page.locator(".mix-total .figure").inner_text()
    expect(page.locator(".mix-result")).to_contain_text("Epoxy reducer")
    tab_to(page, "#f-reducer_pct")
    page.keyboard.type("0")
    page.keyboard.press("Tab")
    expect(page.locator(".mix-total .figure")).to_have_text(total)  # the same coats, only less reducer in them
    expect(page.locator(".mix-result")).not_to_contain_text("Epoxy reducer")
    page.keyboard.press("Home")
    tab_to(page, "#mix-new .page-head .btn-ripe")
    page.keyboard.press("Enter")
    expect(page.locator("#stage-title")).to_have_text("Stir the paint")
    for title in ("Pour the base", "Pour epoxy hardener, standard", "Stir the mix"):
        expect(page.locator("#next-button")).to_be_focused()
        page.keyboard.press("Enter")
        expect(page.locator("#stage-title")).to_have_text(title)
    expect(page.locator(".cup .fill.hardener")).to_have_count(1)
    page.keyboard.press("Enter")
    expect(page.locator("#stage-title")).to_have_text("Let it induct")
    expect(page.locator(".cd.huge b")).to_have_text(re.compile(r"0:(19|20):\d\d"))
    served.shop.clock.turn(minutes=21)
    page.reload()
    expect(page.locator("#stage-title")).to_have_text("Strain into the gun")
    for title in ("Try the gun on card", "Ready to use"):
        page.keyboard.press("Enter")
        expect(page.locator("#stage-title")).to_have_text(title)
    tab_to(page, "#f-left")
    page.keyboard.press("Control+A")
    page.keyboard.type("30 ml")
    page.keyboard.press("Enter")
    expect(page.locator("#stage-title")).to_contain_text("Ended")


def test_on_the_scale_the_stand_in_pours_and_what_it_shows_is_taken_over(page, served):
    ask_for(page, "clear-two-pack", "300+ml")
    page.get_by_role("link", name="On the scale").click()
    page.get_by_role("button", name="Done").click()
    aim = float(page.locator(".aim b").inner_text().split()[0])
    assert aim == pytest.approx(40 + 200 * 0.98, abs=0.1)
    with page.expect_response("**/scale"):
        page.get_by_role("button", name=re.compile("Pour to")).click()
    served.shop.clock.turn(seconds=30)
    expect(page.locator("[data-scale-figure]")).to_have_text(re.compile(r"23\d\.\d"))
    expect(page.locator("[data-scale-state]")).to_have_text("steady")
    page.get_by_role("button", name="Take the scale's reading").click()
    expect(page.locator("#stage-title")).to_have_text("Pour urethane hardener, standard")


def test_an_over_pour_typed_in_a_hurry_is_kept_explained_and_rescued_by_mouse(page, served):
    ask_for(page, "single-stage-two-pack", "400+ml")
    for _ in range(2):  # stirred, colour checked
        was = page.locator("#stage-title").inner_text()
        page.get_by_role("button", name="Done").click()
        expect(page.locator("#stage-title")).not_to_have_text(was)
    page.get_by_role("button", name="It is at the mark").click()
    expect(page.locator("#stage-title")).to_have_text("Pour urethane hardener, standard")
    page.locator("#f-amount").fill("3")
    page.get_by_role("button", name="Log it").click()
    expect(page.locator("#n-amount")).to_contain_text("3 what?")
    expect(page.locator("#f-amount")).to_have_value("3")  # kept
    page.locator("#f-amount").fill("130 ml")
    page.get_by_role("button", name="Log it").click()
    expect(page.locator(".rescue")).to_contain_text("went over by 30 %")
    page.get_by_role("button", name="It is at the mark").click()
    expect(page.locator(".rescue")).to_have_count(0)
    page.get_by_role("button", name=re.compile("Take the last pour back")).click()
    expect(page.locator(".rescue")).to_be_visible()


def test_what_is_typed_while_the_card_is_asked_for_anew_stays(page, served):
    ask_for(page, "clear-two-pack", "300+ml")
    page.get_by_role("button", name="Done").click()
    expect(page.locator("#f-amount")).to_be_visible()
    held = []
    page.route("**/mix/*/live*", lambda route: held.append(route))  # asked for, and the answer is slow
    page.evaluate("htmx.trigger('#live', 'refresh')")
    page.locator("#f-amount").fill("3")
    assert len(held) == 1
    with page.expect_response("**/mix/*/live*"):
        held[0].continue_()
    page.get_by_role("button", name="Log it").click()
    expect(page.locator("#n-amount")).to_contain_text("3 what?")


def test_the_pour_is_read_from_two_metres_and_done_in_gloves(page, served):
    address = batch_in_the_pot(served)
    ask_for(page, "clear-two-pack", "300+ml")
    page.get_by_role("button", name="Done").click()
    size = "e => parseFloat(getComputedStyle(e).fontSize)"
    assert page.locator(".aim b").evaluate(size) >= 70
    assert page.locator("#next-button").bounding_box()["y"] + 72 < 800
    page.keyboard.press("b")
    assert page.locator(".aim b").evaluate(size) >= 96
    for view in (page.url, address, "/mix"):
        page.goto(view)
        small = [
            e.inner_text() or e.get_attribute("name")
            for e in page.locator("main .btn:visible, main .input:visible, main select:visible").all()
            if min(e.bounding_box()["height"], e.bounding_box()["width"]) < 119.5
        ]
        assert not small, view
        assert page.evaluate("document.documentElement.scrollWidth") <= 1280
    assert page.locator(".pot-row .cd b, .cd b").first.evaluate(size) >= 40


@pytest.mark.parametrize("booth", [False, True], ids=["day", "booth"])
def test_mix_and_stores_have_no_accessibility_violation_and_fit_a_phone(page, served, booth):
    page.context.add_cookies([{"name": "booth", "value": str(int(booth)), "url": served.address}])
    pot = batch_in_the_pot(served)
    found = {}
    for address in [*ROOMS, "/mix/new?product=clear-two-pack&how=ready&amount=600+ml", pot, f"{pot}/label"]:
        page.set_viewport_size({"width": 1280, "height": 800})
        page.goto(address)
        if wrong := violations(page):
            found[address] = wrong
        page.set_viewport_size({"width": 360, "height": 760})
        if page.evaluate("document.documentElement.scrollWidth") > 360:
            found[f"{address} on a phone"] = page.evaluate("document.documentElement.scrollWidth")
    assert not found


def test_what_is_typed_while_an_answer_is_under_way_stays(page, served):
    """Sixty milliseconds a key, and answers that come when three more fields are filled."""
    page.route("**/mix/new?*", lambda route: page.wait_for_timeout(250) or route.continue_())
    page.goto("/mix/new?product=clear-two-pack&how=ready&amount=300 ml")
    wanted = {
        "f-amount": "640 ml",
        "f-reservoir": "500 ml",
        "f-loss": "20 ml",
        "f-cup": "1500 ml",
        "f-reducer_pct": "8",
    }
    for name, text in wanted.items():
        page.focus(f"#{name}")
        page.keyboard.press("Control+a")
        page.keyboard.type(text, delay=60)
    page.keyboard.press("Tab")
    expect(page.locator(".mix-total")).to_contain_text("640 ml")
    page.wait_for_timeout(600)
    assert {name: page.input_value(f"#{name}") for name in wanted} == wanted

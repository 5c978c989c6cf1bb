"""Being called: alarms on every page, by the server's clock; pages that were left open stay true."""

import re
from datetime import timedelta

import pytest
from playwright.sync_api import expect
from tests.support import T0

LANE = "Cupboard doors 1–6, faces"


def due_in(served, name=LANE):
    """In how many seconds the touch test of a part is due; None when it is."""
    said = served.shop.http.get("/alarms").json()
    alarm = next(a for a in said["alarms"] if a["name"] == name and a["key"].startswith("test"))
    return None if alarm["at_ms"] is None else max(0.0, (alarm["at_ms"] - said["now"]) / 1000)


def run_to(page, served, seconds):
    """Let so much time go by, on the server as on the page."""
    served.shop.clock.turn(seconds=seconds + 21)
    page.clock.fast_forward(int(1000 * seconds))
    page.clock.run_for(21_000)


def test_an_alarm_rings_on_every_page_leads_to_its_part_covers_no_button_and_is_heard_once(page, served):
    page.goto("/stores")
    expect(page.locator("html")).to_have_attribute("data-awake", re.compile("[01]"))  # it knows what is due
    buttons = page.locator("main .btn:visible, main a:visible")
    while (ahead := due_in(served)) is not None:  # the room is read every ten minutes, and the count follows
        run_to(page, served, ahead)
        page.wait_for_timeout(300)
    card = page.locator("#alarms .alarm", has_text=LANE)
    expect(card).to_contain_text("go and test")
    below = card.bounding_box()["y"] + card.bounding_box()["height"]
    assert all(b["y"] >= below - 1 for b in (e.bounding_box() for e in buttons.all()))
    page.mouse.click(5, 400)  # a browser sounds nothing before it was touched
    expect(page.locator("html")).to_have_attribute("data-sounded", re.compile("[1-9]"))
    page.reload()
    expect(card).to_have_count(1)  # nobody has said that it was heard
    card.get_by_role("button", name="Heard").click()
    expect(card).to_have_count(0)
    page.reload()
    page.wait_for_timeout(400)
    expect(card).to_have_count(0)
    assert re.fullmatch(r"[^●].*", page.title())


def test_what_became_due_while_no_page_was_open_rings_when_one_is(page, served):
    page.goto("/shelf")
    expect(page.locator("html")).to_have_attribute("data-awake", re.compile("[01]"))  # it knows what is due
    page.goto("about:blank")
    served.shop.clock.turn(hours=6)
    page.clock.fast_forward(6 * 3_600_000)
    page.goto("/shelf")
    expect(page.locator("#alarms .alarm").first).to_be_visible()
    page.locator("#alarms .alarm a").first.click()
    expect(page).to_have_url(re.compile(r"/(parts|mix)/"))


def test_a_device_whose_clock_is_wrong_counts_by_the_servers(page, served):
    page.clock.set_system_time(T0 + timedelta(hours=5))
    page.goto("/")
    seconds = due_in(served)
    shown = page.locator(".lane", has_text=LANE).locator(".cd b")
    expect(shown).to_have_text(re.compile(r"\d+:\d\d:\d\d"))
    page.wait_for_timeout(1_200)
    hours, minutes, rest = (int(n) for n in shown.inner_text().split(":"))
    assert abs(3600 * hours + 60 * minutes + rest - seconds) < 30
    expect(page.locator("header .clock")).to_have_text("Mon 10:00")
    assert not page.locator("#alarms .alarm").count()


@pytest.mark.parametrize(("address", "before", "after"), [
    ("/jobs", "Colour 1 of 2", "Colour 2 of 2"), ("/weather", r"Mon 10:", r"Mon 14:"),
])  # fmt: skip
def test_a_page_that_was_left_open_stays_true_and_takes_nothing_away_that_is_typed(
    page, served, address, before, after
):
    page.goto(address)
    live = page.locator("#live")
    if address == "/jobs":
        part = re.search(r'href="/parts/([^"]+)">Headstock', served.shop.http.get("/jobs").text)[1]
        row = live.locator(".part-row", has_text="Headstock")
        expect(row).to_contain_text("Colour 2 of 2")
        assert served.shop.log(part, "coat").status_code == 200
        page.clock.run_for(21_000)
        expect(row).to_contain_text("Clear 1 of 2")
        return
    air = page.locator("#f-air")
    air.fill("21.7")
    figures = page.locator(".now-figures")
    was = figures.inner_text()
    served.shop.clock.turn(hours=4)
    page.clock.fast_forward(4 * 3_600_000)
    page.clock.run_for(21_000)
    page.wait_for_timeout(400)
    expect(air).to_have_value("21.7")
    air.fill("")
    page.locator("h1").click()
    page.clock.run_for(21_000)
    expect(figures).not_to_have_text(was)


def test_why_stays_open_and_is_brought_up_to_date(page, served):
    page.goto("/")
    lane = page.locator(".lane", has_text=LANE)
    lane.get_by_text("Why?").click()
    why = lane.locator(".why dl")
    was = why.inner_text()
    served.shop.clock.turn(minutes=12)
    page.clock.fast_forward(12 * 60_000)
    with page.expect_response(re.compile("/bench/lanes")):
        page.clock.run_for(21_000)
    expect(why).to_be_visible()
    expect(why).not_to_have_text(was)

"""The journeys of a refinisher in a browser: by mouse, by keyboard alone, in gloves, on a phone."""

import json
import re
from itertools import product
from pathlib import Path

import pytest
from playwright.sync_api import expect

AXE = (Path(__file__).parent / "vendor" / "axe.min.js").read_text()
PAGES = [
    "/", "/jobs", "/jobs/new", "/weather", "/shelf", "/shelf/enamel-one-pack", "/components", "/systems",
    "/systems/two-stage-epoxy?layer=colour", "/systems/two-stage-epoxy/schools/primer", "/shelf/new",
    "/shelf/new?copy=epoxy-primer-grey", "/shelf/supplies/accelerator-urethane/edit", "/shelf/import",
    "/shelf/supplies/pad-grey", "/spaces", "/data", "/shop", "/guide", "/device", "/away", "/next-time", "/gun", "/gun/field",
    "/gun/trainer", "/gun/faults?fault=spit&ruled=1", "/gun/rack", "/clinic", "/records?find=coat", "/shop/scripts",
    "/jobs/bring", "/records/statistics",
]  # fmt: skip
LOOKS = (
    "/clinic?defect=run",
    "/sheet",
    "/beside",
    "/inspect",
    "/mishap?defect=run",
    "/reading",
    "/note",
    "/hours",
    "/sand",
    "/photos",
    "/pieces",
    "/story",
)


def chosen(page):
    return page.locator(".lane.is-chosen")


def choose(page, name: str):
    """Step with J until the lane is framed."""
    for _ in range(24):
        if chosen(page).get_attribute("data-name") == name:
            return chosen(page)
        page.keyboard.press("j")
    raise AssertionError(f"no lane called {name}")


STANDARDS = ["wcag2a", "wcag2aa", "wcag21a", "wcag21aa", "wcag22aa", "best-practice"]
OF_COLOUR_AND_SIZE = ["color-contrast", "link-in-text-block", "target-size", "scrollable-region-focusable"]


def violations(page, only=STANDARDS) -> list[str]:
    page.evaluate(AXE)
    # What passes is not told: to tell it takes as long as to look.
    found = page.evaluate("only => axe.run(document, {resultTypes: ['violations'], runOnly: only})", only)
    return [f"{v['id']}: {v['nodes'][0]['html'][:120]}" for v in found["violations"]]


def test_a_coat_is_logged_undone_and_logged_again_by_keys_alone(page, served):
    page.goto("/")
    lane = choose(page, "Headstock casting")
    expect(lane).to_contain_text("open, tested")
    page.keyboard.press("c")
    expect(page.locator("#toast")).to_contain_text("Clear coated, 65 µm wet")
    expect(chosen(page)).to_contain_text("Clear 1 of 2")
    expect(chosen(page)).to_have_class(re.compile("is-wet"))
    expect(chosen(page).locator(".cd b")).to_have_text(re.compile(r"^0:\d\d:\d\d$"))
    page.keyboard.press("u")
    expect(page.locator("#toast")).to_contain_text("taken back: Clear coated")
    expect(chosen(page)).to_contain_text("Colour 2 of 2")
    assert chosen(page).get_attribute("data-name") == "Headstock casting"


def test_keys_act_on_the_lane_that_is_framed_here_whatever_another_tab_looks_at(page, served):
    page.goto("/")
    choose(page, "Headstock casting")
    other = page.context.new_page()
    other.goto("/parts/" + page.locator(".lane").last.get_attribute("data-part"))
    expect(chosen(other)).to_have_count(1)
    page.keyboard.press("c")
    expect(chosen(page)).to_contain_text("Clear 1 of 2")
    expect(chosen(page)).to_have_attribute("data-name", "Headstock casting")
    page.reload()
    expect(chosen(page)).to_have_attribute("data-name", "Headstock casting")
    page.keyboard.press("u")
    expect(page.locator("#toast")).to_contain_text("taken back: Clear coated")
    expect(chosen(page)).to_contain_text("Colour 2 of 2")


def test_the_offer_to_undo_stays_for_ten_seconds(page, served):
    page.goto("/")
    choose(page, "Headstock casting")
    page.keyboard.press("c")
    offer = page.get_by_role("button", name="Take it back")
    expect(offer).to_be_visible()
    page.clock.run_for(8_000)
    expect(offer).to_be_visible()
    page.clock.run_for(4_000)
    expect(offer).to_be_hidden()


def test_lanes_that_come_after_a_start_take_their_place_and_ring_for_nothing_that_was_due_before(page, served):
    served.shop.clock.turn(hours=9)
    served.shop.workshop.first_look = (4, 15)
    page.goto("/")
    expect(page.get_by_role("status").filter(has_text="4 of 15 so far")).to_be_visible()
    expect(page.locator(".lane")).to_have_count(15)
    expect(page.locator(".lane .acts")).to_have_count(0)
    assert not violations(page)
    served.shop.workshop.first_look = None
    page.clock.run_for(1_000)
    expect(page.locator(".lane .acts").first).to_be_visible()
    expect(page.locator(".lane.is-coming")).to_have_count(0)
    assert any(due for due in page.locator(".lane").evaluate_all("lanes => lanes.map(l => l.dataset.due)"))
    expect(page.locator("#alarms .alarm", has_not_text="pot life")).to_have_count(0)
    page.keyboard.press("j")
    expect(chosen(page)).to_have_count(1)


def test_when_the_count_runs_out_an_alarm_sounds_and_says_go_and_test(page, served):
    page.goto("/")
    name = "Cupboard doors 1–6, faces"
    count = choose(page, name).locator(".cd b")
    alarm = page.locator("#alarms .alarm", has_text=name)
    for _ in range(12):  # the room is read every ten minutes, and the count follows
        hours, minutes, seconds = (int(n) for n in count.inner_text().split(":"))
        leap = max(1, 3600 * hours + 60 * minutes + seconds - 20)
        served.shop.clock.turn(seconds=leap + 21)
        page.clock.fast_forward(1000 * leap)
        with page.expect_response(re.compile("/bench/lanes")):
            page.clock.run_for(21_000)
        page.wait_for_timeout(300)
        if alarm.count():
            break
    expect(alarm).to_contain_text("go and test")
    assert page.evaluate("document.documentElement.dataset.sounded") is not None
    lane = page.locator(".lane", has_text=name)
    for _ in range(12):  # a reading may have put the time off again; the alarm has rung, and rings no second time
        served.shop.clock.turn(seconds=60)
        with page.expect_response(re.compile("/bench/lanes")):
            page.clock.run_for(21_000)
        page.wait_for_timeout(200)
        if "open, test first" in lane.inner_text():
            break
    expect(lane).to_contain_text("open, test first")
    assert alarm.count() == 1
    alarm.get_by_role("button", name="Heard").click()
    expect(alarm).to_have_count(0)


def test_a_touch_test_and_a_sanding_by_mouse_and_the_small_form_keeps_what_was_typed(page, served):
    page.goto("/")
    lane = page.locator(".lane", has_text="Gear cover")
    lane.get_by_role("button", name="Log sanding").click()
    grit = page.get_by_label("Grit")
    expect(grit).to_have_value("P320")
    grit.fill("P12345")
    page.locator("#dialog").get_by_role("button", name="Log sanding").click()
    expect(page.locator("#dialog [role=alert]")).to_contain_text("is no grit")
    expect(grit).to_have_value("P12345")
    grit.fill("P320")
    page.locator("#dialog").get_by_role("button", name="Log sanding").click()
    expect(page.locator("#dialog")).to_be_hidden()
    expect(lane).to_contain_text("keyed")
    doors = page.locator(".lane", has_text="Cupboard doors")
    doors.get_by_role("button", name="Touch test").click()
    page.locator("#dialog").get_by_role("button", name="Not ready").click()
    expect(page.locator("#toast")).to_contain_text("not yet flashed off")


def test_keys_rest_while_somebody_types_and_can_be_turned_off(page, served):
    page.goto("/")
    choose(page, "Headstock casting")
    page.keyboard.press("s")
    expect(page.get_by_label("Grit")).to_be_focused()
    page.get_by_label("Grit").fill("")
    page.keyboard.type("ccc")
    expect(page.get_by_label("Grit")).to_have_value("ccc")
    page.keyboard.press("Escape")
    expect(page.locator("#dialog")).to_be_hidden()
    page.keyboard.press("?")
    page.get_by_label("Keys are on").uncheck()
    page.keyboard.press("Escape")
    expect(page.locator("#help")).to_be_hidden()
    page.keyboard.press("c")
    page.clock.run_for(1_000)
    expect(chosen(page)).to_contain_text("Colour 2 of 2")


@pytest.mark.parametrize("served", [{}], indirect=True)
def test_a_part_is_made_and_primed_by_keyboard_alone(page, served):
    page.goto("/")
    page.get_by_role("link", name="New part").focus()
    page.keyboard.press("Enter")
    for label, text in (("Name of a new project", "Pillar drill"), ("Part", "Table"), ("Area to be coated m²", "0,6")):
        page.get_by_label(label, exact=True).focus()
        page.keyboard.type(text)
    page.get_by_label("Made of").focus()
    page.keyboard.type("Bare iron")
    page.get_by_label("Stands in").focus()
    page.keyboard.type("Room")
    page.get_by_label("Two stage over epoxy").focus()
    page.keyboard.press("Space")
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", name="Table")).to_be_visible()
    expect(page.locator(".sequence")).to_contain_text("Epoxy primer, coat 1")
    for step in ("Wash", "Degrease"):
        expect(page.locator(".act")).to_contain_text(step)
        page.clock.run_for(1_000)
        page.keyboard.press("d")
        expect(page.locator("#toast")).to_contain_text(step)
        served.shop.clock.turn(seconds=10)
    expect(page.locator(".act")).to_contain_text("Sand P120")
    page.keyboard.press("s")
    expect(page.get_by_label("Grit")).to_be_focused()
    page.keyboard.press("Enter")
    expect(page.locator(".act")).to_contain_text("Degrease")
    served.shop.clock.turn(seconds=10)
    page.keyboard.press("c")
    page.locator("#dialog").get_by_role("button", name="Coat on").press("Enter")
    expect(page.locator("#dialog")).to_contain_text("Not done before it: Degrease; Mask; Tack off.")
    page.keyboard.press("y")
    expect(page.locator(".counts")).to_contain_text("1 of 2")
    expect(page.locator(".lane")).to_have_class(re.compile("is-wet"))


@pytest.mark.parametrize("again", ["at once", "when it has changed"])
@pytest.mark.parametrize("served", [{}], indirect=True)
def test_a_button_that_is_pressed_twice_logs_one_step_and_not_the_next(page, served, again):
    part = served.shop.new_part()
    page.goto("/")
    button = page.locator(".lane .acts form button")
    expect(button).to_have_text("Wash done")
    if again == "at once":
        button.dblclick()
    else:
        button.click()
        expect(button).to_have_text("Degrease done")
        button.click()
    page.wait_for_timeout(600)
    assert [w.kind for w in served.shop.standing(part).history.works] == ["wash"]


@pytest.mark.parametrize("served", [{"premises": True}], indirect=True)
def test_the_demo_is_opened_and_left_and_a_shop_set_up_in_other_units(page, served):
    page.goto("/")
    expect(page.get_by_role("heading", name="Set up your shop")).to_be_visible()
    expect(page.get_by_label("Time zone")).to_have_value("Europe/Berlin")
    assert not violations(page)
    page.get_by_role("button", name="Open the demo shop").click()
    expect(page.locator(".lane")).to_have_count(15)
    page.get_by_role("link", name="Demo leave").click()
    page.get_by_role("button", name="Leave the demo").click()
    page.get_by_label("Name of the shop").fill("Quay Lane")
    page.get_by_label("Units").select_option("us")
    expect(page.get_by_label("Heated to").first).to_have_value("68 °F")
    expect(page.get_by_label("Name of the shop")).to_have_value("Quay Lane")
    page.get_by_label("Heated to").first.fill("20")
    page.get_by_role("button", name="Set up the shop").click()
    expect(page.locator("#n-space_heater_0")).to_contain_text("more than 32 °F")
    page.get_by_label("Heated to").first.fill("70")
    page.get_by_role("button", name="Set up the shop").click()
    expect(page.get_by_role("heading", name="No part yet")).to_be_visible()
    page.get_by_role("link", name="Quay Lane").click()
    expect(page.get_by_label("Each fill leaves").first).to_have_value("1 fl oz")
    assert not violations(page)


@pytest.mark.parametrize("booth", [False, True], ids=["day", "booth"])
def test_no_page_has_an_accessibility_violation_by_day_or_in_the_booth(page, served, booth):
    part = re.search(r'data-part="([^"]+)"', served.shop.http.get("/").text)[1]
    found = {}
    page.context.add_cookies([{"name": "booth", "value": str(int(booth)), "url": served.address}])
    for address in [
        *PAGES,
        *(
            f"/parts/{part}{view}"
            for view in ("", "/survey", "/system?layer=clear", "/what-if", "/bake", "/tend", *LOOKS)
        ),
        "/shop",
        "/projects/new",
    ]:
        page.goto(address)
        # the booth has other colours and sizes, and the same marks
        if wrong := violations(page, OF_COLOUR_AND_SIZE if booth else STANDARDS):
            found[address] = wrong
    assert not found, json.dumps(found, indent=1)


def test_in_booth_mode_targets_are_large_and_apart_and_the_figure_can_be_read_at_arms_length(page, served):
    page.goto("/")
    page.keyboard.press("b")
    expect(page.locator("html")).to_have_attribute("data-mode", "booth")
    part = chosen(page).get_attribute("data-part")
    for address in ("/", f"/parts/{part}", "/jobs/new"):
        page.goto(address)
        controls = page.locator("main .btn:visible, .bar .places a:visible, .bar button:visible").all()
        small = [e.inner_text() for e in controls if min(e.bounding_box()["height"], e.bounding_box()["width"]) < 120]
        assert controls
        assert not small, address
    page.goto("/")
    for lane in page.locator(".acts").all():
        side = [e.bounding_box() for e in lane.locator(".btn").all()]
        if len(side) == 2:
            assert side[1]["x"] - (side[0]["x"] + side[0]["width"]) >= 24
    size = page.locator(".cd b").first.evaluate("e => parseFloat(getComputedStyle(e).fontSize)")
    assert size >= 96
    page.reload()
    expect(page.locator("html")).to_have_attribute("data-mode", "booth")


def test_on_a_phone_the_next_action_comes_first_and_nothing_runs_off_the_side(page, served):
    part = re.search(r'data-part="([^"]+)"', served.shop.http.get("/").text)[1]
    page.set_viewport_size({"width": 360, "height": 760})
    views = [
        *PAGES,
        *(f"/parts/{part}{view}" for view in ("", "/survey", "/system?layer=top", "/what-if", "/bake", *LOOKS)),
    ]
    wide = []
    for booth, address in product(("1", "0"), views):
        page.context.add_cookies([{"name": "booth", "value": booth, "url": served.address}])
        page.goto(address)
        if page.evaluate("document.documentElement.scrollWidth") > 360:
            wide.append((address, "booth" if booth == "1" else "day"))
    assert not wide
    page.goto("/")
    lane = page.locator(".lane").first
    act, ribbon = lane.locator(".acts .btn").first.bounding_box(), lane.locator(".ribbon.narrow").bounding_box()
    assert act["y"] < ribbon["y"] < 760
    small = [
        e.inner_text()
        for e in page.locator("a.btn:visible, button:visible, nav a:visible").all()
        if e.bounding_box()["height"] < 43.5
    ]
    assert not small


def test_a_logger_file_is_looked_at_then_taken_and_the_lane_moves(page, served, tmp_path):
    record = tmp_path / "logger.csv"
    rows = [f"2026-06-08 {h:02d}:{m:02d};9,5;75" for h in range(3, 9) for m in range(0, 60, 10)]
    record.write_text("Zeit;Temperatur;Feuchte\n" + "\n".join(rows) + "\n")
    page.goto("/")
    before = choose(page, "Cupboard doors 1–6, faces").locator(".cd b").inner_text()
    page.goto("/weather")
    page.get_by_label("Logger file").set_input_files(record)
    page.get_by_label("Hung in").select_option("Finishing shop")
    page.get_by_label("Its clock shows").fill("UTC")
    page.get_by_role("button", name="Look at the file").click()
    page.get_by_role("button", name="Take 36 readings").click()
    expect(page.get_by_role("row", name="logger.csv")).to_be_visible()
    page.goto("/")
    after = choose(page, "Cupboard doors 1–6, faces").locator(".cd b").inner_text()
    assert after > before


def test_on_the_part_a_measured_coat_is_logged_taken_back_and_put_back_by_mouse(page, served):
    page.goto("/")
    page.get_by_role("link", name="Headstock casting").click()
    page.get_by_role("button", name="Another coat").click()
    dialog = page.locator("#dialog")
    expect(dialog).to_contain_text("Isocyanates")
    dialog.get_by_label("Wet film").fill("three")
    dialog.get_by_role("button", name="Coat on").click()
    expect(dialog.locator("[role=alert]")).to_contain_text("“three” is no film")
    dialog.get_by_label("Wet film").fill("3 mil")
    dialog.get_by_label("or at").fill("2026-06-08T09:45")
    dialog.get_by_role("button", name="Coat on").click()
    counts = page.get_by_role("row", name="Clear")
    expect(counts).to_contain_text("1 of 2")
    expect(page.locator(".log")).to_contain_text("Clear coated, 76 µm wet")
    expect(page.locator(".film.large .slab")).to_have_count(4)
    page.get_by_role("button", name="Take back: Clear coated").click()
    expect(counts).to_contain_text("0 of 2")
    expect(page.locator(".film.large .slab")).to_have_count(3)
    page.locator("#toast").get_by_role("button", name="Put it back").click()
    expect(counts).to_contain_text("1 of 2")


def test_every_countdown_says_why_and_the_weather_answers_at_once(page, served):
    page.goto("/")
    lane = page.locator(".lane", has_text="Cupboard doors")
    lane.get_by_text("Why?").click()
    why = lane.locator(".why dl")
    for words in (
        "the film has not flashed",
        "100 µm wet, reference 100 µm",
        "Waterborne cabinet enamel",
        "early – likely – late",
    ):
        expect(why).to_contain_text(words)
    page.goto("/weather")
    page.get_by_label("Space").select_option("Yard")
    expect(page.get_by_role("heading", name="Yard outdoors")).to_be_visible()
    page.get_by_label("Surface", exact=True).select_option("casting")
    expect(page).to_have_url(re.compile("surface=casting"))
    expect(page.get_by_role("row", name="Two-pack clear, gloss")).to_contain_text(re.compile("until|opens"))


def test_when_the_program_is_away_a_press_is_kept_and_the_same_press_counts_once(page, served):
    page.route("**/coat", lambda route: route.abort())  # before the page: a route that comes later may come too late
    page.goto("/")
    choose(page, "Headstock casting")
    page.keyboard.press("c")
    expect(page.locator("#outbox")).to_contain_text("1 press is kept on this device")
    page.keyboard.press("c")  # the same button once more is the same press
    expect(page.locator("#outbox")).to_contain_text("1 press is kept on this device")
    expect(chosen(page)).to_contain_text("Colour 2 of 2")
    page.unroute("**/coat")
    expect(chosen(page)).to_contain_text("Clear 1 of 2")
    expect(page.locator("#outbox")).to_be_hidden()


def test_a_whole_coat_in_gloves_touch_test_included(page, served):
    page.context.add_cookies([{"name": "booth", "value": "1", "url": served.address}])
    page.goto("/")
    lane = page.locator(".lane", has_text="Carousel panel")
    lane.get_by_role("button", name="Coat on").click()
    expect(lane).to_have_class(re.compile("is-wet"))
    served.shop.clock.turn(seconds=2)
    lane.get_by_role("button", name="Touch test").click()
    ready = page.locator("#dialog").get_by_role("button", name="Ready", exact=True)
    assert ready.bounding_box()["height"] >= 120
    ready.click()
    expect(page.locator("#dialog").get_by_role("alert")).to_contain_text("Sure? Ready after 0 min")
    page.locator("#dialog").get_by_role("button", name="Yes: log it").click()
    expect(page.locator("#dialog")).to_be_hidden()
    expect(page.locator(".lane", has_text="Carousel panel")).to_contain_text("Enamel 2 of 2")


def test_a_reading_is_typed_by_keyboard_and_the_room_is_made_ready_step_by_step(page, served):
    page.goto("/weather")
    page.locator("#room").get_by_role("button", name="Done").focus()
    for title in ("Damp the floor", "Filters in, clean and tight"):
        page.keyboard.press("Enter")
        expect(page.locator(".stages .is-now")).to_contain_text(title)
        page.locator("#room").get_by_role("button", name="Done").focus()
    page.locator("#f-air").focus()
    page.keyboard.type("26,5")
    page.keyboard.press("Tab")
    page.keyboard.type("120")
    page.keyboard.press("Enter")
    expect(page.locator("#n-rh")).to_contain_text("0.1 to 100")
    expect(page.locator("#f-air")).to_have_value("26,5")
    page.locator("#f-rh").fill("42")
    page.keyboard.press("Enter")
    expect(page.locator(".now-figures")).to_contain_text("26.5 °C")
    page.get_by_role("button", name="Take it back").click()
    expect(page.locator(".now-figures")).not_to_contain_text("26.5 °C")


def test_a_heat_stage_that_is_too_cold_is_refused_in_the_form_and_the_typed_figure_stays(page, served):
    page.goto("/")
    lane = choose(page, "Exhaust manifold")
    served.shop.clock.turn(hours=40)
    page.reload()
    lane = choose(page, "Exhaust manifold")
    lane.locator("[data-act=step]").click()
    page.locator("#f-metal").fill("95")
    page.locator("#dialog").get_by_role("button", name="Log the heat").click()
    expect(page.locator(".form-refusal")).to_contain_text("it read 95")
    expect(page.locator("#f-metal")).to_have_value("95")
    page.locator("#f-metal").fill("121")
    page.locator("#dialog").get_by_role("button", name="Log the heat").click()
    expect(page.locator("#toast")).to_contain_text("Heated: 121 °C metal for 30 min")

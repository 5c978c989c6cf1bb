"""Several devices at once: what one logs the others show; what could not be sent is kept, sent once, and asked back."""

import re
from datetime import timedelta
from uuid import UUID

import pytest
from playwright.sync_api import expect
from tests.support import T0
from tests.unit.test_photo_files import written

from cool_sheen.service.photos import of_part
from cool_sheen.store import log


def lane(page, name="Headstock casting"):
    return page.locator(f'.lane[data-name="{name}"]')


def entries(served, part):
    with served.shop.workshop.read() as unit:
        return [r.entry for r in log.of_part(unit.session, part)]


@pytest.fixture
def other(browser, served):
    """A second device."""
    context = browser.new_context(viewport={"width": 1280, "height": 800}, base_url=served.address)
    opened = context.new_page()
    opened.clock.install(time=T0)
    yield opened
    context.close()


def test_a_coat_on_one_device_shows_on_the_other(page, other, served):
    for device in (page, other):
        device.goto("/")
        expect(lane(device)).to_contain_text("Colour 2 of 2")
    lane(page).get_by_role("button", name="Coat on").first.click()
    expect(lane(other)).to_contain_text("Clear 1 of 2")  # long before the page would ask by itself


def test_a_press_without_a_network_is_kept_and_sent_once_with_its_own_time(page, other, served):
    page.goto("/")
    part = lane(page).get_attribute("data-part")
    before = len(entries(served, UUID(part)))
    page.context.set_offline(True)
    lane(page).get_by_role("button", name="Coat on").first.click()
    expect(page.locator("#outbox")).to_contain_text("1 press is kept on this device")
    expect(page.locator("#outbox")).to_contain_text("Coat on: Headstock casting")
    assert len(entries(served, UUID(part))) == before
    served.shop.clock.turn(minutes=7)
    page.context.set_offline(False)
    expect(page.locator("#outbox")).to_be_hidden()
    expect(lane(page)).to_contain_text("Clear 1 of 2")
    coats = entries(served, UUID(part))[before:]
    assert [e.payload.kind for e in coats] == ["coat"]
    assert abs(coats[0].occurred_at - T0) < timedelta(minutes=2)


def test_a_press_whose_answer_was_lost_is_one_entry(page, served):
    page.goto("/")
    part = UUID(lane(page).get_attribute("data-part"))
    before = len(entries(served, part))
    heard = []

    def lose_the_answer(route):
        if heard:
            route.continue_()
            return
        heard.append(route.fetch())
        route.abort()

    page.route("**/coat", lose_the_answer)
    lane(page).get_by_role("button", name="Coat on").first.click()
    expect(lane(page)).to_contain_text("Clear 1 of 2")
    expect(page.locator("#outbox")).to_be_hidden()
    assert len(heard) == 1
    assert heard[0].ok
    assert len(entries(served, part)) == before + 1


def test_two_devices_that_log_the_same_coat_are_told_and_one_is_kept(page, other, served):
    page.goto("/")
    other.goto("/")
    part = UUID(lane(page).get_attribute("data-part"))
    before = len(entries(served, part))
    page.context.set_offline(True)
    lane(page).get_by_role("button", name="Coat on").first.click()
    expect(page.locator("#outbox")).to_contain_text("not sent yet")
    lane(other).get_by_role("button", name="Coat on").first.click()
    expect(lane(other)).to_contain_text("Clear 1 of 2")
    page.context.set_offline(False)
    expect(page.locator("#outbox")).to_contain_text("That was logged already")
    assert len(entries(served, part)) == before + 1
    page.get_by_role("button", name="It is the same: leave it").click()
    expect(page.locator("#outbox")).to_be_hidden()
    assert len(entries(served, part)) == before + 1


def test_what_is_asked_back_is_logged_when_somebody_is_sure(page, served):
    page.goto("/")
    part = UUID(lane(page).get_attribute("data-part"))
    before = len(entries(served, part))
    page.context.set_offline(True)
    lane(page).get_by_role("button", name="Coat on").first.click()
    expect(page.locator("#outbox")).to_contain_text("not sent yet")
    assert served.shop.log(part, "coat").status_code == 200
    page.context.set_offline(False)
    page.get_by_role("button", name="Log it all the same").click()
    expect(page.locator("#outbox")).to_contain_text("old and wet by the clock")  # and that it is wet
    page.get_by_role("button", name="Log it all the same").click()
    expect(page.locator("#outbox")).to_be_hidden()
    assert len(entries(served, part)) == before + 2
    assert "old and wet by the clock" in entries(served, part)[-1].reason


def photos(served, part):
    with served.shop.workshop.read() as unit:
        return [(p.taken_at, p.words, p.stage) for p in of_part(unit, part)]


def pictures_kept(page):
    return page.evaluate(
        "new Promise((done) => { indexedDB.open('cool-sheen', 1).onsuccess = (e) =>"
        "e.target.result.transaction('photos').objectStore('photos').count().onsuccess = (c) => done(c.target.result) })"
    )


def test_photos_without_a_network_are_kept_and_sent_once_with_their_own_time(page, served, tmp_path):
    page.goto("/")
    page.wait_for_function("navigator.serviceWorker.ready.then(() => caches.match('/away')).then(Boolean)")
    part = UUID(lane(page).get_attribute("data-part"))
    files = []
    for n in range(3):
        files.append(tmp_path / f"side {n}.jpg")
        files[-1].write_bytes(written(200 + n, 100))
    page.goto(f"/parts/{part}/photos")
    page.context.set_offline(True)
    page.get_by_label("Photo", exact=False).first.set_input_files(files[:2])
    page.get_by_label("What it shows").fill("the left foot")
    page.get_by_role("button", name="Keep the photo").click()
    expect(page.locator("#outbox")).to_contain_text("2 photos are kept on this device")
    expect(page.locator("#n-photo")).to_contain_text("2 are kept on this device")
    expect(page.get_by_label("What it shows")).to_have_value("")
    page.locator("#outbox li", has_text="side 1.jpg").get_by_role("button", name="Take back").click()
    expect(page.locator("#outbox")).to_contain_text("1 photo is kept on this device")
    page.goto("/jobs")  # nobody answers: the page that works without the program
    away = page.locator("section.away", has_text="Headstock casting")
    away.get_by_role("button", name="Keep photos").click()
    expect(away).to_contain_text("choose a photo first")
    away.get_by_label("Photos").set_input_files(files[2])
    away.get_by_role("button", name="Keep photos").click()
    away.get_by_role("button", name=re.compile("Clear, coat 1")).click()
    expect(page.locator("#outbox")).to_contain_text("1 press and 2 photos are kept on this device")
    assert (photos(served, part), pictures_kept(page)) == ([], 2)
    served.shop.clock.turn(minutes=7)
    page.context.set_offline(False)
    expect(page.locator("#outbox")).to_be_hidden()
    came = photos(served, part)
    assert sorted(words for _, words, _ in came) == ["", "the left foot"]
    assert all(abs(taken - T0) < timedelta(minutes=2) for taken, _, _ in came)
    assert pictures_kept(page) == 0
    assert entries(served, part)[-1].payload.kind == "coat"


def test_what_a_look_found_without_a_network_is_kept_and_sent_once_with_its_own_time(page, served):
    page.goto("/jobs")
    address = page.get_by_role("link", name="Column radiator").first.get_attribute("href")
    part = UUID(re.search(r"[0-9a-f-]{36}", address)[0])
    before = len(entries(served, part))
    page.goto(f"/parts/{part}/inspect")
    mishap = page.context.new_page()
    mishap.goto(f"/parts/{part}/mishap?defect=run")
    page.context.set_offline(True)
    for where in ("left foot", "right foot"):
        if where == "left foot":  # by a tap: it is no place of the next mark
            page.locator("[data-outline-zone]:visible", has_text="Top rail").click(position={"x": 30, "y": 30})
        else:
            page.get_by_label("Zone", exact=True).select_option("Top rail")
        page.get_by_label("What it is").select_option("thin")
        page.get_by_role("textbox", name="Where").fill(where)
        page.get_by_role("button", name="Mark it", exact=True).click()
        expect(page.locator("#outbox")).to_contain_text("Mark it: Column radiator")
        expect(page.get_by_role("textbox", name="Where")).to_have_value("")
    expect(page.locator("#outbox")).to_contain_text("2 presses are kept on this device")
    mishap.get_by_label("Top rail").check()
    mishap.get_by_role("button", name="Log it, and mend it so").click()
    expect(mishap.locator("#outbox")).to_contain_text("3 presses are kept on this device")
    assert len(entries(served, part)) == before
    served.shop.clock.turn(minutes=7)
    page.context.set_offline(False)
    expect(page.locator("#outbox")).to_be_hidden()
    expect(page.locator(".marks")).to_contain_text("right foot")
    came = entries(served, part)[before:]
    assert [e.payload.kind for e in came] == ["mark", "mark", "mishap"]
    assert [e.payload.where for e in came[:2]] == ["left foot", "right foot"]
    assert [e.payload.x is None for e in came[:2]] == [False, True]
    assert all(abs(e.occurred_at - T0) < timedelta(minutes=2) for e in came)
    mishap.close()


def test_a_photo_that_is_refused_later_holds_no_press_up(page, served, tmp_path):
    page.goto("/")
    part = UUID(lane(page).get_attribute("data-part"))
    before = len(entries(served, part))
    words = tmp_path / "words.jpg"
    words.write_text("no photo")
    page.goto(f"/parts/{part}/photos")
    page.context.set_offline(True)
    page.get_by_label("Photo", exact=False).first.set_input_files(words)
    page.get_by_role("button", name="Keep the photo").click()
    expect(page.locator("#outbox")).to_contain_text("1 photo is kept on this device")
    page.context.set_offline(False)
    expect(page.locator("#outbox")).to_contain_text("no photo that can be read")
    page.goto("/")
    page.context.set_offline(True)
    lane(page).get_by_role("button", name="Coat on").first.click()
    expect(page.locator("#outbox")).to_contain_text("1 press and 1 photo are kept on this device")
    page.context.set_offline(False)
    expect(page.locator("#outbox")).to_contain_text("1 photo is kept on this device")
    assert len(entries(served, part)) == before + 1
    page.get_by_role("button", name="Leave it").click()
    expect(page.locator("#outbox")).to_be_hidden()
    assert pictures_kept(page) == 0


def test_a_page_works_while_the_program_cannot_be_reached(page, served):
    page.goto("/")
    page.wait_for_function("navigator.serviceWorker.ready.then(() => caches.match('/away')).then(Boolean)")
    part = UUID(lane(page).get_attribute("data-part"))
    before = len(entries(served, part))
    page.context.set_offline(True)
    page.goto("/jobs")
    expect(page.get_by_role("heading", name="Logging without the program")).to_be_visible()
    away = page.locator("section.away", has_text="Headstock casting")
    away.get_by_role("button", name=re.compile("Clear, coat 1")).click()
    page.clock.fast_forward(40 * 60_000)
    away.get_by_role("button", name="Touched: ready", exact=True).click()
    away.get_by_role("button", name=re.compile("Clear, coat 2")).click()
    expect(page.locator("#outbox")).to_contain_text("3 presses are kept on this device")
    served.shop.clock.turn(minutes=41)
    page.context.set_offline(False)
    expect(page.locator("#outbox")).to_be_hidden()  # sent from this page: the network is there again
    page.goto("/")
    expect(lane(page)).to_contain_text("Clear 2 of 2")
    assert [e.payload.kind for e in entries(served, part)[before:]] == ["coat", "touch_test", "coat"]

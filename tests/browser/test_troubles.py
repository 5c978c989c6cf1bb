"""What a refinisher sees when something stands in the way: a stale tab, an hour that came twice, a program in trouble."""

from datetime import UTC, datetime, timedelta

from playwright.sync_api import expect
from tests.browser.test_bench import choose, violations


def test_of_two_tabs_on_one_sheet_the_second_shows_both_and_takes_it_on_the_second_press(page, served):
    other = page.context.new_page()
    for tab in (page, other):
        tab.goto(f"{served.address}/shelf/clear-two-pack/edit")
        tab.locator(".sheet-rest > summary").click()
    other.locator("#f-note").fill("Thinner than last year.")
    other.locator("#f-note").press("Enter")
    expect(other.locator("h1")).to_contain_text("Two-pack clear")
    page.locator("#f-name").fill("Clear of mine")
    page.locator("#f-name").press("Enter")
    expect(page.locator("main").get_by_role("alert").first).to_contain_text(
        "Somebody changed this meanwhile, and nothing was saved"
    )
    expect(page.locator(".is-there", has_text="Thinner than last year.")).to_be_visible()
    expect(page.locator("#f-name")).to_have_value("Clear of mine")
    assert not violations(page)
    page.locator("#f-note").fill("Thinner than last year.")
    page.locator("#f-note").press("Enter")
    expect(page.locator("h1")).to_contain_text("Clear of mine")
    expect(page.locator("main")).to_contain_text("Thinner than last year.")


def test_an_hour_that_came_twice_is_asked_in_the_small_form_and_answered_by_keyboard(page, served):
    shop = served.shop
    shop.clock.at = datetime(2026, 10, 25, 12, tzinfo=UTC)
    part = shop.new_part("single-stage-epoxy")
    while shop.standing(part).action.does != "coat":
        shop.do_next(part)
    shop.clock.at = max(shop.clock.at, datetime(2026, 10, 25, 12, tzinfo=UTC)) + timedelta(hours=1)
    page.goto(f"/parts/{part}")
    page.get_by_role("button", name="Another coat").first.click()
    page.locator("#f-at").fill("2026-10-25T02:30")
    page.locator("#dialog").get_by_role("button", name="Coat on").click()
    expect(page.locator(".form-refusal")).to_contain_text("02:30 came twice on 25 October 2026")
    page.get_by_label("the second 02:30 (CET)").focus()
    page.keyboard.press("Space")
    page.locator("#dialog").get_by_role("button", name="Coat on").press("Enter")
    expect(page.locator("#toast")).to_contain_text("coated")
    assert shop.standing(part).history.coats[-1].ended_at == datetime(2026, 10, 25, 1, 30, tzinfo=UTC)


def test_trouble_in_a_press_is_said_beside_the_page_which_stays(page, served, monkeypatch):
    def broken(*_, **__):
        raise RuntimeError("nobody thought of this")

    page.goto("/")
    choose(page, "Headstock casting")
    with monkeypatch.context() as trouble:
        trouble.setattr("cool_sheen.web.pages.part.work.coat_on", broken)
        page.keyboard.press("c")
        expect(page.locator("#toast")).to_contain_text("Nothing of it was saved")
        expect(page.locator(".lane")).to_have_count(15)
        trouble.setattr("cool_sheen.web.pages.jobs.projects_page", broken)
        page.goto("/jobs")
        expect(page.locator("h1")).to_have_text("Something happened that Cool Sheen was not made for.")
        assert not violations(page)
    page.get_by_role("link", name="Load it again").click()
    expect(page.locator("h1")).to_have_text("Jobs")


def test_a_copy_is_made_from_the_page_that_the_help_leads_to(page, served):
    page.goto("/")
    page.keyboard.press("?")
    page.get_by_role("link", name="Data and copies").click()
    page.get_by_role("button", name="Make a copy now").click()
    expect(page.get_by_role("status").filter(has_text="it is whole")).to_be_visible()
    with page.expect_download() as download:
        page.get_by_role("link", name="Download").click()
    assert download.value.suggested_filename.endswith(".sqlite3")

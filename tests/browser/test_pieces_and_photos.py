"""Pieces by keys alone, photos by several at once, a mark on a photo by a tap, and an entry put right in its dialog."""

import re
from uuid import UUID

from playwright.sync_api import expect
from tests.unit.test_photo_files import written

from cool_sheen.service.photos import of_part


def radiator(page, served):
    page.goto("/jobs")
    address = page.get_by_role("link", name="Column radiator").first.get_attribute("href")
    return UUID(re.search(r"[0-9a-f-]{36}", address)[0])


def press(page, name):
    """Reach a button by Tab and press it by Enter, as whoever has no mouse."""
    button = page.get_by_role("button", name=name, exact=True).first
    button.focus()
    page.keyboard.press("Enter")


def test_pieces_are_worked_by_keys_and_another_tab_follows(page, served):
    part = radiator(page, served)
    page.goto(f"/parts/{part}/pieces")
    expect(page.locator(".pieces li")).to_have_count(4)
    expect(page.locator(".pieces li").first).to_contain_text("Columns, inside")
    other = page.context.new_page()
    other.goto(f"/parts/{part}/pieces")
    press(page, "Begin")
    expect(page.locator("#piece-title")).to_have_text("Columns, inside")
    expect(page.locator(".piece-now")).to_contain_text("in hand since")
    expect(other.locator(".piece-now")).to_contain_text("in hand since")  # within the second that news take
    press(page, "Pause")
    expect(page.get_by_role("button", name="Go on")).to_be_visible()
    press(page, "Take the last press back")
    expect(page.get_by_role("button", name="Pause")).to_be_visible()
    page.get_by_role("button", name="Top rail: earlier").click()
    expect(page.get_by_role("button", name="By the rule again")).to_be_visible()
    other.close()


def test_photos_are_brought_in_together_and_a_tap_on_one_is_a_mark(page, served, tmp_path):
    part = radiator(page, served)
    files = []
    for n in range(2):
        files.append(tmp_path / f"side {n}.jpg")
        files[-1].write_bytes(written(400 + n, 300))
    page.goto(f"/parts/{part}/photos")
    page.get_by_label("Photo", exact=False).first.set_input_files(files)
    page.get_by_role("button", name="Keep the photo").click()
    expect(page.locator(".photos li")).to_have_count(2)
    with served.shop.workshop.read() as unit:
        assert len(of_part(unit, part)) == 2
    wrong = tmp_path / "words.jpg"
    wrong.write_text("no photo")
    page.get_by_label("Photo", exact=False).first.set_input_files(wrong)
    page.get_by_label("What it shows").fill("the left foot")
    page.get_by_role("button", name="Keep the photo").click()
    expect(page.locator("#n-photo")).to_contain_text("no photo that can be read")
    expect(page.get_by_label("What it shows")).to_have_value("the left foot")
    right = tmp_path / "foot.jpg"  # and the same form takes another one
    right.write_bytes(written(300, 300))
    page.get_by_label("Photo", exact=False).first.set_input_files(right)
    page.get_by_role("button", name="Keep the photo").click()
    expect(page.locator(".photos li")).to_have_count(3)
    page.locator(".photos a").first.click()
    page.get_by_role("link", name="Mark places on it").click()
    page.locator("[data-outline-photo]").click(position={"x": 60, "y": 60})
    page.get_by_label("Zone", exact=True).select_option("Top rail")
    page.get_by_label("What it is").select_option("thin")
    page.get_by_role("button", name="Mark it", exact=True).click()
    expect(page.locator(".outline-pin")).to_have_count(1)
    expect(page.locator(".marks li")).to_contain_text("Top rail")


def test_an_entry_is_put_right_in_its_dialog_and_stands_as_before_by_one_press(page, served):
    part = radiator(page, served)
    page.goto(f"/parts/{part}")
    line = page.locator(".log li", has_text="coated").first
    line.get_by_role("button", name=re.compile("^Correct")).click()
    page.get_by_label("Wet film, measured").fill("90")
    page.get_by_role("button", name="Put it right").click()
    expect(page.locator(".log")).to_contain_text("90 µm wet")
    expect(page.locator(".log")).to_contain_text("was:")
    page.get_by_role("button", name=re.compile("^As it was before")).click()
    expect(page.locator(".log")).not_to_contain_text("was:")
    page.locator(".story-here").scroll_into_view_if_needed()
    expect(page.get_by_role("heading", name="Promised against came")).to_be_visible()

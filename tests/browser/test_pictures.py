"""Every picture of a page is saved as an SVG that needs nothing from elsewhere, and looks as it is seen."""

import io
import re
from xml.etree import ElementTree as ET

import pytest
from PIL import Image, ImageChops, ImageStat

SVG = "{http://www.w3.org/2000/svg}"
PAGES = ("/", "/parts/PART", "/parts/PART/story", "/gun/field", "/weather")


@pytest.fixture
def part_of_demo(served):
    """A part of the demo shop with a film on it."""
    return re.search(r'/parts/([0-9a-f-]{36})"[^>]*>Column radiator', served.shop.http.get("/jobs").text)[1]


def saved(page, n):
    """Save the picture at a place of the list; return its file name and text."""
    with page.expect_download() as download:
        page.locator("[data-pictures-list] button").nth(n).evaluate("button => button.click()")
    return download.value.suggested_filename, download.value.path().read_text("utf-8")


def listed(page):
    page.keyboard.press("?")
    page.locator("[data-pictures] summary").click()
    page.wait_for_function("document.querySelector('[data-pictures]').open")
    return page.locator("[data-pictures-list] button").count()


def whole(text):
    """Check that an SVG is sound and whole; return its root."""
    root = ET.fromstring(text)
    assert root.tag == f"{SVG}svg"
    assert root.find(f"{SVG}title").text
    ids = {e.get("id") for e in root.iter() if e.get("id")}
    assert set(re.findall(r"url\([\"']?#([^\"')]+)", text)) <= ids
    for element in root.iter():
        assert element.tag.startswith(SVG)
        assert not set(element.attrib) & {"class", "style", "onclick", "hx-get", "data-at"}
        assert "rgba" not in str(element.attrib)
        if element.tag == f"{SVG}image":
            assert element.get("href").startswith("data:image/")
    return root


@pytest.mark.parametrize("address", PAGES)
def test_pictures_of_a_page_are_saved_sound_and_whole(page, served, part_of_demo, address):
    page.goto(address.replace("PART", part_of_demo))
    count = listed(page)
    assert count
    for n in range(min(count, 5)):
        name, text = saved(page, n)
        assert re.fullmatch(r"[a-z0-9-]+\.svg", name)
        root = whole(text)
        shapes = [
            e for e in root.iter() if e.tag.removeprefix(SVG) in ("rect", "path", "circle", "line", "text", "image")
        ]
        assert shapes, name
        assert all(e.get("fill") or e.get("href") for e in shapes)


def test_what_is_saved_looks_as_it_is_seen(page, browser, served, part_of_demo):
    page.goto(f"/parts/{part_of_demo}")
    listed(page)
    place = page.evaluate(
        """() => Array.from(document.querySelectorAll('svg[role="img"], svg[role="group"], canvas[role="img"]'))
           .filter((p) => p.getClientRects().length).findIndex((p) => p.classList.contains("film"))"""
    )
    _, text = saved(page, place)
    page.keyboard.press("Escape")
    seen = page.locator("svg.film").first.screenshot()
    blank = browser.new_page()
    blank.set_content(f"<body style='margin:0;background:#fbfdfc'>{text[text.index('<svg') :]}")
    alone = blank.locator("svg").first.screenshot()
    blank.close()
    one, other = (Image.open(io.BytesIO(shot)).convert("RGB") for shot in (seen, alone))
    assert abs(one.width - other.width) <= 2
    different = ImageChops.difference(one.resize((200, 150)), other.resize((200, 150)))
    assert sum(ImageStat.Stat(different).mean) / 3 < 8  # of 255: letters differ where a font is not there
    assert sum(ImageStat.Stat(one).stddev) / 3 > 20  # and there is something to see

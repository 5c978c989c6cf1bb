"""What was told, read and found right stays as it was told: any figure, word or order that moves is seen."""

import difflib

import pytest
from tests.told.pages import FOLDER, PAGES


@pytest.mark.parametrize("name", PAGES)
def test_what_was_read_is_still_told(name):
    read, told = (FOLDER / f"{name}.txt").read_text(), PAGES[name]()
    moved = list(difflib.unified_diff(read.splitlines(), told.splitlines(), "read", "told", lineterm="", n=0))
    assert not moved, "\n".join(moved[:40])


def test_every_page_that_was_read_is_told():
    assert {file.stem for file in FOLDER.glob("*.txt")} == set(PAGES)

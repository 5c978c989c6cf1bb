"""Tell everything anew."""

from tests.told.pages import FOLDER, PAGES

for name, tell in PAGES.items():
    (FOLDER / f"{name}.txt").write_text(tell())

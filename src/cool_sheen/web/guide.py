"""The guide: the user's handbook as a page, and which chapter of it speaks of which page."""

import re
from dataclasses import dataclass
from functools import cache
from importlib.resources import files
from itertools import pairwise

from markupsafe import Markup

# The chapter that speaks of a page, by the beginning of its address; the first that fits.
_CHAPTERS: tuple[tuple[str, str], ...] = (
    (r"/parts/[^/]+/survey", "survey-know-what-is-underneath"),
    (r"/parts/[^/]+/system", "systems-build-the-stack-on-it"),
    (r"/clinic|/parts/[^/]+/clinic", "clinic"),
    (r"/parts/[^/]+/(inspect|mishap)", "inspect-mend-and-read-the-film"),
    (r"/parts/[^/]+/(pieces|photos|story)|/next-time", "pieces-photos-notes-and-the-story"),
    (r"/parts/", "a-part"),
    (r"/projects/[^/]+/people", "records"),
    (r"/jobs/bring", "records"),
    (r"/jobs|/projects", "jobs"),
    (r"/plan", "plan"),
    (r"/mix", "mix"),
    (r"/stores", "stores"),
    (r"/weather|/spaces", "weather"),
    (r"/gun", "gun"),
    (r"/records", "records"),
    (r"/systems", "systems-build-the-stack-on-it"),
    (r"/shelf", "shelf"),
    (r"/shop/scripts", "scripts-and-wall-displays"),
    (r"/shop", "the-shop"),
    (r"/start", "first-start"),
    (r"/data", "data-and-copies"),
    (r"/device|/away", "several-devices"),
    (r"/$", "the-bench"),
)


@dataclass(frozen=True, slots=True)
class Guide:
    """The guide as HTML, and its chapters by name and title."""

    html: Markup
    chapters: tuple[tuple[str, str], ...]


@cache
def guide() -> Guide:
    """Return the guide that ships, every chapter under a name of its own."""
    from markdown_it import MarkdownIt  # a start of the program does not wait for what reads a handbook

    source = (files("cool_sheen") / "guide.md").read_text("utf-8")
    reader = MarkdownIt("commonmark", {"html": False}).enable("table")
    tokens, chapters = reader.parse(source), []
    for opens, words in pairwise(tokens):
        if opens.type == "heading_open" and opens.tag == "h2":
            name = name_of(words.content)
            opens.attrSet("id", name)
            chapters.append((name, words.content))
    return Guide(Markup(reader.renderer.render(tokens, reader.options, {})), tuple(chapters))  # noqa: S704 - our own text


def name_of(title: str) -> str:
    """Return the name that a chapter's title makes."""
    return re.sub(r"[^a-z0-9]+", "-", title.lower()).strip("-")


def chapter_of(path: str) -> str:
    """Return the chapter that speaks of a page."""
    return next((name for pattern, name in _CHAPTERS if re.match(pattern, path)), "the-bench")

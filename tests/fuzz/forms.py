"""Forms as the pages have them, filled as a browser would, and then spoiled."""

import random
from collections.abc import Iterator
from dataclasses import dataclass, field
from html.parser import HTMLParser
from typing import Any
from uuid import uuid4

from tests.fuzz import nasty


@dataclass
class Form:
    """A form of a page: where it goes, and what each of its fields offers."""

    action: str
    page: str
    offers: dict[str, list[str]] = field(default_factory=dict)
    files: set[str] = field(default_factory=set)


class _Reader(HTMLParser):
    def __init__(self, page: str) -> None:
        super().__init__()
        self.page, self.forms, self._form, self._select = page, [], None, ""

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        of = {name: value or "" for name, value in attrs}
        if tag == "form":
            action = of.get("hx-post") or (
                of.get("action", self.page) if of.get("method", "").lower() == "post" else ""
            )
            self._form = Form(action, self.page) if action else None
            if self._form:
                self.forms.append(self._form)
        elif self._form is not None and of.get("name"):
            offers = self._form.offers.setdefault(of["name"], [])
            if tag == "select":
                self._select = of["name"]
            elif of.get("type") == "file":
                self._form.files.add(of["name"])
            else:
                offers.append(of.get("value", ""))
        elif tag == "option" and self._form is not None and self._select:
            self._form.offers[self._select].append(of.get("value", ""))

    def handle_endtag(self, tag: str) -> None:
        if tag == "form":
            self._form = None
        elif tag == "select":
            self._select = ""


def forms_of(page: str, html: str) -> list[Form]:
    """Read the forms of a page that post."""
    reader = _Reader(page)
    reader.feed(html)
    return reader.forms


def filled(form: Form, dice: random.Random) -> dict[str, str]:
    """Fill a form with what it offers."""
    out = {
        name: dice.choice(offers) if offers else "" for name, offers in form.offers.items() if name not in form.files
    }
    if "press" in out:
        out["press"] = str(uuid4())
    return out


def spoiled(form: Form, dice: random.Random) -> tuple[dict[str, Any], dict[str, Any]]:
    """Return fields and files of a form in which something is not as it should be."""
    fields: dict[str, Any] = filled(form, dice)
    if dice.random() < 0.7:
        fields.pop("seen", None)  # what was looked at long ago is refused before anything else is read
    files: dict[str, Any] = {}
    for _ in range(dice.randint(1, 4)):
        way, name = dice.random(), dice.choice(sorted(form.offers)) if form.offers else "x"
        if way < 0.6:
            fields[name] = nasty.text(dice)
        elif way < 0.7:
            fields.pop(name, None)
        elif way < 0.8:
            fields[name] = [nasty.text(dice), str(fields.get(name, "")), nasty.text(dice)]
        elif way < 0.9:
            fields[dice.choice(nasty.NAMES)] = nasty.text(dice)
        elif way < 0.95:
            fields["press"] = dice.choice(("", "x", str(uuid4())))
        else:
            files[name] = (nasty.text(dice)[:80] or "f", nasty.text(dice).encode("utf-8", "replace"))
            fields.pop(name, None)
    return fields, files


def filled_as_shown(html: str, action: str) -> dict[str, str]:
    """Return the fields of the first form that posts to an address that ends so, as a browser would send them untouched."""
    reader = _Shown(action)
    reader.feed(html)
    return reader.fields


class _Shown(HTMLParser):
    def __init__(self, action: str) -> None:
        super().__init__()
        self.action, self.fields, self._state, self._select = action, {}, "before", ""

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        of = {name: value or "" for name, value in attrs}
        if (
            tag == "form"
            and self._state == "before"
            and of.get("action", "").endswith(self.action)
            and of.get("method") == "post"
        ):
            self._state = "in"
        if self._state != "in":
            return
        if tag == "select":
            self._select, self.fields[of["name"]] = of["name"], None
        elif tag == "option" and self._select and ("selected" in of or self.fields[self._select] is None):
            self.fields[self._select] = of.get("value", "")
        elif tag == "input" and of.get("name") and (of.get("type") not in ("checkbox", "radio") or "checked" in of):
            self.fields[of["name"]] = of.get("value", "")

    def handle_endtag(self, tag: str) -> None:
        if tag == "form" and self._state == "in":
            self._state = "after"


def walk(get: Any, pages: list[str]) -> Iterator[Form]:
    """Yield the forms of some pages, each once by where it goes and what it asks."""
    seen = set()
    for page in pages:
        answer = get(page)
        if answer.status_code != 200 or "html" not in answer.headers.get("content-type", ""):
            continue
        for form in forms_of(page, answer.text):
            key = (form.action, tuple(sorted(form.offers)), tuple(form.offers.get("op", ())))
            if key not in seen:
                seen.add(key)
                yield form

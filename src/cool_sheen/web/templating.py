"""Templates: what every page knows, and the filters that turn figures into text."""

import os
from datetime import datetime
from pathlib import Path
from secrets import token_hex
from typing import Any
from zoneinfo import ZoneInfo

from fastapi import Request
from fastapi.responses import HTMLResponse
from jinja2 import BytecodeCache, Environment, FileSystemBytecodeCache, PackageLoader, StrictUndefined
from markupsafe import Markup

from cool_sheen import __version__
from cool_sheen.core.coatings.sheet_fields import SAFETY_FOOTING
from cool_sheen.core.gun.verdicts import span_words
from cool_sheen.core.units import amount, coverage, difference, pack_size, said, shown
from cool_sheen.core.work.steps import minutes_words
from cool_sheen.service.unit import NOBODY, Unit, Workshop, units_of, zone_of
from cool_sheen.service.weather_now import weather_age
from cool_sheen.web.assets import Assets
from cool_sheen.web.forms import mark
from cool_sheen.web.guide import chapter_of
from cool_sheen.web.persons import person_of
from cool_sheen.web.views.week import week_in_words

IN_THE_BOOTH = ("Bench", "Jobs", "Plan", "Mix", "Weather")  # what gloves need; the others come back by day
PAGES = (
    ("Bench", "/"), ("Jobs", "/jobs"), ("Plan", "/plan"), ("Mix", "/mix"), ("Stores", "/stores"),
    ("Weather", "/weather"), ("Gun", "/gun"), ("Clinic", "/clinic"), ("Systems", "/systems"), ("Shelf", "/shelf"),
    ("Records", "/records"),
)  # fmt: skip


def when(at: datetime | None, zone: ZoneInfo, pattern: str = "%a %-d %b %H:%M") -> str:
    """Write an instant on the shop's clock."""
    return "–" if at is None else at.astimezone(zone).strftime(pattern)


def exact(value: float, dimension: str, units: str) -> str:
    """Write a quantity so that it can be read back unchanged: for the fields of a form."""
    number, sign = shown(value, dimension, units)
    return f"{number:.5g} {sign}"


def _compiled_templates() -> BytecodeCache | None:
    """Where compiled templates are kept, beside the compiled modules; nowhere if the program's folder is not ours."""
    folder = Path(__file__).parent / "__pycache__"
    try:
        folder.mkdir(exist_ok=True)
    except OSError:
        return None
    return FileSystemBytecodeCache(str(folder)) if os.access(folder, os.W_OK) else None


def _environment() -> Environment:
    environment = Environment(
        loader=PackageLoader("cool_sheen.web"),
        autoescape=True,
        undefined=StrictUndefined,
        trim_blocks=True,
        lstrip_blocks=True,
        auto_reload=False,
        bytecode_cache=_compiled_templates(),
    )
    environment.filters.update(
        coverage=coverage,
        amount=amount,
        when=when,
        exact=exact,
        week=week_in_words,
        difference=difference,
        said=said,
        span=span_words,
        minutes=minutes_words,
        pack_size=pack_size,
    )
    return environment


def bare_environment(assets: Assets) -> Environment:
    """Return the templates for pages that know of no shop."""
    environment = _environment()
    environment.globals.update(asset=assets.url, version=__version__)
    return environment


def _load_all(environment: Environment) -> None:
    for name in environment.list_templates():
        environment.get_template(name)


def compile_templates() -> None:
    """Compile every template and keep it compiled: an installation does so once, and no start has to."""
    _load_all(_environment())


class Pages:
    """Renders templates for an application."""

    def __init__(self, workshop: Workshop, assets: Assets, *, has_demo: bool = False) -> None:
        self.workshop, self.has_demo = workshop, has_demo
        self.environment = _environment()
        self.environment.globals.update(
            asset=assets.url,
            moment=datetime.fromisoformat,
            mark=mark,
            version=__version__,
            nav=PAGES,
            booth_nav=IN_THE_BOOTH,
            safety_footing=SAFETY_FOOTING,
        )

    def load(self) -> None:
        """Load every template, before somebody waits for the first of them."""
        _load_all(self.environment)

    def show(
        self, request: Request, unit: Unit | None, template: str, status: int = 200, **context: Any
    ) -> HTMLResponse:
        """Render a page or a fragment."""
        known = self.known(unit, request.url.path, booth=request.cookies.get("booth") == "1")
        known |= {"person": person_of(request), "nobody": NOBODY}
        text = self.environment.get_template(template).render({**known, **context})
        answer = HTMLResponse(text, status, {"X-News": str(known["news"])})
        if "device" not in request.cookies:  # so that the log can say whether a press came from here
            answer.set_cookie("device", token_hex(4), max_age=315_360_000, httponly=True, samesite="strict")
        return answer

    def piece(self, unit: Unit, path: str, template: str, **context: Any) -> Markup:
        """Render a piece of a page that is kept, and put into pages as it is."""
        known = self.known(unit, path, booth=False)
        text = self.environment.get_template(template).render({**known, **context})
        return Markup(text)  # noqa: S704 - the template has escaped it

    def known(self, unit: Unit | None, path: str, *, booth: bool) -> dict[str, Any]:
        """Return what every template knows."""
        shop = unit.shop if unit is not None else None
        return {
            "shop": shop,
            "zone": zone_of(shop) if shop else ZoneInfo("UTC"),
            "units": shop.units if shop else "metric",
            "signs": units_of(shop) if shop else {},
            "now": unit.now if unit is not None else self.workshop.now(),
            "path": path,
            "news": unit.news if unit is not None else self.workshop.news.count,
            "chapter": chapter_of(path),
            "booth": booth,
            "has_demo": self.has_demo,
            "noticed": self.workshop.noticed,
            "weather_of": weather_age(unit) if unit is not None and shop else None,
        }

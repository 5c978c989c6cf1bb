"""Templates: what every page knows, and the filters that turn figures into text."""

from datetime import datetime
from typing import Any
from zoneinfo import ZoneInfo

from fastapi import Request
from fastapi.responses import HTMLResponse
from jinja2 import Environment, PackageLoader, StrictUndefined
from markupsafe import Markup

from cool_sheen import __version__
from cool_sheen.core.coatings.sheet_fields import SAFETY_FOOTING
from cool_sheen.core.units import amount, shown
from cool_sheen.service.climate import weather_age
from cool_sheen.service.unit import Unit, Workshop, units_of, zone_of
from cool_sheen.web.assets import Assets

IN_THE_BOOTH = ("Bench", "Jobs", "Mix", "Weather")  # what gloves need; the others come back by day
PAGES = (
    ("Bench", "/"), ("Jobs", "/jobs"), ("Mix", "/mix"), ("Stores", "/stores"), ("Weather", "/weather"),
    ("Systems", "/systems"), ("Shelf", "/shelf"),
)  # fmt: skip


def when(at: datetime | None, zone: ZoneInfo, pattern: str = "%a %-d %b %H:%M") -> str:
    """Write an instant on the shop's clock."""
    return "–" if at is None else at.astimezone(zone).strftime(pattern)


def exact(value: float, dimension: str, units: str) -> str:
    """Write a quantity so that it can be read back unchanged: for the fields of a form."""
    number, sign = shown(value, dimension, units)
    return f"{number:.5g} {sign}"


class Pages:
    """Renders templates for an application."""

    def __init__(self, workshop: Workshop, assets: Assets) -> None:
        self.workshop = workshop
        self.environment = Environment(
            loader=PackageLoader("cool_sheen.web"),
            autoescape=True,
            undefined=StrictUndefined,
            trim_blocks=True,
            lstrip_blocks=True,
            auto_reload=False,
        )
        self.environment.filters.update(amount=amount, when=when, exact=exact)
        self.environment.globals.update(
            asset=assets.url,
            moment=datetime.fromisoformat,
            version=__version__,
            nav=PAGES,
            booth_nav=IN_THE_BOOTH,
            safety_footing=SAFETY_FOOTING,
        )

    def load(self) -> None:
        """Compile every template, before somebody waits for the first of them."""
        for name in self.environment.list_templates():
            self.environment.get_template(name)

    def show(
        self, request: Request, unit: Unit | None, template: str, status: int = 200, **context: Any
    ) -> HTMLResponse:
        """Render a page or a fragment."""
        known = self.known(unit, request.url.path, booth=request.cookies.get("booth") == "1")
        text = self.environment.get_template(template).render({**known, **context})
        return HTMLResponse(text, status)

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
            "booth": booth,
            "weather_of": weather_age(unit) if unit is not None and shop else None,
        }

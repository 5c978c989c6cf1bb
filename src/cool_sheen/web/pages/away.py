"""The page that works when the program is out of reach: what is owed to each live part, to be logged and sent later."""

from collections.abc import Iterable
from dataclasses import dataclass
from uuid import UUID

from fastapi import APIRouter, Request
from fastapi.responses import Response

from cool_sheen.core.work.steps import CoatStep, SandStep, Step, only_on
from cool_sheen.service.confirmations import offer_of
from cool_sheen.service.part_now import PartNow, live_parts
from cool_sheen.service.work import new_id
from cool_sheen.web.assets import Assets
from cool_sheen.web.depends import PagesDep, ShopDep, UnitDep
from cool_sheen.web.security import MOST_UPLOAD_MB

router = APIRouter()
_MOST_STEPS = 6
_MOST_PARTS = 60
_NOT_HERE = ("bake", "wait", "strip", "inspect")  # with figures or a page of their own, or nothing to press


@dataclass(frozen=True, slots=True)
class Press:
    """One press: where it goes, what it says, and its fields."""

    verb: str
    words: str
    offered: str
    fields: tuple[tuple[str, str], ...]


@dataclass(frozen=True, slots=True)
class PartAway:
    """One part: what is next, and what can be logged about it without the program."""

    uuid: UUID
    name: str
    project: str
    says: str
    presses: tuple[Press, ...]


@router.get("/away")
def page(request: Request, unit: UnitDep, pages: PagesDep, shop: ShopDep) -> Response:
    """Show what is owed to each live part, so that it can be logged without an answer."""
    parts = [_away(found) for found in live_parts(unit)[:_MOST_PARTS]]
    return pages.show(request, unit, "bench/away.html", parts=parts, new_id=new_id, most_mb=MOST_UPLOAD_MB)


def _away(found: PartNow) -> PartAway:
    steps = [only_on(row.step, row.owed, found.zones) for row in found.rows if row.owed]
    steps = [step for step in steps if step.kind not in _NOT_HERE][:_MOST_STEPS]
    zones = _zones(found.action.zones or found.situation.all_zones)
    touch = (
        Press("touch", "Touched: ready", offer_of(found), (("ready", "yes"), *zones)),
        Press("touch", "Touched: not ready yet", offer_of(found), (("ready", "no"), *zones)),
    )
    presses = (*(_press(found, step) for step in steps), *(touch if found.top else ()))
    return PartAway(found.part.uuid, found.part.name, found.part.project_name, found.action.says, presses)


def _zones(zones: Iterable[UUID]) -> tuple[tuple[str, str], ...]:
    return tuple((f"zone_{zone}", "1") for zone in sorted(zones, key=str))


def _press(found: PartNow, step: Step) -> Press:
    zones, offered = _zones(step.zones), f"{found.version[1]}:{step.id}"
    if isinstance(step, CoatStep):
        return Press("coat", step.label, offered, (("layer_id", step.layer.id), *zones))
    if isinstance(step, SandStep):
        wet = (("wet", "1"),) if step.wet else ()
        return Press("sand", step.label, offered, (("grit", step.grit), *wet, *zones))
    return Press("step", step.label, offered, (("kind", step.kind), *zones))


def worker_script(assets: Assets) -> str:
    """Return the script that shows this page when the program is out of reach, with the files that it needs."""
    names = [name for name in assets.urls if name.endswith((".css", ".js", ".woff2", ".svg")) and name != _TEMPLATE]
    return assets.text(_TEMPLATE, __SHELL__=sorted(assets.urls[name] for name in names))


_TEMPLATE = "sw.template.js"

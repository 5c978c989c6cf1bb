"""The page that works when the program is out of reach: what is owed to each live part, to be logged and sent later."""

from dataclasses import dataclass
from uuid import UUID

from fastapi import APIRouter, Request
from fastapi.responses import Response

from cool_sheen.core.work.steps import CoatStep, SandStep, Step
from cool_sheen.service.doubts import offer_of
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
    fields: tuple[tuple[str, str], ...]


@dataclass(frozen=True, slots=True)
class PartAway:
    """One part: what is next, and what can be logged about it without the program."""

    uuid: UUID
    name: str
    project: str
    says: str
    offered: str
    presses: tuple[Press, ...]


@router.get("/away")
def page(request: Request, unit: UnitDep, pages: PagesDep, shop: ShopDep) -> Response:
    """Show what is owed to each live part, so that it can be logged without an answer."""
    parts = [_away(found) for found in live_parts(unit)[:_MOST_PARTS]]
    return pages.show(request, unit, "bench/away.html", parts=parts, new_id=new_id, most_mb=MOST_UPLOAD_MB)


def _away(found: PartNow) -> PartAway:
    steps = [step for step in found.ahead() if step.kind not in _NOT_HERE][:_MOST_STEPS]
    touch = (
        Press("touch", "Touched: ready", (("ready", "yes"),)),
        Press("touch", "Touched: not ready yet", (("ready", "no"),)),
    )
    presses = (*(_press(step) for step in steps), *(touch if found.top else ()))
    return PartAway(
        found.part.uuid, found.part.name, found.part.project_name, found.action.says, offer_of(found), presses
    )


def _press(step: Step) -> Press:
    zones = tuple((f"zone_{zone}", "1") for zone in sorted(step.zones, key=str))
    if isinstance(step, CoatStep):
        return Press("coat", step.label, (("layer_id", step.layer.id), *zones))
    if isinstance(step, SandStep):
        return Press("sand", step.label, (("grit", step.grit), *(("wet", "1") for _ in range(step.wet)), *zones))
    return Press("step", step.label, (("kind", step.kind), *zones))


def worker_script(assets: Assets) -> str:
    """Return the script that shows this page when the program is out of reach, with the files that it needs."""
    names = [name for name in assets.urls if name.endswith((".css", ".js", ".woff2", ".svg")) and name != _TEMPLATE]
    return assets.text(_TEMPLATE, __SHELL__=sorted(assets.urls[name] for name in names))


_TEMPLATE = "sw.template.js"

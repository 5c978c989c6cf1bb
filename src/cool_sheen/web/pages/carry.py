"""A project between machines: given out as a document, looked at, and brought in whole or not at all."""

import re
from typing import Any
from uuid import UUID

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response

from cool_sheen.formats import project_file
from cool_sheen.formats.documents import Unsound
from cool_sheen.service.carrying import bring, out
from cool_sheen.service.unit import Unit, Workshop
from cool_sheen.web.depends import FormDep, PagesDep, ShopDep, UnitDep, WorkshopDep
from cool_sheen.web.forms import Typed
from cool_sheen.web.templating import Pages

router = APIRouter()
_WEIGHS = 6  # what a document takes in memory, times its bytes


@router.get("/projects/{uuid}/project.json")
def export(uuid: UUID, unit: UnitDep, shop: ShopDep) -> Response:
    """Give a whole project out as a JSON document."""
    document = out.document_of(unit, uuid)
    name = re.sub(r"[^a-z0-9]+", "-", document.project.name.lower()).strip("-") or "project"
    headers = {"Content-Disposition": f'attachment; filename="{name}.json"'}
    return Response(project_file.written(document), media_type="application/json", headers=headers)


@router.get("/jobs/schema.json")
def schema() -> dict[str, Any]:
    """Give the JSON Schema of a project document."""
    return project_file.schema()


@router.get("/jobs/bring")
def bring_form(request: Request, pages: PagesDep, unit: UnitDep, shop: ShopDep) -> Response:
    """Ask for a project's file."""
    return _show(request, pages, unit)


@router.post("/jobs/bring")
def bring_in(request: Request, workshop: WorkshopDep, pages: PagesDep, form: FormDep, shop: ShopDep) -> Response:
    """Show what a file would bring; on the second press take it, all or nothing."""
    typed = Typed(form)
    try:
        if looked_at := typed.text("looked_at"):
            return _take(workshop, looked_at)
        content = typed.file("document")
        sound = bring.opened(content)
        with workshop.read() as unit:
            coming = bring.look(unit, sound.document)
            name = workshop.at_hand_files.put(sound, _WEIGHS * len(content))
            return _show(request, pages, unit, coming=coming, looked_at=name)
    except Unsound as unsound:
        with workshop.read() as unit:
            return _show(request, pages, unit, unsound=unsound)


def _take(workshop: Workshop, name: str) -> Response:
    sound = workshop.at_hand_files.get(name)
    if not isinstance(sound, bring.Sound):
        raise Unsound("This file was looked at too long ago: choose it again.")
    with workshop.write() as unit:
        uuid = bring.take(unit, sound)
    workshop.at_hand_files.drop(name)
    return RedirectResponse(f"/projects/{uuid}", 303)


def _show(
    request: Request,
    pages: Pages,
    unit: Unit,
    *,
    coming: bring.Coming | None = None,
    looked_at: str = "",
    unsound: Unsound | None = None,
) -> Response:
    typed = Typed({}, notes={"document": str(unsound)}) if unsound else Typed({})
    return pages.show(
        request,
        unit,
        "tend/bring.html",
        422 if unsound else 200,
        typed=typed,
        coming=coming,
        places=unsound.places if unsound else [],
        looked_at=looked_at,
        most_mb=project_file.MOST_BYTES // 1_000_000,
    )

"""The sheet of a part or of a project, to be printed; and its log, readings and climate as CSV."""

from typing import Any
from uuid import UUID

from fastapi import APIRouter, Request
from fastapi.responses import Response

from cool_sheen.formats.tables import csv_text
from cool_sheen.service import job_sheet, tending
from cool_sheen.service.part_now import PartNow, part_now, parts_of
from cool_sheen.service.story import story
from cool_sheen.service.unit import Unit
from cool_sheen.web.depends import PagesDep, ShopDep, UnitDep
from cool_sheen.web.views import section

router = APIRouter()


@router.get("/parts/{uuid}/sheet")
def of_part(request: Request, uuid: UUID, unit: UnitDep, pages: PagesDep, shop: ShopDep) -> Response:
    """Show the sheet of a part."""
    found = part_now(unit, uuid)
    return _show(request, unit, pages, found.part.project_uuid, [job_sheet.sheet_of(unit, found)], found.part.name)


@router.get("/projects/{uuid}/sheet")
def of_project(request: Request, uuid: UUID, unit: UnitDep, pages: PagesDep, shop: ShopDep) -> Response:
    """Show the sheet of a project, part by part."""
    project = tending.find_project(unit, uuid)
    sheets = [job_sheet.sheet_of(unit, found) for found in parts_of(unit, [uuid])]
    return _show(request, unit, pages, uuid, sheets, project.name)


def _show(
    request: Request, unit: Unit, pages: PagesDep, project: UUID, sheets: list[job_sheet.PartSheet], title: str
) -> Response:
    films = [film_of(s.found, unit.the_shop.units) for s in sheets]
    return pages.show(
        request,
        unit,
        "records/sheet.html",
        project=tending.find_project(unit, project),
        sheets=list(zip(sheets, films, strict=True)),
        title=title,
        substrates=unit.catalogue.substrates,
    )


def film_of(found: PartNow, units: str, least_um: float = 1.0) -> section.Section:
    """Return the film of a part, cut through zone by zone, as a sheet has it; it shows so much height at least. [um]"""
    canvas = section.Canvas(360, 240, 44, True, units, least_um)
    builds = {z.name: found.history.builds[z.uuid] for z in found.zones}
    return section.draw(builds, found.system, found.products, canvas)


@router.get("/parts/{uuid}/log.csv")
def log_csv(uuid: UUID, unit: UnitDep, shop: ShopDep) -> Response:
    """Give the log of a part out as CSV."""
    return _csv(f"log-{uuid}.csv", job_sheet.log_rows(unit, part_now(unit, uuid)))


@router.get("/parts/{uuid}/readings.csv")
def readings_csv(uuid: UUID, unit: UnitDep, shop: ShopDep) -> Response:
    """Give the film readings of a part out as CSV."""
    return _csv(f"readings-{uuid}.csv", job_sheet.reading_rows(unit, part_now(unit, uuid)))


@router.get("/parts/{uuid}/climate.csv")
def climate_csv(uuid: UUID, unit: UnitDep, shop: ShopDep) -> Response:
    """Give the climate that a part saw out as CSV, up to now."""
    told = story(unit, part_now(unit, uuid))
    return _csv(f"climate-{uuid}.csv", job_sheet.climate_rows(told, min(unit.now, told.until)))


def _csv(name: str, rows: list[list[Any]]) -> Response:
    headers = {"Content-Disposition": f'attachment; filename="{name}"'}
    return Response(csv_text(rows), media_type="text/csv; charset=utf-8", headers=headers)

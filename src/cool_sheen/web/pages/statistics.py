"""The shop's own figures: jobs against their estimates, hours by kind of work, defects by cause, yields, factors."""

from datetime import datetime, timedelta

from fastapi import APIRouter, Request
from fastapi.responses import Response

from cool_sheen.core.log.spent import WORK_WORDS
from cool_sheen.core.survey.shapes import SHAPE_WORDS
from cool_sheen.core.work.labour import WAYS, transfer_efficiency
from cool_sheen.formats.tables import csv_text
from cool_sheen.service import log_words, statistics
from cool_sheen.service.jobs import spaces_by_id
from cool_sheen.service.unit import Unit
from cool_sheen.web.depends import PagesDep, ShopDep, UnitDep
from cool_sheen.web.forms import Typed
from cool_sheen.web.views.statistics import bars, per_area

router = APIRouter(prefix="/records/statistics")
# How far back, in days; all of it when nothing.
STRETCHES: tuple[tuple[str, str, int | None], ...] = (
    ("quarter", "three months", 92), ("year", "a year", 366), ("ever", "ever", None),
)  # fmt: skip


def _since(unit: Unit, stretch: str) -> datetime | None:
    days = next((days for key, _, days in STRETCHES if key == stretch), 366)
    return unit.now - timedelta(days=days) if days else None


@router.get("")
def page(request: Request, unit: UnitDep, pages: PagesDep, shop: ShopDep, back: str = "year") -> Response:
    """Show what the shop's own records come to."""
    stretch = back if back in {key for key, *_ in STRETCHES} else "year"
    jobs = statistics.jobs(unit, _since(unit, stretch))
    learned = statistics.factors(unit)
    return pages.show(
        request,
        unit,
        "records/statistics.html",
        typed=Typed({"back": stretch}),
        stretches=[(key, words) for key, words, _ in STRETCHES],
        jobs=jobs,
        bars=bars(jobs.lines, shop.units),
        per_area=lambda hours: per_area(hours, shop.units),
        works=WORK_WORDS,
        hours_words=log_words.hours_words,
        defects=statistics.defects(unit),
        defect_name=log_words.defect_name,
        cause_words=log_words.cause_words,
        learned=statistics.yields(unit),
        book=transfer_efficiency,
        ways=WAYS,
        shapes=SHAPE_WORDS,
        factors=learned,
        product_names=statistics.names(unit, {factor.product for factor in learned}),
        space_names={uuid: space.name for uuid, space in spaces_by_id(unit).items()},
    )


@router.get("/jobs.csv")
def jobs_csv(unit: UnitDep, shop: ShopDep, back: str = "year") -> Response:
    """Give the jobs out as CSV: hours and money, estimated and as they came."""
    head: list[object] = [
        "project", "finished", "area_m2", "hours_estimated", "hours_came", "goodwill_hours", "hours_per_m2",
        "materials_estimated", "materials_came", "price", "profit", "profit_per_hour", "weighed_share",
    ]  # fmt: skip
    rows: list[list[object]] = [head]
    for job in statistics.jobs(unit, _since(unit, back)).rows:
        a = job.account
        each = "" if a.hours_per_m2 is None else f"{a.hours_per_m2:.3f}"
        rows.append(
            [job.name, a.finished, f"{a.area_m2:.3f}", f"{a.estimate.hours:.2f}", f"{a.came.hours:.2f}",
             a.came.goodwill_hours, each, a.estimate.materials, a.came.materials, a.came.price or "",
             "" if a.came.profit is None else a.came.profit, "" if a.profit_per_hour is None else a.profit_per_hour,
             f"{a.weighed:.2f}"]
        )  # fmt: skip
    headers = {"Content-Disposition": 'attachment; filename="jobs.csv"'}
    return Response(csv_text(rows), media_type="text/csv; charset=utf-8", headers=headers)

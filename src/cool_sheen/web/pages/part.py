"""A part: where it is, what is on it, what comes next; and the buttons that log work."""

from collections.abc import Callable
from dataclasses import dataclass
from datetime import timedelta
from typing import Annotated, Any
from uuid import UUID

from fastapi import APIRouter, Query, Request
from fastapi.responses import Response

from cool_sheen.core.drying.milestones import WORDS
from cool_sheen.core.film.planned import planned_build
from cool_sheen.core.inspection.enough import enough_to_sand
from cool_sheen.core.inspection.rungs import rung_ladders
from cool_sheen.core.log.entries import MIXING, Recorded
from cool_sheen.core.log.standing import Right, put_right, unvoided, voids_that_stand
from cool_sheen.core.part.status import statuses
from cool_sheen.core.plan.reach import by_date
from cool_sheen.service import log_words, looks, next_time, photos, work
from cool_sheen.service.building import findings_of
from cool_sheen.service.correcting import AMENDABLE
from cool_sheen.service.invented import invented
from cool_sheen.service.jobs import spaces_by_id
from cool_sheen.service.part_now import PartNow, part_now
from cool_sheen.service.projections import coats_of
from cool_sheen.service.shelf import newer_data
from cool_sheen.service.unit import Unit
from cool_sheen.store import log
from cool_sheen.store.models import Shop
from cool_sheen.web.depends import PagesDep, ShopDep, UnitDep
from cool_sheen.web.forms import Typed
from cool_sheen.web.views import ladder, lane, looking, ribbon, section, through
from cool_sheen.web.views.pieces import turning_words

EntryNo = Annotated[int, Query(ge=0, le=2**62)]  # of an entry of the log

router = APIRouter(prefix="/parts/{uuid}")
SPANS = {"8h": (2, 6), "2d": (12, 36), "8d": (48, 144)}


@router.get("")
def page(
    request: Request, uuid: UUID, unit: UnitDep, pages: PagesDep, shop: ShopDep, span: str = "", before: EntryNo = 0
) -> Response:
    """Show a part; its log from the newest entry on, or from before one; and what it reaches by a date."""
    context = _context(unit, shop, uuid, span, before) | _by_date(unit, uuid, request.query_params.get("by", ""))
    findings = findings_of(unit, context["found"])
    newer = newer_data(unit, context["found"].row)
    return pages.show(request, unit, "part/page.html", findings=findings, newer=newer, **context)


def _by_date(unit: Unit, uuid: UUID, by: str) -> dict[str, Any]:
    """What a part reaches by a date that was typed; nothing where none was."""
    typed = Typed({"by": by})
    at = typed.moment("by", unit.zone)
    if at is not None and at <= unit.now:
        typed.notes["by"] = "Enter a time that lies ahead."
    note = typed.notes.get("by", "")
    reached = by_date(part_now(unit, uuid).situation, at) if at and not note else None
    return {"by": reached, "by_typed": by, "by_note": note, "marks": WORDS}


@router.get("/live")
def live(request: Request, uuid: UUID, unit: UnitDep, pages: PagesDep, shop: ShopDep, span: str = "") -> Response:
    """Show what moves on a part's page."""
    return pages.show(request, unit, "part/_live.html", **_context(unit, shop, uuid, span))


def _context(unit: Unit, shop: Shop, uuid: UUID, span: str, before: EntryNo = 0) -> dict[str, Any]:
    found = part_now(unit, uuid)
    zone, now = unit.zone, unit.now
    shown = lane.lane(found, zone, shop.units)
    span = span if span in SPANS else _span(found)
    back, ahead = (timedelta(hours=h) for h in SPANS[span])
    frame = ribbon.frame_around(now, back, ahead)
    builds = {z.name: found.history.builds[z.uuid] for z in found.zones}
    return {
        "found": found,
        "lane": shown,
        "span": span,
        "spans": list(SPANS),
        "long": ribbon.draw(lane.story_of(found, found.film, lane.shut_spans(found)), frame, zone),
        "apart": _apart(found, frame, unit) if shown.zones else [],
        "section_data": section.draw(
            builds,
            found.system,
            found.products,
            section.Canvas(360, 300, 44, marks=True, units=shop.units),
            {z.name: planned_build(found.system, found.products, z).total_um for z in found.zones},
            through.showing(found),
        ),
        "by_zone": _by_zone(found),
        "ladders": [ladder.draw(found, one, shop.units) for one in rung_ladders(found.owed, found.history)],
        "marked": looking.marked_in_words(found),
        "readings": looking.reading_rows(found, shop.units),
        "enough": enough_to_sand(found.owed, found.history, found.zones),
        "rounds": looking.rounds_words(looks.rounds_to_come(found), zone),
        "counts": [(la, *coats_of(found.history, found.rows, la.id)) for la in found.system.used],
        "through": through.notices(found),
        "rest": found.rest,
        "passed": found.owed.passed_over(),
        "steps": found.rows,
        "new_id": work.new_id,
        "photos": photos.of_part(unit, uuid),
        "reminders": next_time.of_part(found),
        "lies": turning_words(found, zone),
        "cautions": cautions_of(unit, found, found.action.does),
        "substrate": unit.catalogue.substrates[found.part.substrate],
        "spaces": list(spaces_by_id(unit).values()),
        "invented": invented(unit, found.space.uuid),
        **_log_context(unit, shop, found, before),
    }


def _log_context(unit: Unit, shop: Shop, found: PartNow, before: int) -> dict[str, Any]:
    """The log of a part, the newest first, a page of it; kept as long as nothing is written about the part."""
    names = log_words.names_for(unit, found.part.uuid, found.system)
    key = ("log page", found.version, before, shop.units, frozenset(names.items()))
    made: dict[str, Any] = unit.kept.get(key, lambda: _log_page(unit, shop, found, names, before), lambda _: 200_000)
    return made


def _log_page(unit: Unit, shop: Shop, found: PartNow, names: dict[str, str], before: int) -> dict[str, Any]:
    uuid = found.part.uuid
    rows = log.page_of_part(unit.session, uuid, _ELSEWHERE, before, _LOG_PAGE + 1)
    some, voids = rows[:_LOG_PAGE], voids_that_stand(log.voids_of_part(unit.session, uuid))
    gone = {v.entry.voids for v in voids}
    right = put_right(unvoided(log.corrections_of_part(unit.session, uuid)))

    def words(row: Recorded) -> str:
        return log_words.says_logged(unit, row, names, shop.units)

    return {
        "entries": [_line(row, right.get(row.entry.uuid), words, stands=row.entry.uuid not in gone) for row in some],
        "older": some[-1].seq if len(rows) > _LOG_PAGE else 0,
        "newest_shown": not before,
        "arrival": log.first_of_part(unit.session, uuid),
        "put_back": {v.entry.voids: v.entry.uuid for v in voids},
        "mixing": MIXING,
        "timed": ("move", "strip"),
        "amendable": AMENDABLE - {"strip"},
    }


@dataclass(frozen=True, slots=True)
class LogLine:
    """A line of the log as it stands; ``was`` is what it said first, ``right`` the last word that put it right."""

    row: Recorded
    says: str
    stands: bool
    was: str = ""
    right: Recorded | None = None


def _line(row: Recorded, right: Right | None, words: Callable[[Recorded], str], *, stands: bool) -> LogLine:
    if right is None or not stands:
        return LogLine(row, words(row), stands)
    now = right.of(row)
    says, was = words(now), words(row)
    return LogLine(now, says, stands, was if was != says else "", right.word)


# With their batch, with what they put right, or with the coat of their piece.
_ELSEWHERE = ("pour", "viscosity", "stamp", "retime", "amend", "begin", "pause")
_LOG_PAGE = 60


def _apart(found: PartNow, frame: ribbon.Frame, unit: Unit) -> list[tuple[lane.ZoneRow, ribbon.Ribbon]]:
    """A ribbon for each group of zones that stands apart from the others."""
    rows = statuses(found.situation)
    words = lane.zone_rows(found, rows, unit.zone)
    return [
        (word, ribbon.draw(lane.story_of(found, row.film), frame, unit.zone))
        for word, row in zip(words, rows, strict=True)
    ]


def _by_zone(found: PartNow) -> list[tuple[str, list[list[str]]]]:
    """Return for each zone its coats by layer and kind, as they count: nothing for one zone with one kind of coats."""
    zones, layers = found.zones, found.system.used
    rows = [(zone.name, [looking.coats_in_words(found, zone, layer) for layer in layers]) for zone in zones]
    if len(zones) < 2 and all(len(words) < 2 for _, cells in rows for words in cells):
        return []
    return rows


def _span(found: PartNow) -> str:
    """Choose the shortest stretch that shows what the part waits for."""
    ends = found.action.counts_to
    if ends is None or ends - found.now < timedelta(hours=6):
        return "8h"
    return "2d" if ends - found.now < timedelta(hours=36) else "8d"


def cautions_of(unit: Unit, found: PartNow, does: str) -> list[Any]:
    """Return the cautions of a work on a part: of the product that is coated, or of the step."""
    if does not in ("coat", "touch", "touch_test"):
        return unit.catalogue.cautions_for([does], [])
    step = found.next_coat()
    return unit.catalogue.cautions_for([], [found.products[step.layer.product]] if step else [])

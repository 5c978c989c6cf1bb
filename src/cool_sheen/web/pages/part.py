"""A part: where it is, what is on it, what comes next; and the buttons that log work."""

import json
from collections.abc import Callable
from datetime import timedelta
from typing import Annotated, Any, get_args
from uuid import UUID

from fastapi import APIRouter, Query, Request
from fastapi.responses import RedirectResponse, Response

from cool_sheen.core.coatings.sheet_fields import TOUCH_WORDS
from cool_sheen.core.coatings.systems import COAT_WORDS, STEP_WORDS
from cool_sheen.core.drying.milestones import WORDS
from cool_sheen.core.film.planned import planned_build
from cool_sheen.core.inspection.enough import enough_to_sand
from cool_sheen.core.inspection.readings import read_readings
from cool_sheen.core.inspection.rungs import rung_ladders
from cool_sheen.core.log.entries import MIXING, SAND_TICKS, Recorded, SandMethod
from cool_sheen.core.log.standing import times_put_right, unvoided, voids_that_stand
from cool_sheen.core.part.status import statuses
from cool_sheen.core.plan.reach import by_date
from cool_sheen.core.survey.below import StripDepth
from cool_sheen.service import heat, log_words, looks, work
from cool_sheen.service.building import findings_of
from cool_sheen.service.doubts import AskedBack, check_offer, offer_of
from cool_sheen.service.invented import invented
from cool_sheen.service.jobs import find_part, spaces_by_id
from cool_sheen.service.part_now import PartNow, part_now
from cool_sheen.service.projections import coats_of
from cool_sheen.service.shelf import newer_data
from cool_sheen.service.unit import Asking, Refused, Unit, Workshop
from cool_sheen.store import log
from cool_sheen.store.models import Shop
from cool_sheen.web.depends import FormDep, PagesDep, ShopDep, UnitDep, WorkshopDep
from cool_sheen.web.forms import Typed
from cool_sheen.web.views import ladder, lane, looking, ribbon, section, through

EntryNo = Annotated[int, Query(ge=0, le=2**62)]  # of an entry of the log

router = APIRouter(prefix="/parts/{uuid}")
Writer = Callable[[Unit, PartNow, Typed, UUID], Recorded]
SAND_METHODS: tuple[SandMethod, ...] = get_args(SandMethod)
_DEPTHS: tuple[StripDepth, ...] = get_args(StripDepth)
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
        "cautions": cautions_of(unit, found, found.action.does),
        "substrate": unit.catalogue.substrates[found.part.substrate],
        "spaces": list(spaces_by_id(unit).values()),
        "invented": invented(unit, found.space.uuid),
        **_log_context(unit, shop, found, before),
    }


def _log_context(unit: Unit, shop: Shop, found: PartNow, before: int) -> dict[str, Any]:
    """The log of a part, the newest first, a page of it; kept as long as nothing is written about the part."""
    names = log_words.names_for(unit, found.row, found.system)
    key = ("log page", found.version, before, shop.units, frozenset(names.items()))
    made: dict[str, Any] = unit.kept.get(key, lambda: _log_page(unit, shop, found, names, before), lambda _: 200_000)
    return made


def _log_page(unit: Unit, shop: Shop, found: PartNow, names: dict[str, str], before: int) -> dict[str, Any]:
    uuid = found.part.uuid
    rows = log.page_of_part(unit.session, uuid, _ELSEWHERE, before, _LOG_PAGE + 1)
    some, voids = rows[:_LOG_PAGE], voids_that_stand(log.voids_of_part(unit.session, uuid))
    gone = {v.entry.voids for v in voids}
    return {
        "entries": [(r, log_words.says_logged(unit, r, names, shop.units), r.entry.uuid not in gone) for r in some],
        "put_right": times_put_right(unvoided(log.retimes_of_part(unit.session, uuid))),
        "older": some[-1].seq if len(rows) > _LOG_PAGE else 0,
        "newest_shown": not before,
        "arrival": log.first_of_part(unit.session, uuid),
        "put_back": {v.entry.voids: v.entry.uuid for v in voids},
        "mixing": MIXING,
        "timed": ("coat", "sand", "touch_test", "move", *STEP_WORDS),
    }


_ELSEWHERE = ("pour", "viscosity", "stamp", "retime")  # with their batch, or with the entry that they put right
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


@router.post("/coat")
def coat(request: Request, uuid: UUID, workshop: WorkshopDep, pages: PagesDep, form: FormDep) -> Response:
    """Log that a coat is on."""

    def write(unit: Unit, found: PartNow, typed: Typed, press: UUID) -> Recorded:
        film = typed.quantity("wet_film", "film", 0, 20_000, optional=True)
        kind = typed.text("coat_kind")
        if kind and kind not in COAT_WORDS:
            typed.notes["coat_kind"] = "Choose a kind of coat from the list."
        told = {
            "layer_id": typed.text("layer_id") or None,
            "zones": typed.ticked("zone"),
            "wet_film_measured_um": film,
            "coat_kind": kind or None,
        }
        at = typed.ended(unit.zone, unit.now)
        typed.stop()
        return work.coat_on(unit, found, press, work.CoatSaid.model_validate(told), at)

    return _log(request, uuid, workshop, pages, form, write)


@router.post("/touch")
def touch(request: Request, uuid: UUID, workshop: WorkshopDep, pages: PagesDep, form: FormDep) -> Response:
    """Log a touch test."""

    def write(unit: Unit, found: PartNow, typed: Typed, press: UUID) -> Recorded:
        answer = typed.text("ready")
        if answer not in ("yes", "no"):
            raise Refused("Say whether it was ready.", {"ready": "Press Ready or Not ready."})
        how = typed.text("how") or "thumb_on_tape"
        if how not in TOUCH_WORDS:
            raise Refused("Say how it was tested.", {"how": "Choose from the list."})
        told = {
            "ready": answer == "yes",
            "milestone": typed.text("milestone") or None,
            "how": how,
            "zones": typed.ticked("zone"),
        }
        at = typed.ended(unit.zone, unit.now)
        typed.stop()
        said = work.TouchSaid.model_validate(told)
        return work.touch(unit, found, press, said, at)

    return _log(request, uuid, workshop, pages, form, write)


@router.post("/sand")
def sand(request: Request, uuid: UUID, workshop: WorkshopDep, pages: PagesDep, form: FormDep) -> Response:
    """Log a sanding step."""

    def write(unit: Unit, found: PartNow, typed: Typed, press: UUID) -> Recorded:
        removal = typed.quantity("removal", "film", -0.001, 5000, optional=True)
        grit = typed.text("grit", "the grit, such as P320")
        broke_at, shows = typed.text("broke_at", most=120), typed.text("shows", most=80)
        at, minutes = typed.ended(unit.zone, unit.now), typed.number("minutes", 0.5, 1440)
        method = next((m for m in SAND_METHODS if m == (typed.text("method") or "block")), None)
        if method is None:
            typed.notes["method"] = "Choose how it was sanded from the list."
        typed.stop()
        assert method is not None  # typed.stop has seen to it
        said = work.SandSaid(
            grit=grit,
            wet=typed.flag("wet"),
            removal_um=removal,
            break_through=typed.flag("break_through"),
            broke_at=broke_at,
            shows=shows,
            method=method,
            minutes=minutes,
            ticked=tuple(words for n, words in enumerate(SAND_TICKS) if typed.flag(f"tick_{n}")),
            zones=typed.ticked("zone"),
        )
        return work.sanded(unit, found, press, said, at)

    return _log(request, uuid, workshop, pages, form, write)


@router.post("/step")
def step(request: Request, uuid: UUID, workshop: WorkshopDep, pages: PagesDep, form: FormDep) -> Response:
    """Log another step."""

    def write(unit: Unit, found: PartNow, typed: Typed, press: UUID) -> Recorded:
        at, deep = typed.ended(unit.zone, unit.now), typed.text("stripped")
        stripped = next((depth for depth in _DEPTHS if depth == deep), None)
        if stripped is None:
            raise Refused("How deep was it stripped?", {"stripped": "Choose how deep from the list."})
        typed.stop()
        zones, passed = typed.ticked("zone"), typed.text("passed") != "no"
        said = work.StepSaid(kind=typed.text("kind"), zones=zones, stripped=stripped, passed=passed)
        return work.step_done(unit, found, press, said, at)

    return _log(request, uuid, workshop, pages, form, write)


@router.post("/bake")
def bake(request: Request, uuid: UUID, workshop: WorkshopDep, pages: PagesDep, form: FormDep) -> Response:
    """Log a heat stage, or a bake."""

    def write(unit: Unit, found: PartNow, typed: Typed, press: UUID) -> Recorded:
        metal = typed.quantity("metal", "temperature", 0, 1200)
        minutes, at = typed.number("minutes", 0.5, 1440), typed.ended(unit.zone, unit.now)
        if minutes is None:
            typed.notes["minutes"] = "Enter how long it was held: 0.5 to 1440 min."
        typed.stop()
        told = {"metal_temp_c": metal, "minutes": minutes, "zones": typed.ticked("zone")}
        said = heat.BakeSaid.model_validate(told | {"ticked": _prompts(found, typed)})
        return heat.baked(unit, found, press, said, at)

    return _log(request, uuid, workshop, pages, form, write)


def _prompts(found: PartNow, typed: Typed) -> tuple[str, ...]:
    """What was ticked of what a heat stage asks for."""
    stage = heat.stage_ahead(found)
    asked = stage.to_tick if stage else ()
    return tuple(words for place, words in enumerate(asked) if typed.flag(f"tick_{place}"))


@router.post("/reading")
def reading(request: Request, uuid: UUID, workshop: WorkshopDep, pages: PagesDep, form: FormDep) -> Response:
    """Log readings of the film."""

    def write(unit: Unit, found: PartNow, typed: Typed, press: UUID) -> Recorded:
        zones, text = typed.ticked("zone"), typed.text("readings", most=2000)
        wet = typed.text("state") != "dry"
        typed.stop()
        return looks.read_film(unit, found, press, read_readings(text, typed.units), zones, wet=wet)

    return _log(request, uuid, workshop, pages, form, write)


@router.post("/note")
def note(request: Request, uuid: UUID, workshop: WorkshopDep, pages: PagesDep, form: FormDep) -> Response:
    """Log words."""

    def write(unit: Unit, found: PartNow, typed: Typed, press: UUID) -> Recorded:
        text, zones = typed.text("text", most=4000), typed.ticked("zone")
        typed.stop()
        return work.noted(unit, found, press, text, zones)

    return _log(request, uuid, workshop, pages, form, write)


@router.post("/enough")
def enough(request: Request, uuid: UUID, workshop: WorkshopDep, pages: PagesDep, form: FormDep) -> Response:
    """Log one's own word on whether enough of a layer stands for its sanding."""

    def write(unit: Unit, found: PartNow, typed: Typed, press: UUID) -> Recorded:
        answer = typed.text("enough")
        if answer not in ("yes", "no"):
            raise Refused("Say whether it is enough.", {"enough": "Press one of the two."})
        layer, zones = typed.text("layer"), typed.ticked("zone")
        typed.stop()
        return looks.judged(unit, found, press, layer, enough=answer == "yes", zones=zones)

    return _log(request, uuid, workshop, pages, form, write)


@router.post("/move")
def move(request: Request, uuid: UUID, workshop: WorkshopDep, pages: PagesDep, form: FormDep) -> Response:
    """Log that the part stands elsewhere."""

    def write(unit: Unit, found: PartNow, typed: Typed, press: UUID) -> Recorded:
        space = typed.uuid("space", "Choose a space.")
        if space is None or space not in spaces_by_id(unit):
            raise Refused("There is no such space.", {"space": "Choose a space of the list."})
        at = typed.ended(unit.zone, unit.now)
        typed.stop()
        return work.moved(unit, found, press, space, at)

    return _log(request, uuid, workshop, pages, form, write)


@router.post("/retime")
def retime(request: Request, uuid: UUID, workshop: WorkshopDep, pages: PagesDep, form: FormDep) -> Response:
    """Put the time of an entry right."""

    def write(unit: Unit, found: PartNow, typed: Typed, press: UUID) -> Recorded:
        entry = typed.uuid("entry", "There is no such entry.")
        at = typed.ended(unit.zone, unit.now)
        if at is None:
            typed.notes.setdefault("at", "Enter when it ended.")
        typed.stop()
        assert entry is not None and at is not None  # noqa: PT018 - typed.stop has seen to it
        return work.retimed(unit, found, press, entry, at)

    return _log(request, uuid, workshop, pages, form, write)


@router.post("/undo")
def undo(request: Request, uuid: UUID, workshop: WorkshopDep, pages: PagesDep, form: FormDep) -> Response:
    """Take an entry back: the last one, or the one that is named."""

    def write(unit: Unit, found: PartNow, typed: Typed, press: UUID) -> Recorded:
        entry = typed.uuid("entry", "There is no such entry.") if typed.text("entry") else None
        typed.stop()
        return work.undo(unit, found, press, entry)

    return _log(request, uuid, workshop, pages, form, write)


@router.post("/skip")
def skip(request: Request, uuid: UUID, workshop: WorkshopDep, pages: PagesDep, form: FormDep) -> Response:
    """Log that steps are not done, and why."""

    def write(unit: Unit, found: PartNow, typed: Typed, press: UUID) -> Recorded:
        reason = typed.text("reason", most=400)
        typed.stop()
        return work.skipped(unit, found, press, _steps(typed), reason)

    return _log(request, uuid, workshop, pages, form, write)


@router.post("/passed")
def passed(request: Request, uuid: UUID, workshop: WorkshopDep, pages: PagesDep, form: FormDep) -> Response:
    """Log that what was passed over was done after all."""

    def write(unit: Unit, found: PartNow, typed: Typed, press: UUID) -> Recorded:
        return work.done_before(unit, found, press, _steps(typed))

    return _log(request, uuid, workshop, pages, form, write)


def _steps(typed: Typed) -> list[str]:
    """The steps that were ticked, each box named after its step."""
    return [name.removeprefix("step_") for name in typed.values if name.startswith("step_")]


def _write(workshop: Workshop, uuid: UUID, form: dict[str, Any], write: Writer) -> tuple[PartNow, Recorded, str]:
    with workshop.write() as unit:
        shop = unit.shop
        if shop is None:
            raise Refused("Set the shop up first.", status=409)
        typed = Typed(form, shop.units)
        press = typed.uuid("press", "The press has no id: load the page again.")
        if press is None:
            raise Refused("This was not logged.", typed.notes)
        found = part_now(unit, uuid)
        sure, mine = (frozenset(str(typed.values.get(name, "")).split(",")) - {""} for name in ("sure", "mine"))
        unit.asking = Asking(typed.text("offered", most=200), sure, mine)
        if log.by_uuid(unit.session, press) is None:
            check_offer(unit, found)
        return found, write(unit, found, typed, press), shop.units


_NOT_AGAIN = ("sure", "offered")


def _asked_back(
    request: Request, uuid: UUID, workshop: Workshop, pages: PagesDep, form: dict[str, Any], asked: AskedBack
) -> Response:
    """Ask back what was pressed, with all that was said: one more press logs it."""
    with workshop.read() as unit:
        found = part_now(unit, uuid)
        context: dict[str, Any] = {
            "form": "part/_asked.html",
            "found": found,
            "asked": asked,
            "action": request.url.path,
            "said": {name: value for name, value in form.items() if name not in _NOT_AGAIN and isinstance(value, str)},
            "offered": offer_of(found),
            "sure": ",".join(sorted({d.code for d in asked.doubts} | set(str(form.get("sure", "")).split(",")) - {""})),
        }
        if not request.headers.get("hx-request"):
            return pages.show(request, unit, "part/dialog.html", 409, **context)
        answer = pages.show(request, unit, "part/_asked_in_dialog.html", **context)
    answer.headers["HX-Reswap"] = "none"  # it goes where the dialog is, even when the button is gone meanwhile
    return answer


def _log(
    request: Request, uuid: UUID, workshop: Workshop, pages: PagesDep, form: dict[str, Any], write: Writer
) -> Response:
    """Log one entry and say so; from a plain form, go back to the page that it came from."""
    try:
        try:
            found, row, units = _write(workshop, uuid, form, write)
        except log.Conflict:  # the same press may have come over two connections at once: look again who was first
            found, row, units = _write(workshop, uuid, form, write)
    except AskedBack as asked:
        return _asked_back(request, uuid, workshop, pages, form, asked)
    if not request.headers.get("hx-request"):
        back = str(form.get("back", ""))
        return RedirectResponse(back if back in ("/", f"/parts/{uuid}/inspect") else f"/parts/{uuid}", 303)
    with workshop.read() as unit:
        names = log_words.names_for(unit, find_part(unit, uuid), found.system)
        response = pages.show(
            request,
            unit,
            "_logged.html",
            part=found.part,
            says=log_words.says_logged(unit, row, names, units),
            entry=row.entry,
            press=work.new_id(),
        )
    response.headers["HX-Trigger"] = json.dumps({"logged": {"part": str(uuid), "kind": row.entry.payload.kind}})
    return response

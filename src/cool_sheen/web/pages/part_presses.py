"""A part's presses: what is logged about it, one entry each."""

from typing import get_args
from uuid import UUID

from fastapi import APIRouter, Request
from fastapi.responses import Response

from cool_sheen.core.coatings.sheet_fields import TOUCH_WORDS
from cool_sheen.core.coatings.systems import COAT_WORDS
from cool_sheen.core.inspection.readings import read_readings
from cool_sheen.core.log.entries import SAND_TICKS, Recorded, SandMethod
from cool_sheen.core.log.spent import MOST_MINUTES
from cool_sheen.core.survey.below import StripDepth
from cool_sheen.service import correcting, heat, looks, next_time, spent, work
from cool_sheen.service.jobs import spaces_by_id
from cool_sheen.service.part_now import PartNow
from cool_sheen.service.unit import Refused, Unit
from cool_sheen.web.depends import FormDep, PagesDep, WorkshopDep
from cool_sheen.web.forms import Typed
from cool_sheen.web.pages.pressing import logged

router = APIRouter(prefix="/parts/{uuid}")
SAND_METHODS: tuple[SandMethod, ...] = get_args(SandMethod)
_DEPTHS: tuple[StripDepth, ...] = get_args(StripDepth)


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
            "ticked": typed.checked(),
        }
        at = typed.ended(unit.zone, unit.now)
        typed.stop()
        return work.coat_on(unit, found, press, work.CoatSaid.model_validate(told), at)

    return logged(request, uuid, workshop, pages, form, write, of_row=True)


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

    return logged(request, uuid, workshop, pages, form, write, of_row=True)


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
            ticked=(*(words for n, words in enumerate(SAND_TICKS) if typed.flag(f"tick_{n}")), *typed.checked()),
            zones=typed.ticked("zone"),
        )
        return work.sanded(unit, found, press, said, at)

    return logged(request, uuid, workshop, pages, form, write, of_row=True)


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
        said = work.StepSaid(
            kind=typed.text("kind"), zones=zones, stripped=stripped, passed=passed, ticked=typed.checked()
        )
        return work.step_done(unit, found, press, said, at)

    return logged(request, uuid, workshop, pages, form, write, of_row=True)


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

    return logged(request, uuid, workshop, pages, form, write, of_row=True)


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

    return logged(request, uuid, workshop, pages, form, write, of_row=True)


@router.post("/note")
def note(request: Request, uuid: UUID, workshop: WorkshopDep, pages: PagesDep, form: FormDep) -> Response:
    """Log words."""

    def write(unit: Unit, found: PartNow, typed: Typed, press: UUID) -> Recorded:
        text, zones = typed.text("text", most=4000), typed.ticked("zone")
        moment = typed.text("moment")
        typed.stop()
        if not moment:
            return work.noted(unit, found, press, text, zones)
        same = frozenset(name for name in next_time.SAME if typed.flag(f"same_{name}"))
        return next_time.written(unit, found, press, text, moment, same, frozenset(zones))

    return logged(request, uuid, workshop, pages, form, write)


@router.post("/hours")
def hours(request: Request, uuid: UUID, workshop: WorkshopDep, pages: PagesDep, form: FormDep) -> Response:
    """Log hands-on time."""

    def write(unit: Unit, found: PartNow, typed: Typed, press: UUID) -> Recorded:
        most = MOST_MINUTES / 60
        long = 60 * (typed.number("hours", 0, most) or 0.0) + (typed.number("minutes", 0, MOST_MINUTES) or 0.0)
        work_kind, note, at = typed.text("work"), typed.text("note", most=200), typed.ended(unit.zone, unit.now)
        typed.stop()
        return spent.hours_on(unit, found, press, work_kind, long, note, at)

    return logged(request, uuid, workshop, pages, form, write)


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

    return logged(request, uuid, workshop, pages, form, write)


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

    return logged(request, uuid, workshop, pages, form, write)


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
        return correcting.retimed(unit, found, press, entry, at)

    return logged(request, uuid, workshop, pages, form, write)


@router.post("/undo")
def undo(request: Request, uuid: UUID, workshop: WorkshopDep, pages: PagesDep, form: FormDep) -> Response:
    """Take an entry back: the last one, or the one that is named."""

    def write(unit: Unit, found: PartNow, typed: Typed, press: UUID) -> Recorded:
        entry = typed.uuid("entry", "There is no such entry.") if typed.text("entry") else None
        typed.stop()
        return correcting.undo(unit, found, press, entry, whole=typed.flag("whole"))

    return logged(request, uuid, workshop, pages, form, write)


@router.post("/skip")
def skip(request: Request, uuid: UUID, workshop: WorkshopDep, pages: PagesDep, form: FormDep) -> Response:
    """Log that steps are not done, and why."""

    def write(unit: Unit, found: PartNow, typed: Typed, press: UUID) -> Recorded:
        reason = typed.text("reason", most=400)
        typed.stop()
        return work.skipped(unit, found, press, _steps(typed), reason)

    return logged(request, uuid, workshop, pages, form, write)


@router.post("/passed")
def passed(request: Request, uuid: UUID, workshop: WorkshopDep, pages: PagesDep, form: FormDep) -> Response:
    """Log that what was passed over was done after all."""

    def write(unit: Unit, found: PartNow, typed: Typed, press: UUID) -> Recorded:
        return work.done_before(unit, found, press, _steps(typed))

    return logged(request, uuid, workshop, pages, form, write)


def _steps(typed: Typed) -> list[str]:
    """The steps that were ticked, each box named after its step."""
    return [name.removeprefix("step_") for name in typed.values if name.startswith("step_")]

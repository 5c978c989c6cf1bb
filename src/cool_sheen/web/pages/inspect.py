"""Inspect: a part looked over zone by zone, marks on its outline, what passes and what is accepted."""

import re
from functools import partial
from typing import Any
from uuid import UUID

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response
from pydantic import ValidationError

from cool_sheen.core.log.looked import BECAUSE_WORDS, MARK_WORDS, AcceptPayload, MarkPayload
from cool_sheen.service import looks, photos
from cool_sheen.service.confirmations import AskedBack
from cool_sheen.service.jobs import find_part
from cool_sheen.service.journal import pressed_before
from cool_sheen.service.part_now import PartNow, part_now
from cool_sheen.service.unit import Asking, Refused, Unit, units_of
from cool_sheen.service.work import new_id
from cool_sheen.store.models import Photo
from cool_sheen.web.depends import FormDep, PagesDep, ShopDep, UnitDep, WorkshopDep
from cool_sheen.web.forms import Typed
from cool_sheen.web.pages.form_posts import changed
from cool_sheen.web.views import looking, outline

router = APIRouter(prefix="/parts/{uuid}/inspect")
_IS_ID = re.compile(r"[0-9a-f-]{36}")
VERDICT_WORDS = (("passed", "Passes"), ("thin", "Thin"), ("not_passed", "Does not pass"), ("", "Not looked at"))


@router.get("")
def page(request: Request, uuid: UUID, unit: UnitDep, pages: PagesDep, shop: ShopDep) -> Response:
    """Show a part's outline with its marks, and the look that is owed; ``accept`` and ``zone`` open their forms."""
    asked = {name: request.query_params.get(name, "") for name in ("accept", "zone", "photo")}
    return _show(request, unit, pages, uuid, Typed({**asked, "mark": asked["accept"]}, shop.units))


def _show(request: Request, unit: Unit, pages: PagesDep, uuid: UUID, typed: Typed, status: int = 200) -> Response:
    found = part_now(unit, uuid)
    marks = looking.mark_rows(found)
    zones = looking.zone_looks(found, unit.zone)
    faces: dict[int, list[str]] = {}
    for face in find_part(unit, uuid).faces:
        faces.setdefault(face.setting, []).append(face.name)
    drawn = partial(
        outline.draw,
        found.zones,
        [(row.number, row.mark, row.state) for row in marks],
        {z.uuid: z.state for z in zones},
        {setting: " and ".join(names) for setting, names in faces.items()},
    )
    readings = looking.reading_rows(found, unit.the_shop.units)
    there = photos.of_part(unit, uuid)
    chosen = next((p for p in there if str(p.uuid) == typed.values.get("photo")), None)
    return pages.show(
        request,
        unit,
        "part/inspect.html",
        status,
        found=found,
        typed=typed,
        outlines=[("wide", drawn(outline.WIDE)), ("narrow", drawn(outline.NARROW))],
        photos=there,
        on_photo=_on_photo(chosen, marks) if chosen else None,
        marks=marks,
        zones=zones,
        step=looks.look_ahead(found),
        in_rounds=looks.ends_a_round(found),
        rounds=looking.rounds_words(looks.rounds_to_come(found), unit.zone),
        readings=looking.film_notices(readings),
        zone_choices=[(str(z.uuid), z.name) for z in zones],
        verdicts=VERDICT_WORDS,
        lights=looks.LIGHTS,
        whats=[(key, MARK_WORDS[key].capitalize()) for key in looks.WHATS],
        defects=[(d.key, d.name) for d in unit.catalogue.defects.values()],
        becauses=[(key, words.capitalize()) for key, words in BECAUSE_WORDS.items()],
        cautions=unit.catalogue.cautions_for(["inspect"], []),
        signs=units_of(unit.the_shop),
        new_id=new_id,
    )


def _on_photo(photo: Photo, marks: list[looking.MarkRow]) -> outline.OnPhoto:
    shown = [(row.number, row.mark, row.state) for row in marks]
    return outline.on_photo(photo.uuid, photo.content_hash, (photo.width, photo.height), shown)


def _post(
    request: Request, uuid: UUID, workshop: WorkshopDep, pages: PagesDep, form: dict[str, Any], write: Any
) -> Response:
    def do(unit: Unit, typed: Typed) -> None:
        press = typed.uuid("press", "The press has no id: load the page again.")
        typed.stop("This was not logged.")
        unit.asking = Asking("", frozenset(typed.text("sure").split(",")) - {""})
        try:
            write(unit, part_now(unit, uuid), typed, press)
        except AskedBack as asked:  # the same button confirms it
            typed.values = {**typed.values, "sure": ",".join(sorted({c.code for c in asked.found}))}
            raise

    def show(request: Request, unit: Unit, pages: PagesDep, typed: Typed, status: int) -> Response:
        return _show(request, unit, pages, uuid, typed, status)

    photo = str(form.get("photo", ""))
    back = f"/parts/{uuid}/inspect{f'?photo={photo}' if _IS_ID.fullmatch(photo) else ''}"
    return changed(request, workshop, pages, form, do, back, show)


@router.post("/mark")
def mark(request: Request, uuid: UUID, workshop: WorkshopDep, pages: PagesDep, form: FormDep) -> Response:
    """Log a mark."""

    def write(unit: Unit, found: PartNow, typed: Typed, press: UUID) -> None:
        zone = typed.uuid("zone", "Choose the zone.") if typed.text("zone") else None
        what, x, y = typed.text("what"), typed.number("x", 0, 1), typed.number("y", 0, 1)
        told = {"what": what, "defect": typed.text("defect") if what == "defect" else "", "x": x, "y": y}
        where, at = typed.text("where", most=120), typed.pressed_at(unit.zone)
        photo = typed.uuid("photo", "This photo is not there any more.") if typed.text("photo") else None
        typed.stop()
        if photo is not None:
            photos.find_photo(unit, uuid, photo)
        try:
            said = MarkPayload.model_validate({**told, "where": where, "photo": photo if x is not None else None})
        except ValidationError:
            raise Refused("What is it?", {"what": "Choose what it is from the list."}) from None
        looks.marked(unit, found, press, said, zone, at)

    return _post(request, uuid, workshop, pages, form, write)


@router.post("/look")
def look(request: Request, uuid: UUID, workshop: WorkshopDep, pages: PagesDep, form: FormDep) -> Response:
    """Log which zones pass, and which do not; by ``rest`` all else passes on which no defect is open."""

    def write(unit: Unit, found: PartNow, typed: Typed, press: UUID) -> None:
        said: dict[UUID, looks.Verdict] = {}
        due = looks.due_zones(found)
        allowed: dict[str, looks.Verdict] = {"passed": "passed", "thin": "thin", "not_passed": "not_passed"}
        for zone in found.zones:
            verdict = typed.text(f"zone_{zone.uuid}")
            marked = any(m.holds for m in found.history.open_marks(zone.uuid))
            if verdict in allowed:
                said[zone.uuid] = allowed[verdict]
            elif typed.flag("rest") and not marked and (not due or zone.uuid in due):
                said[zone.uuid] = "passed"
        at = typed.ended(unit.zone, unit.now)
        if typed.flag("rest") and not said and pressed_before(unit, press) is None:
            raise Refused("Nothing passes: every zone that is due has an open defect. Mend it, or accept it first.")
        typed.stop()
        lights = tuple(name for place, name in enumerate(looks.LIGHTS) if typed.flag(f"light_{place}"))
        looks.looked(unit, found, press, looks.LookSaid(said, lights), at)

    return _post(request, uuid, workshop, pages, form, write)


@router.post("/accept")
def accept(request: Request, uuid: UUID, workshop: WorkshopDep, pages: PagesDep, form: FormDep) -> Response:
    """Log that a mark, or what a reading found, stays as it is."""

    def write(unit: Unit, found: PartNow, typed: Typed, press: UUID) -> None:
        name = typed.uuid("mark", "This mark is not there any more: load the page again.")
        because, reason = typed.text("because"), typed.text("reason", most=400)
        seen_from, at = typed.quantity("seen_from", "length", 0, 1000, optional=True), typed.pressed_at(unit.zone)
        typed.stop()
        told = {"marks": (name,), "because": because or "other", "seen_from_m": seen_from}
        try:
            said = AcceptPayload.model_validate(told)
        except ValidationError:
            raise Refused("Why does it stay?", {"because": "Choose a reason from the list."}) from None
        looks.accepted(unit, found, press, said, reason, at)

    return _post(request, uuid, workshop, pages, form, write)


@router.get("/{form}")
def back_to_the_page(uuid: UUID, form: str) -> Response:
    """An address of a press, loaded again, leads to its form."""
    return RedirectResponse(f"/parts/{uuid}/inspect", 303)

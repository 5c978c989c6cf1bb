"""Photos of a part: brought in, by stage, written on, erased; and the pictures themselves."""

from collections.abc import Sequence
from uuid import UUID

from fastapi import APIRouter, Request
from fastapi.responses import FileResponse, RedirectResponse, Response

from cool_sheen.core.errors import CoreError
from cool_sheen.core.part.stage import STAGE_WORDS
from cool_sheen.formats.photos import Photo, read_photo
from cool_sheen.service import photos
from cool_sheen.service.keeping import file_of
from cool_sheen.service.part_now import part_now
from cool_sheen.service.photos import PhotoSaid
from cool_sheen.service.unit import Missing, Refused, Unit
from cool_sheen.service.work import new_id
from cool_sheen.store.models import Photo as Kept
from cool_sheen.store.photos import path_of
from cool_sheen.web.depends import FormDep, PagesDep, ShopDep, UnitDep, WorkshopDep
from cool_sheen.web.forms import Typed
from cool_sheen.web.pages.form_posts import changed
from cool_sheen.web.security import MOST_UPLOAD_MB

router = APIRouter()
STAGES = tuple(STAGE_WORDS.items())
_KEEP = "private, max-age=31536000, immutable"


@router.get("/parts/{uuid}/photos")
def page(request: Request, uuid: UUID, unit: UnitDep, pages: PagesDep, shop: ShopDep) -> Response:
    """Show a part's photos, stage by stage, and the form that brings one in."""
    return _show(request, unit, pages, uuid, Typed({}, shop.units))


def _show(request: Request, unit: Unit, pages: PagesDep, uuid: UUID, typed: Typed, status: int = 200) -> Response:
    found, there = part_now(unit, uuid), photos.of_part(unit, uuid)
    if not typed.values:
        typed = Typed({"stage": photos.stage_now(found)}, typed.units)
    return pages.show(
        request,
        unit,
        "part/photos.html",
        status,
        found=found,
        typed=typed,
        by_stage=by_stage(there),
        stages=STAGES,
        zones=found.row.live_zones,
        most_mb=MOST_UPLOAD_MB,
        new_id=new_id,
    )


def by_stage(there: Sequence[Kept]) -> list[tuple[str, list[Kept]]]:
    """Return photos by the stages of a job, in their order; a stage without one is left out."""
    rows = [(words, [p for p in there if p.stage == stage]) for stage, words in STAGES]
    return [(words, found) for words, found in rows if found]


@router.post("/parts/{uuid}/photos")
def bring(request: Request, uuid: UUID, workshop: WorkshopDep, pages: PagesDep, form: FormDep) -> Response:
    """Take a photo in; it is decoded before anybody has to wait for it."""
    photo: Photo | None = None
    refusal: Refused | None = None
    try:
        photo = read_photo(Typed(form).file("photo"))
    except CoreError as error:
        refusal = Refused(str(error), {"photo": str(error)})

    def do(unit: Unit, typed: Typed) -> None:
        press = typed.uuid("press", "The press has no id: load the page again.")
        said = _said(unit, typed)
        typed.stop("This photo was not kept.")
        if refusal is not None:
            raise refusal
        assert press is not None and photo is not None  # noqa: PT018 - they are there
        photos.brought(unit, part_now(unit, uuid), press, photo, said)

    def show(request: Request, unit: Unit, pages: PagesDep, typed: Typed, status: int) -> Response:
        return _show(request, unit, pages, uuid, typed, status)

    return changed(request, workshop, pages, form, do, f"/parts/{uuid}/photos", show)


def _said(unit: Unit, typed: Typed) -> PhotoSaid:
    return PhotoSaid(
        typed.text("stage"),
        typed.text("words", most=400),
        typed.ticked("zone"),
        typed.moment("at", unit.zone),
        typed.pressed_at(unit.zone),
    )


@router.get("/parts/{uuid}/photos/{photo}")
def one(request: Request, uuid: UUID, photo: UUID, unit: UnitDep, pages: PagesDep, shop: ShopDep) -> Response:
    """Show one photo, and what is said of it."""
    return _one(request, unit, pages, uuid, photo, None)


def _one(
    request: Request, unit: Unit, pages: PagesDep, uuid: UUID, photo: UUID, typed: Typed | None, status: int = 200
) -> Response:
    found, row = part_now(unit, uuid), photos.find_photo(unit, uuid, photo)
    if typed is None:
        taken = row.taken_at.astimezone(unit.zone)
        said = {"stage": row.stage, "words": row.words, "at": f"{taken:%Y-%m-%dT%H:%M}"}
        typed = Typed(said | {f"zone_{zone}": "1" for zone in row.zones}, unit.the_shop.units)
    names = {str(z.uuid): z.name for z in found.row.zones}
    order = [p.uuid for p in photos.of_part(unit, uuid)]
    here = order.index(row.uuid)
    return pages.show(
        request,
        unit,
        "part/photo.html",
        status,
        found=found,
        typed=typed,
        photo=row,
        stages=STAGES,
        where=", ".join(names[z] for z in row.zones if z in names),
        zones=found.row.live_zones,
        earlier=order[here - 1] if here else None,
        later=order[here + 1] if here + 1 < len(order) else None,
        number=here + 1,
        of=len(order),
    )


@router.post("/parts/{uuid}/photos/{photo}")
def say(request: Request, uuid: UUID, photo: UUID, workshop: WorkshopDep, pages: PagesDep, form: FormDep) -> Response:
    """Say something else of a photo, or erase it for good."""
    erases = form.get("does") == "erase"

    def do(unit: Unit, typed: Typed) -> None:
        if erases:
            photos.erased(unit, uuid, photo)
            return
        said = _said(unit, typed)
        typed.stop("This was not kept.")
        photos.written_on(unit, part_now(unit, uuid), photo, said)

    def show(request: Request, unit: Unit, pages: PagesDep, typed: Typed, status: int) -> Response:
        return _one(request, unit, pages, uuid, photo, typed, status)

    back = f"/parts/{uuid}/photos" if erases else f"/parts/{uuid}/photos/{photo}"
    return changed(request, workshop, pages, form, do, back, show)


@router.get("/photos/{name}.jpg")
def picture(name: str, unit: UnitDep) -> Response:
    """Send a picture, large or small, by its content's name."""
    whole, small = name.removesuffix("-small"), name.endswith("-small")
    try:
        path = path_of(file_of(unit.workshop), whole, small=small)
    except ValueError:
        raise Missing("photo") from None
    if not photos.is_kept(unit, whole) or not path.is_file():
        raise Missing("photo")
    return FileResponse(path, media_type="image/jpeg", headers={"Cache-Control": _KEEP})


@router.get("/photos")
def back_to_jobs() -> Response:
    """There is no page of all photos: they lie with their parts."""
    return RedirectResponse("/jobs", 303)

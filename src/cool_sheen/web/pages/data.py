"""The shop's data: where they are, their copies, and a copy now."""

from pathlib import Path
from tempfile import NamedTemporaryFile
from zipfile import ZIP_STORED, ZipFile

from fastapi import APIRouter, Request
from fastapi.responses import FileResponse, RedirectResponse, Response
from starlette.background import BackgroundTask

from cool_sheen.service import keeping
from cool_sheen.store import photos
from cool_sheen.store.copies import DAILY, KEEPS
from cool_sheen.store.troubles import Trouble
from cool_sheen.web.depends import FormDep, PagesDep, ShopDep, UnitDep, WorkshopDep
from cool_sheen.web.views.sizes import told_bytes

router = APIRouter(prefix="/data")


@router.get("")
def page(request: Request, unit: UnitDep, pages: PagesDep, shop: ShopDep, made: str = "", sound: str = "") -> Response:
    """Show where the data are and what copies there are."""
    return _page(request, unit, pages, made=made, sound=sound)


def _page(
    request: Request,
    unit: UnitDep,
    pages: PagesDep,
    status: int = 200,
    *,
    made: str = "",
    sound: str = "",
    trouble: str = "",
) -> Response:
    kept = keeping.kept(unit)
    return pages.show(
        request,
        unit,
        "data/page.html",
        status,
        kept=kept,
        why_words=keeping.WHY_WORDS,
        told_bytes=told_bytes,
        made=made if any(copy.file.name == made for copy in kept.copies) else "",
        sound=sound == "yes",
        trouble=trouble,
        daily_kept=KEEPS[DAILY],
    )


@router.post("/copy")
def copy(request: Request, workshop: WorkshopDep, pages: PagesDep) -> Response:
    """Make a copy now."""
    try:
        made = keeping.copy_now(workshop)
    except Trouble as trouble:
        with workshop.read() as unit:
            return _page(request, unit, pages, 503, trouble=str(trouble))
    return RedirectResponse(f"/data?made={made.file.name}", 303)


@router.post("/check")
def check(request: Request, workshop: WorkshopDep, pages: PagesDep) -> Response:
    """Look the file through."""
    broken = keeping.checked(workshop)
    if not broken:
        return RedirectResponse("/data?sound=yes", 303)
    with workshop.read() as unit:
        return _page(
            request, unit, pages, 503, trouble=f"The file is damaged ({broken[0]}). Bring the last copy back, as below."
        )


@router.post("/heard")
def heard(workshop: WorkshopDep, form: FormDep) -> Response:
    """Take a notice away that was read."""
    workshop.noticed.pop(str(form.get("notice", "")), None)
    return RedirectResponse("/", 303)


@router.get("/photos.zip")
def all_photos(workshop: WorkshopDep) -> Response:
    """Give every photo out, in one file: as each is kept, in folders as they lie beside the shop's file."""
    folder = keeping.file_of(workshop)
    out = NamedTemporaryFile(suffix=".zip", delete=False)  # noqa: SIM115 - it is sent after this, and deleted then
    with out, ZipFile(out, "w", ZIP_STORED) as packed:
        for path in photos.all_of(folder):
            packed.write(path, f"{photos.folder_of(folder).name}/{path.parent.name}/{path.name}")
    gone = BackgroundTask(Path(out.name).unlink, missing_ok=True)
    return FileResponse(out.name, media_type="application/zip", filename="cool-sheen-photos.zip", background=gone)


@router.get("/copies/{name}")
def give_out(name: str, workshop: WorkshopDep) -> Response:
    """Give a copy out, to be kept elsewhere."""
    found = keeping.copy_named(workshop, name)
    return FileResponse(found.file, media_type="application/vnd.sqlite3", filename=f"cool-sheen-{name}")

"""The clinic: why did it happen, how do I mend it? By part, zone, time and look of the defect."""

from collections.abc import Callable
from datetime import datetime
from typing import Any
from urllib.parse import urlencode
from uuid import UUID

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response

from cool_sheen.core.clinic.signs import SIGNS
from cool_sheen.core.log.looked import BECAUSE_WORDS
from cool_sheen.service.clinic import findings
from cool_sheen.service.clinic.findings import Looked
from cool_sheen.service.log_words import cause_words
from cool_sheen.service.part_now import PartNow, live_parts, part_now
from cool_sheen.service.unit import Unit
from cool_sheen.service.work import new_id
from cool_sheen.web.depends import FormDep, PagesDep, ShopDep, UnitDep, WorkshopDep
from cool_sheen.web.forms import Typed
from cool_sheen.web.pages.form_posts import changed
from cool_sheen.web.views.defect_pictures import picture_of

router = APIRouter()
_MOST_ANSWERS = 60
Write = Callable[[Unit, PartNow, UUID, Typed, UUID], None]


@router.get("/clinic")
def start(request: Request, unit: UnitDep, pages: PagesDep, shop: ShopDep, part: str = "") -> Response:
    """Choose the part; and what was found to be the cause before."""
    if part:
        return RedirectResponse(f"/parts/{part}/clinic" if _is_id(part) else "/clinic", 303)
    before = findings.found_before(unit)
    found = [
        (unit.catalogue.defects[defect].name, [(cause_words(defect, cause), n) for cause, n in causes.most_common()])
        for defect, causes in sorted(before.items())
        if defect in unit.catalogue.defects
    ]
    return pages.show(request, unit, "clinic/start.html", parts=live_parts(unit), found=found)


def _is_id(text: str) -> bool:
    try:
        UUID(text)
    except ValueError:
        return False
    return True


@router.get("/parts/{uuid}/clinic")
def page(request: Request, uuid: UUID, unit: UnitDep, pages: PagesDep, shop: ShopDep) -> Response:
    """Look into a defect."""
    return _show(request, unit, pages, uuid, Typed(dict(request.query_params), shop.units), 200)


def _show(request: Request, unit: Unit, pages: PagesDep, uuid: UUID, typed: Typed, status: int = 422) -> Response:
    found = part_now(unit, uuid)
    seen_at = min(typed.moment("at", unit.zone) or unit.now, unit.now)
    zone = _zone(found, typed)
    defect = typed.text("defect", most=60)
    said = _answers(typed)
    looked: Looked | None = None
    if defect in unit.catalogue.defects:
        looked = findings.look_into(unit, found, defect, zone, seen_at, said)
    chosen = {"zone": str(zone), "at": typed.text("at", most=30), "defect": defect}
    return pages.show(
        request,
        unit,
        "clinic/page.html",
        status,
        found=found,
        typed=typed,
        zone_chosen=zone,
        defects=list(unit.catalogue.defects.values()),
        pictures=picture_of,
        looked=looked,
        here=lambda **other: _address(uuid, chosen | {"said": _written(said)} | other),
        answered=lambda sign, yes: _address(uuid, chosen | {"said": _written({**said, sign: yes})}),
        taken_back=lambda sign: _address(
            uuid, chosen | {"said": _written({s: y for s, y in said.items() if s != sign})}
        ),
        signs=SIGNS,
        before=findings.found_before(unit).get(defect, {}),
        becauses=[(key, words.capitalize()) for key, words in BECAUSE_WORDS.items()],
        suspect_words=_suspect(unit, found, looked),
        new_id=new_id,
        cautions=unit.catalogue.cautions_for(["sand"], [looked.product] if looked and looked.product else []),
    )


def _zone(found: PartNow, typed: Typed) -> UUID:
    there = {str(z.uuid): z.uuid for z in found.zones}
    return there.get(typed.text("zone", most=60), found.zones[0].uuid)


def _answers(typed: Typed) -> dict[str, bool]:
    """What was answered so far, such as ``silicone.1,clothes.0``; what is no sign counts as not said."""
    out: dict[str, bool] = {}
    for word in typed.text("said", most=2000).split(",")[:_MOST_ANSWERS]:
        sign, _, yes = word.partition(".")
        if sign in SIGNS and yes in ("0", "1"):
            out[sign] = yes == "1"
    return out


def _written(said: dict[str, bool]) -> str:
    return ",".join(f"{sign}.{int(yes)}" for sign, yes in said.items())


def _address(uuid: UUID, fields: dict[str, str]) -> str:
    kept = {name: value for name, value in fields.items() if value}
    return f"/parts/{uuid}/clinic?{urlencode(kept)}"


def _suspect(unit: Unit, found: PartNow, looked: Looked | None) -> tuple[str, datetime] | None:
    """The coat that is suspected, in words, and when it went on."""
    if looked is None or looked.coat is None or looked.product is None:
        return None
    layer = next((la.name for la in found.system.layers if la.id == looked.coat.payload.layer_id), "")
    return f"{layer}: {looked.product.name}", looked.coat.ended_at


def _pressed(
    request: Request, uuid: UUID, workshop: WorkshopDep, pages: PagesDep, form: dict[str, Any], write: Write
) -> Response:
    """Do one press of the page, and back to it with the same things chosen."""

    def do(unit: Unit, typed: Typed) -> None:
        press = typed.uuid("press", "The press has no id: load the page again.")
        zone = typed.uuid("zone", "Choose the zone.")
        typed.stop()
        assert press is not None  # typed.stop has seen to it
        assert zone is not None
        write(unit, part_now(unit, uuid), press, typed, zone)

    def show(request: Request, unit: Unit, pages: PagesDep, typed: Typed, status: int) -> Response:
        return _show(request, unit, pages, uuid, typed, status)

    kept: dict[str, str] = {n: str(form.get(n, ""))[:200] for n in ("zone", "defect", "at", "said")}
    return changed(request, workshop, pages, form, do, _address(uuid, kept), show)


@router.post("/parts/{uuid}/clinic")
def it_was(request: Request, uuid: UUID, workshop: WorkshopDep, pages: PagesDep, form: FormDep) -> Response:
    """Log which cause it was."""

    def write(unit: Unit, found: PartNow, press: UUID, typed: Typed, zone: UUID) -> None:
        findings.it_was(unit, found, press, typed.text("defect", most=60), typed.text("cause", most=60), zone)

    return _pressed(request, uuid, workshop, pages, form, write)


@router.post("/parts/{uuid}/clinic/accept")
def accept(request: Request, uuid: UUID, workshop: WorkshopDep, pages: PagesDep, form: FormDep) -> Response:
    """Log that a defect stays as it is, and why."""

    def write(unit: Unit, found: PartNow, press: UUID, typed: Typed, zone: UUID) -> None:
        said = {"because": typed.text("because", most=20), "reason": typed.text("reason", most=400)}
        findings.left_as_it_is(unit, found, press, typed.text("defect", most=60), zone, said)

    return _pressed(request, uuid, workshop, pages, form, write)


@router.get("/parts/{uuid}/clinic/accept")
def back_to_the_clinic(uuid: UUID) -> Response:
    """An address of a press, loaded again, leads to the page."""
    return RedirectResponse(f"/parts/{uuid}/clinic", 303)

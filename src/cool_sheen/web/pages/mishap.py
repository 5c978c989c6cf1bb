"""Something went wrong: what and where, and the branch of steps that mends it, from the way back of its defect."""

import re
from typing import Any
from uuid import UUID

from fastapi import APIRouter, Request
from fastapi.responses import Response
from pydantic import ValidationError

from cool_sheen.core.film.grits import MEAN_UM
from cool_sheen.core.log.looked import MendStep
from cool_sheen.core.work.steps import minutes_words
from cool_sheen.service import mishaps
from cool_sheen.service.part_now import PartNow, part_now
from cool_sheen.service.unit import Unit
from cool_sheen.service.work import new_id
from cool_sheen.web.depends import FormDep, PagesDep, ShopDep, UnitDep, WorkshopDep
from cool_sheen.web.forms import Typed
from cool_sheen.web.pages.form_posts import changed

router = APIRouter(prefix="/parts/{uuid}/mishap")
DOES_WORDS: dict[str, str] = {
    "wait": "Wait", "sand": "Sand", "feather": "Feather the edge", "degrease": "Degrease", "wipe": "Wipe down",
    "fill": "Fill", "coat": "Coat", "polish": "Denib and polish", "inspect": "Inspect", "own": "Something else",
}  # fmt: skip
_ROWS = 8
_LASTS = re.compile(r"([0-9]+(?:[.,][0-9]+)?)\s*(min|minutes?|h|hours?|d|days?)?", re.I)
_MINUTES = {"m": 1.0, "h": 60.0, "d": 1440.0}
MOST_WAIT_MIN = 60_480.0  # six weeks


@router.get("")
def page(request: Request, uuid: UUID, unit: UnitDep, pages: PagesDep, shop: ShopDep) -> Response:
    """Show the form; with ``defect`` filled in with its way back, for the ``zone``, or to mend a ``mark``."""
    found = part_now(unit, uuid)
    asked = {name: request.query_params.get(name, "")[:200] for name in ("defect", "zone", "mark", "words")}
    values: dict[str, str] = {"defect": asked["defect"], "mark": asked["mark"], "words": asked["words"]}
    zones = [z.uuid for z in found.zones if str(z.uuid) == asked["zone"]]
    mark = next((m for m in found.history.marks.values() if str(m.uuid) == asked["mark"]), None)
    if mark is not None:
        zones = [z.uuid for z in found.zones if z.uuid in mark.open_on]
        values["defect"] = asked["defect"] or mark.payload.defect or ("thin" if mark.payload.what == "thin" else "")
        values["words"] = asked["words"] or mark.payload.where
    values |= {f"zone_{zone}": "1" for zone in zones}
    steps = mishaps.usual_steps(unit, found, values["defect"], zones)
    for number, step in enumerate(steps[:_ROWS]):
        values |= _as_typed(number, step)
    return _show(request, unit, pages, found, Typed(values, shop.units))


def _as_typed(number: int, step: MendStep) -> dict[str, str]:
    detail = step.words
    if step.does == "wait" and step.minutes:
        detail = minutes_words(step.minutes)
    elif step.grit:
        detail = f"{step.grit}{' wet' if step.wet else ''}"
    return {f"does_{number}": step.does, f"detail_{number}": detail, f"layer_{number}": step.layer_id}


def _show(request: Request, unit: Unit, pages: PagesDep, found: PartNow, typed: Typed, status: int = 200) -> Response:
    defect = unit.catalogue.defects.get(str(typed.values.get("defect", "")))
    return pages.show(
        request,
        unit,
        "part/mishap.html",
        status,
        found=found,
        typed=typed,
        defect=defect,
        defects=[(d.key, d.name) for d in unit.catalogue.defects.values()],
        does=list(DOES_WORDS.items()),
        layers=[(layer.id, layer.name) for layer in found.system.used],
        numbers=range(_ROWS),
        cautions=unit.catalogue.cautions_for(["sand"], []),
        new_id=new_id,
    )


@router.post("")
def went_wrong(request: Request, uuid: UUID, workshop: WorkshopDep, pages: PagesDep, form: FormDep) -> Response:
    """Log what went wrong, with the steps that mend it."""

    def do(unit: Unit, typed: Typed) -> None:
        press = typed.uuid("press", "The press has no id: load the page again.")
        said, at = _said(typed), typed.pressed_at(unit.zone)
        typed.stop()
        assert press is not None  # typed.stop has seen to it
        mishaps.went_wrong(unit, part_now(unit, uuid), press, said, at)

    def show(request: Request, unit: Unit, pages: PagesDep, typed: Typed, status: int) -> Response:
        return _show(request, unit, pages, part_now(unit, uuid), typed, status)

    return changed(request, workshop, pages, form, do, f"/parts/{uuid}", show)


def _said(typed: Typed) -> mishaps.MishapSaid:
    steps = [step for number in range(_ROWS) if (step := _step(typed, number)) is not None]
    patch = None
    if typed.text("patch", most=60) or typed.text("patch_area"):
        name = typed.text("patch", "a name for the patch", most=60)
        patch = {"name": name, "area_m2": typed.quantity("patch_area", "area", 0, 10_000)}
    mark = typed.uuid("mark", "This mark is not there any more.") if typed.text("mark") else None
    told: dict[str, Any] = {"defect": typed.text("defect"), "words": typed.text("words", most=200)}
    told |= {"steps": tuple(steps), "zones": typed.ticked("zone"), "patch": patch, "marks": (mark,) if mark else ()}
    typed.stop()
    return mishaps.MishapSaid.model_validate(told)


def _step(typed: Typed, number: int) -> MendStep | None:
    """One row of the form; None where nothing is chosen. What is wrong is noted beside the row."""
    does, detail = typed.text(f"does_{number}"), typed.text(f"detail_{number}", most=200)
    if not does:
        if detail:
            typed.notes[f"does_{number}"] = "Choose what is done, or empty the line."
        return None
    told: dict[str, Any] = {"does": does}
    if does == "wait":
        told["minutes"] = _minutes(typed, f"detail_{number}", detail)
        told["words"] = ""
    elif does in ("sand", "feather"):
        told |= _grit(typed, f"detail_{number}", detail)
    elif does == "coat":
        told["layer_id"] = typed.text(f"layer_{number}", "the layer")
    else:
        told["words"] = detail or ("" if does != "own" else typed.text(f"detail_{number}", "what is done", 200))
    if any(name.endswith(f"_{number}") for name in typed.notes):
        return None
    try:
        return MendStep.model_validate(told)
    except ValidationError:
        typed.notes[f"does_{number}"] = "Choose what is done from the list."
        return None


def _minutes(typed: Typed, name: str, text: str) -> float | None:
    found = _LASTS.fullmatch(text)
    minutes = float(found[1].replace(",", ".")) * _MINUTES[(found[2] or "min")[0].lower()] if found else 0.0
    if not 0 < minutes <= MOST_WAIT_MIN:
        typed.notes[name] = "Enter how long: such as 45 min, 12 h or 2 days, up to six weeks."
        return None
    return minutes


def _grit(typed: Typed, name: str, text: str) -> dict[str, Any]:
    words = text.upper().split()
    wet = "WET" in words
    grit = "".join(w for w in words if w not in ("WET", "DRY"))
    grit = f"P{grit}" if grit.isdigit() else grit
    if grit not in MEAN_UM:
        typed.notes[name] = "Enter a grit such as P320, or P800 wet."
        return {}
    return {"grit": grit, "wet": wet}

"""Notes for the next time: all of them, when each comes back, and those that are not wanted any more."""

from dataclasses import dataclass
from uuid import UUID

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response

from cool_sheen.core.log.next_time import MOMENT_WORDS, NextTime, NextTimePayload
from cool_sheen.core.units import amount
from cool_sheen.service import next_time
from cool_sheen.service.jobs import spaces_by_id
from cool_sheen.service.shelf_now import shelf_now
from cool_sheen.service.unit import Unit
from cool_sheen.service.work import new_id
from cool_sheen.web.depends import FormDep, PagesDep, ShopDep, UnitDep, WorkshopDep
from cool_sheen.web.forms import Typed
from cool_sheen.web.pages.form_posts import changed

router = APIRouter(prefix="/next-time")


@dataclass(frozen=True, slots=True)
class Row:
    """A note as the page shows it; ``when`` says when it comes back."""

    note: NextTime
    part_name: str
    when: str


@router.get("")
def page(request: Request, unit: UnitDep, pages: PagesDep, shop: ShopDep) -> Response:
    """Show every note that stands."""
    return _show(request, unit, pages, Typed({}, shop.units), 200)


def _show(request: Request, unit: Unit, pages: PagesDep, typed: Typed, status: int) -> Response:
    rows = [Row(r.note, r.part_name, _when(unit, r.note.said)) for r in next_time.everything(unit)]
    return pages.show(request, unit, "next_time.html", status, reminders=rows, typed=typed, new_id=new_id)


def _when(unit: Unit, said: NextTimePayload) -> str:
    """Say when a note comes back: at which work, and what has to be the same."""
    products, spaces = shelf_now(unit).products, spaces_by_id(unit)
    units = unit.the_shop.units
    same = [products[said.product].name if said.product in products else said.product, said.part_kind]
    same += [unit.catalogue.substrates[said.substrate].name] if said.substrate in unit.catalogue.substrates else []
    same += [f"in {spaces[said.space].name}"] if said.space in spaces else []
    if said.air_temp_c is not None:
        same.append(f"in air such as {amount(said.air_temp_c, 'temperature', units, 0)}, {said.rh_pct or 0.0:.0f} %")
    told = ", ".join(word for word in same if word)
    return f"Comes back {MOMENT_WORDS[said.moment]}{f': {told}' if told else ', on every part'}"


@router.get("/{note}/drop")
def back(note: UUID) -> Response:
    """An address of a press, loaded again, leads to the page."""
    return RedirectResponse("/next-time", 303)


@router.post("/{note}/drop")
def drop(request: Request, note: UUID, workshop: WorkshopDep, pages: PagesDep, form: FormDep) -> Response:
    """Take a note back."""

    def do(unit: Unit, typed: Typed) -> None:
        press = typed.uuid("press", "The press has no id: load the page again.")
        typed.stop()
        assert press is not None  # typed.stop has seen to it
        next_time.dropped(unit, press, note)

    return changed(request, workshop, pages, form, do, "/next-time", _show)

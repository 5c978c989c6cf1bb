"""A part's small forms: touch test, sanding, another coat, heat, another step, the time of an entry."""

from typing import Any
from uuid import UUID

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response

from cool_sheen.core.coatings.sheet_fields import TOUCH_WORDS
from cool_sheen.core.coatings.systems import CHECKS, CLOTH, STEP_WORDS
from cool_sheen.core.drying.heat import air_cure_equivalent
from cool_sheen.core.film.grits import MEAN_UM
from cool_sheen.core.inspection.comb import thin_and_heavy_um
from cool_sheen.core.log.entries import SAND_METHOD_WORDS, SAND_TICKS
from cool_sheen.core.log.next_time import MOMENT_WORDS
from cool_sheen.core.log.spent import WORK_WORDS
from cool_sheen.core.units import amount
from cool_sheen.core.work.steps import CoatStep, Step
from cool_sheen.service import correcting, heat, log_words, next_time
from cool_sheen.service.confirmations import offer_of
from cool_sheen.service.gun import cards
from cool_sheen.service.jobs import find_part
from cool_sheen.service.learning import found_ready, in_such_air
from cool_sheen.service.part_now import PartNow, part_now
from cool_sheen.service.spent import work_in_hand
from cool_sheen.service.unit import Refused, Unit
from cool_sheen.store.models import Shop
from cool_sheen.web.depends import PagesDep, ShopDep, UnitDep
from cool_sheen.web.forms import Typed
from cool_sheen.web.pages.part import cautions_of
from cool_sheen.web.views import lane, through
from cool_sheen.web.views.lane import strip_depths
from cool_sheen.web.views.times import last_times

router = APIRouter(prefix="/parts/{uuid}")


@router.get("/{dialog}")
def dialog(request: Request, uuid: UUID, dialog: str, unit: UnitDep, pages: PagesDep, shop: ShopDep) -> Response:
    """Show one of the small forms: touch test, sanding, another coat."""
    if dialog in ("move", "undo", "passed", "enough"):  # addresses of presses, loaded again
        return RedirectResponse(f"/parts/{uuid}", 303)
    if dialog not in ("touch", "sand", "coat", "bake", "strip", "skip", "step", "retime", "reading", "note", "hours"):
        raise Refused("There is nothing at this address.", status=404)
    form = f"part/_{dialog}.html"
    template = form if request.headers.get("hx-request") else "part/dialog.html"
    context = _dialog_context(unit, shop, uuid, dialog, request.query_params.get("row", ""))
    if dialog == "retime":
        context |= _to_retime(unit, shop, context["found"], request.query_params.get("entry", ""))
    return pages.show(request, unit, template, **context)


def _to_retime(unit: Unit, shop: Shop, found: PartNow, entry: str) -> dict[str, Any]:
    typed = Typed({"entry": entry})
    named = typed.uuid("entry", "There is no such entry.")
    typed.stop("There is no such entry here.")
    row = correcting.entry_to_retime(unit, found, named or found.part.uuid)
    names = log_words.names_for(unit, found.part.uuid, found.system)
    ended = row.entry.occurred_at.astimezone(unit.zone)
    return {"row": row, "says": log_words.says_logged(unit, row, names, shop.units), "ended": f"{ended:%Y-%m-%dT%H:%M}"}


_OTHERWISE = ("coat", "sand", "bake", "strip")  # steps with a dialog of their own


def row_for(found: PartNow, dialog: str, row: str) -> PartNow:
    """The part on the row that a dialog was opened from; else on the first row that the dialog logs."""
    if found.row_named(row) is not None:
        return found.on_row(row)
    kind = {"bake": "bake", "strip": "strip", "coat": "coat", "sand": "sand"}.get(dialog)
    fits = (action.row for action in found.actions if action.step is not None and action.step.kind == kind)
    return found.on_row(next(fits, found.action.row))


def zones_named(found: PartNow, dialog: str) -> dict[str, str]:
    """The zones that a dialog has ticked: those of its row, else those that what it logs can be for."""
    zones = found.action.zones
    if dialog == "coat" and not isinstance(found.action.step, CoatStep):
        rows = (row for row in found.rows if row.owed and isinstance(row.step, CoatStep))
        zones = next((row.owed for row in rows), zones)
    if dialog in ("touch", "reading"):
        coated = frozenset().union(*(film.zones for film in found.situation.films if film.top))
        zones = (zones & coated) or coated
    return {f"zone_{zone}": "1" for zone in zones or found.situation.all_zones}


def _is_first(found: PartNow, step: CoatStep | None) -> bool:
    """Whether a coat is the first that its layer has, of whatever kind."""
    steps = (s for s in found.owed.steps if isinstance(s, CoatStep) and step and s.layer.id == step.layer.id)
    first = next(steps, None)
    return first is not None and step is not None and first.id == step.id


def _dialog_context(unit: Unit, shop: Shop, uuid: UUID, dialog: str, row: str = "") -> dict[str, Any]:
    found = row_for(part_now(unit, uuid), dialog, row)
    planned = found.action.step if isinstance(found.action.step, CoatStep) else found.next_coat()
    return {
        "form": f"part/_{dialog}.html",
        "found": found,
        "zones": find_part(unit, uuid).live_zones,
        "lane": lane.lane(found, unit.zone, shop.units),
        "grits": [g for g in MEAN_UM if g.startswith("P")],
        "sand_methods": list(SAND_METHOD_WORDS.items()),
        "sand_ticks": SAND_TICKS,
        "wiped": found.history.wiped_in_vain(found.action.zones or found.situation.all_zones),
        "cloth": found.action.does in CLOTH,
        "cautions": cautions_of(unit, found, dialog),
        "hows": TOUCH_WORDS,
        "shows": through.may_show(found),
        "strip_depths": strip_depths(found),
        "range": _comb_range(found),
        "stage": heat.stage_ahead(found),
        "planned": planned,
        "first_of_layer": _is_first(found, planned),
        "named": zones_named(found, dialog),
        "asks": _asks(found, dialog),
        "gun_set": _gun_set(unit, found, shop.units) if dialog == "coat" else "",
        "moments": list(MOMENT_WORDS.items()),
        "sames": _sames(unit, found, shop.units) if dialog == "note" else [],
        "works": list(WORK_WORDS.items()),
        "work_now": work_in_hand(found) if dialog == "hours" else "",
        "left": found.owed.left(),
        "equivalent": air_cure_equivalent,
        "last_times": _last_times(unit, found, shop.units) if dialog == "touch" else "",
        "offered": offer_of(found),
        "kind": found.action.does if found.action.does in STEP_WORDS and found.action.does not in _OTHERWISE else "",
        "step_words": found.action.says
        if found.action.does == "own"
        else STEP_WORDS.get(found.action.does, "Another step"),
        "may_fail": found.action.does in CHECKS or bool(found.action.step and found.action.step.holds),
    }


def _gun_set(unit: Unit, found: PartNow, units: str) -> str:
    """How the gun is set for the next coat by a card, in words; nothing where nobody has said."""
    step = found.action.step if isinstance(found.action.step, CoatStep) else found.next_coat()
    card = cards.set_by(unit, step.layer.product, unit.now) if step and step.method in cards.SPRAYED else None
    return log_words.gun_words(card.said.in_the_log(), units) if card else ""


def _sames(unit: Unit, found: PartNow, units: str) -> list[tuple[str, str]]:
    """What can have to be the same again for a note to come back, as it is here and now."""
    here = next_time.here(found)
    air = f"such air: {amount(here.air_temp_c or 0.0, 'temperature', units, 0)}, {here.rh_pct or 0.0:.0f} %"
    product = next((p.name for p in found.products.values() if p.key == here.product), "")
    rows = (
        ("product", product),
        ("part_kind", here.part_kind),
        ("substrate", unit.catalogue.substrates[found.part.substrate].name),
        ("space", found.space.name),
        ("air", air),
    )
    return [(name, words) for name, words in rows if words]


def _asks(found: PartNow, dialog: str) -> tuple[str, ...]:
    """What the step of a dialog asks to be seen to."""
    if dialog == "coat" and not isinstance(found.action.step, CoatStep):
        step: Step | None = found.next_coat()
    else:
        step = found.action.step
    return step.to_tick if step is not None else ()


def _comb_range(found: PartNow) -> tuple[float, float, float, float] | None:
    """The wet film that the sheet of the coat on top asks for, and from where on a single place is far off. [um]"""
    if found.top is None:
        return None
    product = found.top.product
    return product.wet_film_min_um, product.wet_film_max_um, *thin_and_heavy_um(product)


def _last_times(unit: Unit, found: PartNow, units: str) -> str:
    """How long this product took to what the action waits for, the last times in such air."""
    top, mark = found.top, found.action.milestone
    if top is None:
        return ""
    air = found.climate.air_at(found.now)
    ready = found_ready(unit, top.product.key)
    mist = top.coat.payload.coat_kind == "mist"
    return last_times(in_such_air(ready, mark or top.rule.opens, air, mist=mist), units)

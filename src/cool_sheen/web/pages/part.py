"""A part: where it is, what is on it, what comes next; and the buttons that log work."""

import json
from collections.abc import Callable
from datetime import timedelta
from typing import Any
from uuid import UUID
from zoneinfo import ZoneInfo

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response
from sqlalchemy.orm import Session

from cool_sheen.core.coatings.sheets import TOUCH_WORDS
from cool_sheen.core.drying.heat import air_cure_equivalent
from cool_sheen.core.film.grits import MEAN_UM
from cool_sheen.core.film.planned import planned_build
from cool_sheen.core.log.entries import MIXING, Recorded
from cool_sheen.core.log.fold import standing, standing_voids
from cool_sheen.service import heat, sayings, work
from cool_sheen.service.building import findings_of
from cool_sheen.service.climate import look
from cool_sheen.service.desk import Desk, Refused, zone_of
from cool_sheen.service.jobs import Standing, find_part, rest_of, spaces_by_id, stand_one
from cool_sheen.service.shelf import newer_data
from cool_sheen.store import log
from cool_sheen.store.models import Shop
from cool_sheen.web.forms import Typed
from cool_sheen.web.parts import DeskDep, FormDep, PagesDep, SessionDep, ShopDep
from cool_sheen.web.views import lane, ribbon, section

router = APIRouter(prefix="/parts/{uuid}")
Writer = Callable[[Session, Standing, Typed, UUID], Recorded]
SPANS = {"8h": (2, 6), "2d": (12, 36), "8d": (48, 144)}


@router.get("")
def page(
    request: Request, uuid: UUID, desk: DeskDep, pages: PagesDep, opened: SessionDep, shop: ShopDep, span: str = ""
) -> Response:
    """Show a part."""
    context = _context(desk, opened, shop, uuid, span)
    part = context["found"].part
    findings = findings_of(desk, opened, context["found"])
    newer = newer_data(desk, opened, part)
    return pages.show(request, opened, "part/page.html", findings=findings, newer=newer, **context)


@router.get("/live")
def live(
    request: Request, uuid: UUID, desk: DeskDep, pages: PagesDep, opened: SessionDep, shop: ShopDep, span: str = ""
) -> Response:
    """Show what moves on a part's page."""
    return pages.show(request, opened, "part/_live.html", **_context(desk, opened, shop, uuid, span))


def _context(desk: Desk, opened: Session, shop: Shop, uuid: UUID, span: str) -> dict[str, Any]:
    found = stand_one(desk, opened, uuid, look(desk, opened))
    zone, now = zone_of(shop), desk.now()
    shown = lane.lane(found, zone, shop.units)
    span = span if span in SPANS else _span(found)
    back, ahead = (timedelta(hours=h) for h in SPANS[span])
    builds = {z.name: found.state.builds[z.uuid] for z in found.part.live_zones}
    rows = log.of_part(opened, uuid)
    names = {la.id: la.name for la in found.system.layers} | {
        str(s.uuid): s.name for s in spaces_by_id(opened).values()
    }
    stands = {r.entry.uuid for r in standing(rows)}
    return {
        "found": found,
        "lane": shown,
        "span": span,
        "spans": list(SPANS),
        "long": ribbon.draw(lane.story_of(found), ribbon.frame_around(now, back, ahead), zone),
        "section_data": section.draw(
            builds,
            found.system,
            found.products,
            section.Canvas(360, 300, 44, marks=True, units=shop.units),
            {z.name: planned_build(found.system, found.products, z).total_um for z in found.zones},
        ),
        "by_zone": _by_zone(desk, found),
        "counts": [(la, *lane.coats_of(found, la.id)) for la in found.system.used],
        "sequence": rest_of(desk, opened, found),
        "steps": found.steps,
        "new_id": work.new_id,
        "put_back": {r.entry.voids: r.entry.uuid for r in standing_voids(rows)},
        "entries": [
            (r, sayings.says_logged(opened, r, names, shop.units), r.entry.uuid in stands)
            for r in reversed(rows)
            if r.entry.payload.kind not in ("pour", "viscosity", "stamp")  # they stand with their batch
        ],
        "mixing": MIXING,
        "cautions": _cautions(desk, found, found.action.does),
        "substrate": desk.catalogue.substrates[found.part.substrate],
        "spaces": list(spaces_by_id(opened).values()),
    }


def _by_zone(desk: Desk, found: Standing) -> list[tuple[str, list[tuple[int, int]]]]:
    """Return for each zone how many coats of each layer count, and how many it is to have; nothing for one zone."""
    zones = found.zones
    if len(zones) < 2:
        return []
    counts = found.state.coats_by_zone
    return [
        (
            zone.name,
            [
                (counts[zone.uuid][la.id], sum(c.counted and zone.takes(c.where) for c in la.coats))
                for la in found.system.used
            ],
        )
        for zone in zones
    ]


def _names(opened: Session, found: Standing) -> dict[str, str]:
    """Return the names that the log speaks of: layers and spaces."""
    layers = {layer.id: layer.name for layer in found.system.layers}
    return layers | {str(space.uuid): space.name for space in spaces_by_id(opened).values()}


def _span(found: Standing) -> str:
    """Choose the shortest stretch that shows what the part waits for."""
    ends = found.action.counts_to
    if ends is None or ends - found.look.now < timedelta(hours=6):
        return "8h"
    return "2d" if ends - found.look.now < timedelta(hours=36) else "8d"


def _cautions(desk: Desk, found: Standing, does: str) -> list[Any]:
    """Return the cautions of a work on a part: of the product that is coated, or of the step."""
    if does not in ("coat", "touch", "touch_test"):
        return desk.catalogue.cautions_for([does], [])
    coats = (p.step for p in found.steps if p.status in ("next", "ahead") and p.step.kind == "coat")
    step = next(coats, None)
    return desk.catalogue.cautions_for([], [found.products[step.layer.product]] if step and step.layer else [])


@router.post("/coat")
def coat(request: Request, uuid: UUID, desk: DeskDep, pages: PagesDep, form: FormDep) -> Response:
    """Log that a coat is on."""

    def write(opened: Session, found: Standing, typed: Typed, press: UUID) -> Recorded:
        film = typed.quantity("wet_film", "film", 0, 20_000, optional=True)
        said = work.CoatSaid.model_validate(
            {
                "layer_id": typed.text("layer_id") or None,
                "zones": typed.ticked("zone"),
                "wet_film_measured_um": film,
                "coat_kind": typed.text("coat_kind") or None,
            }
        )
        at = typed.moment("at", _zone(desk, opened))
        typed.stop()
        return work.coat_on(desk, opened, found, press, said, at)

    return _log(request, uuid, desk, pages, form, write)


@router.post("/touch")
def touch(request: Request, uuid: UUID, desk: DeskDep, pages: PagesDep, form: FormDep) -> Response:
    """Log a touch test."""

    def write(opened: Session, found: Standing, typed: Typed, press: UUID) -> Recorded:
        answer = typed.text("ready")
        if answer not in ("yes", "no"):
            raise Refused("Say whether it was ready.", {"ready": "Press Ready or Not ready."})
        how = typed.text("how") or "thumb_on_tape"
        if how not in TOUCH_WORDS:
            raise Refused("Say how it was tested.", {"how": "Choose from the list."})
        told = {"ready": answer == "yes", "milestone": typed.text("milestone") or None, "how": how}
        said = work.TouchSaid.model_validate(told)
        return work.touch(desk, opened, found, press, said)

    return _log(request, uuid, desk, pages, form, write)


@router.post("/sand")
def sand(request: Request, uuid: UUID, desk: DeskDep, pages: PagesDep, form: FormDep) -> Response:
    """Log a sanding step."""

    def write(opened: Session, found: Standing, typed: Typed, press: UUID) -> Recorded:
        removal = typed.quantity("removal", "film", -0.001, 5000, optional=True)
        grit = typed.text("grit", "the grit, such as P320")
        at = typed.moment("at", _zone(desk, opened))
        typed.stop()
        said = work.SandSaid(
            grit=grit, wet=typed.flag("wet"), removal_um=removal, break_through=typed.flag("break_through"),
            zones=typed.ticked("zone"),
        )  # fmt: skip
        return work.sanded(desk, opened, found, press, said, at)

    return _log(request, uuid, desk, pages, form, write)


@router.post("/step")
def step(request: Request, uuid: UUID, desk: DeskDep, pages: PagesDep, form: FormDep) -> Response:
    """Log another step."""

    def write(opened: Session, found: Standing, typed: Typed, press: UUID) -> Recorded:
        return work.step_done(desk, opened, found, press, typed.text("kind"))

    return _log(request, uuid, desk, pages, form, write)


@router.post("/bake")
def bake(request: Request, uuid: UUID, desk: DeskDep, pages: PagesDep, form: FormDep) -> Response:
    """Log a heat stage, or a bake."""

    def write(opened: Session, found: Standing, typed: Typed, press: UUID) -> Recorded:
        metal = typed.quantity("metal", "temperature", 0, 1200)
        minutes, at = typed.number("minutes", 0.5, 1440), typed.moment("at", _zone(desk, opened))
        if minutes is None:
            typed.notes.setdefault("minutes", "Enter how long it was held, in minutes.")
        typed.stop()
        said = heat.BakeSaid.model_validate({"metal_temp_c": metal, "minutes": minutes})
        return heat.baked(desk, opened, found, press, said, at)

    return _log(request, uuid, desk, pages, form, write)


@router.post("/move")
def move(request: Request, uuid: UUID, desk: DeskDep, pages: PagesDep, form: FormDep) -> Response:
    """Log that the part stands elsewhere."""

    def write(opened: Session, found: Standing, typed: Typed, press: UUID) -> Recorded:
        space = typed.uuid("space", "Choose a space.")
        if space is None or space not in spaces_by_id(opened):
            raise Refused("There is no such space.", {"space": "Choose a space of the list."})
        return work.moved(desk, opened, found, press, space)

    return _log(request, uuid, desk, pages, form, write)


@router.post("/undo")
def undo(request: Request, uuid: UUID, desk: DeskDep, pages: PagesDep, form: FormDep) -> Response:
    """Take an entry back: the last one, or the one that is named."""

    def write(opened: Session, found: Standing, typed: Typed, press: UUID) -> Recorded:
        entry = typed.uuid("entry", "There is no such entry.") if typed.text("entry") else None
        typed.stop()
        return work.undo(desk, opened, found, press, entry)

    return _log(request, uuid, desk, pages, form, write)


def _zone(desk: Desk, opened: Session) -> ZoneInfo:
    shop = desk.shop(opened)
    return zone_of(shop) if shop else ZoneInfo("UTC")


def _write(desk: Desk, uuid: UUID, form: dict[str, Any], write: Writer) -> tuple[Standing, Recorded, str]:
    with desk.open() as opened:
        shop = desk.shop(opened)
        if shop is None:
            raise Refused("Set the shop up first.", status=409)
        typed = Typed(form, shop.units)
        press = typed.uuid("press", "The press has no id: load the page again.")
        if press is None:
            raise Refused("This was not logged.", typed.notes)
        found = stand_one(desk, opened, uuid, look(desk, opened))
        return found, write(opened, found, typed, press), shop.units


def _log(request: Request, uuid: UUID, desk: Desk, pages: PagesDep, form: dict[str, Any], write: Writer) -> Response:
    """Log one entry and say so; from a plain form, go back to the page that it came from."""
    try:
        found, row, units = _write(desk, uuid, form, write)
    except log.Conflict:  # the same press may have come over two connections at once: look again who was first
        found, row, units = _write(desk, uuid, form, write)
    if not request.headers.get("hx-request"):
        back = str(form.get("back", ""))
        return RedirectResponse(back if back in ("/", f"/parts/{uuid}") else f"/parts/{uuid}", 303)
    with desk.open() as opened:
        names = _names(opened, found)
        response = pages.show(
            request,
            opened,
            "_logged.html",
            part=found.part,
            says=sayings.says_logged(opened, row, names, units),
            entry=row.entry,
            press=work.new_id(),
        )
    response.headers["HX-Trigger"] = json.dumps({"logged": {"part": str(uuid), "kind": row.entry.payload.kind}})
    return response


@router.get("/{dialog}")
def dialog(
    request: Request, uuid: UUID, dialog: str, desk: DeskDep, pages: PagesDep, opened: SessionDep, shop: ShopDep
) -> Response:
    """Show one of the small forms: touch test, sanding, another coat."""
    if dialog not in ("touch", "sand", "coat", "bake"):
        raise Refused("There is nothing at this address.", status=404)
    found = stand_one(desk, opened, uuid, look(desk, opened))
    shown = lane.lane(found, zone_of(shop), shop.units)
    form = f"part/_{dialog}.html"
    return pages.show(
        request,
        opened,
        form if request.headers.get("hx-request") else "part/dialog.html",
        form=form,
        found=found,
        zones=find_part(opened, uuid).live_zones,
        lane=shown,
        grits=[g for g in MEAN_UM if g.startswith("P")],
        cautions=_cautions(desk, found, dialog),
        hows=TOUCH_WORDS,
        stage=next((p.step for p in found.steps if p.status in ("next", "ahead") and p.step.kind == "bake"), None),
        equivalent=air_cure_equivalent,
    )

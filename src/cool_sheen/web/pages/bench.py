"""The Bench: what can I do now, what closes next?"""

from datetime import UTC, datetime, timedelta
from typing import Any
from zoneinfo import ZoneInfo

from fastapi import APIRouter, Request
from fastapi.responses import Response

from cool_sheen.core.part.gate import CoatGate
from cool_sheen.core.part.placing import slowest_gate
from cool_sheen.core.work.steps import CoatStep
from cool_sheen.service.batches import recent
from cool_sheen.service.invented import invented
from cool_sheen.service.kept_plans import followed, standing, turns
from cool_sheen.service.part_now import PartNow, live_by_log, live_mark, live_parts
from cool_sheen.service.unit import Unit
from cool_sheen.store import statuses
from cool_sheen.store.models import Shop
from cool_sheen.web.depends import PagesDep, ShopDep, UnitDep
from cool_sheen.web.lane_cards import card_of
from cool_sheen.web.templating import Pages
from cool_sheen.web.views import band, mixing
from cool_sheen.web.views.lane import hours_words
from cool_sheen.web.views.ribbon import Frame, frame_around, hours

router = APIRouter()
_NO_TURN = datetime(9000, 1, 1, tzinfo=UTC)  # what no plan is about comes after all that is planned


@router.get("/")
def bench(request: Request, unit: UnitDep, pages: PagesDep, shop: ShopDep) -> Response:
    """Show the Bench."""
    return pages.show(request, unit, "bench/page.html", **_context(unit, pages, shop))


@router.get("/bench/lanes")
def lanes(request: Request, unit: UnitDep, pages: PagesDep, shop: ShopDep) -> Response:
    """Show what moves on the Bench, for the page to take over."""
    return pages.show(request, unit, "bench/_live.html", **_context(unit, pages, shop))


def _context(unit: Unit, pages: Pages, shop: Shop) -> dict[str, Any]:
    now = unit.now
    wide = frame_around(now, timedelta(hours=2), timedelta(hours=6))
    narrow = frame_around(now, timedelta(hours=1), timedelta(hours=3), 340.0)
    return {
        **board_of(unit, pages, shop),
        "wide_axis": _axis(wide, unit.zone),
        "narrow_axis": _axis(narrow, unit.zone),
        "pots": [mixing.running(b, now) for b in recent(unit) if b.open and b.pot_life_ends],
    }


def board_of(unit: Unit, pages: Pages, shop: Shop) -> dict[str, Any]:
    """The lanes in order, how many parts are finished, and the strip of the first: kept for the minute."""
    if unit.workshop.first_look is not None and not unit.works_ahead:
        return _coming(unit, *unit.workshop.first_look)
    minute = unit.now.replace(second=0, microsecond=0)
    key = ("board", live_mark(unit), minute, shop.units, shop.time_zone)
    made: dict[str, Any] = unit.kept.get(key, lambda: _board(unit, pages, shop), lambda _: 4_000)
    return made


def ready_board(unit: Unit, pages: Pages) -> None:
    """Have the lanes ready before somebody asks for them, and how the plan that is followed stands."""
    board_of(unit, pages, unit.the_shop)
    if (plan := followed(unit)) is not None:
        standing(unit, plan)


def _board(unit: Unit, pages: Pages, shop: Shop) -> dict[str, Any]:
    found = {part.part.uuid: part for part in live_parts(unit)}
    cards = [card for part in found.values() if (card := card_of(unit, pages, part)).live]
    plan = followed(unit)
    turn = turns(unit, plan, list(found.values())) if plan is not None else {}
    # What closes goes first whatever was planned; then whose turn it is by the plan; then as their films stand.
    cards.sort(key=lambda card: (card.state != "closing", turn.get(card.uuid, _NO_TURN), card.order))
    return {
        "cards": cards,
        "by_plan": bool(turn),
        "finished": statuses.count_finished(unit.settled()) + len(found) - len(cards),
        "strip": _kept_strip(unit, found[cards[0].uuid], shop) if cards else None,
        "coming": None,
    }


def _coming(unit: Unit, done: int, of: int) -> dict[str, Any]:
    """The lanes as the log has them, while their clocks are worked out for the first time."""
    return {
        "cards": [],
        "by_plan": False,
        "finished": statuses.count_finished(unit.session),
        "strip": None,
        "coming": {"done": done, "of": of, "lanes": live_by_log(unit)},
    }


def _kept_strip(unit: Unit, found: PartNow, shop: Shop) -> dict[str, object]:
    """The strip of the first part, drawn once a minute."""
    key = ("strip", found.mark, unit.now.replace(second=0, microsecond=0), shop.units, shop.time_zone)
    made: dict[str, object] = unit.kept.get(key, lambda: strip(found, unit.zone, shop), lambda _: 20_000)
    made = {**made, "invented": invented(unit, found.space.uuid)}
    return {**made, "space_name": found.space.name, "space_uuid": found.space.uuid, "part_name": found.part.name}


def _axis(frame: Frame, zone: ZoneInfo) -> dict[str, object]:
    return {"width": frame.width, "now_x": frame.x(frame.now), "hours": hours(frame, zone)}


def strip(found: PartNow, zone: ZoneInfo, shop: Shop) -> dict[str, object]:
    """Return the climate strip: the space of one part, now and for the next half day, and the gate of its next coat."""
    now, step = found.now, found.next_coat()
    product = found.products[step.layer.product] if step else None
    gate = gate_of(found, step) if step else None
    frame = frame_around(now, timedelta(hours=1), timedelta(hours=13), 430.0)
    at = found.climate.at(now)
    return {
        "air_temp_c": float(at.air_temp_c[0]),
        "rh_pct": float(at.rh_pct[0]),
        "surface_temp_c": float(at.surface_temp_c[0]),
        "margin_k": float(at.surface_temp_c[0] - at.dew_point_c[0]),
        "product": product,
        "band": band.draw(
            found.climate.series,
            frame,
            zone,
            height=64,
            shut=gate.spans(now) if gate else [],
            product_name=product.role.replace("_", " ") if product else "",
            fahrenheit=shop.units == "us",
        ),
        "gate": gate.shut_at(now) if gate else None,
        "hours": hours_words(found.action, now, zone) if step else "",
    }


def gate_of(found: PartNow, step: CoatStep) -> CoatGate:
    """Return the gate of a coat as it will really go on; where it goes on several films, of the slowest."""
    return slowest_gate(found.situation, step, found.now)

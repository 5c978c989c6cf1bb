"""The gun bench: how do I set it? Pressure, air, water, nozzle, hold; and the cards of settings that worked."""

from typing import Any
from urllib.parse import urlencode
from uuid import UUID

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response

from cool_sheen.core.gun.cards import is_alike
from cool_sheen.core.gun.guns import PLACE_WORDS, STATE_WORDS
from cool_sheen.core.gun.handling import LAY_WORDS, STROKE_WORDS
from cool_sheen.service.gun import cards
from cool_sheen.service.gun.bench import SetUp, choices_of, faults_of, set_up
from cool_sheen.service.gun.rack import chosen
from cool_sheen.service.unit import Refused, Unit
from cool_sheen.service.work import new_id
from cool_sheen.web.depends import FormDep, PagesDep, ShopDep, UnitDep, WorkshopDep
from cool_sheen.web.forms import Typed
from cool_sheen.web.pages.form_posts import changed
from cool_sheen.web.pages.gun_form import CARD_FIELDS, CARD_TURNS, card_values, read_asked, read_card, shown
from cool_sheen.web.views import airway, hold

router = APIRouter(prefix="/gun")
ROOMS = (
    ("Set it up", "/gun"), ("Field", "/gun/field"), ("Trainer", "/gun/trainer"), ("Faults", "/gun/faults"),
    ("Guns and air", "/gun/rack"),
)  # fmt: skip


@router.get("")
def page(request: Request, unit: UnitDep, pages: PagesDep, shop: ShopDep) -> Response:
    """Show a set-up worked out."""
    typed = Typed(dict(request.query_params), shop.units)
    return _show(request, unit, pages, typed, 200)


def _show(request: Request, unit: Unit, pages: PagesDep, typed: Typed, status: int = 422) -> Response:
    found = set_up(unit, read_asked(typed))
    typed.notes.update({name: note for name, note in found.feed.wrong.items() if name not in typed.notes})
    card = Typed({**card_values(found, typed.units), **_card_typed(typed)}, typed.units)
    card.notes.update(typed.notes)
    return pages.show(
        request,
        unit,
        "gun/page.html",
        status,
        rooms=ROOMS,
        found=found,
        typed=_filled(typed, found),
        card=card,
        picture=airway.draw(found.feed.found, found.feed.air, typed.units) if found.feed.found else None,
        held=hold.draw(
            found.hold,
            found.lies,
            below=found.gun.feed == "suction",
            horned=found.gun.source in ("compressor", "turbine"),
        ),
        alike=is_alike,
        thrown=cards.thrown_away(unit, found.at.product.key),
        places=[(p, w) for p, w in PLACE_WORDS.items() if p != "compressor"],
        states=list(STATE_WORDS.items()),
        lays=list(LAY_WORDS.items()),
        strokes=list(STROKE_WORDS.items()),
        card_fields=CARD_FIELDS,
        card_turns=CARD_TURNS,
        new_id=new_id,
        cautions=cautions_of(unit, found),
    )


def _filled(typed: Typed, found: SetUp) -> Typed:
    filled = Typed(shown(found, typed), typed.units)
    filled.notes.update(typed.notes)
    return filled


def _card_typed(typed: Typed) -> dict[str, Any]:
    """What was typed of a card that was refused."""
    names = [name for name, *_ in CARD_FIELDS] + [name for name, _ in CARD_TURNS] + ["overlap_pct", "note"]
    return {name: typed.values[name] for name in names if name in typed.values}


def cautions_of(unit: Unit, found: SetUp) -> list[Any]:
    """Return what can hurt with this gun and this product."""
    there = unit.catalogue.cautions_for(["clean_gun"], [found.at.product])
    return [unit.catalogue.cautions[key] for key in found.gun.cautions] + there


def _back(typed: Typed) -> str:
    """The page with the same things chosen."""
    kept = {n: str(v) for n in ("gun", "product", "part", "space", "opening") if (v := typed.values.get(n))}
    return f"/gun?{urlencode(kept)}#cards" if kept else "/gun"


@router.post("/cards")
def keep_card(request: Request, workshop: WorkshopDep, pages: PagesDep, form: FormDep) -> Response:
    """Keep a setting that worked; a refusal keeps what was typed."""

    def do(unit: Unit, typed: Typed) -> None:
        press = typed.uuid("press", "The press has no id: load the page again.")
        said = read_card(typed)
        typed.stop()
        found = set_up(unit, read_asked(Typed(dict(typed.values), typed.units)))
        said |= {
            "gun": found.one.key, "gun_name": found.gun.name, "product": found.at.product.key,
            "product_name": found.at.product.name, "temp_c": round(found.at.air_temp_c, 1),
            "rh_pct": round(found.at.rh_pct),
        }  # fmt: skip
        cards.keep(unit, press or UUID(int=0), said)

    return changed(request, workshop, pages, form, do, _back(Typed(form, "metric")), _show)


@router.post("/cards/{uuid}")
def with_card(request: Request, uuid: UUID, workshop: WorkshopDep, pages: PagesDep, form: FormDep) -> Response:
    """Set the gun by a card, throw it away, or take that back."""

    def do(unit: Unit, typed: Typed) -> None:
        does = typed.text("do")
        if does == "set":
            cards.take_up(unit, uuid)
        elif does in ("away", "back"):
            cards.throw_away(unit, uuid, back=does == "back")
        else:
            raise Refused("Choose what to do with the card.")

    return changed(request, workshop, pages, form, do, _back(Typed(form, "metric")), _show)


@router.get("/cards")
@router.get("/cards/{uuid}")
def back_to_the_bench() -> Response:
    """An address of a press, loaded again, leads to the page."""
    return RedirectResponse("/gun", 303)


@router.get("/faults")
def faults(request: Request, unit: UnitDep, pages: PagesDep, shop: ShopDep) -> Response:
    """Show what to look at when a gun misbehaves, the cheapest first, and the drill that opens its controls."""
    typed = Typed(dict(request.query_params), shop.units)
    there = choices_of(unit).guns
    one = chosen([g for g in there if g.gun.sprays], typed.text("gun", most=60))
    faults = faults_of(one.gun)
    fault = next((f for f in faults if f.key == typed.text("fault", most=60)), None)
    checks = fault.in_order() if fault else ()
    ruled = _count(typed.text("ruled", most=3), len(checks))
    return pages.show(
        request,
        unit,
        "gun/faults.html",
        rooms=ROOMS,
        one=one,
        there=[g for g in there if g.gun.sprays],
        faults=faults,
        fault=fault,
        checks=checks,
        ruled=ruled,
        cautions=[unit.catalogue.cautions[key] for key in one.gun.cautions]
        + unit.catalogue.cautions_for(["clean_gun"], []),
    )


def _count(text: str, most: int) -> int:
    return min(int(text), most) if text.isascii() and text.isdigit() else 0

"""The Survey of a part: zones and faces, the tests with their timers, and whose word counts."""

from dataclasses import dataclass
from typing import Any, TypeVar
from uuid import UUID

from fastapi import APIRouter, Request
from fastapi.responses import PlainTextResponse, RedirectResponse, Response
from pydantic import ValidationError

from cool_sheen.core.coatings.families import BELOW_WORDS, STATE_WORDS
from cool_sheen.core.coatings.sheet_fields import Strict
from cool_sheen.core.coatings.systems import STEP_WORDS, System
from cool_sheen.core.complaints import complaints
from cool_sheen.core.log.entries import ClaimPayload, SurveyTestPayload
from cool_sheen.core.survey.below import DEPTH_WORDS
from cool_sheen.core.survey.shapes import NEEDS, SHAPE_WORDS, Shape
from cool_sheen.core.survey.zones import OLD_FINISHES, STRIP_WORDS, ZONE_KINDS, bared_first, gone_off
from cool_sheen.core.units import amount, shown
from cool_sheen.core.work.labour import WAYS
from cool_sheen.service import survey
from cool_sheen.service.histories import history_of
from cool_sheen.service.jobs import find_part, zone_facts
from cool_sheen.service.journal import Press
from cool_sheen.service.unit import Refused, Unit, Workshop, zone_of
from cool_sheen.service.work import new_id
from cool_sheen.store.models import Face, Part, Shop, Zone
from cool_sheen.web.depends import FormDep, PagesDep, ShopDep, UnitDep, WorkshopDep
from cool_sheen.web.forms import Typed

router = APIRouter(prefix="/parts/{uuid}/survey")
_SIZES = {"length": "length_m", "width": "width_m", "height": "height_m", "diameter": "diameter_m"}
T = TypeVar("T", bound=Strict)
_CLAIMABLE = ("strip", "wash", "degrease", "sand", "fill", "wipe", "mask", "test_patch")
_AGE = ((48, "h", 1), (24 * 60, "d", 24))


@dataclass(frozen=True, slots=True)
class View:
    """Which form of the survey is open, and what was typed into it."""

    typed: Typed
    form: str = ""
    status: int = 200


@router.get("")
def page(request: Request, uuid: UUID, unit: UnitDep, pages: PagesDep, shop: ShopDep) -> Response:
    """Show the survey; asked with ``zone`` or ``split`` the form of a zone, with ``test`` that of a test."""
    part = find_part(unit, uuid)
    zone, split, test = (request.query_params.get(name, "") for name in ("zone", "split", "test"))
    chosen = next((z for z in part.live_zones if str(z.uuid) in (zone, split)), None)
    values = _values(part, chosen, shop, as_new=bool(split)) if chosen else {}
    typed = Typed({**Typed.of(values, shop.units).values, "test": test} if values else {"test": test}, shop.units)
    view = View(typed, "split" if split else "zone" if chosen else "")
    return _show(request, unit, pages, part, view)


def _values(part: Part, zone: Zone, shop: Shop, *, as_new: bool) -> dict[str, str]:
    """Return a zone as the form's texts; for a new one only what it is likely to share."""
    shape: dict[str, Any] = {"kind": "sheet"} if as_new else (zone.shape or {"kind": "typed"})
    out = {
        "zone": str(zone.uuid),
        "name": "" if as_new else zone.name,
        "kind": zone.kind,
        "substrate": zone.substrate or part.substrate,
        "old_finish": zone.old_finish,
        "old_state": zone.old_state,
        "strip": zone.strip,
        "face": str(zone.face_uuid),
        "keep_texture": "1" if zone.keep_texture else "",
        "word_of_another": "1" if zone.word_of_another else "",
        "from_its_area": "1" if as_new else "",
        "bare_since": zone.bare_since.astimezone(zone_of(shop)).strftime("%Y-%m-%dT%H:%M") if zone.bare_since else "",
        "shape": shape["kind"],
        "count": str(shape.get("count", 1)),
        "sides": str(shape.get("sides", 1)),
        "openness": f"{100 * shape.get('openness', 0.5):g}",
    }
    for name, field in _SIZES.items():
        out[name] = f"{shown(shape[field], 'length', shop.units)[0]:.4g}" if shape.get(field) else ""
    if not as_new:
        typed_m2 = shape.get("typed_m2", zone.area_m2)
        out["area"] = f"{shown(typed_m2, 'area', shop.units)[0]:.4g}" if shape["kind"] == "typed" else ""
    return out


def _show(request: Request, unit: Unit, pages: PagesDep, part: Part, view: View) -> Response:
    state = history_of(unit, part)
    facts = state.as_logged(zone_facts(unit, part))
    present = [zone.as_it_is for zone in facts]
    found = survey.found_below(unit, present, state, System.model_validate(part.system))
    now = unit.now
    rows = [
        {
            "zone": row,
            "facts": fact,
            "found": found[row.uuid],
            "gone_off": fact.bare and gone_off(fact.ground, state.bare_h(fact, now)),
            "bare_for": _age((now - fact.bare_since).total_seconds() / 3600) if fact.bare_since else "",
            "coats": sum(state.coats_by_zone[row.uuid].values()),
            "substrate": unit.catalogue.substrates[row.substrate or part.substrate].name,
            "face": next(f for f in part.faces if f.uuid == row.face_uuid),
            "merges": any(z.split_from == row.split_from for z in part.live_zones if z is not row and row.split_from),
        }
        for row, fact in zip(part.live_zones, present, strict=True)
    ]
    made = survey.tests_shown(unit, part, state)
    keys = ["lead", "dust"] if any(not f.bare for f in facts) else ["dust"]
    return pages.show(
        request,
        unit,
        "survey/page.html",
        view.status,
        part=part,
        rows=rows,
        typed=view.typed,
        form=view.form,
        total=sum(f.area_m2 for f in facts),
        tests=unit.catalogue.tests,
        depths=DEPTH_WORDS,
        made=made,
        stops=[m for m in _latest(made) if m.result.stop],
        face_values=_face_values,
        claims=list(state.claims.values()),
        steps=STEP_WORDS,
        zone_names={z.uuid: z.name for z in part.live_zones},
        first_bare=bared_first([f for f in facts if not sum(state.coats_by_zone[f.uuid].values())]),
        new_id=new_id,
        choices=_choices(unit, part),
        strips=STRIP_WORDS,
        ways=WAYS,
        shape_needs=NEEDS,
        claimable=_CLAIMABLE,
        settings=sorted({f.setting for f in part.faces}),
        cautions=[unit.catalogue.cautions[k] for k in keys],
    )


def _latest(made: list[survey.Shown]) -> list[survey.Shown]:
    """Return the last word of each test on each choice of zones."""
    seen: set[tuple[str, str]] = set()
    out = []
    for one in made:
        if (one.title, one.zones) not in seen:
            out.append(one)
        seen.add((one.title, one.zones))
    return out


def _age(hours: float) -> str:
    for most, unit, size in _AGE:
        if hours < most:
            return f"{hours / size:.0f} {unit}"
    return f"{hours / 24 / 30:.0f} months"


def _choices(unit: Unit, part: Part) -> dict[str, list[tuple[str, str]]]:
    old = [("none", "none: bare"), ("unknown", "not known")]
    old += [(key, BELOW_WORDS[key]) for key in OLD_FINISHES if key not in ("none", "unknown")]
    return {
        "kind": [(k, k) for k in ZONE_KINDS],
        "shape": list(SHAPE_WORDS.items()),
        "substrate": [(k, s.name) for k, s in unit.catalogue.substrates.items()],
        "old_finish": old,
        "old_state": [(k, STATE_WORDS[k]) for k in ("unknown", "cured", "keyed", "weathered", "failing", "locked")],
        "strip": list(STRIP_WORDS.items()),
        "face": [(str(f.uuid), f"{f.name} (setting-up {f.setting})") for f in part.faces],
        "method": [(k, w.words) for k, w in WAYS.items()],
        "sides": [("1", "one side"), ("2", "both sides")],
        "zone": [("", "everywhere"), *((str(z.uuid), z.name) for z in part.live_zones)],
    }


def _sizes(typed: Typed, kind: str) -> dict[str, Any]:
    """Read the sizes that a kind of shape needs."""
    wanted = NEEDS[kind]
    data: dict[str, Any] = {
        field: typed.quantity(name, "length", 0, 200) for name, field in _SIZES.items() if field in wanted
    }
    if "typed_m2" in wanted:
        data["typed_m2"] = typed.quantity("area", "area", 0, 10_000)
    if (count := typed.number("count", 1, 1000)) is not None:
        data["count"] = int(count)
        if count != int(count):
            typed.notes["count"] = "Enter a whole number of pieces."
    if kind in ("frame", "spindles") and (open_pct := typed.number("openness", 0, 99)) is not None:
        data["openness"] = open_pct / 100
    return data


def _shape(typed: Typed) -> Shape | None:
    """Read the shape of the form; what is wrong is noted at its field."""
    kind = typed.text("shape")
    if kind not in NEEDS:
        typed.notes["shape"] = "Choose a shape of the list."
        return None
    data = _sizes(typed, kind) | {"kind": kind, "sides": 2 if typed.text("sides") == "2" and kind == "sheet" else 1}
    if typed.notes:
        return None
    try:
        return Shape.model_validate(data)
    except ValidationError as error:
        typed.notes["shape"] = "; ".join(complaints(error).values())
        return None


@router.post("/area")
def area(uuid: UUID, workshop: WorkshopDep, form: FormDep) -> Response:
    """Say how large the shape of a form is, while it is typed."""
    with workshop.read() as unit:
        shop = unit.shop
    typed = Typed(form, shop.units if shop else "metric")
    shape = _shape(typed)
    return PlainTextResponse("" if shape is None else f"= {amount(shape.area_m2, 'area', typed.units)}")


def _zone_said(unit: Unit, typed: Typed) -> survey.ZoneSaid:
    shop = unit.shop
    shape = _shape(typed)
    name = typed.text("name", "a name for the zone, such as “Rim”", 60)
    face = typed.uuid("face", "Choose a face of this part.")
    since = typed.moment("bare_since", zone_of(shop)) if shop else None
    if typed.notes or shape is None:
        raise Refused("Check what was entered.", typed.notes)
    return _made(
        survey.ZoneSaid,
        {
            "name": name,
            "shape": shape,
            "face": face,
            "bare_since": since,
            "keep_texture": typed.flag("keep_texture"),
            "word_of_another": typed.flag("word_of_another"),
            **{k: typed.text(k) for k in ("kind", "substrate", "old_finish", "old_state", "strip")},
        },
    )


def _made(kind: type[T], data: dict[str, Any]) -> T:
    try:
        return kind.model_validate(data)
    except ValidationError as error:
        raise Refused("Check what was entered.", complaints(error)) from error


def _done(
    request: Request, uuid: UUID, workshop: Workshop, pages: PagesDep, form: dict[str, Any], act: Any, kind: str
) -> Response:
    """Do what a form asks for and go back to the survey; a refusal shows the form again with what was typed."""
    with workshop.read() as unit:
        shop = unit.shop
    typed = Typed(form, shop.units if shop else "metric")
    try:
        with workshop.write() as unit:
            act(unit, find_part(unit, uuid), typed)
    except Refused as refusal:
        if refusal.status == 404:
            raise
        typed.notes.update(refusal.notes or {"form": str(refusal)})
        with workshop.read() as unit:
            part = find_part(unit, uuid)
            return _show(request, unit, pages, part, View(typed, kind, refusal.status))
    return RedirectResponse(f"/parts/{uuid}/survey", 303)


@router.post("/zone")
def zone(request: Request, uuid: UUID, workshop: WorkshopDep, pages: PagesDep, form: FormDep) -> Response:
    """Change a zone."""

    def act(unit: Unit, part: Part, typed: Typed) -> None:
        chosen = typed.uuid("zone", "Choose a zone of this part.")
        said = _zone_said(unit, typed)
        if row := next((z for z in part.live_zones if z.uuid == chosen), None):
            typed.check_seen(_values(part, row, unit.the_shop, as_new=False), _ZONE_LABELS)
        survey.edit_zone(unit, part, chosen or part.uuid, said)

    return _done(request, uuid, workshop, pages, form, act, "zone")


@router.post("/split")
def split(request: Request, uuid: UUID, workshop: WorkshopDep, pages: PagesDep, form: FormDep) -> Response:
    """Make a zone out of another one."""

    def act(unit: Unit, part: Part, typed: Typed) -> None:
        source = typed.uuid("zone", "Choose the zone that it comes from.")
        said = _zone_said(unit, typed)
        from_area = typed.flag("from_its_area")
        survey.split_off(unit, part, source or part.uuid, said, from_its_area=from_area)

    return _done(request, uuid, workshop, pages, form, act, "split")


@router.post("/merge")
def merge(request: Request, uuid: UUID, workshop: WorkshopDep, pages: PagesDep, form: FormDep) -> Response:
    """Put a zone back into the one that it was split from."""

    def act(unit: Unit, part: Part, typed: Typed) -> None:
        state = history_of(unit, part)
        chosen = typed.uuid("zone", "Choose a zone of this part.")
        survey.merge(unit, part, chosen or part.uuid, state)

    return _done(request, uuid, workshop, pages, form, act, "")


@router.post("/face")
def face(request: Request, uuid: UUID, workshop: WorkshopDep, pages: PagesDep, form: FormDep) -> Response:
    """Add a face, or change one."""

    def act(unit: Unit, part: Part, typed: Typed) -> None:
        name = typed.text("face_name", "a name for the face, such as “Underside”", 60)
        setting = typed.number("setting", 1, 6)
        support = typed.text("support", most=120)
        typed.stop()
        data = {"name": name, "setting": int(setting or 1), "support": support, "method": typed.text("method")}
        said = _made(survey.FaceSaid, data)
        chosen = typed.text("face_uuid")
        if row := next((f for f in part.faces if str(f.uuid) == chosen), None):
            typed.check_seen(_face_values(row), _FACE_LABELS)
        if chosen:
            survey.edit_face(unit, part, typed.uuid("face_uuid", "") or part.uuid, said)
        else:
            survey.add_face(unit, part, said)

    return _done(request, uuid, workshop, pages, form, act, "face")


def _face_values(face: Face) -> dict[str, str]:
    return {"face_name": face.name, "setting": str(face.setting), "support": face.support, "method": face.method}


_FACE_LABELS = {"face_name": "face", "setting": "setting-up", "support": "held by", "method": "coated by"}
_ZONE_LABELS = {
    "name": "name", "kind": "kind", "substrate": "made of", "old_finish": "old finish", "old_state": "its state",
    "strip": "stripped", "face": "face", "bare_since": "bare since", "shape": "shape", "area": "area",
}  # fmt: skip


def _press(typed: Typed, zone_field: str = "test_zone") -> Press:
    press = typed.uuid("press", "The press has no id: load the page again.")
    zones = frozenset({z} if typed.text(zone_field) and (z := typed.uuid(zone_field, "Choose a zone.")) else ())
    if press is None or typed.notes:
        raise Refused("Check what was entered.", typed.notes)
    return Press(press, zones=zones)


@router.post("/test")
def test(request: Request, uuid: UUID, workshop: WorkshopDep, pages: PagesDep, form: FormDep) -> Response:
    """Log a survey test."""

    def act(unit: Unit, part: Part, typed: Typed) -> None:
        reading = typed.number("reading", -1e6, 1e6)
        held, down = typed.number("held", 0.01, 96), typed.number("films_down", 0, 4)
        press = _press(typed)
        if strange := press.zones - {z.uuid for z in part.live_zones}:
            raise Refused("Check what was entered.", {"test_zone": f"{len(strange)} is no zone of this part."})
        said = _made(
            SurveyTestPayload,
            {
                "test": typed.text("test"),
                "result": typed.text("result"),
                "reading": reading,
                "depth": typed.text("depth"),
                "films_down": int(down or 0),
                "held_h": held,
            },
        )
        survey.log_test(unit, part, press, said)

    return _done(request, uuid, workshop, pages, form, act, "test")


@router.post("/claim")
def claim(request: Request, uuid: UUID, workshop: WorkshopDep, pages: PagesDep, form: FormDep) -> Response:
    """Log somebody else's word on a preparation."""

    def act(unit: Unit, part: Part, typed: Typed) -> None:
        says = typed.text("says")
        if says not in _CLAIMABLE:
            typed.notes["says"] = "Choose what they say was done."
        whose = typed.text("whose", "whose word it is, such as “the customer”")
        press = _press(typed, "claim_zone")
        survey.log_claim(unit, part, press, _made(ClaimPayload, {"says": says, "whose": whose}))

    return _done(request, uuid, workshop, pages, form, act, "claim")


@router.post("/check")
def check(request: Request, uuid: UUID, workshop: WorkshopDep, pages: PagesDep, form: FormDep) -> Response:
    """Log the own check of a claim."""

    def act(unit: Unit, part: Part, typed: Typed) -> None:
        state = history_of(unit, part)
        said = typed.uuid("claim", "There is no such claim.")
        if typed.text("holds") not in ("yes", "no"):
            raise Refused("Say whether it holds.", {"holds": "Press It holds or It does not."})
        holds = typed.text("holds") == "yes"
        survey.check_claim(unit, part, _press(typed), said or part.uuid, state, holds)

    return _done(request, uuid, workshop, pages, form, act, "claim")

"""Logging work: what the buttons do. Each call writes one entry, once, about the zones that it was done to."""

from collections.abc import Iterable
from dataclasses import replace
from datetime import datetime, timedelta
from typing import Annotated, Any
from uuid import UUID, uuid4, uuid5

from pydantic import AwareDatetime, Field

from cool_sheen.core.climate.series import seconds
from cool_sheen.core.coatings.products import Product
from cool_sheen.core.coatings.sheet_fields import Strict, TouchHow
from cool_sheen.core.coatings.systems import COUNTS, STEP_WORDS, Coat, CoatKind, Layer
from cool_sheen.core.drying.blend import Blend
from cool_sheen.core.drying.milestones import WORDS
from cool_sheen.core.film.build import GROUND
from cool_sheen.core.film.grits import MEAN_UM, scratch_removal
from cool_sheen.core.log.batches import BatchState
from cool_sheen.core.log.entries import (
    SAND_TICKS,
    CoatPayload,
    MovePayload,
    NotePayload,
    Recorded,
    SandMethod,
    SandPayload,
    SkipPayload,
    StepPayload,
    TouchTestPayload,
)
from cool_sheen.core.log.history import Zones
from cool_sheen.core.log.said import blended
from cool_sheen.core.part.film_clock import CoatClock, is_wild, mark_of
from cool_sheen.core.part.situation import ZoneFilm
from cool_sheen.core.press.contradictions import Contradiction
from cool_sheen.core.survey.below import StripDepth
from cool_sheen.core.work.owed import StepRow
from cool_sheen.core.work.steps import CoatStep, SandStep, Step, only_on
from cool_sheen.service import confirmations
from cool_sheen.service.batches import batch_for
from cool_sheen.service.gun import cards
from cool_sheen.service.journal import Press, same_press, write_on_part
from cool_sheen.service.looks import none_open
from cool_sheen.service.part_now import PartNow, promised
from cool_sheen.service.unit import Refused, Unit
from cool_sheen.store import log

_A_MOMENT = timedelta(seconds=1)


class CoatSaid(Strict):
    """What the presser said of a coat; what is left out goes by the plan."""

    layer_id: str | None = None
    wet_film_measured_um: Annotated[float, Field(gt=0, le=20_000, allow_inf_nan=False)] | None = None
    coat_kind: CoatKind | None = None
    zones: tuple[UUID, ...] = ()
    ticked: tuple[str, ...] = ()
    started_at: AwareDatetime | None = None
    paused_min: float | None = None


class SandSaid(Strict):
    """What the presser said of a sanding step."""

    grit: str
    wet: bool = False
    removal_um: Annotated[float, Field(ge=0, le=5000, allow_inf_nan=False)] | None = None
    break_through: bool = False
    broke_at: Annotated[str, Field(max_length=120)] = ""
    shows: Annotated[str, Field(max_length=80)] = ""
    method: SandMethod = "block"
    minutes: Annotated[float, Field(gt=0, le=1440, allow_inf_nan=False)] | None = None
    ticked: tuple[str, ...] = ()
    zones: tuple[UUID, ...] = ()


class StepSaid(Strict):
    """What the presser said of any other step: of a strip how deep it went, of a check whether it passed."""

    kind: str
    zones: tuple[UUID, ...] = ()
    stripped: StripDepth = ""
    passed: bool = True
    ticked: tuple[str, ...] = ()


class TouchSaid(Strict):
    """What the finger said; without a milestone it is the one that the next action waits for."""

    ready: bool
    milestone: str | None = None
    how: TouchHow = "thumb_on_tape"
    zones: tuple[UUID, ...] = ()


def coat_on(unit: Unit, found: PartNow, uuid: UUID, said: CoatSaid, at: datetime | None = None) -> Recorded:
    """Log that a coat is on: it ended now, or at ``at``, on the zones that were said, else on those of the plan.

    Raises: Refused: no such layer, or a time that cannot be. Conflict: the uuid says something else.
    """
    if before := same_press(
        unit, uuid, "coat", found.row, said.model_dump(exclude={"zones", "ticked", "started_at", "paused_min"})
    ):
        return before
    about = named_zones(found, said.zones)
    layer, step = _coat_meant(found, said.layer_id, about)
    product = found.products[layer.product]
    mixed = batch_for(unit, found.part.uuid, product.key, at or unit.now)
    coat = step.coat if step else layer.coats[-1]
    kind = said.coat_kind or coat.kind
    as_planned = kind == coat.kind
    told = {"method": _method(product, step), **(_out_of(mixed) if mixed else {})}
    payload = CoatPayload.model_validate(
        {
            "layer_id": layer.id,
            "coat_kind": kind,
            "counts": coat.counted if as_planned else COUNTS[kind],
            "coating": product.content_hash,
            "volume_solids_pct": product.volume_solids_pct,
            **blended(_unmixed(found, product, layer)),
            **told,
            "gun": cards.in_the_log(unit, product.key, str(told["method"]), at or unit.now),
            "wet_film_um": coat.wet_film_um,
            "wet_film_measured_um": said.wet_film_measured_um,
            "started_at": said.started_at,
            "paused_min": said.paused_min,
            **_where(found, at or unit.now),
            "promised": promised(found) | _air(found, at or unit.now),
            **seen_to(step, said.ticked),
        }
    )
    planned = step.id if step and as_planned else None
    meant = confirmations.intent_of(unit, found, "coat", about, at, step)
    film = Coat(kind=kind, wet_film_um=coat.wet_film_um)
    intent = confirmations.coat_intent(unit, found, meant, layer, film, said.ticked, mixed)
    reason = confirmations.asked_of(unit, intent)
    return write_on_part(unit, found.row, payload, Press(uuid, at, about), planned_step=planned, reason=reason)


def seen_to(step: Step | None, ticked: Iterable[str]) -> dict[str, tuple[str, ...]]:
    """Return what of the things that a step asks for was seen to, and what was not: both stand in the log."""
    asked, said = step.to_tick if step else (), set(ticked)
    return {"ticked": tuple(w for w in asked if w in said), "unticked": tuple(w for w in asked if w not in said)}


def _unmixed(found: PartNow, product: Product, layer: Layer) -> Blend:
    """The mix of a coat that no batch is known of: as the layer has it."""
    own = found.situation.hardener(product, layer.hardener_speed)
    return Blend(layer.hardener_speed, layer.reducer_speed, hardener=own)


def _air(found: PartNow, at: datetime) -> dict[str, float]:
    """The air at an instant, as it is known now: by it the log is found again."""
    return {
        "air_temp_c": round(found.climate.air_at(at), 1),
        "rh_pct": round(min(100.0, max(0.0, found.climate.humidity_at(at)))),
    }


def _where(found: PartNow, at: datetime) -> dict[str, Any]:
    """Where a part stood at an instant, and how the air moves there: a coat that is logged late dried where it was."""
    stand = [s for n, s in enumerate(found.climate.stands) if n == 0 or s.since_s <= seconds(at)][-1]
    return {"air_movement": stand.air_movement, "space": found.history.space_at(at)}


def _coat_meant(found: PartNow, layer_id: str | None, zones: Zones) -> tuple[Layer, CoatStep | None]:
    """Return the layer to coat, and the step that it serves: the asked one, that of the next action, else the next."""
    steps = [only_on(row.step, row.owed, found.zones) for row in found.rows if row.owed]
    ahead = [s for s in steps if isinstance(s, CoatStep) and s.zones & zones]
    action = found.action.step
    if isinstance(action, CoatStep) and action.zones & zones:
        ahead = [action, *ahead]
    if layer_id:
        layer = next((la for la in found.system.layers if la.id == layer_id), None)
        if layer is None:
            raise Refused("This part has no such layer.", {"layer_id": "Choose one of the part's layers."})
    else:
        layer = ahead[0].layer if ahead else found.system.used[-1]
    return layer, next((s for s in ahead if s.layer.id == layer.id), None)


def _method(product: Product, step: CoatStep | None) -> str:
    """How the coat is put on: by the face, or the way that the product allows."""
    method = step.method if step else "hvlp"
    return method if method in product.methods else product.methods[0]


def _out_of(mixed: BatchState) -> dict[str, Any]:
    """What the cup decides of a coat: solids as they were really mixed, speeds, doses."""
    plan = mixed.plan
    return {
        "batch": mixed.uuid,
        "volume_solids_pct": round(mixed.cup.volume_solids_pct, 3) or 1.0,
        **blended(plan.blend),
        "method": plan.method,
    }


def named_zones(found: PartNow, names: Iterable[UUID]) -> Zones:
    """Return the zones that a press names; the only one of a part that has no other.

    Raises: Refused: none is named, or one that the part does not have. Nothing is put on a zone that was not named.
    """
    zones = _zones_said(found, names)
    if not zones and len(found.zones) > 1:
        raise Refused("No zone is ticked.", {"zones": "Tick the zones that it was done on."})
    return zones or found.situation.all_zones


def _zones_said(found: PartNow, names: Iterable[UUID]) -> Zones:
    zones = frozenset(names)
    if strange := zones - {z.uuid for z in found.row.live_zones}:
        raise Refused("This part has no such zone.", {"zones": f"Choose zones of this part; {len(strange)} are not."})
    return zones


def touch(unit: Unit, found: PartNow, uuid: UUID, said: TouchSaid, at: datetime | None = None) -> Recorded:
    """Log a touch test of the film on top of the zones that were said, else of those that the next action is for.

    Raises: Refused: nothing is coated there, or a mark that the film does not have. AskedBack: it is far from what the
        clock says, and nobody said that it is sure.
    """
    if before := same_press(unit, uuid, "touch_test", found.row, said.model_dump(exclude={"zones"})):
        return before
    zones = named_zones(found, said.zones)
    tops = [film.top for film in _films(found, zones) if film.top]
    if not tops:
        raise Refused("There is no film to touch yet: log the first coat.")
    first = found.top if found.top in tops else tops[0]
    name = _mark_said(found, first, said.milestone)
    others = tuple(dict.fromkeys(t.coat.uuid for t in tops if t.coat.uuid != first.coat.uuid and name in t.bands))
    asked_at, wild = _asked_for(unit, found, first, name, said, at or unit.now)
    payload = TouchTestPayload(
        coat=first.coat.uuid,
        milestone=name,
        ready=said.ready,
        how=said.how,
        others=others,
        asked_at=asked_at,
        alone=wild,
    )
    coated = frozenset().union(*(film.zones for film in _films(found, zones) if film.top)) & zones
    return write_on_part(unit, found.row, payload, Press(uuid, at, coated))


def _asked_for(
    unit: Unit, found: PartNow, top: CoatClock, name: str, said: TouchSaid, at: datetime
) -> tuple[datetime | None, bool]:
    """When the screen said "go and test" for the first time, and whether the test is far from it. Raises AskedBack."""
    band, start = top.bands[name], top.film.start
    before = [t for t in found.history.touches if top.coat.uuid in t.payload.coats and t.payload.milestone == name]
    if before or not is_wild(start, band, at, ready=said.ready):
        return (None if before else band.likely), False
    edge, word = (band.early, "ready") if said.ready else (band.late, "not ready")
    due = f"{'not before' if said.ready else 'by'} {_minutes(edge, start)} min"
    words = f"Sure? {word.capitalize()} after {_minutes(at, start)} min, and the clock says {due}."
    alone = "It counts for this coat alone, and teaches nothing."
    confirmations.confirmed(unit, [Contradiction("test", f"{words} {alone}")])
    return band.likely, True


def _minutes(at: datetime | None, start: datetime) -> str:
    return "?" if at is None else f"{max(0.0, (at - start).total_seconds() / 60):.0f}"


def _mark_said(found: PartNow, top: CoatClock, milestone: str | None) -> str:
    name = milestone or (found.action.milestone if found.top is top else None)
    name = name or mark_of(top.product, "flash") or top.product.milestones[0].name
    if name not in top.bands:
        raise Refused(
            f"{top.product.name} has no such mark.",
            {"milestone": f"Choose one of: {', '.join(WORDS.get(mark, mark) for mark in top.bands)}."},
        )
    return name


def _films(found: PartNow, zones: Zones) -> list[ZoneFilm]:
    return [film for film in found.situation.films if film.zones & zones]


def sanded(unit: Unit, found: PartNow, uuid: UUID, said: SandSaid, at: datetime | None = None) -> Recorded:
    """Log a sanding step. Film that was not measured is taken off as planned, else by the grit before.

    Raises: Refused: no such grit, or a time that cannot be. Conflict: the uuid says something else.
    """
    name = said.grit.strip().upper().replace(" ", "")
    if name.isdigit():
        name = f"P{name}"
    if name not in MEAN_UM:
        raise Refused(f"“{said.grit[:20]}” is no grit.", {"grit": "Use a name such as P320 (FEPA) or C320 (CAMI)."})
    if before := same_press(unit, uuid, "sand", found.row, {"grit": name, "wet": said.wet}):
        return before
    zones = named_zones(found, said.zones)
    if said.break_through and said.shows not in _may_show(found):
        raise Refused("This layer lies nowhere on the part.", {"shows": "Choose what shows from the list."})
    planned = _sanding_meant(found, name, zones)
    payload = SandPayload(
        layer_id=found.top.coat.payload.layer_id if found.top else None,
        grit=name,
        wet=said.wet,
        removal_um=said.removal_um if said.removal_um is not None else _removal(found, planned, name, zones),
        measured=said.removal_um is not None,
        break_through=(said.broke_at.strip() or "in a spot") if said.break_through else None,
        shows=said.shows if said.break_through else "",
        method=said.method,
        minutes=said.minutes,
        ticked=(*(t for t in said.ticked if t in SAND_TICKS), *seen_to(planned, said.ticked)["ticked"]),
        unticked=seen_to(planned, said.ticked)["unticked"],
    )
    meant = confirmations.intent_of(unit, found, "sand", zones, at, planned)
    reason = confirmations.asked_of(unit, replace(meant, grit=name, ticked=said.ticked))
    press = Press(uuid, at, zones)
    return write_on_part(unit, found.row, payload, press, planned_step=planned.id if planned else None, reason=reason)


def _may_show(found: PartNow) -> set[str]:
    return {"", GROUND} | {layer.layer_id for build in found.history.builds.values() for layer in build.layers}


def _sanding_meant(found: PartNow, grit: str, zones: Zones) -> SandStep | None:
    """The sanding that this serves: that of its row, else what is owed to the zones; nothing for work of one's own."""
    action = found.action.step
    if isinstance(action, SandStep) and action.grit == grit and zones & action.zones:
        return action
    owed = _before_the_next_coat(found, zones)
    return next((s for s in owed if isinstance(s, SandStep) and s.grit == grit), None)


def _before_the_next_coat(found: PartNow, zones: Zones) -> list[Step]:
    """What is owed to some zones before their next coat, in order, on those of them that it is owed to."""
    places: dict[int, set[UUID]] = {}
    for zone in zones:
        for place in found.owed.ahead(zone):
            if isinstance(found.owed.steps[place], CoatStep):
                break
            places.setdefault(place, set()).add(zone)
    return [only_on(found.owed.steps[n], frozenset(there), found.zones) for n, there in sorted(places.items())]


def _removal(found: PartNow, planned: SandStep | None, grit: str, zones: Zones) -> float:
    """Estimate what a grit took: the plan's figure, else the scratches of the grit before, else its own."""
    films = [f for f in _films(found, zones or found.situation.all_zones) if f.top]
    if not films:
        return 0.0
    if planned is not None and planned.removal_um:
        return float(planned.removal_um)
    since = [w for w in found.history.of(films[0].zones).on_top if w.kind == "sand" and w.grit]
    return scratch_removal(since[-1].grit or grit) if since else scratch_removal(grit)


def step_done(unit: Unit, found: PartNow, uuid: UUID, said: StepSaid, at: datetime | None = None) -> Recorded:
    """Log a step that leaves no more behind than that it was done.

    Raises: Refused: no such step, heat without its reading, or a look that passes what has a mark that is open.
    """
    kind = said.kind
    if before := same_press(unit, uuid, kind, found.row, {}):
        return before
    if kind not in STEP_WORDS or kind in ("coat", "sand", "wait"):
        raise Refused(f"“{kind[:30]}” is no step that is logged this way.")
    if kind == "bake":
        raise Refused(
            "Heat is logged with its reading.", {"metal": "Enter the metal temperature and the minutes held."}
        )
    _heat_before(found, kind)
    about = named_zones(found, said.zones)
    step = _step_meant(found, kind, about)
    if kind == "inspect" and said.passed:
        none_open(found, about)
    told = {"kind": kind, "stripped": _how_deep(found, kind, about, said.stripped), "not_passed": not said.passed}
    told |= seen_to(step, said.ticked)
    payload = StepPayload.model_validate(told | {"note": step.label if step and kind == "own" else None})
    meant = confirmations.intent_of(unit, found, kind, about, at, step)
    reason = confirmations.asked_of(unit, replace(meant, ticked=said.ticked))
    press = Press(uuid, at, about)
    return write_on_part(unit, found.row, payload, press, planned_step=step.id if step else None, reason=reason)


def _how_deep(found: PartNow, kind: str, zones: Zones, said: StripDepth) -> StripDepth:
    """How deep a strip went; where neither the presser nor the survey says anything, to the substrate."""
    if kind != "strip" or said:
        return said if kind == "strip" else ""
    surveyed = {z.strip for z in found.zones if not zones or z.uuid in zones}
    return "" if surveyed & {"sound", "substrate"} else "substrate"


def _step_meant(found: PartNow, kind: str, zones: Zones) -> Step | None:
    """The step that this serves: that of its row, else what is owed first of its kind to one of the zones."""
    action = found.action.step
    if action is not None and action.kind == kind and action.zones & zones:
        return action
    return next((step for step in _before_the_next_coat(found, zones) if step.kind == kind), None)


def _heat_before(found: PartNow, kind: str) -> None:
    """What comes after the heat is refused while a stage of it is still to come."""
    ahead = found.ahead()
    bake = next((n for n, step in enumerate(ahead) if step.kind == "bake"), None)
    mine = next((n for n, step in enumerate(ahead) if step.kind == kind), None)
    if bake is not None and mine is not None and mine > bake:
        raise Refused(f"{ahead[bake].label} first: a heat stage is never skipped.", status=409)


def skipped(unit: Unit, found: PartNow, uuid: UUID, steps: Iterable[str], reason: str) -> Recorded:
    """Log that steps are not done, and why: they leave plan, Mix and Stores with these words.

    Raises: Refused: no reason, or steps that are not owed.
    """
    wanted = tuple(steps)
    if before := same_press(unit, uuid, "skip", found.row, {"steps": wanted}):
        return before
    if not wanted:
        raise Refused("No step is ticked.", {"steps": "Tick what is not done."})
    rows = [row for row in found.owed.left() if row.step.id in wanted]
    if not rows:
        raise Refused("These steps are not owed any more.", {"steps": "Load the page again."}, status=409)
    if len(reason.strip()) < 3:
        raise Refused("The reason is missing.", {"reason": "Write why it is not done: it stays with the job."})
    zones = frozenset().union(*(row.owed | row.passed for row in rows))
    meant = confirmations.intent_of(unit, found, "skip", zones, None, None)
    asked = confirmations.asked_of(unit, replace(meant, leaves_out=tuple(row.step for row in rows)))
    words = ", ".join(row.step.label for row in rows)[:4000]
    payload = SkipPayload(steps=tuple(row.step.id for row in rows), words=words)
    said = " ".join(filter(None, (reason.strip(), asked)))[:4000]
    return write_on_part(unit, found.row, payload, Press(uuid, None, zones), reason=said)


def done_before(unit: Unit, found: PartNow, uuid: UUID, steps: Iterable[str]) -> Recorded:
    """Log that what was passed over was done after all, just before the coat that lies over it.

    Raises: Refused: nothing of it was passed over, or a coat, which has its own time.
    """
    wanted = set(steps)
    rows = [row for row in found.owed.passed_over() if row.step.id in wanted]
    if before := log.by_uuid(unit.session, uuid5(uuid, "0")):
        return before
    if not wanted:
        raise Refused("No step is ticked.", {"steps": "Tick what was done."})
    if not rows:
        raise Refused("Nothing of this was passed over.", status=409)
    if any(isinstance(row.step, CoatStep) for row in rows):
        raise Refused("A coat is logged with its own time.", {"steps": "Log the coat with the time at which it ended."})
    written = [_done_before(unit, found, uuid5(uuid, str(n)), row, len(rows) - n) for n, row in enumerate(rows)]
    return written[-1]


def _done_before(unit: Unit, found: PartNow, uuid: UUID, row: StepRow, ahead: int) -> Recorded:
    place = found.owed.steps.index(row.step)
    later = {s.layer.id for s in found.owed.steps[place:] if isinstance(s, CoatStep)}
    coats = [c.ended_at for c in found.history.coats if c.zones & row.passed and c.payload.layer_id in later]
    at = min(coats, default=unit.now) - ahead * _A_MOMENT
    payload: Any = StepPayload.model_validate({"kind": row.step.kind}) if row.step.kind != "sand" else None
    if isinstance(row.step, SandStep):
        payload = SandPayload(grit=row.step.grit, wet=row.step.wet, removal_um=0.0)
    return write_on_part(unit, found.row, payload, Press(uuid, at, row.passed), planned_step=row.step.id)


def noted(unit: Unit, found: PartNow, uuid: UUID, text: str, zones: Iterable[UUID] = ()) -> Recorded:
    """Log words about a part, or about some of its zones. Raises Refused: nothing was written."""
    if before := same_press(unit, uuid, "note", found.row, {"text": text}):
        return before
    if not text:
        raise Refused("Nothing was written.", {"text": "Write what is to be remembered."})
    return write_on_part(unit, found.row, NotePayload(text=text), Press(uuid, None, _zones_said(found, zones)))


def moved(unit: Unit, found: PartNow, uuid: UUID, space: UUID, at: datetime | None = None) -> Recorded:
    """Log that a part stands in another space from now on."""
    return same_press(unit, uuid, "move", found.row, {"space": space}) or write_on_part(
        unit, found.row, MovePayload(space=space), Press(uuid, at)
    )


def new_id() -> UUID:
    """Return an id for an entry that is yet to be made."""
    return uuid4()

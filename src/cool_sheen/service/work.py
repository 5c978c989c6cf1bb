"""Logging work: what the buttons do. Each call writes one entry, once."""

from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Annotated, Any
from uuid import UUID, uuid4

from pydantic import Field
from sqlalchemy.orm import Session

from cool_sheen.core.coatings.products import Product
from cool_sheen.core.coatings.sheets import Strict, TouchHow
from cool_sheen.core.coatings.systems import COUNTS, STEP_WORDS, CoatKind, Layer
from cool_sheen.core.film.grits import MEAN_UM, scratch_removal
from cool_sheen.core.log.batches import BatchState
from cool_sheen.core.log.entries import (
    MIXING,
    CoatPayload,
    Entry,
    MovePayload,
    Recorded,
    SandPayload,
    StepPayload,
    Target,
    TouchTestPayload,
    VoidPayload,
)
from cool_sheen.core.log.fold import standing, standing_voids
from cool_sheen.core.planning.next_action import mark_of
from cool_sheen.core.planning.steps import Step
from cool_sheen.service.batches import batch_for
from cool_sheen.service.desk import Desk, Refused
from cool_sheen.service.jobs import Standing, facts
from cool_sheen.store import log
from cool_sheen.store.models import Part

UNDO_OFFERED = timedelta(seconds=10)
_EARLIEST = timedelta(days=366)
_CLOCK_SLACK = timedelta(minutes=2)  # a tablet's clock may be a little ahead


def targets(part: Part, zones: frozenset[UUID] = frozenset()) -> tuple[Target, ...]:
    """Return what an entry is about: these zones, or all that the part has now."""
    return tuple(
        Target(project=part.project_uuid, part=part.uuid, zone=zone.uuid)
        for zone in part.live_zones
        if not zones or zone.uuid in zones
    )


@dataclass(frozen=True, slots=True)
class Press:
    """One press of a button: its id, when the work ended, and the zones that it was done to (all when empty)."""

    uuid: UUID
    at: datetime | None = None
    zones: frozenset[UUID] = frozenset()


def write(desk: Desk, opened: Session, part: Part, payload: Any, press: Press, **more: Any) -> Recorded:
    """Write one entry about a part. Raises Refused for a time that cannot be; Conflict."""
    when = press.at or _known_time(opened, press.uuid) or desk.now()
    if when > desk.now() + _CLOCK_SLACK:
        raise Refused("That time lies in the future.", {"at": "Enter a time up to now."})
    if when < desk.now() - _EARLIEST:
        raise Refused("That is over a year ago.", {"at": "Enter a time within the last year."})
    about = targets(part, press.zones)
    entry = Entry(
        uuid=press.uuid, payload=payload, occurred_at=when, targets=about, person="shop", device="web", **more
    )
    return log.append(opened, entry, desk.now())


def _known_time(opened: Session, uuid: UUID) -> datetime | None:
    """A press that is sent again keeps the time of the first one, so that it stays the same entry."""
    before = log.by_uuid(opened, uuid)
    return before.entry.occurred_at if before else None


def repeat(opened: Session, uuid: UUID, kind: str, part: Part, said: dict[str, Any]) -> Recorded | None:
    """Return the entry that this press wrote before. Raises Conflict when the first one said something else."""
    before = log.by_uuid(opened, uuid)
    if before is None:
        return None
    payload = before.entry.payload
    differs = any(getattr(payload, name, None) != value for name, value in said.items() if value is not None)
    if payload.kind != kind or differs or part.uuid not in {t.part for t in before.entry.targets}:
        raise log.Conflict(uuid)
    return before


def _layer(found: Standing, layer_id: str | None) -> tuple[Layer, Step | None]:
    """Return the layer to coat, and the step that it serves: the asked one, the next one, else the last."""
    ahead = [p.step for p in found.steps if p.status in ("next", "ahead") and p.step.kind == "coat"]
    if layer_id:
        layer = next((la for la in found.system.layers if la.id == layer_id), None)
        if layer is None:
            raise Refused("This part has no such layer.", {"layer_id": "Choose one of the part's layers."})
    else:
        layer = ahead[0].layer if ahead and ahead[0].layer else found.system.used[-1]
    return layer, next((s for s in ahead if s.layer and s.layer.id == layer.id), None)


class CoatSaid(Strict):
    """What the presser said of a coat; what is left out goes by the plan."""

    layer_id: str | None = None
    wet_film_measured_um: Annotated[float, Field(gt=0, le=20_000, allow_inf_nan=False)] | None = None
    coat_kind: CoatKind | None = None
    zones: tuple[UUID, ...] = ()


class SandSaid(Strict):
    """What the presser said of a sanding step."""

    grit: str
    wet: bool = False
    removal_um: Annotated[float, Field(ge=0, le=5000, allow_inf_nan=False)] | None = None
    break_through: bool = False
    zones: tuple[UUID, ...] = ()


def coat_on(
    desk: Desk, opened: Session, found: Standing, uuid: UUID, said: CoatSaid, at: datetime | None = None
) -> Recorded:
    """Log that a coat is on: it ended now, or at ``at``.

    Raises: Refused: no such layer, or a time that cannot be. Conflict: the uuid says something else.
    """
    if before := repeat(opened, uuid, "coat", found.part, said.model_dump(exclude={"zones"})):
        return before
    layer, step = _layer(found, said.layer_id)
    product = found.products[layer.product]
    mixed = batch_for(desk, opened, found.part.uuid, product.key, at or desk.now())
    coat = step.coat if step and step.coat else layer.coats[-1]
    kind = said.coat_kind or coat.kind
    as_planned = kind == coat.kind
    payload = CoatPayload.model_validate(
        {
            "layer_id": layer.id,
            "coat_kind": kind,
            "counts": coat.counted if as_planned else COUNTS[kind],
            "coating": product.content_hash,
            "volume_solids_pct": product.volume_solids_pct,
            "hardener_speed": layer.hardener_speed,
            "reducer_speed": layer.reducer_speed,
            "method": _method(found, product, step),
            **(_out_of(mixed) if mixed else {}),
            "wet_film_um": coat.wet_film_um,
            "wet_film_measured_um": said.wet_film_measured_um,
            "air_movement": found.climate.air_movement,
            "space": found.space.uuid,
            "promised": facts(found),
        }
    )
    zones = _zones_said(found, said.zones) or (step.zones if step else frozenset())
    planned = step.id if step and as_planned else None
    return write(desk, opened, found.part, payload, Press(uuid, at, zones), planned_step=planned)


def _method(found: Standing, product: Product, step: Step | None) -> str:
    """How the coat is put on: by the face, or the way that the product allows."""
    method = step.method if step else "hvlp"
    return method if method in product.methods else product.methods[0]


def _out_of(mixed: BatchState) -> dict[str, Any]:
    """What the cup decides of a coat: solids as they were really mixed, speeds, doses."""
    plan = mixed.plan
    return {
        "batch": mixed.uuid,
        "volume_solids_pct": round(mixed.cup.volume_solids_pct, 3) or 1.0,
        "hardener_speed": plan.hardener_speed,
        "reducer_speed": plan.reducer_speed,
        "time_factor": plan.time_factor,
        "method": plan.method,
    }


def _zones_said(found: Standing, names: tuple[UUID, ...]) -> frozenset[UUID]:
    if strange := set(names) - {z.uuid for z in found.part.live_zones}:
        raise Refused("This part has no such zone.", {"zones": f"Choose zones of this part; {len(strange)} are not."})
    return frozenset(names)


class TouchSaid(Strict):
    """What the finger said; without a milestone it is the one that the next action waits for."""

    ready: bool
    milestone: str | None = None
    how: TouchHow = "thumb_on_tape"


def touch(
    desk: Desk, opened: Session, found: Standing, uuid: UUID, said: TouchSaid, at: datetime | None = None
) -> Recorded:
    """Log a touch test of the coat on top. Raises Refused when nothing was coated, or for a mark it does not have."""
    if before := repeat(opened, uuid, "touch_test", found.part, said.model_dump()):
        return before
    top = found.look.top
    if top is None:
        raise Refused("There is no film to touch yet: log the first coat.")
    name = said.milestone or found.action.milestone or mark_of(top.product, "flash") or top.product.milestones[0].name
    if name not in top.bands:
        marks = ", ".join(top.bands)
        raise Refused(f"{top.product.name} has no mark called {name}.", {"milestone": f"Use one of {marks}."})
    payload = TouchTestPayload(coat=top.coat.uuid, milestone=name, ready=said.ready, how=said.how)
    return write(desk, opened, found.part, payload, Press(uuid, at))


def sanded(
    desk: Desk, opened: Session, found: Standing, uuid: UUID, said: SandSaid, at: datetime | None = None
) -> Recorded:
    """Log a sanding step. Film that was not measured is taken off as planned, else by the grit before.

    Raises: Refused: no such grit, or a time that cannot be. Conflict: the uuid says something else.
    """
    name = said.grit.strip().upper().replace(" ", "")
    if name.isdigit():
        name = f"P{name}"
    if name not in MEAN_UM:
        raise Refused(f"“{said.grit[:20]}” is no grit.", {"grit": "Use a name such as P320 (FEPA) or C320 (CAMI)."})
    if before := repeat(opened, uuid, "sand", found.part, {"grit": name, "wet": said.wet}):
        return before
    next_up = next((p.step for p in found.steps if p.status == "next"), None)
    planned = next_up if next_up and next_up.kind == "sand" and next_up.grit == name else None
    payload = SandPayload(
        layer_id=found.look.top.coat.payload.layer_id if found.look.top else None,
        grit=name,
        wet=said.wet,
        removal_um=said.removal_um if said.removal_um is not None else _removal(found, planned, name),
        measured=said.removal_um is not None,
        break_through="to the layer below" if said.break_through else None,
    )
    zones = _zones_said(found, said.zones)
    return write(
        desk, opened, found.part, payload, Press(uuid, at, zones), planned_step=planned.id if planned else None
    )


def _removal(found: Standing, planned: Any, grit: str) -> float:
    """Estimate what a grit took: the plan's figure, else the scratches of the grit before, else its own."""
    if not found.state.coats:
        return 0.0
    if planned is not None:
        return float(planned.removal_um)
    since = [d for d in found.state.done_on_top() if d.kind == "sand" and d.grit]
    return scratch_removal(since[-1].grit or grit) if since else scratch_removal(grit)


def step_done(
    desk: Desk, opened: Session, found: Standing, uuid: UUID, kind: str, at: datetime | None = None
) -> Recorded:
    """Log a step that leaves no more behind than that it was done. Raises Refused for an unknown kind."""
    if before := repeat(opened, uuid, kind, found.part, {}):
        return before
    if kind not in STEP_WORDS or kind in ("coat", "sand"):
        raise Refused(f"“{kind[:30]}” is no step that is logged this way.")
    if kind == "bake":
        raise Refused(
            "Heat is logged with its reading.", {"metal": "Enter the metal temperature and the minutes held."}
        )
    _heat_before(found, kind)
    step = next((p.step for p in found.steps if p.status == "next" and p.step.kind == kind), None)
    payload = StepPayload.model_validate({"kind": kind})
    about = step.zones if step else frozenset()
    return write(desk, opened, found.part, payload, Press(uuid, at, about), planned_step=step.id if step else None)


def _heat_before(found: Standing, kind: str) -> None:
    """What comes after the heat is refused while a stage of it is still to come."""
    ahead = [p.step for p in found.steps if p.status in ("next", "ahead")]
    bake = next((n for n, step in enumerate(ahead) if step.kind == "bake"), None)
    mine = next((n for n, step in enumerate(ahead) if step.kind == kind), None)
    if bake is not None and mine is not None and mine > bake:
        raise Refused(f"{ahead[bake].label} first: a heat stage is never skipped.", status=409)


def moved(
    desk: Desk, opened: Session, found: Standing, uuid: UUID, space: UUID, at: datetime | None = None
) -> Recorded:
    """Log that a part stands in another space from now on."""
    return repeat(opened, uuid, "move", found.part, {"space": space}) or write(
        desk, opened, found.part, MovePayload(space=space), Press(uuid, at)
    )


def undo(desk: Desk, opened: Session, found: Standing, uuid: UUID, entry: UUID | None = None) -> Recorded:
    """Take an entry of a part back: the last one, when none is named. It stays in the log, and counts no more.

    Raises: Refused: nothing to take back, or an entry of another part.
    """
    if before := repeat(opened, uuid, "void", found.part, {}):
        return before
    everything = log.of_part(opened, found.part.uuid)
    rows = standing(everything)
    where_it_came_in = next((r for r in rows if r.entry.payload.kind == "move"), None)
    # What is in the cup is taken back at the mixing bench.
    mixing = (*MIXING, "stamp")
    open_to_undo = [r for r in rows if r is not where_it_came_in and r.entry.payload.kind not in mixing]
    if entry is None:
        chosen = max(open_to_undo, key=lambda r: r.seq, default=None)
    else:
        voids = standing_voids(everything)  # taking a taking-back back puts the entry where it was
        chosen = next((r for r in [*open_to_undo, *voids] if r.entry.uuid == entry), None)
    if chosen is None:
        raise Refused("There is nothing to take back on this part.", status=409)
    return write(desk, opened, found.part, VoidPayload(), Press(uuid), voids=chosen.entry.uuid)


def new_id() -> UUID:
    """Return an id for an entry that is yet to be made."""
    return uuid4()

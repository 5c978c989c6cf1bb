"""A batch at the bench: begun, poured, stamped, used up or put away. Each call writes one entry, once."""

from collections import Counter
from dataclasses import dataclass, replace
from datetime import datetime
from uuid import UUID, uuid5

from cool_sheen.core.log.batches import LEFT_OUT, BatchState
from cool_sheen.core.log.cups import BatchEndPayload, BatchLine, BatchPayload, BatchUse, PourPayload, ViscosityPayload
from cool_sheen.core.log.entries import NotePayload, Recorded, StampPayload, Target, VoidPayload
from cool_sheen.core.log.said import blended
from cool_sheen.core.materials.yields import doubt
from cool_sheen.core.mixing.order import GATES, Stage, stages
from cool_sheen.core.mixing.ratios import Share, shares
from cool_sheen.core.units import Grams, Millilitres
from cool_sheen.core.work.labour import transfer_efficiency
from cool_sheen.service import journal
from cool_sheen.service.batches import find, used_by_coats, uses_of
from cool_sheen.service.mixing.plan import Asked, PartCoats, Worked, work_out
from cool_sheen.service.own_ways import equipment_of
from cool_sheen.service.unit import Refused, Unit
from cool_sheen.store import log
from cool_sheen.store import stock as stores
from cool_sheen.store.models import Part, StockMovement

_NOISE_G = 0.8  # what a pan shows by itself
_SPRAYED = ("hvlp", "conventional", "airless")


def _plan(worked: Worked, asked: Asked) -> BatchPayload:
    product, mix, choice = worked.product, worked.mix, worked.choice
    return BatchPayload(
        coating=product.content_hash,
        product=product.key,
        name=product.name,
        measure=mix.recipe.measure,
        lines=tuple(_line(worked, place, share) for place, share in enumerate(shares(mix.recipe))),
        ready_ml=worked.batch.ready_ml,
        uses=tuple(
            BatchUse(part=u.waiting.found.part.uuid, layer_id=_layer_id(u), coats=len(u.coats), ml=u.ml)
            for u in worked.uses
        ),
        cup_ml=asked.cup_ml or 0.0,
        tare_g=asked.tare_g,
        tolerance_pct=product.mix.tolerance_pct,
        method=choice.method,  # type: ignore[arg-type]  # one of the product's
        **blended(mix.blend),
        induction_minutes=product.mix.induction_minutes,
        pot_life_minutes=product.mix.pot_life_minutes,
        pot_life_ref_c=product.ref_temp_c,
        strainer_um=product.mix.strainer_um,
        nozzle_mm=f"{product.nozzle_mm[0]:g} to {product.nozzle_mm[1]:g} mm" if product.nozzle_mm else "",
        space=worked.space,
        jar=asked.jar,
        jar_ml=worked.jar_ml,
    )


def _layer_id(use: PartCoats) -> str:
    return use.coats[0].step.layer.id


def _line(worked: Worked, place: int, share: Share) -> BatchLine:
    component, reducer, recipe = worked.mix.components[place], worked.product.mix.reducer, worked.mix.recipe
    cap = None
    if component.role == "reducer" and reducer is not None and reducer.of != "ready":
        split = shares(recipe)[: 1 if reducer.of == "paint" else len(recipe.parts)]
        cap = min(1.0, sum(s.ml_per_ml for s in split) * reducer.max_pct / 100)
    elif component.supply is not None and component.supply.max_dose_ml_per_l:
        cap = component.supply.max_dose_ml_per_l / 1000
    return BatchLine(
        component=component.key,
        name=component.name,
        role=component.role,  # type: ignore[arg-type]
        ml_per_ml=share.ml_per_ml,
        density_g_per_ml=share.density_g_per_ml,
        volume_solids_pct=share.volume_solids_pct,
        cap_ml_per_ml=cap,
    )


def begin(unit: Unit, asked: Asked, press: UUID) -> UUID:
    """Begin a batch: what was worked out is kept, and its pours can follow. Raises as ``work_out``."""
    if journal.pressed_before(unit, press) is not None:
        return press
    worked = work_out(unit, asked)
    unit.keep(worked.product)
    parts = [use.waiting.found.part for use in worked.uses]
    about = tuple(Target(project=part.project_uuid, part=part.uuid) for part in parts)
    journal.write(unit, about, _plan(worked, asked), journal.Press(press), reason=asked.reason or None)
    if asked.jar and worked.jar_ml:
        _move(unit, press, Moved(f"jar:{asked.jar}", -worked.jar_ml, "used", press))
    return press


def _about(unit: Unit, state: BatchState) -> tuple[Target, ...]:
    begun = log.by_uuid(unit.session, state.uuid)
    return begun.entry.targets if begun else ()


@dataclass(frozen=True, slots=True)
class Moved:
    """A movement of stock that a batch makes."""

    item: str
    ml: Millilitres
    kind: str
    batch: UUID
    note: str = ""


def _move(unit: Unit, press: UUID, moved: Moved) -> None:
    """Write it under a name that follows from the press: the same press sent twice moves once."""
    if moved.item.startswith("free:"):
        return
    row = StockMovement(
        uuid=uuid5(press, f"{moved.item}:{moved.kind}"),
        item=moved.item,
        kind=moved.kind,
        ml=moved.ml,
        at=unit.now,
        recorded_at=unit.now,
        batch=moved.batch,
        note=moved.note[:200],
    )
    stores.append(unit.session, row)


def stages_of(unit: Unit, state: BatchState) -> list[Stage]:
    """Return the stages of a batch in their order."""
    plan = state.plan
    sheet = unit.revision(plan.coating)
    return stages(
        [line.role for line in plan.lines],
        sheet.role,
        plan.strainer_um is not None,
        plan.induction_minutes > 0,
        plan.method in _SPRAYED,
    )


def is_past(stage: Stage, state: BatchState, now: datetime) -> bool:
    """Whether a stage is behind: stamped, poured up to its target, or waited out."""
    if stage.does == "gate":
        return stage.gate in state.stamps
    if stage.does == "wait":
        until = state.inducted_at
        return until is not None and now >= until
    target = state.targets()[stage.line]
    tolerance = 1 - state.plan.tolerance_pct / 100
    used_up = any(p.payload.used_up for p in state.pours if p.payload.line == stage.line)
    return target.poured_ml > 0 and (target.poured_ml >= target.target_ml * tolerance or used_up)


def stage_now(unit: Unit, state: BatchState) -> Stage:
    """Return the stage that is next; ``ready`` when all are behind."""
    for stage in stages_of(unit, state):
        if not is_past(stage, state, unit.now):
            return replace(stage, until=state.inducted_at) if stage.does == "wait" else stage
    return Stage("ready")


_NOTHING_ML = 0.05  # a drop


@dataclass(frozen=True)
class PourSaid:
    """What went into the cup: ml, or g, or up to the mark, or what the scale shows."""

    line: int
    ml: Millilitres | None = None
    g: Grams | None = None
    how: str = "mark"
    used_up: bool = False
    after: int | None = None  # how many pours had been logged by what was looked at


def pour(unit: Unit, uuid: UUID, press: UUID, said: PourSaid, scale_g: Grams | None = None) -> Recorded:
    """Log a pour, and take it out of stock.

    Raises: Refused: an ended batch, a component out of its turn, a reducer before the induction is over, an amount
        that cannot be. Conflict: the press says something else.
    """
    state = find(unit, uuid).state
    if before := journal.pressed_before(unit, press):
        return before
    _is_open(state)
    if said.after is not None and said.after != len(state.pours):
        raise Refused(
            "Something was poured meanwhile, and nothing of this was logged: look at the cup as it is.", status=409
        )
    if not 0 <= said.line < len(state.plan.lines):
        raise Refused("This batch has no such component.", {"line": "Choose a component of the batch."})
    _in_turn(unit, state, said.line)
    line, target = state.plan.lines[said.line], state.targets()[said.line]
    ml = _amount(state, said, target.missing_ml, scale_g)
    if ml <= 0:
        raise Refused("Nothing was poured.", {"amount": "Enter what went into the cup, above nought."})
    if ml > 10 * max(target.target_ml, 1) and ml > 50:
        raise Refused(
            "That is more than ten times what is wanted.",
            {
                "amount": f"{line.name}: about {target.missing_ml:.0f} ml are wanted, and this is {ml:.0f} ml. "
                "Check the figure and its unit."
            },
        )
    how = said.how if said.how in ("mark", "scale", "typed", "top_up") else "typed"
    payload = PourPayload(batch=uuid, line=said.line, ml=round(ml, 3), how=how, used_up=said.used_up)  # type: ignore[arg-type]
    row = journal.write(unit, _about(unit, state), payload, journal.Press(press))
    _move(unit, press, Moved(line.component, -round(ml, 3), "used", uuid))
    return row


def _is_open(state: BatchState) -> None:
    if state.ended is not None:
        raise Refused("This batch is ended: begin a new one.", status=409)


def _amount(state: BatchState, said: PourSaid, missing_ml: Millilitres, scale_g: Grams | None) -> Millilitres:
    density = state.plan.lines[said.line].density_g_per_ml
    if said.how == "scale":
        if scale_g is None:
            raise Refused("The scale does not answer.", {"amount": "Type what it shows."})
        grams = scale_g - state.plan.tare_g - state.cup.ready_g
        if grams <= min(_NOISE_G, 0.2 * missing_ml * density):
            raise Refused(
                "The scale shows no more than before.",
                {"amount": f"It shows {scale_g:.1f} g; with cup and what is in it that is nothing new."},
            )
        return grams / density
    if said.g is not None:
        return said.g / density
    if said.ml is None and missing_ml < _NOTHING_ML:
        raise Refused("It is up to its mark already, and nothing of this was logged: look at the cup.", status=409)
    return missing_ml if said.ml is None else said.ml


def _in_turn(unit: Unit, state: BatchState, line: int) -> None:
    """Gates, order and induction: what the tool refuses, with the reason."""
    role = state.plan.lines[line].role
    for stage in stages_of(unit, state):
        if stage.does == "pour" and stage.line == line:
            return
        if is_past(stage, state, unit.now):
            continue
        if stage.does == "gate":
            title = GATES[stage.gate][0]
            raise Refused(f"{title} first, and stamp it: then the {role} goes in.", status=409)
        if stage.does == "wait":
            until = state.inducted_at
            left = (until - unit.now).total_seconds() / 60 if until else state.plan.induction_minutes
            raise Refused(f"The mix inducts for another {left:.0f} min: the {role} is locked until then.", status=409)
        missing = state.plan.lines[stage.line].name
        raise Refused(f"{missing} goes in first.", {"line": f"Pour {missing}, then this."}, status=409)


def stamp(unit: Unit, uuid: UUID, press: UUID, gate: str) -> Recorded:
    """Stamp a gate of a batch; it cannot be undone. Raises Refused."""
    state = find(unit, uuid).state
    if before := journal.pressed_before(unit, press):
        return before
    _is_open(state)
    order = stages_of(unit, state)
    if gate not in {s.gate for s in order}:
        raise Refused("This batch has no such gate.", {"gate": "Choose a gate of the list."})
    for stage in order:
        if stage.gate == gate:
            break
        if not is_past(stage, state, unit.now):
            what = GATES[stage.gate][0] if stage.gate else "What comes before it"
            raise Refused(f"{what} is not done yet: one after the other.", status=409)
    return journal.write(unit, _about(unit, state), StampPayload(gate=gate, batch=uuid), journal.Press(press))


def note_viscosity(unit: Unit, uuid: UUID, press: UUID, seconds: float, by: str) -> Recorded:
    """Note how fast a batch runs. Raises Refused."""
    state = find(unit, uuid).state
    _is_open(state)
    payload = ViscosityPayload(batch=uuid, seconds=seconds, by=by or "cup")
    return journal.write(unit, _about(unit, state), payload, journal.Press(press))


def note(unit: Unit, uuid: UUID, press: UUID, text: str) -> Recorded:
    """Write words about a batch; they stand with its parts, too. Raises Refused: nothing was written."""
    state = find(unit, uuid).state
    if before := journal.pressed_before(unit, press):
        return before
    if not text:
        raise Refused("Nothing was written.", {"text": "Write what is to be remembered."})
    return journal.write(unit, _about(unit, state), NotePayload(text=text, batch=uuid), journal.Press(press))


def take_back(unit: Unit, uuid: UUID, press: UUID, entry: UUID) -> Recorded:
    """Take a pour or the end of a batch back, and put the stock right. Raises Refused."""
    state = find(unit, uuid).state
    if before := journal.pressed_before(unit, press):
        return before
    poured = next((p for p in state.pours if p.uuid == entry), None)
    if poured is None and entry != state.end_entry:
        raise Refused("There is no such pour to take back.", status=409)
    if poured is not None:
        _is_open(state)
        line = state.plan.lines[poured.payload.line]
        _move(unit, press, Moved(line.component, poured.payload.ml, "put back", uuid))
    elif state.goes == "jar":
        _move(unit, press, Moved(f"jar:{uuid}", -state.left_ml, "put back", uuid))
    return journal.write(unit, _about(unit, state), VoidPayload(), journal.Press(press), voids=entry)


def end(unit: Unit, uuid: UUID, press: UUID, left_ml: Millilitres, goes: str, *, sure: bool = False) -> Recorded:
    """End a batch: nothing left, offered to others, into a jar, or waste.

    Args:
        unit: The unit of work.
        uuid: The batch.
        press: The press.
        left_ml: What is left. [ml]
        goes: Where that goes.
        sure: Whether its film and its paint are right, though they do not go together.

    Raises: Refused: more left than was mixed, two-pack into a jar, one-pack offered, a mix that has gelled; a film that
        would need more paint than there was, and nobody is sure.
    """
    running = find(unit, uuid)
    state = running.state
    if before := journal.pressed_before(unit, press):
        return before
    _is_open(state)
    two_pack = state.plan.pot_life_minutes is not None
    ready = state.cup.ready_ml
    if left_ml > ready + 0.5:
        raise Refused("More is left than was mixed.", {"left": f"At most {ready:.0f} ml can be left."})
    if left_ml <= 0:
        goes = "nothing_left"
    elif goes == "jar" and two_pack:
        raise Refused("It sets in the jar.", {"goes": "Two-pack does not keep: offer it to another part, or waste."})
    elif goes == "offered" and (not two_pack or not running.usable(unit.now)):
        why = "One-pack keeps: put it into a jar." if not two_pack else "The pot life is over: it is waste."
        raise Refused("It cannot be offered.", {"goes": why})
    elif goes not in ("offered", "jar", "waste"):
        raise Refused("Something is missing.", {"goes": "Say where the rest goes."})
    doubtful = _doubt(unit, state, left_ml)
    if doubtful and not sure:
        note = f"Sure? {doubtful} Look at the films and at what is left; ended so, nothing is learned from it."
        raise Refused("Film and paint do not go together.", {"sure": note})
    rest = max(0.0, left_ml)
    payload = BatchEndPayload(batch=uuid, left_ml=rest, goes=goes, alone=bool(doubtful))  # type: ignore[arg-type]
    row = journal.write(unit, _about(unit, state), payload, journal.Press(press))
    if goes == "jar":
        _move(unit, press, Moved(f"jar:{uuid}", left_ml, "jar", uuid, f"{state.plan.name}, ready to use"))
    return row


def _doubt(unit: Unit, state: BatchState, left_ml: Millilitres) -> str:
    """Why the film and the paint of a batch that ends now do not go together; nothing where they do."""
    used = state.cup.ready_ml + state.plan.jar_ml - left_ml
    planned = sum(use.coats for use in state.plan.uses)
    gun = equipment_of(unit.the_shop).of(state.plan.method)
    net = used_by_coats(unit, state, transfer_efficiency)
    missing = _missing(unit, state)
    return doubt(uses_of(unit, [state])[0], used, len(state.coats), planned, net + gun.loss(net), missing)


def _missing(unit: Unit, state: BatchState) -> str:
    """Which coats that a batch was mixed for are not logged out of it."""
    logged = Counter(t.part for coat in state.coats for t in coat.targets[:1])
    short = [(use, logged[use.part]) for use in state.plan.uses if logged[use.part] < use.coats]
    names = [(part.name, use, n) for use, n in short if (part := unit.session.get(Part, use.part)) is not None]
    return " ".join(f"{name}: {n} of {use.coats} logged." for name, use, n in names)


def leave_out(unit: Unit, uuid: UUID, press: UUID) -> Recorded:
    """Take a batch that ended out of the yields: nothing is learned from it. Raises Refused."""
    state = find(unit, uuid).state
    if before := journal.pressed_before(unit, press):
        return before
    if state.ended is None:
        raise Refused("It has not ended: there is nothing to leave out yet.", status=409)
    return journal.write(unit, _about(unit, state), StampPayload(gate=LEFT_OUT, batch=uuid), journal.Press(press))

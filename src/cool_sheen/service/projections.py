"""What is kept of the log: the status of parts and batches, and what tests taught.

Written in the transaction that appends, and rebuilt from the log by one command.
"""

from collections.abc import Sequence
from datetime import datetime, timedelta
from typing import Any
from uuid import UUID

from sqlalchemy import select

from cool_sheen.core.coatings.systems import System
from cool_sheen.core.film.planned import planned_build
from cool_sheen.core.log.batches import BatchState, fold_batches, newest_by_batch
from cool_sheen.core.log.fold import fold
from cool_sheen.core.log.history import History
from cool_sheen.core.work.owed import Owed, StepRow
from cool_sheen.core.work.steps import CoatStep
from cool_sheen.service.briefs import brief_of
from cool_sheen.service.histories import WEIGHT_OF_BATCH, entries_of, key_of, key_of_batch, weight_of
from cool_sheen.service.learning import Lesson, drying_hash, lessons_of
from cool_sheen.service.logged import Logged, logged_of
from cool_sheen.service.unit import Unit
from cool_sheen.store import changes, log, log_text, statuses
from cool_sheen.store.models import Part

_BATCHES_AT_ONCE = 200
CURED_BY_NOW = timedelta(days=90)  # no climate in reach is so cold: whatever is to come on such a part is on it


def settle(unit: Unit) -> None:
    """Bring what is kept up to date with everything that this unit of work wrote."""
    unit.aside.clear()
    taught = changes.parts_taught(unit.session)
    for uuid in _taken(changes.parts_touched(unit.session)):
        keep_part(unit, uuid, teaches=uuid in taught)
    taught.clear()
    keep_batches(unit, _taken(changes.batches_touched(unit.session)))


def _taken(touched: set[UUID]) -> list[UUID]:
    found = list(touched)
    touched.clear()
    return found


def rebuild(unit: Unit) -> int:
    """Drop all that is kept, and make it again from the log; return how many parts there are."""
    statuses.drop_all(unit.session)
    log_text.rebuild(unit.session)
    parts = list(unit.session.scalars(select(Part.uuid)))
    for uuid in parts:
        keep_part(unit, uuid)
    keep_batches(unit, log.all_batches(unit.session))
    changes.bump(unit.session, changes.LESSONS)
    changes.bump(unit.session, changes.BATCHES)
    return len(parts)


def fill(unit: Unit) -> int:
    """Keep the status of parts that have none: after an upgrade, or of a shop that was copied."""
    missing = statuses.without_status(unit.session)
    for uuid in missing:
        keep_part(unit, uuid)
    if missing:
        keep_batches(unit, log.all_batches(unit.session))
    return len(missing)


def keep_part(unit: Unit, uuid: UUID, *, teaches: bool = True) -> None:
    """Keep how a part stands by its log, and what its touch tests taught where something bears on that."""
    part = unit.session.get(Part, uuid)
    if part is None:
        return
    rows = entries_of(unit, uuid)
    brief = brief_of(unit, part)
    history = fold(rows, brief.live, brief.heirs)
    seq = rows[-1].seq if rows else 0
    unit.aside.put(key_of(part, seq), history, weight_of(history))
    logged = logged_of(unit, brief, history, seq)
    unit.aside.put(logged.key, logged, logged.weight)
    statuses.put_part(unit.session, part_fields(unit, part, logged, seq))
    if not teaches:
        return
    taught = lessons_of(unit, part, history) if history.touches else []
    statuses.put_lessons(unit.session, uuid, [_lesson_fields(lesson) for lesson in taught])


def part_fields(unit: Unit, part: Part, logged: Logged, seq: int) -> dict[str, Any]:
    """Return the columns of a part's status.

    Args:
        unit: The unit of work.
        part: The row.
        logged: How it stands by its log.
        seq: Its newest entry.
    """
    system, history, owed, rows = logged.system, logged.history, logged.owed, logged.owed.rows
    done = sum(row.status == "done" for row in rows)
    ahead = [row for row in rows if row.owed]
    return {
        "state": "",
        "finished_at": _long_done(unit, history, owed),
        "part_uuid": part.uuid,
        "seq": seq,
        "changes": part.changes,
        "space_uuid": history.stays[-1].space if history.stays else None,
        "owed": len(ahead),
        "passed": sum(bool(row.passed) for row in rows),
        "share": round(100 * done / max(1, len(rows))),
        "words": layer_words(system, history, rows),
        "next_label": ahead[0].step.label if ahead else "",
        "system_name": system.name,
        "film": _film(logged),
        "counts": {str(zone): dict(counts) for zone, counts in history.coats_by_zone.items()},
    }


def _long_done(unit: Unit, history: History, owed: Owed) -> datetime | None:
    """When the last thing was done to a part on which nothing is owed, if that is so long ago that all has cured."""
    ends = [c.ended_at for c in history.coats[-1:]] + [w.at for w in history.works[-1:]]
    last = max(ends, default=None)
    return last if last and not owed.left() and unit.now - last > CURED_BY_NOW else None


def layer_words(system: System, history: History, rows: Sequence[StepRow]) -> str:
    """Say how many coats of the layer in hand are on, such as ``Primer 2 of 3``."""
    if not history.coats:
        return "no coat yet"
    layer_id = history.coats[-1].payload.layer_id
    layer = next((la for la in system.layers if la.id == layer_id), None)
    if layer is None:
        return "a layer that was taken out"
    on, of = coats_of(history, rows, layer_id)
    return f"{layer.name} {on} of {of}"


def coats_of(history: History, rows: Sequence[StepRow], layer_id: str) -> tuple[int, int]:
    """Return how many coats of a layer count, and how many it is to have: extra ones count beyond the target."""
    mine = [(r, r.step) for r in rows if isinstance(r.step, CoatStep) and r.step.layer.id == layer_id]
    counted = [r for r, step in mine if isinstance(step, CoatStep) and step.coat.counted]
    done = sum(r.status == "done" for r in counted)
    return (max(done, history.counts[layer_id]) if len(counted) == done else done), len(counted)


def _film(logged: Logged) -> dict[str, Any]:
    """The film of the first zone, so that a list can draw it without the log."""
    layers, sheets = {layer.id: layer for layer in logged.system.layers}, logged.products
    first = next(iter(logged.history.builds.values()))
    return {
        "planned_um": planned_build(logged.system, sheets).total_um,
        "layers": [
            {
                "id": film.layer_id,
                "coats_um": film.coats_um,
                "sanded_um": film.sanded_um,
                "name": layers[film.layer_id].name if film.layer_id in layers else film.layer_id,
                "role": layers[film.layer_id].role if film.layer_id in layers else "primer",
                "swatch": sheets[layers[film.layer_id].product].swatch if film.layer_id in layers else "#888888",
            }
            for film in first.layers
        ],
    }


def _lesson_fields(lesson: Lesson) -> dict[str, Any]:
    return {
        "coat_uuid": lesson.coat.uuid,
        "mode": lesson.mode.value,
        "part_uuid": lesson.part,
        "product": lesson.product,
        "drying": drying_hash(lesson.drying),
        "space_uuid": lesson.space,
        "mist": lesson.mist,
        "coated_at": lesson.coat.ended_at,
        "at": lesson.found[0].touch.at,
        "tests": [
            {
                "predicted": t.predicted_minutes,
                "not_ready": t.not_ready_minutes,
                "ready": t.ready_minutes,
                "prompted": t.prompted,
            }
            for t in lesson.tests
        ],
        "touches": [
            {
                "uuid": str(f.touch.uuid),
                "at": f.touch.at.isoformat(),
                "milestone": f.touch.payload.milestone,
                "ready": f.touch.payload.ready,
                "how": f.touch.payload.how,
                "minutes": f.minutes,
                "air_temp_c": f.air_temp_c,
            }
            for f in lesson.found
        ],
    }


def keep_batches(unit: Unit, uuids: Sequence[UUID]) -> None:
    """Keep how batches stand by their log; those that were taken back are forgotten."""
    for first in range(0, len(uuids), _BATCHES_AT_ONCE):
        some = uuids[first : first + _BATCHES_AT_ONCE]
        rows = log.of_batches(unit.session, some)
        states, newest = fold_batches(rows), newest_by_batch(rows)
        for uuid in some:
            state = states.get(uuid)
            if state is None:
                statuses.drop_batch(unit.session, uuid)
                continue
            unit.aside.put(key_of_batch(uuid, newest[uuid]), state, WEIGHT_OF_BATCH)
            statuses.put_batch(unit.session, _batch_fields(state, newest[uuid]))


def _batch_fields(state: BatchState, seq: int) -> dict[str, Any]:
    return {
        "uuid": state.uuid,
        "seq": seq,
        "product": state.plan.product,
        "begun_at": state.begun,
        "ended_at": state.ended,
        "pours": len(state.pours),
        "coats": len(state.coats),
        "left_ml": state.left_ml,
        "goes": state.goes,
    }

"""Putting the log right: an entry taken back, its time, or what it says, each by a later entry; all stay in the log."""

from collections.abc import Iterable
from datetime import UTC, datetime
from typing import Any, get_args
from uuid import UUID, uuid5

from cool_sheen.core.coatings.systems import COUNTS
from cool_sheen.core.log.entries import (
    MIXING,
    Amendable,
    AmendPayload,
    CoatPayload,
    MovePayload,
    Recorded,
    RetimePayload,
    SandPayload,
    StepPayload,
    TouchTestPayload,
    VoidPayload,
)
from cool_sheen.core.log.standing import unvoided, voids_that_stand
from cool_sheen.service.histories import entries_of
from cool_sheen.service.journal import Press, check_time, same_press, write_on_part
from cool_sheen.service.part_now import PartNow
from cool_sheen.service.unit import Refused, Unit


def undo(unit: Unit, found: PartNow, uuid: UUID, entry: UUID | None = None, *, whole: bool = False) -> Recorded:
    """Take back what the last press wrote, or an entry that is named. It stays in the log, and counts no more.

    Args:
        unit: The unit of work.
        found: The part.
        uuid: Of the press.
        entry: What is taken back, or put back where it is a taking-back itself; the last press when None.
        whole: Whether all that its press wrote goes with it.

    Raises: Refused: nothing to take back, or an entry of another part.
    """
    if before := same_press(unit, uuid, "void", found.row, {}):
        return before
    everything = entries_of(unit, found.part.uuid)
    rows = unvoided(everything)
    where_it_came_in = next((r for r in rows if r.entry.payload.kind == "move"), None)
    # What is in the cup is taken back at the mixing bench.
    mixing = (*MIXING, "stamp")
    open_to_undo = [r for r in rows if r is not where_it_came_in and r.entry.payload.kind not in mixing]
    voids = voids_that_stand(everything)  # taking a taking-back back puts the entry where it was
    if entry is None:
        chosen = max(open_to_undo, key=lambda r: r.seq, default=None)
    else:
        chosen = next((r for r in [*open_to_undo, *voids] if r.entry.uuid == entry), None)
    if chosen is None:
        raise Refused("There is nothing to take back on this part.", status=409)
    group = [chosen]
    if whole or entry is None:
        group = _of_one_press(chosen, voids if chosen.entry.voids else open_to_undo)
    first = write_on_part(unit, found.row, VoidPayload(), Press(uuid), voids=group[0].entry.uuid)
    for n, row in enumerate(group[1:]):
        press = Press(uuid5(uuid, f"also {n}"))
        write_on_part(unit, found.row, VoidPayload(), press, voids=row.entry.uuid)
    return first


_MADE = 5  # the version of an id that was made of a press: what a press writes beyond its first entry


def _of_one_press(chosen: Recorded, rows: Iterable[Recorded]) -> list[Recorded]:
    """Return all that the press of an entry wrote, in sequence: its own entry, and those with ids made of it."""
    group: list[Recorded] = []
    for row in sorted(rows, key=lambda r: r.seq):
        if row.recorded_at != chosen.recorded_at or row.entry.device != chosen.entry.device:
            continue
        if row.entry.uuid.version != _MADE:
            if chosen in group:
                break
            group = []
        group.append(row)
    return group


_TIMED = CoatPayload | SandPayload | StepPayload | TouchTestPayload | MovePayload


def retimed(unit: Unit, found: PartNow, uuid: UUID, entry: UUID, ended_at: datetime) -> Recorded:
    """Put the time of an entry right by a new one; both stay in the log.

    Raises: Refused: an entry that has no time of its own on this part, or a time that cannot be.
    """
    if before := same_press(unit, uuid, "retime", found.row, {"entry": entry, "ended_at": ended_at}):
        return before
    row = entry_to_retime(unit, found, entry)
    check_time(unit, ended_at)
    batch = getattr(row.entry.payload, "batch", None)
    payload = RetimePayload(entry=entry, ended_at=ended_at.astimezone(UTC), batch=batch)
    zones = frozenset(t.zone for t in row.entry.targets if t.zone) & {z.uuid for z in found.row.live_zones}
    return write_on_part(unit, found.row, payload, Press(uuid, None, zones))


def entry_to_retime(unit: Unit, found: PartNow, entry: UUID) -> Recorded:
    """Return an entry whose time can be put right, as it stands. Raises Refused."""
    rows = unvoided(entries_of(unit, found.part.uuid))
    arrival = next((r for r in rows if r.entry.payload.kind == "move"), None)
    row = next((r for r in rows if r.entry.uuid == entry and isinstance(r.entry.payload, _TIMED)), None)
    if row is None or row is arrival:
        raise Refused("This entry has no time to put right: load the page again.", status=409)
    return row


AMENDABLE = frozenset(
    kind for one in get_args(get_args(Amendable)[0]) for kind in get_args(one.model_fields["kind"].annotation)
)


def entry_to_correct(unit: Unit, found: PartNow, entry: UUID) -> Recorded:
    """Return an entry of which what it says can be put right, as it stands. Raises Refused."""
    rows = unvoided(entries_of(unit, found.part.uuid))
    row = next((r for r in rows if r.entry.uuid == entry), None)
    if row is None or row.entry.payload.kind not in AMENDABLE:
        raise Refused("What this entry says is not put right here: load the page again.", status=409)
    return row


def corrected(
    unit: Unit,
    found: PartNow,
    uuid: UUID,
    entry: UUID,
    said: dict[str, Any],
    zones: Iterable[UUID] = (),
    ended_at: datetime | None = None,
) -> Recorded:
    """Put right what an entry says, on which zones it was, and when it ended; the first word stays in the log.

    Args:
        unit: The unit of work.
        found: The part.
        uuid: Of the press.
        entry: What is put right.
        said: The fields of its payload that are another; what is left out stays.
        zones: Where it was; as before when empty.
        ended_at: When it ended; as before when None.

    Raises: Refused: no such entry, nothing that differs, or a time that cannot be. Conflict: said otherwise before.
    """
    if before := same_press(unit, uuid, "amend", found.row, {"entry": entry}):
        return before
    row = entry_to_correct(unit, found, entry)
    old = row.entry.payload
    says: Any = type(old).model_validate({**old.model_dump(), **said, **_counted(found, row, said)})
    there = frozenset(t.zone for t in row.entry.targets if t.zone)
    wanted = frozenset(zones)
    if strange := wanted - {z.uuid for z in found.row.live_zones}:
        raise Refused("This part has no such zone.", {"zones": f"Choose zones of this part; {len(strange)} are not."})
    other = wanted if wanted and wanted != there else frozenset()
    at = ended_at if ended_at and not _same_minute(ended_at, row.entry.occurred_at) else None
    if says == old and not other and at is None:
        raise Refused("Nothing of it was changed.", {"form": "Change what is wrong, or close this."})
    check_time(unit, at)
    payload = AmendPayload(
        entry=entry,
        says=says,
        zones=tuple(sorted(other, key=str)),
        ended_at=at.astimezone(UTC) if at else None,
        keeps_step=_same_work(old, says),
        batch=getattr(says, "batch", None),
    )
    return write_on_part(unit, found.row, payload, Press(uuid, None, other | (there & found.situation.all_zones)))


def _same_minute(one: datetime, other: datetime) -> bool:
    """A field of a page shows minutes: what is the same there was not changed."""
    return one.replace(second=0, microsecond=0) == other.astimezone(one.tzinfo).replace(second=0, microsecond=0)


def _counted(found: PartNow, row: Recorded, said: dict[str, Any]) -> dict[str, Any]:
    """A coat of another kind counts as its kind does; of the kind that was planned as the plan has it."""
    old = row.entry.payload
    kind = said.get("coat_kind")
    if not isinstance(old, CoatPayload) or kind is None or kind == old.coat_kind:
        return {}
    return {"counts": COUNTS[kind]}


def _same_work(old: Any, says: Any) -> bool:
    """Whether an entry is still the work of the plan that it was logged as: the same coat, the same grit."""
    if isinstance(old, CoatPayload):
        return bool(old.coat_kind == says.coat_kind)
    return bool(old.grit == says.grit) if isinstance(old, SandPayload) else True

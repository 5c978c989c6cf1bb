"""What of a log stands: not voided, in order of the work, with what was put right of it."""

from collections.abc import Iterable
from dataclasses import dataclass, replace
from datetime import datetime
from typing import Any
from uuid import UUID

from cool_sheen.core.log.entries import AmendPayload, Recorded, RetimePayload, Target


@dataclass(frozen=True, slots=True)
class Right:
    """How an entry stands since it was put right: what it says, on which zones, when it ended; None: as it was said."""

    says: Any = None
    zones: tuple[UUID, ...] = ()
    ended_at: datetime | None = None
    keeps_step: bool = True
    word: Recorded | None = None  # the last one on it

    def of(self, row: Recorded) -> Recorded:
        """Return an entry as it stands."""
        entry, told = row.entry, {}
        if self.says is not None:
            told["payload"] = self.says
            told["planned_step"] = entry.planned_step if self.keeps_step else None
        if self.zones and entry.targets:
            first = entry.targets[0]
            told["targets"] = tuple(Target(project=first.project, part=first.part, zone=zone) for zone in self.zones)
        if self.ended_at is not None:
            told["occurred_at"] = self.ended_at
        return row.model_copy(update={"entry": entry.model_copy(update=told)})


def unvoided(entries: Iterable[Recorded]) -> list[Recorded]:
    """Return what has not been voided, by time of the work and then by sequence; what was put right stands so."""
    rows = list(entries)
    void = _voided(rows)
    kept = [r for r in rows if r.entry.uuid not in void and r.entry.voids is None]
    if right := put_right(kept):
        kept = [right[r.entry.uuid].of(r) if r.entry.uuid in right else r for r in kept]
    return sorted(kept, key=lambda r: (r.entry.occurred_at, r.seq))


def put_right(standing: Iterable[Recorded]) -> dict[UUID, Right]:
    """Return how entries stand that were put right, by the last word on each; what a word leaves out stays."""
    out: dict[UUID, Right] = {}
    for row in sorted(standing, key=lambda r: r.seq):
        said = row.entry.payload
        if isinstance(said, RetimePayload):
            out[said.entry] = replace(out.get(said.entry, Right()), ended_at=said.ended_at, word=row)
        if isinstance(said, AmendPayload):
            before = out.get(said.entry, Right())
            out[said.entry] = Right(
                said.says, said.zones or before.zones, said.ended_at or before.ended_at, said.keeps_step, row
            )
    return out


def voids_that_stand(entries: Iterable[Recorded]) -> list[Recorded]:
    """Return the voids that have not themselves been voided."""
    rows = list(entries)
    void = _voided(rows)
    return [r for r in rows if r.entry.voids and r.entry.uuid not in void]


def _voided(rows: list[Recorded]) -> set[UUID]:
    """A void can itself be voided: the later word counts, so they are read from the last to the first."""
    void: set[UUID] = set()
    for row in sorted(rows, key=lambda r: r.seq, reverse=True):
        if row.entry.voids and row.entry.uuid not in void:
            void.add(row.entry.voids)
    return void

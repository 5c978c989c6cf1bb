"""What of a log stands: not voided, in order of the work, with the times that were put right."""

from collections.abc import Iterable
from uuid import UUID

from cool_sheen.core.log.entries import Recorded, RetimePayload


def unvoided(entries: Iterable[Recorded]) -> list[Recorded]:
    """Return what has not been voided, by time of the work and then by sequence; times that were put right are so."""
    rows = list(entries)
    void = _voided(rows)
    kept = [r for r in rows if r.entry.uuid not in void and r.entry.voids is None]
    if right := times_put_right(kept):
        kept = [r.ended_at(right[r.entry.uuid].ended_at) if r.entry.uuid in right else r for r in kept]
    return sorted(kept, key=lambda r: (r.entry.occurred_at, r.seq))


def times_put_right(standing: Iterable[Recorded]) -> dict[UUID, RetimePayload]:
    """Return when entries really ended whose time was put right, by the last word on each."""
    out: dict[UUID, RetimePayload] = {}
    for row in sorted(standing, key=lambda r: r.seq):
        if isinstance(row.entry.payload, RetimePayload):
            out[row.entry.payload.entry] = row.entry.payload
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

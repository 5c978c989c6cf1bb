"""From the log of a part to how it stands: pure functions over entries."""

from collections import Counter
from collections.abc import Iterable
from dataclasses import dataclass, field
from datetime import datetime
from uuid import UUID

from cool_sheen.core.film.build import Build, dry_film
from cool_sheen.core.log.entries import CoatPayload, Entry, MovePayload, Recorded, SandPayload, TouchTestPayload


@dataclass(frozen=True, slots=True)
class Coat:
    """A coat that counts for the clock."""

    uuid: UUID
    ended_at: datetime
    payload: CoatPayload
    place: int = 0  # in the order of the fold: two things may happen at one instant


@dataclass(frozen=True, slots=True)
class Touch:
    """A touch test that stands."""

    uuid: UUID
    at: datetime
    payload: TouchTestPayload


@dataclass(frozen=True, slots=True)
class Done:
    """Any other work that stands: sanding, wiping, masking and the rest."""

    uuid: UUID
    at: datetime
    kind: str
    planned_step: str | None
    grit: str | None = None
    place: int = 0


@dataclass(frozen=True, slots=True)
class Stay:
    """From when on the part stands in a space."""

    since: datetime
    space: UUID


@dataclass(slots=True)
class PartState:
    """How a part stands by its log, without the weather."""

    coats: list[Coat] = field(default_factory=list)
    touches: list[Touch] = field(default_factory=list)
    done: list[Done] = field(default_factory=list)
    stays: list[Stay] = field(default_factory=list)
    builds: dict[UUID, Build] = field(default_factory=dict)
    counts: Counter[str] = field(default_factory=Counter)
    coats_by_zone: dict[UUID, Counter[str]] = field(default_factory=dict)
    too_thin: list[UUID] = field(default_factory=list)
    places: int = 0
    last_entry: Recorded | None = None

    def done_on_top(self) -> list[Done]:
        """Return what was done since the last coat."""
        last = self.coats[-1].place if self.coats else -1
        return [d for d in self.done if d.place > last]

    def tests_of(self, coat: UUID) -> list[Touch]:
        """Return the touch tests of one coat, in order of time."""
        return [t for t in self.touches if t.payload.coat == coat]


def standing(entries: Iterable[Recorded]) -> list[Recorded]:
    """Return what has not been voided, by time of the work and then by sequence."""
    rows = list(entries)
    void = _voided(rows)
    kept = [r for r in rows if r.entry.uuid not in void and r.entry.voids is None]
    return sorted(kept, key=lambda r: (r.entry.occurred_at, r.seq))


def standing_voids(entries: Iterable[Recorded]) -> list[Recorded]:
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


def fold(entries: Iterable[Recorded], zones: list[UUID]) -> PartState:
    """Work out how a part stands.

    Args:
        entries: Every entry that is about the part or its zones, in any order.
        zones: The zones of the part as they are now; an entry about the whole part reaches each of them.
    """
    state = PartState(builds={zone: Build() for zone in zones}, coats_by_zone={zone: Counter() for zone in zones})
    for row in standing(entries):
        state.places += 1
        _FOLDERS.get(row.entry.payload.kind, _fold_step)(state, row.entry, _zones_of(row.entry, zones))
        state.last_entry = row
    return state


def _zones_of(entry: Entry, zones: list[UUID]) -> list[UUID]:
    aimed = {target.zone for target in entry.targets if target.zone}
    return [zone for zone in zones if zone in aimed] if aimed else zones


def _fold_coat(state: PartState, entry: Entry, zones: list[UUID]) -> None:
    coat = entry.payload
    assert isinstance(coat, CoatPayload)
    state.coats.append(Coat(entry.uuid, entry.occurred_at, coat, state.places))
    for zone in zones:
        state.builds[zone].coat(coat.layer_id, dry_film(coat.film_um, coat.volume_solids_pct))
        state.coats_by_zone[zone][coat.layer_id] += coat.counts
    # A layer has as many coats as its poorest zone.
    state.counts[coat.layer_id] = min((c[coat.layer_id] for c in state.coats_by_zone.values()), default=0)


def _fold_sand(state: PartState, entry: Entry, zones: list[UUID]) -> None:
    sanding = entry.payload
    assert isinstance(sanding, SandPayload)
    for zone in zones:
        missing = state.builds[zone].sand(sanding.removal_um)
        if state.builds[zone].layers and (missing > 0 or sanding.break_through):
            state.too_thin.append(entry.uuid)
    state.done.append(Done(entry.uuid, entry.occurred_at, "sand", entry.planned_step, sanding.grit, state.places))


def _fold_touch(state: PartState, entry: Entry, zones: list[UUID]) -> None:
    assert isinstance(entry.payload, TouchTestPayload)
    state.touches.append(Touch(entry.uuid, entry.occurred_at, entry.payload))


def _fold_move(state: PartState, entry: Entry, zones: list[UUID]) -> None:
    assert isinstance(entry.payload, MovePayload)
    state.stays.append(Stay(entry.occurred_at, entry.payload.space))


def _fold_step(state: PartState, entry: Entry, zones: list[UUID]) -> None:
    done = Done(entry.uuid, entry.occurred_at, entry.payload.kind, entry.planned_step, place=state.places)
    state.done.append(done)


_FOLDERS = {"coat": _fold_coat, "sand": _fold_sand, "touch_test": _fold_touch, "move": _fold_move}

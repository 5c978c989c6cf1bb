"""From the log to a batch as it stands: what is in the cup, which gates are passed, what is left."""

from collections.abc import Iterable
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from uuid import UUID

from cool_sheen.core.log.cups import BatchEndPayload, BatchPayload, PourPayload, ViscosityPayload
from cool_sheen.core.log.entries import CoatPayload, Entry, NotePayload, Recorded, StampPayload
from cool_sheen.core.log.standing import unvoided
from cool_sheen.core.mixing.pours import PourTarget, targets
from cool_sheen.core.mixing.ratios import Batch, Share, poured_batch
from cool_sheen.core.units import Millilitres

LEFT_OUT = "left_out_of_the_yields"  # the stamp of a batch from which nothing is to be learned


@dataclass(frozen=True, slots=True)
class Poured:
    """One pour that stands."""

    uuid: UUID
    at: datetime
    payload: PourPayload


@dataclass(slots=True)
class BatchState:
    """A batch by its log."""

    uuid: UUID
    begun: datetime
    plan: BatchPayload
    pours: list[Poured] = field(default_factory=list)
    stamps: dict[str, datetime] = field(default_factory=dict)
    viscosity: list[tuple[datetime, ViscosityPayload]] = field(default_factory=list)
    coats: list[Entry] = field(default_factory=list)
    ended: datetime | None = None
    left_ml: Millilitres = 0.0
    goes: str = ""
    alone: bool = False
    end_entry: UUID | None = None
    notes: list[tuple[datetime, str, str]] = field(default_factory=list)  # when, what, by whom

    @property
    def teaches(self) -> bool:
        """Whether the shop's yields are learned from it: it ended, it goes together, and nobody took it out of them."""
        return self.ended is not None and not self.alone and LEFT_OUT not in self.stamps

    @property
    def split(self) -> list[Share]:
        """The recipe in pouring order."""
        return [Share(li.name, li.ml_per_ml, li.density_g_per_ml, li.volume_solids_pct) for li in self.plan.lines]

    def poured_ml(self) -> list[Millilitres]:
        """What is in the cup of each component. [ml]"""
        out = [0.0] * len(self.plan.lines)
        for pour in self.pours:
            out[pour.payload.line] += pour.payload.ml
        return out

    def targets(self) -> list[PourTarget]:
        """What each component is to come to, from what is in the cup."""
        used_up = [False] * len(self.plan.lines)
        for pour in self.pours:
            used_up[pour.payload.line] |= pour.payload.used_up
        caps = [line.cap_ml_per_ml for line in self.plan.lines]
        return targets(self.split, self.plan.ready_ml, self.poured_ml(), used_up, caps)

    @property
    def cup(self) -> Batch:
        """What is in the cup, as a batch."""
        return poured_batch(list(zip(self.split, self.poured_ml(), strict=True)), self.plan.tare_g)

    @property
    def hardened_at(self) -> datetime | None:
        """When the hardener first went in: the pot life counts from then; what has none counts from its first pour."""
        roles = [line.role for line in self.plan.lines]
        starts = [p.at for p in self.pours if roles[p.payload.line] == "hardener" or "hardener" not in roles]
        return min(starts, default=None) if self.plan.pot_life_minutes else None

    @property
    def inducted_at(self) -> datetime | None:
        """When the induction is over: counted from the last pour of paint or hardener once both are in."""
        roles = [line.role for line in self.plan.lines]
        if self.hardened_at is None:
            return None
        last = max(p.at for p in self.pours if roles[p.payload.line] in ("paint", "hardener"))
        return last + timedelta(minutes=self.plan.induction_minutes)

    @property
    def used_ml(self) -> Millilitres:
        """What went through the gun or off the brush, once the batch is ended. [ml]"""
        return max(0.0, self.cup.ready_ml - self.left_ml)


def fold_batches(entries: Iterable[Recorded]) -> dict[UUID, BatchState]:
    """Work out how batches stand.

    Args:
        entries: The entries of these batches, the coats that name them, and the voids, in any order.

    Returns: Each batch by the uuid of the entry that began it.
    """
    out: dict[UUID, BatchState] = {}
    rows = unvoided(entries)
    for row in rows:
        if isinstance(row.entry.payload, BatchPayload):
            out[row.entry.uuid] = BatchState(row.entry.uuid, row.entry.occurred_at, row.entry.payload)
    for row in rows:
        payload = row.entry.payload
        state = out.get(getattr(payload, "batch", None))  # type: ignore[arg-type]
        if state is not None:
            _add(state, row.entry)
    return out


def newest_by_batch(entries: Iterable[Recorded]) -> dict[UUID, int]:
    """Return the sequence number of the newest entry about each batch, what took one back included.

    Args:
        entries: The entries of these batches, the coats that name them, and the voids, in sequence.
    """
    about: dict[UUID, UUID] = {}
    out: dict[UUID, int] = {}
    for row in entries:
        entry = row.entry
        batch = entry.uuid if isinstance(entry.payload, BatchPayload) else getattr(entry.payload, "batch", None)
        batch = batch or (about.get(entry.voids) if entry.voids else None)
        if batch is not None:
            about[entry.uuid] = batch
            out[batch] = max(out.get(batch, 0), row.seq)
    return out


def _add(state: BatchState, entry: Entry) -> None:
    payload = entry.payload
    if isinstance(payload, PourPayload):
        if payload.line < len(state.plan.lines):
            state.pours.append(Poured(entry.uuid, entry.occurred_at, payload))
    elif isinstance(payload, StampPayload):
        state.stamps.setdefault(payload.gate, entry.occurred_at)
    elif isinstance(payload, ViscosityPayload):
        state.viscosity.append((entry.occurred_at, payload))
    elif isinstance(payload, NotePayload):
        state.notes.append((entry.occurred_at, payload.text, entry.person))
    elif isinstance(payload, CoatPayload):
        state.coats.append(entry)
    elif isinstance(payload, BatchEndPayload):
        state.ended, state.left_ml, state.goes = entry.occurred_at, payload.left_ml, payload.goes
        state.end_entry, state.alone = entry.uuid, payload.alone

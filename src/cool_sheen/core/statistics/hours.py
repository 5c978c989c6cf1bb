"""Hands-on hours as they came, by kind of work, against those of the table."""

from collections import defaultdict
from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from cool_sheen.core.log.entries import CoatPayload, Recorded, SandPayload, StepPayload
from cool_sheen.core.log.spent import WORK_WORDS, HoursPayload, WorkKind
from cool_sheen.core.units import Hours, Minutes, SquareMetres
from cool_sheen.core.work.labour import minutes_of
from cool_sheen.core.work.steps import Step

WORKS: tuple[WorkKind, ...] = tuple(WORK_WORDS)
# The kind of work that a step is; whatever stands here not prepares.
_WORK_OF: dict[str, WorkKind] = {
    "sand": "sand",
    "mix": "coat", "induct": "coat", "coat": "coat", "turn": "coat", "clean_gun": "coat", "broadcast": "coat",
    "bake": "coat", "inspect": "finish", "unmask": "finish", "polish": "finish", "assemble": "finish",
    "decals": "finish", "own": "other", "wait": "other",
}  # fmt: skip


def work_of_step(kind: str) -> WorkKind:
    """Return the kind of work that a step is."""
    return _WORK_OF.get(kind, "prepare")


@dataclass(frozen=True, slots=True)
class Spent:
    """Hands-on time of one kind of work. ``entered``: somebody entered it; else it is what the work says of itself."""

    minutes: Minutes
    entered: bool


Hands = Mapping[WorkKind, Spent]


def estimated(steps: Iterable[Step]) -> dict[WorkKind, Minutes]:
    """Return what steps take by the table, by kind of work. [min]

    Source: docs/trade.md, Labour and money.
    """
    out: defaultdict[WorkKind, Minutes] = defaultdict(float)
    for step in steps:
        out[work_of_step(step.kind)] += minutes_of(step)
    return dict(out)


def spent(rows: Iterable[Recorded]) -> dict[WorkKind, Spent]:
    """Return the hands-on time of one part, by kind of work. [min]

    Args:
        rows: Its log as it stands: without what was voided, with what was put right.

    Hours that were entered for a kind of work are all of it. Where none were, what the work says of itself counts: the
    minutes of sandings and steps, and of coats with a start, from that to their end without the pauses.
    Source: docs/trade.md, Labour and money.
    """
    entered: defaultdict[WorkKind, Minutes] = defaultdict(float)
    said: defaultdict[WorkKind, Minutes] = defaultdict(float)
    for row in rows:
        payload = row.entry.payload
        if isinstance(payload, HoursPayload):
            entered[payload.work] += payload.minutes
        else:
            said[work_of_step(payload.kind)] += _says(row)
    found = {work: Spent(minutes, entered=False) for work, minutes in said.items() if minutes > 0}
    return found | {work: Spent(minutes, entered=True) for work, minutes in entered.items()}


def _says(row: Recorded) -> Minutes:
    payload = row.entry.payload
    if isinstance(payload, CoatPayload) and payload.started_at is not None:
        lasted = (row.entry.occurred_at - payload.started_at).total_seconds() / 60
        return max(0.0, lasted - (payload.paused_min or 0.0))
    if isinstance(payload, SandPayload | StepPayload) and payload.kind != "bake":  # an oven works alone
        return payload.minutes or 0.0
    return 0.0


@dataclass(frozen=True, slots=True)
class HoursLine:
    """One kind of work over some parts: what the table says of what was done, and what it took. [min, min, m2]"""

    work: WorkKind
    table: Minutes
    took: Minutes
    area_m2: SquareMetres

    @property
    def ratio(self) -> float | None:
        """What it took, times the table. [1]"""
        return self.took / self.table if self.table > 0 else None

    @property
    def hours_per_m2(self) -> Hours:
        """Hours for a square metre of the parts. [h/m2] Source: docs/trade.md, Labour and money."""
        return self.took / 60 / self.area_m2 if self.area_m2 > 0 else 0.0


@dataclass(frozen=True, slots=True)
class PartHours:
    """The hours of one part: what the table says of the steps that are done, and what they took."""

    area_m2: SquareMetres
    table: Mapping[WorkKind, Minutes]
    took: Hands

    @property
    def hours(self) -> Hours:
        """All of it. [h] Source: docs/trade.md, Labour and money."""
        return sum((s.minutes for s in self.took.values()), 0.0) / 60

    @property
    def untold(self) -> list[WorkKind]:
        """Kinds of work that were done, and of which nobody knows what they took."""
        return [work for work in WORKS if self.table.get(work, 0.0) > 0 and work not in self.took]

    @property
    def entered(self) -> bool:
        """Whether anybody entered hours."""
        return any(s.entered for s in self.took.values())


def lines(parts: Iterable[PartHours]) -> list[HoursLine]:
    """Return the kinds of work over some parts: of each, the parts alone on which anybody knows what it took.

    A part of which nobody entered anything tells the minutes of a few sandings, and would pass for a quick one.
    """
    known = [part for part in parts if part.entered]
    out = []
    for work in WORKS:
        told = [part for part in known if work in part.took]
        if told:
            table = sum(part.table.get(work, 0.0) for part in told)
            took = sum((part.took[work].minutes for part in told), 0.0)
            out.append(HoursLine(work, table, took, sum(part.area_m2 for part in told)))
    return out

"""From the log of a part to how it stands: pure functions over entries."""

from collections import Counter
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace
from datetime import datetime, timedelta
from uuid import UUID

from cool_sheen.core.drying.heat import Bake
from cool_sheen.core.film.build import Build, dry_film
from cool_sheen.core.log.entries import (
    MIXING,
    CheckPayload,
    ClaimPayload,
    CoatPayload,
    Entry,
    MovePayload,
    OverridePayload,
    Recorded,
    SandPayload,
    StepPayload,
    SurveyTestPayload,
    TouchTestPayload,
)

Zones = frozenset[UUID]


@dataclass(frozen=True, slots=True)
class Coat:
    """A coat that counts for the clock."""

    uuid: UUID
    ended_at: datetime
    payload: CoatPayload
    place: int = 0  # in the order of the fold: two things may happen at one instant
    zones: Zones = frozenset()
    planned_step: str | None = None


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
    zones: Zones = frozenset()


@dataclass(frozen=True, slots=True)
class Surveyed:
    """A survey test that stands."""

    uuid: UUID
    at: datetime
    payload: SurveyTestPayload
    zones: Zones


@dataclass(slots=True)
class Claim:
    """Somebody else's word; ``holds`` is None until the own check."""

    uuid: UUID
    at: datetime
    payload: ClaimPayload
    zones: Zones
    holds: bool | None = None


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
    surveyed: list[Surveyed] = field(default_factory=list)
    claims: dict[UUID, Claim] = field(default_factory=dict)
    overridden: list[tuple[datetime, str, str]] = field(default_factory=list)  # when, rule and place, reason
    bakes: list[Bake] = field(default_factory=list)
    places: int = 0
    last_entry: Recorded | None = None

    def done_on_top(self) -> list[Done]:
        """Return what was done since the last coat."""
        last = self.coats[-1].place if self.coats else -1
        return [d for d in self.done if d.place > last]

    def seen_by(self, zones: Zones) -> "PartState":
        """Return the coats and the work that reached any of these zones; the rest of the part has its own clocks."""
        if not zones or zones >= set(self.builds):
            return self
        coats = [c for c in self.coats if c.zones & zones]
        return replace(self, coats=coats, done=[d for d in self.done if d.zones & zones])

    def histories(self) -> list[Zones]:
        """Return the zones grouped by the coats that they got: one group on most parts."""
        groups: dict[tuple[UUID, ...], set[UUID]] = {}
        for zone in self.builds:
            groups.setdefault(tuple(c.uuid for c in self.coats if zone in c.zones), set()).add(zone)
        return [frozenset(group) for group in groups.values()]

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


def fold(entries: Iterable[Recorded], zones: list[UUID], heirs: Mapping[UUID, Zones] | None = None) -> PartState:
    """Work out how a part stands.

    Args:
        entries: Every entry that is about the part or its zones, in any order.
        zones: The zones of the part as they are now; an entry about the whole part reaches each of them.
        heirs: For each zone that was split, the zones of now that have its history.
    """
    passed_on = heirs or {}
    state = PartState(builds={zone: Build() for zone in zones}, coats_by_zone={zone: Counter() for zone in zones})
    for row in standing(entries):
        state.places += 1
        _FOLDERS.get(row.entry.payload.kind, _fold_step)(state, row.entry, _zones_of(row.entry, zones, passed_on))
        state.last_entry = row
    return state


def _zones_of(entry: Entry, zones: list[UUID], heirs: Mapping[UUID, Zones]) -> list[UUID]:
    aimed = {target.zone for target in entry.targets if target.zone}
    aimed |= {heir for zone in aimed for heir in heirs.get(zone, ())}
    return [zone for zone in zones if zone in aimed] if aimed else zones


def _fold_coat(state: PartState, entry: Entry, zones: list[UUID]) -> None:
    coat = entry.payload
    assert isinstance(coat, CoatPayload)
    state.coats.append(Coat(entry.uuid, entry.occurred_at, coat, state.places, frozenset(zones), entry.planned_step))
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
    state.done.append(_done(state, entry, "sand", zones, sanding.grit))


def _done(state: PartState, entry: Entry, kind: str, zones: list[UUID], grit: str | None = None) -> Done:
    return Done(entry.uuid, entry.occurred_at, kind, entry.planned_step, grit, state.places, frozenset(zones))


def _fold_touch(state: PartState, entry: Entry, zones: list[UUID]) -> None:
    assert isinstance(entry.payload, TouchTestPayload)
    state.touches.append(Touch(entry.uuid, entry.occurred_at, entry.payload))


def _fold_move(state: PartState, entry: Entry, zones: list[UUID]) -> None:
    assert isinstance(entry.payload, MovePayload)
    state.stays.append(Stay(entry.occurred_at, entry.payload.space))


def _fold_step(state: PartState, entry: Entry, zones: list[UUID]) -> None:
    heat = entry.payload
    if isinstance(heat, StepPayload) and heat.kind == "bake" and heat.metal_temp_c is not None and heat.minutes:
        state.bakes.append(
            Bake(entry.occurred_at - timedelta(minutes=heat.minutes), entry.occurred_at, heat.metal_temp_c)
        )
    state.done.append(_done(state, entry, entry.payload.kind, zones))


def _fold_survey(state: PartState, entry: Entry, zones: list[UUID]) -> None:
    assert isinstance(entry.payload, SurveyTestPayload)
    state.surveyed.append(Surveyed(entry.uuid, entry.occurred_at, entry.payload, frozenset(zones)))


def _fold_claim(state: PartState, entry: Entry, zones: list[UUID]) -> None:
    assert isinstance(entry.payload, ClaimPayload)
    state.claims[entry.uuid] = Claim(entry.uuid, entry.occurred_at, entry.payload, frozenset(zones))


def _fold_check(state: PartState, entry: Entry, zones: list[UUID]) -> None:
    """A claim that holds becomes work done; one that does not stays undone."""
    assert isinstance(entry.payload, CheckPayload)
    claim = state.claims.get(entry.payload.claim)
    if claim is None:
        return
    claim.holds = entry.payload.holds
    if claim.holds:
        state.done.append(_done(state, entry, claim.payload.says, list(claim.zones), claim.payload.grit))


def _fold_override(state: PartState, entry: Entry, zones: list[UUID]) -> None:
    assert isinstance(entry.payload, OverridePayload)
    state.overridden.append((entry.occurred_at, entry.payload.rule, entry.reason or ""))


def _fold_nothing(state: PartState, entry: Entry, zones: list[UUID]) -> None:
    """Words and readings are no work."""


_FOLDERS = {
    "coat": _fold_coat, "sand": _fold_sand, "touch_test": _fold_touch, "move": _fold_move,
    "survey_test": _fold_survey, "claim": _fold_claim, "check": _fold_check, "override": _fold_override,
    **dict.fromkeys((*MIXING, "stamp", "note", "climate_reading", "film_reading", "defect"), _fold_nothing),
}  # fmt: skip

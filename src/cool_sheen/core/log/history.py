"""From the log of a part to what was done to each of its zones: pure functions over entries."""

from collections import Counter
from collections.abc import Hashable, Iterable
from dataclasses import dataclass, field, replace
from datetime import datetime
from uuid import UUID

from cool_sheen.core.drying.heat import Bake
from cool_sheen.core.film.build import Build
from cool_sheen.core.log.breaks import Break
from cool_sheen.core.log.entries import (
    ClaimPayload,
    CoatPayload,
    SandPayload,
    SurveyTestPayload,
    TouchTestPayload,
)
from cool_sheen.core.log.looks import FilmRead, Judged, Look, Mark, Measured, Mishap
from cool_sheen.core.survey.below import Strip, as_stripped
from cool_sheen.core.survey.zones import ZoneFacts
from cool_sheen.core.units import Hours

Zones = frozenset[UUID]


@dataclass(frozen=True, slots=True)
class LaidCoat:
    """A coat that is on. ``place`` is its place in the fold: two things may happen at one instant."""

    uuid: UUID
    ended_at: datetime
    payload: CoatPayload
    place: int = 0
    zones: Zones = frozenset()
    planned_step: str | None = None


@dataclass(frozen=True, slots=True)
class Touch:
    """A touch test that stands."""

    uuid: UUID
    at: datetime
    payload: TouchTestPayload
    zones: Zones = frozenset()


@dataclass(frozen=True, slots=True)
class Work:
    """Any other work that stands: sanding, wiping, masking and the rest."""

    uuid: UUID
    at: datetime
    kind: str
    planned_step: str | None
    grit: str | None = None
    place: int = 0
    zones: Zones = frozenset()
    wet: bool = False
    claimed: bool = False  # by somebody else's word, that was looked at and holds
    sanding: SandPayload | None = None  # what was said of it, where it is one


@dataclass(frozen=True, slots=True)
class Skip:
    """Steps that are not done, and why."""

    uuid: UUID
    at: datetime
    steps: tuple[str, ...]
    reason: str
    zones: Zones
    place: int = 0


@dataclass(frozen=True, slots=True)
class Begun:
    """Work on a piece began, or went on; or, without a layer, it rests since."""

    uuid: UUID
    at: datetime
    layer_id: str
    zones: Zones
    place: int = 0


@dataclass(frozen=True, slots=True)
class InHand:
    """A piece that was begun and is not done: since when, for how long it rested, and since when it rests. [min]"""

    zones: Zones
    layer_id: str
    since: datetime
    paused_min: float = 0.0
    rests_since: datetime | None = None

    def rested_min(self, until: datetime) -> float:
        """For how long it has rested up to an instant. [min]"""
        now = (until - self.rests_since).total_seconds() / 60 if self.rests_since else 0.0
        return self.paused_min + max(0.0, now)


@dataclass(frozen=True, slots=True)
class Heated:
    """A bake of some zones."""

    bake: Bake
    zones: Zones


@dataclass(frozen=True, slots=True)
class Surveyed:
    """A survey test that stands."""

    uuid: UUID
    at: datetime
    payload: SurveyTestPayload
    zones: Zones


@dataclass(frozen=True, slots=True)
class Stripped:
    """Some zones were stripped."""

    strip: Strip
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


@dataclass(frozen=True, slots=True)
class SurfaceRead:
    """The part's own surface was measured."""

    at: datetime
    surface_temp_c: float


@dataclass(frozen=True, slots=True)
class ZoneHistory:
    """What was done to some zones that had the same: their coats, tests and bakes, and the work in between."""

    zones: Zones
    coats: tuple[LaidCoat, ...] = ()
    works: tuple[Work, ...] = ()
    touches: tuple[Touch, ...] = ()
    bakes: tuple[Bake, ...] = ()

    @property
    def on_top(self) -> tuple[Work, ...]:
        """What was done since the last coat."""
        last = self.coats[-1].place if self.coats else -1
        return tuple(w for w in self.works if w.place > last)

    def gritty(self, number: int) -> bool:
        """Whether grit was broadcast into one of its coats: before the next one went on."""
        since, until = self.coats[number].place, [c.place for c in self.coats[number + 1 : number + 2]]
        return any(w.kind == "broadcast" and since < w.place < min(until, default=w.place + 1) for w in self.works)

    def tests_of(self, coat: UUID) -> list[Touch]:
        """Return the touch tests of one coat here, in order of time."""
        return [t for t in self.touches if coat in t.payload.coats]

    def lately(self, most: int) -> "ZoneHistory":
        """Return the same with the last coats alone: what lies deeper has dried long ago."""
        if len(self.coats) <= most:
            return self
        kept = self.coats[-most:]
        wanted = {c.uuid for c in kept}
        touches = tuple(t for t in self.touches if wanted & set(t.payload.coats))
        return ZoneHistory(self.zones, kept, self.works, touches, self.bakes)


@dataclass(slots=True)
class History:
    """How a part stands by its log, without the weather."""

    coats: list[LaidCoat] = field(default_factory=list)
    touches: list[Touch] = field(default_factory=list)
    works: list[Work] = field(default_factory=list)
    skips: list[Skip] = field(default_factory=list)
    stays: list[Stay] = field(default_factory=list)
    builds: dict[UUID, Build] = field(default_factory=dict)
    counts: Counter[str] = field(default_factory=Counter)
    coats_by_zone: dict[UUID, Counter[str]] = field(default_factory=dict)
    breaks: list[Break] = field(default_factory=list)
    surveyed: list[Surveyed] = field(default_factory=list)
    strips: list[Stripped] = field(default_factory=list)
    claims: dict[UUID, Claim] = field(default_factory=dict)
    overridden: list[tuple[datetime, str, str]] = field(default_factory=list)  # when, rule and place, reason
    bakes: list[Heated] = field(default_factory=list)
    surfaces: list[SurfaceRead] = field(default_factory=list)
    looks: list[Look] = field(default_factory=list)
    marks: dict[UUID, Mark] = field(default_factory=dict)
    readings: dict[UUID, FilmRead] = field(default_factory=dict)
    mishaps: list[Mishap] = field(default_factory=list)
    soiled: list[Work] = field(default_factory=list)  # wipes after which the cloth was not clean
    judged: list[Judged] = field(default_factory=list)
    begun: list[Begun] = field(default_factory=list)
    measured: Measured = field(default_factory=Measured)
    places: int = 0

    def of(self, zones: Zones) -> ZoneHistory:
        """Return what was done to zones that had the same: what reached one of them reached all."""
        return ZoneHistory(
            zones,
            tuple(c for c in self.coats if c.zones & zones),
            tuple(w for w in self.works if w.zones & zones),
            tuple(t for t in self.touches if t.zones & zones),
            tuple(h.bake for h in self.bakes if h.zones & zones),
        )

    def settled(self, broken: Break, zone: UUID) -> bool:
        """Whether a sanding that may have gone through is settled on a zone: it was coated over with what follows."""
        later = (c for c in self.coats if c.place > broken.place and zone in c.zones)
        return not broken.lasts and any(c.payload.layer_id not in broken.layers for c in later)

    def open_marks(self, zone: UUID, *, coated: bool = False) -> list[Mark]:
        """Return the marks that are open on a zone, the oldest first.

        Args:
            zone: The zone.
            coated: Those that a coat lies over since, which are to be looked at again; else those that none does.
        """
        last = max((c.place for c in self.coats if zone in c.zones), default=-1)
        return [m for m in self.marks.values() if zone in m.open_on and (m.place < last) is coated]

    def in_hand(self, zone: UUID | None = None) -> InHand | None:
        """Return the piece that was begun last and got no coat since; None where nothing is in hand.

        Args:
            zone: A piece that is asked for, whether another one was begun since or not; any when None.
        """
        starts = [b for b in self.begun if b.layer_id and (zone is None or zone in b.zones)]
        if not starts:
            return None
        last = starts[-1]
        mine = [b for b in self.begun if b.zones & last.zones]
        before = [c.place for c in self.coats if c.zones & last.zones]
        since = max(before, default=-1)
        if since > last.place:
            return None
        run = [b for b in mine if b.place > since]
        first = next(b for b in run if b.layer_id)
        paused, rests = 0.0, None
        for b in run[run.index(first) + 1 :]:
            if not b.layer_id:
                rests = rests or b.at
            elif rests is not None:
                paused, rests = paused + max(0.0, (b.at - rests).total_seconds() / 60), None
        return InHand(last.zones, last.layer_id, first.at, paused, rests)

    def wiped_in_vain(self, zones: Zones) -> int:
        """How often some zones were wiped since their last sanding or coat, and the white cloth was not clean."""
        before = [w.place for w in self.works if w.kind == "sand" and w.zones & zones]
        before += [c.place for c in self.coats if c.zones & zones]
        done = [w.place for w in self.works if w.kind in ("wipe", "degrease", "tack") and w.zones & zones]
        since = max([*before, *done], default=-1)
        return sum(w.place > since for w in self.soiled if w.zones & zones)

    def as_logged(self, zones: Iterable[ZoneFacts]) -> list[ZoneFacts]:
        """Return what is to be said of zones by the survey, and by what was stripped and abraded since.

        A bare zone is bare since it was abraded for the last time before its first coat.
        """
        return [self._abraded(as_stripped(zone, self.stripped(zone.uuid))) for zone in zones]

    def _abraded(self, zone: ZoneFacts) -> ZoneFacts:
        if not zone.bare or zone.bare_since is None:
            return zone
        first = next((c.place for c in self.coats if zone.uuid in c.zones), self.places + 1)
        times = [w.at for w in self.works if w.kind == "sand" and zone.uuid in w.zones and w.place < first]
        return replace(zone, bare_since=max([zone.bare_since, *times]))

    def stripped(self, zone: UUID) -> list[Strip]:
        """Return how a zone was stripped, in order of time."""
        return [s.strip for s in self.strips if zone in s.zones]

    def bare_h(self, zone: ZoneFacts, now: datetime) -> Hours | None:
        """How long a bare zone has stood, up to its first coat. [h]

        Args:
            zone: The zone, as the log has it.
            now: The present, where nothing is on it yet.

        Returns: Hours; None where it is not bare, or nobody said since when.
        """
        if not zone.bare or zone.bare_since is None:
            return None
        until = next((c.ended_at for c in self.coats if zone.uuid in c.zones), now)
        return max(0.0, (until - zone.bare_since).total_seconds() / 3600)

    def space_at(self, at: datetime) -> UUID | None:
        """Where the part stood at an instant; where it came in for one before that."""
        stays = [s for s in self.stays if s.since <= at] or self.stays[:1]
        return stays[-1].space if stays else None

    def lately(self, zone: UUID, most: int) -> list[LaidCoat]:
        """Return the last coats of a zone."""
        return [c for c in self.coats if zone in c.zones][-most:]

    def apart(self) -> list[ZoneHistory]:
        """Return the zones grouped by what was done to them since the coats on top, and by those coats."""
        groups: dict[Hashable, set[UUID]] = {}
        for zone in self.builds:
            groups.setdefault(self._marks(zone), set()).add(zone)
        return [self.of(frozenset(group)) for group in groups.values()]

    def _marks(self, zone: UUID) -> Hashable:
        coats = tuple((c.uuid, c.payload.film_um) for c in self.coats if zone in c.zones)
        last = max((c.place for c in self.coats if zone in c.zones), default=-1)
        since = tuple(w.uuid for w in self.works if zone in w.zones and w.place > last)
        names = {uuid for uuid, _ in coats}
        touched = tuple(t.uuid for t in self.touches if zone in t.zones and names & set(t.payload.coats))
        return coats, since if coats else (), touched, tuple(h.bake for h in self.bakes if zone in h.zones)

    def same_coats(self) -> list[Zones]:
        """Return the zones grouped by the coats that they got: one group on most parts."""
        groups: dict[tuple[UUID, ...], set[UUID]] = {}
        for zone in self.builds:
            groups.setdefault(tuple(c.uuid for c in self.coats if zone in c.zones), set()).add(zone)
        return [frozenset(group) for group in groups.values()]

"""What looks over a part found, and how that stands: marks, readings, mishaps, and one's own judgement of the film."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import datetime
from uuid import UUID

from cool_sheen.core.log.looked import FilmReadingPayload, JudgementPayload, MarkPayload, MishapPayload
from cool_sheen.core.units import Micron

Zones = frozenset[UUID]


@dataclass(frozen=True, slots=True)
class Look:
    """Zones were looked over for a step, and passed or not."""

    uuid: UUID
    at: datetime
    planned_step: str | None
    zones: Zones
    passed: bool
    place: int


@dataclass(frozen=True, slots=True)
class Accepted:
    """Something stays as it is, in words."""

    uuid: UUID
    at: datetime
    because: str
    reason: str
    seen_from_m: float | None = None


@dataclass(slots=True)
class Mark:
    """A place that was marked. It is open on ``open_on`` until those zones pass, or it is accepted."""

    uuid: UUID
    at: datetime
    payload: MarkPayload
    zones: Zones
    place: int
    open_on: set[UUID] = field(default_factory=set)
    accepted: Accepted | None = None

    @property
    def holds(self) -> bool:
        """Whether its zone does not pass as long as it is open: what a support left is touched in at the end."""
        return self.payload.what != "support"


@dataclass(frozen=True, slots=True)
class Mishap:
    """Something went wrong on some zones: a branch of steps mends it."""

    uuid: UUID
    at: datetime
    payload: MishapPayload
    zones: Zones
    place: int


@dataclass(slots=True)
class FilmRead:
    """Readings of the film of some zones; ``ledger_um`` is the dry film that the ledger had there then. [um]"""

    uuid: UUID
    at: datetime
    payload: FilmReadingPayload
    zones: Zones
    place: int
    ledger_um: Mapping[UUID, Micron]
    accepted: Accepted | None = None


@dataclass(frozen=True, slots=True)
class Judged:
    """One's own word on whether a layer is thick enough for its sanding; the last one counts."""

    uuid: UUID
    at: datetime
    payload: JudgementPayload
    zones: Zones
    place: int


class Measured:
    """The wet film of coats as combs read it, zone by zone; a place that is read again counts by its last reading."""

    def __init__(self) -> None:
        self._read: dict[tuple[UUID, UUID], dict[str, list[Micron]]] = {}

    def add(self, said: FilmReadingPayload, uuid: UUID, zones: Zones) -> None:
        """Take readings in; those of a dry film, or of no coat, say nothing about a wet one."""
        if said.state != "wet" or said.coat is None:
            return
        places: dict[str, list[Micron]] = {}
        for number, um in enumerate(said.readings_um):
            place = said.places[number].lower() if number < len(said.places) else ""
            places.setdefault(place or f"{uuid}:{number}", []).append(um)
        for zone in zones:
            self._read.setdefault((said.coat, zone), {}).update(places)

    def of(self, coat: UUID, zones: Zones) -> dict[Micron | None, Zones]:
        """Return the zones of a coat by the mean of what was read there [um]; None where nothing was."""
        out: dict[Micron | None, set[UUID]] = {}
        for zone in zones:
            read = [um for at_place in self._read.get((coat, zone), {}).values() for um in at_place]
            mean = sum(read) / len(read) if read else 0.0
            out.setdefault(mean or None, set()).add(zone)
        return {mean: frozenset(there) for mean, there in out.items()}

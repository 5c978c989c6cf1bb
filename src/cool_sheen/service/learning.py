"""What this shop has learned of a product's times in a space: touch tests over all its parts, weighed by mode."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from uuid import UUID

from sqlalchemy import select
from sqlalchemy.orm import Session, selectinload

from cool_sheen.core.drying.clock import DEFAULT_LN_SD
from cool_sheen.core.drying.milestones import Mode
from cool_sheen.core.drying.touch import Posterior, TouchTest, learn
from cool_sheen.core.log.fold import PartState, Touch
from cool_sheen.core.planning.film_clock import Factor, coat_clocks
from cool_sheen.service.climate import Weather, part_climate
from cool_sheen.service.desk import Desk
from cool_sheen.service.states import state_of
from cool_sheen.store import climate as records
from cool_sheen.store import log
from cool_sheen.store.models import LogEntry, LogTarget, Part, Space

_Key = tuple[str, UUID | None, Mode]


@dataclass(frozen=True, slots=True)
class Lesson:
    """What the tests of one coat say: for a product, where it dried, and a mode."""

    coat: UUID
    part: UUID
    product: str
    space: UUID | None
    mode: Mode
    tests: tuple[TouchTest, ...]
    touches: tuple[Touch, ...]


@dataclass(frozen=True, eq=False)
class Lessons:
    """All lessons of the shop; ``by_space`` has a figure that changes whenever one of a space does."""

    by_key: dict[_Key, tuple[Lesson, ...]]
    by_space: dict[UUID | None, int]
    kept: dict[tuple[object, ...], Factor] = field(default_factory=dict)

    def factor(self, product: str, space: UUID | None, mode: Mode, without: UUID | None = None) -> Factor:
        """Mean and spread of ln factor: the prior where nothing was learned; without the tests of one coat."""
        taught = self.by_key.get((product, space, mode), ())
        if all(lesson.coat != without for lesson in taught):
            without = None
        key = (product, space, mode, without)
        if key not in self.kept:
            self.kept[key] = _weighed([t for lesson in taught if lesson.coat != without for t in lesson.tests])
        return self.kept[key]

    def of_product(self, product: str) -> list[tuple[_Key, tuple[Lesson, ...], Posterior]]:
        """Return what was learned of a product: each space and mode, with its lessons and the posterior."""
        rows = [(key, found) for key, found in self.by_key.items() if key[0] == product]
        return [(key, found, learn([t for lesson in found for t in lesson.tests])) for key, found in rows]


def _weighed(tests: list[TouchTest]) -> Factor:
    if not tests:
        return 0.0, DEFAULT_LN_SD
    found = learn(tests)
    return found.ln_mean, found.ln_sd


def lessons(desk: Desk, opened: Session, weather: Weather, spaces: dict[UUID, Space]) -> Lessons:
    """Gather what touch tests said over all parts; a test that is taken back teaches nothing."""
    newest = (log.newest_seq(opened, "touch_test"), log.newest_seq(opened, "void"), records.version(opened))
    if not newest[0]:
        return Lessons({}, {})
    key = ("lessons", newest)
    found: Lessons = desk.memo.get(key, lambda: _gather(desk, opened, weather, spaces))
    return found


def _gather(desk: Desk, opened: Session, weather: Weather, spaces: dict[UUID, Space]) -> Lessons:
    touched = (
        select(LogTarget.part_uuid)
        .join(LogEntry, LogEntry.seq == LogTarget.seq)
        .where(LogEntry.kind == "touch_test", LogTarget.part_uuid.is_not(None))
        .distinct()
    )
    parts = opened.scalars(select(Part).where(Part.uuid.in_(touched)).options(selectinload(Part.zones)))
    by_key: dict[_Key, tuple[Lesson, ...]] = {}
    for part in parts:
        for lesson in _lessons_of(desk, opened, part, weather, spaces):
            key = (lesson.product, lesson.space, lesson.mode)
            by_key[key] = (*by_key.get(key, ()), lesson)
    places = {key[1] for key in by_key}
    marks = {place: hash(tuple(item for item in by_key.items() if item[0][1] == place)) for place in places}
    return Lessons(by_key, marks)


def _lessons_of(
    desk: Desk, opened: Session, part: Part, weather: Weather, spaces: dict[UUID, Space]
) -> Sequence[Lesson]:
    state: PartState = state_of(desk, opened, part, log.last_seqs(opened, [part.uuid]).get(part.uuid, 0))
    if not state.touches:
        return []
    mass = desk.catalogue.substrates[part.substrate].mass
    climate = part_climate(desk, opened, state, mass, spaces, weather)
    revisions = {c.payload.coating: desk.revision(opened, c.payload.coating) for c in state.coats}
    return [
        Lesson(c.coat.uuid, part.uuid, c.product.key, c.coat.payload.space, mode, tests, _about(state, c.coat.uuid))
        for c in coat_clocks(state, climate, None, revisions)
        for mode, tests in c.evidence.items()
    ]


def _about(state: PartState, coat: UUID) -> tuple[Touch, ...]:
    return tuple(state.tests_of(coat))

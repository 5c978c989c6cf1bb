"""What this shop has learned of a sheet's times in a space: touch tests over all its parts, weighed by mode.

Lessons are kept by what the clock reads of a sheet: two revisions that dry differently teach apart.
"""

from collections.abc import Sequence
from dataclasses import dataclass, field
from uuid import UUID

from sqlalchemy import select
from sqlalchemy.orm import selectinload

from cool_sheen.core.coatings.products import Product
from cool_sheen.core.drying.clock import DEFAULT_LN_SD
from cool_sheen.core.drying.milestones import DryingData, Mode
from cool_sheen.core.drying.touch import Posterior, TouchTest, learn
from cool_sheen.core.log.history import History, Touch, ZoneHistory
from cool_sheen.core.part.film_clock import Factor, coat_clocks
from cool_sheen.service.climate import Weather, part_climate
from cool_sheen.service.histories import history_of
from cool_sheen.service.unit import Unit
from cool_sheen.store import climate as records
from cool_sheen.store import log
from cool_sheen.store.models import LogEntry, LogTarget, Part, Space

_Key = tuple[DryingData, UUID | None, Mode]


@dataclass(frozen=True, slots=True)
class Lesson:
    """What the tests of one coat say: for a sheet, where it dried, and a mode."""

    coat: UUID
    part: UUID
    product: str
    drying: DryingData
    space: UUID | None
    mode: Mode
    tests: tuple[TouchTest, ...]
    touches: tuple[Touch, ...]


@dataclass(frozen=True, eq=False)
class Lessons:
    """All lessons of the shop; ``by_space`` has a figure that changes whenever one of a space does."""

    by_key: dict[_Key, tuple[Lesson, ...]]
    by_space: dict[UUID | None, int]
    weighed: dict[tuple[object, ...], Factor] = field(default_factory=dict)

    def factor(self, product: Product, space: UUID | None, mode: Mode, without: UUID | None = None) -> Factor:
        """Mean and spread of ln factor: the prior where nothing was learned; without the tests of one coat."""
        taught = self.by_key.get((product.drying, space, mode), ())
        if not taught:
            return 0.0, DEFAULT_LN_SD
        if all(lesson.coat != without for lesson in taught):
            without = None
        key = (product.drying, space, mode, without)
        if key not in self.weighed:
            self.weighed[key] = _weighed([t for lesson in taught if lesson.coat != without for t in lesson.tests])
        return self.weighed[key]

    def of_product(self, product: str) -> list[tuple[UUID | None, Mode, tuple[Lesson, ...], Posterior]]:
        """Return what was learned of a product: each space and mode, with its lessons and the posterior."""
        rows = [(key, found) for key, found in self.by_key.items() if found[0].product == product]
        return [(key[1], key[2], found, learn([t for one in found for t in one.tests])) for key, found in rows]


def _weighed(tests: list[TouchTest]) -> Factor:
    if not tests:
        return 0.0, DEFAULT_LN_SD
    found = learn(tests)
    return found.ln_mean, found.ln_sd


def lessons(unit: Unit, weather: Weather, spaces: dict[UUID, Space]) -> Lessons:
    """Gather what touch tests said over all parts; a test that is taken back teaches nothing."""
    newest = (
        log.newest_seq(unit.session, "touch_test"), log.newest_seq(unit.session, "void"),
        log.newest_seq(unit.session, "climate_reading"), records.version(unit.session),
    )  # fmt: skip
    if not newest[0]:
        return Lessons({}, {})
    found: Lessons = unit.kept.get(("lessons", newest), lambda: _gather(unit, weather, spaces), lambda _: 400_000)
    return found


def _gather(unit: Unit, weather: Weather, spaces: dict[UUID, Space]) -> Lessons:
    touched = (
        select(LogTarget.part_uuid)
        .join(LogEntry, LogEntry.seq == LogTarget.seq)
        .where(LogEntry.kind == "touch_test", LogTarget.part_uuid.is_not(None))
        .distinct()
    )
    parts = unit.session.scalars(select(Part).where(Part.uuid.in_(touched)).options(selectinload(Part.zones)))
    by_key: dict[_Key, tuple[Lesson, ...]] = {}
    for part in parts:
        for lesson in lessons_of(unit, part, weather, spaces):
            key = (lesson.drying, lesson.space, lesson.mode)
            by_key[key] = (*by_key.get(key, ()), lesson)
    places = {key[1] for key in by_key}
    marks = {place: hash(tuple(item for item in by_key.items() if item[0][1] == place)) for place in places}
    return Lessons(by_key, marks)


def lessons_of(unit: Unit, part: Part, weather: Weather, spaces: dict[UUID, Space]) -> Sequence[Lesson]:
    """Return what the touch tests of one part teach: each coat once, by the zones that were touched."""
    history: History = history_of(unit, part)
    if not history.touches:
        return []
    climate = part_climate(unit, history, unit.catalogue.substrates[part.substrate].mass, spaces, weather)
    revisions = {c.payload.coating: unit.revision(c.payload.coating) for c in history.coats}
    out: dict[tuple[UUID, Mode], Lesson] = {}
    for zone in history.apart():
        for c in coat_clocks(zone, climate.heated(zone.bakes), None, revisions):
            for mode, tests in c.evidence.items():
                about = _about(zone, c.coat.uuid)
                space = c.coat.payload.space
                lesson = Lesson(c.coat.uuid, part.uuid, c.product.key, c.product.drying, space, mode, tests, about)
                out.setdefault((c.coat.uuid, mode), lesson)
    return list(out.values())


def _about(zone: ZoneHistory, coat: UUID) -> tuple[Touch, ...]:
    return tuple(zone.tests_of(coat))

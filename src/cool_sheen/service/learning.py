"""What this shop has learned of a sheet's times in a space: touch tests over all its parts, weighed by mode.

Lessons are kept by what the clock reads of a sheet: two revisions that dry differently teach apart.
"""

import hashlib
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Any
from uuid import UUID

from cool_sheen.core.climate.air import Floats
from cool_sheen.core.coatings.products import Product
from cool_sheen.core.drying.clock import DEFAULT_LN_SD
from cool_sheen.core.drying.milestones import DryingData, Mode
from cool_sheen.core.drying.touch import Posterior, TouchTest, believe, evidence, learn
from cool_sheen.core.log.history import History, Touch
from cool_sheen.core.part.film_clock import Factor, coat_clocks
from cool_sheen.service.climate import part_climate
from cool_sheen.service.unit import Unit
from cool_sheen.store import changes, statuses
from cool_sheen.store.models import LessonRow, Part

Mark = tuple[int, int]
_MOST_SHOWN = 400
MOST_LESSONS = 120  # the last tested coats: a shop changes, and what lies further back says no more


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


@dataclass(frozen=True, slots=True)
class Taught:
    """One space and mode of a product: the lessons, and what they come to."""

    space: UUID | None
    mode: Mode
    lessons: list[LessonRow]
    belief: Posterior


@lru_cache(maxsize=2000)
def drying_hash(data: DryingData) -> str:
    """SHA-256 of what the clock reads of a sheet: the name under which its lessons are kept."""
    return hashlib.sha256(repr(data).encode()).hexdigest()


@dataclass(eq=False)
class Lessons:
    """What was learned, looked up when asked for; ``marks`` has a figure for each sheet and space that has any."""

    unit: Unit
    marks: dict[tuple[str, UUID | None], Mark]
    number: int  # how often something was taught, or taken back

    def mark(self, sheets: Iterable[str], space: UUID | None) -> tuple[Mark | None, ...]:
        """Return something that changes whenever one of these sheets, each by its times, is taught something here."""
        return tuple(self.marks.get((sheet, space)) for sheet in sheets)

    def factor(self, product: Product, space: UUID | None, mode: Mode, without: UUID | None = None) -> Factor:
        """Mean and spread of ln factor: the prior where nothing was learned; without the tests of one coat."""
        name = drying_hash(product.drying)
        mark = self.marks.get((name, space))
        if mark is None:
            return 0.0, DEFAULT_LN_SD
        kept = self.unit.kept
        taught: _Evidence = kept.get(
            ("taught", name, space, mark, mode), lambda: _load(self.unit, name, space, mode), lambda _: 60_000
        )
        if without not in taught.own:
            without = None
        found: Factor = kept.get(
            ("factor", name, space, mark, mode, without), lambda: taught.factor(without), lambda _: 200
        )
        return found


@dataclass(frozen=True, eq=False)
class _Evidence:
    """What all coats say of one sheet, space and mode together, and the tests of each, to be left out."""

    total: Floats
    own: dict[UUID, list[TouchTest]]

    def factor(self, without: UUID | None) -> Factor:
        """Mean and spread of ln factor, without the tests of one coat."""
        kept = self.total - evidence(self.own[without]) if without is not None else self.total
        if not self.own or (without is not None and len(self.own) == 1):
            return 0.0, DEFAULT_LN_SD
        found = believe(kept)
        return found.ln_mean, found.ln_sd


def _load(unit: Unit, drying: str, space: UUID | None, mode: Mode) -> _Evidence:
    found = statuses.tests_taught(unit.session, drying, space, mode.value, MOST_LESSONS)
    own = {coat: [_test(t) for t in tests] for coat, tests in found}
    return _Evidence(evidence([t for tests in own.values() for t in tests]), own)


def _test(said: dict[str, Any]) -> TouchTest:
    return TouchTest(said["predicted"], said["not_ready"], said["ready"])


def lessons(unit: Unit) -> Lessons:
    """Return what the shop has learned."""
    number = unit.workshop.ready.lessons if unit.workshop.ready and not unit.works_ahead else newest_lessons(unit)
    marks = unit.kept.get(("lesson marks", number), lambda: statuses.lesson_marks(unit.session), lambda m: 200 * len(m))
    return Lessons(unit, marks, number)


def newest_lessons(unit: Unit) -> int:
    """Return how often something was taught, or taken back."""
    return changes.generations(unit.settled()).get(changes.LESSONS, 0)


def taught_of(unit: Unit, product: str) -> list[Taught]:
    """Return what was learned of a product, over all its revisions: each space and mode with its lessons."""
    groups: dict[tuple[UUID | None, str], list[LessonRow]] = {}
    for row in statuses.lessons_where(unit.session, LessonRow.product == product, most=_MOST_SHOWN):
        groups.setdefault((row.space_uuid, row.mode), []).append(row)
    return [
        Taught(space, Mode(mode), rows, learn([_test(t) for row in rows[-MOST_LESSONS:] for t in row.tests]))
        for (space, mode), rows in groups.items()
    ]


def lessons_of(unit: Unit, part: Part, history: History) -> Sequence[Lesson]:
    """Return what the touch tests of one part teach: each coat once, by the zones that were touched."""
    climate = part_climate(unit, history, unit.catalogue.substrates[part.substrate].mass, goes_on=False)
    revisions = {c.payload.coating: unit.revision(c.payload.coating) for c in history.coats}
    out: dict[tuple[UUID, Mode], Lesson] = {}
    for zone in history.apart():
        for c in coat_clocks(zone, climate.heated(zone.bakes), None, revisions):
            about = tuple(zone.tests_of(c.coat.uuid))
            for mode, tests in c.evidence.items():
                space = c.coat.payload.space
                lesson = Lesson(c.coat.uuid, part.uuid, c.product.key, c.product.drying, space, mode, tests, about)
                out.setdefault((c.coat.uuid, mode), lesson)
    return list(out.values())

"""What this shop has learned of a sheet's times in a space: touch tests over all its parts, weighed by mode.

Lessons are kept by what the clock reads of a sheet: two revisions that dry differently teach apart.
"""

import hashlib
import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from functools import lru_cache
from typing import Any
from uuid import UUID

import numpy as np

from cool_sheen.core.climate.air import Floats
from cool_sheen.core.climate.series import seconds
from cool_sheen.core.drying.clock import DEFAULT_LN_SD, P90, Believed, Clock
from cool_sheen.core.drying.milestones import DryingData, Mode
from cool_sheen.core.drying.touch import Posterior, TouchTest, believe, evidence, learn, next_coat_sd, pooled
from cool_sheen.core.log.history import History, LaidCoat, Touch
from cool_sheen.core.log.next_time import SUCH_AIR_K
from cool_sheen.core.part.climate import PartClimate, Stand
from cool_sheen.core.part.film_clock import Factor, FactorAsked, WeighedCoat, evidence_of, weighed_coats
from cool_sheen.core.units import Celsius, Minutes
from cool_sheen.service.climate import part_climate
from cool_sheen.service.unit import Unit
from cool_sheen.service.weather_now import newest_weather
from cool_sheen.store import changes, statuses
from cool_sheen.store.models import LessonRow, Part

Mark = tuple[int, int]
_MOST_SHOWN = 400
_LAST_TIMES = 3
_BEFORE, _AFTER = timedelta(hours=3), timedelta(days=2)
_MOST_AGAIN = 150  # parts, the last ones first: lessons of older ones count no more
MOSTLY = 2 / 3  # of its progress a film makes in one space, to teach there
MOST_LESSONS = 120  # the last tested coats: a shop changes, and what lies further back says no more


@dataclass(frozen=True, slots=True)
class Found:
    """A touch test as it was found: how long after the coat, in which air."""

    touch: Touch
    minutes: Minutes
    air_temp_c: Celsius


@dataclass(frozen=True, slots=True)
class Lesson:
    """What the tests of one coat say: for a sheet, where it dried, and a mode; of mists, or of the other coats."""

    coat: LaidCoat
    part: UUID
    product: str
    drying: DryingData
    space: UUID | None
    mode: Mode
    tests: tuple[TouchTest, ...]
    found: tuple[Found, ...]

    @property
    def mist(self) -> bool:
        """Whether it is of a mist coat."""
        return self.coat.payload.coat_kind == "mist"


@dataclass(frozen=True, slots=True)
class Taught:
    """One space and mode of a product: the lessons, and what they come to."""

    space: UUID | None
    mode: Mode
    mist: bool
    lessons: list[LessonRow]
    belief: Posterior

    @property
    def next_coat(self) -> tuple[float, float]:
        """The tenth and the ninetieth percentile of the factor of the next coat. [1]"""
        spread = P90 * next_coat_sd(self.belief.ln_sd)
        return math.exp(self.belief.ln_mean - spread), math.exp(self.belief.ln_mean + spread)


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

    def mark(self, sheets: Iterable[str], spaces: Iterable[UUID]) -> tuple[Mark | None, ...]:
        """Return something that changes whenever one of these sheets, each by its times, is taught something there."""
        names, places = list(sheets), sorted(spaces)
        return tuple(self.marks.get((sheet, space)) for sheet in names for space in places)

    def factor(self, asked: FactorAsked) -> Factor:
        """Mean and spread of ln factor of the next coat: the prior where nothing was learned."""
        name, space = drying_hash(asked.product.drying), asked.space
        mark = self.marks.get((name, space))
        if mark is None:
            return 0.0, DEFAULT_LN_SD
        kept, key = self.unit.kept, (name, space, mark, asked.mode, asked.mist)
        taught: _Evidence = kept.get(("taught", *key), lambda: _load(self.unit, name, asked), lambda _: 60_000)
        without = asked.without if asked.without in taught.own else None
        found: Factor = kept.get(("factor", *key, without), lambda: taught.factor(without), lambda _: 200)
        return found


@dataclass(frozen=True, eq=False)
class _Evidence:
    """What all coats say of one sheet, space and mode: those that add up summed, and the tests of each coat."""

    adding_up: Floats
    own: dict[UUID, list[TouchTest]]

    @classmethod
    def of(cls, own: dict[UUID, list[TouchTest]]) -> "_Evidence":
        """Weigh the tests of some coats."""
        return cls(evidence([t for tests in own.values() for t in tests if t.adds_up]), own)

    def factor(self, without: UUID | None) -> Factor:
        """Mean and spread of ln factor of the next coat, without the tests of one coat."""
        others = [t for coat, tests in self.own.items() if coat != without for t in tests]
        if not others:
            return 0.0, DEFAULT_LN_SD
        left_out = [t for t in self.own[without] if t.adds_up] if without is not None else []
        alone = [t for t in pooled(others) if not t.adds_up]
        found = believe(self.adding_up - evidence(left_out) + evidence(alone))
        return found.ln_mean, next_coat_sd(found.ln_sd)


def _load(unit: Unit, drying: str, asked: FactorAsked) -> _Evidence:
    kind = statuses.LessonKind(drying, asked.space, asked.mode.value, asked.mist)
    found = statuses.tests_taught(unit.session, kind, MOST_LESSONS)
    return _Evidence.of({coat: [_test(t) for t in tests] for coat, tests in found})


def _test(said: dict[str, Any]) -> TouchTest:
    return TouchTest(said["predicted"], said["not_ready"], said["ready"], said.get("prompted", False))


def lessons(unit: Unit) -> Lessons:
    """Return what the shop has learned."""
    number = unit.workshop.ready.lessons if unit.workshop.ready and not unit.works_ahead else newest_lessons(unit)
    marks = unit.kept.get(("lesson marks", number), lambda: statuses.lesson_marks(unit.session), lambda m: 200 * len(m))
    return Lessons(unit, marks, number)


def newest_lessons(unit: Unit) -> int:
    """Return how often something was taught, or taken back."""
    return changes.generations(unit.settled()).get(changes.LESSONS, 0)


def learn_again(unit: Unit, since: datetime, until: datetime) -> None:
    """Have worked out again what coats taught that were drying in a stretch of which something else is known now.

    Args:
        unit: The unit of work; it is done before its commit.
        since: From when on: a reading bears on the three hours before it, too.
        until: Until when; what was read is carried on for some time.
    """
    parts = statuses.parts_taught_between(unit.session, since - _BEFORE, until + _AFTER, _MOST_AGAIN)
    if parts:
        changes.parts_touched(unit.session).update(parts)
        changes.parts_taught(unit.session).update(parts)
        changes.bump(unit.session, changes.LESSONS)


def taught_of(unit: Unit, product: str) -> list[Taught]:
    """Return what was learned of a product, over all its revisions: each space, mode and kind with its lessons."""
    groups: dict[tuple[UUID | None, str, bool], list[LessonRow]] = {}
    for row in statuses.lessons_where(unit.session, LessonRow.product == product, most=_MOST_SHOWN):
        groups.setdefault((row.space_uuid, row.mode, row.mist), []).append(row)
    return [
        Taught(
            space, Mode(mode), mist, rows, learn(pooled([_test(t) for row in rows[-MOST_LESSONS:] for t in row.tests]))
        )
        for (space, mode, mist), rows in groups.items()
    ]


@dataclass(frozen=True, slots=True)
class FoundReady:
    """When a film was found ready, after how long and in which air."""

    at: datetime
    milestone: str
    minutes: Minutes
    air_temp_c: Celsius
    mist: bool


def found_ready(unit: Unit, product: str) -> list[FoundReady]:
    """Return when coats of a product were found ready, the first time each for a mark; the newest first."""
    out: dict[tuple[UUID, str], FoundReady] = {}
    for row in statuses.lessons_where(unit.session, LessonRow.product == product, most=_MOST_SHOWN):
        for t in row.touches:
            if t["ready"] and "minutes" in t:
                key, at = (row.coat_uuid, t["milestone"]), datetime.fromisoformat(t["at"])
                if key not in out or at < out[key].at:
                    out[key] = FoundReady(at, t["milestone"], t["minutes"], t["air_temp_c"], row.mist)
    return sorted(out.values(), key=lambda f: f.at, reverse=True)


def in_such_air(found: Sequence[FoundReady], milestone: str, air_temp_c: Celsius, *, mist: bool) -> list[FoundReady]:
    """Return the last times at which a mark was reached in air like this one, the newest first."""
    mine = (f for f in found if f.milestone == milestone and f.mist is mist)
    return [f for f in mine if abs(f.air_temp_c - air_temp_c) <= SUCH_AIR_K][:_LAST_TIMES]


def lessons_of(unit: Unit, part: Part, history: History) -> Sequence[Lesson]:
    """Return what the touch tests of one part teach: each coat once, by the zones that were touched.

    A test that was asked back counts for its coat alone, and so does one of a coat that dried in two places: a lesson
    is of the space in which the film dried for the most part.
    """
    mass = unit.catalogue.substrates[part.substrate].mass
    climate = part_climate(unit, history, mass, goes_on=False, weather=newest_weather(unit))
    revisions = {c.payload.coating: unit.revision(c.payload.coating) for c in history.coats}
    out: dict[tuple[UUID, Mode], Lesson] = {}
    for zone in history.apart():
        seen = climate.heated(zone.bakes)
        told = {c.uuid: [t for t in zone.tests_of(c.uuid) if not t.payload.alone] for c in zone.coats}
        for c in weighed_coats(zone, seen, revisions) if any(told.values()) else ():
            tests = told[c.coat.uuid]
            for mode in {m.mode for m in c.product.drying.milestones} if tests else ():
                lesson = _lesson(part.uuid, c, seen, tests, mode)
                if lesson is not None:
                    out.setdefault((c.coat.uuid, mode), lesson)
    return list(out.values())


def _lesson(part: UUID, c: WeighedCoat, climate: PartClimate, tests: list[Touch], mode: Mode) -> Lesson | None:
    clock, drying = c.clock, c.product.drying
    untaught = [Believed(s.since_s, 0.0, DEFAULT_LN_SD) for s in climate.stands]
    found = evidence_of(clock, c.film, tests, untaught, mode)
    where = _dried_in(clock, c, climate, tests, mode) if found else None
    if where is None:
        return None
    looked = tuple(
        Found(t, (t.at - c.film.start).total_seconds() / 60, _air(climate, c.film.start, t.at)) for t in tests
    )
    return Lesson(c.coat, part, c.product.key, drying, where.space, mode, found, looked)


def _dried_in(clock: Clock, c: WeighedCoat, climate: PartClimate, tests: list[Touch], mode: Mode) -> Stand | None:
    """The stay in which most of the progress until the last test was made; None where no space has two thirds of it."""
    mark = next(m for m in c.product.drying.milestones if m.mode is mode)
    start, until = seconds(c.film.start), seconds(max(t.at for t in tests))
    ends = [*(s.since_s for s in climate.stands[1:]), math.inf]
    made: dict[UUID | None, float] = {}
    for stand, end in zip(climate.stands, ends, strict=True):
        begin, end = max(start, stand.since_s), min(until, end)
        made[stand.space] = made.get(stand.space, 0.0) + (
            clock.curve(mark).progress(begin, end) if end > begin else 0.0
        )
    space = max(made, key=lambda s: made[s])
    total = sum(made.values())
    if total <= 0 or made[space] < MOSTLY * total:
        return None
    return next(s for s in climate.stands if s.space == space)


def _air(climate: PartClimate, since: datetime, until: datetime) -> Celsius:
    """Mean of the air between two instants. [C]"""
    at = np.linspace(seconds(since), max(seconds(until), seconds(since) + 1), 50)
    return float(climate.series.sampled(at).air_temp_c.mean())

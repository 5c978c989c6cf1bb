"""A part as it stands now: its log folded, its zones' films, what is owed, what is next, and the rest of its plan."""

from collections.abc import Hashable, Iterable, Mapping
from dataclasses import dataclass
from datetime import datetime, time
from functools import cached_property
from typing import Any
from uuid import UUID

from sqlalchemy import select
from sqlalchemy.orm import selectinload

from cool_sheen.core.coatings.products import Product
from cool_sheen.core.coatings.systems import System
from cool_sheen.core.drying.milestones import Mode
from cool_sheen.core.log.history import History
from cool_sheen.core.part.action import Action, next_action
from cool_sheen.core.part.climate import PartClimate
from cool_sheen.core.part.film_clock import CoatClock, Factor
from cool_sheen.core.part.situation import Situation, ZoneFilm, zone_films
from cool_sheen.core.part.status import State
from cool_sheen.core.plan.last_start import LastStart, last_starts
from cool_sheen.core.plan.rest import Rest, rest_of
from cool_sheen.core.survey.zones import ZoneFacts
from cool_sheen.core.work.hours import WorkingDay
from cool_sheen.core.work.owed import Owed, StepRow, owed_to
from cool_sheen.core.work.steps import CoatStep, Step, steps_of
from cool_sheen.service.batches import pots_in_use
from cool_sheen.service.climate import Weather, part_climate, weather_now
from cool_sheen.service.histories import history_of
from cool_sheen.service.jobs import find_part, spaces_by_id, zone_facts
from cool_sheen.service.learning import Lessons, lessons
from cool_sheen.service.unit import Unit, zone_of
from cool_sheen.store import log, statuses
from cool_sheen.store.models import Part, Shop, Space


@dataclass(eq=False)
class PartNow:
    """A part at this moment: the row, its system and sheets, its situation and what is to be done.

    ``mark`` says all that it depends on but the minute: as long as it is the same, so is everything here.
    """

    unit: Unit
    part: Part
    space: Space
    mark: tuple[Hashable, ...]
    _logged: "_Logged"
    _day: WorkingDay

    @property
    def system(self) -> System:
        """Its system."""
        return self._logged.system

    @property
    def products(self) -> Mapping[str, Product]:
        """Sheets by key, in the revisions that it was planned with."""
        return self._logged.products

    @property
    def rows(self) -> list[StepRow]:
        """Its steps with how they stand."""
        return self._logged.rows

    @property
    def version(self) -> tuple[Hashable, ...]:
        """As long as it is the same, so is all but what moves with the weather."""
        return self._logged.version

    @property
    def now(self) -> datetime:
        """The present."""
        return self.unit.now

    @property
    def history(self) -> History:
        """The folded log."""
        return self._logged.history

    @property
    def climate(self) -> PartClimate:
        """What the part sees, without its bakes."""
        return self.situation.climate

    @property
    def zones(self) -> tuple[ZoneFacts, ...]:
        """Its zones."""
        return self._logged.zones

    @property
    def owed(self) -> Owed:
        """What is owed to which zone."""
        return self._logged.owed

    @cached_property
    def situation(self) -> Situation:
        """All that a decision about it needs."""
        return _situation(self.unit, self)

    @cached_property
    def action(self) -> Action:
        """What is to be done now: the first thing in its plan."""
        return next_action(self.situation)

    @cached_property
    def rest(self) -> Rest:
        """The rest of its work laid along time; kept for the minute."""
        minute = self.now.replace(second=0, microsecond=0)
        key = ("rest", self.mark, minute)
        made: Rest = self.unit.kept.get(key, lambda: rest_of(self.situation), lambda r: 2_000 + 700 * len(r.steps))
        return made

    @property
    def last_starts(self) -> LastStart:
        """How late today its coats may start: the same all day by one weather, until one of them goes by."""
        made = self._last_starts(self.now.astimezone(self.unit.zone).date())
        if any(last is not None and last <= self.now for last in (made.one, made.all_coats)):
            return self._last_starts(self.now.replace(second=0, microsecond=0))
        return made

    def _last_starts(self, until: Hashable) -> LastStart:
        key = ("last starts", self.mark, until)
        made: LastStart = self.unit.kept.get(key, lambda: last_starts(self.situation), lambda _: 3_000)
        return made

    @property
    def film(self) -> ZoneFilm:
        """The film that the next action is about; the one that was coated last when there is none."""
        if self.action.film is not None:
            return self.action.film
        return max(self.situation.films, key=lambda f: f.top.coat.ended_at.timestamp() if f.top else 0.0)

    @property
    def top(self) -> CoatClock | None:
        """The coat that the next action is about."""
        return self.film.top

    @property
    def layers_done(self) -> dict[str, int]:
        """Counted coats by layer, of the zone that has the fewest."""
        return {layer.id: self.history.counts[layer.id] for layer in self.system.layers}

    @property
    def is_live(self) -> bool:
        """Whether something is still to come on it: work, a cure, or an answer to what was passed over."""
        return self.action.state not in (State.CURED, State.DONE) or bool(self.owed.passed_over())

    def ahead(self) -> list[Step]:
        """Return the steps that are owed to any zone, in order."""
        return [row.step for row in self.rows if row.owed]

    def next_coat(self) -> CoatStep | None:
        """Return the next coat in order; None after the last."""
        return next((step for step in self.ahead() if isinstance(step, CoatStep)), None)


@dataclass(frozen=True, eq=False)
class _Logged:
    """What about a part changes with its log and its sheets alone."""

    version: tuple[Hashable, ...]
    history: History
    system: System
    products: dict[str, Product]
    revisions: dict[str, Product]
    zones: tuple[ZoneFacts, ...]
    owed: Owed
    rows: list[StepRow]

    @property
    def sheets(self) -> list[Product]:
        """Every sheet whose times matter to it."""
        return [*self.products.values(), *self.revisions.values()]


@dataclass(frozen=True, eq=False)
class _Around:
    """What all parts share at one moment."""

    spaces: dict[UUID, Space]
    learned: Lessons
    weather: Weather
    day: WorkingDay


def _around(unit: Unit) -> _Around:
    return _Around(spaces_by_id(unit), lessons(unit), weather_now(unit), working_day(unit.the_shop))


def part_now(unit: Unit, uuid: UUID) -> PartNow:
    """Return how one part stands. Raises Missing."""
    part = find_part(unit, uuid)
    return _stand(unit, part, log.last_seqs(unit.session, [uuid]).get(uuid, 0), _around(unit))


def live_parts(unit: Unit) -> list[PartNow]:
    """Return how every part stands on which something is still to come; what is finished is not looked at."""
    live = statuses.live_seqs(unit.settled())
    query = select(Part).where(Part.uuid.in_(live)).options(selectinload(Part.project)).order_by(Part.created_at)
    shared = _around(unit)
    return [_stand(unit, part, live[part.uuid][0], shared) for part in unit.session.scalars(query)]


def parts_of(unit: Unit, projects: Iterable[UUID]) -> list[PartNow]:
    """Return how every part of some projects stands, finished or not."""
    query = select(Part).where(Part.project_uuid.in_(list(projects))).options(selectinload(Part.project))
    parts = list(unit.session.scalars(query.order_by(Part.created_at)))
    seqs = {uuid: row.seq for uuid, row in statuses.of_parts(unit.settled(), [p.uuid for p in parts]).items()}
    shared = _around(unit)
    return [_stand(unit, part, seqs.get(part.uuid, 0), shared) for part in parts]


def _stand(unit: Unit, part: Part, seq: int, shared: _Around) -> PartNow:
    version = (part.uuid, seq, part.changes)
    logged: _Logged = unit.kept.get(
        ("logged", *version), lambda: _read(unit, part, seq, version), lambda x: 30_000 + 900 * x.history.places
    )
    space = shared.spaces[logged.history.stays[-1].space]
    taught = shared.learned.mark(logged.sheets, space.uuid)
    pots = tuple(sorted(pots_in_use(unit, part.uuid, logged.products).items()))
    mark = (*version, shared.weather.version, taught, pots)
    last = [c.ended_at for c in logged.history.coats[-1:]] + [w.at for w in logged.history.works[-1:]]
    return PartNow(unit, part, space, mark, logged, shared.day.working_late(max(last, default=None)))


def _read(unit: Unit, part: Part, seq: int, version: tuple[Hashable, ...]) -> _Logged:
    history = history_of(unit, part, seq)
    system = System.model_validate(part.system)
    products = {key: unit.revision(name) for key, name in part.revisions.items()}
    revisions = {name: unit.revision(name) for name in {c.payload.coating for c in history.coats}}
    zones = tuple(zone_facts(unit, part))
    owed = owed_to(steps_of(system, zones), history)
    return _Logged(version, history, system, products, revisions, zones, owed, owed.rows())


def _situation(unit: Unit, found: PartNow) -> Situation:
    logged, space = found._logged, found.space.uuid
    learned = lessons(unit)

    def factor(product: Product, without: UUID | None, mode: Mode) -> Factor:
        return learned.factor(product, space, mode, without)

    def look() -> tuple[PartClimate, tuple[ZoneFilm, ...]]:
        climate = part_climate(unit, logged.history, unit.catalogue.substrates[found.part.substrate].mass)
        films = zone_films(logged.history, logged.owed, climate, logged.products, logged.revisions, factor)
        return climate, films

    climate, films = unit.kept.get(
        ("films", *found.mark[:-1]), look, lambda made: 20_000 + 15_000 * sum(len(f.clocks) for f in made[1])
    )
    pots = pots_in_use(unit, found.part.uuid, logged.products)
    return Situation(
        unit.now, logged.zones, logged.owed, films, logged.history, climate, logged.products, found._day, factor, pots
    )


def working_day(shop: Shop) -> WorkingDay:
    """Return when a shop works, by its own clock."""
    return WorkingDay(time.fromisoformat(shop.opens), time.fromisoformat(shop.closes), zone_of(shop))


def promised(found: PartNow) -> dict[str, Any]:
    """Return the figures that a coat entry promises: what the screen said when the button was pressed."""
    top = found.top
    closes = top.bands.get(top.rule.closes) if top and top.rule.closes else None
    return {
        "phase": str(found.action.state),
        "opens": top.opens.likely if top and top.opens else None,
        "closes": closes.likely if closes else None,
    }

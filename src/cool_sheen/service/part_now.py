"""A part as it stands now: its log folded, its zones' films, what is owed, what is next, and the rest of its plan."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from datetime import datetime, time
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
from cool_sheen.core.part.film_clock import CoatClock, Factor, FactorOf
from cool_sheen.core.part.situation import Situation, ZoneFilm, zone_films
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
from cool_sheen.store import log
from cool_sheen.store.models import Part, Shop, Space


@dataclass(frozen=True, eq=False)
class PartNow:
    """A part at this moment: the row, its system and sheets, its situation and what is to be done."""

    part: Part
    system: System
    products: Mapping[str, Product]
    situation: Situation
    rows: list[StepRow]
    action: Action
    space: Space
    version: tuple[object, ...]  # as long as it is the same, so is all but what moves with the weather
    _rest: Callable[["PartNow"], Rest] = field(repr=False)

    @property
    def now(self) -> datetime:
        """The present."""
        return self.situation.now

    @property
    def history(self) -> History:
        """The folded log."""
        return self.situation.history

    @property
    def climate(self) -> PartClimate:
        """What the part sees, without its bakes."""
        return self.situation.climate

    @property
    def zones(self) -> tuple[ZoneFacts, ...]:
        """Its zones."""
        return self.situation.zones

    @property
    def owed(self) -> Owed:
        """What is owed to which zone."""
        return self.situation.owed

    @property
    def rest(self) -> Rest:
        """The rest of its work laid along time."""
        return self._rest(self)

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

    def ahead(self) -> list[Step]:
        """Return the steps that are owed to any zone, in order."""
        return [row.step for row in self.rows if row.owed]

    def next_coat(self) -> CoatStep | None:
        """Return the next coat in order; None after the last."""
        return next((step for step in self.ahead() if isinstance(step, CoatStep)), None)


@dataclass(frozen=True, eq=False)
class Around:
    """What all parts share: the weather, the spaces, what the shop has learned, its hours."""

    weather: Weather
    spaces: dict[UUID, Space]
    learned: Lessons
    day: WorkingDay


def around(unit: Unit) -> Around:
    """Look around once, for any number of parts."""
    spaces, weather = spaces_by_id(unit), weather_now(unit)
    return Around(weather, spaces, lessons(unit, weather, spaces), working_day(unit.the_shop))


def working_day(shop: Shop) -> WorkingDay:
    """Return when a shop works, by its own clock."""
    return WorkingDay(time.fromisoformat(shop.opens), time.fromisoformat(shop.closes), zone_of(shop))


def part_now(unit: Unit, uuid: UUID) -> PartNow:
    """Work out how one part stands. Raises Missing."""
    part = find_part(unit, uuid)
    return stand(unit, part, log.last_seqs(unit.session, [uuid]).get(uuid, 0), around(unit))


def parts_now(unit: Unit) -> list[PartNow]:
    """Work out how every part stands."""
    query = select(Part).options(selectinload(Part.project)).order_by(Part.created_at)
    seqs = log.last_seqs(unit.session)
    shared = around(unit)
    return [stand(unit, part, seqs.get(part.uuid, 0), shared) for part in unit.session.scalars(query)]


def stand(unit: Unit, part: Part, seq: int, shared: Around) -> PartNow:
    """Work out how a part stands as of an entry of the log."""
    history = history_of(unit, part, seq)
    climate = part_climate(unit, history, unit.catalogue.substrates[part.substrate].mass, shared.spaces, shared.weather)
    space = shared.spaces[history.stays[-1].space]
    known = _Known(seq, history, climate, shared, space.uuid)
    key = ("films", part.uuid, seq, part.changes, climate, shared.learned.by_space.get(space.uuid))
    still: _Still = unit.kept.get(key, lambda: _still(unit, part, known), lambda s: 40_000 + 15_000 * s.clocks)
    pots = pots_in_use(unit, part.uuid, still.products)
    worked = max([c.ended_at for c in history.coats[-1:]] + [w.at for w in history.works[-1:]], default=None)
    day = shared.day.working_late(worked)
    situation = Situation(
        unit.now, still.zones, still.owed, still.films, history, climate, still.products, day, still.factor, pots
    )
    version = (part.uuid, seq, part.changes)
    return PartNow(
        part, still.system, still.products, situation, still.rows, next_action(situation), space, version,
        lambda found: _rest(unit, found),
    )  # fmt: skip


@dataclass(frozen=True, eq=False)
class _Still:
    """What about a part changes only with its log, its sheets or the weather, not with the minute."""

    system: System
    products: dict[str, Product]
    zones: tuple[ZoneFacts, ...]
    owed: Owed
    rows: list[StepRow]
    films: tuple[ZoneFilm, ...]
    factor: FactorOf

    @property
    def clocks(self) -> int:
        """How many clocks it holds."""
        return sum(len(film.clocks) for film in self.films)


@dataclass(frozen=True, eq=False)
class _Known:
    """What is known of a part before its clocks are worked out."""

    seq: int
    history: History
    climate: PartClimate
    shared: Around
    space: UUID


def _still(unit: Unit, part: Part, known: _Known) -> _Still:
    history, learned = known.history, known.shared.learned

    def factor(product: Product, without: UUID | None, mode: Mode) -> Factor:
        return learned.factor(product, known.space, mode, without)

    system = System.model_validate(part.system)
    products = {key: unit.revision(name) for key, name in part.revisions.items()}
    revisions = {name: unit.revision(name) for name in {c.payload.coating for c in history.coats}}
    zones = tuple(zone_facts(unit, part))
    owed = owed_to(steps_of(system, zones), history)
    films = zone_films(history, owed, known.climate, products, revisions, factor)
    return _Still(system, products, zones, owed, owed.rows(), films, factor)


def _rest(unit: Unit, found: PartNow) -> Rest:
    """Lay the rest of a part's work out along time; kept for the minute."""
    minute = unit.now.replace(second=0, microsecond=0)
    key = ("rest", found.version, minute, found.climate, tuple(found.situation.pots.items()))
    made: Rest = unit.kept.get(key, lambda: rest_of(found.situation), lambda r: 2_000 + 700 * len(r.steps))
    return made


def promised(found: PartNow) -> dict[str, Any]:
    """Return the figures that a coat entry promises: what the screen said when the button was pressed."""
    top = found.top
    closes = top.bands.get(top.rule.closes) if top and top.rule.closes else None
    return {
        "phase": str(found.action.state),
        "opens": top.opens.likely if top and top.opens else None,
        "closes": closes.likely if closes else None,
    }

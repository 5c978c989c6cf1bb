"""A part as it stands now: its log folded, its zones' films, what is owed, what is next, and the rest of its plan."""

from collections.abc import Hashable, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from typing import Any
from uuid import UUID

from cool_sheen.core.climate.sun import is_winter
from cool_sheen.core.coatings.products import Product
from cool_sheen.core.coatings.systems import System
from cool_sheen.core.log.history import History
from cool_sheen.core.mixing.speeds import own_hardener
from cool_sheen.core.once import cached_property
from cool_sheen.core.part.action import Action
from cool_sheen.core.part.climate import PartClimate
from cool_sheen.core.part.film_clock import CoatClock
from cool_sheen.core.part.rows import next_actions
from cool_sheen.core.part.situation import Pot, Situation, ZoneFilm, zone_films
from cool_sheen.core.part.status import State
from cool_sheen.core.plan.last_start import LastStart, last_starts
from cool_sheen.core.plan.rest import Rest, rest_of
from cool_sheen.core.survey.zones import ZoneFacts
from cool_sheen.core.work.hours import WorkingHours
from cool_sheen.core.work.owed import Owed, StepRow, waited_out
from cool_sheen.core.work.steps import CoatStep, Step
from cool_sheen.service.batches import RunningBatch, pots_in_use, recent
from cool_sheen.service.briefs import brief_of
from cool_sheen.service.climate import part_climate
from cool_sheen.service.histories import history_of
from cool_sheen.service.jobs import PartFacts, find_part, part_facts, part_named, spaces_by_id, still_first
from cool_sheen.service.learning import Lessons, lessons
from cool_sheen.service.logged import Logged, logged_of
from cool_sheen.service.shelf_now import shelf_now
from cool_sheen.service.unit import Unit
from cool_sheen.service.weather_now import Weather, weather_now
from cool_sheen.service.working_day import working_day
from cool_sheen.store import changes, log, statuses
from cool_sheen.store.models import Part, PartStatus, Space


@dataclass(eq=False)
class PartNow:
    """A part at this moment: the row, its system and sheets, its situation and what is to be done.

    ``mark`` says all that it depends on but the minute: as long as it is the same, so is everything here.
    """

    unit: Unit
    part: PartFacts
    space: Space
    mark: tuple[Hashable, ...]
    _logged: Logged
    _day: WorkingHours
    _pots: Mapping[str, Pot]
    comes_after: str = ""  # the part that is to be finished first

    @cached_property
    def row(self) -> Part:
        """Its row, for whoever writes. Raises Missing."""
        return find_part(self.unit, self.part.uuid)

    @property
    def system(self) -> System:
        """Its system."""
        return self._logged.system

    @property
    def products(self) -> Mapping[str, Product]:
        """Sheets by key, in the revisions that it was planned with."""
        return self._logged.products

    @property
    def revisions(self) -> Mapping[str, Product]:
        """Sheets by content hash, as its coats were put on with."""
        return self._logged.revisions

    @property
    def rows(self) -> Sequence[StepRow]:
        """Its steps with how they stand."""
        return self.owed.rows

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

    @cached_property
    def owed(self) -> Owed:
        """What is owed to which zone by now."""
        return waited_out(self._logged.owed, self.history, self.zones, self.now)

    @cached_property
    def situation(self) -> Situation:
        """All that a decision about it needs."""
        return _situation(self.unit, self)

    @cached_property
    def minute(self) -> datetime:
        """The minute that it is: what is drawn in it says the same on every page."""
        return self.now.replace(second=0, microsecond=0)

    @cached_property
    def actions(self) -> tuple[Action, ...]:
        """What is to be done now, zones with the same next thing together, the next one first; kept for the minute."""
        key = ("actions", self.mark, self.minute)
        made: tuple[Action, ...] = self.unit.kept.get(
            key, lambda: next_actions(self.situation), lambda rows: 3_000 * len(rows)
        )
        return made

    @cached_property
    def action(self) -> Action:
        """What is to be done now: the first thing in its plan, or that of the row that is looked at."""
        return self.actions[0]

    def row_named(self, row: str) -> Action | None:
        """Return a row by its name; None where it is not there any more."""
        return next((action for action in self.actions if action.row == row), None)

    def on_row(self, row: str) -> "PartNow":
        """Return the part with one of its rows as what is to be done; as it is where that row is not there."""
        action = self.row_named(row)
        if action is None or action is self.action:
            return self
        looked = replace(self)
        looked.__dict__ |= {**self.__dict__, "action": action}
        return looked

    @cached_property
    def rest(self) -> Rest:
        """The rest of its work laid along time; kept for the minute."""
        key = ("rest", self.mark, self.minute)
        made: Rest = self.unit.kept.get(key, lambda: rest_of(self.situation), lambda r: 2_000 + 700 * len(r.steps))
        return made

    @property
    def last_starts(self) -> LastStart:
        """How late today its coats may start: the same all day by one weather, until one of them goes by."""
        made = self._last_starts(self.now.astimezone(self.unit.zone).date())
        if any(last is not None and last <= self.now for last in (made.one, made.all_coats)):
            return self._last_starts(self.minute)
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
class _Around:
    """What all parts share at one moment."""

    spaces: dict[UUID, Space]
    learned: Lessons
    weather: Weather
    day: WorkingHours
    first: Mapping[UUID, str]
    batches: list[RunningBatch]


def _around(unit: Unit, parts: Iterable[PartFacts]) -> _Around:
    usable = [batch for batch in recent(unit) if batch.state.pours and batch.usable(unit.now)]
    first = still_first(unit) if any(part.after for part in parts) else {}
    return _Around(spaces_by_id(unit), lessons(unit), weather_now(unit), working_day(unit), first, usable)


def part_now(unit: Unit, uuid: UUID) -> PartNow:
    """Return how one part stands. Raises Missing."""
    facts = part_named(unit, uuid)
    return _stand(unit, facts, log.last_seq(unit.session, uuid), _around(unit, [facts]))


def live_mark(unit: Unit) -> tuple[Hashable, ...]:
    """As long as it is the same, nothing about any live part was changed: not its log, nor the air, nor a lesson."""
    number = changes.generations(unit.settled()).get(changes.ANYTHING, 0)
    return number, weather_now(unit).version, lessons(unit).number


def live_parts(unit: Unit) -> list[PartNow]:
    """Return how every part stands on which something is still to come; what is finished is not looked at."""
    number = changes.generations(unit.settled()).get(changes.ANYTHING, 0)
    live: list[tuple[PartFacts, int]] = unit.kept.get(("live", number), lambda: _live(unit), lambda x: 400 * len(x))
    shared = _around(unit, [facts for facts, _ in live])
    return [_stand(unit, facts, seq, shared) for facts, seq in live]


def _live(unit: Unit) -> list[tuple[PartFacts, int]]:
    seqs = statuses.live_seqs(unit.session)
    return [(facts, seqs[facts.uuid][0]) for facts in part_facts(unit, Part.uuid.in_(seqs))]


def live_by_log(unit: Unit) -> list[tuple[PartFacts, PartStatus]]:
    """Return the live parts as the log has them, the oldest first: nothing that moves with the weather."""
    kept = statuses.of_parts(unit.session, statuses.live_seqs(unit.session))
    return [(facts, kept[facts.uuid]) for facts in part_facts(unit, Part.uuid.in_(kept))]


def parts_of(unit: Unit, projects: Iterable[UUID]) -> list[PartNow]:
    """Return how every part of some projects stands, finished or not."""
    parts = part_facts(unit, Part.project_uuid.in_(list(projects)))
    seqs = {uuid: row.seq for uuid, row in statuses.of_parts(unit.settled(), [p.uuid for p in parts]).items()}
    shared = _around(unit, parts)
    return [_stand(unit, part, seqs.get(part.uuid, 0), shared) for part in parts]


def _stand(unit: Unit, part: PartFacts, seq: int, shared: _Around) -> PartNow:
    version = (part.uuid, seq, part.changes)
    logged: Logged = unit.kept.get(("logged", *version), lambda: _read(unit, part.uuid, seq), lambda x: x.weight)
    space = shared.spaces[logged.history.stays[-1].space]
    taught = shared.learned.mark(logged.sheets, frozenset(stay.space for stay in logged.history.stays))
    pots = pots_in_use(shared.batches, part.uuid, logged.products, unit.now)
    mark = (*version, shared.weather.version, taught, (shared.day.until, *sorted(pots.items())))
    first = shared.first.get(part.after, "") if part.after else ""
    return PartNow(unit, part, space, mark, logged, shared.day, pots, first)


def _read(unit: Unit, uuid: UUID, seq: int) -> Logged:
    part = find_part(unit, uuid)
    return logged_of(unit, brief_of(unit, part), history_of(unit, part, seq), seq)


def _situation(unit: Unit, found: PartNow) -> Situation:
    logged = found._logged
    factor = lessons(unit).factor

    def look() -> tuple[PartClimate, tuple[ZoneFilm, ...]]:
        mass = unit.catalogue.substrates[found.part.substrate].mass
        climate = part_climate(unit, logged.history, mass, goes_on=bool(logged.owed.left()))
        films = zone_films(logged.history, logged.owed, climate, logged.products, logged.revisions, factor)
        return climate, films

    climate, films = unit.kept.get(
        ("films", *found.mark[:-1]), look, lambda made: 20_000 + 15_000 * sum(len(f.clocks) for f in made[1])
    )
    supplies = tuple(shelf_now(unit).supplies.values())
    return Situation(
        unit.now,
        logged.zones,
        found.owed,
        films,
        logged.history,
        climate,
        logged.products,
        found._day,
        factor,
        found._pots,
        lambda product, speed: own_hardener(product, speed, supplies),
        is_winter(unit.now.astimezone(unit.zone), unit.the_shop.latitude),
    )


def promised(found: PartNow) -> dict[str, Any]:
    """Return the figures that a coat entry promises: what the screen said when the button was pressed."""
    top = found.top
    closes = top.closes if top else None
    return {
        "phase": str(found.action.state),
        "opens": top.opens.likely if top and top.opens else None,
        "closes": closes.likely if closes else None,
    }

"""The story of a part, gathered: zones through their whole life, what happened, batches, photos, and the climate."""

from collections.abc import Hashable, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from uuid import UUID

from cool_sheen.core.climate.series import Series
from cool_sheen.core.coatings.products import Product
from cool_sheen.core.log.batches import BatchState, fold_batches
from cool_sheen.core.log.entries import Recorded
from cool_sheen.core.log.history import Zones
from cool_sheen.core.log.standing import unvoided
from cool_sheen.core.part.story import ZoneStory, told_since, zone_stories
from cool_sheen.service.climate import part_climate
from cool_sheen.service.histories import entries_of
from cool_sheen.service.learning import lessons
from cool_sheen.service.part_now import PartNow
from cool_sheen.service.tending import find_project
from cool_sheen.service.unit import Unit
from cool_sheen.store import log

# What happened to a part beside coats and steps: each is a mark of its own in the story.
HAPPENED = (
    "film_reading", "mark", "accept", "mishap", "judgement", "note", "next_time", "cause", "move", "override",
    "survey_test", "claim", "check", "skip", "inspect", "bake",
)  # fmt: skip
_LEAST_LIFE = timedelta(hours=2)


@dataclass(frozen=True, slots=True)
class Story:
    """The life of a part.

    Attributes:
        since: When it came in; of very many coats, when the first of those that are told went on.
        cut: Whether more was done before that.
        until: The last thing that was done, or now where more is to come.
        zones: Its zones, those with one history together.
        happened: What happened beside coats and steps, in order.
        batches: What was mixed for it.
        air: The air and the surface that it saw.
        works: When it was worked on: every entry of the log.
        finished_at: When the last thing was done; None while something is to come.
        due_at: By when its project was to be usable.
    """

    since: datetime
    until: datetime
    zones: list[ZoneStory]
    happened: list[Recorded]
    batches: list[BatchState]
    air: Series
    works: list[datetime]
    finished_at: datetime | None
    due_at: datetime | None
    cut: bool = False


def story(unit: Unit, found: PartNow) -> Story:
    """Gather the story of a part; kept for the hour as long as nothing is written about it."""
    hour = unit.now.replace(minute=0, second=0, microsecond=0) if found.is_live else None
    key: tuple[Hashable, ...] = ("story", found.mark, hour)
    made: Story = unit.kept.get(key, lambda: _gather(unit, found), lambda s: 60_000 + 15_000 * len(s.zones))
    return made


def _gather(unit: Unit, found: PartNow) -> Story:
    rows = unvoided(entries_of(unit, found.part.uuid))
    cut = told_since(found.history)
    if cut is not None:
        rows = [r for r in rows if r.entry.occurred_at >= cut]
    since = min((r.entry.occurred_at for r in rows), default=unit.now)
    last = max((r.entry.occurred_at for r in rows), default=unit.now)
    live = found.is_live
    until = max(unit.now if live else last, since + _LEAST_LIFE)
    mass = unit.catalogue.substrates[found.part.substrate].mass
    climate = part_climate(unit, found.history, mass, goes_on=bool(found.owed.left()), since=since)
    following: dict[Zones, Product | None] = {film.zones: film.following for film in found.situation.films}
    zones = zone_stories(found.history, climate, following, found.revisions, lessons(unit).factor)
    return Story(
        since,
        until,
        zones,
        [r for r in rows if r.entry.payload.kind in HAPPENED],
        _batches(unit, found, since),
        climate.series,
        [r.entry.occurred_at for r in rows],
        None if live else last,
        find_project(unit, found.part.project_uuid).due_at,
        cut is not None,
    )


def _batches(unit: Unit, found: PartNow, since: datetime) -> list[BatchState]:
    """What the coats of a part came out of, in the order in which it was mixed."""
    coats = [c.payload for c in found.history.coats if c.ended_at >= since]
    named: Sequence[UUID] = list(dict.fromkeys(said.batch for said in coats if said.batch))
    states = fold_batches(log.of_batches(unit.session, named)) if named else {}
    return sorted(states.values(), key=lambda s: s.begun)

"""The sheet of a job: what was done to a part, coat by coat, with batches, air, readings, photos and lessons."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any
from uuid import UUID

import numpy as np

from cool_sheen.core.climate.series import Series, instant, seconds
from cool_sheen.core.coatings.systems import STEP_WORDS
from cool_sheen.core.log.batches import BatchState
from cool_sheen.core.log.entries import Recorded
from cool_sheen.core.log.history import LaidCoat
from cool_sheen.core.log.looked import FilmReadingPayload
from cool_sheen.core.log.standing import unvoided
from cool_sheen.service import log_words, photos
from cool_sheen.service.histories import entries_of
from cool_sheen.service.part_now import PartNow
from cool_sheen.service.story import HAPPENED, Story, story
from cool_sheen.service.unit import NOBODY, Unit
from cool_sheen.store import log, log_text
from cool_sheen.store.models import Photo

_LESSONS = ("next_time", "cause")
_WORK = frozenset({"sand", "hours", *STEP_WORDS}) - frozenset({"coat", *HAPPENED})
_EVERY = timedelta(hours=1)
_MOST_HOURS = 20_000


@dataclass(frozen=True, slots=True)
class CoatLine:
    """A coat as the sheet has it: air at its start [°C, %], and the letter of its batch."""

    coat: LaidCoat
    layer: str
    product: str
    zones: str
    air_c: float
    rh_pct: float
    gun: str
    batch: str
    person: str


@dataclass(frozen=True)
class PartSheet:
    """The sheet of one part.

    Attributes:
        batches: Each with its letter and the name of its product.
        works: Preparation, sanding and all other work, in order, as it is said.
        happened: Looks, marks, mishaps, readings and words, in order, as they are said.
        lessons: Notes for the next time, and causes that were found.
    """

    found: PartNow
    coats: list[CoatLine]
    batches: list[tuple[str, BatchState, str]]
    works: list[tuple[datetime, str]]
    happened: list[tuple[datetime, str]]
    lessons: list[str]
    photos: list[Photo]
    told: Story


def sheet_of(unit: Unit, found: PartNow) -> PartSheet:
    """Gather the sheet of a part."""
    told = story(unit, found)
    letters = {state.uuid: _letter(n) for n, state in enumerate(told.batches)}
    names = log_words.names_for(unit, found.part.uuid, found.system)
    units = unit.the_shop.units
    rows = unvoided(entries_of(unit, found.part.uuid))
    who = {row.entry.uuid: row.entry.person for row in rows}
    layers = {layer.id: layer.name for layer in found.system.layers}
    coats = [_coat(found, c, layers, letters, who, units) for c in found.history.coats]
    said = [(r, log_words.says_logged(unit, r, names, units)) for r in told.happened]
    return PartSheet(
        found,
        coats,
        [(letters[state.uuid], state, state.plan.name) for state in told.batches],
        [
            (r.entry.occurred_at, log_words.says_logged(unit, r, names, units))
            for r in rows
            if r.entry.payload.kind in _WORK
        ],
        [(r.entry.occurred_at, words) for r, words in said if r.entry.payload.kind not in _LESSONS],
        [words for r, words in said if r.entry.payload.kind in _LESSONS],
        photos.of_part(unit, found.part.uuid),
        told,
    )


def _letter(n: int) -> str:
    """A, B, ... Z, AA, AB: so batches are told apart on one sheet."""
    letters = ""
    n += 1
    while n:
        n, rest = divmod(n - 1, 26)
        letters = chr(65 + rest) + letters
    return letters


def _coat(
    found: PartNow, coat: LaidCoat, layers: dict[str, str], letters: dict[UUID, str], who: dict[UUID, str], units: str
) -> CoatLine:
    said = coat.payload
    begun = said.started_at or coat.ended_at
    person = who.get(coat.uuid, "")
    return CoatLine(
        coat,
        layers.get(said.layer_id, said.layer_id),
        found.revisions[said.coating].name,
        found.situation.names(coat.zones),
        found.climate.air_at(begun),
        found.climate.humidity_at(begun),
        log_words.gun_words(said.gun, units) if said.gun else "",
        letters.get(said.batch, "") if said.batch else "",
        "" if person == NOBODY else person,
    )


def log_rows(unit: Unit, found: PartNow) -> list[list[Any]]:
    """Return the whole log of a part as a table: what was taken back stands in it, too."""
    names = log_words.names_for(unit, found.part.uuid, found.system)
    rows = log.of_part(unit.session, found.part.uuid)
    gone = log_text.taken_back(unit.session, rows)
    head = ["happened_at", "recorded_at", "kind", "zones", "says", "reason", "person", "device", "taken_back", "uuid"]
    return [head, *(_log_row(unit, row, names, gone) for row in rows)]


def _log_row(unit: Unit, row: Recorded, names: dict[str, str], gone: set[str]) -> list[Any]:
    entry = row.entry
    return [
        entry.occurred_at.isoformat(),
        row.recorded_at.isoformat(),
        entry.payload.kind,
        log_words.where_of(row, names),
        log_words.says(row, names),
        entry.reason or "",
        entry.person,
        entry.device,
        "yes" if str(entry.uuid) in gone else "",
        str(entry.uuid),
    ]


def reading_rows(unit: Unit, found: PartNow) -> list[list[Any]]:
    """Return every film reading of a part as a table, a row for each figure. [um]"""
    names = log_words.names_for(unit, found.part.uuid, found.system)
    out: list[list[Any]] = [["at", "state", "zones", "place", "um", "coat", "uuid"]]
    for row in unvoided(entries_of(unit, found.part.uuid)):
        said = row.entry.payload
        if isinstance(said, FilmReadingPayload):
            places: Sequence[str] = said.places or [""] * len(said.readings_um)
            where = log_words.where_of(row, names)
            at, coat, name = row.entry.occurred_at.isoformat(), str(said.coat or ""), str(row.entry.uuid)
            out += [
                [at, said.state, where, place, um, coat, name]
                for place, um in zip(places, said.readings_um, strict=True)
            ]
    return out


def climate_rows(told: Story, until: datetime) -> list[list[Any]]:
    """Return the air and the surface that a part saw, hour by hour, as a table. [°C, %]"""
    last = min(seconds(until), seconds(told.since) + _MOST_HOURS * _EVERY.total_seconds())
    at = np.arange(seconds(told.since), last + 1, _EVERY.total_seconds())
    seen: Series = told.air.sampled(at)
    head = ["at", "air_temp_c", "rh_pct", "surface_temp_c", "dew_point_c"]
    columns = (seen.air_temp_c, seen.rh_pct, seen.surface_temp_c, seen.dew_point_c)
    figures = np.round(np.column_stack(columns), 2).tolist()
    return [head, *([instant(float(s)).isoformat(), *row] for s, row in zip(at, figures, strict=True))]

"""The fold: from the log of a part to what was done to each of its zones."""

from collections import Counter
from collections.abc import Iterable, Mapping
from dataclasses import replace
from datetime import timedelta
from functools import singledispatch
from uuid import UUID

from cool_sheen.core.drying.heat import Bake
from cool_sheen.core.film.build import Build, dry_film
from cool_sheen.core.log.breaks import sanded_through
from cool_sheen.core.log.entries import (
    BeginPayload,
    CheckPayload,
    ClaimPayload,
    ClimateReadingPayload,
    CoatPayload,
    Entry,
    MovePayload,
    OverridePayload,
    PausePayload,
    Recorded,
    SandPayload,
    SkipPayload,
    StepPayload,
    SurveyTestPayload,
    TouchTestPayload,
)
from cool_sheen.core.log.history import (
    Begun,
    Claim,
    Heated,
    History,
    LaidCoat,
    Skip,
    Stay,
    Stripped,
    SurfaceRead,
    Surveyed,
    Touch,
    Work,
    Zones,
)
from cool_sheen.core.log.looked import AcceptPayload, FilmReadingPayload, JudgementPayload, MarkPayload, MishapPayload
from cool_sheen.core.log.looks import Accepted, FilmRead, Judged, Look, Mark, Mishap
from cool_sheen.core.log.standing import unvoided
from cool_sheen.core.survey.below import Strip


def fold(entries: Iterable[Recorded], zones: list[UUID], heirs: Mapping[UUID, Zones] | None = None) -> History:
    """Work out how a part stands.

    Args:
        entries: Every entry that is about the part or its zones, in any order.
        zones: The zones of the part as they are now; an entry about the whole part reaches each of them.
        heirs: For each zone that was split, the zones of now that have its history.
    """
    passed_on = heirs or {}
    history = History(builds={zone: Build() for zone in zones}, coats_by_zone={zone: Counter() for zone in zones})
    standing = [(row.entry, _zones_of(row.entry, zones, passed_on)) for row in unvoided(entries)]
    for entry, there in standing:  # a coat is as thick as it was read, whenever that was written down
        if isinstance(entry.payload, FilmReadingPayload):
            history.measured.add(entry.payload, entry.uuid, frozenset(there))
    for entry, there in standing:
        history.places += 1
        _put(entry.payload, history, entry, there)
    return history


def _zones_of(entry: Entry, zones: list[UUID], heirs: Mapping[UUID, Zones]) -> list[UUID]:
    aimed = {target.zone for target in entry.targets if target.zone}
    aimed |= {heir for zone in aimed for heir in heirs.get(zone, ())}
    return [zone for zone in zones if zone in aimed] if aimed else zones


@singledispatch
def _put(said: object, history: History, entry: Entry, zones: list[UUID]) -> None:
    """Add an entry to the history, by what it says: words, readings and what is in a cup are no work on the part."""


@_put.register
def _put_coat(coat: CoatPayload, history: History, entry: Entry, zones: list[UUID]) -> None:
    for read_um, there in history.measured.of(entry.uuid, frozenset(zones)).items():
        said = coat.model_copy(update={"wet_film_measured_um": read_um}) if read_um else coat
        history.coats.append(LaidCoat(entry.uuid, entry.occurred_at, said, history.places, there, entry.planned_step))
        for zone in there:
            history.builds[zone].coat(coat.layer_id, dry_film(said.film_um, coat.volume_solids_pct))
            history.coats_by_zone[zone][coat.layer_id] += coat.counts
    # A layer has as many coats as its poorest zone.
    history.counts[coat.layer_id] = min((c[coat.layer_id] for c in history.coats_by_zone.values()), default=0)


@_put.register
def _put_sand(sanding: SandPayload, history: History, entry: Entry, zones: list[UUID]) -> None:
    history.breaks += sanded_through(sanding, entry, history.builds, zones, history.places)
    work = _work(history, entry, "sand", zones, sanding.grit, sanding.wet)
    history.works.append(replace(work, sanding=sanding))


def _work(
    history: History, entry: Entry, kind: str, zones: Iterable[UUID], grit: str | None = None, wet: bool = False
) -> Work:
    at, step = entry.occurred_at, entry.planned_step
    return Work(entry.uuid, at, kind, step, grit, history.places, frozenset(zones), wet)


@_put.register
def _put_touch(said: TouchTestPayload, history: History, entry: Entry, zones: list[UUID]) -> None:
    history.touches.append(Touch(entry.uuid, entry.occurred_at, said, frozenset(zones)))


@_put.register
def _put_skip(said: SkipPayload, history: History, entry: Entry, zones: list[UUID]) -> None:
    skip = Skip(entry.uuid, entry.occurred_at, said.steps, entry.reason or "", frozenset(zones), history.places)
    history.skips.append(skip)


@_put.register
def _put_move(said: MovePayload, history: History, entry: Entry, zones: list[UUID]) -> None:
    history.stays.append(Stay(entry.occurred_at, said.space))


@_put.register
def _put_reading(said: ClimateReadingPayload, history: History, entry: Entry, zones: list[UUID]) -> None:
    if said.surface_temp_c is not None:
        history.surfaces.append(SurfaceRead(entry.occurred_at, said.surface_temp_c))


@_put.register
def _put_step(said: StepPayload, history: History, entry: Entry, zones: list[UUID]) -> None:
    if said.kind == "bake" and said.metal_temp_c is not None and said.minutes:
        began = entry.occurred_at - timedelta(minutes=said.minutes)
        history.bakes.append(Heated(Bake(began, entry.occurred_at, said.metal_temp_c), frozenset(zones)))
    if said.kind == "strip":
        history.strips.append(Stripped(Strip(entry.occurred_at, said.stripped), frozenset(zones)))
    if said.kind == "inspect":
        _looked(history, entry, frozenset(zones), entry.planned_step, passed=not said.not_passed)
    elif said.not_passed:  # it stays owed
        history.soiled.append(_work(history, entry, said.kind, zones))
    else:
        history.works.append(_work(history, entry, said.kind, zones))


def _looked(history: History, entry: Entry, zones: Zones, step: str | None, *, passed: bool) -> None:
    """Zones were looked over: what passes has no mark left, but for what a support left there."""
    history.looks.append(Look(entry.uuid, entry.occurred_at, step, zones, passed, history.places))
    if passed:
        history.works.append(replace(_work(history, entry, "inspect", zones), planned_step=step))
        for mark in history.marks.values():
            mark.open_on -= zones if mark.holds else frozenset()


@_put.register
def _put_mark(said: MarkPayload, history: History, entry: Entry, zones: list[UUID]) -> None:
    there = frozenset(zones)
    history.marks[entry.uuid] = Mark(entry.uuid, entry.occurred_at, said, there, history.places, set(there))


@_put.register
def _put_accept(said: AcceptPayload, history: History, entry: Entry, zones: list[UUID]) -> None:
    """What is accepted is open no more; a zone that has nothing else open passes the look that found it."""
    word = Accepted(entry.uuid, entry.occurred_at, said.because, entry.reason or "", said.seen_from_m)
    found: set[UUID] = set()
    for name in said.marks:
        if reading := history.readings.get(name):
            reading.accepted = word
        if mark := history.marks.get(name):
            found |= mark.open_on if mark.holds else set()
            mark.accepted = word
            mark.open_on.clear()
    held = {m for mark in history.marks.values() if mark.holds for m in mark.open_on}
    by_step: dict[str | None, set[UUID]] = {}
    for zone in found - held:
        looks = [look for look in history.looks if zone in look.zones]
        if looks and not looks[-1].passed:
            by_step.setdefault(looks[-1].planned_step, set()).add(zone)
    for step, there in by_step.items():
        _looked(history, entry, frozenset(there), step, passed=True)


@_put.register
def _put_mishap(said: MishapPayload, history: History, entry: Entry, zones: list[UUID]) -> None:
    """What its branch mends is open no more: the branch stands for it."""
    there = frozenset(zones)
    history.mishaps.append(Mishap(entry.uuid, entry.occurred_at, said, there, history.places))
    for name in said.marks:
        if mark := history.marks.get(name):
            mark.open_on -= there


@_put.register
def _put_film_reading(said: FilmReadingPayload, history: History, entry: Entry, zones: list[UUID]) -> None:
    ledger = {zone: history.builds[zone].total_um for zone in zones}
    read = FilmRead(entry.uuid, entry.occurred_at, said, frozenset(zones), history.places, ledger)
    history.readings[entry.uuid] = read


@_put.register
def _put_begin(said: BeginPayload, history: History, entry: Entry, zones: list[UUID]) -> None:
    history.begun.append(Begun(entry.uuid, entry.occurred_at, said.layer_id, frozenset(zones), history.places))


@_put.register
def _put_pause(said: PausePayload, history: History, entry: Entry, zones: list[UUID]) -> None:
    history.begun.append(Begun(entry.uuid, entry.occurred_at, "", frozenset(zones), history.places))


@_put.register
def _put_judgement(said: JudgementPayload, history: History, entry: Entry, zones: list[UUID]) -> None:
    history.judged.append(Judged(entry.uuid, entry.occurred_at, said, frozenset(zones), history.places))


@_put.register
def _put_survey(said: SurveyTestPayload, history: History, entry: Entry, zones: list[UUID]) -> None:
    history.surveyed.append(Surveyed(entry.uuid, entry.occurred_at, said, frozenset(zones)))


@_put.register
def _put_claim(said: ClaimPayload, history: History, entry: Entry, zones: list[UUID]) -> None:
    history.claims[entry.uuid] = Claim(entry.uuid, entry.occurred_at, said, frozenset(zones))


@_put.register
def _put_check(said: CheckPayload, history: History, entry: Entry, zones: list[UUID]) -> None:
    """A claim that holds becomes work done; one that does not stays undone."""
    claim = history.claims.get(said.claim)
    if claim is None:
        return
    claim.holds = said.holds
    if claim.holds:
        work = _work(history, entry, claim.payload.says, claim.zones, claim.payload.grit)
        history.works.append(replace(work, claimed=True))
        if claim.payload.says == "strip":
            history.strips.append(Stripped(Strip(entry.occurred_at, "substrate"), claim.zones))


@_put.register
def _put_override(said: OverridePayload, history: History, entry: Entry, zones: list[UUID]) -> None:
    history.overridden.append((entry.occurred_at, said.rule, entry.reason or ""))

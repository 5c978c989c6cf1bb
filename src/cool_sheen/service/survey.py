"""The survey of a part: zones and faces, tests and claims, and what is below each zone."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from typing import Annotated
from uuid import UUID, uuid4

from pydantic import Field

from cool_sheen.core.advice.findings import Asked, Bed, Ground
from cool_sheen.core.coatings.families import State
from cool_sheen.core.coatings.sheet_fields import Method, Strict
from cool_sheen.core.coatings.systems import System
from cool_sheen.core.errors import OutOfRange
from cool_sheen.core.log.entries import CheckPayload, ClaimPayload, Recorded, SurveyTestPayload
from cool_sheen.core.log.history import History
from cool_sheen.core.survey.below import DEPTH_WORDS, Evidence, Found, asked_by, colour_below, that_stay, what_is_below
from cool_sheen.core.survey.shapes import Shape
from cool_sheen.core.survey.tests import Result
from cool_sheen.core.survey.zones import OLD_FINISHES, Strip, ZoneFacts, ZoneKind
from cool_sheen.core.work.owed import owed_to
from cool_sheen.core.work.steps import ABRADES, SandStep, steps_of
from cool_sheen.service.journal import Press, write_on_part
from cool_sheen.service.unit import Missing, Refused, Unit
from cool_sheen.store.models import Face, Part, Zone

_MOST_ZONES = 40


class ZoneSaid(Strict):
    """What the surveyor says of a zone."""

    name: Annotated[str, Field(min_length=1, max_length=60)]
    kind: ZoneKind = "face"
    shape: Shape
    substrate: str
    old_finish: str = "none"
    old_state: State = "unknown"
    word_of_another: bool = False
    strip: Strip = "nothing"
    keep_texture: bool = False
    bare_since: datetime | None = None
    face: UUID


class FaceSaid(Strict):
    """What the surveyor says of a face: with which it is coated together, how it is held, how it is coated."""

    name: Annotated[str, Field(min_length=1, max_length=60)]
    setting: Annotated[int, Field(ge=1, le=6)] = 1
    support: Annotated[str, Field(max_length=120)] = ""
    method: Method = "hvlp"


def find_zone(part: Part, uuid: UUID) -> Zone:
    """Return a zone of a part. Raises Missing."""
    found = next((zone for zone in part.zones if zone.uuid == uuid), None)
    if found is not None and found.was_split:
        raise Refused(
            f"{found.name} was split meanwhile, and nothing was changed: choose one of its zones.", status=409
        )
    if found is None:
        raise Missing("zone")
    return found


def _check(unit: Unit, part: Part, said: ZoneSaid, but: Zone | None = None) -> None:
    notes = {}
    if any(z.name.lower() == said.name.lower() for z in part.live_zones if z is not but):
        notes["name"] = "Another zone of this part has this name."
    if said.substrate not in unit.catalogue.substrates:
        notes["substrate"] = "Choose what the zone is made of."
    if said.old_finish not in OLD_FINISHES:
        notes["old_finish"] = "Choose the old finish from the list."
    if said.face not in {face.uuid for face in part.faces}:
        notes["face"] = "Choose a face of this part."
    if said.bare_since is not None and said.bare_since > unit.now:
        notes["bare_since"] = "Enter a time up to now."
    if notes:
        raise Refused("Check what was entered.", notes)


def _put(zone: Zone, said: ZoneSaid) -> None:
    zone.name, zone.kind, zone.face_uuid = said.name, said.kind, said.face
    zone.shape, zone.area_m2 = said.shape.model_dump(exclude_none=True), said.shape.area_m2
    zone.substrate, zone.old_finish, zone.old_state = said.substrate, said.old_finish, said.old_state
    zone.word_of_another, zone.strip, zone.keep_texture = said.word_of_another, said.strip, said.keep_texture
    zone.bare_since = said.bare_since if said.strip == "substrate" or said.old_finish == "none" else None


def _total(part: Part) -> None:
    part.area_m2 = sum(zone.area_m2 for zone in part.live_zones)


def edit_zone(unit: Unit, part: Part, zone: UUID, said: ZoneSaid) -> None:
    """Change what the survey says of a zone. Raises Refused, Missing."""
    row = find_zone(part, zone)
    _check(unit, part, said, row)
    _put(row, said)
    _total(part)
    unit.session.flush()


def split_off(unit: Unit, part: Part, source: UUID, said: ZoneSaid, *, from_its_area: bool) -> Zone:
    """Make a zone out of another one: it gets its history, and with ``from_its_area`` its area is taken from it.

    Raises: Refused: the area is larger than that of the zone it comes from, too many zones, or a field is wrong.
    """
    row = find_zone(part, source)
    _check(unit, part, said)
    if len(part.live_zones) >= _MOST_ZONES:
        raise Refused(f"A part has up to {_MOST_ZONES} zones here: make a second part.")
    if from_its_area:
        left = row.area_m2 - said.shape.area_m2
        if left <= 0:
            text = f"{row.name} has {row.area_m2:.2f} m² only: enter less, or do not take it from there."
            raise Refused("That is more than there is.", {"area": text})
    else:
        left = row.area_m2
    # Both are new rows: what is logged from now on about the one is not about the other.
    rest = _heir(row, row.position, row.name)
    if from_its_area:
        rest.shape = {"kind": "typed", "typed_m2": left}
    rest.area_m2 = left
    fresh = _heir(row, 1 + max(z.position for z in part.zones), said.name)
    _put(fresh, said)
    row.was_split = True
    unit.session.add_all([rest, fresh])
    unit.session.flush()
    unit.session.refresh(part, ["zones"])
    _total(part)
    unit.session.flush()
    return fresh


_HANDED_ON = (
    "part_uuid", "face_uuid", "area_m2", "kind", "shape", "substrate", "bare_since", "strip", "keep_texture",
    "old_finish", "old_state", "word_of_another",
)  # fmt: skip


def _heir(source: Zone, position: int, name: str) -> Zone:
    facts = {field: getattr(source, field) for field in _HANDED_ON}
    return Zone(uuid=uuid4(), split_from=source.uuid, position=position, name=name, **facts)


def merge(unit: Unit, part: Part, zone: UUID, history: History) -> None:
    """Put a zone into the one that it was split from. Raises Refused when their coats are not the same."""
    row = find_zone(part, zone)
    siblings = [z for z in part.live_zones if z is not row and z.split_from == row.split_from]
    if row.split_from is None or not siblings:
        raise Refused("There is no zone left that this one was split from.", status=409)
    source = siblings[0]
    apart = [g for g in history.same_coats() if row.uuid in g]
    if source.uuid not in apart[0]:
        raise Refused(f"{row.name} and {source.name} have different coats by now: they stay two zones.", status=409)
    source.area_m2 += row.area_m2
    source.shape = {"kind": "typed", "typed_m2": source.area_m2}
    row.was_split = True  # its own entries are handed on to nobody: they are those of the source, too
    unit.session.flush()
    _total(part)
    unit.session.flush()


def add_face(unit: Unit, part: Part, said: FaceSaid) -> Face:
    """Add a face. Raises Refused."""
    _check_face(part, said)
    face = Face(uuid=uuid4(), part_uuid=part.uuid, **said.model_dump())
    unit.session.add(face)
    unit.session.flush()
    unit.session.refresh(part, ["faces"])
    return face


def edit_face(unit: Unit, part: Part, face: UUID, said: FaceSaid) -> None:
    """Change a face. Raises Refused, Missing."""
    row = next((f for f in part.faces if f.uuid == face), None)
    if row is None:
        raise Missing("face")
    _check_face(part, said, row)
    for name, value in said.model_dump().items():
        setattr(row, name, value)
    unit.session.flush()


def _check_face(part: Part, said: FaceSaid, but: Face | None = None) -> None:
    if any(f.name.lower() == said.name.lower() for f in part.faces if f is not but):
        raise Refused("Check what was entered.", {"face_name": "Another face of this part has this name."})


def log_test(unit: Unit, part: Part, press: Press, said: SurveyTestPayload) -> Recorded:
    """Log a survey test; a figure decides the result itself. Raises Refused for a test or a result that is none."""
    test = unit.catalogue.tests.get(said.test)
    if test is None:
        raise Refused("There is no such test.", {"test": "Choose a test of the list."})
    if test.reads is not None:
        if said.reading is None:
            raise Refused("The figure is missing.", {"reading": f"Enter what you read, in {test.reads}."})
        try:
            said = said.model_copy(update={"result": test.of_reading(said.reading).key})
        except OutOfRange as error:
            raise Refused("This cannot be.", {"reading": str(error)}) from error
    if test.result(said.result) is None:
        raise Refused("The result is missing.", {"result": "Choose what you saw."})
    return write_on_part(unit, part, said, press)


def log_claim(unit: Unit, part: Part, press: Press, said: ClaimPayload) -> Recorded:
    """Log what somebody else says was prepared: a claim, until it was checked."""
    return write_on_part(unit, part, said, press)


def check_claim(unit: Unit, part: Part, press: Press, claim: UUID, history: History, holds: bool) -> Recorded:
    """Log the own check of a claim. Raises Missing."""
    if claim not in history.claims:
        raise Missing("claim")
    zones = history.claims[claim].zones
    return write_on_part(unit, part, CheckPayload(claim=claim, holds=holds), Press(press.uuid, press.at, zones))


@dataclass(frozen=True, slots=True)
class Shown:
    """A test result as the survey shows it."""

    at: datetime
    title: str
    zones: str
    result: Result
    reading: str
    depth: str
    means: str


def evidence_of(unit: Unit, history: History, zone: UUID) -> list[Evidence]:
    """Return what the tests say of the films that are still on a zone, in order of time."""
    out = []
    for done in history.surveyed:
        said, test = done.payload, unit.catalogue.tests.get(done.payload.test)
        result = test.result(said.result) if test else None
        if test and result and zone in done.zones and test.proves(result, said.held_h):
            out.append(
                Evidence(
                    test.title.lower(),
                    done.at,
                    result.family,
                    result.state,
                    said.films_down,
                    test.key,
                    result.demands,
                    result.swatch or "",
                )
            )
    return that_stay(out, history.stripped(zone))


def tests_shown(unit: Unit, part: Part, history: History) -> list[Shown]:
    """Return the tests that were made, the latest first."""
    names = {zone.uuid: zone.name for zone in part.live_zones}
    out = []
    for done in reversed(history.surveyed):
        test = unit.catalogue.tests.get(done.payload.test)
        result = test.result(done.payload.result) if test else None
        if test is None or result is None:
            continue
        everywhere = len(done.zones) == len(names)
        zones = "everywhere" if everywhere else ", ".join(names[z] for z in names if z in done.zones)
        reading = "" if done.payload.reading is None else f"{done.payload.reading:g} {test.reads}"
        said, means = done.payload, result.means
        if not test.proves(result, said.held_h):
            wanted = (test.timer_minutes or 0) / 60
            means = f"Held for {said.held_h:g} h only: that says nothing. Hold it for {wanted:g} h."
        deep = DEPTH_WORDS[said.films_down] if said.films_down else ""
        out.append(
            Shown(done.at, test.title, zones, result, reading, ", ".join(w for w in (deep, said.depth) if w), means)
        )
    return out


def found_below(unit: Unit, zones: Sequence[ZoneFacts], history: History, system: System) -> dict[UUID, Found]:
    """Return what is below each zone for the first coat, as the survey, the tests and the preparation have it.

    Args:
        unit: The unit of work.
        zones: The zones, as the log has them.
        history: The folded log.
        system: What goes on.
    """
    first = min((c.place for c in history.coats), default=None)
    prepared = any(step.kind == "sand" for step in system.prepare)
    out = {}
    for zone in zones:
        abraded = any(
            d.kind in ABRADES and zone.uuid in d.zones and (first is None or d.place < first) for d in history.works
        )
        evidence = evidence_of(unit, history, zone.uuid)
        bare_h = history.bare_h(zone, unit.now)
        found = what_is_below(zone, evidence, keyed=prepared or abraded, bare_h=bare_h)
        if found.below.state == "weathered" and zone.bare and zone.uuid in still_abraded(zones, history, system):
            found = replace(found, why=f"{found.why}; the preparation abrades it, which counts once it is logged")
        out[zone.uuid] = found
    return out


def still_abraded(zones: Sequence[ZoneFacts], history: History, system: System) -> frozenset[UUID]:
    """Return the zones that the preparation is still going to sand."""
    owed = owed_to(steps_of(system, zones), history, zones)
    rows = [row for row in owed.rows if isinstance(row.step, SandStep) and not row.step.slot]
    return frozenset().union(*(row.owed for row in rows))


def bed_of(unit: Unit, zones: Sequence[ZoneFacts], history: History, system: System) -> Bed:
    """Return what a stack is laid on: every page that judges a part's stack asks here."""
    evidence = {zone.uuid: evidence_of(unit, history, zone.uuid) for zone in zones}
    asked: dict[str, tuple[str, list[ZoneFacts]]] = {}
    for zone in zones:
        for demand, by in asked_by(evidence[zone.uuid]).items():
            asked.setdefault(demand, (by, []))[1].append(zone)
    return Bed(
        grounds_of(list(zones), found_below(unit, zones, history, system)),
        [Asked(unit.catalogue.demands[key], tuple(there), by) for key, (by, there) in asked.items()],
        {zone.uuid: colour_below(zone, evidence[zone.uuid]) for zone in zones},
    )


def grounds_of(zones: list[ZoneFacts], found: Mapping[UUID, Found]) -> list[Ground]:
    """Put zones together that offer the same to the first coat."""
    groups: dict[tuple[str, str], list[ZoneFacts]] = {}
    for zone in zones:
        below = found[zone.uuid].below
        groups.setdefault((below.family, below.state), []).append(zone)
    return [Ground(tuple(group), found[group[0].uuid].below, found[group[0].uuid].why) for group in groups.values()]

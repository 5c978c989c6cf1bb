"""Looking over a part: marks, what passes, what is accepted, readings of the film, and one's own judgement."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Literal, get_args
from uuid import UUID, uuid5

from cool_sheen.core.inspection.comb import combed
from cool_sheen.core.inspection.enough import enough_to_sand
from cool_sheen.core.inspection.readings import Reading
from cool_sheen.core.log.entries import Recorded, StepPayload
from cool_sheen.core.log.history import Zones
from cool_sheen.core.log.looked import AcceptPayload, FilmReadingPayload, JudgementPayload, MarkPayload, MarkWhat
from cool_sheen.core.log.looks import Mark
from cool_sheen.core.part.film_clock import CoatClock
from cool_sheen.core.plan.rounds import RoundsRange, rounds_range
from cool_sheen.core.press.contradictions import Contradiction
from cool_sheen.core.units import amount
from cool_sheen.core.work.steps import Step, is_look, only_on, steps_of
from cool_sheen.service import confirmations
from cool_sheen.service.journal import Press, pressed_before, same_press, write_on_part
from cool_sheen.service.part_now import PartNow
from cool_sheen.service.unit import Refused, Unit

Verdict = Literal["passed", "thin", "not_passed"]
WHATS: tuple[MarkWhat, ...] = get_args(MarkWhat)
LIGHTS = ("low lamp", "lights off", "surface wetted")
_FAR_FROM_PLAN = 3.0  # a film so many times over or under the plan's is more often another unit


@dataclass(frozen=True, slots=True)
class LookSaid:
    """What a look said of each zone that was looked at, and in which light."""

    verdicts: Mapping[UUID, Verdict]
    lights: tuple[str, ...] = ()


def look_ahead(found: PartNow) -> Step | None:
    """Return the look that is owed first: the next action where it is one, else the first that any zone waits for."""
    action = found.action.step
    if action is not None and action.kind == "inspect":
        return action
    rows = (row for row in found.rows if row.owed and row.step.kind == "inspect")
    return next((only_on(row.step, row.owed, found.zones) for row in rows), None)


def due_zones(found: PartNow) -> Zones:
    """Return the zones that wait for the look that is owed first: a zone with a coat to come before it does not."""
    step = look_ahead(found)
    if step is None:
        return frozenset()
    ahead = {zone: found.owed.ahead(zone) for zone in step.zones}
    return frozenset(z for z, places in ahead.items() if places and found.owed.steps[places[0]].id == step.id)


def ends_a_round(found: PartNow) -> bool:
    """Whether the look that is owed asks for another round where something is thin."""
    step = look_ahead(found)
    return step is not None and is_look(step)


def rounds_to_come(found: PartNow) -> RoundsRange | None:
    """Return how many rounds there may be and when the part is done with them; kept for the minute."""
    if not any(step.round for step in found.owed.steps):
        return None
    steps = steps_of(found.system, found.zones, found.products)
    key = ("rounds", found.mark, found.minute)
    made: RoundsRange | None = found.unit.kept.get(key, lambda: rounds_range(found.situation, steps), lambda _: 500)
    return made


def _zones(found: PartNow, names: Iterable[UUID]) -> Zones:
    zones = frozenset(names)
    if zones - {z.uuid for z in found.zones}:
        raise Refused("This part has no such zone.", {"zone": "Choose a zone of this part."})
    return zones


def marked(
    unit: Unit, found: PartNow, uuid: UUID, said: MarkPayload, zone: UUID | None, at: datetime | None = None
) -> Recorded:
    """Log a mark on a zone; on the only one where none is named.

    Raises: Refused: no such zone, or a defect that the table does not know.
    """
    if before := same_press(unit, uuid, "mark", found.row, said.model_dump(exclude={"kind"})):
        return before
    names = [zone] if zone else [z.uuid for z in found.zones]
    if len(names) > 1:
        raise Refused("On which zone is it?", {"zone": "Choose the zone."})
    if said.defect and said.defect not in unit.catalogue.defects:
        raise Refused("There is no such defect.", {"defect": "Choose a defect from the list."})
    if said.what == "defect" and not said.defect:
        raise Refused("Which defect is it?", {"defect": "Choose a defect from the list."})
    return write_on_part(unit, found.row, said, Press(uuid, at, _zones(found, names)))


def looked(unit: Unit, found: PartNow, uuid: UUID, said: LookSaid, at: datetime | None = None) -> Recorded:
    """Log a look: which zones pass, and which do not. A thin zone gets a mark, where it has none.

    It is the look of the plan on the zones that wait for it; on others it is a look of one's own.

    Raises: Refused: nothing was looked at, or a zone passes with marks that are open. AskedBack: the film is wet, or
        something that holds was not passed.
    """
    if before := pressed_before(unit, uuid):
        return before
    if not said.verdicts:
        raise Refused("No zone was looked at: say of each that you looked at whether it passes.")
    _zones(found, said.verdicts)
    passed = frozenset(z for z, verdict in said.verdicts.items() if verdict == "passed")
    failed = frozenset(said.verdicts) - passed
    none_open(found, passed)
    step = look_ahead(found)
    planned = step.id if step is not None else None
    about = frozenset(said.verdicts)
    intent = confirmations.intent_of(unit, found, "inspect", about, at, step)
    reason = confirmations.asked_of(unit, intent) if passed else None
    written, due = None, due_zones(found)
    for zones, fails, named in (
        (failed & due, True, planned),
        (failed - due, True, None),
        (passed & due, False, planned),
        (passed - due, False, None),
    ):
        if zones:
            payload = StepPayload(kind="inspect", ticked=said.lights, not_passed=fails)
            press = Press(uuid if written is None else uuid5(uuid, f"{fails} {named}"), at, zones)
            written = write_on_part(unit, found.row, payload, press, planned_step=named, reason=reason)
    assert written is not None  # some zone was looked at
    for zone in (z for z in failed if said.verdicts[z] == "thin"):
        if not any(m.payload.what == "thin" for m in found.history.open_marks(zone)):
            thin = MarkPayload(what="thin", where="all over")
            write_on_part(unit, found.row, thin, Press(uuid5(uuid, f"thin {zone}"), at, frozenset({zone})))
    return written


def none_open(found: PartNow, zones: Zones) -> None:
    """See to it that nothing is open on zones that are to pass a look. Raises Refused."""
    if held := [m for z in zones for m in found.history.open_marks(z) if m.holds]:
        names = found.situation.names(frozenset(z for m in held for z in m.open_on) & zones) or "The part"
        raise Refused(
            f"{names}: {_some(held)} open there. Mend it, or accept it with a reason, and then it passes.",
            status=409,
        )


def _some(marks: Sequence[Mark]) -> str:
    return "a mark is" if len({m.uuid for m in marks}) == 1 else f"{len({m.uuid for m in marks})} marks are"


def accepted(
    unit: Unit, found: PartNow, uuid: UUID, said: AcceptPayload, reason: str, at: datetime | None = None
) -> Recorded:
    """Log that marks, or readings, stay as they are. Raises Refused: nothing of it is open, or no reason."""
    if before := same_press(unit, uuid, "accept", found.row, {"marks": said.marks}):
        return before
    marks = [found.history.marks[name] for name in said.marks if name in found.history.marks]
    zones = frozenset(z for mark in marks for z in mark.open_on)
    readings = [one for one in combed(found.history, found.revisions) if one.uuid in said.marks and one.open_on]
    zones |= frozenset(z for one in readings for z in one.open_on)
    if not zones:
        raise Refused("This is not open any more: load the page again.", status=409)
    if len(reason.strip()) < 3:
        raise Refused("The reason is missing.", {"reason": "Write why it stays as it is: it stays with the job."})
    return write_on_part(unit, found.row, said, Press(uuid, at, zones), reason=reason.strip()[:4000])


def read_film(
    unit: Unit, found: PartNow, uuid: UUID, readings: Sequence[Reading], zones: Iterable[UUID] = (), *, wet: bool
) -> Recorded:
    """Log readings of a film; of a wet one for the coat on top of the zones.

    Raises: Refused: there is no film. AskedBack: it is so far from the plan that another unit is likelier.
    """
    if before := pressed_before(unit, uuid):
        return before
    about = _zones(found, zones)
    if not about and len(found.zones) > 1:
        raise Refused("No zone is ticked.", {"zones": "Tick the zones that were read."})
    about = about or found.situation.all_zones
    tops = {f.top.coat.uuid: f.top for f in found.situation.films if f.top and f.zones & about}
    if not tops:
        raise Refused("There is no film to read yet: log the first coat.", status=409)
    told = {
        "state": "wet" if wet else "dry",
        "readings_um": tuple(r.um for r in readings),
        "places": tuple(r.where for r in readings) if any(r.where for r in readings) else (),
    }
    if not wet:
        payload = FilmReadingPayload.model_validate(told)
        return write_on_part(unit, found.row, payload, Press(uuid, None, about))
    reason = confirmations.confirmed(unit, _far_from_plan(unit, readings, tops.values()))
    written = None
    for coat in tops:
        there = (
            frozenset().union(*(f.zones for f in found.situation.films if f.top and f.top.coat.uuid == coat)) & about
        )
        payload = FilmReadingPayload.model_validate({**told, "coat": coat})
        press = Press(uuid if written is None else uuid5(uuid, str(coat)), None, there)
        written = write_on_part(unit, found.row, payload, press, reason=reason)
    assert written is not None  # there is a film
    return written


def _far_from_plan(unit: Unit, readings: Sequence[Reading], tops: Iterable[CoatClock]) -> list[Contradiction]:
    mean = sum(r.um for r in readings) / len(readings)
    units = unit.the_shop.units
    for top in tops:
        plan = top.coat.payload.wet_film_um
        if not plan / _FAR_FROM_PLAN <= mean <= plan * _FAR_FROM_PLAN:
            words = f"The mean is {amount(mean, 'film', units)}, and the coat was to be {amount(plan, 'film', units)}."
            return [Contradiction("film", f"{words} Is it the right unit, and the right coat?")]
    return []


def judged(unit: Unit, found: PartNow, uuid: UUID, layer: str, *, enough: bool, zones: Iterable[UUID] = ()) -> Recorded:
    """Log one's own word on whether enough of a layer stands for its sanding. Raises Refused: it is not asked."""
    if before := same_press(unit, uuid, "judgement", found.row, {"layer_id": layer, "enough": enough}):
        return before
    asked = next((e for e in enough_to_sand(found.owed, found.history, found.zones) if e.layer.id == layer), None)
    if asked is None:
        raise Refused("That is not asked any more: load the page again.", status=409)
    about = (_zones(found, zones) & asked.all_zones) or asked.all_zones
    payload = JudgementPayload(layer_id=layer, grit=asked.grit, enough=enough, by_ledger=asked.by_ledger)
    return write_on_part(unit, found.row, payload, Press(uuid, None, about))

"""A defect looked into: the case by the log, the causes ranked, what would decide; and which cause it was."""

from collections import Counter
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from uuid import UUID, uuid5

from cool_sheen.core.clinic.case import Case, Off
from cool_sheen.core.clinic.evidence import Around, case_of, suspect
from cool_sheen.core.clinic.ranking import Cause, Question, Ranked, how_sure, look_over, questions, rank
from cool_sheen.core.clinic.signs import SIGNS, Seen
from cool_sheen.core.coatings.products import Product
from cool_sheen.core.inspection.defects import Defect
from cool_sheen.core.log.entries import CausePayload, Recorded, StampPayload
from cool_sheen.core.log.history import LaidCoat
from cool_sheen.core.log.looked import BECAUSE_WORDS, AcceptPayload, MarkPayload
from cool_sheen.core.log.standing import unvoided
from cool_sheen.core.mixing.speeds import ORDER, fitting, propose
from cool_sheen.core.survey.below import asked_by
from cool_sheen.core.survey.zones import ZoneFacts
from cool_sheen.formats.catalogue import causes, compatibility
from cool_sheen.service import looks
from cool_sheen.service.batches import find as find_batch
from cool_sheen.service.gun.rack import chosen, rack
from cool_sheen.service.journal import Press, same_press, write_on_part
from cool_sheen.service.part_now import PartNow, part_now
from cool_sheen.service.shelf_now import shelf_now
from cool_sheen.service.survey import evidence_of, found_below
from cool_sheen.service.unit import Missing, Refused, Unit
from cool_sheen.store import changes, log
from cool_sheen.store.models import Space

_LEAST_REASON = 3  # letters
_GUN_SLACK = 0.02  # of a band: a gauge is no finer


@dataclass(frozen=True)
class Looked:
    """What the clinic says of a defect on a zone.

    Attributes:
        coat: The coat that is suspected; None where none was on by then.
        sure: How sure the first cause is, in words.
        answers: What whoever was there said, by sign.
    """

    defect: Defect
    zone: ZoneFacts
    seen_at: datetime
    coat: LaidCoat | None
    product: Product | None
    case: Case | None
    seen: Mapping[str, Seen]
    ranked: list[Ranked]
    asks: list[Question]
    sure: str
    answers: Mapping[str, bool]


def look_into(
    unit: Unit, found: PartNow, defect: str, zone: UUID, seen_at: datetime, answers: Mapping[str, bool]
) -> Looked:
    """Look into a defect.

    Args:
        unit: The unit of work.
        found: The part.
        defect: Of the table.
        zone: Where it is.
        seen_at: When it was seen.
        answers: What whoever was there said, by sign.

    Raises: Missing: no such defect, or no such zone.
    """
    known = unit.catalogue.defects.get(defect)
    facts = next((z for z in found.history.as_logged(found.zones) if z.uuid == zone), None)
    if known is None:
        raise Missing("defect")
    if facts is None:
        raise Missing("zone")
    coat = suspect(found.history, zone, seen_at)
    there = causes()[defect]
    before = found_before(unit).get(defect, Counter())
    case, product = None, None
    if coat is not None:
        product = found.revisions[coat.payload.coating]
        around = _around(unit, found, facts, coat, product)
        case = case_of(found.history, facts, coat, seen_at, found.climate, found.revisions, around)
    seen = look_over(case, there, answers) if case else _answered(there, answers)
    ranked = rank(there, seen, before)
    asks = questions(there, seen, before)
    return Looked(known, facts, seen_at, coat, product, case, seen, ranked, asks, how_sure(ranked, seen), answers)


def _answered(there: tuple[Cause, ...], answers: Mapping[str, bool]) -> dict[str, Seen]:
    wanted = {e.sign for cause in there for e in cause.evidence}
    return {
        s: Seen(yes, f"{SIGNS[s].asks} {'Yes' if yes else 'No'}, you say") for s, yes in answers.items() if s in wanted
    }


def _around(unit: Unit, found: PartNow, zone: ZoneFacts, coat: LaidCoat, product: Product) -> Around:
    batch = find_batch(unit, coat.payload.batch) if coat.payload.batch else None
    below = found_below(unit, [zone], found.history, found.system)[zone.uuid]
    asked = asked_by(evidence_of(unit, found.history, zone.uuid))
    ways = {way for key in asked if key in unit.catalogue.demands for way in unit.catalogue.demands[key].ways}
    layer = next((la for la in found.system.layers if la.id == coat.payload.layer_id), None)
    bar, distance = _gun(unit, coat)
    space = unit.session.get(Space, coat.payload.space) if coat.payload.space else None
    return Around(
        compatibility(),
        batch=batch.state if batch else None,
        pot_ends=batch.pot_life_ends if batch else None,
        stamps=_stamps(unit, coat),
        room=_steps_of(unit, space),
        below=below.below,
        asked=frozenset(ways),
        reducer=_reducer(unit, found, coat, product),
        bar=bar,
        distance=distance,
        planned=sum(c.counted for c in layer.coats) if layer else None,
    )


def _steps_of(unit: Unit, space: Space | None) -> frozenset[str]:
    if space is None:
        return frozenset()
    has = {
        "floor_damped": space.floor_damped,
        "extraction": space.extraction,
        "dehumidifier": space.dehumidifier_max_rh_pct is not None,
        "heater": space.heater_min_c is not None,
    }
    return frozenset(s.key for s in unit.catalogue.room_steps if s.has is None or has[s.has])


def _stamps(unit: Unit, coat: LaidCoat) -> dict[str, datetime]:
    """Stamps of the coat's room on its day, up to the coat."""
    ended = coat.ended_at.astimezone(unit.zone)
    midnight = ended.replace(hour=0, minute=0, second=0, microsecond=0)
    out: dict[str, datetime] = {}
    for row in unvoided(log.of_kind_between(unit.session, "stamp", midnight, coat.ended_at)):
        said = row.entry.payload
        if (
            isinstance(said, StampPayload)
            and said.space == coat.payload.space
            and row.entry.occurred_at <= coat.ended_at
        ):
            out[said.gate] = row.entry.occurred_at
    return out


def _reducer(unit: Unit, found: PartNow, coat: LaidCoat, product: Product) -> Off | None:
    """How the reducer's speed stands to what the day would have asked for."""
    if product.mix.reducer is None:
        return None
    there = fitting(product, "reducer", coat.payload.method, shelf_now(unit).supplies.values())
    if not there:
        return None
    area = sum(z.area_m2 for z in found.zones if z.uuid in coat.zones)
    wanted = propose(there, "reducer", found.climate.air_at(coat.ended_at), area, coat.payload.method)
    order = ORDER["reducer"]
    if wanted is None or coat.payload.reducer_speed not in order:
        return None
    off = order.index(coat.payload.reducer_speed) - order.index(wanted.speed)
    return "right" if off == 0 else "low" if off > 0 else "high"


def _gun(unit: Unit, coat: LaidCoat) -> tuple[Off | None, Off | None]:
    """The pressure and the distance of the card that the gun was set by, against the bands of its kind."""
    said = coat.payload.gun or {}
    if not said:
        return None, None
    gun = chosen(rack(unit), said.get("gun", ""), coat.payload.method).gun
    bar: Off | None = None
    if gun.start and (name := f"{gun.start.place}_bar") in said:
        bar = _against(said[name], gun.start.low, gun.start.high)
    distance: Off | None = None
    if gun.distance_mm and "distance_mm" in said:
        distance = _against(said["distance_mm"], gun.distance_mm[0], gun.distance_mm[2])
    return bar, distance


def _against(text: str, low: float, high: float) -> Off | None:
    try:
        value = float(text)
    except ValueError:
        return None
    if value < low * (1 - _GUN_SLACK):
        return "low"
    return "high" if value > high * (1 + _GUN_SLACK) else "right"


def found_before(unit: Unit) -> dict[str, Counter[str]]:
    """Return how often each cause was found in this shop, by defect."""
    number = changes.generations(unit.settled()).get(changes.NOTES, 0)

    def count() -> dict[str, Counter[str]]:
        out: dict[str, Counter[str]] = {}
        for row in unvoided(log.of_kind(unit.session, "cause")):
            if isinstance(row.entry.payload, CausePayload):
                out.setdefault(row.entry.payload.defect, Counter())[row.entry.payload.cause] += 1
        return out

    made: dict[str, Counter[str]] = unit.kept.get(("causes found", number), count)
    return made


def it_was(unit: Unit, found: PartNow, uuid: UUID, defect: str, cause: str, zone: UUID, words: str = "") -> Recorded:
    """Log which cause it was: the shop's own record sharpens the next ranking.

    Raises: Refused: no such cause of this defect, or no such zone. Conflict.
    """
    if before := same_press(unit, uuid, "cause", found.row, {"defect": defect, "cause": cause}):
        return before
    if cause not in {c.key for c in causes().get(defect, ())}:
        raise Refused("Choose which cause it was.", {"cause": "Choose a cause of the list."})
    if zone not in found.situation.all_zones:
        raise Refused("This part has no such zone any more: load the page again.", status=409)
    payload = CausePayload(defect=defect, cause=cause, note=words)
    return write_on_part(unit, found.row, payload, Press(uuid, None, frozenset({zone})))


def left_as_it_is(unit: Unit, found: PartNow, uuid: UUID, defect: str, zone: UUID, said: Mapping[str, str]) -> Recorded:
    """Log that a defect on a zone stays as it is, with its reason: its mark, where it has none yet, and the acceptance.

    Raises: Refused: no such defect or zone, or no reason. Conflict.
    """
    about = {"defect": defect, "what": "defect"}
    if before := same_press(unit, uuid5(uuid, "accepted"), "accept", found.row, {}):
        return before
    if defect not in unit.catalogue.defects:
        raise Refused("Which defect is it?", {"defect": "Choose what you see from the list."})
    if len(said.get("reason", "").strip()) < _LEAST_REASON:
        raise Refused("The reason is missing.", {"reason": "Write why it stays as it is: it stays with the job."})
    if said.get("because") not in BECAUSE_WORDS:
        raise Refused("Why does it stay?", {"because": "Choose a reason from the list."})
    open_marks = [m for m in found.history.open_marks(zone) if m.payload.defect == defect]
    if open_marks:
        mark = open_marks[0].uuid
    else:
        mark = looks.marked(unit, found, uuid, MarkPayload.model_validate(about), zone).entry.uuid
    payload = AcceptPayload.model_validate({"marks": (mark,), "because": said["because"]})
    unit.settled()
    return looks.accepted(unit, part_now(unit, found.part.uuid), uuid5(uuid, "accepted"), payload, said["reason"])

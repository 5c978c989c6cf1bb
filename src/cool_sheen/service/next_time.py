"""Notes that come back: written with what has to be the same, and found again where it is."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, get_args
from uuid import UUID

from cool_sheen.core.log.entries import Recorded, VoidPayload
from cool_sheen.core.log.next_time import Here, Moment, NextTime, NextTimePayload, returns
from cool_sheen.core.log.standing import unvoided
from cool_sheen.core.work.steps import CoatStep
from cool_sheen.service.jobs import find_part, parts_named
from cool_sheen.service.journal import Press, same_press, write_on_part
from cool_sheen.service.part_now import PartNow
from cool_sheen.service.unit import Missing, Refused, Unit
from cool_sheen.store import changes, log

MOMENTS: tuple[Moment, ...] = get_args(Moment)
SAME = ("product", "part_kind", "substrate", "space", "air")  # what can have to be the same again


@dataclass(frozen=True, slots=True)
class Reminder:
    """A note that comes back, and where it was learned."""

    note: NextTime
    part_name: str


def standing(unit: Unit) -> Sequence[NextTime]:
    """Return every note that stands, the newest first."""
    number = changes.generations(unit.settled()).get(changes.NOTES, 0)

    def look() -> Sequence[NextTime]:
        rows = unvoided(log.of_kind(unit.session, "next_time"))
        found = [_note(row) for row in rows if isinstance(row.entry.payload, NextTimePayload)]
        return tuple(sorted(found, key=lambda n: n.at, reverse=True))

    made: Sequence[NextTime] = unit.kept.get(("next time", number), look, lambda n: 500 + 600 * len(n))
    return made


def _note(row: Recorded) -> NextTime:
    entry = row.entry
    part = next((t.part for t in entry.targets if t.part), None)
    assert isinstance(entry.payload, NextTimePayload)  # asked for by kind
    return NextTime(entry.uuid, entry.occurred_at, entry.payload, part, entry.person)


def number(unit: Unit) -> int:
    """As long as it is the same, no note was written or taken back."""
    return changes.generations(unit.settled()).get(changes.NOTES, 0)


def here(found: PartNow) -> Here:
    """Return what a part is, and what is next on it."""
    step = found.action.step
    product = step.layer.product if isinstance(step, CoatStep) else found.top.product.key if found.top else ""
    return Here(
        does=found.action.does,
        product=product,
        part_kind=found.part.kind,
        substrate=found.part.substrate,
        space=found.space.uuid,
        air_temp_c=found.climate.air_at(found.now),
        rh_pct=found.climate.humidity_at(found.now),
    )


def of_part(found: PartNow) -> list[Reminder]:
    """Return the notes that come back on a part at what is next on it, the newest first."""
    notes = standing(found.unit)
    return _named(found.unit, [n for n in notes if returns(n.said, here(found))]) if notes else []


def of_mix(unit: Unit, product: str, parts: Sequence[PartNow]) -> list[Reminder]:
    """Return the notes that come back when a product is mixed, for these parts or for none."""
    places = [_mixing(here(found), product) for found in parts] or [Here("mix", product)]
    return _named(unit, [n for n in standing(unit) if any(returns(n.said, place) for place in places)])


def _mixing(at: Here, product: str) -> Here:
    return Here("mix", product, at.part_kind, at.substrate, at.space, at.air_temp_c, at.rh_pct)


def _named(unit: Unit, notes: Sequence[NextTime]) -> list[Reminder]:
    names = {p.uuid: p.name for p in parts_named(unit, {n.part for n in notes if n.part})} if notes else {}
    return [Reminder(note, names.get(note.part, "") if note.part else "") for note in notes]


def everything(unit: Unit) -> list[Reminder]:
    """Return every note that stands with the part on which it was learned, the newest first."""
    return _named(unit, standing(unit))


def written(
    unit: Unit, found: PartNow, uuid: UUID, text: str, moment: str, same: frozenset[str], zones: frozenset[UUID]
) -> Recorded:
    """Write a note for the next time.

    Args:
        unit: The unit of work.
        found: The part on which it was learned.
        uuid: Of the press.
        text: The note.
        moment: At which work it helps.
        same: What has to be the same again: of ``SAME``.
        zones: The zones on which it was learned; all when empty.

    Raises: Refused: nothing was written, no such moment, or a kind that the part does not have.
    """
    if before := same_press(unit, uuid, "next_time", found.row, {"text": text}):
        return before
    if not text:
        raise Refused("Nothing was written.", {"text": "Write what is to be remembered."})
    if len(text) > 400:
        raise Refused("That is too long to be read at work.", {"text": "Enter 400 characters at most."})
    if moment not in MOMENTS:
        raise Refused("When is it to come back?", {"moment": "Choose from the list."})
    now = here(found)
    told: dict[str, Any] = {"text": text, "moment": moment}
    told |= {name: getattr(now, name) for name in ("product", "part_kind", "substrate", "space") if name in same}
    if "air" in same:
        told |= {"air_temp_c": round(now.air_temp_c or 0.0, 1), "rh_pct": round(now.rh_pct or 0.0)}
    payload = NextTimePayload.model_validate(told)
    return write_on_part(unit, found.row, payload, Press(uuid, None, zones))


def dropped(unit: Unit, uuid: UUID, note: UUID) -> None:
    """Take a note back, from wherever it came up: it stays in the log of its part. Raises Missing; Refused."""
    row = log.by_uuid(unit.session, note)
    part = next((t.part for t in row.entry.targets if t.part), None) if row else None
    if row is None or part is None or row.entry.payload.kind != "next_time":
        raise Missing("note")
    if log.by_uuid(unit.session, uuid) is not None:
        return
    if not any(n.uuid == note for n in standing(unit)):
        raise Refused("This note was taken back already.", status=409)
    write_on_part(unit, find_part(unit, part), VoidPayload(), Press(uuid), voids=note)

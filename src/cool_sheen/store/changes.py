"""What a session changes, noted as it is written.

Parts and batches that were written about are settled before the commit; generations count what results depend on.
"""

from collections.abc import Iterable
from typing import Any
from uuid import UUID

from sqlalchemy import bindparam, event, select
from sqlalchemy.dialects.sqlite import insert
from sqlalchemy.orm import Session

from cool_sheen.store.models import (
    ClimateImport,
    Face,
    Generation,
    Gun,
    GunCard,
    LogEntry,
    LogTarget,
    PackSheet,
    Part,
    Photo,
    ShelfSheet,
    Shop,
    Space,
    SpaceAsItWas,
    StrokeRun,
    Zone,
)

AIR, BATCHES, GUNS, LESSONS, NOTES, SHELF = "air", "batches", "guns", "lessons", "notes", "shelf"
ANYTHING = "anything"  # whatever is written counts as one of these, too
_BY_TABLE: dict[type, str] = {
    Shop: AIR, Space: AIR, SpaceAsItWas: AIR, ClimateImport: AIR, ShelfSheet: SHELF, PackSheet: SHELF,
    Gun: GUNS, GunCard: GUNS, StrokeRun: GUNS,
}  # fmt: skip
_BY_KIND: dict[str, tuple[str, ...]] = {
    "climate_reading": (AIR,), "door": (AIR,), "touch_test": (LESSONS,), "void": (AIR, LESSONS, BATCHES, NOTES),
    "retime": (LESSONS, BATCHES),
    "amend": (LESSONS, BATCHES, NOTES), "next_time": (NOTES,), "cause": (NOTES,),
}  # fmt: skip  # and whatever names a batch changes the batches
# What a part's touch tests teach hangs on: its coats, their films and tests, where it stood, and what it saw.
_TEACHES = frozenset(
    {"coat", "touch_test", "film_reading", "bake", "move", "climate_reading", "void", "retime", "amend"}
)
_TAUGHT = "parts whose tests teach anew"
_PARTS, _BATCHES, _KNOWN, _BUMPED = "parts to settle", "batches to settle", "generations", "bumped"
_WROTE, _ABOUT, _ELSEWHERE = "wrote", "parts it wrote about", "what shows elsewhere"
_OF_A_PART = frozenset({ANYTHING, LESSONS})  # what shows with the part that it was written about, and nowhere else
# Built once: to build a statement takes as long as to run it, and every press runs these.
_NUMBERS = select(Generation.__table__.c.name, Generation.__table__.c.number)
_BUMP = insert(Generation.__table__).on_conflict_do_update(  # type: ignore[arg-type]
    index_elements=["name"], set_={"number": Generation.number + 1}
)
_COMES_AFTER = select(Part.uuid).where(Part.after_uuid.in_(bindparam("parts", expanding=True)))
_ROWS_OF_A_PART = (LogEntry, LogTarget, Part, Zone, Face, Photo)


def parts_touched(session: Session) -> set[UUID]:
    """Return the parts that this session wrote about and that are not settled yet."""
    found: set[UUID] = session.info.setdefault(_PARTS, set())
    return found


def parts_taught(session: Session) -> set[UUID]:
    """Return the parts of which this session wrote what bears on the lessons of their touch tests."""
    found: set[UUID] = session.info.setdefault(_TAUGHT, set())
    return found


def batches_touched(session: Session) -> set[UUID]:
    """Return the batches that this session wrote about and that are not settled yet."""
    found: set[UUID] = session.info.setdefault(_BATCHES, set())
    return found


def brought(session: Session, parts: Iterable[UUID], batches: Iterable[UUID]) -> None:
    """Note what was written past the mapper: a project with its parts and batches, and all that they rest on.

    What their tests taught came along: it is not taught anew.
    """
    session.info[_WROTE] = session.info[_ELSEWHERE] = True
    parts_touched(session).update(parts)
    batches_touched(session).update(batches)
    for name in (ANYTHING, AIR, BATCHES, LESSONS, NOTES, SHELF):
        bump(session, name)


def unsettled(session: Session) -> bool:
    """Whether something was written since the status was last brought up to date."""
    return bool(parts_touched(session) or batches_touched(session))


def wrote(session: Session) -> bool:
    """Whether this session wrote anything that is not committed yet."""
    return bool(session.info.get(_WROTE))


def generations(session: Session) -> dict[str, int]:
    """Return how often each thing was changed that results depend on, this session's own changes included."""
    if _KNOWN not in session.info:
        rows = session.execute(_NUMBERS)
        session.info[_KNOWN] = {row.name: row.number for row in rows}
    found: dict[str, int] = session.info[_KNOWN]
    return found


def bump(session: Session, name: str) -> None:
    """Count one change."""
    session.execute(_BUMP, {"name": name, "number": 1})
    if (known := session.info.get(_KNOWN)) is not None:  # whoever writes is alone
        session.info[_KNOWN] = {**known, name: known.get(name, 0) + 1}
    session.info.setdefault(_BUMPED, set()).add(name)


def bumped(session: Session) -> frozenset[str]:
    """Return what this session changed of all that results depend on."""
    return frozenset(session.info.get(_BUMPED, ()))


def bears_on(session: Session) -> frozenset[UUID] | None:
    """Return the parts on whose pages something shows of what this session wrote; None: it may show anywhere.

    What comes after a part shows whether that one is finished. What tests teach to others is told when it is worked in.
    """
    about = _about(session)
    if not about or session.info.get(_ELSEWHERE) or not bumped(session) <= _OF_A_PART:
        return None
    return frozenset(about) | set(session.scalars(_COMES_AFTER, {"parts": list(about)}))


def _about(session: Session) -> set[UUID]:
    found: set[UUID] = session.info.setdefault(_ABOUT, set())
    return found


@event.listens_for(Session, "before_flush")
def _take_note(session: Session, _context: Any, _instances: Any) -> None:
    rows = [*session.new, *(r for r in session.dirty if session.is_modified(r)), *session.deleted]
    session.info[_WROTE] = True
    names = {_BY_TABLE[type(row)] for row in rows if type(row) in _BY_TABLE}
    if rows:
        names.add(ANYTHING)
    if not all(isinstance(row, _ROWS_OF_A_PART) for row in rows):
        session.info[_ELSEWHERE] = True
    for row in rows:
        if isinstance(row, LogEntry):
            batches, about = _batches_of(row), {t.part_uuid for t in row.targets if t.part_uuid}
            names.update(_changed_by(session, row))
            parts_touched(session).update(about)
            _about(session).update(about)
            if row.kind in _TEACHES:
                parts_taught(session).update(about)
            batches_touched(session).update(batches)
    _count_part_changes(session, [row for row in rows if isinstance(row, Part | Zone | Face)])
    session.info.setdefault("to bump", set()).update(names)


@event.listens_for(Session, "after_flush_postexec")
def _bump_all(session: Session, _context: Any) -> None:
    for name in session.info.pop("to bump", set()):
        bump(session, name)


def _changed_by(session: Session, row: LogEntry) -> set[str]:
    """What hangs on an entry; to take one back changes what to write it changed, and may bring a lesson back."""
    kind, named = row.kind, bool(_batches_of(row))
    if row.voids:
        with session.no_autoflush:
            kind, payload = session.execute(
                select(LogEntry.kind, LogEntry.payload).where(LogEntry.uuid == row.voids)
            ).one()
        named = named or kind == "batch" or bool(payload.get("batch"))
    names = set(_BY_KIND.get(kind, ())) | ({LESSONS} if row.voids else set())
    return names | {BATCHES} if named else names


def _batches_of(row: LogEntry) -> set[UUID]:
    named = row.payload.get("batch") if isinstance(row.payload, dict) else None
    out = {UUID(str(named))} if named else set()
    return out | {row.uuid} if row.kind == "batch" else out


def _count_part_changes(session: Session, rows: list[Any]) -> None:
    """Whatever is written to a part, a zone or a face counts as a change of its part: what was worked out is stale."""
    touched = {row.uuid if isinstance(row, Part) else row.part_uuid for row in rows}
    parts_touched(session).update(touched)
    parts_taught(session).update(touched)
    _about(session).update(touched)
    with session.no_autoflush:
        for uuid in touched:
            part = session.get(Part, uuid)
            if part is not None:
                part.changes += 1

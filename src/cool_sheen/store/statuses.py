"""Kept status on disk: of parts, of lessons, of batches. It can be dropped, and rebuilt from the log.

Lessons that were taught in another shop are in no log here: they stay.
"""

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime
from typing import Any
from uuid import UUID

from sqlalchemy import ColumnElement, bindparam, delete, func, select, update
from sqlalchemy.dialects.sqlite import insert
from sqlalchemy.orm import Session

from cool_sheen.store.models import BatchStatus, LessonRow, Part, PartStatus

_WRITE_PART = insert(PartStatus.__table__)  # type: ignore[arg-type]
_PUT_PART = _WRITE_PART.on_conflict_do_update(  # built once: to build it takes as long as to run it
    index_elements=["part_uuid"],
    set_={c.name: _WRITE_PART.excluded[c.name] for c in PartStatus.__table__.columns if not c.primary_key},
)


_WRITE_BATCH = insert(BatchStatus.__table__)  # type: ignore[arg-type]
_PUT_BATCH = _WRITE_BATCH.on_conflict_do_update(
    index_elements=["uuid"],
    set_={c.name: _WRITE_BATCH.excluded[c.name] for c in BatchStatus.__table__.columns if not c.primary_key},
)


def put_part(session: Session, fields: dict[str, Any]) -> None:
    """Write how a part stands, in all its columns."""
    session.execute(_PUT_PART, fields)


def finish(session: Session, part: UUID, seq: int, at: datetime) -> bool:
    """Note that nothing is to come on a part any more, unless it was written about since; say whether it was noted."""
    same = (PartStatus.part_uuid == part, PartStatus.seq == seq, PartStatus.finished_at.is_(None))
    noted = session.execute(update(PartStatus).where(*same).values(finished_at=at, state="cured"))
    return bool(noted.rowcount)  # type: ignore[attr-defined]


def live_seqs(session: Session) -> dict[UUID, tuple[int, int]]:
    """Return the parts of the Bench that are not finished, with their newest entry and their count of changes."""
    query = select(PartStatus.part_uuid, PartStatus.seq, PartStatus.changes).join(
        Part, Part.uuid == PartStatus.part_uuid
    )
    rows = session.execute(query.where(PartStatus.finished_at.is_(None), Part.away == ""))
    return {part: (seq, changes) for part, seq, changes in rows}


def count_live(session: Session) -> int:
    """Return on how many parts something is still to come."""
    query = select(func.count()).select_from(PartStatus).join(Part, Part.uuid == PartStatus.part_uuid)
    query = query.where(PartStatus.finished_at.is_(None), Part.away == "")
    return session.scalar(query) or 0


def seq_of(session: Session, part: UUID) -> int:
    """Return the newest entry of a part; 0 where it has none."""
    return session.scalar(select(PartStatus.seq).where(PartStatus.part_uuid == part)) or 0


def count_finished(session: Session) -> int:
    """Return how many parts are finished: all such, without the few that are away."""
    finished = PartStatus.finished_at.is_not(None)
    all_such = session.scalar(select(func.count()).select_from(PartStatus).where(finished)) or 0
    away = select(func.count()).select_from(Part).join(PartStatus, PartStatus.part_uuid == Part.uuid)
    return all_such - (session.scalar(away.where(Part.away != "", finished)) or 0)


def of_parts(session: Session, parts: Iterable[UUID]) -> dict[UUID, PartStatus]:
    """Return the status of some parts."""
    rows = session.scalars(select(PartStatus).where(PartStatus.part_uuid.in_(list(parts))))
    return {row.part_uuid: row for row in rows}


def without_status(session: Session) -> list[UUID]:
    """Return the parts that have no status yet."""
    known = select(PartStatus.part_uuid)
    return list(session.scalars(select(Part.uuid).where(Part.uuid.not_in(known))))


_SAYS = [column for column in LessonRow.__table__.columns if not column.primary_key]
_LESSONS_OF_PART = select(*_SAYS).where(LessonRow.part_uuid == bindparam("part")).order_by(LessonRow.id)


def put_lessons(session: Session, part: UUID, rows: list[dict[str, Any]]) -> None:
    """Write what the tests of a part teach, in place of what they taught before; where that is the same, it stays."""
    if [dict(row._mapping) for row in session.execute(_LESSONS_OF_PART, {"part": part})] == rows:
        return
    session.execute(delete(LessonRow).where(LessonRow.part_uuid == part))
    if rows:
        session.execute(insert(LessonRow), rows)


def lesson_marks(session: Session) -> dict[tuple[str, UUID | None], tuple[int, int]]:
    """Return a figure for each sheet and space that changes whenever one of its lessons does."""
    query = select(LessonRow.drying, LessonRow.space_uuid, func.count(), func.max(LessonRow.id)).group_by(
        LessonRow.drying, LessonRow.space_uuid
    )
    return {(drying, space): (count, newest) for drying, space, count, newest in session.execute(query)}


@dataclass(frozen=True, slots=True)
class LessonKind:
    """What lessons are of: a sheet by its times, a space, a mode; mists, or the other coats."""

    drying: str
    space: UUID | None
    mode: str
    mist: bool


def tests_taught(session: Session, kind: LessonKind, most: int) -> list[tuple[UUID, list[dict[str, Any]]]]:
    """Return the tests of the last coats that taught something, in order, each with its coat."""
    query = select(LessonRow.coat_uuid, LessonRow.tests).where(
        LessonRow.drying == kind.drying,
        LessonRow.space_uuid.is_not_distinct_from(kind.space),
        LessonRow.mode == kind.mode,
        LessonRow.mist == kind.mist,
    )
    rows = session.execute(query.order_by(LessonRow.at.desc(), LessonRow.coat_uuid).limit(most))
    return [(coat, tests) for coat, tests in rows][::-1]


def parts_taught_between(session: Session, since: datetime, until: datetime, most: int) -> list[UUID]:
    """Return the parts with lessons of coats that were drying between two instants, the newest first."""
    drying = (LessonRow.at >= since, LessonRow.coated_at <= until, LessonRow.part_uuid.is_not(None))
    query = select(LessonRow.part_uuid, func.max(LessonRow.at)).where(*drying).group_by(LessonRow.part_uuid)
    rows = session.execute(query.order_by(func.max(LessonRow.at).desc()).limit(most))
    return [part for part, _ in rows if part is not None]


def lessons_where(session: Session, *conditions: ColumnElement[bool], most: int) -> list[LessonRow]:
    """Return the last lessons, in the order in which they were taught."""
    query = select(LessonRow).where(*conditions).order_by(LessonRow.at.desc(), LessonRow.coat_uuid).limit(most)
    return list(session.scalars(query))[::-1]


def put_batch(session: Session, fields: dict[str, Any]) -> None:
    """Write how a batch stands, in all its columns."""
    session.execute(_PUT_BATCH, fields)


def drop_batch(session: Session, uuid: UUID) -> None:
    """Forget a batch that was taken back."""
    session.execute(delete(BatchStatus).where(BatchStatus.uuid == uuid))


def batches_since(session: Session, since: datetime) -> list[tuple[UUID, int]]:
    """Return the batches that were begun since an instant, newest first, each with its newest entry."""
    query = select(BatchStatus.uuid, BatchStatus.seq).where(BatchStatus.begun_at >= since)
    return [(uuid, seq) for uuid, seq in session.execute(query.order_by(BatchStatus.begun_at.desc()))]


def ended_mark(session: Session) -> tuple[int, int]:
    """Return a figure that changes whenever a batch is ended, or its end is taken back."""
    query = select(func.count(), func.max(BatchStatus.seq)).where(BatchStatus.ended_at.is_not(None))
    count, newest = session.execute(query).one()
    return count, newest or 0


def drop_all(session: Session) -> None:
    """Drop everything that is kept: the log has it."""
    for table in (PartStatus, BatchStatus):
        session.execute(delete(table))
    session.execute(delete(LessonRow).where(LessonRow.part_uuid.is_not(None)))


_OF_ONE_KIND = (LessonRow.drying, LessonRow.space_uuid, LessonRow.mode, LessonRow.mist)
_LAST = func.row_number().over(partition_by=_OF_ONE_KIND, order_by=(LessonRow.at.desc(), LessonRow.coat_uuid))


def lessons_on(session: Session, sheets: Iterable[str], spaces: Iterable[UUID], most: int) -> list[dict[str, Any]]:
    """Return what was taught last of some sheets, by their times, in some spaces: so many coats of each kind.

    Args:
        session: An open session.
        sheets: The sheets, by what the clock reads of them.
        spaces: The spaces.
        most: How many lessons of one sheet, space and mode, mists apart, at the most.
    """
    wanted = LessonRow.drying.in_(list(sheets)) & LessonRow.space_uuid.in_(list(spaces))
    ranked = select(LessonRow.id, _LAST.label("place")).where(wanted).subquery()
    last = select(ranked.c.id).where(ranked.c.place <= most)
    rows = session.execute(select(*_SAYS).where(LessonRow.id.in_(last)))
    return [dict(row._mapping) for row in rows]


def lessons_by(session: Session, parts: Iterable[UUID]) -> list[dict[str, Any]]:
    """Return what the tests of some parts taught."""
    rows = session.execute(select(*_SAYS).where(LessonRow.part_uuid.in_(list(parts))))
    return [dict(row._mapping) for row in rows]


def bring_lessons(session: Session, rows: list[dict[str, Any]]) -> None:
    """Write lessons that came in with a project: of its parts, and of others elsewhere, as far as those are not known.

    What a coat of the project taught stood here as a lesson of elsewhere, if another project brought it.
    """
    own = {row["coat_uuid"] for row in rows if row["part_uuid"] is not None}
    session.execute(delete(LessonRow).where(LessonRow.part_uuid.is_(None), LessonRow.coat_uuid.in_(own)))
    known = {(coat, mode) for coat, mode in session.execute(select(LessonRow.coat_uuid, LessonRow.mode))}
    if fresh := [row for row in rows if (row["coat_uuid"], row["mode"]) not in known]:
        session.execute(insert(LessonRow), fresh)

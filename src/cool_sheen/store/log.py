"""The log on disk: append, and read back."""

from collections.abc import Iterable, Iterator, Sequence
from datetime import datetime
from typing import Any
from uuid import UUID

from sqlalchemy import ColumnElement, bindparam, func, select, true
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session, selectinload

from cool_sheen.core.log.entries import SCHEMA_VERSION, Entry, Recorded, Target, read_payload
from cool_sheen.store.models import LogEntry, LogTarget


class Conflict(Exception):
    """An entry with this uuid is there already, and says something else."""

    def __init__(self, uuid: UUID) -> None:
        super().__init__(
            f"This press was made before, with another content ({uuid}), which stands. Load the page, and press anew."
        )
        self.uuid = uuid


class UnknownTarget(Exception):
    """An entry names a part, zone, project or entry that is not here."""


def append(session: Session, entry: Entry, now: datetime) -> Recorded:
    """Write an entry, once.

    Args:
        session: An open session; the caller commits.
        entry: What happened.
        now: The server's time.

    Returns: The entry with its place in the log; the first one when it was sent before.
    Raises: Conflict: the uuid is taken by another content. UnknownTarget: it points at nothing.
    """
    if found := _row(session, entry.uuid):
        if found.content_hash != entry.content_hash:
            raise Conflict(entry.uuid)
        return read(found)
    if entry.voids and not session.scalar(select(LogEntry.seq).where(LogEntry.uuid == entry.voids)):
        raise UnknownTarget(f"There is no entry {entry.voids} to take back.")
    row = LogEntry(
        uuid=entry.uuid,
        kind=entry.payload.kind,
        schema_version=SCHEMA_VERSION,
        payload=entry.payload.model_dump(mode="json"),
        content_hash=entry.content_hash,
        occurred_at=entry.occurred_at,
        recorded_at=now,
        person=entry.person,
        device=entry.device,
        planned_step=entry.planned_step,
        reason=entry.reason,
        voids=entry.voids,
        targets=[LogTarget(project_uuid=t.project, part_uuid=t.part, zone_uuid=t.zone) for t in entry.targets],
    )
    session.add(row)
    _not_there(session).discard(entry.uuid)
    try:
        session.flush()
    except IntegrityError as error:
        if "UNIQUE" in str(error):  # the same entry arrived on two connections at once
            raise Conflict(entry.uuid) from error
        raise UnknownTarget("The entry names a project, part or zone that is not here.") from error
    return read(row)


def read(row: LogEntry) -> Recorded:
    """Return a row as an entry; older payloads are read up to today's version."""
    return _recorded(row, tuple(_target(t.project_uuid, t.part_uuid, t.zone_uuid) for t in row.targets))


def _target(project: UUID | None, part: UUID | None, zone: UUID | None) -> Target:
    return Target.model_construct(project=project, part=part, zone=zone)


def _recorded(row: Any, targets: tuple[Target, ...]) -> Recorded:
    entry = Entry.model_construct(
        uuid=row.uuid,
        payload=read_payload(row.payload, row.schema_version),
        occurred_at=row.occurred_at,
        targets=targets,
        person=row.person,
        device=row.device,
        planned_step=row.planned_step,
        reason=row.reason,
        voids=row.voids,
    )
    return Recorded.model_construct(seq=row.seq, recorded_at=row.recorded_at, entry=entry)


_COLUMNS = (
    LogEntry.seq, LogEntry.uuid, LogEntry.payload, LogEntry.schema_version, LogEntry.occurred_at, LogEntry.recorded_at,
    LogEntry.person, LogEntry.device, LogEntry.planned_step, LogEntry.reason, LogEntry.voids,
)  # fmt: skip


# Built once: to build a statement takes as long as to run it, and every press runs these.
_BY_UUID = select(LogEntry).where(LogEntry.uuid == bindparam("uuid")).options(selectinload(LogEntry.targets))
_LAST_SEQ = select(func.max(LogTarget.seq)).where(LogTarget.part_uuid == bindparam("part"))
_AIMS = select(LogTarget.seq, LogTarget.project_uuid, LogTarget.part_uuid, LogTarget.zone_uuid).order_by(LogTarget.id)
_AIMS_OF_SOME = _AIMS.where(LogTarget.seq.in_(bindparam("seqs", expanding=True)))
_AIMS_OF_PART = _AIMS.where(  # they lie together in the index
    LogTarget.part_uuid == bindparam("part"), LogTarget.seq.between(bindparam("first"), bindparam("last"))
)
_SOME = 500
_OF_PART = (
    select(*_COLUMNS)
    .where(
        LogEntry.seq.in_(
            select(LogTarget.seq).where(LogTarget.part_uuid == bindparam("part"), LogTarget.seq > bindparam("since"))
        )
    )
    .order_by(LogEntry.seq)
)


def _read_all(
    session: Session, *where: ColumnElement[bool], newest: int | None = None, part: UUID | None = None
) -> list[Recorded]:
    """Read entries by plain columns, in sequence: a long log costs no object a row.

    Args:
        session: An open session.
        where: Which.
        newest: So many of them at most, the newest first; all when None.
        part: The part that all of them are about, where it is known.
    """
    query = select(*_COLUMNS).where(*where)
    query = query.order_by(LogEntry.seq) if newest is None else query.order_by(LogEntry.seq.desc()).limit(newest)
    return _with_aims(session, session.execute(query).all(), part)


def _with_aims(session: Session, rows: Sequence[Any], part: UUID | None = None) -> list[Recorded]:
    about: dict[int, list[Target]] = {row.seq: [] for row in rows}
    for seq, project, aimed, zone in _aims(session, list(about), part):
        if seq in about:
            about[seq].append(_target(project, aimed, zone))
    return [_recorded(row, tuple(about[row.seq])) for row in rows]


def _aims(session: Session, seqs: list[int], part: UUID | None) -> Iterator[Any]:
    if part is not None and seqs:
        yield from session.execute(_AIMS_OF_PART, {"part": part, "first": min(seqs), "last": max(seqs)})
        return
    for first in range(0, len(seqs), _SOME):
        yield from session.execute(_AIMS_OF_SOME, {"seqs": seqs[first : first + _SOME]})


def of_part(session: Session, part: UUID, since: int = 0) -> list[Recorded]:
    """Return every entry about a part after a sequence number, in sequence."""
    return _with_aims(session, session.execute(_OF_PART, {"part": part, "since": since}).all(), part)


def of_project(session: Session, project: UUID) -> list[Recorded]:
    """Return the entries about a project as such, and not about one of its parts, in sequence."""
    about = select(LogTarget.seq).where(LogTarget.project_uuid == project, LogTarget.part_uuid.is_(None))
    return _read_all(session, LogEntry.seq.in_(about))


def words_about_entries(session: Session) -> list[Recorded]:
    """Return whatever took an entry back or put one right, in sequence."""
    return _read_all(session, LogEntry.voids.is_not(None) | LogEntry.kind.in_(["retime", "amend"]))


def hashes(session: Session, seqs: Iterable[int]) -> dict[int, str]:
    """Return the hash of what was said in some entries, by their sequence numbers."""
    wanted, out = list(seqs), dict[int, str]()
    for first in range(0, len(wanted), _SOME):
        query = select(LogEntry.seq, LogEntry.content_hash).where(LogEntry.seq.in_(wanted[first : first + _SOME]))
        out.update((seq, content) for seq, content in session.execute(query))
    return out


def known_by_uuid(session: Session, uuids: Iterable[UUID]) -> dict[UUID, tuple[int, str]]:
    """Return the sequence number and the hash of those of some entries that are here."""
    wanted, out = list(uuids), dict[UUID, tuple[int, str]]()
    for first in range(0, len(wanted), _SOME):
        query = select(LogEntry.uuid, LogEntry.seq, LogEntry.content_hash)
        rows = session.execute(query.where(LogEntry.uuid.in_(wanted[first : first + _SOME])))
        out.update({uuid: (seq, content) for uuid, seq, content in rows})
    return out


def page_of_part(session: Session, part: UUID, but: Iterable[str], before: int, most: int) -> list[Recorded]:
    """Return a page of a part's log, the newest first: what stands for itself, neither voids nor these kinds.

    Args:
        session: An open session.
        part: Whose log.
        but: Kinds that are left out.
        before: Entries before this one alone; all when 0.
        most: How many at the most.
    """
    about = LogEntry.seq.in_(select(LogTarget.seq).where(LogTarget.part_uuid == part))
    earlier = LogEntry.seq < before if before else true()
    return _read_all(
        session, about, LogEntry.voids.is_(None), LogEntry.kind.not_in(list(but)), earlier, newest=most, part=part
    )


def voids_of_part(session: Session, part: UUID) -> list[Recorded]:
    """Return what took entries of a part back, in sequence."""
    about = LogEntry.seq.in_(select(LogTarget.seq).where(LogTarget.part_uuid == part))
    return _read_all(session, about, LogEntry.voids.is_not(None), part=part)


def corrections_of_part(session: Session, part: UUID) -> list[Recorded]:
    """Return what put a part's entries right, and what took such a word back, in sequence."""
    about = LogEntry.seq.in_(select(LogTarget.seq).where(LogTarget.part_uuid == part))
    rows = _read_all(session, about, LogEntry.kind.in_(["retime", "amend"]), part=part)
    return rows and [*rows, *voids_of_part(session, part)]


def first_of_part(session: Session, part: UUID) -> UUID | None:
    """Return the entry with which a part came in."""
    query = select(LogEntry.uuid).join(LogTarget, LogTarget.seq == LogEntry.seq).where(LogTarget.part_uuid == part)
    return session.scalar(query.order_by(LogEntry.seq).limit(1))


def of_kind(session: Session, kind: str) -> list[Recorded]:
    """Return every entry of a kind, with the voids, in sequence."""
    return _read_all(session, LogEntry.kind.in_([kind, "void"]))


def of_kinds(session: Session, kinds: Iterable[str]) -> list[Recorded]:
    """Return every entry of some kinds, in sequence."""
    return _read_all(session, LogEntry.kind.in_(list(kinds)))


def by_seqs(session: Session, seqs: Iterable[int]) -> list[Recorded]:
    """Return entries by their sequence numbers, in sequence."""
    return _read_all(session, LogEntry.seq.in_(list(seqs)))


def of_batches(session: Session, batches: Iterable[UUID]) -> list[Recorded]:
    """Return the entries that began these batches, all that name them, and what took any of it back, in sequence."""
    wanted = list(batches)
    names = func.json_extract(LogEntry.payload, "$.batch")
    found = set(session.scalars(select(LogEntry.uuid).where(LogEntry.uuid.in_(wanted))))
    found |= set(session.scalars(select(LogEntry.uuid).where(names.in_([str(uuid) for uuid in wanted]))))
    latest = found
    while latest:
        latest = set(session.scalars(select(LogEntry.uuid).where(LogEntry.voids.in_(latest)))) - found
        found |= latest
    return _read_all(session, LogEntry.uuid.in_(found))


def all_batches(session: Session) -> list[UUID]:
    """Return every batch that was ever begun."""
    return list(session.scalars(select(LogEntry.uuid).where(LogEntry.kind == "batch").order_by(LogEntry.seq)))


def of_kind_since(session: Session, kind: str, since: datetime) -> list[Recorded]:
    """Return the entries of a kind since an instant, with the voids, in sequence."""
    return _read_all(session, LogEntry.kind.in_([kind, "void"]), LogEntry.occurred_at >= since)


def of_kind_between(session: Session, kind: str, since: datetime, until: datetime) -> list[Recorded]:
    """Return every entry of a kind between two instants, both included, and what takes one back, in sequence."""
    named = select(LogEntry.uuid).where(LogEntry.kind == kind, LogEntry.occurred_at.between(since, until))
    return _read_all(session, LogEntry.uuid.in_(named) | LogEntry.voids.in_(named))


def batches_since(session: Session, since: datetime) -> list[UUID]:
    """Return the batches that were begun since an instant, newest first."""
    query = select(LogEntry.uuid).where(LogEntry.kind == "batch", LogEntry.occurred_at >= since)
    return list(session.scalars(query.order_by(LogEntry.seq.desc())))


def latest(session: Session, most: int) -> list[Recorded]:
    """Return the entries that were written last, of whatever kind, the newest first."""
    return _read_all(session, newest=most)


def newest(session: Session) -> int:
    """Return the sequence number of the newest entry; 0 when there is none."""
    return session.scalar(select(func.max(LogEntry.seq))) or 0


def newest_seq(session: Session, kind: str) -> int:
    """Return the sequence number of the newest entry of a kind; 0 when there is none."""
    return session.scalar(select(func.max(LogEntry.seq)).where(LogEntry.kind == kind)) or 0


def by_uuid(session: Session, uuid: UUID) -> Recorded | None:
    """Return one entry."""
    row = _row(session, uuid)
    return read(row) if row else None


def _row(session: Session, uuid: UUID) -> LogEntry | None:
    if uuid in _not_there(session):
        return None
    row = session.scalar(_BY_UUID, {"uuid": uuid})
    if row is None:
        _not_there(session).add(uuid)
    return row


def _not_there(session: Session) -> set[UUID]:
    """The entries that this session did not find: it sees one state of the log, and what it wrote itself."""
    found: set[UUID] = session.info.setdefault("entries that are not there", set())
    return found


def last_seq(session: Session, part: UUID) -> int:
    """Return the newest sequence number of a part; 0 when it has no entry."""
    return session.scalar(_LAST_SEQ, {"part": part}) or 0

"""The words of the log, for finding them: a table of full text beside it, filled by a trigger in its transaction.

It holds nothing that the log does not: dropped at any time, and filled again. What is filtered by stands in it as tags
of one word each: kind, month, product, defect, air in whole degrees, humidity in steps of five.
"""

from collections.abc import Iterable, Sequence
from datetime import UTC, datetime

from sqlalchemy import bindparam, func, select, text
from sqlalchemy.orm import Session

from cool_sheen.core.log.entries import Recorded
from cool_sheen.store import log
from cool_sheen.store.models import LogEntry
from cool_sheen.store.types import UtcDateTime

RH_STEP_PCT = 5
_SAID = ("text", "words", "note", "where", "whose", "says.text", "says.note", "says.where")
_KEYS = ("defect", "cause", "gate")


def _of(row: str, path: str) -> str:
    return f"json_extract({row}.payload, '$.{path}')"


def _product(row: str, what: str) -> str:
    found = f"SELECT {what} FROM product_revision WHERE content_hash = {_of(row, 'coating')}"  # noqa: S608 - our own
    return f"coalesce(({found}), '')"


def _words(row: str) -> str:
    said = [f"coalesce({_of(row, path)}, '')" for path in _SAID]
    said += [f"replace(replace(coalesce({_of(row, path)}, ''), '-', ' '), '_', ' ')" for path in _KEYS]
    said += [f"coalesce({row}.reason, '')", f"replace({row}.kind, '_', ' ')", f"{row}.person"]
    return " || ' ' || ".join([*said, _product(row, "json_extract(data, '$.name')")])


def _tag(letter: str, value: str) -> str:
    return f"coalesce(' {letter}_' || replace({value}, '-', '_'), '')"


def _tags(row: str) -> str:
    air = f"coalesce({_of(row, 'promised.air_temp_c')}, {_of(row, 'air_temp_c')})"
    humid = f"coalesce({_of(row, 'promised.rh_pct')}, {_of(row, 'rh_pct')})"
    product = f"(SELECT key FROM product_revision WHERE content_hash = {_of(row, 'coating')})"  # noqa: S608 - our own
    return " || ".join(
        [
            f"'k_' || {row}.kind",
            _tag("m", f"strftime('%Y%m', {row}.occurred_at)"),
            _tag("p", product),
            _tag("d", _of(row, "defect")),
            f"coalesce(' t_' || replace(CAST(round({air}) AS INTEGER), '-', 'm'), '')",
            f"coalesce(' h_' || CAST(round({humid} / {RH_STEP_PCT}) * {RH_STEP_PCT} AS INTEGER), '')",
        ]
    )


TABLE = (
    "CREATE VIRTUAL TABLE log_text USING fts5(words, tags, "
    "tokenize=\"unicode61 remove_diacritics 2 tokenchars '_'\", detail=full)"
)
_INTO = "INSERT INTO log_text(rowid, words, tags)"
_NEW = f"{_INTO} VALUES (new.seq, {_words('new')}, {_tags('new')})"
TRIGGER = f"CREATE TRIGGER log_entry_is_found AFTER INSERT ON log_entry BEGIN {_NEW}; END"
FILL = f"{_INTO} SELECT e.seq, {_words('e')}, {_tags('e')} FROM log_entry e"  # noqa: S608 - our own


def rebuild(session: Session) -> None:
    """Fill it again from the log."""
    session.execute(text("DELETE FROM log_text"))
    session.execute(text(FILL))


def tags_of_air(low: int, high: int) -> list[str]:
    """Return the tags of whole degrees between two bounds. [°C]"""
    return [f"t_{str(degrees).replace('-', 'm')}" for degrees in range(low, high + 1)]


def tags_of_humidity(low: float, high: float) -> list[str]:
    """Return the tags of humidity between two bounds. [%]"""
    first, last = round(low / RH_STEP_PCT), round(high / RH_STEP_PCT)
    return [f"h_{step * RH_STEP_PCT}" for step in range(first, last + 1)]


def tags_of_months(since: datetime, until: datetime) -> list[str]:
    """Return the tags of the months between two instants, both included."""
    out, year, month = [], since.year, since.month
    while (year, month) <= (until.year, until.month):
        out.append(f"m_{year:04d}{month:02d}")
        year, month = (year, month + 1) if month < 12 else (year + 1, 1)
    return out


def _plain(tag: str) -> str:
    """A tag of letters, digits and low lines alone: whatever was typed asks for a tag, and for nothing else."""
    return "".join(c if c.isalnum() or c == "_" else "_" for c in tag)


def asked_for(words: Sequence[str], any_of: Iterable[Sequence[str]]) -> str:
    """Put words, which count by their beginning, and groups of tags, one of which has to be there, into a question."""
    told = [" ".join("".join(c if c.isalnum() else " " for c in word).split()) for word in words]
    quoted = [f'words : "{word}" *' for word in told if word]
    grouped = ["tags : (" + " OR ".join(f'"{_plain(tag)}"' for tag in tags) + ")" for tags in any_of]
    return " AND ".join([*quoted, *grouped])


_FOUND = text(
    "SELECT f.rowid FROM log_text f JOIN log_entry e ON e.seq = f.rowid WHERE log_text MATCH :asked "
    "AND f.rowid < :before AND e.occurred_at >= :since AND e.occurred_at < :until ORDER BY f.rowid DESC LIMIT :most"
).bindparams(bindparam("since", type_=UtcDateTime), bindparam("until", type_=UtcDateTime))
_NEWEST = text("SELECT seq FROM log_entry WHERE seq < :before ORDER BY seq DESC LIMIT :most")
_EARLIEST, _LATEST = datetime(1900, 1, 1, tzinfo=UTC), datetime(9000, 1, 1, tzinfo=UTC)
_VOIDED = select(LogEntry.voids).where(LogEntry.voids.in_(bindparam("some", expanding=True)))


def found(
    session: Session, asked: str, before: int, most: int, since: datetime | None = None, until: datetime | None = None
) -> list[int]:
    """Return the sequence numbers of entries that a question finds, the newest first; of all where nothing is asked."""
    if not asked:
        return list(session.scalars(_NEWEST, {"before": before, "most": most}))
    within = {"since": since or _EARLIEST, "until": until or _LATEST}
    return list(session.scalars(_FOUND, {"asked": asked, "before": before, "most": most, **within}))


def first_at(session: Session) -> datetime | None:
    """Return when the earliest entry happened; None where nothing is logged."""
    return session.scalar(select(func.min(LogEntry.occurred_at)))


def entries(session: Session, seqs: Sequence[int]) -> list[Recorded]:
    """Return entries by their numbers, the newest first."""
    return sorted(log.by_seqs(session, seqs), key=lambda row: -row.seq)


def taken_back(session: Session, rows: Iterable[Recorded]) -> set[str]:
    """Return which of some entries were taken back, by their names."""
    names = [row.entry.uuid for row in rows]
    return {str(name) for name in session.scalars(_VOIDED, {"some": names})} if names else set()

"""What stands in the data folder: a shop's file that can be opened, none yet, or one that has to be told about."""

import re
import sqlite3
from contextlib import closing
from dataclasses import dataclass
from pathlib import Path

from cool_sheen.store.troubles import BRING_BACK, GO_ELSEWHERE, Trouble, told

MIGRATIONS = Path(__file__).parent / "migrations"
_MAGIC = b"SQLite format 3\0"
# SQLite's user version, kept in the first page: 1 while a program works with the file, so that a copy that was taken
# meanwhile without what stands beside it can be told from a whole one.
IN_USE, AT_REST = 1, 0
_USER_VERSION_AT = 60  # byte of the file: https://www.sqlite.org/fileformat.html, The Database Header


@dataclass(frozen=True, slots=True)
class Standing:
    """A file that is this program's.

    Attributes:
        revision: The schema that it was written with.
        in_use: Whether a program works with it, or did when it ended without a word.
    """

    revision: str
    in_use: bool


def revisions() -> list[str]:
    """Return every schema that this program has had, the oldest first."""
    return sorted(file.name[:4] for file in (MIGRATIONS / "versions").glob("0*.py"))


def beside(file: Path) -> Path:
    """Return where SQLite keeps what was written last and is not in the file itself yet."""
    return file.with_name(f"{file.name}-wal")


def look(file: Path, *, as_it_is: bool = False) -> Standing | None:
    """Say what a file is; None when there is none yet.

    Args:
        file: The shop's file, or a copy of one.
        as_it_is: Whether to take a file of which a part seems to be missing.

    Raises: Trouble: it is not a shop's file, of a newer program, damaged, cut short, or a part of it is missing.
    """
    wal = beside(file)
    if not file.exists():
        if wal.exists() and wal.stat().st_size:
            raise Trouble(f"{file.name} is missing, and {wal.name} is there: put it back, or move the other away.")
        return None
    head = _head(file)
    if not head:
        raise Trouble(f"{file.name} is empty: {BRING_BACK}, or move the file away to start anew.")
    if not head.startswith(_MAGIC) or len(head) < 100:
        raise Trouble(f"{file.name} is not a shop's file of this program: {GO_ELSEWHERE}.")
    in_use = int.from_bytes(head[_USER_VERSION_AT : _USER_VERSION_AT + 4], "big") == IN_USE
    if in_use and not wal.exists() and not as_it_is:
        raise Trouble(
            f"{wal.name} is missing, with what was written last: copy it, too, or {BRING_BACK}. "
            "If another program has tidied it away, “cool-sheen check --as-it-is” takes the file as it is."
        )
    return Standing(_revision(file), in_use)


def reading(file: Path) -> sqlite3.Connection:
    """Return a connection that changes nothing, not even by being the last to close: what stands beside stays there."""
    return sqlite3.connect(f"{file.absolute().as_uri()}?mode=ro", uri=True, timeout=20)


def _head(file: Path) -> bytes:
    try:
        with file.open("rb") as opened:
            return opened.read(100)
    except OSError as error:
        raise Trouble(told(error) or f"{file.name} cannot be read: {error.strerror}.") from error


def _revision(file: Path) -> str:
    try:
        with closing(reading(file)) as connection:
            tables = {name for (name,) in connection.execute("SELECT name FROM sqlite_master WHERE type='table'")}
            found = None
            if "alembic_version" in tables and (
                row := connection.execute("SELECT version_num FROM alembic_version").fetchone()
            ):
                found = str(row[0])
    except sqlite3.Error as error:
        raise Trouble(told(error) or f"{file.name} cannot be read: {error}.") from error
    if not tables:
        raise Trouble(
            f"{file.name} has nothing in it: bring {beside(file).name} from where it was copied, or {BRING_BACK}."
        )
    known = revisions()
    if found in known:
        return found
    if found is not None and re.fullmatch(r"\d{4}", found) and found > known[-1]:
        raise Trouble(
            f"{file.name} was written by a newer Cool Sheen: start that one (schema {found}; this knows {known[-1]})."
        )
    raise Trouble(f"{file.name} is the database of another program: {GO_ELSEWHERE}.")


def flaws(file: Path, *, whole: bool = True) -> list[str]:
    """Say what is broken in a file: pages, indexes, and rows that point at nothing; empty when it is sound.

    Args:
        file: A database file.
        whole: Whether every index is held against its table, which takes longer.
    """
    check = "integrity_check" if whole else "quick_check"
    try:
        with closing(reading(file)) as connection:
            found = [str(row[0]) for row in connection.execute(f"PRAGMA {check}(20)") if row[0] != "ok"]
            found += [
                f"a row of {row[0]} points at no {row[2]}" for row in connection.execute("PRAGMA foreign_key_check")
            ]
    except sqlite3.Error as error:
        return [told(error) or str(error)]
    return found

"""Copies of a shop's file: made while it is in use, verified before they count, kept in a folder of their own."""

import os
import re
import sqlite3
from contextlib import closing, suppress
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path

from cool_sheen.store.standing import AT_REST, beside, flaws, look, reading
from cool_sheen.store.troubles import Trouble, told

FOLDER = "copies"
DAILY, BEFORE_UPGRADE, BY_HAND, REPLACED = "daily", "before-upgrade", "by-hand", "replaced"
# How many of each kind stay; what was made by hand, and what a copy replaced, is the shop's to throw away.
KEEPS = {DAILY: 14, BEFORE_UPGRADE: 5}
_NAME = re.compile(r"(daily|before-upgrade|by-hand|replaced)-(\d{8}-\d{6})(?:-\d+)?\.sqlite3")


@dataclass(frozen=True, slots=True)
class Copy:
    """A copy: why it was made, when, and how large it is. [bytes]"""

    file: Path
    why: str
    made_at: datetime
    size: int


def name_of(why: str, at: datetime) -> str:
    """Return what a copy is called."""
    return f"{why}-{at:%Y%m%d-%H%M%S}.sqlite3"


def copies_of(file: Path) -> list[Copy]:
    """Return the copies of a shop's file, the newest first."""
    found = []
    for path in (file.parent / FOLDER).glob("*.sqlite3"):
        if match := _NAME.fullmatch(path.name):
            made = datetime.strptime(f"{match[2]}+0000", "%Y%m%d-%H%M%S%z")
            found.append(Copy(path, match[1], made, path.stat().st_size))
    return sorted(found, key=lambda c: (c.made_at, c.file.name), reverse=True)


def make(file: Path, why: str, at: datetime) -> Copy:
    """Copy a shop's file into the folder of its copies, and let go of the oldest of its kind.

    Raises: Trouble: there is no room, no right to write, or the copy did not come out whole.
    """
    folder = file.parent / FOLDER
    made = copy(file, _free(folder / name_of(why, at)))
    for old in [c for c in copies_of(file) if c.why == why][KEEPS.get(why, 10_000) :]:
        with suppress(OSError):
            old.file.unlink()
    return Copy(made, why, at, made.stat().st_size)


def copy(source: Path, target: Path) -> Path:
    """Copy a database file, in use or not, to where nothing stands yet; it is there only when it is whole.

    Raises: Trouble.
    """
    if target.exists():
        raise Trouble(f"{target} is there already: choose another name.")
    part = target.with_name(f"{target.name}.part")
    try:
        target.parent.mkdir(parents=True, exist_ok=True)
        forget(part)
        with closing(reading(source)) as reads:
            rows = _rows(reads)
            with closing(sqlite3.connect(part)) as writes:
                reads.backup(writes)
        with closing(sqlite3.connect(part)) as one:
            one.execute("PRAGMA journal_mode=DELETE")  # one file, with nothing beside it
            one.execute(f"PRAGMA user_version={AT_REST}")
            one.commit()
            kept = _rows(one)
        if broken := flaws(part):
            raise Trouble(f"The copy is not sound ({broken[0]}): the file is damaged, or the disk is.")
        if kept < rows:
            raise Trouble("The copy lacks lines of the log: try again.")
        _sync(part)
        os.replace(part, target)
        _sync(target.parent)
    except (OSError, sqlite3.Error) as error:
        raise Trouble(told(error) or f"No copy was made: {error}.") from error
    finally:
        with suppress(OSError):
            forget(part)
    return target


def restore(file: Path, source: Path, at: datetime) -> Path | None:
    """Put a copy in the place of the shop's file, verified first; the file that stood there is kept among the copies.

    Args:
        file: The shop's file; no program works with it.
        source: The copy.
        at: The present.

    Returns: Where the file is now that stood there; None when there was none.
    Raises: Trouble: the copy is not whole; all is as it was.
    """
    if not source.exists():
        raise Trouble(f"There is no {source}: name the copy to bring back.")
    try:
        look(source)
    except Trouble as trouble:
        raise Trouble(f"{source.name} cannot be brought back: {trouble}") from trouble
    if broken := flaws(source):
        raise Trouble(f"{source.name} is not sound ({broken[0]}): choose another copy.")
    fresh = file.with_name(f"{file.name}.restored")
    try:
        forget(fresh)
        copy(source, fresh)
        replaced = set_aside(file, at)
        os.replace(fresh, file)
        _sync(file.parent)
    except OSError as error:
        raise Trouble(told(error) or f"Nothing was brought back: {error}.") from error
    return replaced


def set_aside(file: Path, at: datetime) -> Path | None:
    """Put a shop's file, which nobody works with, among its copies; return where it is, None when there was none."""
    if not file.exists() and not beside(file).exists():
        return None
    kept = _free(file.parent / FOLDER / name_of(REPLACED, at))
    kept.parent.mkdir(parents=True, exist_ok=True)
    for ending in ("-wal", "-shm", ""):  # what was written last goes first: whoever is stopped here can put it back
        old = file.with_name(file.name + ending)
        if old.exists():
            os.replace(old, kept.with_name(kept.name + ending))
    return kept


def forget(file: Path) -> None:
    """Throw a file away that was never whole, with what SQLite keeps beside it."""
    for ending in ("", "-wal", "-shm", "-journal"):
        file.with_name(file.name + ending).unlink(missing_ok=True)


def _free(path: Path) -> Path:
    tries = [path, *(path.with_name(f"{path.stem}-{n}{path.suffix}") for n in range(2, 100))]
    return next(p for p in tries if not p.exists())


def _rows(connection: sqlite3.Connection) -> int:
    found: int = connection.execute("SELECT count(*) FROM log_entry").fetchone()[0]
    return found


def _sync(path: Path) -> None:
    handle = os.open(path, os.O_RDONLY)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)

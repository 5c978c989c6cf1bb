"""Opens a shop's file: looked at first, made whole or not at all, copied before its tables change, closed as one."""

import os
import sqlite3
from datetime import UTC, datetime
from pathlib import Path

from sqlalchemy import Engine, create_engine, event
from sqlalchemy.exc import DBAPIError
from sqlalchemy.pool import NullPool

from cool_sheen.store import copies
from cool_sheen.store.engine import connect, prepare
from cool_sheen.store.standing import AT_REST, IN_USE, MIGRATIONS, flaws, look, revisions
from cool_sheen.store.troubles import BRING_BACK, Trouble, told

_LOCK = "in-use.lock"
_QUICK_BYTES = 64_000_000  # up to here every start looks through the whole file: about a tenth of a second


class Held:
    """A data folder that this process alone works in, until it lets go or ends."""

    def __init__(self, folder: Path) -> None:
        """Take the folder. Raises Trouble: another process has it, or it cannot be written."""
        try:
            folder.mkdir(parents=True, exist_ok=True)
            self._lock = sqlite3.connect(folder / _LOCK, timeout=0, isolation_level=None, check_same_thread=False)
            # SQLite's lock on a file of its own: it is let go when the process ends in whichever way.
            self._lock.execute("BEGIN EXCLUSIVE")
        except sqlite3.OperationalError as error:
            if error.sqlite_errorcode & 0xFF == sqlite3.SQLITE_BUSY:
                raise Trouble(
                    f"Cool Sheen is running on {folder} already: use the one that runs, or stop it first."
                ) from error
            raise Trouble(told(error)) from error
        except OSError as error:
            raise Trouble(told(error) or f"The folder {folder} cannot be used: {error.strerror}.") from error

    def let_go(self) -> None:
        """Let another process have it."""
        self._lock.close()


def open_engine(file: Path, *, as_it_is: bool = False) -> Engine:
    """Open a shop's file, made when there is none, and brought to today's tables when it is older.

    Args:
        file: The file.
        as_it_is: Whether to take it when a part of it seems to be missing.

    Raises: Trouble: it cannot be opened; nothing was changed.
    """
    try:
        file.parent.mkdir(parents=True, exist_ok=True)
        standing = look(file, as_it_is=as_it_is)
        if standing is None:
            _make(file)
        else:
            if file.stat().st_size <= _QUICK_BYTES and (broken := flaws(file, whole=False)):
                raise Trouble(_damaged(file, broken[0]))
        old = standing is not None and standing.revision != revisions()[-1]
        if old:
            _copy_first(file)
        engine = connect(file)
        _mark(engine, IN_USE)  # from here on what stands beside the file stays there, even when the upgrade is stopped
        if old:
            migrate(file)
    except (OSError, sqlite3.Error, DBAPIError) as error:
        raise Trouble(told(error) or f"{file.name} cannot be opened: {error}.") from error
    return engine


def close(engine: Engine) -> None:
    """Close the file, with all that was written in the file itself: what stands beside it is empty and may go."""
    _mark(engine, AT_REST)
    engine.dispose()


def migrate(file: Path, revision: str = "head", *, down: bool = False) -> None:
    """Bring the tables of a file to a revision, in one transaction: who is stopped in it has changed nothing.

    Raises: sqlalchemy.exc.DBAPIError, Trouble: rows would point at nothing.
    """
    from alembic import command  # only whoever migrates pays for it
    from alembic.config import Config

    config = Config()
    config.set_main_option("script_location", str(MIGRATIONS))
    engine = create_engine(
        f"sqlite:///{file}", connect_args={"timeout": 20, "isolation_level": None}, poolclass=NullPool
    )
    event.listen(engine, "connect", _without_keys)
    event.listen(engine, "begin", lambda connection: connection.exec_driver_sql("BEGIN IMMEDIATE"))
    try:
        with engine.begin() as connection:
            config.attributes["connection"] = connection
            (command.downgrade if down else command.upgrade)(config, revision)
            if lost := connection.exec_driver_sql("PRAGMA foreign_key_check").fetchall():
                raise Trouble(f"{file.name} was not brought up to date: a row of {lost[0][0]} would point at nothing.")
    finally:
        engine.dispose()


def _without_keys(connection: sqlite3.Connection, _record: object) -> None:
    prepare(connection)
    # A table that is rebuilt is dropped for a moment: keys are checked when all is done.
    connection.execute("PRAGMA foreign_keys=OFF")


def _make(file: Path) -> None:
    """Make a shop's file under another name, and give it its own when it is whole."""
    fresh = file.with_name(f"{file.name}.new")
    copies.forget(fresh)
    try:
        migrate(fresh)
        os.replace(fresh, file)
    except BaseException:
        copies.forget(fresh)
        raise


def _copy_first(file: Path) -> None:
    if broken := flaws(file):
        raise Trouble(_damaged(file, broken[0]))
    copies.make(file, copies.BEFORE_UPGRADE, datetime.now(UTC))


def _damaged(file: Path, how: str) -> str:
    return f"{file.name} is damaged ({how}): {BRING_BACK}."


def _mark(engine: Engine, state: int) -> None:
    """Write into the file itself whether somebody works with it, with all that stood beside it.

    The connection stays open among the engine's own: what stands beside the file would go with the last one.
    """
    connection = engine.raw_connection()
    try:
        cursor = connection.cursor()
        cursor.execute("PRAGMA query_only=OFF")
        cursor.execute(f"PRAGMA user_version={state}")
        cursor.execute("PRAGMA wal_checkpoint(TRUNCATE)")
        cursor.close()
    finally:
        connection.close()

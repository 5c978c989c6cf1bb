"""The connections to one database file: WAL, foreign keys, full sync; who writes has the lock from the start."""

import sqlite3
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any
from urllib.parse import quote

from sqlalchemy import Connection, Engine, create_engine, event
from sqlalchemy.exc import OperationalError
from sqlalchemy.orm import Session

CONNECTIONS = 32  # twice as many as requests are let in at once, and the worker's: a request holds two at most
_PATIENCE_S = 20
# SQLite's own BEGIN, which stands around changes of tables, too; the driver's begins before a change of rows alone.
_BEGINS = {
    "reads": ("PRAGMA query_only=ON", "BEGIN"),
    "writes": ("PRAGMA query_only=OFF", "BEGIN IMMEDIATE"),
}


def connect(file: Path) -> Engine:
    """Return the connections to a file; nothing is opened before the first of them is used."""
    engine = create_engine(
        f"sqlite:///{file}",
        connect_args={"timeout": _PATIENCE_S, "isolation_level": None},
        pool_size=CONNECTIONS,
        max_overflow=0,
        pool_timeout=_PATIENCE_S,
        pool_use_lifo=True,  # as few of them as are needed: each remembers pages
    )
    event.listen(engine, "connect", prepare)
    event.listen(engine, "begin", _begin)
    return engine


def prepare(connection: Any, _record: Any = None) -> None:
    """Set a fresh connection up."""
    cursor = connection.cursor()
    for pragma in (
        f"busy_timeout={_PATIENCE_S * 1000}",
        "journal_mode=WAL",
        "foreign_keys=ON",
        "synchronous=FULL",
        "recursive_triggers=ON",
        "cache_size=-1000",  # kB of pages for each: the system remembers the file, too
    ):
        cursor.execute(f"PRAGMA {pragma}")
    cursor.close()


def _begin(connection: Connection) -> None:
    for statement in _BEGINS["reads" if means_to_read(connection) else "writes"]:
        connection.exec_driver_sql(statement)


def means_to_read(connection: Connection) -> bool:
    """Whether a session was opened to look alone."""
    return connection.get_execution_options().get("means_to") == "reads"


def connect_to_look(file: Path) -> Engine:
    """Return the connections of another process than the one that works with a file: they leave it as it is.

    One that could write would tidy away what stands beside the file, if it were the last of all to be closed.
    """
    engine = create_engine(
        f"sqlite:///file:{quote(str(file))}?mode=ro&uri=true",
        connect_args={"timeout": _PATIENCE_S, "isolation_level": None},
    )
    event.listen(engine, "begin", _begin)
    return engine


@contextmanager
def session(engine: Engine, *, writes: bool = True) -> Iterator[Session]:
    """Give a session whose work is committed at the end, or undone when something goes wrong.

    Args:
        engine: The connections.
        writes: Whether it has the lock from its first statement on, so that what it checked stays true until it is
            written. Without it the session sees one state of the database throughout, and cannot write.

    What still asks it for something afterwards is refused: it would see another state, and keep a connection for good.
    """
    bound = engine.execution_options(means_to="writes" if writes else "reads")
    try:
        with Session(bound, expire_on_commit=False, close_resets_only=False) as opened, opened.begin():
            yield opened
    except OperationalError as error:
        if not writes and getattr(error.orig, "sqlite_errorcode", 0) & 0xFF == sqlite3.SQLITE_READONLY:
            raise AssertionError("a session that reads was asked to write") from error  # no trouble of the disk
        raise

"""Opening the database: WAL, foreign keys, full sync, migrations first."""

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from sqlalchemy import Engine, create_engine, event, inspect, text
from sqlalchemy.orm import Session

MIGRATIONS = Path(__file__).parent / "migrations"


def open_engine(file: Path) -> Engine:
    """Open a database file, made and migrated when it has to be.

    Raises: OSError: the folder cannot be made. sqlalchemy.exc.DatabaseError: the file is no database.
    """
    file.parent.mkdir(parents=True, exist_ok=True)
    engine = create_engine(f"sqlite:///{file}", connect_args={"timeout": 10})
    event.listen(engine, "connect", _prepare)
    migrate(engine)
    return engine


def _prepare(connection: Any, _record: Any) -> None:
    cursor = connection.cursor()
    for pragma in (
        "journal_mode=WAL",
        "foreign_keys=ON",
        "synchronous=FULL",
        "busy_timeout=10000",
        "recursive_triggers=ON",
    ):
        cursor.execute(f"PRAGMA {pragma}")
    cursor.close()


def migrate(engine: Engine, revision: str = "head") -> None:
    """Bring the tables to a revision."""
    if revision == "head" and _is_newest(engine):
        return
    from alembic import command  # only whoever migrates pays for it
    from alembic.config import Config

    config = Config()
    config.set_main_option("script_location", str(MIGRATIONS))
    with engine.begin() as connection:
        config.attributes["connection"] = connection
        command.upgrade(config, revision)


def _is_newest(engine: Engine) -> bool:
    newest = max(file.name[:4] for file in (MIGRATIONS / "versions").glob("0*.py"))
    with engine.connect() as connection:
        if not inspect(connection).has_table("alembic_version"):
            return False
        return connection.execute(text("SELECT version_num FROM alembic_version")).scalar() == newest


@contextmanager
def session(engine: Engine) -> Iterator[Session]:
    """Give a session whose work is committed at the end, or undone when something goes wrong."""
    with Session(engine, expire_on_commit=False) as opened, opened.begin():
        yield opened

"""Opens a workshop over a database: what is kept follows the log from the first unit of work on."""

from collections.abc import Callable
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path

from sqlalchemy import Engine
from sqlalchemy.exc import SQLAlchemyError

from cool_sheen.service import projections
from cool_sheen.service.unit import Unit, Workshop
from cool_sheen.store.opening import Held, close, open_engine
from cool_sheen.store.troubles import Trouble, told


@dataclass(eq=False)
class OpenFile:
    """A shop's file that is open: its folder is held, and nobody else works in it."""

    file: Path
    held: Held
    workshop: Workshop

    def close(self) -> None:
        """Close it, with all that was written in one whole file."""
        close(self.workshop.engine)
        self.held.let_go()


def open_file(
    file: Path, clock: Callable[[], datetime], lay_when_empty: Callable[[Unit], None] | None = None
) -> OpenFile:
    """Hold the folder of a shop's file and open it. Raises Trouble: all is as it was.

    Args:
        file: The file, made when there is none.
        clock: The present.
        lay_when_empty: What to lay where there is no shop yet.
    """
    held = Held(file.parent)
    engine: Engine | None = None
    try:
        engine = open_engine(file)
        workshop = open_workshop(engine, clock)
        with workshop.write() as unit:
            if lay_when_empty is not None and unit.shop is None:
                lay_when_empty(unit)
    except BaseException as error:
        if engine is not None:
            engine.dispose()
        held.let_go()
        if isinstance(error, SQLAlchemyError):
            raise Trouble(told(error) or f"The shop cannot be opened: {error}") from error
        raise
    return OpenFile(file, held, workshop)


def open_workshop(engine: Engine, clock: Callable[[], datetime] = lambda: datetime.now(UTC)) -> Workshop:
    """Return a workshop whose kept status is whole: parts that have none get theirs now.

    Args:
        engine: The database, migrated.
        clock: The present.
    """
    workshop = Workshop(engine, clock, settle=projections.settle)
    with workshop.write() as unit:
        projections.fill(unit)
    return workshop

"""Opens a workshop over a database: what is kept follows the log from the first unit of work on."""

from collections.abc import Callable
from datetime import UTC, datetime

from sqlalchemy import Engine

from cool_sheen.service import projections
from cool_sheen.service.unit import Workshop


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

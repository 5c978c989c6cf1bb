"""The application as it serves, over a clock that runs faster and can be turned, and a disk that can be full.

It goes by a file beside its data: ``{"speed": 30, "turned_s": 0, "full": false}``.
"""

import json
import os
import sys
import time
from datetime import UTC, datetime, timedelta
from pathlib import Path

from sqlalchemy import event
from sqlalchemy.pool import Pool

from cool_sheen import cli
from cool_sheen.service import clock_watch, keeping, opening

T0 = datetime(2026, 6, 8, 8, tzinfo=UTC)
STATE = Path(os.environ["COOL_SHEEN_DATA"]) / "soak.json"


def state() -> dict[str, float]:
    """Read what the weather of this soak is now."""
    return json.loads(STATE.read_text())


def now() -> datetime:
    """The turned clock: it runs from the beginning of the soak, faster than time does."""
    said = state()
    return T0 + timedelta(seconds=(time.time() - said["begun"]) * said["speed"] + said["turned_s"])


def steady_s() -> float:
    """The count that no turning moves, at the same pace."""
    said = state()
    return (time.time() - said["begun"]) * said["speed"]


def limit(connection, _record, _proxy) -> None:
    """Let the file grow no more while the disk is full."""
    pages = connection.execute("PRAGMA page_count").fetchone()[0] if state()["full"] else 10_000_000
    connection.execute(f"PRAGMA max_page_count={pages}")


event.listen(Pool, "checkout", limit)
first = opening.open_workshop
cli.open_workshop = lambda engine: first(engine, now)
clock_watch.steady_s = keeping.steady_s = steady_s
keeping.EVERY_S = 2.0
sys.argv = ["cool-sheen", "serve", "--demo", "--port", os.environ["SOAK_PORT"]]
cli.app()

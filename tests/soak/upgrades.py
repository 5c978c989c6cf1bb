"""Upgrades from every schema that there was, each killed at random moments: started again, all is there.

``python -m tests.soak.upgrades 50`` kills each fifty times. A process of its own: it forks, and has one thread.
"""

import os
import random
import shutil
import signal
import sqlite3
import sys
import tempfile
import time
from contextlib import closing
from datetime import UTC, datetime
from pathlib import Path

from cool_sheen.demo import shop as demo_shop
from cool_sheen.service.opening import open_workshop
from cool_sheen.store.copies import copies_of
from cool_sheen.store.opening import close, migrate, open_engine
from cool_sheen.store.standing import flaws, look, revisions

# What every schema had, and no upgrade may change a row of.
KEPT = {
    "log_entry": "seq, uuid, kind, payload, content_hash, occurred_at, recorded_at",
    "log_target": "id, seq, part_uuid, zone_uuid",
    "part": "uuid, name, system, revisions",
    "zone": "uuid, part_uuid, name, area_m2",
    "product_revision": "content_hash, key, data",
    "project": "uuid, name",
}


def laid(folder: Path, at: datetime = datetime(2026, 6, 8, 8, tzinfo=UTC)) -> Path:
    """Lay the demo shop, and leave one whole file."""
    file = folder / "today.sqlite3"
    engine = open_engine(file)
    workshop = open_workshop(engine, lambda: at)
    with workshop.write() as unit:
        demo_shop.lay(unit)
    close(engine)
    return file


def kept(file: Path) -> dict[str, list[tuple[object, ...]]]:
    """Read all that no upgrade may change."""
    with closing(sqlite3.connect(file)) as connection:
        return {
            table: connection.execute(f"SELECT {columns} FROM {table} ORDER BY 1, 2").fetchall()
            for table, columns in KEPT.items()
        }


def _upgrade(file: Path) -> None:
    """Open a file in a process of its own, that ends without a word."""
    open_engine(file)
    os._exit(0)


def timed(file: Path) -> float:
    """How long an upgrade takes when nobody stops it. [s]"""
    begun = time.monotonic()
    child = os.fork()
    if child == 0:
        _upgrade(file)
    os.waitpid(child, 0)
    return time.monotonic() - begun


def killed(file: Path, after_s: float) -> None:
    """Begin an upgrade, and kill it."""
    child = os.fork()
    if child == 0:
        _upgrade(file)
    time.sleep(after_s)
    os.kill(child, signal.SIGKILL)
    os.waitpid(child, 0)


def started_again(file: Path) -> None:
    """Start as if nothing had been: the newest schema, and a sound file."""
    engine = open_engine(file)
    close(engine)
    standing = look(file)
    assert standing is not None, file
    assert standing.revision == revisions()[-1], standing
    assert not flaws(file), flaws(file)


def run(times: int, seed: int = 1) -> int:
    """Kill the upgrade from each schema so often, and a first start; return how many were killed before they were done."""
    dice, early = random.Random(seed), 0
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        today = laid(folder)
        before = kept(today)
        for revision in revisions()[:-1]:
            old = folder / f"{revision}.sqlite3"
            shutil.copy(today, old)
            migrate(old, revision, down=True)
            assert kept(old) == before, revision
            trial = _fresh(folder, old)
            takes = timed(trial)
            for _ in range(times):
                trial = _fresh(folder, old)
                killed(trial, dice.uniform(0, takes))
                with closing(sqlite3.connect(f"file:{trial}?mode=ro", uri=True)) as connection:
                    found = connection.execute("SELECT version_num FROM alembic_version").fetchone()[0]
                assert found in (revision, revisions()[-1]), f"half an upgrade: {found}"
                early += found == revision
                started_again(trial)
                assert kept(trial) == before, revision
                assert any(kept(c.file) == before for c in copies_of(trial)), "no copy was made first"
        empty = folder / "first" / "shop.sqlite3"
        takes = timed(empty)
        for _ in range(times):
            shutil.rmtree(empty.parent)
            killed(empty, dice.uniform(0, takes))
            early += not empty.exists()
            started_again(empty)
    return early


def _fresh(folder: Path, old: Path) -> Path:
    place = folder / "trial"
    shutil.rmtree(place, ignore_errors=True)
    place.mkdir()
    return Path(shutil.copy(old, place / "shop.sqlite3"))


if __name__ == "__main__":
    times = int(sys.argv[1])
    early = run(times, int(sys.argv[2]) if len(sys.argv) > 2 else 1)
    print(f"{times * len(revisions())} upgrades and first starts were killed, {early} of them before they were done.")

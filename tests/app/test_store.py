"""What is kept stays kept: triggers, migrations, instants, and a program that is killed."""

import os
import signal
import subprocess
import sys
import time
import urllib.request
from concurrent.futures import ThreadPoolExecutor
from datetime import datetime
from pathlib import Path
from urllib.parse import urlencode
from uuid import uuid4

import pytest
from sqlalchemy import inspect, text
from sqlalchemy.exc import IntegrityError, InvalidRequestError, StatementError
from tests.fuzz.forms import filled_as_shown
from tests.support import SURE, T0, ShopOnTrial, as_seen, free_port

from cool_sheen.core.log.entries import Entry, NotePayload, Target
from cool_sheen.store import log
from cool_sheen.store.engine import session
from cool_sheen.store.models import TRIGGERS, Base, Project
from cool_sheen.store.opening import migrate, open_engine


@pytest.fixture
def engine(tmp_path):
    return open_engine(tmp_path / "kept.sqlite3")


def note(said: str = "flat as a mirror", **more) -> Entry:
    return Entry(uuid=uuid4(), payload=NotePayload(text=said), occurred_at=T0, **more)


def test_the_log_can_be_added_to_and_nothing_else(engine):
    with session(engine) as opened:
        log.append(opened, note(), T0)
    for table in ("log_entry", "log_target", "product_revision", "stock_movement"):
        with engine.connect() as connection:
            names = connection.scalars(
                text("SELECT name FROM sqlite_master WHERE type='trigger' AND tbl_name=:t"), {"t": table}
            ).all()
        assert set(names) - {"log_entry_is_found"} == {name for name in TRIGGERS if name.startswith(f"{table}_no_")}
        assert ("log_entry_is_found" in names) == (table == "log_entry")
    for statement in (
        "UPDATE log_entry SET kind='x'",
        "DELETE FROM log_entry",
        "INSERT OR REPLACE INTO log_entry SELECT * FROM log_entry",
    ):
        with pytest.raises(IntegrityError, match="append-only"), engine.begin() as connection:
            connection.execute(text(statement))


def test_the_migrations_make_the_tables_of_the_models_and_can_run_again(engine):
    migrate(Path(engine.url.database))
    there = inspect(engine)
    for table in Base.metadata.tables.values():
        assert {c["name"] for c in there.get_columns(table.name)} == set(table.columns.keys())
    with engine.connect() as connection:
        assert connection.scalar(text("PRAGMA journal_mode")) == "wal"
        assert connection.scalar(text("PRAGMA foreign_keys")) == 1
        assert connection.scalar(text("PRAGMA synchronous")) == 2


def test_an_entry_sent_again_is_the_same_one_and_one_that_says_something_else_is_a_conflict(engine):
    first = note()
    with session(engine) as opened:
        seq = log.append(opened, first, T0).seq
        assert log.append(opened, first, T0).seq == seq
        with pytest.raises(log.Conflict, match="with another content"):
            log.append(opened, first.model_copy(update={"payload": NotePayload(text="dull")}), T0)


def test_entries_about_what_is_not_here_are_refused(engine):
    with pytest.raises(log.UnknownTarget, match="not here"), session(engine) as opened:
        log.append(opened, note(targets=(Target(part=uuid4()),)), T0)


def test_a_naive_time_never_reaches_the_database(engine):
    with pytest.raises(StatementError, match="no offset from UTC"), session(engine) as opened:
        opened.add(Project(uuid=uuid4(), name="x", created_at=datetime(2026, 6, 8)))  # noqa: DTZ001


def _serve(folder: Path, port: int) -> subprocess.Popen:
    environment = {**os.environ, "COOL_SHEEN_DATA": str(folder), "PYTHONPATH": "src"}
    command = [sys.executable, "-m", "cool_sheen", "serve", "--demo", "--port", str(port)]
    program = subprocess.Popen(command, env=environment, stdout=subprocess.PIPE, text=True)
    assert f"http://127.0.0.1:{port}" in program.stdout.readline()
    return program


def _get(url: str) -> str:
    with urllib.request.urlopen(url) as answer:
        return answer.read().decode()


def _post(url: str, port: int, **form: str) -> None:
    request = urllib.request.Request(
        url, urlencode(form).encode(), {"Origin": f"http://127.0.0.1:{port}", "HX-Request": "true"}
    )
    with urllib.request.urlopen(request) as answer:
        assert answer.status == 200


def test_a_program_that_is_killed_between_two_entries_has_lost_neither(tmp_path):
    port = free_port()
    address, batch = f"http://127.0.0.1:{port}", str(uuid4())
    for count in (1, 2):
        program = _serve(tmp_path, port)
        try:
            part = (
                _get(f"{address}/").split('data-name="Spandrel carving"')[0].rsplit('data-part="', 1)[1].split('"')[0]
            )
            assert _get(f"{address}/parts/{part}").count("Take back: Build coats coated") == count - 1
            shown = filled_as_shown(_get(f"{address}/parts/{part}/coat"), "/coat")
            _post(f"{address}/parts/{part}/coat", port, **shown | {"press": str(uuid4()), "sure": SURE})
            if count == 1:
                _post(f"{address}/mix/new", port, product="clear-two-pack", press=batch, how="ready", amount="300 ml")
                _post(f"{address}/mix/{batch}/stamp", port, press=str(uuid4()), gate="base_stirred")
            _post(f"{address}/mix/{batch}/pour", port, press=str(uuid4()), line=str(count - 1), how="mark")
        finally:
            os.kill(program.pid, signal.SIGKILL)
            program.wait()
            program.stdout.close()
        time.sleep(0.1)
    program = _serve(tmp_path, port)
    try:
        page, cup = _get(f"{address}/parts/{part}"), _get(f"{address}/mix/{batch}")
    finally:
        program.terminate()
        program.wait()
        program.stdout.close()
    page, cup = as_seen(page), as_seen(cup)
    assert page.count("Take back: Build coats coated") == 2
    assert "2 of 3" in page
    assert cup.count("190 ml of 190 ml") == cup.count("95.2 ml of 95.2 ml") == 1  # both pours of the batch


def test_one_press_over_many_connections_at_once_is_one_coat(tmp_path):
    shop = ShopOnTrial(tmp_path)
    part, same = shop.new_part(), uuid4()
    presses = [same] * 12 + [uuid4() for _ in range(8)]
    with shop.http, ThreadPoolExecutor(8) as hands:
        answers = list(hands.map(lambda press: shop.log(part, "coat", press).status_code, presses))
    assert answers == [200] * 20
    assert len(shop.standing(part).history.coats) == 9


def test_what_was_looked_at_reads_nothing_any_more_when_its_look_is_over(shop):
    """It would read another state than the page that it is on, and keep a connection that nobody hands back."""
    with shop.workshop.read() as unit:
        unit.session.execute(text("SELECT 1"))
    with pytest.raises(InvalidRequestError, match="permanently closed"):
        unit.session.execute(text("SELECT 1"))

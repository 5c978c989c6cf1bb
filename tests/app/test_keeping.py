"""A shop's file: looked at before it is opened, upgraded whole, copied, brought back, and told about when it is not sound."""

import os
import shutil
import sqlite3
import subprocess
import sys
import tempfile
import time
import urllib.error
import urllib.request
from contextlib import closing, contextmanager
from datetime import timedelta
from pathlib import Path

import pytest
from tests.soak import upgrades
from tests.support import T0, ShopOnTrial, demo_laid, free_port
from typer.testing import CliRunner

from cool_sheen.cli import app
from cool_sheen.service import keeping
from cool_sheen.service.clock_watch import SLACK, ClockWatch, behind
from cool_sheen.store import copies
from cool_sheen.store.audit import log_flaws
from cool_sheen.store.opening import Held, close, open_engine
from cool_sheen.store.standing import beside, flaws, look, revisions
from cool_sheen.store.troubles import Trouble, told


@pytest.fixture
def file(tmp_path):
    """A shop's file at rest."""
    return Path(shutil.copy(demo_laid(T0), tmp_path / "cool-sheen.sqlite3"))


def run(folder, *command):
    return CliRunner().invoke(app, list(command), env={"COOL_SHEEN_DATA": str(folder)})


def put(file, sql):
    with closing(sqlite3.connect(file)) as connection:
        connection.execute(sql)
        connection.commit()


def newer(file):
    put(file, "UPDATE alembic_version SET version_num='0999'")


def foreign(file):
    file.unlink()
    put(file, "CREATE TABLE recipes (name TEXT)")


def without_tables(file):
    file.unlink()
    put(file, "PRAGMA user_version=0")
    with closing(sqlite3.connect(file)) as connection:
        connection.execute("VACUUM")


def cut_short(file):
    os.truncate(file, file.stat().st_size // 2)


def damaged(file):
    with file.open("r+b") as opened:
        opened.seek(4096 * 20)
        opened.write(os.urandom(4096 * 12))


def without_what_was_written_last(file):
    elsewhere = file.with_name("elsewhere.sqlite3")
    shutil.move(file, elsewhere)
    engine = open_engine(elsewhere)
    shutil.copy(elsewhere, file)
    close(engine)


@pytest.mark.parametrize(
    "spoil, says",
    [
        (newer, "was written by a newer Cool Sheen: start that one"),
        (foreign, "is the database of another program"),
        (without_tables, "has nothing in it"),
        (lambda file: file.write_bytes(b""), "is empty: bring a copy back"),
        (lambda file: file.write_bytes(b"PK\3\4" + b"x" * 5000), "is not a shop's file of this program"),
        (cut_short, "is damaged: stop the program, and bring a copy back"),
        (damaged, "is damaged"),
        (without_what_was_written_last, "-wal is missing, with what was written last"),
    ],
)
def test_a_file_that_cannot_be_opened_is_told_in_a_sentence_and_left_as_it_is(file, spoil, says):
    spoil(file)
    before = file.read_bytes()
    for _ in range(2):
        with pytest.raises(Trouble, match=says):
            open_engine(file)
    assert file.read_bytes() == before
    assert not copies.copies_of(file)


def test_a_file_that_is_missing_beside_what_was_written_last_is_told(file):
    shutil.move(file, beside(file))
    with pytest.raises(Trouble, match="is missing"):
        open_engine(file)
    assert not file.exists()


def test_trouble_is_told_on_the_console_and_on_a_page_until_it_is_gone(file, tmp_path):
    whole = file.read_bytes()
    file.write_bytes(b"")
    environment = {**os.environ, "COOL_SHEEN_DATA": str(tmp_path), "PYTHONPATH": "src"}
    port = free_port()
    command = [sys.executable, "-m", "cool_sheen", "serve", "--port", str(port)]
    program = subprocess.Popen(command, env=environment, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True)
    try:
        assert "is closed, and says why" in program.stdout.readline()

        def page(path="/"):
            try:
                with urllib.request.urlopen(f"http://127.0.0.1:{port}{path}") as answer:
                    return answer.status, answer.read().decode(), answer.headers
            except urllib.error.HTTPError as error:
                return error.code, error.read().decode(), error.headers

        for path in ("/", "/jobs"):
            status, text, headers = page(path)
            assert (status, "is empty: bring a copy back" in text) == (503, True)
            assert "default-src 'self'" in headers["Content-Security-Policy"]
        assert page("/healthz")[0] == 503
        file.write_bytes(whole)
        status, text, _ = page()
        assert (status, "Spandrel carving" in text) == (200, True)
        assert page("/healthz")[0] == 200
    finally:
        program.terminate()
        said = program.communicate()[1]
    assert "is empty: bring a copy back" in said
    assert not beside(file).exists()  # stopped: one whole file
    assert look(file).in_use is False


def test_an_upgrade_from_every_schema_that_is_killed_starts_again_as_if_nothing_had_been():
    done = subprocess.run(
        [sys.executable, "-m", "tests.soak.upgrades", "1", str(time.time_ns() % 1000)],
        env={**os.environ, "PYTHONPATH": "src:."}, capture_output=True, text=True,
    )  # fmt: skip
    assert done.returncode == 0, done.stderr[-3000:]
    assert f"{len(revisions())} upgrades" in done.stdout


def test_a_copy_is_made_while_the_shop_is_written_to_and_comes_back_with_what_stood_there_kept(tmp_path):
    shop = ShopOnTrial(tmp_path, demo=True)
    part = next(iter(shop.http.get("/").text.split('data-part="')[1:])).split('"')[0]
    first = keeping.copy_now(shop.workshop)
    assert first.why == copies.BY_HAND
    lines = len(upgrades.kept(first.file)["log_entry"])
    shop.http.post(
        f"/parts/{part}/touch", data={"press": "0" * 31 + "1", "ready": "yes", **shop.offered(part, "touch", {})}
    )
    file = keeping.file_of(shop.workshop)
    assert len(upgrades.kept(file)["log_entry"]) == lines + 1
    close(shop.workshop.engine)
    replaced = copies.restore(file, first.file, T0)
    assert len(upgrades.kept(file)["log_entry"]) == lines
    assert len(upgrades.kept(replaced)["log_entry"]) == lines + 1
    assert {c.why for c in copies.copies_of(file)} == {copies.REPLACED, copies.BY_HAND}
    close(open_engine(file))


def test_a_copy_that_is_not_whole_is_not_brought_back(file, tmp_path):
    copy = copies.copy(file, tmp_path / "copy.sqlite3")
    before = upgrades.kept(file)
    damaged(copy)
    with pytest.raises(Trouble, match=r"copy\.sqlite3 cannot be brought back"):
        copies.restore(file, copy, T0)
    with pytest.raises(Trouble, match="There is no"):
        copies.restore(file, tmp_path / "nowhere", T0)
    assert upgrades.kept(file) == before
    with pytest.raises(Trouble, match="is there already"):
        copies.copy(file, copy)


def test_the_commands_copy_check_and_bring_back_and_say_what_they_did(file, tmp_path):
    made = run(tmp_path, "backup", str(tmp_path / "elsewhere" / "mine.sqlite3"))
    assert (made.exit_code, "is a whole copy" in made.stdout) == (0, True), made
    sound = run(tmp_path, "check")
    assert (sound.exit_code, f"is sound (schema {revisions()[-1]})" in sound.stdout) == (0, True)
    held = Held(tmp_path)
    refused = run(tmp_path, "restore", str(tmp_path / "elsewhere" / "mine.sqlite3"))
    assert (refused.exit_code, "is running on" in refused.stderr) == (1, True)
    held.let_go()
    put(file, "DROP TRIGGER log_entry_no_delete")
    put(file, "DROP TRIGGER log_target_no_delete")
    put(file, "DELETE FROM log_target WHERE seq=3")
    put(file, "DELETE FROM log_entry WHERE seq=3")
    broken = run(tmp_path, "check")
    assert (broken.exit_code, "lines 3 to 3 of the log are missing" in broken.stderr) == (1, True)
    back = run(tmp_path, "restore", str(tmp_path / "elsewhere" / "mine.sqlite3"))
    assert (back.exit_code, "What stood there is kept as" in back.stdout) == (0, True)
    assert run(tmp_path, "check").exit_code == 0


def test_a_line_of_the_log_that_cannot_be_read_is_named(file):
    assert log_flaws(file) == []
    put(file, "DROP TRIGGER log_entry_no_update")
    put(file, 'UPDATE log_entry SET payload=\'{"kind": "coat"}\' WHERE seq=5')
    assert log_flaws(file) == ["line 5 of the log cannot be read"]


def test_a_folder_that_was_copied_without_its_last_writes_can_be_taken_as_it_is_by_who_knows_why(file, tmp_path):
    without_what_was_written_last(file)
    assert run(tmp_path, "check").exit_code == 1
    assert run(tmp_path, "check", "--as-it-is").exit_code == 0
    assert run(tmp_path, "check").exit_code == 0


def test_one_copy_a_day_is_made_by_itself_and_so_many_are_kept(demo):
    keeper = keeping.Keeper(demo.workshop)
    made = []
    for day in range(copies.KEEPS[copies.DAILY] + 3):
        keeper.look()
        demo.clock.turn(hours=12)
        keeper.look()
        made.append(len(keeping.copies.copies_of(keeping.file_of(demo.workshop))))
        demo.clock.turn(hours=12 + day % 2)
    most = copies.KEEPS[copies.DAILY]
    assert made == [min(n + 1, most) for n in range(len(made))]
    page = demo.http.get("/data").text
    assert page.count("of the day") == most
    demo.clock.turn(days=-5)  # the clock is put right: no copy a minute until it is where it was
    keeper.look()
    names = {c.file.name for c in copies.copies_of(keeping.file_of(demo.workshop))}
    demo.clock.turn(minutes=1)
    keeper.look()
    assert {c.file.name for c in copies.copies_of(keeping.file_of(demo.workshop))} == names
    got = demo.http.get(f"/data/copies/{copies.copies_of(keeping.file_of(demo.workshop))[0].file.name}")
    assert got.content.startswith(b"SQLite format 3")
    assert demo.http.get("/data/copies/demo.sqlite3").status_code == 404


def test_the_page_of_the_data_makes_a_copy_and_looks_the_file_through(demo):
    assert "none yet" in demo.http.get("/data").text
    made = demo.http.post("/data/copy")
    assert made.status_code == 303
    assert "it is whole" in demo.http.get(made.headers["location"]).text
    assert "it is whole" not in demo.http.get("/data?made=daily-of-somebody.sqlite3").text
    assert "it is sound" in demo.http.get(demo.http.post("/data/check").headers["location"]).text


def test_a_full_disk_makes_no_copy_says_so_and_leaves_nothing_half(demo, monkeypatch):
    file = keeping.file_of(demo.workshop)

    def full(*_):
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(copies.os, "replace", full)
    answer = demo.http.post("/data/copy")
    assert (answer.status_code, "The disk is full: make room on it" in answer.text) == (503, True)
    keeping.Keeper(demo.workshop).look()
    assert "The copy of the day was not made: The disk is full" in demo.http.get("/jobs").text
    assert list((file.parent / copies.FOLDER).iterdir()) == []


def test_a_clock_that_is_turned_is_noticed_and_one_that_is_put_right_a_little_is_not():
    watch = ClockWatch(T0, 100.0)
    assert watch.look(T0 + timedelta(seconds=60), 160.0) is None
    assert watch.look(T0 + timedelta(seconds=120) + SLACK, 220.0) is None
    back = watch.look(T0 - timedelta(hours=3), 280.0)
    assert back.by == timedelta(hours=-3, seconds=-180) - SLACK
    assert "was turned back by 3 h 5 min" in back.words
    ahead = watch.look(T0 + timedelta(days=2), 340.0)
    assert "was turned ahead by 2 d 2 h 59 min" in ahead.words
    assert behind(T0, T0 + SLACK) is None
    assert behind(T0, None) is None
    assert "was turned back by 1 d" in behind(T0, T0 + timedelta(days=1)).words


def test_a_clock_behind_the_last_line_of_the_log_is_said_on_every_page_until_it_was_read(demo):
    demo.clock.turn(days=-30)
    keeper = keeping.Keeper(demo.workshop)
    keeper.start()
    keeper.stop()
    page = demo.http.get("/shelf").text
    assert "The clock of this machine was turned back by" in page
    demo.http.post("/data/heard", data={"notice": "clock"})
    assert "The clock of this machine" not in demo.http.get("/shelf").text


def test_every_trouble_of_a_disk_has_its_sentence():
    assert "disk is full" in told(OSError(28, "x"))
    assert "may not be written" in told(PermissionError(13, "x"))
    assert "is a file" in told(NotADirectoryError(20, "x"))
    assert told(ValueError("x")) == ""
    with closing(sqlite3.connect(":memory:")) as connection:
        connection.execute("PRAGMA max_page_count=2")
        with pytest.raises(sqlite3.OperationalError) as caught:
            connection.execute(
                "CREATE TABLE t AS WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i+1 FROM n LIMIT 9999) SELECT i FROM n"
            )
    assert "disk is full" in told(caught.value)


@contextmanager
def nobody():
    """From here on without a right of one's own; whoever is no root has none to give up."""
    if os.geteuid() != 0:
        yield
        return
    os.seteuid(65534)
    try:
        yield
    finally:
        os.seteuid(0)


def test_a_folder_that_may_not_be_written_is_told(file, tmp_path):
    for folder in tmp_path.parents:
        if folder.stat().st_uid == os.geteuid() and folder.is_relative_to(tempfile.gettempdir()):
            folder.chmod(folder.stat().st_mode | 0o055)
    file.chmod(0o444)
    tmp_path.chmod(0o555)
    try:
        with nobody():
            for opening in (
                lambda: open_engine(file),
                lambda: Held(tmp_path),
                lambda: copies.make(file, copies.BY_HAND, T0),
            ):
                with pytest.raises(Trouble, match="may not be written: give this user the right"):
                    opening()
    finally:
        tmp_path.chmod(0o755)
    assert sorted(path.name for path in tmp_path.iterdir()) == [file.name]


def test_flaws_name_a_row_that_points_at_nothing(file):
    assert flaws(file) == []
    with closing(sqlite3.connect(file)) as connection:
        connection.execute("PRAGMA foreign_keys=OFF")
        connection.execute("DELETE FROM face")
        connection.commit()
    assert any("points at no face" in flaw for flaw in flaws(file))

"""``python -m tests.soak``: an hour of twenty devices, with kills, a full disk and a turned clock, held against their diaries."""

import asyncio
import json
import os
import random
import re
import signal
import sqlite3
import statistics
import subprocess
import sys
import tempfile
import time
from contextlib import closing, suppress
from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta
from pathlib import Path
from uuid import UUID, uuid4, uuid5

import httpx2

from cool_sheen.service import projections
from cool_sheen.service.opening import open_workshop
from cool_sheen.store.audit import log_flaws
from cool_sheen.store.models import BatchStatus, LessonRow, PartStatus
from cool_sheen.store.opening import close, open_engine
from cool_sheen.store.standing import flaws
from tests.support import ANY_ROW, free_port, zones_in

DEVICES, SPEED = 20, 30.0
STOCK = "paint:clear-two-pack"


@dataclass
class Diary:
    """What one device pressed, and what it was told. A press that was never answered may be there or not, once."""

    sure: dict[str, dict[str, str]] = field(default_factory=dict)  # press -> what it said
    refused: set[str] = field(default_factory=set)
    open: set[str] = field(default_factory=set)
    spent: list[float] = field(default_factory=list)
    troubled: int = 0


@dataclass
class Soak:
    """The program, its weather, and twenty diaries."""

    folder: Path
    minutes: float
    seed: int
    port: int = field(default_factory=free_port)
    program: subprocess.Popen | None = None
    diaries: list[Diary] = field(default_factory=lambda: [Diary() for _ in range(DEVICES)])
    most_mb: float = 0.0
    health: list[float] = field(default_factory=list)
    kills: int = 0
    statuses: dict[int, int] = field(default_factory=dict)

    def __post_init__(self) -> None:
        self.dice = random.Random(self.seed)
        self.ends = time.monotonic() + 60 * self.minutes / SPEED
        self.state = {"speed": SPEED, "turned_s": 0.0, "full": False, "begun": time.time()}
        self.write()

    @property
    def base(self) -> str:
        """Where it serves."""
        return f"http://127.0.0.1:{self.port}"

    def now(self) -> datetime:
        """What the program's clock shows."""
        ran = (time.time() - self.state["begun"]) * SPEED + self.state["turned_s"]
        return datetime(2026, 6, 8, 8, tzinfo=UTC) + timedelta(seconds=ran)

    def write(self) -> None:
        """Change the weather."""
        fresh = self.folder / "soak.new"
        fresh.write_text(json.dumps(self.state))
        fresh.replace(self.folder / "soak.json")

    def start(self) -> None:
        """Start the program, and wait until it serves."""
        environment = {
            **os.environ,
            "COOL_SHEEN_DATA": str(self.folder),
            "PYTHONPATH": "src:.",
            "SOAK_PORT": str(self.port),
        }
        command = [sys.executable, "-m", "tests.soak.program"]
        errors = (self.folder / "console.txt").open("a")
        self.program = subprocess.Popen(command, env=environment, stdout=subprocess.PIPE, stderr=errors, text=True)
        said = self.program.stdout.readline()
        assert "serves at" in said, said or (self.folder / "console.txt").read_text()[-2000:]

    def kill(self, how: int = signal.SIGKILL) -> None:
        """End the program."""
        with suppress(OSError):
            rows = Path(f"/proc/{self.program.pid}/status").read_text()
            self.most_mb = max(self.most_mb, int(re.search(r"VmHWM:\s+(\d+)", rows)[1]) / 1000)
        self.program.send_signal(how)
        self.program.wait()
        self.program.stdout.close()


async def device(soak: Soak, diary: Diary, parts: list[str], dice: random.Random) -> None:
    """Press every two seconds, and again what was not answered, until the soak is over."""
    headers = {"Origin": soak.base, "HX-Request": "true"}
    async with httpx2.AsyncClient(base_url=soak.base, headers=headers, timeout=60) as http:
        zones: dict[str, dict[str, str]] = {}
        while time.monotonic() < soak.ends:
            press = str(uuid4())
            path, form = _said(dice, parts)
            if path.startswith("/parts/"):
                if path not in zones:
                    zones[path] = zones_in((await http.get(path)).text)
                form |= ANY_ROW | zones[path]
            await _until_answered(soak, diary, http, path, {"press": press, **form})
            with suppress(httpx2.HTTPError):
                await http.get("/bench/lanes" if dice.random() < 0.7 else f"/parts/{dice.choice(parts)}")
            await asyncio.sleep(2)


def _said(dice: random.Random, parts: list[str]) -> tuple[str, dict[str, str]]:
    part = parts[0] if dice.random() < 0.5 else dice.choice(parts)  # most of them at one part
    kind = dice.random()
    if kind < 0.3:
        return f"/parts/{part}/touch", {"ready": "yes"}
    if kind < 0.5:
        return f"/parts/{part}/coat", {}
    if kind < 0.6:
        return f"/parts/{part}/sand", {"grit": "P400"}
    if kind < 0.8:
        return "/stores/stock", {"item": STOCK, "kind": "bought", "amount": f"{dice.randint(1, 900)} ml"}
    return "/stores/stock", {"item": STOCK, "kind": "discarded", "amount": f"{dice.randint(1, 300)} ml"}


async def _until_answered(soak: Soak, diary: Diary, http: httpx2.AsyncClient, path: str, form: dict[str, str]) -> None:
    press = form["press"]
    diary.open.add(press)
    while time.monotonic() < soak.ends + 60:
        begun = time.monotonic()
        try:
            answer = await http.post(path, data=form)
        except httpx2.HTTPError:
            await asyncio.sleep(0.5)  # the program is gone: the same press again when it is back
            continue
        diary.spent.append(time.monotonic() - begun)
        soak.statuses[answer.status_code] = soak.statuses.get(answer.status_code, 0) + 1
        if answer.status_code == 503:  # told: nothing of it was saved
            diary.troubled += 1
            await asyncio.sleep(1)
            continue
        assert answer.status_code < 500, (path, answer.status_code, answer.text[-400:])
        diary.open.discard(press)
        if answer.status_code == 303 or "logged" in answer.headers.get("HX-Trigger", ""):
            diary.sure[press] = {"path": path, **form}
        elif answer.status_code == 200:
            diary.refused.add(press)  # asked back: nothing of it was logged
        else:
            diary.refused.add(press)
        return


async def weather(soak: Soak) -> None:
    """Kill the program, fill the disk, turn the clock: in turn, all the time."""
    turns = ["kill", "full", "back", "kill", "ahead", "stop", "full", "kill"]
    wait = max(8.0, (soak.ends - time.monotonic()) / (len(turns) + 1))
    for turn in turns:
        await asyncio.sleep(wait - 1)
        if time.monotonic() > soak.ends - 3:
            return
        if turn in ("kill", "stop"):
            await asyncio.to_thread(soak.kill, signal.SIGKILL if turn == "kill" else signal.SIGTERM)
            soak.kills += 1
            await asyncio.to_thread(soak.start)
        elif turn == "full":
            soak.state["full"] = True
            soak.write()
            await asyncio.sleep(4)
            soak.state["full"] = False
            soak.write()
        else:
            soak.state["turned_s"] += -5400.0 if turn == "back" else 5400.0
            soak.write()


async def healthy(soak: Soak) -> None:
    """Ask all the time whether it is well."""
    async with httpx2.AsyncClient(base_url=soak.base, timeout=30) as http:
        while time.monotonic() < soak.ends:
            begun = time.monotonic()
            with suppress(httpx2.HTTPError):
                if (await http.get("/healthz")).status_code == 200:
                    soak.health.append(time.monotonic() - begun)
            await asyncio.sleep(0.2)


async def live(soak: Soak) -> None:
    """Let the hour go by."""
    async with httpx2.AsyncClient(base_url=soak.base, timeout=60) as http:
        page = (await http.get("/")).text
    parts = re.findall(r'data-part="([0-9a-f-]{36})"', page)
    devices = [device(soak, d, parts, random.Random(soak.seed + n)) for n, d in enumerate(soak.diaries)]
    await asyncio.gather(weather(soak), healthy(soak), *devices)


def held_against(soak: Soak) -> list[str]:
    """Hold log, stock and what is kept against the diaries; return what does not agree."""
    file = soak.folder / "cool-sheen.sqlite3"
    engine = open_engine(file)
    wrong = [*flaws(file), *log_flaws(file)]
    with closing(sqlite3.connect(file)) as db:
        wrong += _presses(soak, db) + _stock(soak, db)
    workshop = open_workshop(engine, soak.now)
    with workshop.write() as unit:
        kept = _kept(unit)
        projections.rebuild(unit)
        unit.session.flush()
        for was, now in zip(kept, _kept(unit), strict=True):
            wrong += [f"kept, and not in the log: {row[:600]}" for row in was if row not in now]
            wrong += [f"in the log, and not kept: {row[:600]}" for row in now if row not in was]
    close(engine)
    return wrong


def _presses(soak: Soak, db: sqlite3.Connection) -> list[str]:
    """What was acknowledged is there; what was refused is not."""
    pressed = {str(UUID(u)) for (u,) in db.execute("SELECT uuid FROM press")}
    rows = {str(UUID(u)) for (u,) in db.execute("SELECT uuid FROM log_entry UNION SELECT uuid FROM stock_movement")}
    wrong = []
    for diary in soak.diaries:
        for press, said in diary.sure.items():
            if press not in pressed or _row_of(press, said["path"]) not in rows:
                wrong.append(f"{said} was acknowledged and is not there")
        wrong += [f"{press} was refused and is there" for press in diary.refused if press in pressed | rows]
    return wrong


def _row_of(press: str, path: str) -> str:
    """What a press is called in the log, or among the movements of stock."""
    return str(uuid5(UUID(press), "0")) if path == "/stores/stock" else press


def _stock(soak: Soak, db: sqlite3.Connection) -> list[str]:
    """What the diaries say of stock is there, each once, and no more was thrown away than there was."""
    query = "SELECT uuid, kind, ml FROM stock_movement WHERE item=? ORDER BY seq"
    rows = [(str(UUID(u)), kind, ml) for u, kind, ml in db.execute(query, (STOCK,))]
    presses = [(p, f) for d in soak.diaries for p, f in d.sure.items() if f["path"] == "/stores/stock"]
    said = {
        _row_of(p, f["path"]): float(f["amount"].split()[0]) * (1 if f["kind"] == "bought" else -1) for p, f in presses
    }
    names = [uuid for uuid, _, _ in rows]
    wrong = [f"stock: {uuid} is there {names.count(uuid)} times" for uuid in said if names.count(uuid) != 1]
    unsure = {_row_of(press, "/stores/stock") for diary in soak.diaries for press in diary.open}
    wrong += [f"stock: {uuid} was never answered, and is there twice" for uuid in unsure if names.count(uuid) > 1]
    left = 0.0
    for uuid, kind, ml in rows:
        left += ml
        if uuid in said and ml != said[uuid]:
            wrong.append(f"stock: {uuid} says {ml} ml, and its diary {said[uuid]}")
        if uuid in said and kind == "discarded" and left < -1:
            wrong.append(f"stock: more was thrown away than there was, down to {left} ml")
    return wrong


def _kept(unit) -> list[list[str]]:
    session = unit.session
    parts = [f"{r.part_uuid} {r.seq} {r.owed} {r.passed} {r.counts} {r.film}" for r in session.query(PartStatus)]
    # Without the air: of an hour that is not over it is known better a little later.
    found = session.query(LessonRow)
    lessons = [f"{r.coat_uuid} {r.mode} {r.mist} {[(x['uuid'], x['ready']) for x in r.touches]}" for r in found]
    batches = [f"{r.uuid} {r.pours} {r.coats} {r.left_ml:.6f}" for r in session.query(BatchStatus)]
    return [sorted(parts), sorted(lessons), sorted(batches)]


def main(minutes: float, seed: int) -> int:
    """Let it live; return how much is wrong."""
    with tempfile.TemporaryDirectory() as name:
        soak = Soak(Path(name), minutes, seed)
        soak.start()
        soak.ends = time.monotonic() + 60 * minutes / SPEED
        asyncio.run(live(soak))
        soak.kill()
        wrong = held_against(soak)
        spent = sorted(s for d in soak.diaries for s in d.spent)
        sure = sum(len(d.sure) for d in soak.diaries)
        print(
            f"{sure} presses were acknowledged, {sum(len(d.refused) for d in soak.diaries)} refused, "
            f"{sum(d.troubled for d in soak.diaries)} told of trouble and made again, {soak.kills} kills and stops; answers {soak.statuses}; "
            f"median {1000 * statistics.median(spent):.0f} ms, 95 % under {1000 * spent[int(0.95 * len(spent))]:.0f} ms; "
            f"health at most {1000 * max(soak.health):.0f} ms; {soak.most_mb:.0f} MB at most"
        )
        for what in wrong:
            print("WRONG", what)
        return len(wrong)


if __name__ == "__main__":
    sys.exit(
        min(1, main(float(sys.argv[1]) if len(sys.argv) > 1 else 60.0, int(sys.argv[2]) if len(sys.argv) > 2 else 1))
    )

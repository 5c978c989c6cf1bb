"""``python -m tests.scale.taps FOLDER``: devices that press, hear the news and look again, and how long a press takes.

Each device has the Bench or a part open, listens, and asks for its page anew when something was written, as the pages
do. A press is over when its answer is there: by then it is on the disk.
"""

import argparse
import asyncio
import os
import random
import re
import shutil
import statistics
import subprocess
import sys
import tempfile
import time
from collections import Counter
from contextlib import suppress
from dataclasses import dataclass, field
from pathlib import Path
from uuid import uuid4

import httpx2

from cool_sheen.demo.years import Years, lay_years
from cool_sheen.settings import Settings
from cool_sheen.store.opening import close
from tests.scale.shop import NOW, opened
from tests.support import ANY_ROW, free_port, zones_in

SERVE = """
import os, sys, time
from datetime import UTC, datetime
from cool_sheen import cli
from cool_sheen.service import opening

first, begun, at = opening.open_workshop, datetime.now(UTC), datetime.fromisoformat(sys.argv.pop(1))
cli.open_workshop = lambda engine: first(engine, lambda: at + (datetime.now(UTC) - begun))
config, out = cli._config, open(os.environ["TAPS"], "w", buffering=1)

def timed(app):
    async def call(scope, receive, send):
        since = time.perf_counter()
        await app(scope, receive, send)
        if scope.get("method") == "POST":
            print(time.perf_counter() - since, file=out)
    return call

cli._config = lambda served, *more: config(timed(served), *more)
cli.app()
"""  # the clock goes on from when the shop was laid; how long a press took by the program's own watch, too
LOOKS_AFTER_S, ALARMS_AFTER_S = 0.12, 2.5  # as the pages do
WANTED_MS = 100.0


class News(asyncio.Event):
    """What a device was told last."""

    told, all = 0, 0


@dataclass
class Day:
    """What the devices saw."""

    base: str
    ends: float
    pause_s: tuple[float, float]
    taps: list[tuple[str, float]] = field(default_factory=list)
    looks: list[float] = field(default_factory=list)
    statuses: Counter = field(default_factory=Counter)
    errors: list[str] = field(default_factory=list)


def _said(dice: random.Random, part: str) -> tuple[str, str, dict[str, str]]:
    """What is pressed: word, path, form."""
    at = dice.random()
    if at < 0.3:
        return "touch", f"/parts/{part}/touch", {"ready": dice.choice(("yes", "no"))}
    if at < 0.5:
        return "coat", f"/parts/{part}/coat", {}
    if at < 0.6:
        return "sand", f"/parts/{part}/sand", {"grit": "P400"}
    if at < 0.75:
        return "reading", f"/parts/{part}/reading", {"readings": f"{dice.randint(60, 140)}"}
    return "note", f"/parts/{part}/note", {"text": f"dust on the edge {dice.random():.3f}"}


async def _device(day: Day, parts: list[str], dice: random.Random, *, bench: bool) -> None:
    mine = dice.sample(parts, 3)
    path = "/bench/lanes" if bench else f"/parts/{mine[0]}/live?span=8"
    headers = {"Origin": day.base, "HX-Request": "true"}
    heard = News()
    async with httpx2.AsyncClient(base_url=day.base, headers=headers, timeout=60) as http:
        about = {} if bench else {"part": mine[0]}
        tasks = [asyncio.create_task(_listen(http, heard, about)), asyncio.create_task(_look(day, http, heard, path))]
        await asyncio.sleep(dice.uniform(0, day.pause_s[1]))
        zones = {part: zones_in((await http.get(f"/parts/{part}/coat")).text) for part in mine}
        while time.monotonic() < day.ends:
            part = dice.choice(mine)
            word, to, form = _said(dice, part)
            form |= {"press": str(uuid4()), **ANY_ROW, **(zones[part] if word != "note" else {})}
            begun = time.monotonic()
            answer = await http.post(to, data=form)
            took = time.monotonic() - begun
            day.statuses[answer.status_code] += 1
            if "logged" in answer.headers.get("HX-Trigger", ""):
                day.taps.append((word, took))
                heard.told = 1 << 62  # its own page is drawn anew at once
                heard.set()
            elif answer.status_code >= 500:
                day.errors.append(f"{to} {answer.status_code} {answer.text[:200]}")
            else:
                day.statuses[f"{word} asked back"] += 1
            await asyncio.sleep(dice.uniform(*day.pause_s))
        for task in tasks:
            task.cancel()


async def _listen(http: httpx2.AsyncClient, heard: News, about: dict[str, str]) -> None:
    async with http.stream("GET", "/news", params=about) as stream:
        async for line in stream.aiter_lines():
            if line.startswith("data:"):
                heard.told, heard.all = map(int, line[5:].split())
                heard.set()


async def _look(day: Day, http: httpx2.AsyncClient, heard: News, path: str) -> None:
    shown = 0
    while True:
        with suppress(TimeoutError):
            await asyncio.wait_for(heard.wait(), 20)
        await asyncio.sleep(LOOKS_AFTER_S)
        if heard.is_set() and heard.told <= shown:
            heard.clear()
            if heard.all > heard.told:  # of another part: only what was to ring there may have been done
                await asyncio.sleep(ALARMS_AFTER_S)
                await http.get("/alarms")
            continue
        heard.clear()
        begun = time.monotonic()
        async with http.stream("GET", path) as answer:
            async for _ in answer.aiter_raw():  # twenty devices unpack on processors of their own
                pass
        day.looks.append(time.monotonic() - begun)
        shown = int(answer.headers.get("X-News", 0))
        await http.get("/alarms")
        if answer.status_code >= 400:
            day.errors.append(f"{path} {answer.status_code}")


async def _all(day: Day, devices: int, seed: int) -> None:
    async with httpx2.AsyncClient(base_url=day.base, timeout=60) as http:
        while len(parts := re.findall(r'data-part="([0-9a-f-]{36})"', (await http.get("/")).text)) < 3:
            await asyncio.sleep(0.5)
    dice = [random.Random(seed + n) for n in range(devices)]
    await asyncio.gather(*(_device(day, parts, d, bench=n % 2 == 0) for n, d in enumerate(dice)))


def _laid(folder: Path) -> Path:
    """The folder of a shop with years of work."""
    file = Settings(data=folder).database
    if not file.exists():
        folder.mkdir(parents=True, exist_ok=True)
        close(opened(file, lambda unit: lay_years(unit, years=Years(500, 200_000))).workshop.engine)
    return folder


def served(folder: Path, port: int) -> subprocess.Popen:
    """Serve a laid shop, with a clock that goes on from when it was laid."""
    environment = {**os.environ, "COOL_SHEEN_DATA": str(folder), "TAPS": str(folder / "taps.txt")}
    command = [sys.executable, "-c", SERVE, NOW.isoformat(), "serve", "--port", str(port)]
    return subprocess.Popen(command, env=environment, stdout=subprocess.PIPE, text=True)


def _cpu_s(pid: int) -> float:
    ticks = Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()
    return (int(ticks[11]) + int(ticks[12])) / os.sysconf("SC_CLK_TCK")


def _withheld() -> tuple[int, int]:
    """How long this machine has worked, and how long it wanted to while another one was served. [ticks]"""
    user, nice, system, _, _, _, _, stolen = map(int, Path("/proc/stat").read_text().split()[1:9])
    return user + nice + system, stolen


def _told(name: str, spent: list[float]) -> float:
    spent = sorted(1000 * s for s in spent)
    if not spent:
        return 0.0
    p95 = spent[int(0.95 * len(spent))]
    print(
        f"{name:10}{len(spent):7}{statistics.median(spent):9.0f}{p95:9.0f}{spent[int(0.99 * len(spent))]:9.0f}{spent[-1]:9.0f}"
    )
    return p95


def main() -> int:
    asked = argparse.ArgumentParser()
    asked.add_argument(
        "folder", type=Path, nargs="?", help="a laid shop, worked in as a copy; laid when it is not there"
    )
    asked.add_argument("--seconds", type=float, default=600)
    asked.add_argument("--devices", type=int, default=20)
    asked.add_argument("--pause", type=float, nargs=2, default=(5.0, 15.0), help="between two presses of a device [s]")
    said = asked.parse_args()
    port = free_port()
    with tempfile.TemporaryDirectory() as name:
        laid = _laid(said.folder or Path(name) / "laid")
        folder = Path(shutil.copytree(laid, Path(name) / "shop"))
        os.sync()  # what the copy left to be written is not for the first press to wait for
        server = served(folder, port)
        try:
            assert "serves" in server.stdout.readline()
            time.sleep(20)  # the first looks
            day = Day(f"http://127.0.0.1:{port}", time.monotonic() + said.seconds, tuple(said.pause))
            before, (worked, stolen) = _cpu_s(server.pid), _withheld()
            asyncio.run(_all(day, said.devices, 1))
            busy = (_cpu_s(server.pid) - before) / said.seconds
            worked, stolen = (now - then for now, then in zip(_withheld(), (worked, stolen), strict=True))
        finally:
            server.terminate()
            server.wait()
        inside = [float(line) for line in (folder / "taps.txt").read_text().split()]
    print(f"{'[ms]':10}{'n':>7}{'median':>9}{'p95':>9}{'p99':>9}{'most':>9}")
    for word in sorted({word for word, _ in day.taps}):
        _told(word, [s for w, s in day.taps if w == word])
    p95 = _told("taps", [s for _, s in day.taps])
    _told("inside", inside)
    _told("looks", day.looks)
    print(f"{len(day.taps) / said.seconds:.1f} taps a second; the server was busy {100 * busy:.0f} % of a processor")
    print(
        f"of the time that this machine wanted to work, {100 * stolen / (worked + stolen):.1f} % was withheld from it"
    )
    print(dict(day.statuses), *day.errors[:5], sep="\n")
    return 1 if day.errors or p95 > WANTED_MS else 0


if __name__ == "__main__":
    sys.exit(main())

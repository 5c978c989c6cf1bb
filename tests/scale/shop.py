"""A shop of any size, and what its pages cost the server's processor."""

import asyncio
import re
import statistics
import time
from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import UTC, datetime
from pathlib import Path
from uuid import uuid4

import httpx2

from cool_sheen.core.materials.kits import load_solver
from cool_sheen.core.units import load_units
from cool_sheen.service.ahead import look_once
from cool_sheen.service.opening import open_workshop
from cool_sheen.service.part_now import live_parts
from cool_sheen.service.unit import Unit, Workshop
from cool_sheen.settings import Settings
from cool_sheen.store.opening import open_engine
from cool_sheen.web.app import create_app
from cool_sheen.web.pages.bench import ready_board
from tests.fuzz.forms import filled_as_shown
from tests.support import ORIGIN, SURE, TurnedClock

NOW = datetime(2026, 6, 8, 8, 0, tzinfo=UTC)


@dataclass
class Scale:
    """A shop of a size, an application over it, and what its pages took. [s of processor time]"""

    workshop: Workshop
    clock: TurnedClock
    app: object
    spent: dict[str, list[float]] = field(default_factory=dict)
    most_bytes: dict[str, int] = field(default_factory=dict)

    def look_ahead(self) -> float:
        """What the worker does between requests; return what it took. [s]"""
        begun = time.process_time()
        pages = self.app.state.pages
        look_once(self.workshop, lambda unit, _: ready_board(unit, pages))
        return time.process_time() - begun

    def get(self, path: str, name: str = "") -> str:
        return asyncio.run(self._ask("GET", path, name or path)).text

    def post(self, path: str, **fields: str):
        return asyncio.run(self._ask("POST", path, "press", {"press": str(uuid4()), **fields}))

    async def _ask(self, method: str, path: str, name: str, data=None):
        async with httpx2.AsyncClient(
            transport=httpx2.ASGITransport(app=self.app), base_url="http://testserver", headers={**ORIGIN, "Accept-Encoding": "gzip", "HX-Request": "true"}
        ) as client:  # fmt: skip
            begun = time.process_time()
            answer = await client.request(method, path, data=data)
            self.spent.setdefault(name, []).append(time.process_time() - begun)
            self.most_bytes[name] = max(self.most_bytes.get(name, 0), len(answer.text))
        assert answer.status_code in (200, 303), (path, answer.status_code, answer.text[:300])
        return answer

    def report(self) -> dict[str, dict[str, float]]:
        """Median and 99th percentile of each page. [ms]"""
        out = {}
        for name, spent in self.spent.items():
            cut = statistics.quantiles(spent, n=100)[98] if len(spent) > 1 else spent[0]
            out[name] = {
                "median": round(1000 * statistics.median(spent), 1),
                "p99": round(1000 * cut, 1),
                "n": len(spent),
            }
        return out


def opened(file: Path, lay: Callable[[Unit], None] | None = None) -> Scale:
    """Open a shop, laid first when it is said how."""
    clock = TurnedClock(NOW)
    workshop = open_workshop(open_engine(file), clock)
    if lay is not None:
        with workshop.write() as unit:
            lay(unit)
    return Scale(workshop, clock, create_app(workshop, Settings(hosts="testserver")))


def worked(scale: Scale, rounds: int) -> None:
    """Ask the pages as a shop does: every twenty seconds the Bench, a part and lists; presses; new weather between.

    Every tenth round somebody presses, which teaches a lesson; every thirtieth a thermometer is read, which changes
    the air of a room.
    """
    load_solver()  # as the worker does
    load_units()
    scale.app.state.pages.load()
    scale.look_ahead()
    lanes = scale.get("/", "bench, first").split('data-part="')[1:]
    parts = [lane.split('"')[0] for lane in lanes]
    with scale.workshop.read() as unit:
        filmed = [found.part.uuid for found in live_parts(unit) if found.history.coats]
    room = re.search(r'name="space"[^>]*value="([0-9a-f-]{36})"', scale.get("/weather"))
    assert room
    scale.spent.clear()
    for n in range(rounds):
        scale.clock.turn(seconds=20)
        if n % 3 == 1:  # the next minute is about to begin
            scale.look_ahead()
        part = parts[n % len(parts)]
        scale.get("/bench/lanes", "bench")
        scale.get(f"/parts/{part}", "part")
        if n % 5 == 0:
            for path in ("/jobs", "/jobs?page=7", "/mix", "/shelf", "/stores", "/weather"):
                scale.get(path, path.partition("?")[0])
        if n % 10 == 0:
            touched = f"/parts/{filmed[n // 10 % len(filmed)]}/touch"
            shown = filled_as_shown(scale.get(touched, "dialog"), "/touch")
            scale.post(touched, **shown | {"ready": "yes", "sure": SURE, "press": str(uuid4())})
            scale.get("/bench/lanes", "bench")
        if n % 30 == 15:
            scale.post("/weather/readings", space=room.group(1), air=str(18 + n % 7), rh=str(45 + n % 9))
            scale.look_ahead()  # at once, and who pressed waits for it
            scale.get(f"/parts/{part}", "part")

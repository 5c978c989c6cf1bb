"""Lay a shop with years of work, and measure what its pages cost the server's processor.

``make bench-scale`` runs it whole; the tests run a smaller one.
"""

import argparse
import asyncio
import gc
import json
import resource
import statistics
import tempfile
import time
from dataclasses import dataclass, field
from datetime import UTC, datetime
from pathlib import Path
from uuid import uuid4

import httpx2

from cool_sheen.core.materials.kits import load_solver
from cool_sheen.demo.years import Years, lay_years
from cool_sheen.service.ahead import look_once
from cool_sheen.service.opening import open_workshop
from cool_sheen.service.unit import Workshop
from cool_sheen.store.engine import open_engine
from cool_sheen.web.app import create_app
from cool_sheen.web.lane_cards import card_of
from tests.support import ORIGIN, TurnedClock

NOW = datetime(2026, 6, 8, 8, 0, tzinfo=UTC)


@dataclass
class Scale:
    """A shop of a size, an application over it, and what its pages took. [s of processor time]"""

    workshop: Workshop
    clock: TurnedClock
    app: object
    spent: dict[str, list[float]] = field(default_factory=dict)

    def look_ahead(self) -> float:
        """What the worker does between requests; return what it took. [s]"""
        begun = time.process_time()
        pages = self.app.state.pages
        look_once(self.workshop, lambda unit, found: card_of(unit, pages, found))
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
        assert answer.status_code == 200, (path, answer.status_code, answer.text[:300])
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


def opened(file: Path, years: Years | None) -> Scale:
    """Open a shop, laid first when there is none yet."""
    clock = TurnedClock(NOW)
    workshop = open_workshop(open_engine(file), clock)
    if years is not None:
        with workshop.open() as unit:
            lay_years(unit, years)
    return Scale(workshop, clock, create_app(workshop))


def worked(scale: Scale, rounds: int) -> None:
    """Ask the pages as a shop does: every twenty seconds the Bench, a part and lists; presses; new weather between."""
    load_solver()  # as the worker does
    scale.app.state.pages.load()
    scale.look_ahead()
    lanes = scale.get("/", "bench, first").split('data-part="')[1:]
    parts = [lane.split('"')[0] for lane in lanes]
    gc.collect()
    gc.freeze()
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
            scale.post(f"/parts/{part}/touch", ready="yes")
            scale.get("/bench/lanes", "bench")


def main() -> None:
    asked = argparse.ArgumentParser()
    asked.add_argument("--projects", type=int, default=500)
    asked.add_argument("--entries", type=int, default=200_000)
    asked.add_argument("--rounds", type=int, default=600)
    asked.add_argument("--keep", type=Path)
    said = asked.parse_args()
    folder = said.keep or Path(tempfile.mkdtemp())
    begun = time.perf_counter()
    scale = opened(folder / "years.sqlite3", Years(said.projects, said.entries))
    print(f"laid in {time.perf_counter() - begun:.0f} s")
    scale.workshop.engine.dispose()
    begun = time.perf_counter()
    scale = opened(folder / "years.sqlite3", None)
    scale.look_ahead()
    scale.get("/", "first answer")
    print(f"a fresh process answers after {time.perf_counter() - begun:.2f} s")
    scale.spent.clear()
    worked(scale, said.rounds)
    print(json.dumps(scale.report(), indent=1))
    print(
        f"one look ahead takes {scale.look_ahead() * 1000:.0f} ms; kept {scale.workshop.kept.bytes / 1e6:.0f} MB by estimate"
    )
    scale.clock.turn(minutes=10)
    print(f"with new weather {scale.look_ahead() * 1000:.0f} ms")
    print(f"RSS {resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024:.0f} MB")


if __name__ == "__main__":
    main()

"""The turnstile: how many requests are at work at once. The others queue; presses and long work have own lanes."""

import asyncio
import re
from collections.abc import Awaitable, Callable
from dataclasses import dataclass, field

from starlette.requests import Request
from starlette.responses import Response
from starlette.types import ASGIApp, Message, Receive, Scope, Send

# Threads of one interpreter take turns: more of them at once make each slower, and none of them done sooner. A press
# is kept waiting by as many pages as are at work when it comes.
AT_ONCE = 2
LONG_AT_ONCE = 2
PRESSES_AT_ONCE = 8  # whoever writes may have to wait for another program, and takes no place from who reads
MOST_WAITING, MOST_LONG_WAITING = 400, 40
PATIENCE_S, LONG_PATIENCE_S = 60.0, 4.0
ASK_AGAIN_S = 3
# What works out many plans or solves for the best: seconds rather than milliseconds.
_LONG = re.compile(
    r"/parts/[^/]+/(what-if|system/schools/.*)|/systems/[^/]+/schools/.*|/api/v1/materials/kits|/api/v1/planning/solve|/shelf/import|/jobs/bring|/records/statistics(/jobs\.csv)?|/projects/[^/]+/project\.json|/weather/records(/[^/]+/(look|take))?"
)
# Answered without a thread.
_AT_ONCE = re.compile(r"/static/.*|/healthz|/sw\.js|/scale/stream|/news|/plan/(tighten|ways)/stream")


@dataclass(eq=False)
class Lane:
    """So many at once, and a queue."""

    places: int
    most_waiting: int
    patience_s: float
    waiting: int = 0
    _free: asyncio.Semaphore = field(init=False)

    def __post_init__(self) -> None:
        self._free = asyncio.Semaphore(self.places)

    async def enter(self) -> bool:
        """Wait for a place; False when there are too many before, or it takes too long."""
        if not self._free.locked():
            return await self._free.acquire()
        if self.waiting >= self.most_waiting:
            return False
        self.waiting += 1
        try:
            await asyncio.wait_for(self._free.acquire(), self.patience_s)
        except TimeoutError:
            return False
        finally:
            self.waiting -= 1
        return True

    def leave(self) -> None:
        """Give the place to the next one."""
        self._free.release()


@dataclass(eq=False)
class _Place:
    """A place in a lane, given back once."""

    lane: Lane
    had: bool = True

    def leave(self) -> None:
        """Give it back."""
        if self.had:
            self.had = False
            self.lane.leave()


Busy = Callable[[Request, int], Awaitable[Response]]


class Turnstile:
    """ASGI middleware: a request has a place while it is answered, so that connections and threads are never short."""

    def __init__(self, app: ASGIApp, busy: Busy) -> None:
        self.app, self.busy = app, busy
        self.looks = Lane(AT_ONCE, MOST_WAITING, PATIENCE_S)
        self.presses = Lane(PRESSES_AT_ONCE, MOST_WAITING, PATIENCE_S)
        self.long = Lane(LONG_AT_ONCE, MOST_LONG_WAITING, LONG_PATIENCE_S)

    async def __call__(  # noqa: D102 - ASGI
        self, scope: Scope, receive: Receive, send: Send
    ) -> None:
        if scope["type"] != "http" or _AT_ONCE.fullmatch(scope["path"]):
            await self.app(scope, receive, send)
            return
        looks = scope["method"] in ("GET", "HEAD")
        lane = self.long if _LONG.fullmatch(scope["path"]) else self.looks if looks else self.presses
        if not await lane.enter():
            answer = await self.busy(Request(scope), lane.waiting + lane.places)
            await answer(scope, receive, send)
            return
        place = _Place(lane)

        async def sent(message: Message) -> None:
            if message["type"] == "http.response.start" and lane is not self.long:
                place.leave()  # it is worked out: a slow device that takes its time to receive it holds nobody up
            await send(message)

        try:
            await self.app(scope, receive, sent)
        finally:
            place.leave()

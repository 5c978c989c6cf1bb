"""Server-sent events: how far long work is, told to every page that is open on it, until it is over."""

import asyncio
import json
import threading
from collections.abc import AsyncIterator, Callable
from typing import Any

from fastapi.responses import StreamingResponse

_EVERY_S = 0.5
_LISTENS_EVERY_S = 0.2  # what is logged on one device shows on the others within a second
_STILL_THERE_S = 15.0  # an empty line now and then: whoever does not hear it has lost the program


def told(look: Callable[[], dict[str, Any] | None]) -> StreamingResponse:
    """Send what a look sees whenever it sees something else, until it sees nothing more.

    Args:
        look: Says how far the work is; None when none is at work. It must not wait for anything.
    """
    headers = {"Cache-Control": "no-store", "X-Accel-Buffering": "no"}
    return StreamingResponse(_events(look), media_type="text/event-stream", headers=headers)


async def _events(look: Callable[[], dict[str, Any] | None]) -> AsyncIterator[str]:
    yield "retry: 2000\n\n"
    last = ""
    while (seen := look()) is not None:
        line = json.dumps(seen)
        if line != last:
            yield f"data: {line}\n\n"
            last = line
        await asyncio.sleep(_EVERY_S)
    yield "event: over\ndata: {}\n\n"


def heard(count: Callable[[], str]) -> StreamingResponse:
    """Tell a page whenever something was written, on whatever device; the page asks for what it shows by itself.

    Args:
        count: Says of what the page shows, and of all, what was written last.
    """
    headers = {"Cache-Control": "no-store", "X-Accel-Buffering": "no"}
    return StreamingResponse(_news(count), media_type="text/event-stream", headers=headers)


_ending = threading.Event()


def end_all() -> None:
    """Let every page go that listens: the program is about to stop, and would wait for them."""
    _ending.set()


async def _news(count: Callable[[], str]) -> AsyncIterator[str]:
    last, quiet_s = count(), 0.0
    yield f"retry: 1500\ndata: {last}\n\n"
    while not _ending.is_set():
        await asyncio.sleep(_LISTENS_EVERY_S)
        quiet_s += _LISTENS_EVERY_S
        if (now := count()) != last:
            last, quiet_s = now, 0.0
            yield f"data: {now}\n\n"
        elif quiet_s >= _STILL_THERE_S:
            quiet_s = 0.0
            yield ": still there\n\n"

"""Server-sent events: how far long work is, told to every page that is open on it, until it is over."""

import asyncio
import json
from collections.abc import AsyncIterator, Callable
from typing import Any

from fastapi.responses import StreamingResponse

_EVERY_S = 0.5


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

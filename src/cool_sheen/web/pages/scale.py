"""The bench scale, live: the stand-in that ships pours and weighs by itself."""

import asyncio
import json
from collections.abc import AsyncIterator
from typing import Annotated

from fastapi import APIRouter, Query
from fastapi.responses import JSONResponse, Response, StreamingResponse

from cool_sheen.service.unit import Refused, Workshop
from cool_sheen.web.depends import FormDep, WorkshopDep
from cool_sheen.web.forms import Typed

router = APIRouter(prefix="/scale")
_EVERY_S = 0.4


@router.get("/stream")
async def stream(workshop: WorkshopDep, readings: Annotated[int, Query(ge=1, le=4500)] = 4500) -> StreamingResponse:
    """Send what the scale shows as server-sent events; half an hour at most, then the browser asks again."""
    headers = {"Cache-Control": "no-store", "X-Accel-Buffering": "no"}
    return StreamingResponse(_shown(workshop, readings), media_type="text/event-stream", headers=headers)


async def _shown(workshop: Workshop, readings: int) -> AsyncIterator[str]:
    yield "retry: 2000\n\n"
    for n in range(readings):
        found = workshop.scale.reading(workshop.now())
        yield f"data: {json.dumps({'g': found.grams, 'steady': found.steady})}\n\n"
        if n + 1 < readings:
            await asyncio.sleep(_EVERY_S)


@router.post("")
def put(workshop: WorkshopDep, form: FormDep) -> Response:
    """Move the stand-in: put a typed weight on it, pour until it shows so much, or tare it. Raises Refused."""
    typed = Typed(form)
    if typed.text("how") == "tare":
        workshop.scale.tare(workshop.now())
        return JSONResponse({"g": 0.0, "steady": True})
    grams = typed.quantity("grams", "weight", -0.001, 50_000)
    if grams is None:
        raise Refused("The scale was left as it was.", typed.notes)
    if typed.text("how") == "pour":
        workshop.scale.pour_to(grams, workshop.now())
    else:
        workshop.scale.put(grams, workshop.now())
    found = workshop.scale.reading(workshop.now())
    return JSONResponse({"g": found.grams, "steady": found.steady})

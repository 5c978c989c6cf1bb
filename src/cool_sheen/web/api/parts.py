"""Parts over JSON, for scripts and wall displays with a token: how they stand, their log, and entries like presses."""

import hashlib
from collections.abc import Callable
from typing import Annotated, Any, Literal
from uuid import UUID

from fastapi import APIRouter, Depends, Query, Request
from fastapi.encoders import jsonable_encoder
from fastapi.responses import JSONResponse, Response
from pydantic import Field

from cool_sheen.core.log.entries import Recorded
from cool_sheen.core.log.spent import MOST_MINUTES, WorkKind
from cool_sheen.service import log_words, scripts, spent, work
from cool_sheen.service.confirmations import AskedBack, check_offer, offer_of, on_offered_row
from cool_sheen.service.part_now import PartNow, live_parts, part_now
from cool_sheen.service.unit import Asking, Pressed, Unit, bring_device, bring_person, bring_press
from cool_sheen.store import log
from cool_sheen.web.api.models import Answer, At, Shape
from cool_sheen.web.depends import UnitDep, WorkshopDep

router = APIRouter(tags=["parts"])
_MOST = 500


def token_of(request: Request) -> str:
    """Return the token that a request bears; empty for none."""
    kind, _, token = request.headers.get("authorization", "").partition(" ")
    return token.strip() if kind.lower() == "bearer" else ""


def reader(request: Request, unit: UnitDep) -> str:
    """Return whose token reads: asked before anything else that was sent is looked at."""
    return scripts.let_in(unit, token_of(request))


def writer(request: Request, workshop: WorkshopDep) -> str:
    """Return whose token writes."""
    with workshop.read() as unit:
        return scripts.let_in(unit, token_of(request), writes=True)


Reader = Annotated[str, Depends(reader)]
Writer = Annotated[str, Depends(writer)]
Line = Annotated[str, Field(max_length=4000)]


class CoatEntry(work.CoatSaid):
    """A coat is on."""

    kind: Literal["coat"]


class SandEntry(work.SandSaid):
    """A rung was sanded."""

    kind: Literal["sand"]


class TouchEntry(work.TouchSaid):
    """A film was touched."""

    kind: Literal["touch"]


class StepEntry(Shape):
    """Any other step was done."""

    kind: Literal["step"]
    step: Annotated[str, Field(max_length=40)]
    zones: Annotated[tuple[UUID, ...], Field(max_length=200)] = ()
    passed: bool = True
    ticked: Annotated[tuple[str, ...], Field(max_length=12)] = ()


class NoteEntry(Shape):
    """Words about a part."""

    kind: Literal["note"]
    text: Line
    zones: Annotated[tuple[UUID, ...], Field(max_length=200)] = ()


class HoursEntry(Shape):
    """Hands-on time of one kind of work, over all hands. [min]"""

    kind: Literal["hours"]
    work: WorkKind
    minutes: Annotated[float, Field(gt=0, le=MOST_MINUTES, allow_inf_nan=False)]
    note: Annotated[str, Field(max_length=200)] = ""


Says = Annotated[CoatEntry | SandEntry | TouchEntry | StepEntry | NoteEntry | HoursEntry, Field(discriminator="kind")]


class EntryShape(Shape):
    """An entry: ``press`` names it for ever, ``offer`` is that of the status that it goes by.

    What is doubtful is asked back with 409 and its codes: said again with them under ``sure`` it is taken. The code
    ``offer`` says that something was logged since: look at it, and say it again with the newest offer, if it is so.
    """

    press: UUID
    offer: Annotated[str, Field(pattern=r"^[0-9]{1,18}:.", max_length=200)]
    says: Says
    at: At | None = None
    sure: Annotated[list[str], Field(max_length=20)] = Field(default_factory=list)


class Logged(Answer):
    """What was logged."""

    uuid: UUID
    seq: int
    says: str


@router.get("/parts")
def live(who: Reader, unit: UnitDep) -> Response:
    """List the parts that something is still to come on, with how they stand."""
    return _json([scripts.status_of(unit, found) for found in live_parts(unit)])


@router.get("/parts/{uuid}")
def status(who: Reader, uuid: UUID, unit: UnitDep) -> Response:
    """Say how a part stands."""
    return _json(scripts.status_of(unit, part_now(unit, uuid)))


@router.get("/parts/{uuid}/log")
def entries(
    who: Reader,
    uuid: UUID,
    unit: UnitDep,
    after: Annotated[int, Query(ge=0, le=2**62)] = 0,
    most: Annotated[int, Query(ge=1, le=_MOST)] = 100,
) -> Response:
    """Give entries of a part after a number, in sequence."""
    return _json(scripts.log_of(unit, part_now(unit, uuid), after, most))


def _json(content: Any) -> Response:
    return JSONResponse(jsonable_encoder(content))


_OF_A_ROW = ("coat", "sand", "touch", "step")  # what is done on zones
_Write = Callable[[Unit, PartNow, EntryShape], Recorded]


def _step(unit: Unit, found: PartNow, asked: EntryShape) -> Recorded:
    assert isinstance(asked.says, StepEntry)  # chosen by kind
    said = work.StepSaid(
        kind=asked.says.step, zones=asked.says.zones, passed=asked.says.passed, ticked=asked.says.ticked
    )
    return work.step_done(unit, found, asked.press, said, asked.at)


def _note(unit: Unit, found: PartNow, asked: EntryShape) -> Recorded:
    assert isinstance(asked.says, NoteEntry)  # chosen by kind
    return work.noted(unit, found, asked.press, asked.says.text.strip(), asked.says.zones)


def _hours(unit: Unit, found: PartNow, asked: EntryShape) -> Recorded:
    assert isinstance(asked.says, HoursEntry)  # chosen by kind
    said = asked.says
    return spent.hours_on(unit, found, asked.press, said.work, said.minutes, said.note.strip(), asked.at)


def _said(asked: EntryShape) -> dict[str, Any]:
    return asked.says.model_dump(exclude={"kind"})


_WRITES: dict[str, _Write] = {
    "coat": lambda u, f, a: work.coat_on(u, f, a.press, work.CoatSaid(**_said(a)), a.at),
    "sand": lambda u, f, a: work.sanded(u, f, a.press, work.SandSaid(**_said(a)), a.at),
    "touch": lambda u, f, a: work.touch(u, f, a.press, work.TouchSaid(**_said(a)), a.at),
    "step": _step,
    "note": _note,
    "hours": _hours,
}


@router.post("/parts/{uuid}/entries", status_code=201)
def write(who: Writer, uuid: UUID, asked: EntryShape, workshop: WorkshopDep) -> Response:
    """Log an entry by the guards of a press: once by its name, asked back where it is doubtful."""
    said = hashlib.sha256(f"{uuid} {asked.model_dump_json(exclude={'sure', 'offer'})}".encode()).hexdigest()
    bring_press(Pressed(asked.press, said))
    bring_person(who)
    bring_device("script")
    try:
        with workshop.first_served(), workshop.write() as unit:
            found = part_now(unit, uuid)
            newest = offer_of(found)
            newest_rows = {offer_of(found.on_row(action.row)) for action in found.actions}
            known = {"offer"} if asked.offer in newest_rows else set()  # a script reads faster than a hand presses
            unit.asking = Asking(asked.offer, frozenset(asked.sure) | known)
            if log.by_uuid(unit.session, asked.press) is None:
                check_offer(unit, found)
                found = on_offered_row(unit, found) if asked.says.kind in _OF_A_ROW else found
            row = _WRITES[asked.says.kind](unit, found, asked)
            names = log_words.names_for(unit, uuid, found.system)
            done = Logged(uuid=row.entry.uuid, seq=row.seq, says=log_words.says_logged(unit, row, names))
    except AskedBack as back:
        asks = [{"code": d.code, "words": d.words} for d in back.found]
        body = {"title": "Asked back", "status": 409, "detail": str(back), "errors": [], "asks": asks, "offer": newest}
        return JSONResponse(body, 409, media_type="application/problem+json")
    return JSONResponse(done.model_dump(mode="json"), 201)

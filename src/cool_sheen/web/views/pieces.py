"""Pieces of a coat as the page lists them, and how a part lies, in words."""

from dataclasses import dataclass
from datetime import datetime
from uuid import UUID
from zoneinfo import ZoneInfo

from cool_sheen.core.part.turning import turning
from cool_sheen.service.part_now import PartNow
from cool_sheen.service.pieces import PieceNow, Pieces
from cool_sheen.web.views.lane import clock_time

_STATES = {"done": "done", "in_hand": "in hand", "rests": "rests", "to_come": "to come"}
_KINDS = {"face": "", "edge": "edge", "inside": "inside", "underside": "underside", "patch": "patch"}


@dataclass(frozen=True, slots=True)
class PieceRow:
    """A piece in the list: its place in the order, what it is, how it stands, from when to when."""

    number: int
    zone: UUID
    name: str
    kind: str
    shuts: bool
    state: str
    word: str
    when: str
    edge: str
    warning: str


def piece_rows(there: Pieces, now: datetime, zone: ZoneInfo) -> list[PieceRow]:
    """Return the pieces of a coat as rows, in the order in which they are worked."""
    warned = {b.hidden.zone: b.words for b in there.warnings}
    return [
        PieceRow(
            number=n,
            zone=row.piece.zone,
            name=row.piece.name,
            kind=_KINDS.get(row.piece.kind, ""),
            shuts=row.piece.shuts,
            state=row.state,
            word=_STATES[row.state],
            when=_when(there, row, now, zone),
            edge=_edge(row, now, zone),
            warning=warned.get(row.piece.zone, ""),
        )
        for n, row in enumerate(there.rows, 1)
    ]


def _when(there: Pieces, row: PieceNow, now: datetime, zone: ZoneInfo) -> str:
    """From when to when a piece was worked, and how long of that it rested."""
    if row.coat is not None:
        said, end = row.coat.payload, clock_time(row.coat.ended_at, zone, now)
        if said.started_at is None:
            return f"until {end}"
        minutes = (row.coat.ended_at - said.started_at).total_seconds() / 60
        paused = f", {said.paused_min:.0f} of it paused" if said.paused_min else ""
        return f"{clock_time(said.started_at, zone, now)} to {end}: {minutes:.0f} min{paused}"
    if row.state == "to_come" or there.in_hand is None:
        return ""
    hand = there.in_hand
    rested = hand.rested_min(now)
    since = f"since {clock_time(hand.since, zone, now)}"
    return f"{since}, {rested:.0f} min of it paused" if rested >= 0.5 else since


def _edge(row: PieceNow, now: datetime, zone: ZoneInfo) -> str:
    """Until when the edge of a piece that is done can be met wet."""
    if row.edge is None or row.edge.likely is None or row.edge.likely <= now:
        return ""
    return f"its edge stays wet until about {clock_time(row.edge.likely, zone, now)}"


def turning_words(found: PartNow, zone: ZoneInfo) -> str:
    """Say which face is up, and from when on the part can be turned; nothing for a part with one side."""
    lies = turning(found.situation)
    if lies is None:
        return ""
    names: dict[int, list[str]] = {}
    for face in found.row.faces:
        names.setdefault(face.setting, []).append(face.name)
    up = " and ".join(names.get(lies.up, [])) or f"side {lies.up}"
    if lies.never:
        return f"Up: {up}. In this climate it never gets hard enough to be turned."
    if lies.can(found.now):
        return f"Up: {up}. It can be turned."
    band = lies.band
    assert band is not None  # else it could be turned
    late = f", surely from {clock_time(band.late, zone, found.now)}" if band.late != band.likely else ""
    minutes = max(0.0, ((band.likely or found.now) - found.now).total_seconds() / 60)
    left = f" (in {minutes / 60:.1f} h)" if minutes >= 90 else f" (in {minutes:.0f} min)" if minutes >= 1 else ""
    return f"Up: {up}. Likely to be turned from {clock_time(band.likely, zone, found.now)}{left}{late}."

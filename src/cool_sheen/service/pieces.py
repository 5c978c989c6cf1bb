"""A coat worked piece by piece: in which order, which is in hand since when, which are done, and how it lies."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from uuid import UUID, uuid5

from cool_sheen.core.drying.clock import Band
from cool_sheen.core.log.entries import BeginPayload, PausePayload, Recorded
from cool_sheen.core.log.history import InHand, LaidCoat
from cool_sheen.core.part.film_clock import mark_of
from cool_sheen.core.part.turning import Turning, turning
from cool_sheen.core.press.contradictions import left_to_tick
from cool_sheen.core.work.route import Brushed, Piece, brushed, in_order, moved
from cool_sheen.core.work.steps import CoatStep
from cool_sheen.service import work
from cool_sheen.service.journal import Press, same_press, write_on_part
from cool_sheen.service.part_now import PartNow
from cool_sheen.service.unit import Refused, Unit
from cool_sheen.store.models import Zone


@dataclass(frozen=True, slots=True)
class PieceNow:
    """A piece and how it stands: ``to_come``, ``in_hand``, ``rests`` or ``done``.

    Attributes:
        piece: The zone as a piece.
        state: How it stands.
        coat: Its coat of this step, where it is done.
        edge: When that coat flashes off: until then its edge is wet.
    """

    piece: Piece
    state: str
    coat: LaidCoat | None = None
    edge: Band | None = None


@dataclass(frozen=True, slots=True)
class Pieces:
    """A coat over its pieces.

    Attributes:
        step: The coat, whole.
        rows: Its pieces, in the order in which they are worked.
        in_hand: What was begun and is not done; None where nothing is.
        warnings: Hidden pieces that come too late.
        own_order: Whether one has set an order of one's own.
        turning: How the part lies; None where it has one side.
        is_next: Whether nothing comes before this coat.
        asks: What is still to be ticked of what the coat asks for.
    """

    step: CoatStep
    rows: list[PieceNow]
    in_hand: InHand | None
    warnings: list[Brushed]
    own_order: bool
    turning: Turning | None
    is_next: bool
    asks: list[str]

    @property
    def next(self) -> PieceNow | None:
        """The piece that comes next."""
        return next((row for row in self.rows if row.state == "to_come"), None)

    @property
    def now(self) -> PieceNow | None:
        """The piece in hand."""
        return next((row for row in self.rows if row.state in ("in_hand", "rests")), None)


def coat_in_hand(found: PartNow) -> tuple[CoatStep, frozenset[UUID]] | None:
    """Return the coat that is next, whole, and the zones that it is still owed to; None where none comes."""
    near = found.action.step if isinstance(found.action.step, CoatStep) else found.next_coat()
    if near is None:
        return None
    row = next((r for r in found.rows if r.step.id == near.id), None)
    return (row.step, row.owed) if row is not None and isinstance(row.step, CoatStep) else (near, near.zones)


def pieces_now(found: PartNow) -> Pieces | None:
    """Return the coat that is next as pieces; None where no coat is to come."""
    coat = coat_in_hand(found)
    if coat is None:
        return None
    step, owed = coat
    order = in_order(_pieces(found, step))
    hand = found.history.in_hand()
    if hand is not None and not hand.zones & owed:
        hand = None
    rows = [_row(found, step, piece, owed, hand) for piece in order]
    left = [row.piece for row in rows if row.state != "done"]
    own = any(piece.turn is not None for piece in order)
    is_next = isinstance(found.action.step, CoatStep)
    asks = left_to_tick(found.situation, step, found.now)
    return Pieces(step, rows, hand, brushed_by_now(rows, left), own, turning(found.situation), is_next, asks)


def brushed_by_now(rows: Sequence[PieceNow], left: Sequence[Piece]) -> list[Brushed]:
    """What is still to come and comes too late, by the order and by what is done already."""
    done = [row.piece for row in rows if row.state == "done"]
    return [b for b in brushed([*done, *left]) if b.hidden in left]


def _pieces(found: PartNow, step: CoatStep) -> list[Piece]:
    return [_piece(zone) for zone in found.row.live_zones if zone.uuid in step.zones]


def _piece(zone: Zone) -> Piece:
    return Piece(zone.uuid, zone.name, zone.kind, zone.face_uuid, zone.position, zone.shuts, zone.turn)


def _row(found: PartNow, step: CoatStep, piece: Piece, owed: frozenset[UUID], hand: InHand | None) -> PieceNow:
    if piece.zone not in owed:
        coat = next((c for c in reversed(found.history.coats) if piece.zone in c.zones), None)
        top = found.situation.film_of(piece.zone).top
        mark = mark_of(top.product, "flash") if top else None
        return PieceNow(piece, "done", coat, top.bands[mark] if top and mark else None)
    if hand is not None and piece.zone in hand.zones:
        return PieceNow(piece, "rests" if hand.rests_since else "in_hand")
    return PieceNow(piece, "to_come")


def begun(unit: Unit, found: PartNow, uuid: UUID, zone: UUID, at: datetime | None = None) -> Recorded:
    """Log that a piece is begun, or goes on after a pause. Raises Refused: it is no piece of the coat that is next."""
    there = pieces_now(found)
    if before := same_press(unit, uuid, "begin", found.row, {}):
        return before
    row = next((r for r in there.rows if r.piece.zone == zone), None) if there else None
    if there is None or row is None or row.state == "done":
        raise Refused("This piece is not waiting for the coat any more: load the page again.", status=409)
    payload = BeginPayload(layer_id=there.step.layer.id)
    return write_on_part(unit, found.row, payload, Press(uuid, at, frozenset({zone})), planned_step=there.step.id)


def paused(unit: Unit, found: PartNow, uuid: UUID, at: datetime | None = None) -> Recorded:
    """Log that work on the piece in hand rests. Raises Refused: nothing is in hand."""
    if before := same_press(unit, uuid, "pause", found.row, {}):
        return before
    there = pieces_now(found)
    if there is None or there.now is None or there.now.state == "rests":
        raise Refused("No piece is in hand: there is nothing to pause.", status=409)
    zone = there.now.piece.zone
    return write_on_part(unit, found.row, PausePayload(), Press(uuid, at, frozenset({zone})))


def done(
    unit: Unit,
    found: PartNow,
    uuid: UUID,
    zone: UUID,
    at: datetime | None = None,
    *,
    ticked: tuple[str, ...] = (),
    and_next: bool = True,
) -> Recorded:
    """Log that the coat is on a piece, with its start and its pauses, and begin the next one where that is wanted.

    A piece that was never begun has no start: it is taken from the end of the one before it, where one is in a row.

    Raises: Refused: it is no piece of the coat that is next. AskedBack: it contradicts clock or cup.
    """
    if before := same_press(unit, uuid, "coat", found.row, {}):
        return before
    there = pieces_now(found)
    row = next((r for r in there.rows if r.piece.zone == zone), None) if there else None
    if there is None or row is None or row.state == "done":
        raise Refused("The coat is on this piece already: load the page again.", status=409)
    end = at or unit.now
    hand = found.history.in_hand(zone)
    if hand is not None and hand.since > end:
        raise Refused("It ended before it was begun.", {"at": "Enter a time after its start."})
    said = work.CoatSaid(
        layer_id=there.step.layer.id,
        zones=(zone,),
        ticked=ticked,
        started_at=hand.since if hand else None,
        paused_min=round(hand.rested_min(end), 2) or None if hand else None,
    )
    written = work.coat_on(unit, found, uuid, said, at)
    following = next((r for r in there.rows if r.state == "to_come" and r.piece.zone != zone), None)
    if and_next and following is not None:
        payload = BeginPayload(layer_id=there.step.layer.id)
        press = Press(uuid5(uuid, "next"), end, frozenset({following.piece.zone}))
        write_on_part(unit, found.row, payload, press, planned_step=there.step.id)
    return written


def put_in_order(unit: Unit, found: PartNow, zone: UUID, by: int) -> None:
    """Move a piece in the order; from then on it is one's own. Raises Refused: no such piece."""
    there = pieces_now(found)
    pieces = [row.piece for row in there.rows] if there else []
    if zone not in {p.zone for p in pieces}:
        raise Refused("This part has no such piece: load the page again.", status=409)
    order = moved(pieces, zone, by)
    for row in found.row.live_zones:
        if row.uuid in order:
            row.turn = order.index(row.uuid)
    unit.session.flush()


def by_the_rule(unit: Unit, found: PartNow) -> None:
    """Let the rule order the pieces again."""
    for row in found.row.live_zones:
        row.turn = None
    unit.session.flush()


def shut_or_not(unit: Unit, found: PartNow, zone: UUID, *, shuts: bool) -> None:
    """Say whether a piece is shut away, or moved to reach others. Raises Refused: no such piece."""
    row = next((z for z in found.row.live_zones if z.uuid == zone), None)
    if row is None:
        raise Refused("This part has no such piece: load the page again.", status=409)
    row.shuts = shuts
    unit.session.flush()

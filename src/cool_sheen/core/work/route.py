"""The order in which the pieces of a coat are worked: hidden ones first, edges first, then from the top down."""

from collections.abc import Sequence
from dataclasses import dataclass
from uuid import UUID

# What comes earlier is reached past what comes later: hidden first, then edges, then what shows.
_RANK = {"inside": 1, "underside": 2, "edge": 3}
_SHUT, _SHOWN = 0, 4
_OUTER = ("face", "edge", "patch")


@dataclass(frozen=True, slots=True)
class Piece:
    """A zone as a piece of a coat.

    Attributes:
        zone: The zone.
        name: What it is called.
        kind: Of the zone: face, edge, inside, underside, patch.
        face: The face that it belongs to: its neighbours are the zones of the same one.
        place: Its place in the survey, from the top down.
        shuts: Whether it is shut away, or moved to reach others: what brushes past it then is wet.
        turn: Its place in an order of one's own; None by the rule.
    """

    zone: UUID
    name: str
    kind: str = "face"
    face: UUID | None = None
    place: int = 0
    shuts: bool = False
    turn: int | None = None

    @property
    def hidden(self) -> bool:
        """Whether it is reached past others: shut faces, and insides."""
        return self.shuts or self.kind == "inside"


@dataclass(frozen=True, slots=True)
class Brushed:
    """A hidden piece that comes after an outer neighbour, which a sleeve would brush."""

    hidden: Piece
    outer: Piece

    @property
    def words(self) -> str:
        """What is wrong, and what to do instead."""
        moved = "moved" if self.hidden.shuts else "reached into"
        return f"{self.hidden.name} is {moved} after {self.outer.name} is wet: a sleeve brushes it. Do it first."


def in_order(pieces: Sequence[Piece]) -> list[Piece]:
    """Return pieces in the order in which they are worked: one's own where there is one, else by the rule.

    Source: docs/trade.md, Pieces: shut and inner faces, then undersides, edges, and what shows from the top down.
    """
    by_rule = sorted(pieces, key=lambda p: (rank(p), p.place, p.name))
    if all(p.turn is None for p in pieces):
        return by_rule
    placed = sorted((p for p in by_rule if p.turn is not None), key=lambda p: p.turn or 0)
    return [*placed, *(p for p in by_rule if p.turn is None)]


def rank(piece: Piece) -> int:
    """How early a piece comes by the rule. [1]"""
    return _SHUT if piece.shuts else _RANK.get(piece.kind, _SHOWN)


def moved(pieces: Sequence[Piece], zone: UUID, by: int) -> list[UUID]:
    """Return an order of one's own: that of now, with one piece moved; at either end it stays."""
    order = [p.zone for p in in_order(pieces)]
    if zone not in order:
        return order
    place = order.index(zone)
    order.pop(place)
    order.insert(min(max(0, place + by), len(order)), zone)
    return order


def brushed(order: Sequence[Piece]) -> list[Brushed]:
    """Return hidden pieces that come after an outer neighbour, each with the first one that it would brush."""
    out = []
    for n, piece in enumerate(order):
        if not piece.hidden:
            continue
        before = (p for p in order[:n] if not p.hidden and p.kind in _OUTER and p.face == piece.face)
        outer = next(before, None)
        if outer is not None:
            out.append(Brushed(piece, outer))
    return out

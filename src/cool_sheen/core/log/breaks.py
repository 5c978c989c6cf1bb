"""Sandings that went through a layer: seen by whoever sanded, or by the figures of the film."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from datetime import datetime
from uuid import UUID

from cool_sheen.core.film.build import GROUND, Build
from cool_sheen.core.log.entries import Entry, SandPayload

SOMEWHERE = "to the layer below"  # what older entries say of the place of every sanding that went through


@dataclass(frozen=True, slots=True)
class Break:
    """A sanding that went through: ``layers`` from the top, ``shows`` what lies below them, ``GROUND`` the substrate.

    ``where`` is its place in words; ``seen`` tells what was looked at from what only the figures of the film say.
    ``lasts``: it stays until it is mended; what is only suspected is settled by whoever goes on and coats it over.
    """

    uuid: UUID
    at: datetime
    layers: tuple[str, ...]
    shows: str
    grit: str
    zones: frozenset[UUID]
    place: int
    where: str = ""
    seen: bool = False
    lasts: bool = False


def sanded_through(
    sanding: SandPayload, entry: Entry, builds: Mapping[UUID, Build], zones: Iterable[UUID], place: int
) -> list[Break]:
    """Sand zones, and say where that went through.

    Args:
        sanding: What was said of it; what it took comes off the films.
        entry: The entry that says so.
        builds: The film of each zone.
        zones: Those that were sanded.
        place: Its place in the fold.

    Returns: One for each choice of layers that are gone. What was seen counts, and what the figures say where that
        goes deeper. Source: docs/trade.md, Sanding.
    """
    broke: dict[tuple[tuple[str, ...], str], list[UUID]] = {}
    for zone in zones:
        build = builds[zone]
        seen = build.down_to(sanding.shows) if sanding.break_through else ()
        through = build.sand(sanding.removal_um)
        if gone := max(seen, through, key=len):
            under = [layer for layer in build.standing if layer not in gone]
            broke.setdefault((gone, under[0] if under else GROUND), []).append(zone)
    where = sanding.break_through or ""
    lasts = bool(where) and where != SOMEWHERE  # that was ticked before anybody was asked where
    return [
        Break(
            entry.uuid, entry.occurred_at, gone, shows, sanding.grit, frozenset(there), place, where, bool(where), lasts
        )
        for (gone, shows), there in broke.items()
    ]

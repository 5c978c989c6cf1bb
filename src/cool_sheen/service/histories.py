"""The folded log of parts."""

from collections.abc import Hashable, Sequence
from uuid import UUID

from cool_sheen.core.log.fold import fold
from cool_sheen.core.log.history import History
from cool_sheen.service.unit import Unit
from cool_sheen.store import log
from cool_sheen.store.models import Part, Zone


def history_of(unit: Unit, part: Part, seq: int | None = None) -> History:
    """Return the folded log of a part as of a sequence number; its newest when None."""
    newest = log.last_seqs(unit.session, [part.uuid]).get(part.uuid, 0) if seq is None else seq

    def make() -> History:
        zones = [z.uuid for z in part.live_zones]
        return fold(log.of_part(unit.session, part.uuid), zones, heirs_of(part.zones))

    found: History = unit.kept.get(key_of(part, newest), make, weight_of)
    return found


def key_of(part: Part, seq: int) -> tuple[Hashable, ...]:
    """The key under which a part's folded log is kept."""
    return "history", part.uuid, seq, part.changes


def weight_of(history: History) -> int:
    """What a folded log takes. [bytes]"""
    return 2_000 + 900 * history.places


def heirs_of(zones: Sequence[Zone]) -> dict[UUID, frozenset[UUID]]:
    """Return, for each zone that was split, the zones of now that came out of it."""
    children: dict[UUID, list[Zone]] = {}
    for zone in zones:
        if zone.split_from:
            children.setdefault(zone.split_from, []).append(zone)

    def living(zone: Zone) -> frozenset[UUID]:
        grown = [living(child) for child in children.get(zone.uuid, ())]
        return frozenset().union(*grown) if zone.was_split else frozenset([zone.uuid]).union(*grown)

    return {zone.uuid: living(zone) for zone in zones if zone.uuid in children}

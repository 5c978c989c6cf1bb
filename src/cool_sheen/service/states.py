"""The folded log of parts."""

from collections.abc import Sequence
from uuid import UUID

from sqlalchemy.orm import Session

from cool_sheen.core.log.fold import PartState, fold
from cool_sheen.service.desk import Desk
from cool_sheen.store import log
from cool_sheen.store.models import Part, Zone


def state_of(desk: Desk, opened: Session, part: Part, seq: int) -> PartState:
    """Return the folded log of a part as of a sequence number."""

    def make() -> PartState:
        zones = [z.uuid for z in part.live_zones]
        return fold(log.of_part(opened, part.uuid), zones, heirs_of(part.zones))

    found: PartState = desk.memo.get(("state", part.uuid, seq, part.changes), make)
    return found


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

"""The brief of a part: its system, its sheets, its zones. It changes with its rows alone, whatever the log says."""

from collections.abc import Hashable, Sequence
from dataclasses import dataclass
from uuid import UUID

from cool_sheen.core.coatings.products import Product
from cool_sheen.core.coatings.systems import System
from cool_sheen.core.survey.zones import ZoneFacts
from cool_sheen.service.jobs import zone_facts
from cool_sheen.service.unit import Unit
from cool_sheen.store.models import Part, Zone


@dataclass(frozen=True, eq=False)
class Brief:
    """What is to be done to a part, and to which of its zones.

    Attributes:
        version: As long as it is the same, so is all of it.
        system: What is to be put on.
        products: Sheets by key, in the revisions that it was planned with.
        zones: Its zones of now, by the survey.
        heirs: For each zone that was split, the zones of now that came out of it.
    """

    version: tuple[Hashable, ...]
    system: System
    products: dict[str, Product]
    zones: tuple[ZoneFacts, ...]
    heirs: dict[UUID, frozenset[UUID]]

    @property
    def live(self) -> list[UUID]:
        """Its zones of now."""
        return [zone.uuid for zone in self.zones]


def brief_of(unit: Unit, part: Part) -> Brief:
    """Return the brief of a part: read once for all that is pressed on it."""
    version = (part.uuid, part.changes)

    def read() -> Brief:
        return Brief(
            version,
            System.model_validate(part.system),
            {key: unit.revision(name) for key, name in part.revisions.items()},
            tuple(zone_facts(unit, part)),
            heirs_of(part.zones),
        )

    found: Brief = unit.kept.get(("brief", *version), read, lambda b: 20_000 + 2_000 * len(b.zones))
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

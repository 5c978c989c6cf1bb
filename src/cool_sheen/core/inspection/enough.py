"""Whether enough of a layer stands for the sanding that is still to come on it."""

from dataclasses import dataclass
from uuid import UUID

from cool_sheen.core.coatings.systems import Layer
from cool_sheen.core.log.history import History, Zones
from cool_sheen.core.log.looks import Judged
from cool_sheen.core.survey.zones import ZoneFacts
from cool_sheen.core.units import Micron
from cool_sheen.core.work.owed import Owed
from cool_sheen.core.work.steps import CoatStep, SandStep
from cool_sheen.core.work.walk import Stand


@dataclass(frozen=True, slots=True)
class OnZone:
    """One zone: what stands of the layer, what the sanding takes and what must be left. [um]"""

    zone: ZoneFacts
    left_um: Micron
    takes_um: Micron
    reserve_um: Micron

    @property
    def enough(self) -> bool:
        """Whether the reserve is left after the sanding."""
        return self.left_um - self.takes_um >= self.reserve_um


@dataclass(frozen=True, slots=True)
class Enough:
    """The question of a layer, zone by zone: "enough to sand to this grit?", and the last word on it."""

    layer: Layer
    grit: str
    zones: tuple[OnZone, ...]
    judged: Judged | None

    @property
    def by_ledger(self) -> bool:
        """What the ledger says: enough on every zone."""
        return all(z.enough for z in self.zones)

    @property
    def all_zones(self) -> Zones:
        """The zones that are asked about."""
        return frozenset(z.zone.uuid for z in self.zones)


def enough_to_sand(owed: Owed, history: History, zones: tuple[ZoneFacts, ...]) -> list[Enough]:
    """Ask of every layer whose coats are on, and whose sanding is still to come, whether enough stands for it.

    Args:
        owed: How the steps of the part stand.
        history: Its folded log.
        zones: Its zones.

    Returns: One question a layer. The ledger says yes where what is left of the layer, less what the rungs to come
        take, keeps the reserve. Source: docs/trade.md, Film.
    """
    layers: dict[str, tuple[Layer, str, dict[UUID, Micron]]] = {}
    for place, step in enumerate(owed.steps):
        if not isinstance(step, SandStep) or step.layer is None or step.round:
            continue
        for zone in owed.zones_with(place, Stand.OWED):
            if _coat_to_come(owed, zone, step.layer.id):
                continue
            layer, _, takes = layers.get(step.layer.id, (step.layer, "", {}))
            takes[zone] = takes.get(zone, 0.0) + step.removal_um
            layers[step.layer.id] = (layer, step.grit, takes)
    return [_asked(history, zones, *found) for found in layers.values()]


def _coat_to_come(owed: Owed, zone: UUID, layer: str) -> bool:
    steps = (owed.steps[n] for n in owed.ahead(zone))
    return any(isinstance(s, CoatStep) and s.layer.id == layer for s in steps)


def _asked(
    history: History, zones: tuple[ZoneFacts, ...], layer: Layer, grit: str, takes: dict[UUID, Micron]
) -> Enough:
    rows = []
    for zone in zones:
        if zone.uuid in takes:
            left = sum(f.left_um for f in history.builds[zone.uuid].layers if f.layer_id == layer.id)
            rows.append(OnZone(zone, left, takes[zone.uuid], layer.reserve_um))
    last = max((c.place for c in history.coats if c.payload.layer_id == layer.id), default=-1)
    said = [j for j in history.judged if j.payload.layer_id == layer.id and j.place > last]
    return Enough(layer, grit, tuple(rows), said[-1] if said else None)

"""Sandings that went through and are not mended yet: where, what shows, and which coats are asked for again."""

from dataclasses import dataclass
from uuid import UUID

from cool_sheen.core.log.breaks import Break
from cool_sheen.core.log.history import History
from cool_sheen.core.work.owed import Owed
from cool_sheen.core.work.steps import CoatStep, Zones
from cool_sheen.core.work.walk import Stand


@dataclass(frozen=True, slots=True)
class Unmended:
    """A sanding that went through, the zones on which it is open, and the layers that are asked for, lowest first."""

    broken: Break
    zones: Zones
    layers: tuple[str, ...]


def unmended(owed: Owed, history: History) -> list[Unmended]:
    """Return what went through and is not mended, the latest first.

    Args:
        owed: How the steps of the part stand.
        history: Its folded log.

    Returns: A layer is mended on a zone when its coat is on again there, or when it was said in words why not.
    """
    out = []
    for broken in sorted(history.breaks, key=lambda b: -b.place):
        open_on = {
            zone: missing
            for zone in broken.zones
            if not history.settled(broken, zone)
            and (missing := [la for la in reversed(broken.layers) if not _closed(owed, history, broken, zone, la)])
        }
        if open_on:
            layers = tuple(la for la in reversed(broken.layers) if any(la in missing for missing in open_on.values()))
            out.append(Unmended(broken, frozenset(open_on), layers))
    return out


def _closed(owed: Owed, history: History, broken: Break, zone: UUID, layer_id: str) -> bool:
    coats = [
        (step, stand)
        for place, stand in owed.by_zone.get(zone, {}).items()
        if isinstance(step := owed.steps[place], CoatStep) and step.layer.id == layer_id
    ]
    if not broken.seen and any(step.layer.role == "filler" for step, _ in coats):
        return True  # a filler is sanded back until only what it fills is left
    mending = [stand for step, stand in coats if step.mends == broken.uuid]
    if mending:
        return all(stand in (Stand.DONE, Stand.SKIPPED) for stand in mending)
    again = (c for c in history.coats if c.place > broken.place and zone in c.zones)
    # Without steps of its own it is mended by the coats that were to come anyway, or by the word that they do not come.
    asked = any(stand in (Stand.OWED, Stand.PASSED) for _, stand in coats)
    return not asked or any(c.payload.layer_id == layer_id for c in again)

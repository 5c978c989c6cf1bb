"""Spaces as they were: described anew, their doors opened and shut. What is changed changes nothing that was."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from uuid import UUID

import numpy as np

from cool_sheen.core.climate.rooms import SPACE_LAG_H, Room, RoomStretch
from cool_sheen.core.climate.series import instant, seconds
from cool_sheen.core.log.entries import DoorPayload
from cool_sheen.core.log.standing import unvoided
from cool_sheen.service.unit import Unit
from cool_sheen.store import changes, log
from cool_sheen.store import climate as records
from cool_sheen.store.models import Space, SpaceAsItWas


@dataclass(frozen=True, slots=True)
class AsItWas:
    """How a space was, from an instant on."""

    since_s: float
    kind: str
    heater_min_c: float | None
    dehumidifier_max_rh_pct: float | None
    air_movement: str
    lag_h: float | None
    shade: bool
    wind_break: bool

    @classmethod
    def of(cls, row: Space | SpaceAsItWas) -> "AsItWas":
        """A space as it was from then on; as it always was, when nothing else is known."""
        since = seconds(row.since) if isinstance(row, SpaceAsItWas) else -np.inf
        return cls(
            since,
            row.kind,
            row.heater_min_c,
            row.dehumidifier_max_rh_pct,
            row.air_movement,
            row.lag_h,
            row.shade,
            row.wind_break,
        )

    @property
    def room(self) -> Room:
        """The room, doors shut. What stands in the open is none: it has no lag, and nothing that holds it."""
        if self.kind == "outdoors":
            return Room(0.0)
        lag_h = SPACE_LAG_H[self.kind] if self.lag_h is None else self.lag_h
        return Room(lag_h, self.heater_min_c, self.dehumidifier_max_rh_pct)


def as_it_was(unit: Unit) -> dict[UUID, list[AsItWas]]:
    """Return how each space was, the oldest first."""
    number = changes.generations(unit.session).get(changes.AIR, 0)

    def read() -> dict[UUID, list[AsItWas]]:
        rows = records.spaces_as_they_were(unit.session)
        return {space: [AsItWas.of(row) for row in mine] for space, mine in rows.items()}

    found: dict[UUID, list[AsItWas]] = unit.kept.get(("spaces as they were", number), read, lambda x: 500 * len(x))
    return found


def doors_of(unit: Unit) -> dict[UUID, list[tuple[float, bool]]]:
    """When the doors of each space were opened, and shut."""
    number = changes.generations(unit.session).get(changes.AIR, 0)

    def read() -> dict[UUID, list[tuple[float, bool]]]:
        out: dict[UUID, list[tuple[float, bool]]] = {}
        for row in unvoided(log.of_kind(unit.session, "door")):
            if isinstance(said := row.entry.payload, DoorPayload):
                out.setdefault(said.space, []).append((seconds(row.entry.occurred_at), said.open))
        return out

    found: dict[UUID, list[tuple[float, bool]]] = unit.kept.get(("doors", number), read, lambda x: 500 * len(x))
    return found


def door_open_since(unit: Unit, space: UUID) -> datetime | None:
    """Since when the doors of a space stand open; None where they are shut."""
    pressed = [(at, is_open) for at, is_open in doors_of(unit).get(space, []) if at <= seconds(unit.now)]
    if not pressed or not pressed[-1][1]:
        return None
    shut = [n for n, (_, is_open) in enumerate(pressed) if not is_open]
    return instant(pressed[shut[-1] + 1 if shut else 0][0])


def room_stretches(described: Sequence[AsItWas], doors: Sequence[tuple[float, bool]]) -> list[RoomStretch]:
    """Return a space as a room, from change to change: described anew, its doors opened or shut."""
    moments = sorted({-np.inf, *(d.since_s for d in described[1:]), *(at for at, _ in doors)})
    out = []
    for at in moments:
        room = [d for n, d in enumerate(described) if n == 0 or d.since_s <= at][-1].room
        pressed = [is_open for when, is_open in doors if when <= at]
        out.append(RoomStretch(at, room.vented() if pressed and pressed[-1] else room))
    return out

"""Which face of a part is up, and from when on it can be turned over."""

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime

from cool_sheen.core.drying.clock import Band
from cool_sheen.core.log.history import Zones
from cool_sheen.core.part.film_clock import mark_of
from cool_sheen.core.part.memory import side_up
from cool_sheen.core.part.situation import Situation


@dataclass(frozen=True, slots=True)
class Turning:
    """The side that is up, the zones that would lie on padding, and when they bear it.

    ``band`` is when the last of them can be turned; None where nothing is wet there. ``never`` says that one of them
    does not get there in the climate that is ahead.
    """

    up: int
    others: tuple[int, ...]
    zones: Zones
    band: Band | None = None
    never: bool = False

    def can(self, now: datetime) -> bool:
        """Whether it can be turned at an instant, by the late clock."""
        return not self.never and (self.band is None or (self.band.late is not None and self.band.late <= now))


def turning(situation: Situation) -> Turning | None:
    """Return how a part lies.

    Args:
        situation: The part at one moment.

    Returns: None for a part that is coated in one setting-up, and before its first coat.
    Source: docs/trade.md, Pieces: the milestone “turn” of every film on the side that is up; the last one decides.
    """
    settings = {z.uuid: z.setting for z in situation.zones}
    up = side_up(situation, settings)
    if up is None:
        return None
    zones = frozenset(z for z, s in settings.items() if s == up)
    others = tuple(sorted(set(settings.values()) - {up}))
    bands = list(_bands(situation, zones))
    if not bands:
        return Turning(up, others, zones)
    last = max(bands, key=lambda b: b.late.timestamp() if b.late else float("inf"))
    return Turning(up, others, zones, last, never=last.late is None)


def _bands(situation: Situation, zones: Zones) -> Iterable[Band]:
    for film in situation.films:
        if film.top is not None and film.zones & zones and (mark := mark_of(film.top.product, "turn")):
            yield film.top.bands[mark]

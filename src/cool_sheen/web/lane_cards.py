"""Lanes, drawn once a minute for all who look: kept as they were rendered, each press with an id of its own."""

import re
from dataclasses import dataclass
from datetime import datetime
from uuid import UUID, uuid4

from cool_sheen.service import next_time
from cool_sheen.service.part_now import PartNow
from cool_sheen.service.unit import Unit
from cool_sheen.web.templating import Pages
from cool_sheen.web.views import lane

_PRESS = "a-press-of-row-"  # stands where each answer puts an id that was never used
_PRESSES = re.compile(rf"{_PRESS}\d*")


@dataclass(frozen=True, slots=True)
class Card:
    """A part's lane, rendered, and what lists say of it."""

    uuid: UUID
    live: bool
    state: str
    word: str
    says: str
    counting: str
    counts_to: datetime | None
    html: str
    name: str = ""
    rings: tuple[tuple[str, int | None], ...] = ()  # keys of its alarms, and when they ring; None: due already

    @property
    def order(self) -> tuple[int, float]:
        """The most urgent first."""
        return lane.URGENCY.index(self.state), self.counts_to.timestamp() if self.counts_to else 0.0

    def __html__(self) -> str:
        """The lane as its template made it, with an id for each of its presses."""
        return _PRESSES.sub(lambda _: str(uuid4()), self.html)


def card_of(unit: Unit, pages: Pages, found: PartNow) -> Card:
    """Return the card of a part for this minute, made when nobody has asked for it yet."""
    shop = unit.the_shop
    minute = unit.now.replace(second=0, microsecond=0)
    said = (found.part.name, found.space.name, found.comes_after, next_time.number(unit))
    key = ("card", found.mark, minute, shop.units, shop.time_zone, said)
    made: Card = unit.kept.get(key, lambda: _draw(unit, pages, found), lambda card: 1_000 + 2 * len(card.html))
    return made


def _draw(unit: Unit, pages: Pages, found: PartNow) -> Card:
    action = found.action
    html = ""
    rings: tuple[tuple[str, int | None], ...] = ()
    if found.is_live:
        shown = lane.lane(found, unit.zone, unit.the_shop.units, _PRESS)
        html = str(pages.piece(unit, "/", "bench/_lane.html", lane=shown))
        rings = _rings(shown)
    return Card(
        found.part.uuid,
        found.is_live,
        str(action.state),
        lane.STATE_WORDS[str(action.state)],
        action.says,
        action.counting,
        action.counts_to,
        html,
        found.part.name,
        rings,
    )


def _rings(shown: lane.Lane) -> tuple[tuple[str, int | None], ...]:
    """What of a lane is due, and what it counts to."""
    rows = (shown, *shown.more)
    due: dict[str, int | None] = {key: None for row in rows for key in row.due}
    for count in (row.count for row in rows):
        if count and count.key:
            due.setdefault(count.key, count.to_ms)
    return tuple(due.items())

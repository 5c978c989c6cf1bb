"""A part's whole life, zone by zone: the clock of every coat, and what the clock promised against what came."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime

from cool_sheen.core.coatings.products import Product
from cool_sheen.core.drying.clock import Band
from cool_sheen.core.log.history import History, LaidCoat, ZoneHistory, Zones
from cool_sheen.core.part.climate import PartClimate
from cool_sheen.core.part.film_clock import MOST_COATS, CoatClock, FactorOf, coat_clocks, unknown_factor
from cool_sheen.core.units import Minutes

MOST_TOLD = 60  # coats of a zone that are told, and no more: what lies deeper stands in the log


@dataclass(frozen=True, slots=True)
class Came:
    """One coat: when the clock said that the next one could go on, before anybody touched it, and when it came.

    Attributes:
        coat: The coat.
        product: Its product.
        promised: When the next coat was to go on, by what the shop knows without the tests of this coat.
        asked: When the screen said “go and test” at the time; None where nobody touched it when it was due.
        tested: When a finger said that it was ready; None where nobody touched it.
        followed: When the next coat went on; None where none did.
    """

    coat: LaidCoat
    product: Product
    promised: Band | None
    asked: datetime | None = None
    tested: datetime | None = None
    followed: datetime | None = None

    @property
    def late_by(self) -> Minutes | None:
        """How much later than was likely it was ready by the finger; None where nobody touched it. [min]"""
        said = self.asked or (self.promised.likely if self.promised else None)
        return (self.tested - said).total_seconds() / 60 if self.tested and said else None

    @property
    def verdict(self) -> str:
        """Whether the finger was within the band, ``early`` or ``late``; empty where there is nothing to compare."""
        if self.tested is None or self.promised is None:
            return ""
        if self.promised.early and self.tested < self.promised.early:
            return "early"
        return "late" if self.promised.late and self.tested > self.promised.late else "within"


@dataclass(frozen=True, slots=True)
class ZoneStory:
    """Zones that had the same, from the first coat on."""

    zones: Zones
    history: ZoneHistory
    clocks: tuple[CoatClock, ...]
    came: tuple[Came, ...]


def zone_stories(
    history: History,
    climate: PartClimate,
    following: Mapping[Zones, Product | None],
    revisions: Mapping[str, Product],
    factor: FactorOf = unknown_factor,
) -> list[ZoneStory]:
    """Work out the whole life of every zone.

    Args:
        history: The folded log; of very many coats the last ones are told.
        climate: What the part saw since it came in, without its bakes.
        following: What comes on top of each group of zones; None, or no key, where nothing does.
        revisions: Sheets by content hash, as the coats were put on with.
        factor: What the shop has learned where the part stood.
    """
    out = []
    for whole in history.apart():
        zone = whole.lately(MOST_TOLD)
        seen = climate.heated(zone.bakes)
        after = next((p for zones, p in following.items() if zones & zone.zones), None)
        clocks = _clocks(zone, seen, after, revisions, factor)
        untouched = _clocks(replace(zone, touches=()), seen, after, revisions, factor) if zone.touches else clocks
        out.append(ZoneStory(zone.zones, zone, clocks, tuple(_came(zone, clocks, untouched))))
    return out


def told_since(history: History) -> datetime | None:
    """Return since when a life is told where it has too many coats to be told whole; None where all of it is."""
    firsts = [zone.coats[-MOST_TOLD].ended_at for zone in history.apart() if len(zone.coats) > MOST_TOLD]
    return min(firsts, default=None)


def _clocks(
    zone: ZoneHistory,
    climate: PartClimate,
    after: Product | None,
    revisions: Mapping[str, Product],
    factor: FactorOf,
) -> tuple[CoatClock, ...]:
    """The clock of every coat; those of the last coats as every other page has them, which count no deeper."""
    lately = zone.lately(MOST_COATS)
    last = coat_clocks(lately, climate, after, revisions, factor)
    if len(lately.coats) == len(zone.coats):
        return tuple(last)
    return (*coat_clocks(zone, climate, after, revisions, factor)[: -len(last)], *last)


def _came(zone: ZoneHistory, clocks: Sequence[CoatClock], untouched: Sequence[CoatClock]) -> list[Came]:
    out = []
    for n, (clock, before) in enumerate(zip(clocks, untouched, strict=True)):
        tests = [t for t in zone.tests_of(clock.coat.uuid) if t.payload.milestone == clock.rule.opens]
        ready = [t.at for t in tests if t.payload.ready]
        asked = next((t.payload.asked_at for t in tests if t.payload.asked_at), None)
        later = clocks[n + 1].coat.ended_at if n + 1 < len(clocks) else None
        out.append(Came(clock.coat, clock.product, before.opens, asked, min(ready, default=None), later))
    return out

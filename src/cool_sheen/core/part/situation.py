"""A part at one moment: what its zones are, what is owed to them, what they see. All that a decision needs."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime
from uuid import UUID

from cool_sheen.core.coatings.products import Product
from cool_sheen.core.drying.blend import Blend, OwnHardener
from cool_sheen.core.log.history import History, ZoneHistory, Zones
from cool_sheen.core.part.climate import PartClimate
from cool_sheen.core.part.film_clock import MOST_COATS, CoatClock, FactorOf, coat_clocks, unknown_factor
from cool_sheen.core.part.hands import Hands
from cool_sheen.core.part.key import NO_KEY, Key, key_of
from cool_sheen.core.survey.zones import ZoneFacts
from cool_sheen.core.work.hours import WorkingHours
from cool_sheen.core.work.owed import Owed


@dataclass(frozen=True, slots=True)
class ZoneFilm:
    """Zones with one history: the clocks of their coats, bottom first, and the key of the film on top."""

    zones: Zones
    clocks: tuple[CoatClock, ...]
    key: Key
    climate: PartClimate
    following: Product | None

    @property
    def top(self) -> CoatClock | None:
        """The last coat."""
        return self.clocks[-1] if self.clocks else None


@dataclass(frozen=True, slots=True)
class Pot:
    """The mix in use for a product, and until when it can be used."""

    blend: Blend
    ends: datetime | None = None


HardenerOf = Callable[[Product, str], OwnHardener | None]  # what the hardener of a speed says of itself


def as_the_sheet(product: Product, speed: str) -> OwnHardener | None:
    """A hardener that says nothing of itself."""
    return None


@dataclass(frozen=True)
class Situation:
    """A part at one moment."""

    now: datetime
    zones: tuple[ZoneFacts, ...]
    owed: Owed
    films: tuple[ZoneFilm, ...]
    history: History
    climate: PartClimate
    products: Mapping[str, Product]  # by key: the revisions that the part was planned with
    day: WorkingHours
    factor: FactorOf = unknown_factor
    pots: Mapping[str, Pot] = field(default_factory=dict)
    hardener: HardenerOf = as_the_sheet
    winter: bool = False  # the cold half of the year: some holds are longer
    hands: Hands | None = None  # whoever does the work; one pair of hands that has nothing else to do when None

    def film_of(self, zone: UUID) -> ZoneFilm:
        """Return the film of a zone."""
        return next(film for film in self.films if zone in film.zones)

    def names(self, zones: Zones) -> str:
        """Return zones by name; nothing for all of the part."""
        return "" if len(zones) == len(self.zones) else ", ".join(z.name for z in self.zones if z.uuid in zones)

    @property
    def all_zones(self) -> Zones:
        """The zones of the part."""
        return frozenset(z.uuid for z in self.zones)

    def at(self, now: datetime) -> "Situation":
        """The same part at another moment."""
        return replace(self, now=now)


def zone_films(
    history: History,
    owed: Owed,
    climate: PartClimate,
    products: Mapping[str, Product],
    revisions: Mapping[str, Product],
    factor: FactorOf = unknown_factor,
) -> tuple[ZoneFilm, ...]:
    """Work out the film of every zone; zones with one history and one next coat are worked out once.

    Args:
        history: The folded log.
        owed: What is owed to which zone.
        climate: What the part sees, without its bakes.
        products: Sheets by key, as the part was planned with.
        revisions: Sheets by content hash, as the coats were put on with.
        factor: What the shop has learned where the part stands.
    """
    out = []
    for zone in history.apart():
        for following, zones in _by_following(zone, owed, products):
            mine = replace(zone, zones=zones).lately(MOST_COATS)
            seen = climate.heated(mine.bakes)
            clocks = tuple(coat_clocks(mine, seen, following, revisions, factor))
            key = key_of(clocks[-1], mine.on_top, seen) if clocks else NO_KEY
            out.append(ZoneFilm(zones, clocks, key, seen, following))
    return tuple(out)


def _by_following(
    zone: ZoneHistory, owed: Owed, products: Mapping[str, Product]
) -> Sequence[tuple[Product | None, Zones]]:
    groups: dict[str, set[UUID]] = {}
    for one in zone.zones:
        step = owed.following(one)
        groups.setdefault(step.layer.product if step else "", set()).add(one)
    return [(products.get(key), frozenset(zones)) for key, zones in groups.items()]

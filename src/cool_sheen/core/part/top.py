"""The film on top of a zone, logged or planned, and the window that it leaves for what comes next."""

from collections.abc import Mapping
from dataclasses import dataclass, replace

from cool_sheen.core.coatings.products import Product
from cool_sheen.core.drying.blend import Blend, drying_with
from cool_sheen.core.drying.clock import Band, Film, FilmBelow, still_to_go
from cool_sheen.core.part.climate import PartClimate
from cool_sheen.core.part.film_clock import FactorOf, known_of, mark_of, taught
from cool_sheen.core.part.key import NO_KEY, Key
from cool_sheen.core.part.situation import ZoneFilm


@dataclass(frozen=True, slots=True)
class Window:
    """When a film takes what follows: the bands of its opening and closing; no closing for what redissolves."""

    opens: Band | None
    closes: Band | None
    lifts: Band | None

    @property
    def for_itself(self) -> "Window":
        """The window past its closing, for a fresh coat of the film itself: as soon as that lifts it no more."""
        return Window(self.lifts or self.opens, None, None)


@dataclass(frozen=True, eq=False)
class Top:
    """The film on top of some zones."""

    product: Product
    bands: Mapping[str, Band]
    below: FilmBelow | None  # as the next coat finds it
    climate: PartClimate
    key: Key = NO_KEY
    layer_id: str = ""
    gritty: bool = False

    @property
    def keyed_by(self) -> tuple[str, ...]:
        """The work that keys this film; grit that lies in it takes no key."""
        return () if self.gritty else self.product.keyed_by

    @classmethod
    def of(cls, film: ZoneFilm) -> "Top | None":
        """The film on top by the log; None on bare zones."""
        top = film.top
        if top is None:
            return None
        return cls(
            top.product,
            top.bands,
            FilmBelow(top.drying, top.film),
            film.climate,
            film.key,
            top.coat.payload.layer_id,
            top.gritty,
        )

    def with_key(self, key: Key) -> "Top":
        """The same film with another key."""
        return replace(self, key=key)

    def window(self, following: Product) -> Window:
        """When it takes a product on top, unkeyed."""
        rule = self.product.rule_for(following)
        closes = None if rule.redissolves or rule.closes is None else self.bands[rule.closes]
        return Window(self.bands.get(rule.opens), closes, self.bands[rule.lifts_until] if rule.lifts_until else None)

    def band_of(self, milestone: str) -> tuple[str | None, Band | None]:
        """Return the milestone of the product that answers for a name, and its band."""
        mark = mark_of(self.product, milestone)
        return mark, self.bands[mark] if mark else None


def laid(
    below: Top | None, product: Product, layer_id: str, film: Film, blend: Blend, climate: PartClimate, factor: FactorOf
) -> Top:
    """The film on top after a coat that is planned.

    Args:
        below: What was on top before; None on bare zones.
        product: What goes on.
        layer_id: The layer that it belongs to.
        film: The coat, without what still dries below it.
        blend: Its mix.
        climate: What the zones see.
        factor: What the shop has learned of the product where the part stands.
    """
    load = still_to_go(below.below if below else None, climate.clock, film.start)
    data = drying_with(product.drying, blend.hardener)
    clock, film = climate.clock(data), replace(film, below_um=load)
    bands = taught(clock, film, [], known_of(factor, product, film.coat_kind), climate.stands)
    return Top(product, bands, FilmBelow(data, film), climate, layer_id=layer_id)

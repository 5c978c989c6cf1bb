"""What this shop really uses: paint for a square metre, by shape and method, learned from its batches."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from cool_sheen.core.units import Micron, Millilitres, SquareMetres

# What a first batch weighs against the book's figure: a learned yield moves towards the shop's own with each batch.
_BOOK_WEIGHT_ML = 200.0
_LEAST, _MOST = 0.1, 1.0
_FAR = 2.0  # times what the book says: a coat was forgotten, or a figure is wrong


@dataclass(frozen=True, slots=True)
class Use:
    """One coat's share of a batch: what ended as film, and what was used for it."""

    shape: str
    method: str
    area_m2: SquareMetres
    wet_film_um: Micron
    used_ml: Millilitres

    @property
    def film_ml(self) -> Millilitres:
        """What lies on the part. [ml]"""
        return self.area_m2 * self.wet_film_um


@dataclass(frozen=True, slots=True)
class Yield:
    """What a shape and a method really take, over all that was logged."""

    shape: str
    method: str
    batches: int
    area_m2: SquareMetres
    film_ml: Millilitres
    used_ml: Millilitres

    @property
    def ml_per_m2(self) -> float:
        """Ready mix for a square metre and coat. [ml/m2]"""
        return self.used_ml / self.area_m2

    @property
    def transfer(self) -> float:
        """Share of the paint that ended on the part, losses included. [1]"""
        return min(_MOST, max(_LEAST, self.film_ml / self.used_ml))

    def blended(self, book: float) -> float:
        """Transfer to reckon with: the book's at first, the shop's own the more was logged. [1]"""
        shop = self.film_ml + _BOOK_WEIGHT_ML * book
        return min(_MOST, max(_LEAST, shop / (self.used_ml + _BOOK_WEIGHT_ML)))


def doubt(
    uses: Sequence[Use], used_ml: Millilitres, coats: int, planned: int, book_ml: Millilitres = 0.0, missing: str = ""
) -> str:
    """Say why a batch can hardly be right, when its film and its paint are held against each other; nothing if it can.

    Args:
        uses: Its coats.
        used_ml: What was used of it. [ml]
        coats: How many coats came out of it.
        planned: For how many it was mixed; nought where it was mixed for none that is named.
        book_ml: What its coats take by the book, fills and all; nought where nobody knows. [ml]
        missing: Coats that it was mixed for and that are not logged, in words.

    Source: docs/trade.md, Paint and buying.
    """
    film_ml = sum(use.film_ml for use in uses)
    if planned and coats > planned:
        return f"{coats} coats came out of it, and it was mixed for {planned}."
    if not film_ml:
        return ""
    if film_ml > used_ml:
        return f"The films that were logged hold {film_ml:.0f} ml, and {used_ml:.0f} ml were used: that is not enough."
    if film_ml < _LEAST * used_ml:
        return f"Of {used_ml:.0f} ml no more than {film_ml:.0f} ml would lie on the parts: hardly any of it."
    if book_ml and used_ml > _FAR * book_ml:
        far = f"{used_ml:.0f} ml were used, and by the book the coats that are logged take {book_ml:.0f} ml"
        return f"{far}. Which are missing? {missing}" if missing else f"{far}: far off it."
    return ""


def learn_yields(uses: Iterable[Use]) -> dict[tuple[str, str], Yield]:
    """Sum what was used by shape and method.

    Args:
        uses: Coats with their share of what their batch took.

    Returns: One yield for each shape and method that has been logged.
    Source: docs/trade.md, Paint and buying: shop yields are remembered, and offered at the next estimate.
    """
    out: dict[tuple[str, str], Yield] = {}
    for use in uses:
        if use.used_ml <= 0 or use.area_m2 <= 0:
            continue
        key = (use.shape, use.method)
        was = out.get(key, Yield(use.shape, use.method, 0, 0.0, 0.0, 0.0))
        out[key] = Yield(
            use.shape,
            use.method,
            was.batches + 1,
            was.area_m2 + use.area_m2,
            was.film_ml + use.film_ml,
            was.used_ml + use.used_ml,
        )
    return out

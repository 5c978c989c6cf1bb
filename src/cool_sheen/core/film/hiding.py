"""What hides what: whether a coat's colour has to cover a strong one, and whether its film does."""

import colorsys
import math
from collections.abc import Mapping, Sequence

from cool_sheen.core.coatings.products import Product
from cool_sheen.core.coatings.systems import Coat, Layer
from cool_sheen.core.film.build import dry_film
from cool_sheen.core.film.planned import COLOUR_CHANGE, PIGMENT_STRENGTH
from cool_sheen.core.units import Micron

HIDES_ROLES = ("colour", "single_stage")
_SEEN_THROUGH = ("clear", "sealer", "stain")  # what lies below these shows
_PALE_FROM, _DARK_UNDER, _STRONG_FROM = 0.7, 0.4, 0.55  # lightness, lightness, saturation: shop rules


def is_pale(swatch: str) -> bool:
    """Whether a colour is white or a pale tint."""
    return _hls(swatch)[1] >= _PALE_FROM


def is_strong(swatch: str) -> bool:
    """Whether a colour shows through a pale one: it is dark, or clean and strong such as orange."""
    _, lightness, saturation = _hls(swatch)
    return lightness < _DARK_UNDER or (saturation >= _STRONG_FROM and lightness < _PALE_FROM)


def _hls(swatch: str) -> tuple[float, float, float]:
    red, green, blue = (int(swatch[n : n + 2], 16) / 255 for n in (1, 3, 5))
    return colorsys.rgb_to_hls(red, green, blue)


def lies_below(chain: Sequence[Layer], place: int, products: Mapping[str, Product], old: str = "") -> tuple[str, str]:
    """Return the name and the colour of what a layer has to hide.

    Args:
        chain: The layers of a zone, from below.
        place: That of the layer.
        products: Their sheets, by key.
        old: The colour of the old finish; empty where nobody saw it, or nothing is left of it.

    Returns: The nearest layer below that is not looked through, else the old finish; nothing where neither is known.
    """
    for layer in reversed(chain[:place]):
        if layer.role not in _SEEN_THROUGH:
            return layer.name, products[layer.product].swatch
    return ("the old finish", old) if old else ("", "")


def hiding_film(product: Product) -> Micron:
    """The dry film that hides a strong colour; that of a weak pigment where the sheet does not say. [um]

    Source: docs/trade.md, Film: coats to hide, a strong change.
    """
    return (product.hiding_um or PIGMENT_STRENGTH["weak"][1]) * COLOUR_CHANGE["strong"][1]


def film_of(coats: Sequence[Coat], product: Product) -> Micron:
    """The dry film of the coats that count. [um] Source: docs/trade.md, Film."""
    return sum(dry_film(coat.wet_film_um, product.volume_solids_pct) for coat in coats if coat.counted)


def coats_missing(coats: Sequence[Coat], product: Product) -> int:
    """How many more coats, as thick as the last that counts, hide a strong colour. [1]"""
    wanted, counted = hiding_film(product), [coat for coat in coats if coat.counted]
    if not counted:
        return 0
    return max(0, math.ceil((wanted - film_of(coats, product)) / film_of(counted[-1:], product) - 1e-9))

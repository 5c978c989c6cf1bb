"""The dry film as it stands: what coats put on, what sanding took."""

import math
from dataclasses import dataclass, field
from decimal import Decimal

from cool_sheen.core.errors import OutOfRange
from cool_sheen.core.units import Micron, Percent


def dry_film(wet_film_um: Micron, volume_solids_pct: Percent) -> Micron:
    """Dry film that a wet one leaves.

    Args:
        wet_film_um: Wet film. [um]
        volume_solids_pct: Volume solids of the ready mix. [%]

    Returns: Dry film. [um]
    Source: ISO 3233, dry film = wet film x volume solids.
    """
    return wet_film_um * volume_solids_pct / 100


def coats_needed(
    wet_film_um: Micron, volume_solids_pct: Percent, sanding_um: Micron, reserve_um: Micron
) -> tuple[Micron, int]:
    """Coats of a layer so that its reserve is left after the last sanding.

    Args:
        wet_film_um: Wet film of one coat. [um, above 0]
        volume_solids_pct: Volume solids of the ready mix. [%, above 0]
        sanding_um: What sanding will take. [um]
        reserve_um: What must be left. [um]

    Returns: Dry film of one coat [um], and the number of coats, decided in exact decimals. [1]
    Raises: OutOfRange: a coat that leaves no film.
    Source: docs/trade.md, Film: ceil((reserve + sanding) / dry film per coat).
    """
    dry = Decimal(str(wet_film_um)) * Decimal(str(volume_solids_pct)) / 100
    if dry <= 0:
        raise OutOfRange("A coat without solids leaves no film.", "volume_solids_pct")
    wanted = Decimal(str(reserve_um)) + Decimal(str(sanding_um))
    return float(dry), math.ceil(wanted / dry)


GROUND = "@ground"  # what shows where all layers are gone
_SHOWS_UNDER_UM = 1e-6  # film that is nothing but rounding


@dataclass(slots=True)
class LayerFilm:
    """The film of one layer on one zone: coats from below, and what sanding has taken off the top."""

    layer_id: str
    coats_um: list[Micron] = field(default_factory=list)
    sanded_um: Micron = 0.0

    @property
    def left_um(self) -> Micron:
        """What stands of the layer. [um]"""
        return max(0.0, sum(self.coats_um) - self.sanded_um)


@dataclass(slots=True)
class Build:
    """The film of one zone, layers from the substrate up."""

    layers: list[LayerFilm] = field(default_factory=list)

    def coat(self, layer_id: str, dry_um: Micron) -> None:
        """Put a coat on top; a layer that comes back after another becomes a layer of its own."""
        if not self.layers or self.layers[-1].layer_id != layer_id:
            self.layers.append(LayerFilm(layer_id))
        self.layers[-1].coats_um.append(dry_um)

    def sand(self, removal_um: Micron) -> tuple[str, ...]:
        """Take film off the top, layer after layer; return the layers that it went through, from the top."""
        left, through = removal_um, []
        for layer in reversed(self.layers):
            if left <= 0:
                break
            standing = layer.left_um
            taken = min(left, standing)
            layer.sanded_um += taken
            left -= taken
            if standing > 0 and layer.left_um <= _SHOWS_UNDER_UM:
                through.append(layer.layer_id)
        return tuple(through)

    @property
    def standing(self) -> tuple[str, ...]:
        """The layers of which something is left, from the top, each once."""
        return tuple(dict.fromkeys(la.layer_id for la in reversed(self.layers) if la.left_um > _SHOWS_UNDER_UM))

    def down_to(self, layer_id: str) -> tuple[str, ...]:
        """The layers above one that shows, from the top: with ``GROUND`` all, and the top one where it is not said."""
        stand = self.standing
        if layer_id == GROUND:
            return stand
        return stand[: stand.index(layer_id)] if layer_id in stand[1:] else stand[:1]

    @property
    def total_um(self) -> Micron:
        """All film over the substrate. [um]"""
        return sum(layer.left_um for layer in self.layers)

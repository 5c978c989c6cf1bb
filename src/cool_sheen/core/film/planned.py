"""The film that a system is going to leave, zone by zone, and the coats that it takes to hide and to survive."""

import math
from collections.abc import Mapping

from cool_sheen.core.coatings.products import Product
from cool_sheen.core.coatings.systems import Layer, System, Task
from cool_sheen.core.errors import OutOfRange
from cool_sheen.core.film.build import Build, dry_film
from cool_sheen.core.film.grits import scratch_removal
from cool_sheen.core.survey.zones import ZoneFacts
from cool_sheen.core.units import Micron, Percent

# How much film a change of colour asks for, against what hides black on white. A shop rule, to start from.
COLOUR_CHANGE: dict[str, tuple[str, float]] = {
    "same": ("the same shade again", 0.4),
    "near": ("a near shade", 0.7),
    "strong": ("light over dark, or dark over light", 1.0),
    "clean": ("clean red, orange or yellow over anything", 1.5),
}
# Dry film that hides black on white, by the strength of the pigment, where the product does not say. [um]
PIGMENT_STRENGTH: dict[str, tuple[str, Micron]] = {
    "strong": ("strong: black, grey, earth colours", 20.0),
    "medium": ("medium: blues, greens, most tints", 35.0),
    "weak": ("weak: white, yellow, clean red", 60.0),
}


def planned_build(system: System, products: Mapping[str, Product], zone: ZoneFacts | None = None) -> Build:
    """Return the film that a system leaves on a zone when all goes by the plan.

    Args:
        system: What goes on.
        products: Their sheets, by key.
        zone: The zone; None for a part that is one zone.
    """
    build = Build()
    for layer in system.used:
        solids = products[layer.product].volume_solids_pct
        coated = False
        for coat in layer.coats:
            if zone is None or zone.takes(coat.where):
                for rung in layer.between if coated else ():
                    if rung.kind == "sand" and (zone is None or zone.takes(rung.where)):
                        build.sand(taken_between(rung))
                build.coat(layer.id, dry_film(coat.wet_film_um, solids))
                coated = True
        if zone is not None and not any(zone.takes(coat.where) for coat in layer.coats):
            continue
        for rung in layer.sanding:
            if zone is None or zone.takes(rung.where):
                build.sand(rung.removal_um)
    return build


def taken_between(rung: Task) -> Micron:
    """Film that sanding between two coats takes: a scuff, which takes the gloss, where the system does not say. [um]

    Source: docs/trade.md, Sanding: half of the scratches of its grit.
    """
    return rung.removal_um or round(scratch_removal(rung.grit or "") / 2, 1)


def sanding_of(layer: Layer) -> Micron:
    """Film that the sanding after a layer takes. [um] Source: docs/trade.md, Sanding: the sum over its grits."""
    return sum(rung.removal_um for rung in layer.sanding)


def coats_to_hide(
    wet_film_um: Micron, volume_solids_pct: Percent, hiding_um: Micron, change: str
) -> tuple[Micron, int]:
    """A start value for the coats that it takes to hide.

    Args:
        wet_film_um: Wet film of one coat. [um, above 0]
        volume_solids_pct: Volume solids of the ready mix. [%, above 0]
        hiding_um: Dry film that hides black on white. [um, above 0]
        change: A key of COLOUR_CHANGE.

    Returns: Dry film that is wanted [um], and the coats that give it. [1]
    Raises: OutOfRange: a change that the table does not know, or a coat that leaves no film.
    Source: docs/trade.md, Film: a shop rule to start from; the test card decides.
    """
    if change not in COLOUR_CHANGE:
        raise OutOfRange(f"Choose the change of colour from: {', '.join(COLOUR_CHANGE)}.", "change")
    dry = dry_film(wet_film_um, volume_solids_pct)
    if dry <= 0 or hiding_um <= 0:
        raise OutOfRange("A coat without solids hides nothing.", "volume_solids_pct")
    wanted = hiding_um * COLOUR_CHANGE[change][1]
    return wanted, max(1, math.ceil(wanted / dry - 1e-9))

"""Changes to a system, one at a time. Each gives a new system, checked whole, and leaves the old one alone."""

from collections.abc import Sequence
from typing import Any

from pydantic import ValidationError

from cool_sheen.core.coatings.families import ROLE_WORDS
from cool_sheen.core.coatings.products import Product
from cool_sheen.core.coatings.systems import Coat, Finish, Layer, Override, Prepare, Sanding, System
from cool_sheen.core.complaints import complaints
from cool_sheen.core.errors import Inconsistent
from cool_sheen.core.units import Micron

_USUAL_COATS = {"sealer": 1, "surfacer": 3, "filler": 1}


def _made(system: System, **changes: Any) -> System:
    """Return the system with these fields changed. Raises Inconsistent with the first reason."""
    try:
        return System.model_validate({**system.model_dump(), **changes})
    except ValidationError as error:
        place, words = next(iter(complaints(error).items()))
        raise Inconsistent(words, place) from error


def _with_layers(system: System, layers: Sequence[Layer]) -> System:
    return _made(system, layers=[layer.model_dump() for layer in layers])


def _place(system: System, layer_id: str) -> int:
    for place, layer in enumerate(system.layers):
        if layer.id == layer_id:
            return place
    raise Inconsistent("This system has no such layer: load the page again.", "layer")


def new_layer(system: System, product: Product) -> Layer:
    """Return a layer of a product with the coats and films that are usual for its role, under an id of its own."""
    taken = {layer.id for layer in system.layers}
    number = next(n for n in range(1, 100) if f"{product.role.replace('_', '-')}-{n}" not in taken)
    film = min(max(product.ref_wet_film_um, product.wet_film_min_um), product.wet_film_max_um)
    return Layer(
        id=f"{product.role.replace('_', '-')}-{number}",
        name=ROLE_WORDS[product.role].capitalize(),
        role=product.role,
        product=product.key,
        coats=tuple(Coat(wet_film_um=film) for _ in range(_USUAL_COATS.get(product.role, 2))),
    )


def add_layer(system: System, layer: Layer, at: int) -> System:
    """Put a layer in at a place from below; 0 is straight on the ground."""
    layers = list(system.layers)
    layers.insert(max(0, min(at, len(layers))), layer)
    return _with_layers(system, layers)


def remove_layer(system: System, layer_id: str) -> System:
    """Take a layer out. Raises Inconsistent for the last one, and for one that must stay."""
    layer = system.layers[_place(system, layer_id)]
    if layer.must_stay:
        raise Inconsistent(f"{layer.name} must not be left out: {layer.must_stay}", "layer")
    if len(system.layers) == 1:
        raise Inconsistent("A system needs one layer at least: add another one first.", "layer")
    return _with_layers(system, [la for la in system.layers if la.id != layer_id])


def move_layer(system: System, layer_id: str, to: int) -> System:
    """Put a layer to another place, counted from below."""
    layers = list(system.layers)
    layer = layers.pop(_place(system, layer_id))
    layers.insert(max(0, min(to, len(layers))), layer)
    return _with_layers(system, layers)


def edit_layer(system: System, layer_id: str, **changes: Any) -> System:
    """Change fields of a layer. Raises Inconsistent."""
    place = _place(system, layer_id)
    layers = [layer.model_dump() for layer in system.layers]
    layers[place].update(changes)
    return _made(system, layers=layers)


def swap_product(system: System, layer_id: str, product: Product) -> System:
    """Give a layer another product: its films are brought into the new sheet's range, its role follows."""
    layer = system.layers[_place(system, layer_id)]
    coats = [
        c.model_dump() | {"wet_film_um": min(max(c.wet_film_um, product.wet_film_min_um), product.wet_film_max_um)}
        for c in layer.coats
    ]
    return edit_layer(system, layer_id, product=product.key, role=product.role, coats=coats)


def set_coats(system: System, layer_id: str, coats: Sequence[Coat]) -> System:
    """Give a layer its coats."""
    return edit_layer(system, layer_id, coats=[coat.model_dump() for coat in coats])


def set_sanding(system: System, layer_id: str, rungs: Sequence[tuple[str, Micron]], wet: bool = False) -> System:
    """Sand a layer with these grits before the next one, and wipe and tack after it; no grits: no sanding."""
    sanding = [Sanding(grit=grit, removal_um=round(um, 1), wet=wet).model_dump() for grit, um in rungs]
    return edit_layer(system, layer_id, sanding=sanding, then=("wipe", "tack") if sanding else ())


def set_prepare(system: System, steps: Sequence[Prepare]) -> System:
    """Give a system its preparation."""
    return _made(system, prepare=[step.model_dump() for step in steps])


def set_finish(system: System, steps: Sequence[Finish]) -> System:
    """Give a system its end."""
    return _made(system, finish=[step.model_dump() for step in steps])


def with_prepare(system: System, kind: str, grit: str | None = None, *, again: bool = False) -> System:
    """Put a step into the preparation where the trade has it, unless it is there; ``again``: once more.

    A test patch comes before anything is stripped, degreasing before the first sanding; what has no place of its own
    stands where it is.
    """
    steps = list(system.prepare)
    wanted = Prepare.model_validate({"kind": kind, "grit": grit})
    if any(step.kind == kind for step in steps) and not again:
        return system
    order = ("wash", "test_patch", "strip", "degrease", "fill", "sand", "wipe", "mask", "tack")
    rank = {name: place for place, name in enumerate(order)}
    mine = rank.get(kind, len(order))
    at = next((n for n, step in enumerate(steps) if rank.get(step.kind, len(order)) > mine), len(steps))
    steps.insert(at, wanted)
    return set_prepare(system, steps)


def without_prepare(system: System, kind: str) -> System:
    """Leave a step out of the preparation."""
    return set_prepare(system, [step for step in system.prepare if step.kind != kind])


def with_turning(system: System, turning: str) -> System:
    """Say in which order faces are coated that cannot be coated at one time. Raises Inconsistent."""
    return _made(system, turning=turning)


def overridden(system: System, rule: str, place: str, reason: str) -> System:
    """Keep a reason for going against a rule at a place; an empty reason takes it back. Raises Inconsistent."""
    kept = [o.model_dump() for o in system.overrides if (o.rule, o.place) != (rule, place)]
    if reason:
        if len(reason) < 3:
            raise Inconsistent("Write the reason in words: it stays with the job.", "reason")
        kept.append(Override(rule=rule, place=place, reason=reason[:400]).model_dump())
    return _made(system, overrides=kept)


def renamed(system: System, key: str, name: str, note: str | None = None) -> System:
    """Return a copy under another key and name."""
    return _made(system, key=key, name=name, note=note or system.note)

"""What the builder's buttons and fields mean: each reads its part of the form and gives a change of the system."""

from collections.abc import Callable, Sequence
from typing import Any

from cool_sheen.core.coatings import edit
from cool_sheen.core.coatings.systems import COAT_WORDS, COUNTS, Coat, Layer, System
from cool_sheen.service.building import Design, Edit
from cool_sheen.service.unit import Refused
from cool_sheen.web.forms import Typed, is_place
from cool_sheen.web.pages.task_ops import task

_MOST_COATS = 30


def _layer(typed: Typed, design: Design) -> Layer:
    found = next((la for la in design.system.layers if la.id == typed.text("layer")), None)
    if found is None:
        raise Refused("This system has no such layer: load the page again.", status=409)
    return found


def _whole(typed: Typed, name: str, low: int, high: int) -> int:
    number = typed.number(name, low, high)
    if number is None or number != int(number):
        raise Refused("Check what was entered.", typed.notes or {name: f"Enter a whole number, {low} to {high}."})
    return int(number)


def _stop(typed: Typed) -> None:
    typed.stop("Check what was entered: the system is as it was.")


def add(typed: Typed, design: Design) -> Edit:
    """Put a new layer on top, or at a place from below."""
    product = design.shelf.products.get(typed.text("product"))
    if product is None:
        raise Refused("Choose a product.", {"product": "Choose a product of the shelf."})
    at = typed.number("at", 0, _MOST_COATS)
    place = len(design.system.layers) if at is None else int(at)
    return lambda system: edit.add_layer(system, edit.new_layer(system, product), place)


def remove(typed: Typed, design: Design) -> Edit:
    """Take a layer out."""
    layer = _layer(typed, design)
    return lambda system: edit.remove_layer(system, layer.id)


def move(typed: Typed, design: Design) -> Edit:
    """Put a layer to a place: ``to`` counts from below; ``by`` goes up or down."""
    layer = _layer(typed, design)
    here = [la.id for la in design.system.layers].index(layer.id)
    to = here + _whole(typed, "by", -30, 30) if typed.text("by") else _whole(typed, "to", 0, 30)
    return lambda system: edit.move_layer(system, layer.id, to)


def layer(typed: Typed, design: Design) -> Edit:
    """Take the fields of a layer, its coats and its sanding; ``also`` adds or removes a coat on top of that."""
    chosen = _layer(typed, design)
    product = design.shelf.products.get(typed.text("product"))
    if product is None:
        raise Refused("Choose a product.", {"product": "Choose a product of the shelf."})
    fields = _fields(typed, chosen)
    coats = _also(typed.text("also"), _coats(typed, chosen), product.ref_wet_film_um)
    name = typed.text("layer_name")
    _stop(typed)

    def change(system: System) -> System:
        if product.key != chosen.product:
            system = edit.swap_product(system, chosen.id, product, design.products.get(chosen.product))
            return system if name in ("", chosen.name) else edit.edit_layer(system, chosen.id, name=name)
        called = name or edit.layer_name(system, product, chosen.id)
        return edit.edit_layer(system, chosen.id, **fields, name=called, coats=[c.model_dump() for c in coats])

    return change


def _fields(typed: Typed, chosen: Layer) -> dict[str, Any]:
    rounds = typed.number("rounds_most", 1, 30)
    return {
        "hardener_speed": typed.text("hardener_speed") or chosen.hardener_speed,
        "reducer_speed": typed.text("reducer_speed") or chosen.reducer_speed,
        "reserve_um": typed.quantity("reserve", "film", -0.001, 5000, optional=True) or 0,
        "left_out": typed.flag("left_out"),
        "broadcast": typed.text("broadcast") or None,
        "rounds_most": int(rounds) if rounds else None,
    }


def _coats(typed: Typed, chosen: Layer) -> list[Coat]:
    out = []
    for place in range(_MOST_COATS):
        name = f"coat_{place}"
        kind = typed.text(f"{name}_kind")
        if not kind:
            break
        if kind not in COAT_WORDS:
            typed.notes[f"{name}_kind"] = f"Choose a kind of coat for coat {place + 1}."
            continue
        film = typed.quantity(f"{name}_film", "film", 0, 20_000)
        where = typed.text(f"{name}_where") or "all"
        said = _said_to_count(typed.text(f"{name}_counts"), kind, chosen.coats[place : place + 1])
        if film is not None:
            try:
                out.append(Coat.model_validate({"kind": kind, "wet_film_um": film, "where": where, "counts": said}))
            except ValueError:
                typed.notes[f"{name}_where"] = f"Choose from the list where coat {place + 1} goes."
    return out or list(chosen.coats)


def _said_to_count(said: str, kind: str, before: Sequence[Coat]) -> bool | None:
    """Whether a coat was said to count; what is usual for its kind is not written down, and a new kind starts usual."""
    if said not in ("yes", "no") or (before and before[0].kind != kind):
        return None
    return None if (said == "yes") == COUNTS[kind] else said == "yes"


def _also(what: str, coats: list[Coat], usual_um: float) -> list[Coat]:
    """Add or remove coats: ``coat-add:mist`` comes first, other kinds last; ``take:3`` makes it three full ones."""
    verb, _, detail = what.partition(":")
    if verb == "coat-add" and detail in COAT_WORDS:
        first = detail in ("mist", "stripe")
        share = 0.6 if first else 1.0
        fresh = Coat.model_validate(
            {
                "kind": detail,
                "wet_film_um": round(share * (coats[-1].wet_film_um if coats else usual_um)),
                "where": "edge" if detail == "stripe" else "all",
            }
        )
        return [fresh, *coats] if first else [*coats, fresh]
    if verb == "coat-remove" and is_place(detail) and len(coats) > 1:
        return [c for n, c in enumerate(coats) if n != int(detail)]
    if verb == "take" and is_place(detail) and 0 < int(detail) <= _MOST_COATS:
        full = next((c for c in coats if c.counted and c.where == "all"), coats[-1])
        return [*(c for c in coats if not c.counted or c.where != "all"), *[full] * int(detail)]
    return coats


def rename(typed: Typed, design: Design) -> Edit:
    """Give the system another name and note."""
    name = typed.text("system_name", "a name for the system")
    note = typed.text("system_note", most=200) or design.system.note
    _stop(typed)
    return lambda system: edit.renamed(system, system.key, name, note)


def start_from(typed: Typed, design: Design) -> Edit:
    """Put another ready-made system in the place of this one; what it is called and where it stands stays."""
    other = design.shelf.systems.get(typed.text("system"))
    if other is None:
        raise Refused("Choose a system.", {"system": "Choose a system of the list."})
    if design.site.part:
        return lambda _: other
    return lambda system: edit.renamed(other, system.key, system.name, system.note)


OPS: dict[str, Callable[[Typed, Design], Edit]] = {
    "add": add, "remove": remove, "move": move, "layer": layer, "task": task, "rename": rename,
    "start_from": start_from,
}  # fmt: skip

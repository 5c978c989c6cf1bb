"""Changes to a system, one at a time. Each gives a new system, checked whole, and leaves the old one alone."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from pydantic import ValidationError

from cool_sheen.core.coatings.families import ROLE_WORDS
from cool_sheen.core.coatings.products import Product
from cool_sheen.core.coatings.systems import Coat, Layer, Override, System, Task, named_tasks
from cool_sheen.core.complaints import complaints
from cool_sheen.core.errors import Inconsistent
from cool_sheen.core.units import Micron

_USUAL_COATS = {"sealer": 1, "surfacer": 3, "filler": 1}
_AFTER_SANDING = ("wipe", "tack")


@dataclass(frozen=True, slots=True)
class Spot:
    """A list of tasks in a system: ``prepare``, ``finish``, or ``between`` and ``then`` of a layer."""

    stage: str
    layer_id: str = ""

    def of(self, system: System) -> tuple[Task, ...]:
        """Return its tasks. Raises Inconsistent."""
        if self.stage in ("prepare", "finish"):
            return system.prepare if self.stage == "prepare" else system.finish
        layer = system.layers[_place(system, self.layer_id)]
        return layer.between if self.stage == "between" else layer.then


PREPARE, FINISH = Spot("prepare"), Spot("finish")


def spots_of(system: System) -> list[Spot]:
    """Return every list of tasks of a system, in order of the work."""
    inner = [Spot(stage, layer.id) for layer in system.layers for stage in ("between", "then")]
    return [PREPARE, *inner, FINISH]


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


def layer_name(system: System, product: Product, but: str = "") -> str:
    """Name a layer by its product: short, and whole where another layer than ``but`` has that name already."""
    short = product.name.partition(",")[0]
    return product.name if any(la.name == short for la in system.layers if la.id != but) else short


def new_layer(system: System, product: Product) -> Layer:
    """Return a layer of a product with the coats and films that are usual for its role, under an id of its own."""
    taken = {layer.id for layer in system.layers}
    number = next(n for n in range(1, 100) if f"{product.role.replace('_', '-')}-{n}" not in taken)
    film = min(max(product.ref_wet_film_um, product.wet_film_min_um), product.wet_film_max_um)
    return Layer(
        id=f"{product.role.replace('_', '-')}-{number}",
        name=layer_name(system, product),
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


def swap_product(system: System, layer_id: str, product: Product, before: Product | None = None) -> System:
    """Give a layer another product: its films are brought into the new sheet's range, its role follows.

    Its name follows, too, where it is that of the product ``before``, or of a role.
    """
    layer = system.layers[_place(system, layer_id)]
    given = {words.capitalize() for words in ROLE_WORDS.values()}
    given |= {before.name, before.name.partition(",")[0]} if before else set()
    name = layer_name(system, product, layer_id) if layer.name in given else layer.name
    coats = [
        c.model_dump() | {"wet_film_um": min(max(c.wet_film_um, product.wet_film_min_um), product.wet_film_max_um)}
        for c in layer.coats
    ]
    return edit_layer(system, layer_id, name=name, product=product.key, role=product.role, coats=coats)


def set_coats(system: System, layer_id: str, coats: Sequence[Coat]) -> System:
    """Give a layer its coats."""
    return edit_layer(system, layer_id, coats=[coat.model_dump() for coat in coats])


def set_sanding(system: System, layer_id: str, rungs: Sequence[tuple[str, Micron]], wet: bool = False) -> System:
    """Sand a layer with these grits before the next one, and wipe and tack after it; no grits: no sanding.

    What else is done there stays where it is; without sanding the wipe and the tack right after it go, too.
    """
    spot = Spot("then", layer_id)
    tasks = pinned(system, spot)
    first = next((n for n, task in enumerate(tasks) if task.kind == "sand"), 0)
    was = {task.grit: task.id for task in tasks if task.kind == "sand"}
    made = [Task(id=was.get(grit, ""), kind="sand", grit=grit, removal_um=round(um, 1), wet=wet) for grit, um in rungs]
    if made:
        rest = [task for task in tasks if task.kind != "sand"]
        after = [Task(kind="wipe"), Task(kind="tack")] if not any(t.kind in _AFTER_SANDING for t in rest) else []
        return with_tasks(system, spot, [*rest[:first], *made, *after, *rest[first:]])
    kept, dusty = [], False
    for task in tasks:
        dusty = task.kind == "sand" or (dusty and task.kind in _AFTER_SANDING)
        kept += [] if dusty else [task]
    return with_tasks(system, spot, kept)


def pinned(system: System, spot: Spot) -> list[Task]:
    """Return the tasks of a spot with the names that the log knows them by, so that they can be moved."""
    return [task.model_copy(update={"id": name}) for name, task in named_tasks(spot.stage, spot.of(system))]


def with_tasks(system: System, spot: Spot, tasks: Sequence[Task]) -> System:
    """Give a spot its tasks; those that are new there get names of their own. Raises Inconsistent."""
    before = pinned(system, spot)
    if [t.model_copy(update={"id": ""}) for t in before] == [t.model_copy(update={"id": ""}) for t in tasks]:
        return system  # the same work, whatever it is called
    taken = {task.id for task in (*before, *tasks)}
    named = []
    for task in tasks:
        name = task.id or next(n for k in range(1, 200) if (n := _fresh_name(spot, task, k)) not in taken)
        taken.add(name)
        named.append((task.model_copy(update={"id": name})).model_dump())
    if spot.stage in ("prepare", "finish"):
        return _made(system, **{spot.stage: named})
    return edit_layer(system, spot.layer_id, **{spot.stage: named})


def _fresh_name(spot: Spot, task: Task, number: int) -> str:
    """A name by kind; the first sanding between coats and the first with a grit have always had theirs."""
    if spot.stage == "then" and task.kind == "sand":
        return f"sand:{task.grit}" if number == 1 else f"sand:{task.grit}-{number}"
    if spot.stage == "between":
        name = "scuff" if task.kind == "sand" else task.kind
        return name if number == 1 else f"{name}-{number}"
    return f"{task.kind}-{number}"


def set_prepare(system: System, steps: Sequence[Task]) -> System:
    """Give a system its preparation."""
    return with_tasks(system, PREPARE, steps)


def set_finish(system: System, steps: Sequence[Task]) -> System:
    """Give a system its end."""
    return with_tasks(system, FINISH, steps)


def with_prepare(system: System, kind: str, grit: str | None = None, *, again: bool = False) -> System:
    """Put a step into the preparation where the trade has it, unless it is there; ``again``: once more.

    A test patch comes before anything is stripped, degreasing before the first sanding; what has no place of its own
    stands where it is.
    """
    steps = pinned(system, PREPARE)
    wanted = Task.model_validate({"kind": kind, "grit": grit})
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
    return set_prepare(system, [step for step in pinned(system, PREPARE) if step.kind != kind])


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


def blank(key: str, name: str, product: Product) -> System:
    """Return a system that has nothing but one layer of a product. Raises Inconsistent."""
    first = Layer(
        id="layer-1",
        name="?",
        role=product.role,
        product=product.key,
        coats=(Coat(wet_film_um=product.ref_wet_film_um),),
    )
    nothing = System(key=key, name="?", note="A system of your own.", layers=(first,))
    return _made(nothing, name=name, layers=[new_layer(nothing, product).model_dump()])


def with_wheres(system: System, wheres: Mapping[str, str]) -> System:
    """Put other places in the place of some, wherever a coat or a task names them. Raises Inconsistent."""

    def put(data: Any) -> Any:
        if isinstance(data, dict):
            return {k: wheres.get(v, v) if k == "where" else put(v) for k, v in data.items()}
        return [put(item) for item in data] if isinstance(data, list | tuple) else data

    return System.model_validate(put(system.model_dump()))


def renamed(system: System, key: str, name: str, note: str | None = None) -> System:
    """Return a copy under another key and name."""
    return _made(system, key=key, name=name, note=note or system.note)

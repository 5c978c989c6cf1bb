"""The steps of a system on a part, in order, and which of them the log says are done."""

from collections.abc import Mapping
from dataclasses import dataclass

from cool_sheen.core.coatings.products import Product
from cool_sheen.core.coatings.systems import STEP_WORDS, Layer, System
from cool_sheen.core.log.fold import Done, PartState
from cool_sheen.core.units import Micron, Minutes, SquareMetres


@dataclass(frozen=True, slots=True)
class Step:
    """One thing to do. ``slot`` is the layer after whose coats it comes; empty before the first coat."""

    id: str
    kind: str
    label: str
    slot: str = ""
    layer: Layer | None = None
    coat_no: int = 0
    grit: str | None = None
    removal_um: Micron = 0
    wet: bool = False
    after: str | None = None


@dataclass(frozen=True, slots=True)
class Progress:
    """A step, and how it stands: ``done``, ``skipped``, ``next`` or ``ahead``."""

    step: Step
    status: str


# Hands-on time: minutes to get going, and minutes a square metre of the part.
LABOUR: dict[str, tuple[Minutes, Minutes]] = {
    "wash": (10, 6), "degrease": (8, 5), "strip": (20, 60), "fill": (20, 20), "sand": (10, 18), "wipe": (5, 3),
    "mask": (15, 10), "tack": (3, 2), "mix": (8, 0), "induct": (0, 0), "coat": (8, 5), "turn": (10, 2),
    "inspect": (5, 3), "unmask": (8, 4), "clean_gun": (12, 0), "bake": (10, 0), "polish": (15, 40),
    "assemble": (20, 10),
}  # fmt: skip


def labour_minutes(kind: str, area_m2: SquareMetres) -> Minutes:
    """Hands-on time of a step on a part. [min]"""
    base, by_area = LABOUR.get(kind, (10, 5))
    return base + by_area * area_m2


def steps_of(system: System) -> list[Step]:
    """Return every step of a system, in order; ids stay the same as long as the system does."""
    steps = [
        Step(f"prepare:{place}:{prep.kind}", prep.kind, _label(prep.kind, prep.grit), grit=prep.grit)
        for place, prep in enumerate(system.prepare, start=1)
    ]
    for layer in system.layers:
        steps += _layer_steps(layer)
    top = system.layers[-1].id
    steps += [
        Step(f"finish:{place}:{finish.kind}", finish.kind, _label(finish.kind), slot=top, after=finish.after)
        for place, finish in enumerate(system.finish, start=1)
    ]
    return steps


def _layer_steps(layer: Layer) -> list[Step]:
    coats = [
        Step(f"{layer.id}:coat:{n}", "coat", f"{layer.name}, coat {n}", slot=layer.id, layer=layer, coat_no=n)
        for n in range(1, layer.coats + 1)
    ]
    sanding = [
        Step(
            f"{layer.id}:sand:{s.grit}",
            "sand",
            _label("sand", s.grit),
            slot=layer.id,
            layer=layer,
            grit=s.grit,
            removal_um=s.removal_um,
            wet=s.wet,
        )
        for s in layer.sanding
    ]
    then = [
        Step(f"{layer.id}:then:{n}:{kind}", kind, _label(kind), slot=layer.id) for n, kind in enumerate(layer.then, 1)
    ]
    return [*coats, *sanding, *then]


def _label(kind: str, grit: str | None = None) -> str:
    return f"{STEP_WORDS[kind]} {grit}" if grit else STEP_WORDS[kind]


def progress(steps: list[Step], state: PartState) -> list[Progress]:
    """Say of each step how it stands by the log.

    The work goes forward: what was left out before the last thing done is skipped, not next.
    """
    done = _done_steps(steps, state)
    last = max((place for place, step in enumerate(steps) if step.id in done), default=-1)
    out = []
    for place, step in enumerate(steps):
        if step.id in done:
            status = "done"
        elif place < last:
            status = "skipped"
        else:
            status = "next" if place == last + 1 else "ahead"
        out.append(Progress(step, status))
    return out


def next_step(steps: list[Step], state: PartState) -> Step | None:
    """Return the step that is next; None when there is none left."""
    return next((p.step for p in progress(steps, state) if p.status == "next"), None)


def _done_steps(steps: list[Step], state: PartState) -> set[str]:
    known = {step.id for step in steps}
    done = {work.planned_step for work in state.done if work.planned_step in known}
    done |= {s.id for s in steps if s.kind == "coat" and s.layer and state.counts[s.layer.id] >= s.coat_no}
    loose = [work for work in state.done if work.planned_step not in known]
    for step in steps:
        if step.id not in done and step.kind != "coat" and (match := _matching(step, loose, state)):
            loose.remove(match)
            done.add(step.id)
    return {step_id for step_id in done if step_id}


def _matching(step: Step, loose: list[Done], state: PartState) -> Done | None:
    """Find work that was logged outside the plan and serves this step: same kind and grit, in the same place."""
    of_slot = [c.place for c in state.coats if c.payload.layer_id == step.slot]
    first = min((c.place for c in state.coats), default=None)
    for work in loose:
        in_place = (max(of_slot) < work.place) if of_slot else (not step.slot and (first is None or work.place < first))
        if in_place and work.kind == step.kind and work.grit == step.grit:
            return work
    return None


def following_product(steps: list[Step], state: PartState, products: Mapping[str, Product]) -> Product | None:
    """Return the product of the next coat; None after the last."""
    for entry in progress(steps, state):
        if entry.status in ("next", "ahead") and entry.step.layer and entry.step.kind == "coat":
            return products[entry.step.layer.product]
    return None

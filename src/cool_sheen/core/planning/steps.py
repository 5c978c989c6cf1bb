"""The steps of a system on a part, in order, and which of them the log says are done."""

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from uuid import UUID

from cool_sheen.core.coatings.products import Product
from cool_sheen.core.coatings.systems import COAT_WORDS, STEP_WORDS, Coat, Finish, Layer, System, where_words
from cool_sheen.core.film.grits import scratch_removal
from cool_sheen.core.log.fold import Done, PartState
from cool_sheen.core.survey.zones import ZoneFacts
from cool_sheen.core.units import Celsius, Micron, Minutes, SquareMetres


@dataclass(frozen=True, slots=True)
class Step:
    """One thing to do. ``slot`` is the layer after whose coats it comes; empty before the first coat.

    ``zones`` are those that it is for, all of them when it is empty; ``needs`` says for each how many counting coats
    of the layer it has after this one.
    """

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
    coat: Coat | None = None
    zones: frozenset[UUID] = frozenset()
    needs: tuple[tuple[UUID, int], ...] = ()
    area_m2: SquareMetres | None = None
    hold_minutes: Minutes | None = None
    metal_temp_c: Celsius | None = None
    method: str = "hvlp"


@dataclass(frozen=True, slots=True)
class Progress:
    """A step, and how it stands: ``done``, ``skipped``, ``next`` or ``ahead``."""

    step: Step
    status: str


def steps_of(system: System, zones: Sequence[ZoneFacts] = ()) -> list[Step]:
    """Return every step of a system on a part, in order; ids stay the same as long as the system does.

    Args:
        system: What goes on.
        zones: The part's zones; without them every coat is for the whole part. Zones of several settings-up are
            coated one setting after the other, and turned between.
    """
    part = _Zoned(zones)
    steps = [
        Step(f"prepare:{place}:{prep.kind}", prep.kind, _label(prep.kind, prep.grit), grit=prep.grit)
        for place, prep in enumerate(system.prepare, start=1)
    ]
    for place, group in enumerate(_groups(system.used)):
        steps += _group_steps(group, part, backwards=bool(place % 2))
    top = system.used[-1].id
    steps += [_finish_step(place, finish, top) for place, finish in enumerate(system.finish, start=1)]
    return steps


class _Zoned:
    """The zones of a part by the setting-up in which they are coated."""

    def __init__(self, zones: Sequence[ZoneFacts]) -> None:
        self.zones = zones
        self.settings = sorted({z.setting for z in zones}) or [1]

    def taking(self, coat: Coat, setting: int) -> list[ZoneFacts]:
        """Return the zones of a setting that take a coat."""
        return [z for z in self.zones if z.setting == setting and z.takes(coat.where)]

    def every(self, zones: list[ZoneFacts]) -> bool:
        """Whether these are all zones of the part."""
        return len(zones) == len(self.zones)


def _groups(layers: Sequence[Layer]) -> list[list[Layer]]:
    """Put layers together that follow each other without sanding: they are coated in one setting-up."""
    groups: list[list[Layer]] = [[]]
    for layer in layers:
        groups[-1].append(layer)
        if layer.sanding or layer.then:
            groups.append([])
    return [group for group in groups if group]


def _group_steps(group: list[Layer], part: _Zoned, backwards: bool) -> list[Step]:
    settings = part.settings[::-1] if backwards else part.settings
    steps: list[Step] = []
    for place, setting in enumerate(settings):
        tail = f"@{setting}" if setting != part.settings[0] else ""
        if place:
            before = [z for z in part.zones if z.setting == settings[place - 1]]
            here = frozenset(z.uuid for z in before)
            steps.append(
                Step(f"{group[-1].id}:turn{tail or '@1'}", "turn", "Turn: coat the other side", slot=group[-1].id,
                     after="turn", zones=here, area_m2=sum(z.area_m2 for z in before))
            )  # fmt: skip
        for layer in group:
            steps += _coat_steps(layer, part, setting, tail)
    last = group[-1]
    steps += [
        Step(f"{last.id}:sand:{s.grit}", "sand", _label("sand", s.grit), slot=last.id, layer=last, grit=s.grit,
             removal_um=s.removal_um, wet=s.wet)
        for s in last.sanding
    ]  # fmt: skip
    steps += [
        Step(f"{last.id}:then:{n}:{kind}", kind, _label(kind), slot=last.id) for n, kind in enumerate(last.then, 1)
    ]
    return steps


def _coat_steps(layer: Layer, part: _Zoned, setting: int, tail: str) -> list[Step]:
    steps: list[Step] = []
    had: Counter[UUID] = Counter()
    for number, coat in enumerate(layer.coats, start=1):
        zones = part.taking(coat, setting)
        if part.zones and not zones:
            continue
        if steps and layer.between_coats != "nothing":
            steps.append(_between(layer, number, tail))
        for zone in zones:
            had[zone.uuid] += coat.counted
        steps.append(
            Step(
                f"{layer.id}:coat:{number}{tail}", "coat", _coat_label(layer, number, zones, part), slot=layer.id,
                layer=layer, coat_no=sum(c.counted for c in layer.coats[:number]), coat=coat,
                zones=frozenset() if part.every(zones) else frozenset(z.uuid for z in zones),
                needs=tuple((z.uuid, had[z.uuid]) for z in zones),
                area_m2=sum(z.area_m2 for z in zones) if part.zones else None,
                method=zones[0].method if zones else "hvlp",
            )
        )  # fmt: skip
    if layer.broadcast and steps:
        steps.append(Step(f"{layer.id}:broadcast{tail}", "broadcast", STEP_WORDS["broadcast"], slot=layer.id))
    if layer.rounds_most:
        steps.append(
            Step(f"{layer.id}:inspect{tail}", "inspect", "Inspect: another round where it is thin", slot=layer.id)
        )
    return steps


def _between(layer: Layer, number: int, tail: str) -> Step:
    """What is done between two coats of a layer."""
    how = layer.between_coats
    if how == "degloss":
        return Step(f"{layer.id}:degloss:{number}{tail}", "degloss", _label("degloss"), slot=layer.id, after="sand")
    removal = scratch_removal(how) / 2  # a scuff takes the gloss, not the film
    return Step(
        f"{layer.id}:scuff:{number}{tail}", "sand", _label("sand", how), slot=layer.id, layer=layer, grit=how,
        removal_um=round(removal, 1),
    )  # fmt: skip


def _coat_label(layer: Layer, number: int, zones: list[ZoneFacts], part: _Zoned) -> str:
    coat = layer.coats[number - 1]
    kind = "coat" if coat.kind == "full" else COAT_WORDS[coat.kind]
    label = f"{layer.name}, {kind} {number}"
    if not zones or part.every(zones):
        return label
    where = where_words(coat.where) if coat.where != "all" else ""
    names = where or (", ".join(z.name for z in zones) if len(zones) < 3 else f"{len(zones)} zones")
    return f"{label}: {names}"


def _finish_step(place: int, finish: Finish, top: str) -> Step:
    label = _label(finish.kind)
    if finish.metal_temp_c is not None:
        label = f"{label} to {finish.metal_temp_c:g} °C metal, hold {finish.hold_minutes or 0:g} min"
    return Step(
        f"finish:{place}:{finish.kind}", finish.kind, label, slot=top, after=finish.after,
        hold_minutes=finish.hold_minutes, metal_temp_c=finish.metal_temp_c,
    )  # fmt: skip


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
    done |= {s.id for s in steps if s.kind == "coat" and _coated(s, state)}
    loose = [work for work in state.done if work.planned_step not in known]
    for step in steps:
        if step.id not in done and step.kind != "coat" and (match := _matching(step, loose, state)):
            loose.remove(match)
            done.add(step.id)
    return {step_id for step_id in done if step_id}


def _coated(step: Step, state: PartState) -> bool:
    """Whether every zone of a coat step has it: counted coats are counted, the others go by their own name."""
    assert step.layer is not None
    assert step.coat is not None
    if not step.coat.counted:
        reached = {zone for c in state.coats if c.planned_step == step.id for zone in c.zones}
        return bool(reached) and {zone for zone, _ in step.needs} <= reached
    if not step.needs:
        return state.counts[step.layer.id] >= step.coat_no
    return all(state.coats_by_zone[zone][step.layer.id] >= n for zone, n in step.needs if zone in state.coats_by_zone)


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

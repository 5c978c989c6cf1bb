"""The steps of a system on a part, in order: coats, sanding, heat, and work that leaves no film."""

from collections import Counter
from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any, ClassVar, TypeVar
from uuid import UUID

from cool_sheen.core.coatings.products import HeatStage, Product
from cool_sheen.core.coatings.systems import (
    AT_ONCE,
    COAT_WORDS,
    STEP_WORDS,
    USUAL_AFTER,
    Coat,
    Layer,
    System,
    Task,
    named_tasks,
    where_words,
)
from cool_sheen.core.film.planned import taken_between
from cool_sheen.core.survey.zones import ZoneFacts
from cool_sheen.core.units import Celsius, Micron, Minutes, SquareMetres

Zones = frozenset[UUID]


@dataclass(frozen=True, slots=True, kw_only=True)
class _Step:
    """What all steps have. ``slot`` is the layer after whose coats it comes; empty before the first coat.

    ``wait_minutes`` is how long it waits on top of what was done before it, ``why`` in whose words; ``holds`` says that
    nothing follows before it was passed. ``round`` numbers the rounds of a layer that ends when a look finds nothing;
    ``mends`` is the entry that asked for it, where it is no step of the system; ``apart`` says that zones which do not
    get it go on without waiting for it. ``to_tick`` is what is seen to with it; ``minutes`` its own hands-on time,
    where it has one, ``per_m2`` for each square metre.
    """

    id: str
    label: str
    zones: Zones
    area_m2: SquareMetres
    slot: str = ""
    method: str = "hvlp"
    wait_minutes: Minutes = 0.0
    why: str = ""
    holds: bool = False
    round: int = 0
    mends: UUID | None = None
    apart: bool = False
    to_tick: tuple[str, ...] = ()
    minutes: Minutes | None = None
    per_m2: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class CoatStep(_Step):
    """One coat of a layer. ``needs`` says for each zone how many counting coats of the layer it has after this one."""

    kind: ClassVar[str] = "coat"
    layer: Layer
    coat: Coat
    number: int
    needs: tuple[tuple[UUID, int], ...]
    setting: int = 1


@dataclass(frozen=True, slots=True, kw_only=True)
class SandStep(_Step):
    """One grit."""

    kind: ClassVar[str] = "sand"
    grit: str
    removal_um: Micron = 0.0
    wet: bool = False
    layer: Layer | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class HeatStep(_Step):
    """One stage of heat: the metal's temperature and its hold by the sheet of what lies on top, else by the system."""

    kind: ClassVar[str] = "bake"
    after: str
    metal_temp_c: Celsius | None = None
    hold_minutes: Minutes | None = None
    winter_hold_minutes: Minutes | None = None

    def hold(self, *, winter: bool) -> Minutes | None:
        """How long it is held in a season; None where nobody says. [min] Source: docs/trade.md, Heat."""
        return self.winter_hold_minutes if winter and self.winter_hold_minutes else self.hold_minutes


@dataclass(frozen=True, slots=True, kw_only=True)
class WorkStep(_Step):
    """Work that leaves no film; ``after`` is the milestone that it waits for."""

    kind: str
    after: str | None = None


Step = CoatStep | SandStep | HeatStep | WorkStep
AnyStep = TypeVar("AnyStep", bound=_Step)
# Work that makes a film's surface ready for the next one: what abrades it, and what takes the dust off.
ABRADES, WIPES = ("sand", "degloss"), ("wipe", "tack", "degrease")


def steps_of(system: System, zones: Sequence[ZoneFacts], products: Mapping[str, Product] | None = None) -> list[Step]:
    """Return every step of a system on a part, in order; ids stay the same as long as the system does.

    Args:
        system: What goes on.
        zones: The part's zones. Those of several settings-up are coated one setting after the other, or coat by coat
            in turn, as the system says; the turns between depend on which side is up, so that the plan puts them in.
        products: The sheets, by key: a heat stage goes by that of the layer below it; by the system without them.
    """
    sheets = products or {}
    part = _PartZones(zones, sheets)
    stages = {la.id: iter(sheets[la.product].heat_stages if la.product in sheets else ()) for la in system.used}
    top = system.used[-1]
    made = (_task(t, _Spot(f"prepare:{name}", part.zones)) for name, t in named_tasks("prepare", system.prepare))
    steps = [step for step in made if step.zones]
    for place, group in enumerate(_groups(system.used)):
        here = _group_steps(group, part, backwards=bool(place % 2), in_turn=system.turning == "coat_by_coat")
        steps += [*here, *_after_layer(group[-1], part, stages[group[-1].id])]
    ends = named_tasks("finish", system.finish)
    made = (_task(t, _Spot(f"finish:{name}", part.zones, slot=top.id, stages=stages[top.id])) for name, t in ends)
    return [*steps, *(step for step in made if step.zones)]


class _PartZones:
    """The zones of a part by the setting-up in which they are coated."""

    def __init__(self, zones: Sequence[ZoneFacts], sheets: Mapping[str, Product]) -> None:
        self.zones = zones
        self.sheets = sheets
        self.all = frozenset(z.uuid for z in zones)
        self.area_m2 = sum(z.area_m2 for z in zones)
        self.settings = sorted({z.setting for z in zones})

    def asked_of(self, layer: Layer) -> tuple[str, ...]:
        """Return what the sheet of a layer asks to be seen to with each coat."""
        return self.sheets[layer.product].to_tick if layer.product in self.sheets else ()

    def taking(self, coat: Coat, setting: int) -> list[ZoneFacts]:
        """Return the zones of a setting that take a coat."""
        return [z for z in self.zones if z.setting == setting and z.takes(coat.where)]

    def that_get(self, layer: Layer) -> list[ZoneFacts]:
        """Return the zones that get any coat of a layer."""
        return [z for z in self.zones if any(z.takes(coat.where) for coat in layer.coats)]

    def tail(self, setting: int) -> str:
        """What tells the ids of one setting from those of the first."""
        return f"@{setting}" if setting != self.settings[0] else ""


def _groups(layers: Sequence[Layer]) -> list[list[Layer]]:
    """Put layers together that follow each other without sanding: they are coated in one setting-up."""
    groups: list[list[Layer]] = [[]]
    for layer in layers:
        groups[-1].append(layer)
        if layer.then:
            groups.append([])
    return [group for group in groups if group]


@dataclass(frozen=True, slots=True)
class _Spot:
    """Where a task stands: its name in the log, the zones there, the layer below, and its sheet's heat stages to come.

    ``layer`` is the one that is sanded there.
    """

    name: str
    zones: Sequence[ZoneFacts]
    slot: str = ""
    layer: Layer | None = None
    stages: Iterator[HeatStage] = field(default_factory=lambda: iter(()))
    between: bool = False


def _task(task: Task, spot: _Spot) -> Step:
    """A piece of work as a step, on the zones of its spot that it is for."""
    here = [z for z in spot.zones if z.takes(task.where)]
    shared: dict[str, Any] = {
        "id": spot.name,
        "zones": frozenset(z.uuid for z in here),
        "area_m2": sum(z.area_m2 for z in here),
        "slot": spot.slot,
        "wait_minutes": task.wait_minutes or 0.0,
        "why": task.words,
        "holds": task.holds,
        "to_tick": task.to_tick,
        "minutes": task.takes_minutes,
        "per_m2": task.per_m2,
    }
    label = task_label(task)
    if len(here) < len(spot.zones) and here:
        label = f"{label}: {named(z.name for z in here)}"
    if task.grit is not None:
        taken = taken_between(task) if spot.between else task.removal_um
        return SandStep(**shared, label=label, grit=task.grit, removal_um=taken, wet=task.wet, layer=spot.layer)
    after = (task.after or USUAL_AFTER.get(task.kind)) if spot.slot else None
    after = None if after == AT_ONCE else after
    if task.kind == "bake":
        return _heat_step(task, shared, after or "flash", next(spot.stages, None))
    return WorkStep(**shared, label=label, kind=task.kind, after=after)


def task_label(task: Task) -> str:
    """Say in short what a task is: ``Sand P320``, ``Wait 45 min: solvent out of the filler``."""
    if task.kind == "own":
        return task.words
    if task.kind == "wait":
        return f"Wait {minutes_words(task.wait_minutes or 0)}: {task.words}"
    return _label(task.kind, task.grit)


def minutes_words(minutes: Minutes) -> str:
    """Write a wait: ``45 min``, ``3 h``, ``2 days``."""
    for size, sign in ((1440, "days"), (60, "h")):
        if minutes >= 2 * size or (minutes >= size and sign == "h"):
            return f"{round(minutes / size, 1):g} {sign}"
    return f"{minutes:g} min"


def _group_steps(group: list[Layer], part: _PartZones, *, backwards: bool, in_turn: bool) -> list[Step]:
    settings = part.settings[::-1] if backwards else part.settings
    rounds = [(layer, _coat_rounds(layer, part, s), s) for s in settings for layer in group]
    if in_turn:  # one coat on each side, then the next one
        most = max(len(r) for _, r, _ in rounds)
        steps = [
            step
            for layer in group
            for n in range(most)
            for la, coats, _ in rounds
            if la is layer and n < len(coats)
            for step in coats[n]
        ]
    else:
        steps = [step for _, coats, _ in rounds for coat in coats for step in coat]
    return steps


def _after_layer(last: Layer, part: _PartZones, stages: Iterator[HeatStage]) -> list[Step]:
    """What is done on a layer, or several that are coated in one setting-up, before the next one."""
    here = part.that_get(last)
    spots = ((t, _Spot(f"{last.id}:{name}", here, last.id, last, stages)) for name, t in named_tasks("then", last.then))
    made = [_task(task, spot) for task, spot in spots]
    return [step for step in made if step.zones]


def _coat_rounds(layer: Layer, part: _PartZones, setting: int) -> list[list[Step]]:
    """The coats of a layer on one setting, each with what is done before it; the last with what closes the layer."""
    rounds: list[list[Step]] = []
    had: Counter[UUID] = Counter()
    tail = part.tail(setting)
    for number, coat in enumerate(layer.coats, start=1):
        zones = part.taking(coat, setting)
        if not zones:
            continue
        for zone in zones:
            had[zone.uuid] += coat.counted
        between = _between(layer, number, zones, tail) if rounds else []
        step = CoatStep(
            id=f"{layer.id}:coat:{number}{tail}",
            label=_coat_label(layer, number, zones, part),
            zones=frozenset(z.uuid for z in zones),
            area_m2=sum(z.area_m2 for z in zones),
            slot=layer.id,
            method=zones[0].method,
            layer=layer,
            coat=coat,
            number=sum(c.counted for c in layer.coats[:number]),
            needs=tuple((z.uuid, had[z.uuid]) for z in zones),
            setting=setting,
            to_tick=part.asked_of(layer),
        )
        rounds.append([*between, step])
    if rounds:
        rounds[-1] += _closing_work(layer, part, setting, tail)
    if layer.rounds_most:
        rounds = [_looked_over(steps, number, tail) for number, steps in enumerate(rounds, start=1)]
    return rounds


def _looked_over(steps: list[Step], number: int, tail: str) -> list[Step]:
    """A round of a layer that ends when a look finds nothing: what is done, and the look when it is dry."""
    coat = next(s for s in steps if isinstance(s, CoatStep))
    return [*(replace(s, round=number) for s in steps), look_after(coat, number, tail)]


def look_after(coat: CoatStep, number: int, tail: str) -> WorkStep:
    """Return the look that ends a round: where it finds something thin, another one follows."""
    most = max(number, coat.layer.rounds_most or number)
    return WorkStep(
        id=f"{coat.layer.id}:look:{number}{tail}",
        label=f"Look when dry, anything thin? Round {number} of about {len(coat.layer.coats)}, up to {most}",
        zones=coat.zones,
        area_m2=coat.area_m2,
        slot=coat.layer.id,
        kind="inspect",
        after="dry",
        round=number,
    )


def _closing_work(layer: Layer, part: _PartZones, setting: int, tail: str) -> list[Step]:
    here = [z for z in part.that_get(layer) if z.setting == setting]
    zones, area = frozenset(z.uuid for z in here), sum(z.area_m2 for z in here)
    kinds: list[tuple[str, str, str | None]] = []
    if layer.broadcast:  # what did not sink in comes off again when the film has dried
        kinds += [("broadcast", STEP_WORDS["broadcast"], None), ("sweep", STEP_WORDS["sweep"], "sand")]
    return [
        WorkStep(
            id=f"{layer.id}:{kind}{tail}",
            label=label,
            zones=zones,
            area_m2=area,
            slot=layer.id,
            kind=kind,
            after=after,
        )
        for kind, label, after in kinds
    ]


def _between(layer: Layer, number: int, here: Sequence[ZoneFacts], tail: str) -> list[Step]:
    """What is done between two coats of a layer."""
    made = [
        _task(t, _Spot(f"{layer.id}:{name}:{number}{tail}", here, layer.id, layer, between=True))
        for name, t in named_tasks("between", layer.between)
    ]
    return [step for step in made if step.zones]


def _coat_label(layer: Layer, number: int, zones: list[ZoneFacts], part: _PartZones) -> str:
    coat = layer.coats[number - 1]
    kind = "coat" if coat.kind == "full" else COAT_WORDS[coat.kind]
    label = f"{layer.name}, {kind} {number}"
    if len(zones) == len(part.zones):
        return label
    return f"{label}: {where_words(coat.where) if coat.where != 'all' else named(z.name for z in zones)}"


def named(names: Iterable[str]) -> str:
    """Write zones as short as a label needs it: by name up to three, else their number."""
    all_names = list(names)
    return ", ".join(all_names) if len(all_names) < 4 else f"{len(all_names)} zones"


def _heat_step(task: Task, shared: dict[str, Any], after: str, stage: HeatStage | None) -> HeatStep:
    """A stage of heat: by the sheet of the film, where it has one more; else by the system."""
    metal = stage.metal_temp_c if stage else task.metal_temp_c
    hold = stage.hold_minutes if stage else task.hold_minutes
    winter = stage.winter_hold_minutes if stage else None
    label = _label(task.kind)
    if metal is not None:
        label = (
            f"{label} to {metal:g} °C metal, hold {hold or 0:g} min{f', in winter {winter:g} min' if winter else ''}"
        )
    return HeatStep(
        **{**shared, "to_tick": (*shared["to_tick"], *(stage.to_tick if stage else ()))},
        label=label,
        after=after,
        metal_temp_c=metal,
        hold_minutes=hold,
        winter_hold_minutes=winter,
    )


def _label(kind: str, grit: str | None = None) -> str:
    return f"{STEP_WORDS[kind]} {grit}" if grit else STEP_WORDS[kind]


def is_look(step: Step) -> bool:
    """Whether a step is the look that ends a round."""
    return bool(step.round) and step.id.startswith(f"{step.slot}:look:")


def waits_for(step: Step) -> str | None:
    """Return the milestone of the film that a step waits for, if any."""
    return "sand" if isinstance(step, SandStep) else getattr(step, "after", None)


def only_on(step: AnyStep, zones: Zones, facts: Collection[ZoneFacts]) -> AnyStep:
    """Return a step for some of its zones alone: its label names them, its area is theirs."""
    if zones == step.zones:
        return step
    here = [z for z in facts if z.uuid in zones]
    label = (
        f"{step.label.partition(': ')[0] if isinstance(step, CoatStep) else step.label}: {named(z.name for z in here)}"
    )
    return replace(step, zones=zones, area_m2=sum(z.area_m2 for z in here), label=label)

"""What the mixing bench shows: batches with their clocks, stages, aims and rescues."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

from cool_sheen.core.coatings.products import Product
from cool_sheen.core.log.batches import BatchState
from cool_sheen.core.mixing.order import GATES, Stage, judge_pour
from cool_sheen.core.mixing.pours import PourTarget, off_by_pct
from cool_sheen.core.mixing.ratios import shares
from cool_sheen.core.units import Grams, Millilitres
from cool_sheen.service.batches import RunningBatch
from cool_sheen.service.jobs import parts_named
from cool_sheen.service.mixing.plan import Waiting, Worked
from cool_sheen.service.mixing.pouring import is_past
from cool_sheen.service.unit import Unit
from cool_sheen.web.views import cup


@dataclass(frozen=True)
class BatchCard:
    """A batch with its pot life, as a countdown."""

    batch: RunningBatch
    uuid: str
    name: str
    ready_ml: Millilitres
    in_cup_ml: Millilitres
    ends: datetime | None
    ends_ms: int | None
    gelled: bool
    share_left: float
    inducts_ms: int | None
    state: str


def running(batch: RunningBatch, now: datetime) -> BatchCard:
    """Return a batch as a card: being mixed, ready, gelled, ended."""
    state, ends = batch.state, batch.pot_life_ends
    begun = state.hardened_at
    share = 1.0
    if ends and begun and ends > begun:
        share = max(0.0, min(1.0, (ends - now) / (ends - begun)))
    induct = state.inducted_at
    word = "being mixed"
    if not batch.open:
        word = {"offered": "left over", "jar": "in a jar", "waste": "waste", "nothing_left": "used up"}[state.goes]
    elif ends and now >= ends:
        word = "gelled: waste"
    elif state.coats:
        word = "in use"
    elif all(t.poured_ml > 0 for t in state.targets()):
        word = "mixed"
    waits = induct is not None and now < induct and batch.open and state.plan.induction_minutes > 0
    return BatchCard(
        batch,
        str(state.uuid),
        state.plan.name,
        state.plan.ready_ml,
        state.cup.ready_ml,
        ends,
        int(ends.timestamp() * 1000) if ends and batch.open else None,
        bool(ends and now >= ends),
        share,
        int(induct.timestamp() * 1000) if waits and induct else None,
        word,
    )


@dataclass(frozen=True)
class Group:
    """The parts that wait for one product."""

    product: Product
    waiting: list[Waiting]

    @property
    def ml(self) -> Millilitres:
        """What all their coats take. [ml]"""
        return sum(w.ml for w in self.waiting)


def grouped(queue: Sequence[Waiting]) -> list[Group]:
    """Put the parts together that wait for the same product; those that can be coated soonest stand first."""
    out: dict[str, Group] = {}
    for found in queue:
        out.setdefault(found.product.key, Group(found.product, [])).waiting.append(found)
    return sorted(out.values(), key=lambda group: min(_order(w) for w in group.waiting))


def _order(found: Waiting) -> tuple[int, str]:
    ripe = found.found.action.does == "coat" or found.found.action.state in ("open", "keyed", "bare", "closing")
    return (0 if ripe else 1, found.found.part.name)


def component_names(worked: Worked | None, product: Product) -> list[tuple[int, str]]:
    """Return what can be left of a mix: its components by their place."""
    if worked is not None:
        return [(n, component.name) for n, component in enumerate(worked.mix.components)]
    return [(n, part.name) for n, part in enumerate(product.mix.parts)]


def planned_cup(worked: Worked, units: str = "metric") -> cup.CupPicture:
    """Draw a batch that is not begun, in a shop's units."""
    split = shares(worked.mix.recipe)
    targets = [PourTarget(s, p.ml, p.ml, p.ml) for s, p in zip(split, worked.batch.pours, strict=True)]
    scale = worked.batch.pours[-1].scale_g - worked.batch.ready_g
    return cup.draw(targets, [c.role for c in worked.mix.components], -1, cup.CupCanvas(220, 330, 0, scale, units))


def poured_cup(state: BatchState, line: int, units: str = "metric") -> cup.CupPicture:
    """Draw a batch as it stands, in a shop's units."""
    canvas = cup.CupCanvas(300, 470, state.plan.cup_ml, state.plan.tare_g, units)
    return cup.draw(state.targets(), [li.role for li in state.plan.lines], line, canvas)


@dataclass(frozen=True)
class Aim:
    """What is poured now: how much more, up to which mark, up to which scale reading."""

    name: str
    line: int
    missing_ml: Millilitres
    missing_g: Grams
    mark_ml: Millilitres
    scale_g: Grams
    changed: bool  # the target is no longer the planned one


def aim(state: BatchState, line: int) -> Aim | None:
    """Return the aim of a pour; None when nothing is poured now."""
    if line < 0:
        return None
    target = state.targets()[line]
    grams = target.missing_ml * target.share.density_g_per_ml
    in_cup = state.cup
    return Aim(
        cup.short_name(target.share.name),
        line,
        target.missing_ml,
        grams,
        in_cup.ready_ml + target.missing_ml,
        state.plan.tare_g + in_cup.ready_g + grams,
        abs(target.target_ml - target.planned_ml) > 0.05,
    )


@dataclass(frozen=True)
class StageRow:
    """One stage in the list: what it is, whether it is done, what was poured against what was wanted."""

    title: str
    hint: str
    status: str  # done, now, ahead
    at: datetime | None
    wanted_ml: Millilitres = 0.0
    poured_ml: Millilitres = 0.0
    verdict: str = ""


def stage_rows(state: BatchState, order: Sequence[Stage], current: Stage, now: datetime) -> list[StageRow]:
    """Return the stages with how they stand."""
    return [_row(state, stage, stage_is(stage, current), is_past(stage, state, now)) for stage in order]


def stage_is(stage: Stage, current: Stage) -> bool:
    """Whether a stage is the one that is next."""
    return (stage.does, stage.gate, stage.line) == (current.does, current.gate, current.line)


def _row(state: BatchState, stage: Stage, is_now: bool, past: bool) -> StageRow:
    status = "done" if past else "now" if is_now else "ahead"
    if stage.does == "gate":
        return StageRow(*GATES[stage.gate], status, state.stamps.get(stage.gate))
    if stage.does == "wait":
        minutes = f"{state.plan.induction_minutes:.0f} min: the reducer is locked until then."
        return StageRow("Let it induct", minutes, status, state.inducted_at if past else None)
    target, line = state.targets()[stage.line], state.plan.lines[stage.line]
    at = max((p.at for p in state.pours if p.payload.line == stage.line), default=None)
    verdict = judge_pour(off_by_pct(target.target_ml, target.poured_ml), state.plan.tolerance_pct) if at else ""
    return StageRow(line.name, line.role, status, at, target.target_ml, target.poured_ml, verdict)


@dataclass(frozen=True)
class TopUp:
    """One component of a rescue: how much more of it brings the ratio back."""

    line: int
    name: str
    add_ml: Millilitres
    add_g: Grams


@dataclass(frozen=True)
class RescuePlan:
    """What went over, and what to add."""

    over: str
    over_pct: float
    add: list[TopUp]
    new_ready_ml: Millilitres


def rescue_of(state: BatchState) -> RescuePlan | None:
    """Say how an over-pour is rescued; None when nothing that is poured is off by more than the tolerance.

    A reducer that went over its set value but stays under its cap asks for nothing.
    """
    targets = state.targets()
    poured = [n for n, t in enumerate(targets) if t.poured_ml > 0]
    short = [n for n in poured if off_by_pct(targets[n].target_ml, targets[n].poured_ml) < -state.plan.tolerance_pct]
    grown = [n for n in poured if targets[n].poured_ml > targets[n].planned_ml * (1 + 1e-9)]
    later_poured = [n for n in short if any(m > n for m in poured)]
    if not later_poured or not grown or not state.pours:
        return None
    worst = max(grown, key=lambda n: targets[n].poured_ml / max(targets[n].planned_ml, 1e-9))
    add = [
        TopUp(n, t.share.name, t.missing_ml, t.missing_ml * t.share.density_g_per_ml)
        for n, t in enumerate(targets)
        if n in poured and t.missing_ml > 0.05
    ]
    total = sum(max(t.target_ml, t.poured_ml) for t in targets)
    over = off_by_pct(targets[worst].planned_ml, targets[worst].poured_ml)
    return RescuePlan(targets[worst].share.name, over, add, total)


def part_names(unit: Unit, state: BatchState) -> list[str]:
    """Return what a batch is for, in words."""
    coats = {use.part: use.coats for use in state.plan.uses}
    return [
        f"{part.name}, {coats[part.uuid]} {'coat' if coats[part.uuid] == 1 else 'coats'}"
        for part in parts_named(unit, coats)
    ]

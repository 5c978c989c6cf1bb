"""What the log asks for beside the system: after a sanding that went through, a mishap, or where too little stands."""

from collections import Counter
from collections.abc import Sequence
from dataclasses import replace
from uuid import UUID

from cool_sheen.core.film.grits import scratch_removal
from cool_sheen.core.log.breaks import Break
from cool_sheen.core.log.history import History
from cool_sheen.core.log.looks import Judged, Mishap
from cool_sheen.core.survey.zones import ZoneFacts
from cool_sheen.core.work.branches import branched, thickened, touched_in
from cool_sheen.core.work.steps import CoatStep, SandStep, Step, named
from cool_sheen.core.work.walk import Stand, walk


def mended(steps: Sequence[Step], history: History, zones: Sequence[ZoneFacts]) -> list[Step]:
    """Put in what happened on the way asks for, in the order in which it happened.

    Args:
        steps: The steps of a part, in order.
        history: Its folded log.
        zones: Its zones.

    Returns: The steps. After a sanding that went through, from the lowest layer that is gone upwards a coat of each and
        the same grit again, flush with the rest; a layer that still has coats to come there is mended by them. After a
        mishap its branch; where not enough stands, another coat; touch-ins at the end. Source: docs/trade.md, Sanding.
    """
    whole = list(steps)
    seen: Counter[UUID] = Counter()  # one entry may have gone through to different layers on different zones
    happened: list[Break | Mishap | Judged] = [*history.breaks, *history.mishaps, *history.judged]
    for event in sorted(happened, key=lambda e: e.place):
        if isinstance(event, Break):
            whole = _mended(whole, event, seen[event.uuid], history, zones)
            seen[event.uuid] += 1
        elif isinstance(event, Mishap):
            whole = branched(whole, event, history, zones)
        else:
            whole = thickened(whole, event, history, zones)
    for mark in history.marks.values():
        if not mark.holds:
            whole = touched_in(whole, mark, zones)
    return whole


def _mended(steps: list[Step], broken: Break, number: int, history: History, zones: Sequence[ZoneFacts]) -> list[Step]:
    groups: dict[tuple[int, tuple[int, ...]], list[ZoneFacts]] = {}
    for zone in zones:
        if zone.uuid not in broken.zones or history.settled(broken, zone.uuid):
            continue
        if found := _wanted(steps, broken, zone.uuid, history):
            groups.setdefault(found, []).append(zone)
    # From the last place to the first: what is put in moves no place that is still to come.
    for tail, ((after, models), here) in enumerate(sorted(groups.items(), key=lambda g: -g[0][0])):
        name = f"{broken.uuid.hex[:8]}-{number}-{tail}"
        steps[after + 1 : after + 1] = _mending(steps, models, broken, name, here, len(here) == len(zones))
    return steps


def _wanted(steps: Sequence[Step], broken: Break, zone: UUID, history: History) -> tuple[int, tuple[int, ...]] | None:
    """After which step a zone is mended, and by which coats of its plan again; None where nothing is to be put in."""
    walked = walk(zone, steps, history, broken.place)
    done = [n for n, stand in walked.stands.items() if stand is Stand.DONE]
    models = []
    for layer_id in reversed(broken.layers):
        coats = [(n, s) for n, s in walked.mine.items() if isinstance(s, CoatStep) and s.layer.id == layer_id]
        if any(walked.stands[n] is Stand.OWED and s.coat.counted for n, s in coats):
            continue
        if not broken.seen and any(s.layer.role == "filler" for _, s in coats):
            continue  # a filler is sanded back until only what it fills is left
        models += [n for n, s in coats if s.coat.counted][-1:]
    return (max(done, default=-1), tuple(models)) if models else None


def _mending(
    steps: Sequence[Step], models: Sequence[int], broken: Break, name: str, here: list[ZoneFacts], everywhere: bool
) -> list[Step]:
    zones, area = frozenset(z.uuid for z in here), sum(z.area_m2 for z in here)
    where = "" if everywhere else f": {named(z.name for z in here)}"
    coats = [
        replace(
            step,
            id=f"{step.layer.id}:mend:{name}",
            label=f"{step.layer.name} again where it broke through{where}",
            zones=zones,
            area_m2=area,
            coat=step.coat.model_copy(update={"counts": False}),
            needs=(),
            mends=broken.uuid,
        )
        for step in (steps[model] for model in models)
        if isinstance(step, CoatStep)
    ]
    slot = coats[-1].slot
    flush = SandStep(
        id=f"{slot}:flush:{name}",
        label=f"Sand {broken.grit} again where it was mended{where}",
        zones=zones,
        area_m2=area,
        slot=slot,
        grit=broken.grit,
        removal_um=round(scratch_removal(broken.grit) / 2, 1),  # flush with the rest, and no further
    )
    return [*coats, flush]

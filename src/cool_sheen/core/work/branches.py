"""Steps that the log asks for and no system has: the branch after a mishap, another coat, a touch-in at the end."""

from collections.abc import Sequence
from dataclasses import replace
from typing import Any
from uuid import UUID

from cool_sheen.core.coatings.systems import STEP_WORDS, USUAL_AFTER
from cool_sheen.core.log.history import History
from cool_sheen.core.log.looked import MendStep
from cool_sheen.core.log.looks import Judged, Mark, Mishap
from cool_sheen.core.survey.zones import ZoneFacts
from cool_sheen.core.work.steps import CoatStep, SandStep, Step, WorkStep, minutes_words, named
from cool_sheen.core.work.walk import Stand, walk

Groups = dict[int, list[ZoneFacts]]


def branched(steps: list[Step], mishap: Mishap, history: History, zones: Sequence[ZoneFacts]) -> list[Step]:
    """Put the branch of a mishap in, after what was done to each of its zones by then.

    Args:
        steps: The steps of the part, in order.
        mishap: What went wrong, and the steps that mend it.
        history: The folded log.
        zones: The zones of the part.

    Returns: The steps. Those of the branch are for the zones of the mishap alone, count towards no layer, and what was
        owed to these zones before is owed after them. Source: docs/trade.md, Inspection.
    """
    groups: Groups = {}
    for zone in _there(mishap.zones, zones):
        walked = walk(zone.uuid, steps, history, mishap.place)
        done = [n for n, stand in walked.stands.items() if stand is Stand.DONE]
        groups.setdefault(max(done, default=-1), []).append(zone)
    # From the last place to the first: what is put in moves no place that is still to come.
    for tail, (after, here) in enumerate(sorted(groups.items(), key=lambda g: -g[0])):
        shared = _shared(here, zones, steps[after].slot if after >= 0 else "", mishap.uuid)
        steps[after + 1 : after + 1] = [
            _mend_step(said, f"mend:{mishap.uuid.hex[:8]}:{tail}:{n}", shared, steps)
            for n, said in enumerate(mishap.payload.steps)
        ]
    return steps


def _there(names: frozenset[UUID], zones: Sequence[ZoneFacts]) -> list[ZoneFacts]:
    return [z for z in zones if z.uuid in names]


def _shared(here: Sequence[ZoneFacts], zones: Sequence[ZoneFacts], slot: str, by: UUID) -> dict[str, Any]:
    where = "" if len(here) == len(zones) else f": {named(z.name for z in here)}"
    return {
        "zones": frozenset(z.uuid for z in here),
        "area_m2": sum(z.area_m2 for z in here),
        "slot": slot,
        "mends": by,
        "apart": True,
        "where": where,
    }


def _mend_step(said: MendStep, name: str, shared: dict[str, Any], steps: Sequence[Step]) -> Step:
    shared = dict(shared)
    where = shared.pop("where")
    if said.does == "coat":
        return _mend_coat(said, name, shared, where, steps)
    if said.does in ("sand", "feather") and said.grit:
        words = "Feather" if said.does == "feather" else "Sand"
        label = f"{words} {said.grit} to mend{where}"
        return SandStep(id=name, label=label, grit=said.grit, wet=said.wet, **shared)
    if said.does == "wait":
        minutes = said.minutes or 0.0
        why = said.words or "before it is mended"
        label = f"Wait {minutes_words(minutes)} to mend{where}"
        return WorkStep(id=name, label=label, kind="wait", wait_minutes=minutes, why=why, **shared)
    words = said.words if said.does == "own" else f"{STEP_WORDS[said.does]} to mend"
    return WorkStep(
        id=name, label=f"{words}{where}", kind=said.does, after=USUAL_AFTER.get(said.does), why=said.words, **shared
    )


def _mend_coat(said: MendStep, name: str, shared: dict[str, Any], where: str, steps: Sequence[Step]) -> Step:
    coats = [s for s in steps if isinstance(s, CoatStep) and s.layer.id == said.layer_id]
    model = next((s for s in reversed(coats) if s.coat.counted), coats[-1] if coats else None)
    if model is None:  # the layer was taken out of the system since
        label = f"Coat of a layer that was taken out, to mend{where}"
        return WorkStep(id=name, label=label, kind="own", **shared)
    return _extra_coat(model, name, f"{model.layer.name} to mend{where}", shared, said.wet_film_um)


def _extra_coat(model: CoatStep, name: str, label: str, shared: dict[str, Any], film: float | None = None) -> CoatStep:
    coat = model.coat.model_copy(update={"counts": False, **({"wet_film_um": film} if film else {})})
    shared = shared | {"slot": model.layer.id}
    return replace(model, id=name, label=label, coat=coat, needs=(), wait_minutes=0.0, round=0, **shared)


def thickened(steps: list[Step], judged: Judged, history: History, zones: Sequence[ZoneFacts]) -> list[Step]:
    """Put another coat of a layer on, where somebody judged that not enough stands for its sanding.

    Args:
        steps: The steps of the part, in order.
        judged: The judgement.
        history: The folded log.
        zones: The zones of the part.

    Returns: The steps; nothing is put in where it was judged to be enough later on, before that coat.
    """
    layer = judged.payload.layer_id
    here = [z for z in _there(judged.zones, zones) if not _taken_back(judged, z.uuid, history)]
    places = [
        n
        for n, s in enumerate(steps)
        if isinstance(s, CoatStep) and s.layer.id == layer and any(z.uuid in s.zones for z in here)
    ]
    if judged.payload.enough or not places:
        return steps
    model = steps[places[-1]]
    assert isinstance(model, CoatStep)  # by the choice of places
    shared = _shared(here, zones, layer, judged.uuid)
    label = f"{model.layer.name}, another coat before its sanding{shared.pop('where')}"
    coat = _extra_coat(model, f"more:{judged.uuid.hex[:8]}", label, shared)
    return [*steps[: places[-1] + 1], coat, *steps[places[-1] + 1 :]]


def _taken_back(judged: Judged, zone: UUID, history: History) -> bool:
    """Whether it was judged to be enough later on, and the coat that was asked for is not on."""
    layer = judged.payload.layer_id
    later = [j for j in history.judged if j.place > judged.place and zone in j.zones and j.payload.layer_id == layer]
    said = next((j for j in later if j.payload.enough), None)
    return said is not None and not any(
        judged.place < c.place < said.place and zone in c.zones and c.payload.layer_id == layer for c in history.coats
    )


def touched_in(steps: list[Step], mark: Mark, zones: Sequence[ZoneFacts]) -> list[Step]:
    """Put a touch-in where a support stood, after the last coat of its zone: a dab, which is no coat of the zone.

    Args:
        steps: The steps of the part, in order.
        mark: What the support left.
        zones: The zones of the part.

    Returns: The steps. Source: docs/trade.md, Inspection: supports leave marks, which get a touch-in at the end.
    """
    here = _there(frozenset(mark.open_on), zones)
    coats = [n for n, s in enumerate(steps) if isinstance(s, CoatStep) and any(z.uuid in s.zones for z in here)]
    if not here or not coats:
        return steps
    at = f", {mark.payload.where}" if mark.payload.where else ""
    shared = _shared(here, zones, steps[coats[-1]].slot, mark.uuid)
    where = shared.pop("where") or f": {named(z.name for z in here)}"
    step = WorkStep(
        id=f"touch:{mark.uuid.hex[:8]}",
        label=f"Touch in where it stood{where}{at}",
        kind="own",
        after="handle",
        **shared,
    )
    return [*steps[: coats[-1] + 1], step, *steps[coats[-1] + 1 :]]

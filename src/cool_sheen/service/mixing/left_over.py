"""What is left of a batch, and who waits for it."""

from collections.abc import Sequence
from dataclasses import dataclass

from cool_sheen.service.batches import RunningBatch, recent
from cool_sheen.service.mixing.plan import Waiting, waiting
from cool_sheen.service.unit import Unit


@dataclass(frozen=True)
class LeftOver:
    """What is left of a batch, and a part that waits for the same."""

    batch: RunningBatch
    waiting: Waiting
    coats: int


def offers(unit: Unit, running: Sequence[RunningBatch], queue: Sequence[Waiting]) -> list[LeftOver]:
    """Return the left-overs that can still be used, each with a part that waits for that paint."""
    out = []
    for batch in running:
        if not batch.offered(unit.now):
            continue
        for found in queue:
            if found.product.key != batch.state.plan.product:
                continue
            have, coats = batch.state.left_ml, 0
            for coat in found.coats:
                if have < coat.ml:
                    break
                have, coats = have - coat.ml, coats + 1
            out.append(LeftOver(batch, found, coats))
    return out


def mixing_bench(unit: Unit) -> tuple[list[RunningBatch], list[Waiting], list[LeftOver]]:
    """Return what runs, what waits, and what is left over for whom."""
    running, queue = recent(unit), waiting(unit)
    return running, queue, offers(unit, running, queue)

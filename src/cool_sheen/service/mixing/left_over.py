"""What is left of a batch, and who waits for it."""

from collections.abc import Sequence
from dataclasses import dataclass

from sqlalchemy.orm import Session

from cool_sheen.service.batches import Standing as Running
from cool_sheen.service.batches import recent
from cool_sheen.service.climate import look
from cool_sheen.service.desk import Desk
from cool_sheen.service.mixing.plan import Waiting, waiting


@dataclass(frozen=True)
class Offer:
    """What is left of a batch, and a part that waits for the same."""

    batch: Running
    waiting: Waiting
    coats: int


def offers(desk: Desk, running: Sequence[Running], queue: Sequence[Waiting]) -> list[Offer]:
    """Return the left-overs that can still be used, each with a part that waits for that paint."""
    out = []
    for batch in running:
        if not batch.offered(desk.now()):
            continue
        for found in queue:
            if found.product.key != batch.state.plan.product:
                continue
            have, coats = batch.state.left_ml, 0
            for coat in found.coats:
                if have < coat.ml:
                    break
                have, coats = have - coat.ml, coats + 1
            out.append(Offer(batch, found, coats))
    return out


def bench(desk: Desk, opened: Session) -> tuple[list[Running], list[Waiting], list[Offer]]:
    """Return what runs, what waits, and what is left over for whom."""
    weather = look(desk, opened)
    running, queue = recent(desk, opened, weather), waiting(desk, opened, weather)
    return running, queue, offers(desk, running, queue)

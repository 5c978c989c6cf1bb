"""The ladder of a sanding: rungs done and to do on some zones, and the film that is left after each."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from itertools import pairwise
from uuid import UUID

from cool_sheen.core.errors import CoreError
from cool_sheen.core.film.grits import mean_grain
from cool_sheen.core.film.ladder import MOST_RATIO, ladder
from cool_sheen.core.log.entries import SandPayload
from cool_sheen.core.log.history import History, Zones
from cool_sheen.core.units import Micron
from cool_sheen.core.work.owed import Owed
from cool_sheen.core.work.steps import CoatStep, SandStep


@dataclass(frozen=True, slots=True)
class RungRow:
    """One rung: its grain, what it took or takes, and the film of the layer that is left after it. [um]

    ``left_um`` is None on bare ground; ``at`` and ``said`` are those of a rung that is done. ``skips`` says which grits
    are missing before it.
    """

    grit: str
    mean_um: Micron
    takes_um: Micron
    left_um: Micron | None
    at: datetime | None = None
    said: SandPayload | None = None
    skips: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class RungLadder:
    """The rungs of zones that had the same sanding, and the layer that is sanded; empty on bare ground."""

    zones: Zones
    layer_id: str
    rungs: tuple[RungRow, ...]


def rung_ladders(owed: Owed, history: History) -> list[RungLadder]:
    """Return the ladders that are being climbed, or come next.

    Args:
        owed: How the steps of the part stand.
        history: Its folded log.

    Returns: One for each choice of zones with the same rungs done since their last coat and the same to do before the
        next one; nothing where nothing is sanded. Film left is that of the zone that has the least.
        Source: docs/trade.md, Sanding.
    """
    groups: dict[tuple[tuple[UUID, ...], tuple[str, ...]], set[UUID]] = {}
    for group in history.apart():
        done = tuple(w.uuid for w in group.on_top if w.kind == "sand")
        for zone in group.zones:
            groups.setdefault((done, tuple(s.id for s in _to_do(owed, frozenset({zone})))), set()).add(zone)
    made = (_ladder(owed, history, frozenset(zones)) for zones in groups.values())
    return [one for one in made if one.rungs]


def _to_do(owed: Owed, zones: Zones) -> list[SandStep]:
    """The sandings that come before the next coat."""
    out = []
    for place in owed.ahead(next(iter(zones))):
        step = owed.steps[place]
        if isinstance(step, CoatStep):
            break
        if isinstance(step, SandStep):
            out.append(step)
    return out


def _ladder(owed: Owed, history: History, zones: Zones) -> RungLadder:
    mine = history.of(zones)
    done = [w for w in mine.on_top if w.kind == "sand" and w.sanding is not None]
    builds = [history.builds[z] for z in zones]
    tops = [b.layers[-1] for b in builds if b.layers]
    now = min((t.left_um for t in tops), default=None)
    layer = min(tops, key=lambda t: t.left_um).layer_id if tops else ""
    rows: list[RungRow] = []
    left = now
    for work in reversed(done):  # from what stands now back to what stood after each
        said = work.sanding
        if said is not None:
            rows.insert(0, RungRow(said.grit, mean_grain(said.grit), said.removal_um, left, work.at, said))
            left = None if left is None else left + said.removal_um
    left = now
    for step in _to_do(owed, zones):
        left = None if left is None else max(0.0, left - step.removal_um)
        rows.append(RungRow(step.grit, mean_grain(step.grit), step.removal_um, left))
    return RungLadder(zones, layer, _with_skips(rows))


def _with_skips(rows: Sequence[RungRow]) -> tuple[RungRow, ...]:
    out = list(rows[:1])
    for before, row in pairwise(rows):
        out.append(
            RungRow(row.grit, row.mean_um, row.takes_um, row.left_um, row.at, row.said, skipped(before.grit, row.grit))
        )
    return tuple(out)


def skipped(before: str, grit: str) -> tuple[str, ...]:
    """Return the grits that are missing between two: none where the step is at most 2 to 1, or goes to a coarser one.

    Args:
        before: The grit that was used before.
        grit: The grit after it.

    Source: docs/trade.md, Sanding: no step of a ladder is over 2 : 1.
    """
    if mean_grain(before) / mean_grain(grit) <= MOST_RATIO:
        return ()
    try:
        return tuple(rung.grit for rung in ladder(before, grit)[1:-1])
    except CoreError:  # of two scales, between which nothing fits
        return (f"a grit between {before} and {grit}",)

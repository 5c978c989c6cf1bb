"""Plans side by side: the steps of each along one stretch of time, as small bars."""

import itertools
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from zoneinfo import ZoneInfo

from cool_sheen.core.part.placed import Planned
from cool_sheen.web.views.ribbon import Block, Frame, Tick, hours

HEIGHT, TOP, BAR = 40.0, 12.0, 20.0


@dataclass(frozen=True, slots=True)
class PlanBar:
    """One plan: waits as blocks, coats and sandings as ticks, the end."""

    width: float
    waits: list[Block]
    ticks: list[Tick]
    end_x: float | None
    hours: list[Tick]
    says: str


def frame_of(plans: Sequence[Sequence[Planned]], now: datetime, width: float = 620.0) -> Frame:
    """Return the stretch that holds all plans."""
    ends = [steps[-1].end for steps in plans if steps]
    return Frame(now, max([now + timedelta(hours=12), *ends]) + timedelta(hours=2), now, width)


def draw(steps: Sequence[Planned], ends: datetime | None, frame: Frame, zone: ZoneInfo) -> PlanBar:
    """Draw one plan.

    Args:
        steps: Its steps in order.
        ends: When it ends; None when it is stuck.
        frame: The stretch that all plans share.
        zone: The shop's time zone.
    """
    waits: list[Block] = []
    for before, after in itertools.pairwise(steps):
        x, to = frame.x(before.end), frame.x(after.start)
        if to - x > 1.5:
            phase = "wet" if before.step.kind == "coat" and after.step.kind == "coat" else "curing"
            waits.append(Block(phase, x, round(to - x, 1)))
    kinds = {"coat": "coat", "sand": "sand", "degloss": "sand"}
    ticks = [Tick(kinds[p.step.kind], frame.x(p.start), "") for p in steps if p.step.kind in kinds]
    count = sum(p.step.kind == "coat" for p in steps)
    says = f"{count} coats, ends {ends.astimezone(zone):%a %d %b %H:%M}" if ends else f"{count} coats, then stuck"
    return PlanBar(frame.width, waits, ticks, frame.x(ends) if ends else None, hours(frame, zone), says)

"""What is owed to which zone: how each step of a plan stands on each zone, by the log."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from uuid import UUID

from cool_sheen.core.log.history import History
from cool_sheen.core.once import cached_property
from cool_sheen.core.survey.zones import ZoneFacts
from cool_sheen.core.work.mending import mended
from cool_sheen.core.work.rounds import Guess, in_rounds
from cool_sheen.core.work.steps import CoatStep, Step, Zones
from cool_sheen.core.work.walk import Stand, walk


@dataclass(frozen=True, slots=True)
class StepRow:
    """A step as a whole: ``next`` where it is the first thing owed to a zone, ``ahead`` where it is owed later."""

    step: Step
    status: str  # done, skipped, passed, next, ahead
    owed: Zones
    passed: Zones


@dataclass(frozen=True)
class Owed:
    """The steps of a part, and how each stands on each of its zones."""

    steps: tuple[Step, ...]
    by_zone: Mapping[UUID, Mapping[int, Stand]]
    _place: dict[str, int] = field(default_factory=dict)

    def __post_init__(self) -> None:
        self._place.update({step.id: n for n, step in enumerate(self.steps)})

    def zones_with(self, place: int, stand: Stand) -> Zones:
        """Return the zones on which the step at a place stands like this."""
        return frozenset(z for z, stands in self.by_zone.items() if stands.get(place) is stand)

    def ahead(self, zone: UUID) -> list[int]:
        """Return the places of all that is owed to a zone, in order."""
        return [n for n, stand in self.by_zone[zone].items() if stand is Stand.OWED]

    def following(self, zone: UUID) -> CoatStep | None:
        """Return the next coat of a zone; None after the last."""
        coats = (self.steps[n] for n in self.ahead(zone))
        return next((step for step in coats if isinstance(step, CoatStep)), None)

    @cached_property
    def rows(self) -> tuple[StepRow, ...]:
        """All steps with how they stand on the part as a whole."""
        firsts = {ahead[0] for zone in self.by_zone if (ahead := self.ahead(zone))}
        return tuple(self._row(n, step, n in firsts) for n, step in enumerate(self.steps))

    def _row(self, place: int, step: Step, is_first: bool) -> StepRow:
        owed, passed = (self.zones_with(place, stand) for stand in (Stand.OWED, Stand.PASSED))
        if owed:
            return StepRow(step, "next" if is_first else "ahead", owed, passed)
        if passed:
            return StepRow(step, "passed", owed, passed)
        skipped = all(s.get(place, Stand.SKIPPED) is Stand.SKIPPED for s in self.by_zone.values())
        return StepRow(step, "skipped" if skipped else "done", owed, passed)

    def left(self) -> list[StepRow]:
        """Return what is still owed, and what was passed over without a word."""
        return [row for row in self.rows if row.owed or row.passed]

    def passed_over(self) -> list[StepRow]:
        """Return what was passed over: it is asked for until it is said to be done, or why not."""
        return [row for row in self.rows if row.passed]


def last_done(history: History, zones: Sequence[ZoneFacts], otherwise: datetime) -> dict[UUID, datetime]:
    """When something was last done to each zone; where nothing was, when the part came to where it is, or otherwise."""
    came = history.stays[0].since if history.stays else otherwise
    out: dict[UUID, datetime] = {}
    coats, works = ((c.zones, c.ended_at) for c in history.coats), ((w.zones, w.at) for w in history.works)
    for zones_of, at in (*coats, *works, *((m.zones, m.at) for m in history.mishaps)):
        out |= {z: max(out.get(z, at), at) for z in zones_of}
    return {z.uuid: out.get(z.uuid, came) for z in zones}


def waited_out(owed: Owed, history: History, zones: Sequence[ZoneFacts], now: datetime) -> Owed:
    """Take waits as done that are over by now: nobody presses anything for them.

    Args:
        owed: What is owed by the log alone.
        history: The log.
        zones: The zones.
        now: The present.
    """
    if not any(step.kind == "wait" for step in owed.steps):
        return owed
    done, by_zone = last_done(history, zones, now), {}
    for zone, stands in owed.by_zone.items():
        mine, until = dict(stands), done.get(zone, now)
        for place in owed.ahead(zone):
            step = owed.steps[place]
            until += timedelta(minutes=step.wait_minutes)
            if step.kind != "wait" or until > now:
                break
            mine[place] = Stand.DONE
        by_zone[zone] = mine
    return Owed(owed.steps, by_zone)


def owed_to(steps: Sequence[Step], history: History, zones: Sequence[ZoneFacts], guess: Guess = "estimate") -> Owed:
    """Say how every step stands on every zone.

    Args:
        steps: The steps of the part, in order.
        history: Its folded log.
        zones: Its zones.
        guess: How many rounds there will be where a look decides.

    Returns: Each zone for itself: a step is done where the log has it, under its own name or as work of its kind
        between the right coats; skipped where somebody said why; passed over where a later coat lies over it; else
        owed. Rounds go on or end as the looks say. Where a sanding went through, the coats that are gone are owed
        again, and where something went wrong the steps that mend it. Whatever the order of work, nothing leaves
        without a word.
    """
    whole = mended(in_rounds(steps, history, zones, guess), history, zones)
    return Owed(tuple(whole), {zone: walk(zone, whole, history).stood for zone in history.builds})

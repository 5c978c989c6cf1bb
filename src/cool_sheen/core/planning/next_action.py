"""What to do with a part now, and what its clock is counting to."""

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime, timedelta
from uuid import UUID

from cool_sheen.core.climate.gates import Shut
from cool_sheen.core.coatings.products import Product
from cool_sheen.core.drying.clock import Band
from cool_sheen.core.drying.phases import Phase
from cool_sheen.core.log.fold import PartState
from cool_sheen.core.planning.film_clock import CoatClock, FactorOf, current_phase, keyed_since, unknown_factor
from cool_sheen.core.planning.part_climate import PartClimate
from cool_sheen.core.planning.steps import Step

WIPE_LASTS = timedelta(hours=12)

# Milestones that stand in for one that a product does not have.
STAND_IN: dict[str, tuple[str, ...]] = {
    "unmask": ("tack_free", "dust_free", "flash"),
    "turn": ("handle", "sand", "tack_free"),
    "sand": ("handle", "tack_free", "flash"),
    "handle": ("sand", "full_cure"),
    "assemble": ("handle", "full_cure"),
    "polish": ("full_cure", "handle"),
    "full_cure": ("polish", "assemble", "handle", "sand"),
}


@dataclass(frozen=True, slots=True)
class Action:
    """The next action of a part.

    ``does`` is what the button logs: coat, touch_test, sand, a step's kind, or nothing (only waiting).
    ``state`` is a Phase, or bare, gate, curing, done.
    """

    step: Step | None
    says: str
    does: str
    state: str
    counts_to: datetime | None = None
    counting: str = ""
    because: str = ""
    milestone: str | None = None
    band: Band | None = None
    grit: str | None = None
    tested: bool = False
    alarm: str = ""  # what to say when the count runs out: test, closing, sand, done


@dataclass(frozen=True, slots=True)
class Outlook:
    """All that a decision looks at: the zones that the next step is for, and beside them the rest of the part.

    ``state`` and ``clocks`` are those of the next step's zones; ``groups`` has the clocks of every group of zones with
    a history of its own.
    """

    state: PartState
    clocks: list[CoatClock]
    climate: PartClimate
    products: Mapping[str, Product]
    now: datetime
    groups: tuple[tuple[frozenset[UUID], list[CoatClock]], ...] = ()
    everywhere: PartState | None = None
    factor: FactorOf = unknown_factor

    @property
    def whole(self) -> PartState:
        """The log of the whole part."""
        return self.everywhere or self.state

    @property
    def top(self) -> CoatClock | None:
        """The last coat."""
        return self.clocks[-1] if self.clocks else None


def mark_of(product: Product, name: str) -> str | None:
    """Return the milestone of a product that answers for ``name``."""
    own = {m.name for m in product.milestones}
    return next((n for n in (name, *STAND_IN.get(name, ())) if n in own), None)


def decide(step: Step | None, look: Outlook) -> Action:
    """Say what is to be done now.

    Args:
        step: The step of the plan that is next; None when all are done.
        look: The part, its clocks and its climate at this moment.
    """
    if step is None:
        return _after_all(look)
    if look.top is None:
        return _first_coat(step, look) if step.kind == "coat" else _work(step, "bare")
    if step.kind == "coat":
        return _another_coat(step, look, look.top)
    if step.kind == "sand":
        return _wait_or_work(step, "sand", look, look.top)
    if step.after:
        return _wait_or_work(step, step.after, look, look.top)
    return _work(step, current_phase(look.top, keyed_since(look.state), look.now))


def _work(step: Step, state: str) -> Action:
    return Action(step, step.label, step.kind, state, grit=step.grit, because="the next step of the system")


def _after_all(look: Outlook) -> Action:
    if look.top is None:
        return Action(None, "Nothing to do", "", "done")
    name = mark_of(look.top.product, "full_cure")
    band = look.top.bands[name] if name else None
    if band is None or band.likely is None or band.likely <= look.now:
        return Action(None, "Finished", "", "cured", because="past full cure, and nothing more to come", band=band)
    return Action(
        None, "Curing", "", "curing", band.likely, "full cure in", "all steps are done", name, band, alarm="done"
    )


def _gate(step: Step, look: Outlook) -> Shut | None:
    assert step.layer is not None
    return look.climate.gate_at(look.products[step.layer.product], look.now, look.now)


def _shut(step: Step, look: Outlook, shut: Shut, tested: bool = False) -> Action:
    opens = look.climate.opens_at(shut)
    because = shut.reason if opens else f"{shut.reason}, as far as the forecast goes"
    return Action(step, step.label, "coat", "gate", opens, "gate opens in" if opens else "", because, tested=tested)


def _first_coat(step: Step, look: Outlook) -> Action:
    if shut := _gate(step, look):
        return _shut(step, look, shut)
    return Action(
        step, step.label, "coat", "open", because="nothing below it is wet, and the gate is open", tested=True
    )


def _another_coat(step: Step, look: Outlook, top: CoatClock) -> Action:
    keyed = keyed_since(look.state)
    phase = current_phase(top, keyed, look.now)
    opens = top.opens
    if phase is Phase.WET:
        likely = opens.likely if opens else None
        because = "the film has not flashed" if likely else "the film stands still in this climate"
        return Action(
            step, step.label, "touch_test", phase, likely, "test in", because, top.rule.opens, opens, alarm="test"
        )
    if phase is Phase.LOCKED:
        return _locked(step, look, top)
    if phase is Phase.KEY:
        return Action(
            step, f"Sand {top.product.key_grit} to key", "sand", phase, because="the recoat window has closed",
            grit=top.product.key_grit,
        )  # fmt: skip
    if phase is Phase.KEYED:
        return _keyed(step, look, keyed or look.now)
    if shut := _gate(step, look):
        return _shut(step, look, shut, top.tested)
    closes = top.bands.get(top.rule.closes) if top.rule.closes and not top.rule.redissolves else None
    early, shut_at = (closes.early, closes.likely) if closes else (None, None)
    if early and early <= look.now:  # the alarm goes by the early edge, and what is left is counted to the likely one
        phase, early = Phase.CLOSING, shut_at
    return Action(
        step, step.label, "coat" if top.tested else "touch_test", phase,
        early, "closes in" if early else "", "tested" if top.tested else "flashed by the clock: test first",
        top.rule.opens, closes or opens, tested=top.tested, alarm="closing" if early else "",
    )  # fmt: skip


def _locked(step: Step, look: Outlook, top: CoatClock) -> Action:
    span = top.phase_at(look.now)
    lifts = top.bands[top.rule.lifts_until].likely if top.rule.lifts_until else None
    would_lift = bool(top.rule.lifts_until) and (lifts is None or look.now < lifts)
    because = "a new coat would lift this one" if would_lift else "past its window, and too soft to sand"
    counting = "to key in" if span.to else ""
    return Action(step, step.label, "", Phase.LOCKED, span.to, counting, because, top.rule.sand, alarm="sand")


def _keyed(step: Step, look: Outlook, keyed: datetime) -> Action:
    if look.now - keyed > WIPE_LASTS:
        return Action(step, "Wipe again, then coat", "wipe", Phase.KEYED, because="the last wipe is over a night old")
    if shut := _gate(step, look):
        return _shut(step, look, shut, tested=True)
    return Action(
        step, step.label, "coat", Phase.KEYED, because="sanded: no closing, but wipe after a night", tested=True
    )


def _wait_or_work(step: Step, milestone: str, look: Outlook, top: CoatClock) -> Action:
    """A step that waits for a milestone of the film on top."""
    phase: str = current_phase(top, None, look.now)
    if step.after:
        phase = "curing" if phase is not Phase.WET else phase
    name = mark_of(top.product, milestone)
    band = top.bands[name] if name else None
    if band is None or (band.likely is not None and band.likely <= look.now):
        return Action(step, step.label, step.kind, phase, because="the film is ready by the clock: test first",
                      milestone=name, band=band, grit=step.grit)  # fmt: skip
    counting = {"sand": "sandable in"}.get(milestone, "ready in")
    return Action(
        step, step.label, "touch_test", phase, band.likely, counting if band.likely else "",
        "the film is not there yet" if band.likely else "the film stands still in this climate",
        name, band, step.grit, alarm="sand" if milestone == "sand" else "test",
    )  # fmt: skip

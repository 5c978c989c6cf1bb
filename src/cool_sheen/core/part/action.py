"""What to do with a part now: by construction the first thing in its plan, and what its clock counts to until then."""

from dataclasses import dataclass, replace
from datetime import datetime

from cool_sheen.core.climate.series import instant
from cool_sheen.core.drying.clock import Band
from cool_sheen.core.log.history import Zones
from cool_sheen.core.part.film_clock import CoatClock, mark_of
from cool_sheen.core.part.placed import Planned, Stuck, Wait
from cool_sheen.core.part.placing import place_all
from cool_sheen.core.part.situation import Situation, ZoneFilm
from cool_sheen.core.part.status import State, ZoneStatus, status_of, statuses
from cool_sheen.core.work.steps import ABRADES, CoatStep, SandStep, Step, waits_for

_BEFORE_CURING = (State.WET, State.LOCKED, State.BARE)


@dataclass(frozen=True, slots=True)
class Action:
    """The next action of a part.

    ``does`` is what the button logs: coat, touch_test, sand, a step's kind, or nothing (only waiting). ``zones`` are
    those that it is for; ``film`` is that of them which holds the others back.
    """

    step: Step | None
    says: str
    does: str
    state: State
    counts_to: datetime | None = None
    counting: str = ""
    because: str = ""
    milestone: str | None = None
    band: Band | None = None
    grit: str | None = None
    tested: bool = False
    alarm: str = ""  # what to say when the count runs out: test, closing, sand, done
    zones: Zones = frozenset()
    film: ZoneFilm | None = None
    planned: Planned | None = None

    @property
    def row(self) -> str:
        """The name of its row: the step, or what it does where it serves none. A press carries it."""
        return self.step.id if self.step is not None else self.does or str(self.state)

    @property
    def resumes(self) -> datetime | None:
        """When working hours begin that it waits for; None where it waits for no working hours."""
        return self.planned.resumes if self.planned else None

    @property
    def top(self) -> CoatClock | None:
        """The coat that the clock of this action belongs to."""
        return self.film.top if self.film else None


def first_action(situation: Situation, zones: Zones | None = None) -> Action:
    """Say what the first thing asks for that is placed on some zones, or on the whole part."""
    try:
        return action_of(situation, next(place_all(situation, zones), None))
    except Stuck as stuck:
        return _stuck(situation, stuck)


def action_of(situation: Situation, first: Planned | None) -> Action:
    """Say what the first thing in a plan asks for at this moment; None when nothing is left."""
    if first is None:
        return _after_all(situation)
    film = holding(situation, first.step)
    now = status_of(film, situation.now)
    if first.wait is Wait.TIME:
        return _waits(first, film, now)
    if isinstance(first.step, CoatStep):
        return _coat(situation, first, film, now)
    if waits_for(first.step):
        return _milestone(situation, first, film, now)
    return _work(situation, first, film, now)


def holding(situation: Situation, step: Step) -> ZoneFilm:
    """Return the film of a step's zones that opens last, or was coated last: the others wait for it."""
    films = [f for f in situation.films if f.zones & step.zones]

    def order(film: ZoneFilm) -> tuple[bool, bool, float]:
        if film.top is None:
            return False, False, 0.0
        opens = film.top.opens
        late = opens.likely if opens else None
        return True, film.key.sanded is None, late.timestamp() if late else float("inf")

    return max(films, key=order)


def _coat(situation: Situation, first: Planned, film: ZoneFilm, now: ZoneStatus) -> Action:
    step = first.step
    top = film.top
    tested = top is None or first.inserted or _all_tested(situation, step)
    state = State.OPEN if top is None else now.state
    if top is not None and state is State.WET:
        return _wet(first, film, top)
    if first.wait in (Wait.GATE, Wait.LIMIT):
        return _held(situation, first, film, tested)
    closes = None
    if state in (State.OPEN, State.CLOSING):  # of zones that close at their own hours, the first counts
        row = next((row for row in statuses(situation) if row.zones & step.zones and row.closes), None)
        state, closes = (row.state, row.closes) if row else (state, None)
    counts, shut_at = (closes.early, closes.likely) if closes else (None, None)
    if counts and counts <= situation.now:  # the alarm goes by the early edge, what is left to the likely one
        counts = shut_at
    return Action(
        step,
        step.label,
        "coat" if tested else "touch_test",
        state,
        counts,
        "closes in" if counts else "",
        _because(first, film, state, tested),
        top.rule.opens if top else None,
        closes or (top.opens if top else None),
        tested=tested,
        alarm="closing" if counts else "",
        zones=step.zones,
        film=film,
        planned=first,
    )


def _waits(first: Planned, film: ZoneFilm, now: ZoneStatus) -> Action:
    """The system has it wait: it counts down to that time."""
    until = first.end if first.step.kind == "wait" else first.start
    does = "" if first.step.kind == "wait" else first.step.kind
    return Action(
        first.step,
        first.step.label,
        does,
        now.state,
        until,
        "waits for",
        first.step.why if first.step.kind == "wait" else first.because,
        grit=first.step.grit if isinstance(first.step, SandStep) else None,
        alarm="wait",
        zones=first.step.zones,
        film=film,
        planned=first,
    )


def _because(first: Planned, film: ZoneFilm, state: State, tested: bool) -> str:
    if film.top is None:
        words = "nothing below it is wet, and the gate is open"
    elif first.inserted:
        words = first.because
    elif state is State.KEYED:
        words = "sanded and wiped: no closing, but wipe again after a night"
    else:
        words = "tested" if tested else "flashed by the clock: test first"
    return words


def _all_tested(situation: Situation, step: Step) -> bool:
    films = [f for f in situation.films if f.zones & step.zones]
    return all(f.top is None or f.key.sanded is not None or f.top.tested for f in films)


def _wet(first: Planned, film: ZoneFilm, top: CoatClock) -> Action:
    likely = top.opens.likely if top.opens else None
    because = "the film has not flashed" if likely else "the film stands still in this climate"
    return Action(
        first.step,
        first.step.label,
        "touch_test",
        State.WET,
        likely,
        "test in" if likely else "",
        because,
        top.rule.opens,
        top.opens,
        alarm="test",
        zones=first.step.zones,
        film=film,
        planned=first,
    )


def _held(situation: Situation, first: Planned, film: ZoneFilm, tested: bool) -> Action:
    """The film would take it, but the weather or the day's limit does not."""
    step = first.step
    if first.wait is Wait.LIMIT:
        until, counting = first.start, "from the next day, in"
        state, because = State.LIMIT, first.because
    else:
        until = instant(first.shut.to_s) if first.shut else first.start
        state, counting, because = State.GATE, "gate opens in", first.shut.reason if first.shut else first.because
    return Action(
        step, step.label, "", state, until, counting, because, tested=tested, zones=step.zones, film=film, planned=first
    )


def _milestone(situation: Situation, first: Planned, film: ZoneFilm, now: ZoneStatus) -> Action:
    """Sanding, or a step that waits for a milestone of the film on top."""
    step, top = first.step, film.top
    grit = step.grit if isinstance(step, SandStep) else None
    mark = mark_of(top.product, waits_for(step) or "") if top else None
    band = first.waits or (top.bands[mark] if top and mark else None)
    state = now.state
    if not isinstance(step, SandStep) and top and not first.inserted and state not in _BEFORE_CURING:
        state = State.CURING
    asked = Action(
        step,
        step.label,
        step.kind,
        state,
        milestone=mark,
        band=band,
        grit=grit,
        zones=step.zones,
        film=film,
        planned=first,
    )
    reached = band and band.likely and band.likely <= situation.now
    if reached or first.wait is not Wait.FILM:
        ready = replace(asked, because=_ready(first, top, tested=_is_tested(situation, top, mark)))
        return _before_it_closes(ready, film)
    if state is State.LOCKED and top is not None:
        return _locked_in(asked, situation, top)
    return _not_there(asked, first, band)


def _not_there(asked: Action, first: Planned, band: Band | None) -> Action:
    is_sand = isinstance(first.step, SandStep)
    likely = band.likely if band else first.start
    because = "the film is not there yet" if likely else "the film stands still in this climate"
    return replace(
        asked,
        does="touch_test",
        counts_to=likely,
        counting=("sandable in" if is_sand else "ready in") if likely else "",
        because=first.because if first.inserted else because,
        alarm="sand" if is_sand else "test",
    )


def _locked_in(asked: Action, situation: Situation, top: CoatClock) -> Action:
    """Past its window, and nothing keys it before it is hard enough."""
    lifts = top.bands[top.rule.lifts_until].likely if top.rule.lifts_until else None
    would_lift = bool(top.rule.lifts_until) and (lifts is None or situation.now < lifts)
    to = top.phase_at(situation.now).to
    return replace(
        asked,
        does="",
        counts_to=to,
        counting="to key in" if to else "",
        because="a new coat would lift this one" if would_lift else "past its window, and too soft to sand",
        alarm="sand" if isinstance(asked.step, SandStep) else "test",
    )


def _is_tested(situation: Situation, top: CoatClock | None, mark: str | None) -> bool:
    """Whether somebody touched a film, and it was ready for a mark."""
    return top is not None and any(
        t.payload.ready and t.payload.milestone == mark and top.coat.uuid in t.payload.coats
        for t in situation.history.touches
    )


def _before_it_closes(action: Action, film: ZoneFilm) -> Action:
    """Work that comes before a coat counts down to the window that the coat has to find open, where nothing keys it."""
    step, top = action.step, film.top
    keys = step is not None and step.kind in ABRADES and not (action.planned and action.planned.inserted)
    if top is None or step is None or keys or film.key.sanded or action.counts_to:
        return action
    if film.following is None or action.state not in (State.OPEN, State.CLOSING) or top.closes is None:
        return action
    return replace(action, counts_to=top.closes.likely, counting="window closes in", band=top.closes, alarm="closing")


def _ready(first: Planned, top: CoatClock | None, *, tested: bool) -> str:
    if first.inserted:
        return first.because
    if top is None:
        return "the next step of the system"
    return "tested" if tested else "the film is ready by the clock: test first"


def _work(situation: Situation, first: Planned, film: ZoneFilm, now: ZoneStatus) -> Action:
    step = first.step
    if first.wait in (Wait.GATE, Wait.LIMIT):
        return _held(situation, first, film, tested=True)
    because = first.because if first.inserted or first.wait is Wait.DAMP else "the next step of the system"
    waits = first.wait is Wait.DAMP
    work = Action(
        step,
        step.label,
        "" if waits else step.kind,
        now.state,
        first.start if waits else None,
        "dry in" if waits else "",
        because,
        zones=step.zones,
        film=film,
        planned=first,
    )
    return _before_it_closes(work, film)


def _stuck(situation: Situation, stuck: Stuck) -> Action:
    """The first thing has no time within the forecast."""
    step, film = stuck.step, holding(situation, stuck.step)
    now = status_of(film, situation.now)
    top = film.top
    state = State.GATE if stuck.wait is Wait.GATE and now.state is not State.WET else now.state
    does = "touch_test" if now.state is State.WET else ""
    return Action(
        step,
        step.label,
        does,
        state,
        because=stuck.because,
        milestone=top.rule.opens if top else None,
        band=top.opens if top else None,
        zones=step.zones,
        film=film,
    )


def _after_all(situation: Situation) -> Action:
    """All steps are done: the film that cures last is waited for."""
    coated = [f for f in situation.films if f.top]
    if not coated:
        return Action(None, "Nothing to do", "", State.DONE)
    waits = [
        (film, mark, film.top.bands[mark])
        for film in coated
        if film.top and (mark := mark_of(film.top.product, "full_cure"))
    ]
    stands = next((w for w in waits if w[2].likely is None), None)
    last = stands or max(waits, key=lambda w: w[2].likely or situation.now, default=None)
    if last is None or (last[2].likely and last[2].likely <= situation.now):
        return Action(
            None,
            "Finished",
            "",
            State.CURED,
            because="past full cure, and nothing more to come",
            band=last[2] if last else None,
            film=last[0] if last else coated[0],
        )
    film, mark, band = last
    return Action(
        None,
        "Curing",
        "",
        State.CURING,
        band.likely,
        "full cure in" if band.likely else "",
        "all steps are done" if band.likely else "the film stands still in this climate",
        mark,
        band,
        alarm="done",
        zones=film.zones,
        film=film,
    )

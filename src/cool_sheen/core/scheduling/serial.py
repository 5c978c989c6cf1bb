"""A plan of the whole shop at once: serial generation, chain by chain, with a look ahead at windows that would close.

A chain is what has to follow in one go: from a step to the last coat whose window the one before it opens. It is
placed as a whole, so that nothing gets between that would make it miss; all else fills the gaps.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import UTC, datetime, timedelta
from uuid import UUID

from cool_sheen.core.coatings.products import Product
from cool_sheen.core.drying.blend import AS_USUAL
from cool_sheen.core.drying.clock import Film, film_with, needed_s
from cool_sheen.core.drying.milestones import Milestone
from cool_sheen.core.part.film_clock import mark_of
from cool_sheen.core.part.placed import Planned, Stuck, Wait
from cool_sheen.core.part.placing import Placer
from cool_sheen.core.part.top import Top
from cool_sheen.core.scheduling.booking import Booked, Job
from cool_sheen.core.scheduling.calendar import Calendar
from cool_sheen.core.scheduling.crew import Shop
from cool_sheen.core.work.labour import minutes_of
from cool_sheen.core.work.steps import CoatStep, HeatStep, Step, waits_for

_TRIES = 8
_TIME_TO_LOSE = timedelta(days=3)
_DAY_TO_NIGHT = 2.4  # a day has so many times the hours that are worked
_DAY_S = 86_400.0
_MARGIN = timedelta(minutes=2)
_FAR = datetime(9000, 1, 1, tzinfo=UTC)
_TRIES_FOR_A_ROOM = 60
PUT_OFF = "later, so that what follows finds its window open"
A_KEY_COSTS = timedelta(hours=1)  # beside its own time: a coat is put off that long rather than keyed


@dataclass(frozen=True)
class Wishes:
    """What a plan is to do otherwise than it would: which part to hurry, how far apart to keep a layer's coats."""

    hurry: Mapping[UUID, timedelta] = field(default_factory=dict)
    gaps: Mapping[tuple[UUID, str], timedelta] = field(default_factory=dict)


AS_EVER = Wishes()
FIRST_OF_ALL = timedelta(days=20)  # a part that is hurried by so much goes even before what is open and closes


@dataclass(frozen=True, slots=True)
class PartPlan:
    """What became of a part: when its last step ends; and where it could not be placed to the end, why."""

    job: Job
    ends: datetime | None
    stuck: str = ""
    held: Wait = Wait.NOTHING
    tops: Mapping[UUID, Top | None] = field(default_factory=dict)  # the films on top when all is done


@dataclass(frozen=True)
class ShopPlan:
    """Everything that is done, in order of time, and what became of each part."""

    lines: tuple[Booked, ...]
    parts: tuple[PartPlan, ...]
    shop: Shop
    calendar: Calendar

    @property
    def ends(self) -> datetime | None:
        """When the last part is done; None where nothing is to be done."""
        return max((p.ends for p in self.parts if p.ends), default=None)

    @property
    def stuck(self) -> tuple[PartPlan, ...]:
        """The parts that could not be placed to the end."""
        return tuple(p for p in self.parts if p.stuck)

    @property
    def keyings(self) -> int:
        """How many windows would close before their coat."""
        return sum(b.planned.opens_again for b in self.lines if b.planned)

    def of(self, part: UUID) -> list[Planned]:
        """The steps of a part."""
        return [b.planned for b in self.lines if b.planned and b.part == part]


def plan_shop(jobs: Sequence[Job], shop: Shop, wishes: Wishes = AS_EVER) -> ShopPlan:
    """Lay the rest of all parts along time.

    Args:
        jobs: The parts. One that comes after another is begun when that one is done, where it is among them.
        shop: Who works when, with which tools.
        wishes: What to do otherwise than usual.

    Returns: A plan that keeps every window, gate, day's limit, working hour, tool, pot and room. A part that cannot be
        placed to the end has what could be, and says why.
    """
    calendar = begun(jobs, shop)
    runs = {job.key: Run(job, shop, wishes) for job in jobs}
    ends = _ends_at_best(list(runs.values()), shop)
    done = in_circles(jobs)
    while waiting := [run for key, run in runs.items() if key not in done]:
        ready = [run for run in waiting if run.job.after not in runs or run.job.after in done]
        run = min(ready, key=lambda r: (r.urgency(ends), r.job.name, r.job.key))
        calendar, finished = _advance(calendar, run, done)
        if finished is not None:
            done[run.job.key] = finished
    return ShopPlan(tuple(calendar.lines()), tuple(done[job.key] for job in jobs), shop, calendar)


def begun(jobs: Sequence[Job], shop: Shop) -> Calendar:
    """A shop's calendar before anything is placed: what was put somewhere, when it begins, the pots that are mixed."""
    calendar = Calendar(shop)
    for (part, step), at in shop.pins.items():
        calendar.not_before(part, step, at, Wait.PINNED, "it was put there")
    for job in jobs:
        if shop.begins is not None:
            calendar.not_before(job.key, "", shop.begins, Wait.PLANNED, "the plan begins then")
        calendar.take_in(job)
    return calendar


def in_circles(jobs: Sequence[Job]) -> dict[UUID, PartPlan]:
    """The parts that wait for themselves in the end: they have no plan, and say so."""
    after, names = {job.key: job.after for job in jobs}, {job.key: job.name for job in jobs}
    out = {}
    for job in jobs:
        chain, at = [job.key], job.after
        while at is not None and at in after and at not in chain:
            chain.append(at)
            at = after[at]
        if at in chain:
            words = ", which comes after ".join(names[key] for key in [*chain, at])
            out[job.key] = PartPlan(job, None, f"{words}: a circle. Say anew which of them comes first.", Wait.AFTER)
    return out


class Run:
    """A part while it is placed."""

    def __init__(self, job: Job, shop: Shop, wishes: Wishes = AS_EVER) -> None:
        self.job = job
        self.hurry = wishes.hurry.get(job.key, timedelta(0))
        self.placer = Placer(replace(job.situation, day=shop.hours, now=shop.now))
        self.ends: datetime | None = None
        # By layer: how far its coats are kept apart.
        self.gaps = {layer: gap for (key, layer), gap in wishes.gaps.items() if key == job.key}
        self._takes = self._each()
        self.tail = self._tail()

    def urgency(self, ends: datetime) -> tuple[int, datetime, timedelta]:
        """Who goes first: what is open now and closes; then who has little time to lose; then who is done the soonest.

        Args:
            ends: When the whole shop is done at best.
        """
        if self.hurry >= FIRST_OF_ALL:
            return 0, self.job.situation.now, -self.hurry
        if self.ends is None and (closes := self.placer.closes_first()):
            return 0, closes, self.tail
        tail = self.tail + self.hurry
        latest = (self.job.due or ends) - tail
        if latest - self.placer.memory.now < _TIME_TO_LOSE:
            return 1, latest, tail
        return 2, _FAR, self.tail - self.hurry

    def go_on(self, chain: "_Chain") -> None:
        """Take over what was placed."""
        self.placer = chain.placer
        self.ends = max([at for at in (self.ends, *(p.end for p in chain.placed)) if at], default=None)
        self.tail = self._tail()

    @property
    def work(self) -> timedelta:
        """Hands-on time that is still to come."""
        return sum((_labour(step) for step in self.placer.ahead()), timedelta())

    def _tail(self) -> timedelta:
        """How long the rest takes at least, by sheets and hands alone: for the order among parts."""
        return sum((self._takes[step.id] for step in self.placer.ahead()), timedelta())

    def _each(self) -> dict[str, timedelta]:
        """How long each step takes, with what it waits for: as all of it is owed now."""
        top = next(iter(self.placer.memory.tops.values()), None)
        below = _Below(top.product, top.layer_id) if top else None
        takes = {}
        for step in self.placer.ahead():
            takes[step.id] = _labour(step) + _waiting(step, below, self.job)
            if isinstance(step, CoatStep):
                below = _Below.after(step, below, self.job.situation.products[step.layer.product])
        return takes


@dataclass(frozen=True, slots=True)
class _Below:
    """What a step finds below it, as far as sheets say: a product, and how many coats of which film."""

    product: Product
    layer: str
    film: Film | None = None
    coats: int = 1

    @classmethod
    def after(cls, step: CoatStep, below: "_Below | None", product: Product) -> "_Below":
        """What is there after a coat."""
        film = film_with(_FAR, step.coat.wet_film_um, step.coat.kind, AS_USUAL)
        more = below is not None and below.layer == step.layer.id
        return cls(product, step.layer.id, film, below.coats + 1 if below and more else 1)

    def minutes(self, mark: Milestone) -> float:
        """How long it takes to a milestone: as one thick film, or as thin ones a day apart. [min]"""
        if self.film is None:
            return mark.ref_minutes
        data, more = self.product.drying, self.coats - 1
        thick = replace(self.film, below_um=more * self.film.wet_film_um)
        return min(needed_s(data, mark, thick), needed_s(data, mark, self.film) + more * _DAY_S) / 60


def _labour(step: Step) -> timedelta:
    return timedelta(minutes=minutes_of(step))


def _waiting(step: Step, below: _Below | None, job: Job) -> timedelta:
    """How long the film below has a step wait, by its sheet."""
    minutes = step.wait_minutes
    if isinstance(step, HeatStep):
        minutes += step.hold(winter=job.situation.winter) or 0.0
    if below is not None:
        product = below.product
        wanted = product.rule_for(None).opens if isinstance(step, CoatStep) else waits_for(step)
        mark = product.drying.named(mark_of(product, wanted)) if wanted else None
        minutes += below.minutes(mark) if mark else 0.0
    return timedelta(minutes=minutes)


def _ends_at_best(runs: Sequence["Run"], shop: Shop) -> datetime:
    """When the whole shop is done at best: by the longest part, or by all the work that there is."""
    work = sum((run.work for run in runs), timedelta()) * _DAY_TO_NIGHT / shop.crew.painters
    return shop.now + max([work, *(run.tail for run in runs)])


def waits_for_another(calendar: Calendar, job: Job, done: Mapping[UUID, PartPlan]) -> PartPlan | None:
    """Let a part begin when the one before it is done; what becomes of it, where that has no end."""
    first = done.get(job.after) if job.after else None
    if first is not None and first.ends is None:
        return PartPlan(job, None, f"{first.job.name} comes first, and has no end.", Wait.AFTER)
    if first is not None and first.ends is not None:
        calendar.not_before(job.key, "", first.ends, Wait.AFTER, f"{first.job.name} comes first")
    return None


def _advance(calendar: Calendar, run: Run, done: Mapping[UUID, PartPlan]) -> tuple[Calendar, PartPlan | None]:
    """Place the next chain of a part; say what became of it, when nothing is left."""
    if (stuck := waits_for_another(calendar, run.job, done)) is not None:
        return calendar, stuck
    _space_out(calendar.shop, run)
    best = _look_ahead(calendar, run)
    run.go_on(best)
    if best.stuck is not None:
        return best.calendar, PartPlan(run.job, None, str(best.stuck), best.stuck.wait)
    if not best.is_last:
        return best.calendar, None
    return best.calendar, PartPlan(run.job, run.ends or calendar.shop.now, tops=best.placer.memory.tops)


def _space_out(shop: Shop, run: Run) -> None:
    """Decide how far apart the coats of the next layer are kept, where the film they leave is waited for for days.

    Coats wet on wet dry like one thick film: what is on soonest is not what is done soonest. Each distance is tried on
    the part alone.
    """
    ahead = run.placer.ahead()
    layer = next((s.layer for s in ahead if isinstance(s, CoatStep)), None)
    if layer is None or layer.id in run.gaps or not isinstance(ahead[0], CoatStep):
        return
    run.gaps[layer.id] = timedelta(0)
    last = max(n for n, s in enumerate(ahead) if isinstance(s, CoatStep) and s.layer.id == layer.id)
    after = next((s for s in ahead[last + 1 :] if isinstance(s, CoatStep) or waits_for(s)), None)
    product = run.placer.memory.product(layer)
    coats = sum(isinstance(s, CoatStep) and s.layer.id == layer.id for s in ahead)
    if (
        coats < 2
        or after is None
        or isinstance(after, CoatStep)
        or _waiting(after, _Below(product, layer.id), run.job) < _WAITED_FOR_DAYS
    ):
        return
    ends = {gap: _ends_alone(shop, run, layer.id, gap) for gap in _GAPS}
    run.gaps[layer.id] = min(_GAPS, key=lambda gap: (ends[gap], gap))


_GAPS = tuple(timedelta(hours=h) for h in (0, 1, 3, 8, 20))
_WAITED_FOR_DAYS = timedelta(days=2)
SPACED = "kept apart from the coat before: so the film is done sooner"


def _ends_alone(shop: Shop, run: Run, layer: str, gap: timedelta) -> datetime:
    """When the part would be done with the coats of a layer so far apart, if nothing else were to be done."""
    calendar, placer, ends = begun([run.job], shop), run.placer.copy(), shop.now
    placer.memory.hands = calendar.of(run.job)
    while True:
        try:
            planned = placer.place()
        except Stuck:
            return _FAR
        if planned is None:
            return ends
        ends = max(ends, planned.end)
        _keep_apart(calendar, run.job, placer, planned, {layer: gap})


def _keep_apart(calendar: Calendar, job: Job, placer: Placer, planned: Planned, gaps: Mapping[str, timedelta]) -> None:
    """Let the next coats of a layer begin no sooner than its distance after a coat."""
    step = planned.step
    if not isinstance(step, CoatStep) or not gaps.get(step.layer.id):
        return
    for other in placer.ahead():
        if isinstance(other, CoatStep) and other.layer.id == step.layer.id:
            calendar.not_before(job.key, other.id, planned.end + gaps[step.layer.id], Wait.SPACED, SPACED)


@dataclass(frozen=True, slots=True)
class _Chain:
    """A chain as it was tried: what was placed, and the calendar with it."""

    placer: Placer
    calendar: Calendar
    placed: list[Planned]
    is_last: bool
    stuck: Stuck | None

    def costs(self, until: str) -> tuple[bool, datetime]:
        """What it costs up to a coat: being stuck is worst; then when that is on, each key with its price."""
        places = [n for n, p in enumerate(self.placed) if p.step.id == until]
        if not places:
            return True, _FAR
        keys = sum(p.opens_again for p in self.placed[: places[-1]])
        return self.stuck is not None, self.placed[places[-1]].end + keys * A_KEY_COSTS


def _look_ahead(calendar: Calendar, run: Run) -> _Chain:
    """Try a chain as soon as can be; where a window would close in it, later and later, and take what is best."""
    best = tried = _chain(calendar, run, {})
    until = next((p.step.id for p in reversed(best.placed) if isinstance(p.step, CoatStep)), "")
    floors: dict[str, datetime] = {}
    for _ in range(_TRIES):
        put_off = _later(tried)
        if put_off is None or (run.job.key, put_off[0]) in calendar.shop.pins:
            break  # what was put somewhere stays there
        if floors.get(put_off[0], put_off[1] - _MARGIN) >= put_off[1]:
            break
        floors[put_off[0]] = put_off[1]
        tried = _chain(calendar, run, floors)
        if tried.costs(until) < best.costs(until):
            best = tried
    return best


def _later(chain: _Chain) -> tuple[str, datetime] | None:
    """The coat before a window that closes, and when it would have to begin for what follows to find it open."""
    place = next((n for n, p in enumerate(chain.placed) if p.missed), None)
    missed = chain.placed[place].missed if place is not None else None
    if place is None or missed is None:
        return None
    before = next((p for p in reversed(chain.placed[:place]) if isinstance(p.step, CoatStep)), None)
    if before is None:
        return None
    return before.step.id, before.start + max(missed.could - missed.closes, timedelta(0)) + _MARGIN


def _chain(calendar: Calendar, run: Run, floors: Mapping[str, datetime]) -> _Chain:
    """Place a chain on a copy: until no window is open that a coat has to find open."""
    calendar, placer = calendar.copy(), run.placer.copy()
    placer.memory.hands = calendar.of(run.job)
    for step, at in floors.items():
        calendar.not_before(run.job.key, step, at, Wait.WINDOW, PUT_OFF)
    placed: list[Planned] = []
    while True:
        try:
            placer, planned = place(calendar, run.job, placer)
        except Stuck as stuck:
            return _Chain(placer, calendar, placed, is_last=False, stuck=stuck)
        if planned is None:
            return _Chain(placer, calendar, placed, is_last=True, stuck=None)
        placed.append(planned)
        _keep_apart(calendar, run.job, placer, planned, run.gaps)
        if not planned.inserted and not placer.closes_next(planned.step.zones):
            return _Chain(placer, calendar, placed, is_last=False, stuck=None)


def place(calendar: Calendar, job: Job, placer: Placer) -> tuple[Placer, Planned | None]:
    """Place one step, where its room has a place for it, and write it in. Raises Stuck."""
    limited = job.space in calendar.shop.holds
    for _ in range(_TRIES_FOR_A_ROOM):
        tried = placer.copy() if limited else placer
        planned = tried.place()
        if planned is None:
            return tried, None
        step = planned.step
        wet_until = tried.dust_free(step) if limited and isinstance(step, CoatStep) else None
        frees = calendar.room_frees(job, planned.start, wet_until) if wet_until else None
        if frees is None:
            calendar.book(job, planned)
            if wet_until is not None:
                calendar.occupy(job, planned.start, wet_until)
            return tried, planned
        calendar.not_before(job.key, step.id, frees, Wait.ROOM, "its room is full of wet parts")
    raise Stuck(f"{step.label} finds its room full, again and again.", step, Wait.ROOM, "its room is full")

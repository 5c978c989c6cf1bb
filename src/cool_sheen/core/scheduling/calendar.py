"""A shop's calendar: who is at what, what is in which tool, which pots can be used, and which rooms are full.

It is the hands that the account of each part asks. All that it answers is in whole: who, tool, mix, hours.
"""

from copy import copy
from dataclasses import dataclass, field, replace
from datetime import datetime, timedelta
from functools import cache
from uuid import UUID

import numpy as np

from cool_sheen.core.climate.series import seconds
from cool_sheen.core.coatings.products import Product
from cool_sheen.core.drying.blend import Blend
from cool_sheen.core.mixing.pot_life import Aging
from cool_sheen.core.part.climate import PartClimate
from cool_sheen.core.part.due import Due
from cool_sheen.core.part.hands import Asked, Busy
from cool_sheen.core.part.placed import Planned, Stuck, Wait
from cool_sheen.core.scheduling.booking import Batch, Booked, Job, PieceOf, Session, Slot, Wet
from cool_sheen.core.scheduling.crew import KEEPS, MIX_MINUTES, NO_TOOL, SPRAYS, STANDS_MINUTES, Shop
from cool_sheen.core.scheduling.diary import Diary, Taken
from cool_sheen.core.work.labour import WAYS
from cool_sheen.core.work.steps import CoatStep, Step, Zones

ALL: Zones = frozenset()
_MIXING, _STANDS = timedelta(minutes=MIX_MINUTES), timedelta(minutes=STANDS_MINUTES)
DRAWN_TOGETHER = timedelta(minutes=90)  # a coat waits that long to come out of a pot that is mixed anyhow
_LOOKS_BACK = timedelta(hours=8)  # for a place to mix in
_AGING_STEP_S, _AGING_REACH_S = 300.0, 60 * 86_400.0


@dataclass
class Calendar:
    """Everything that is taken so far. A copy can be written into, and thrown away."""

    shop: Shop
    diaries: dict[str, Diary] = field(default_factory=dict)
    sessions: list[Session] = field(default_factory=list)
    batches: list[Batch] = field(default_factory=list)
    wet: dict[UUID, list[Wet]] = field(default_factory=dict)
    booked: list[Booked] = field(default_factory=list)
    floors: dict[tuple[UUID, str], tuple[datetime, Wait, str]] = field(default_factory=dict)
    usual: dict[PieceOf, tuple[str, int]] = field(default_factory=dict)  # who is to do a piece, and which gun
    planned: dict[PieceOf, datetime] = field(default_factory=dict)  # when an earlier plan has a piece
    _aging: dict[tuple[PartClimate, float], Aging] = field(default_factory=dict)
    _batch_number: int = 0

    def __post_init__(self) -> None:
        blocked = [Taken(b.since, b.to, b.why) for b in sorted(self.shop.blocked, key=lambda b: b.since)]
        for worker in self.shop.crew.workers:
            self.diaries[worker.name] = Diary(blocked)

    def take_in(self, job: Job) -> None:
        """Take the pots into account that are mixed for a part by now."""
        for key, pot in job.situation.pots.items():
            self._batch_number += 1
            gels = pot.ends or self.shop.now + KEEPS
            self.batches.append(
                Batch(self._batch_number, key, pot.blend, self.shop.now, self.shop.now, gels, of=job.key)
            )

    def copy(self) -> "Calendar":
        """The same calendar, apart."""
        other = copy(self)
        other.diaries = {name: diary.copy() for name, diary in self.diaries.items()}
        other.sessions, other.batches, other.booked = list(self.sessions), list(self.batches), list(self.booked)
        other.wet = {room: list(parts) for room, parts in self.wet.items()}
        other.floors = dict(self.floors)
        return other

    def of(self, job: Job) -> "PartHands":
        """The hands that a part asks."""
        return PartHands(self, job)

    def not_before(self, part: UUID, step: str, at: datetime, wait: Wait, because: str) -> None:
        """Let a step of a part begin no sooner; any step of it where none is named. The later word counts."""
        known = self.floors.get((part, step))
        if known is None or known[0] < at:
            self.floors[part, step] = (at, wait, because)

    def as_planned(self, part: UUID, due: Due, usual: tuple[str, int] | None) -> None:
        """Let a piece of a step begin no sooner than it was planned, by whom it was; the step with its first piece."""
        first = self.planned.get((part, due.step, ALL))
        for zones in (due.zones, ALL) if first is None or due.at < first else (due.zones,):
            self.planned[part, due.step, zones] = due.at
            if usual is not None:
                self.usual[part, due.step, zones] = usual

    def _was_planned(self, part: UUID, step: Step) -> datetime | None:
        """When an earlier plan has a piece of a step; the step, where that is pieced otherwise."""
        whole = self.planned.get((part, step.id, ALL))
        return self.planned.get((part, step.id, step.zones), whole)

    def _usual(self, part: UUID, step: Step) -> tuple[str, int]:
        whole = self.usual.get((part, step.id, ALL), ("", 0))
        return self.usual.get((part, step.id, step.zones), whole)

    # --- what keeps a step ---------------------------------------------------------------------------
    def slot(self, job: Job, asked: Asked) -> Slot | Busy:
        """Find all that a step takes from an instant on, or say what of it is missing and until when. Raises Stuck."""
        for key in ((job.key, asked.step.id), (job.key, "")):
            floor = self.floors.get(key)
            if floor is not None and asked.at < floor[0]:
                return Busy(floor[0], floor[1], floor[2])
        was = self._was_planned(job.key, asked.step)
        if was is not None and asked.at < was:
            return Busy(was, Wait.PLANNED, "as it was planned")
        if isinstance(asked.step, CoatStep):
            return self._coat(job, asked, asked.step)
        found = self._somebody(job, asked, asked.labour)
        return found if isinstance(found, Busy) else Slot(found)

    def _somebody(self, job: Job, asked: Asked, labour: timedelta, but: Taken | None = None) -> str | Busy:
        """Who is free for a stretch of work that begins when it is asked for; else what is in the way."""
        kind, at = asked.step.kind, asked.at
        soonest: tuple[datetime, Taken | None] | None = None
        usual, _ = self._usual(job.key, asked.step)
        for worker in sorted(self.shop.crew.workers, key=lambda w: w.name != usual):
            if not worker.does(kind):
                continue
            start, clash = self._free(worker.name, at, labour, but)
            if start <= at:
                return worker.name
            if soonest is None or start < soonest[0]:
                soonest = start, clash
        start, clash = soonest or (at, None)
        if not self._is_open(start, labour):
            words = f"{asked.step.label} takes {_hours(labour)} at a stretch, and no working day has that."
            raise Stuck(words, asked.step, Wait.HOURS, "no working day is long enough")
        if clash is None:
            return Busy(start, Wait.HOURS, "then working hours")
        return Busy(start, Wait.HANDS, f"hands are at {clash.by}", clash.by)

    def _free(
        self, name: str, at: datetime, labour: timedelta, but: Taken | None = None
    ) -> tuple[datetime, Taken | None]:
        """The first start from an instant on at which one worker has time, and what was in the way last."""
        diary, hours, last = self.diaries[name], self.shop.hours, None
        while True:
            gap, clash = diary.gap(at, labour, but)
            start = hours.fit(gap, labour)
            if clash is not None or start > gap:
                last = clash if start == gap else None
            if start == gap:
                return start, last
            at = start

    def _is_open(self, start: datetime, labour: timedelta) -> bool:
        """Whether the shop works all the while."""
        hours = self.shop.hours
        late = hours.until is not None and start <= hours.until
        return late or start + labour <= hours.closing(start)

    # --- coats: tool, mix, hands ---------------------------------------------------------------------------
    def _coat(self, job: Job, asked: Asked, step: CoatStep) -> Slot | Busy:
        product, at, end = job.situation.products[step.layer.product], asked.at, asked.at + asked.labour
        method = step.method if step.method in product.methods else product.methods[0]
        if method == NO_TOOL:
            found = self._somebody(job, asked, asked.labour)
            return found if isinstance(found, Busy) else Slot(found)
        joins, place, busy = self._tool(job, method, product, asked)
        if busy is not None:
            return busy
        cleaning = timedelta(minutes=WAYS[method].cleaning)
        is_last = joins is None or end > joins.last
        lasts = asked.labour + (cleaning if is_last else timedelta(0))
        old = joins.clean if joins and is_last else None
        found = self._somebody(job, asked, lasts, old)
        if isinstance(found, Busy):
            return found
        batch, mixed, by, busy = self._mix(job, product, asked, old)
        if busy is not None:
            return busy
        first, last = (min(at, joins.first), max(end, joins.last)) if joins else (at, end)
        clean = (
            joins.clean if joins and not is_last else Taken(end, end + cleaning, f"cleaning the {_tool_words(method)}")
        )
        cleaner = joins.by if joins and not is_last else found
        coats = (*(joins.coats if joins else ()), (at, end))
        tool = _tool_of(method, product)
        session = Session(tool, place, product.key, asked.blend, first, last, clean, cleaner, coats)
        return Slot(found, session, joins, batch, mixed, by)

    def _tool(self, job: Job, method: str, product: Product, asked: Asked) -> tuple[Session | None, int, Busy | None]:
        """A tool that is loaded with this by then, or one that is clean and free; else until when it is not."""
        tool, cleaning = _tool_of(method, product), timedelta(minutes=WAYS[method].cleaning)
        end, (_, usual) = asked.at + asked.labour, self._usual(job.key, asked.step)
        mine = [s for s in self.sessions if s.tool == tool]
        same = [
            s
            for s in mine
            if (s.product, s.blend) == (product.key, asked.blend)
            and asked.at <= s.last + _STANDS
            and end >= s.first - _STANDS
        ]
        frees: list[tuple[datetime, str]] = []
        words = _tool_words(method)
        for joined in sorted(same, key=lambda s: (s.place != usual, abs(s.first - asked.at))):
            first, last = min(asked.at, joined.first), max(end, joined.last) + cleaning
            others = (s for s in mine if s is not joined and s.place == joined.place)
            if any(s.first < last and first < s.clean.end for s in others):
                continue
            in_use = [to for since, to in joined.coats if since < end and asked.at < to]
            if not in_use:
                return joined, joined.place, None
            frees.append((max(in_use), f"the {words} is in use"))
        for place in range(self.shop.crew.guns if tool == "gun" else 1):
            clash = [s for s in mine if s.place == place and s.first < end + cleaning and asked.at < s.clean.end]
            if not clash:
                return None, place, None
            last_one = max(clash, key=lambda s: s.clean.end)
            frees.append((last_one.clean.end, f"the {words} has {self._product_words(last_one)} in it"))
        until, because = min(frees)
        return None, 0, Busy(until, Wait.GUN, because)

    def _product_words(self, session: Session) -> str:
        line = next((b for b in self.booked if b.product == session.product and b.kind == "mix"), None)
        return line.label.removeprefix("Mix ") if line else session.product

    def _mix(
        self, job: Job, product: Product, asked: Asked, but: Taken | None
    ) -> tuple[Batch | None, Taken | None, str, Busy | None]:
        """The pot that a coat comes from: one that is there, or one to be mixed before it; else from when there is."""
        end = asked.at + asked.labour
        usable = [
            b
            for b in self.batches
            if (b.product, b.blend) == (product.key, asked.blend)
            and b.of in (None, job.key)
            and end <= b.gels
            and (b.of or end <= self._gels(job, product, asked.blend, b.begun + _MIXING))  # it stands where it is used
        ]
        if ready := next((b for b in usable if b.usable <= asked.at), None):
            return ready, None, "", None
        for later in sorted(usable, key=lambda b: b.usable):
            if later.usable <= asked.at + DRAWN_TOGETHER and (asked.closes is None or later.usable <= asked.closes):
                words = f"drawn together: it comes out of the pot of {product.name} that is mixed by then"
                return None, None, "", Busy(later.usable, Wait.MIX, words)
        return self._new_mix(job, product, asked, but)

    def _new_mix(
        self, job: Job, product: Product, asked: Asked, but: Taken | None
    ) -> tuple[Batch | None, Taken | None, str, Busy | None]:
        induct = timedelta(minutes=product.mix.induction_minutes)
        cleaning = timedelta(minutes=WAYS[asked.step.method].cleaning)
        if (all_of_it := _MIXING + induct + asked.labour + cleaning) > self.shop.hours.longest:
            takes = f"{asked.step.label} takes {_hours(all_of_it)} with its mix and the clean-out"
            words = f"{takes}, and no working day has that."
            raise Stuck(words, asked.step, Wait.HOURS, "no working day is long enough")
        latest = asked.at - induct - _MIXING
        label = f"Mix {product.name}"
        start, end = latest, asked.at + asked.labour
        while start >= max(self.shop.earliest, latest - _LOOKS_BACK):  # as late as can be, so that the pot lasts
            clashes: list[datetime] = []
            for worker in self.shop.crew.workers:
                if not worker.does("mix"):
                    continue
                free, _ = self._free(worker.name, start, _MIXING, but)
                if free <= start:
                    batch = self._batch(job, product, asked.blend, start + _MIXING)
                    longer_than_any = (
                        batch.gels - batch.usable < asked.labour and start == latest
                    )  # mixed in several goes
                    if end <= batch.gels or longer_than_any:
                        return batch, Taken(start, start + _MIXING, label), worker.name, None
                    start = self.shop.now - timedelta(days=1)  # mixed any sooner it gels sooner
                    break
                clash = self.diaries[worker.name].clash(start, start + _MIXING, but)
                clashes.append(clash.start - _MIXING if clash else self._closed_before(start) - _MIXING)
            else:
                start = min(max(clashes), start - timedelta(minutes=1))
        soonest = min(
            self._free(w.name, max(self.shop.earliest, latest), _MIXING, but)[0]
            for w in self.shop.crew.workers
            if w.does("mix")
        )
        until = max(soonest + _MIXING + induct, asked.at + timedelta(minutes=1))
        words = "its mix is made first" + (f", and stands {product.mix.induction_minutes:g} min" if induct else "")
        return None, None, "", Busy(until, Wait.MIX, words)

    def _closed_before(self, at: datetime) -> datetime:
        """When the shop closed last before an instant out of hours; the instant itself, where it did not."""
        day_end = self.shop.hours.closing(at)
        return day_end if day_end < at else self.shop.hours.closing(at - timedelta(days=1))

    def _batch(self, job: Job, product: Product, blend: Blend, mixed: datetime) -> Batch:
        usable = mixed + timedelta(minutes=product.mix.induction_minutes)
        gels = self._gels(job, product, blend, mixed)
        return Batch(self._batch_number + 1, product.key, blend, mixed - _MIXING, usable, gels)

    def _gels(self, job: Job, product: Product, blend: Blend, mixed: datetime) -> datetime:
        """When a mix can be used no more that stands where a part does."""
        minutes = product.mix.pot_life_minutes
        if minutes is None:
            return mixed + KEEPS
        aging = self._paces(job.situation.climate, product.ref_temp_c)
        return aging.gels(mixed, minutes * blend.reactive_factor) or mixed + KEEPS

    def _paces(self, climate: PartClimate, ref_temp_c: float) -> Aging:
        key = (climate, ref_temp_c)
        if key not in self._aging:
            begin = seconds(self.shop.now)
            at = np.arange(begin, begin + _AGING_REACH_S, _AGING_STEP_S)
            self._aging[key] = Aging.along(at, climate.series, ref_temp_c)
        return self._aging[key]

    # --- writing in -------------------------------------------------------------------------------------
    def mix(self, job: Job, product: Product, blend: Blend, at: datetime, by: str) -> None:
        """Have a pot mixed at an instant, if somebody has the time; one of them is asked first."""
        for worker in sorted(self.shop.crew.workers, key=lambda w: w.name != by):
            if worker.does("mix") and self._free(worker.name, at, _MIXING)[0] <= at:
                self._pour(self._batch(job, product, blend, at + _MIXING), f"Mix {product.name}", worker.name)
                return

    def load(self, session: Session) -> None:
        """Have a tool loaded as it was to be, if its clean-out still has its time."""
        clean = session.clean
        if clean.start >= self.shop.now and self.diaries[session.by].clash(clean.start, clean.end) is None:
            self.sessions.append(session)
            self._take(session.by, clean)

    def _pour(self, batch: Batch, label: str, worker: str) -> None:
        """Write a pot in that is mixed."""
        self._batch_number = batch.number
        end = batch.begun + _MIXING
        self.batches.append(batch)
        self._take(worker, Taken(batch.begun, end, label))
        self.booked.append(
            Booked(batch.begun, end, "mix", label, worker, _MIXING, batch=batch.number, product=batch.product)
        )

    def book(self, job: Job, planned: Planned) -> None:
        """Write a step in that was placed by these hands."""
        if planned.step.kind == "wait":
            self.booked.append(_line(job, planned, "", timedelta(0)))
            return
        at = planned.start  # it waits no longer, not even for a pot that it could share
        slot = self.slot(job, Asked(planned.step, at, planned.labour, planned.lasts, planned.blend, closes=at))
        if isinstance(slot, Busy):
            raise AssertionError(f"{planned.step.label} was placed where it cannot be: {slot.because}")
        if slot.mixed is not None and slot.batch is not None:
            self._pour(slot.batch, slot.mixed.by, slot.mixed_by)
        label = f"{planned.step.label}, {job.name}"
        self._take(slot.worker, Taken(planned.start, planned.start + planned.labour, label))
        line = _line(job, planned, slot.worker, planned.labour)
        if slot.session is not None:
            self._load(slot.session, slot.joins)
            batch = slot.batch.number if slot.batch else None
            line = replace(
                line, batch=batch, product=slot.session.product, tool=slot.session.tool, place=slot.session.place
            )
        self.booked.append(line)

    def _load(self, session: Session, joins: Session | None) -> None:
        """Remember what a tool is loaded with, and clean it after the last coat alone."""
        if joins is not None:
            self.sessions.remove(joins)
        if joins is None or joins.clean is not session.clean:
            if joins is not None:
                self.diaries[joins.by].remove(joins.clean)
            self._take(session.by, session.clean)
        self.sessions.append(session)

    def _take(self, name: str, taken: Taken) -> None:
        if taken.end > taken.start:
            self.diaries[name].add(taken)

    def lines(self) -> list[Booked]:
        """All that is done, in order of time, the clean-outs with it."""
        cleans = [
            Booked(
                s.clean.start, s.clean.end, "clean_gun", f"{s.clean.by[0].upper()}{s.clean.by[1:]}", s.by,
                s.clean.end - s.clean.start, product=s.product, tool=s.tool, place=s.place,
            )
            for s in self.sessions
            if s.coats
        ]  # fmt: skip
        used = {b.batch for b in self.booked if b.kind == "coat"}
        self.booked = [b for b in self.booked if b.kind != "mix" or b.batch in used]
        return sorted([*self.booked, *cleans], key=lambda b: (b.start, b.end, b.label))

    # --- rooms ------------------------------------------------------------------------------------------
    def room_frees(self, job: Job, start: datetime, end: datetime) -> datetime | None:
        """When a room has a place for a part that is wet in it for a while; None where it has one at once."""
        most = self.shop.holds.get(job.space) if job.space else None
        if most is None or job.space is None:
            return None
        others = [w for w in self.wet.get(job.space, ()) if w.part != job.key and w.start < end and start < w.end]
        edges = sorted({start, *(w.start for w in others if w.start > start)})
        for at in edges:
            there = [w for w in others if w.start <= at < w.end]
            if len({w.part for w in there}) >= most:
                return min(w.end for w in there)
        return None

    def occupy(self, job: Job, start: datetime, end: datetime) -> None:
        """Remember that a part is wet in its room."""
        if job.space is not None:
            self.wet.setdefault(job.space, []).append(Wet(job.key, start, end))


@dataclass(frozen=True, slots=True)
class PartHands:
    """The calendar, as one part asks it."""

    calendar: Calendar
    job: Job

    def busy(self, asked: Asked) -> Busy | None:
        """Say what keeps a step from beginning; None when all that it takes is free from then on."""
        found = self.calendar.slot(self.job, asked)
        return found if isinstance(found, Busy) else None


def _line(job: Job, planned: Planned, worker: str, hands: timedelta) -> Booked:
    step = planned.step
    return Booked(planned.start, planned.end, step.kind, step.label, worker, hands, job.key, planned)


@cache
def _tool_words(method: str) -> str:
    return "gun" if method in SPRAYS else method


def _tool_of(method: str, product: Product) -> str:
    """Guns are few; of brushes and rollers there is one for every product."""
    return "gun" if method in SPRAYS else f"{method} {product.key}"


def _hours(span: timedelta) -> str:
    return f"{span.total_seconds() / 3600:.1f} h"

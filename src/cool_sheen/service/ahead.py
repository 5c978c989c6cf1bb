"""Working ahead: what moves with the weather is made by a worker, for live parts alone, and never inside a request."""

import gc
import logging
import time
from collections.abc import Callable, Sequence
from datetime import timedelta
from threading import Condition, Thread
from uuid import UUID

from cool_sheen.core.materials.kits import load_solver
from cool_sheen.core.units import load_units
from cool_sheen.service.learning import newest_lessons
from cool_sheen.service.part_now import PartNow, live_parts
from cool_sheen.service.unit import Unit, Workshop
from cool_sheen.service.weather_now import Ready, newest_weather
from cool_sheen.store import changes, statuses

LOOKS_AT_S = 45  # of each minute: early enough that the next one is ready when it begins
_WHOLE_EVERY = 60  # looks: about once an hour
PATIENCE_S = 2.0  # how long a press that changed the air waits for its consequences
FEW = 16  # so many parts are worked out before the first page is served; more, while it says that they are
_ASIDE_S = 0.25  # how long the worker stands aside before each part while somebody is being served
# What was learned is worked in at most so often, and in a fifth of the time at most: its own part shows it at once.
_LESSONS_WAIT_S, _RESTS_TIMES = 5.0, 4.0
_HEAD_START_S = 0.3  # the first page goes first
_say = logging.getLogger(__name__)


def look_ahead(
    unit: Unit,
    warm: Callable[[Unit, Sequence[PartNow]], None] | None = None,
    *,
    plans: bool = True,
    last_of: UUID | None = None,
    tell: Callable[[int, int], None] = lambda done, of: None,
) -> list[tuple[UUID, int]]:
    """Work out how every live part stands in the newest weather, and say which have come to their end.

    Args:
        unit: A unit of work that makes the weather.
        warm: What else is to be ready, such as the lanes.
        plans: Whether plans and last safe starts are to be ready, too.
        last_of: The space whose parts alone get their last safe starts: these take longer than all the rest, and only
            the page of their space shows them. None: those of all.
        tell: Is told how many parts are done, and of how many.

    Returns: The parts on which nothing is to come any more, each with its newest entry.
    """
    if unit.shop is None:
        return []
    found = live_parts(unit)
    over: list[tuple[UUID, int]] = []
    for done, part in enumerate(found):
        tell(done, len(found))
        unit.workshop.let_others_go_first(_ASIDE_S)
        if not part.is_live:
            over.append((part.part.uuid, part.version[1]))  # type: ignore[arg-type]
            continue
        if plans:
            _ = part.rest
            if last_of in (None, part.space.uuid):
                _ = part.last_starts
    if warm is not None:
        warm(unit, found)
    return over


def note_finished(workshop: Workshop, over: list[tuple[UUID, int]]) -> None:
    """Note which parts have come to their end, in a transaction of its own: a look takes long, and holds nobody up."""
    if not over:
        return
    with workshop.write() as unit:
        for part, seq in over:
            if statuses.finish(unit.session, part, seq, unit.now):
                changes.bump(unit.session, changes.ANYTHING)


def look_once(
    workshop: Workshop,
    warm: Callable[[Unit, Sequence[PartNow]], None] | None = None,
    tell: Callable[[], None] = lambda: None,
) -> None:
    """Look ahead over this minute and the next one.

    Whoever asks goes by it as soon as this minute is worked out, and ``tell`` says so: the next is not asked for yet.
    """
    with workshop.read(works_ahead=True) as unit:
        soon = unit.at(unit.now.replace(second=0, microsecond=0) + timedelta(minutes=1))
        ready = Ready(newest_weather(soon), newest_weather(unit), newest_lessons(unit))
        look_ahead(unit, warm, last_of=workshop.at_hand)
        workshop.ready = ready
        tell()
        over = [part for seen in (unit, soon) for part in look_ahead(seen, warm)]
    note_finished(workshop, list(dict.fromkeys(over)))
    workshop.looks += 1
    _tidy(whole=workshop.looks % _WHOLE_EVERY == 0)


def _tidy(*, whole: bool) -> None:
    """Look for garbage between requests rather than in one: what is kept by now is not looked through again.

    What is kept is let go when the last one lets go of it; only what refers to itself waits for the whole tidying.
    """
    if whole:
        gc.unfreeze()
    gc.collect()
    gc.freeze()


class Worker:
    """A thread that looks ahead before every minute begins, and at once when the air was changed."""

    def __init__(
        self,
        workshop: Workshop,
        warm: Callable[[Unit, Sequence[PartNow]], None] | None = None,
        load: Callable[[], None] = lambda: None,
    ) -> None:
        self.workshop, self.warm, self.load = workshop, warm, load
        self._turn = Condition()
        self._asked, self._done, self._stopped = 0, 0, False
        self._learned, self._rested_at = False, 0.0
        self._thread = Thread(target=self._run, name="looks ahead", daemon=True)

    def start(self) -> None:
        """Look ahead from now on. A few lanes are ready before this returns; of many, the Bench says that they come."""
        with self.workshop.read() as unit:
            live = statuses.count_live(unit.session)
        if live > FEW:
            self.workshop.first_look = (0, live)
        else:
            self._look_at_lanes()
        self.workshop.changed = self.news
        self._asked = 1  # the first whole look, at once
        self._thread.start()

    def stop(self) -> None:
        """Stop after the look in hand."""
        with self._turn:
            self._stopped = True
            self._turn.notify_all()
        self._thread.join(10)
        self.workshop.changed, self.workshop.ready = None, None

    def news(self, what: frozenset[str]) -> None:
        """Look ahead now; who changed the air waits a little for it, so that the next page shows what it did."""
        with self._turn:
            if changes.AIR in what:
                self._asked += 1
                mine = self._asked
                self._turn.notify_all()
                self._turn.wait_for(lambda: self._done >= mine or self._stopped, PATIENCE_S)
            elif changes.LESSONS in what:
                self._learned = True
                self._turn.notify_all()

    def _look_at_lanes(self) -> None:
        """Have the lanes of this minute ready, and say all the while how far that is."""

        def tell(done: int, of: int) -> None:
            if self.workshop.first_look is not None:
                self.workshop.first_look = (done, of)

        try:
            with self.workshop.read(works_ahead=True) as unit:
                look_ahead(unit, self.warm, plans=False, tell=tell)
        except Exception:  # whoever asks for a page makes what it needs
            _say.exception("The first look failed")
        self.workshop.first_look = None

    def _run(self) -> None:
        if self.workshop.first_look is not None:
            with self._turn:
                self._turn.wait_for(lambda: self._stopped, _HEAD_START_S)
            self._look_at_lanes()
        load_solver()
        load_units()
        self.load()
        while True:
            with self._turn:
                self._wait()
                if self._stopped:
                    return
                mine, learned, self._learned = self._asked, self._learned, False
            begun = time.monotonic()
            self._look(mine)
            self._answer(mine, tells=learned)
            done = time.monotonic()
            self._rested_at = done + max(_LESSONS_WAIT_S, _RESTS_TIMES * (done - begun))

    def _wait(self) -> None:
        """Wait for the next minute, for a change of the air, or for lessons that nobody has looked at for a while."""
        until = time.monotonic() + self._seconds_to_next()
        while not (self._asked > self._done or self._stopped):
            now = time.monotonic()
            if now >= until or (self._learned and now >= self._rested_at):
                return
            self._turn.wait(min(until, self._rested_at if self._learned else until) - now)

    def _answer(self, asked: int, *, tells: bool = False) -> None:
        """Let those go on who wait for what was asked for by now, and let every page show what came of it."""
        with self._turn:
            tells = tells or asked > self._done
            self._done = max(self._done, asked)
            self._turn.notify_all()
        if tells:
            self.workshop.news.tell()

    def _seconds_to_next(self) -> float:
        second = self.workshop.now().second
        return (LOOKS_AT_S - second) % 60 or 60.0

    def _look(self, asked: int) -> None:
        try:
            look_once(self.workshop, self.warm, lambda: self._answer(asked))
        except Exception:  # the pages go on with the weather that they have, and say how old it is
            _say.exception("The look ahead failed")

"""The running workshop, and a unit of work in it: one session, one moment, one shop."""

import time
from collections.abc import Callable, Generator, Iterator, Mapping
from contextlib import contextmanager
from contextvars import ContextVar
from dataclasses import dataclass, field, replace
from datetime import UTC, datetime
from threading import Condition, get_ident, local
from typing import Any
from uuid import UUID
from zoneinfo import ZoneInfo

from sqlalchemy import Connection, Engine, event, insert, select
from sqlalchemy.orm import Session

from cool_sheen.core.coatings.products import Product
from cool_sheen.core.once import cached_property
from cool_sheen.core.units import display_units
from cool_sheen.devices.scale import SimulatedScale
from cool_sheen.formats.catalogue import Catalogue, shipped
from cool_sheen.service.imports_at_hand import AtHand
from cool_sheen.service.kept import Kept, KeptAside, KeptAtOnce
from cool_sheen.service.news import News
from cool_sheen.service.pen import Pen
from cool_sheen.store import changes
from cool_sheen.store.engine import means_to_read, session
from cool_sheen.store.log import Conflict
from cool_sheen.store.models import PressRow, ProductRevision, Shop

PATIENCE_S = 20.0  # how long a press waits for those before it
# How long a press is waited for that is being written [s]: by a page before it looks and in between, by the worker.
_BEFORE_A_LOOK_S, _WITHIN_A_LOOK_S, _AHEAD_S = 0.25, 0.05, 0.5
_LONG_WRITE_S = 0.25  # a write that takes longer is no press: nobody waits for it
_saved: ContextVar[list[datetime] | None] = ContextVar("saved", default=None)


def count_saved() -> list[datetime]:
    """Return a list to which every commit from here on is added, for who must say whether a press was saved."""
    saved: list[datetime] = []
    _saved.set(saved)
    return saved


def note_saved() -> None:
    """Note a commit for whoever counts."""
    saved = _saved.get()
    if saved is not None:
        saved.append(datetime.now(UTC))


_SHOP = select(Shop).where(Shop.id == 1)
_SENT_AGAIN = "this press was made before"


@dataclass(frozen=True, slots=True)
class Pressed:
    """The press that a request brings, and the hash of all that it says."""

    uuid: UUID
    content_hash: str

    def check(self, session: Session) -> None:
        """See to it that this press says what it said before, if it was made before. Raises Conflict."""
        before = session.get(PressRow, self.uuid)
        if before is not None and before.content_hash != self.content_hash:
            raise Conflict(self.uuid)
        session.info[_SENT_AGAIN] = before is not None

    def keep(self, session: Session, now: datetime) -> None:
        """Keep what it said, with what it did."""
        if not session.info[_SENT_AGAIN]:
            session.execute(insert(PressRow).values(uuid=self.uuid, content_hash=self.content_hash, at=now))


_pressed: ContextVar[Pressed | None] = ContextVar("pressed", default=None)


def bring_press(pressed: Pressed | None) -> None:
    """Say which press the rest of this request is about."""
    _pressed.set(pressed)


@dataclass(frozen=True, slots=True)
class Asking:
    """How a presser can be asked back.

    Attributes:
        offered: The mark of what the button offered; empty for a script, which nobody can ask.
        sure: Of what the presser is sure, having been asked.
        mine: Presses of the same device that were kept while nobody answered, and sent before this one: it knows them.
    """

    offered: str = ""
    sure: frozenset[str] = frozenset()
    mine: frozenset[str] = frozenset()


_device: ContextVar[str] = ContextVar("device", default="web")


NOBODY = "shop"  # who writes where no person was chosen on a device
_person: ContextVar[str] = ContextVar("person", default=NOBODY)


def bring_person(name: str) -> None:
    """Say who presses in the rest of this request."""
    _person.set(name)


def bring_device(name: str) -> None:
    """Say from which device the rest of this request comes."""
    _device.set(name)


class Refused(Exception):
    """Something the shop cannot do; ``notes`` has a sentence for each field that is wrong."""

    def __init__(
        self,
        message: str,
        notes: dict[str, str] | None = None,
        status: int = 422,
        asks: Mapping[str, list[tuple[str, str]]] | None = None,
    ) -> None:
        super().__init__(message)
        self.notes = notes or {}
        self.asks = asks or {}  # what is asked back, with the answers that there are
        self.status = status


class Missing(Refused):
    """What was asked for is not here."""

    def __init__(self, what: str) -> None:
        super().__init__(f"There is no such {what} here.", status=404)


@dataclass(eq=False)
class Workshop:
    """One running application: the database, the clock, what ships, and what was worked out before."""

    engine: Engine
    clock: Callable[[], datetime] = lambda: datetime.now(UTC)
    catalogue: Catalogue = field(default_factory=shipped)
    kept: Kept = field(init=False)
    scale: SimulatedScale = field(default_factory=SimulatedScale)
    ready: Any = None  # what a worker has worked out: weather, lessons; None where nobody works ahead
    looks: int = 0  # how often a worker has looked ahead
    at_hand: UUID | None = None  # the space of which something was said last: its page is looked at next
    first_look: tuple[int, int] | None = None  # while it is in hand: how many parts are done, of how many
    settle: Callable[["Unit"], None] = lambda _: None  # the kept status follows what was written
    changed: Callable[[frozenset[str]], None] | None = None  # called after a commit, with what it changed
    at_hand_files: AtHand = field(default_factory=AtHand)  # files that were looked at and not taken yet
    takings: dict[UUID, tuple[int, int]] = field(default_factory=dict)  # files that are being taken: done, of how many
    searches: dict[str, Any] = field(default_factory=dict)  # better plans that are looked for, each apart
    noticed: dict[str, str] = field(default_factory=dict)  # what every page has to say: the clock, the copies
    news: News = field(default_factory=News)  # what was written: pages elsewhere look again
    _working: int = 0  # units of work that somebody waits for
    _writing: int = 0  # of these, who write or wait for the pen
    _written_since: float = 0.0  # when the first of them came, or the last one was done [s]
    _ahead: int = 0  # the thread that works ahead
    _mine: local = field(default_factory=local)
    _quiet: Condition = field(default_factory=Condition)
    _pen: Pen = field(default_factory=Pen)  # SQLite takes one writer at a time: here they queue without polling

    def __post_init__(self) -> None:
        self.forget()
        event.listen(self.engine, "before_cursor_execute", self._between_statements)

    def _between_statements(self, connection: Connection, *_: Any) -> None:
        """Let presses go first between two statements of whoever looks: in a page of many there is always one soon."""
        if self._writing and means_to_read(connection):
            self.let_presses_go_first()

    def forget(self) -> None:
        """Forget all that was worked out: it was of another shop."""
        self.kept = Kept(stand_aside=self.let_presses_go_first)

    @contextmanager
    def read(self, *, works_ahead: bool = False) -> Iterator["Unit"]:
        """Give a unit of work that looks, and can change nothing: it holds nobody up.

        Args:
            works_ahead: Whether this is the worker itself, who makes the weather that all others go by.
        """
        at_once = bool(self._pressing())
        if not works_ahead:
            self.let_presses_go_first(_BEFORE_A_LOOK_S)
        news = self.news.count  # before anything is read: what is written meanwhile is news to whoever shows this
        if works_ahead:
            self._ahead = get_ident()
        with session(self.engine, writes=False) as opened, self._at_work(not works_ahead):
            yield Unit(self, opened, self.clock(), works_ahead=works_ahead, at_once=at_once, news=news)

    @contextmanager
    def write(self) -> Iterator["Unit"]:
        """Give a unit of work that changes something: settled and committed at the end, or undone when it goes wrong.

        One at a time, in the order in which they came: what a unit looked up before it wrote is true when it writes.

        Raises: Refused: others were at it for too long; nothing was done.
        """
        with self.first_served():
            news, about = yield from self._write()
        self._told(news, about)

    def _write(self) -> Generator["Unit", None, tuple[frozenset[str], frozenset[UUID] | None]]:
        if not self._pen.take(PATIENCE_S):
            raise Refused("Others are writing, and it takes long. Nothing was saved: press again.", status=503)
        try:
            with session(self.engine) as opened, self._at_work():
                unit = Unit(self, opened, self.clock(), at_once=True, writes=True)
                pressed = _pressed.get()
                if pressed is not None:
                    pressed.check(opened)
                yield unit
                unit.settled()
                if pressed is not None and changes.wrote(opened):
                    pressed.keep(opened, unit.now)
                news, about = changes.bumped(opened), changes.bears_on(opened)
        finally:
            self._pen.hand_on()
        note_saved()
        unit.aside.commit()
        return news, about

    def _told(self, news: frozenset[str], about: frozenset[UUID] | None) -> None:
        """Tell the pages and the worker what was changed."""
        if not news:
            return
        self.news.tell(about)
        if self.changed is not None:
            self.changed(news)

    @contextmanager
    def first_served(self) -> Iterator[None]:
        """Mark that somebody presses: whoever only looks stands aside until the answer is there."""
        with self._quiet:
            if not self._writing:
                self._written_since = time.monotonic()
            self._writing += 1
        self._mine.depth = self._pressing() + 1
        try:
            yield
        finally:
            self._mine.depth -= 1
            with self._quiet:
                self._writing -= 1
                self._written_since = time.monotonic()
                if not self._writing:
                    self._quiet.notify_all()

    def _pressing(self) -> int:
        """Whether this thread answers a press: it lets no other one go first."""
        return getattr(self._mine, "depth", 0)

    def let_presses_go_first(self, most_s: float | None = None) -> None:
        """Wait a moment [s] while a press is being written: threads of one interpreter take turns, and a finger waits.

        A write that takes long is no press, and holds nobody up.
        """
        if not self._writing or self._pressing():
            return
        if most_s is None:
            most_s = _AHEAD_S if get_ident() == self._ahead else _WITHIN_A_LOOK_S
        with self._quiet:
            if time.monotonic() - self._written_since < _LONG_WRITE_S:
                self._quiet.wait_for(lambda: not self._writing, most_s)

    @contextmanager
    def _at_work(self, counts: bool = True) -> Iterator[None]:
        with self._quiet:
            self._working += counts
        try:
            yield
        finally:
            with self._quiet:
                self._working -= counts
                if not self._working:
                    self._quiet.notify_all()

    def let_others_go_first(self, most_s: float) -> None:
        """Wait until nobody is being served, but no longer than that: threads of one interpreter take turns. [s]"""
        with self._quiet:
            self._quiet.wait_for(lambda: not self._working, most_s)

    @contextmanager
    def taking(self, uuid: UUID) -> Iterator[None]:
        """Mark that a file is being taken, so that a page can say how far it is. Raises Refused: it is already."""
        if uuid in self.takings:
            raise Refused("This file is being taken already: load the page of its space again.", status=409)
        self.takings[uuid] = (0, 0)
        try:
            yield
        finally:
            del self.takings[uuid]

    def took(self, uuid: UUID, done: int, of: int) -> None:
        """Say how far the taking of a file is."""
        self.takings[uuid] = (done, of)

    def now(self) -> datetime:
        """Return the present."""
        return self.clock()


@dataclass(eq=False)
class Unit:
    """A unit of work: all that a service needs, at one moment."""

    workshop: Workshop
    session: Session
    now: datetime
    person: str = field(default_factory=_person.get)
    device: str = field(default_factory=_device.get)
    asking: Asking = field(default_factory=Asking)
    works_ahead: bool = False
    at_once: bool = False  # it answers a press: it waits for nobody who looks
    writes: bool = False
    news: int = 0  # what was told last when it began to look
    aside: KeptAside = field(init=False)
    _shop: Shop | None = None

    def __post_init__(self) -> None:
        self.aside = KeptAside(self.workshop.kept)

    @property
    def catalogue(self) -> Catalogue:
        """What ships."""
        return self.workshop.catalogue

    @property
    def kept(self) -> Kept | KeptAtOnce | KeptAside:
        """What was worked out before; apart from the others' as soon as this unit has written something."""
        if changes.wrote(self.session):
            return self.aside
        return KeptAtOnce(self.workshop.kept) if self.at_once else self.workshop.kept

    @property
    def shop(self) -> Shop | None:
        """The shop; None before the set-up."""
        if self._shop is None:
            self._shop = self._read_shop() if self.writes else self._known_shop()
        return self._shop

    def _read_shop(self) -> Shop | None:
        return self.session.scalar(_SHOP)

    def _known_shop(self) -> Shop | None:
        """The shop as it was read before: it changes once a year, and is looked at with every page."""

        def read() -> Shop | None:
            shop = self._read_shop()
            if shop is not None:
                self.session.expunge(shop)
            return shop

        found: Shop | None = self.kept.get(("shop", changes.generations(self.session).get(changes.AIR, 0)), read)
        return found

    @property
    def the_shop(self) -> Shop:
        """The shop, where there is one for certain. Raises Refused."""
        shop = self.shop
        if shop is None:
            raise Refused("Set the shop up first.", status=409)
        return shop

    @cached_property
    def zone(self) -> ZoneInfo:
        """The shop's time zone; UTC before the set-up."""
        shop = self.shop
        return zone_of(shop) if shop else ZoneInfo("UTC")

    def settled(self) -> Session:
        """Bring the kept status up to date with what was written so far, and return the session to read it with."""
        self.session.flush()
        if changes.unsettled(self.session):
            self.workshop.settle(self)
        return self.session

    def at(self, now: datetime) -> "Unit":
        """The same work at another moment."""
        other = replace(self, now=now)
        other.aside = self.aside
        return other

    def keep(self, product: Product) -> str:
        """Write product data as a revision, where they are not there yet; return their name."""
        name = product.content_hash
        if self.session.get(ProductRevision, name) is None:
            data = product.model_dump(mode="json")
            self.session.add(ProductRevision(content_hash=name, key=product.key, data=data, recorded_at=self.now))
            self.session.flush()
        return name

    def revision(self, content_hash: str) -> Product:
        """Return product data by their hash. Raises Missing."""

        def load() -> Product:
            row = self.session.get(ProductRevision, content_hash)
            if row is None:
                raise Missing("product revision")
            return Product.model_validate(row.data)

        found: Product = self.kept.get(("revision", content_hash), load, lambda _: 12_000)
        return found


def zone_of(shop: Shop) -> ZoneInfo:
    """Return the shop's time zone."""
    return ZoneInfo(shop.time_zone)


def units_of(shop: Shop) -> dict[str, str]:
    """Return the signs of the shop's units."""
    return display_units(shop.units)

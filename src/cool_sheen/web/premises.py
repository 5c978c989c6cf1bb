"""Where the program works: in one's own shop, or in the demo shop beside it, each with a file of its own."""

import asyncio
from collections.abc import Callable
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path
from threading import RLock

from fastapi import FastAPI
from starlette.types import ASGIApp, Receive, Scope, Send

from cool_sheen.service.ahead import Worker
from cool_sheen.service.keeping import Keeper
from cool_sheen.service.opening import OpenFile, open_file
from cool_sheen.service.tightening import end_all
from cool_sheen.service.unit import Unit, Workshop
from cool_sheen.settings import Settings
from cool_sheen.store import copies
from cool_sheen.web.app import create_app
from cool_sheen.web.pages.bench import ready_board
from cool_sheen.web.templating import Pages

_QUIET_S = 10.0  # how long those who are being served are waited for before a file is closed
_LOOKS_S = 0.05


@dataclass(eq=False)
class Open:
    """A shop that is open, and the application that serves it."""

    opened: OpenFile
    app: FastAPI
    threads: tuple[Worker | Keeper, ...] = ()

    @property
    def workshop(self) -> Workshop:
        """Its workshop."""
        return self.opened.workshop

    def begin(self) -> None:
        """Work ahead for it, and keep its file."""
        pages: Pages = self.app.state.pages
        worker = Worker(self.workshop, lambda unit, _: ready_board(unit, pages), pages.load)
        self.threads = (worker, Keeper(self.workshop))
        for thread in self.threads:
            thread.start()

    def rest(self) -> None:
        """Let what is in hand come to its end; it can still serve, and nothing works ahead for it."""
        for thread in self.threads:
            thread.stop()
        self.threads = ()
        self.workshop.forget()

    def close(self) -> None:
        """Close it, with all that was written in one whole file."""
        self.rest()
        end_all(self.workshop)
        self.workshop.let_others_go_first(_QUIET_S)
        self.opened.close()


class Premises:
    """Serves one's own shop, or the demo for as long as somebody looks at it; both stay as they were left."""

    def __init__(
        self, settings: Settings, *, demo: bool = False, clock: Callable[[], datetime] = lambda: datetime.now(UTC)
    ) -> None:
        """Prepare.

        Args:
            settings: Where the data are.
            demo: Whether to lay the demo where one's own shop would be, when there is none.
            clock: The present.
        """
        self.settings, self.demo, self.clock = settings, demo, clock
        self._own: Open | None = None
        self._demo: Open | None = None
        self._here: Open | None = None
        self._lock = RLock()
        self._moving = False

    @property
    def is_open(self) -> bool:
        """Whether a shop is open."""
        return self._here is not None

    async def __call__(  # noqa: D102 - ASGI
        self, scope: Scope, receive: Receive, send: Send
    ) -> None:
        while self._moving:
            await asyncio.sleep(_LOOKS_S)
        here = self._here
        assert here is not None, "nobody is served before a shop is open"
        await here.app(scope, receive, send)

    def open(self) -> ASGIApp:
        """Open one's own shop, and serve it. Raises Trouble."""
        with self._lock:
            if self._own is None:
                self._own = self._opened(self.settings.database, self.demo)
            self._go(self._own)
        return self

    def open_demo(self, *, anew: bool = False) -> None:
        """Serve the demo, laid when it is not there yet; or laid anew around the present. Raises Trouble."""
        with self._lock:
            if anew and self._here is not None and self._is_demo(self._here):
                self._swap(self._here, demo=True)
                return
            if self._demo is None:
                self._demo = self._opened(self.settings.demo_database, True)
            self._go(self._demo)

    def open_own(self) -> None:
        """Serve one's own shop; where the demo stands in its place, that is put among the copies. Raises Trouble."""
        with self._lock:
            own = self._own or self._opened(self.settings.database, False)
            self._own = own
            if self._is_demo(own):
                own = self._swap(own, demo=False)
            self._go(own)

    def close(self) -> None:
        """Close whatever is open."""
        with self._lock:
            for shop in (self._own, self._demo):
                if shop is not None:
                    shop.close()
            self._own = self._demo = self._here = None

    def _is_demo(self, shop: Open) -> bool:
        with shop.workshop.read() as unit:
            return unit.shop is not None and unit.shop.is_demo

    def _go(self, to: Open) -> None:
        if self._here is to:
            return
        if self._here is not None:
            self._here.rest()
        if not to.threads:
            to.begin()
        self._here = to

    def _swap(self, shop: Open, *, demo: bool) -> Open:
        """Put a shop's file among its copies, and open a fresh one in its place; whoever comes meanwhile waits."""
        self._moving = True
        try:
            shop.close()
            copies.set_aside(shop.opened.file, self.clock())
            fresh = self._opened(shop.opened.file, demo)
            if self._own is shop:
                self._own = fresh
            else:
                self._demo = fresh
            if self._here is shop:
                self._here = None
                self._go(fresh)
        finally:
            self._moving = False
        return fresh

    def _opened(self, file: Path, demo: bool) -> Open:
        opened = open_file(file, self.clock, _lay_demo if demo else None)
        return Open(opened, create_app(opened.workshop, self.settings, self))


def _lay_demo(unit: Unit) -> None:
    from cool_sheen.demo import shop as demo_shop  # only whoever lays it pays for it

    demo_shop.lay(unit)

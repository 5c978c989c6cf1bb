"""Keeps the shop's file: where it is, its copies, one a day by itself, and an eye on the machine's clock."""

import logging
from dataclasses import dataclass
from datetime import timedelta
from pathlib import Path
from threading import Event, Thread

from sqlalchemy import func, select

from cool_sheen.service.clock_watch import ClockWatch, behind, steady_s
from cool_sheen.service.unit import Missing, Unit, Workshop
from cool_sheen.store import copies, photos
from cool_sheen.store.audit import log_flaws
from cool_sheen.store.copies import Copy
from cool_sheen.store.models import LogEntry
from cool_sheen.store.standing import beside, flaws, revisions
from cool_sheen.store.troubles import Trouble, told

A_DAY = timedelta(days=1)
EVERY_S = 60.0
_say = logging.getLogger(__name__)

WHY_WORDS = {
    copies.DAILY: "of the day",
    copies.BEFORE_UPGRADE: "before an upgrade",
    copies.BY_HAND: "made by hand",
    copies.REPLACED: "put aside for another file",
}


@dataclass(frozen=True, slots=True)
class Kept:
    """What is kept of a shop, and where.

    Attributes:
        file: The shop's file.
        size: What it takes, with what stands beside it. [bytes]
        revision: Its schema.
        entries: How many lines the log has.
        copies: Its copies, the newest first.
        photos: How many photos lie beside it.
        photo_size: What they take. [bytes]
        photo_folder: Where they lie.
    """

    file: Path
    size: int
    revision: str
    entries: int
    copies: list[Copy]
    photos: int
    photo_size: int
    photo_folder: Path


def file_of(workshop: Workshop) -> Path:
    """Return the shop's file."""
    return Path(str(workshop.engine.url.database)).absolute()


def kept(unit: Unit) -> Kept:
    """Say what is kept, and where."""
    file = file_of(unit.workshop)
    size = sum(path.stat().st_size for path in (file, beside(file)) if path.exists())
    entries = unit.session.scalar(select(func.count()).select_from(LogEntry)) or 0
    there = photos.all_of(file)
    many, takes = sum(photos.SMALL not in path.name for path in there), sum(path.stat().st_size for path in there)
    return Kept(file, size, revisions()[-1], entries, copies.copies_of(file), many, takes, photos.folder_of(file))


def copy_now(workshop: Workshop, why: str = copies.BY_HAND) -> Copy:
    """Copy the shop's file while it is in use; nobody waits for it. Raises Trouble."""
    return copies.make(file_of(workshop), why, workshop.now())


def copy_named(workshop: Workshop, name: str) -> Copy:
    """Return a copy by its file's name. Raises Missing."""
    found = next((c for c in copies.copies_of(file_of(workshop)) if c.file.name == name), None)
    if found is None:
        raise Missing("copy")
    return found


def checked(workshop: Workshop) -> list[str]:
    """Look the whole file through; return what is broken in it."""
    file = file_of(workshop)
    return flaws(file) or log_flaws(file)


def is_due(workshop: Workshop) -> bool:
    """Whether a day has gone by since the last copy of the day, and there is something to copy."""
    daily = [c.made_at for c in copies.copies_of(file_of(workshop)) if c.why == copies.DAILY]
    if any(abs(workshop.now() - made) < A_DAY for made in daily):  # of a clock that was put right some lie ahead
        return False
    with workshop.read() as unit:
        return unit.shop is not None


class Keeper:
    """A thread that makes the copy of the day, and watches the clock."""

    def __init__(self, workshop: Workshop) -> None:
        self.workshop = workshop
        self._stop = Event()
        self._watch = ClockWatch(workshop.now(), steady_s())
        self._thread = Thread(target=self._run, name="keeps the file", daemon=True)

    def start(self) -> None:
        """Keep from now on."""
        with self.workshop.read() as unit:
            newest = unit.session.scalar(select(LogEntry.recorded_at).order_by(LogEntry.seq.desc()).limit(1))
        if leap := behind(self.workshop.now(), newest):
            self.workshop.noticed["clock"] = leap.words
        self._thread.start()

    def stop(self) -> None:
        """Stop after what is in hand."""
        self._stop.set()
        self._thread.join(30)

    def look(self) -> None:
        """Look once."""
        if leap := self._watch.look(self.workshop.now(), steady_s()):
            self.workshop.noticed["clock"] = leap.words
            _say.warning(leap.words)
        try:
            if is_due(self.workshop):
                copy_now(self.workshop, copies.DAILY)
            self.workshop.noticed.pop("copy", None)
        except Exception as error:
            words = str(error) if isinstance(error, Trouble) else told(error) or "look at the console"
            self.workshop.noticed["copy"] = f"The copy of the day was not made: {words}"
            _say.warning("The copy of the day was not made", exc_info=error)

    def _run(self) -> None:
        while not self._stop.wait(EVERY_S):
            self.look()

"""What was worked out and stays true while its key does: bounded by bytes, made once however many ask."""

import sys
from collections import OrderedDict
from collections.abc import Callable, Hashable
from dataclasses import dataclass, field
from threading import Event, Lock, get_ident
from typing import Any

MOST_BYTES = 96_000_000
_GUESS_BYTES = 4_000
_MOST_WAIT_S = 10.0  # for another who makes the same: then it is made here, too


@dataclass(eq=False)
class _InHand:
    """What a thread is making just now."""

    thread: int = field(default_factory=get_ident)
    over: Event = field(default_factory=Event)


@dataclass(eq=False)
class Kept:
    """Results by key; those that were asked for the longest ago go first when there are too many bytes.

    Attributes:
        most_bytes: What is kept at most, by estimate. [bytes]
        stand_aside: Is called before something is worked out: whoever looks lets those go first who write.
    """

    most_bytes: int = MOST_BYTES
    stand_aside: Callable[[], None] = lambda: None
    _made: OrderedDict[Hashable, tuple[Any, int]] = field(default_factory=OrderedDict)
    _bytes: int = 0
    _lock: Lock = field(default_factory=Lock)
    _in_hand: dict[Hashable, _InHand] = field(default_factory=dict)

    def get(self, key: Hashable, make: Callable[[], Any], size: Callable[[Any], int] | None = None) -> Any:
        """Return what is kept under a key, made when it is not.

        When twenty pages ask at once for what one press made stale, one works it out and the others wait for it:
        threads of one interpreter would all be done as late as the last of them.
        """
        mine = _InHand()
        with self._lock:
            if key in self._made:
                self._made.move_to_end(key)
                return self._made[key][0]
            other = self._in_hand.setdefault(key, mine)
        if other is not mine and other.thread != mine.thread:
            other.over.wait(_MOST_WAIT_S)
            with self._lock:
                if key in self._made:
                    return self._made[key][0]
        try:
            self.stand_aside()
            return self._keep(key, make(), size)
        finally:
            with self._lock:
                if self._in_hand.get(key) is mine:
                    del self._in_hand[key]
            mine.over.set()

    def _keep(self, key: Hashable, made: Any, size: Callable[[Any], int] | None) -> Any:
        weight = size(made) if size else _GUESS_BYTES
        with self._lock:
            if key in self._made:
                return self._made[key][0]
            self._made[key] = (made, weight)
            self._bytes += weight
            while self._bytes > self.most_bytes and len(self._made) > 1:
                _, (_, gone) = self._made.popitem(last=False)
                self._bytes -= gone
        return made

    def peek(self, key: Hashable) -> Any:
        """Return what is kept under a key; None when nothing is."""
        with self._lock:
            return self._made[key][0] if key in self._made else None

    def put(self, key: Hashable, made: Any, weight: int) -> None:
        """Keep what was made elsewhere, in the place of what was kept."""
        self.drop(key)
        self._keep(key, made, lambda _: weight)

    def drop(self, key: Hashable) -> None:
        """Forget what is kept under a key."""
        with self._lock:
            if key in self._made:
                self._bytes -= self._made.pop(key)[1]

    @property
    def bytes(self) -> int:
        """What is kept, by estimate. [bytes]"""
        return self._bytes


@dataclass(frozen=True, eq=False)
class KeptAtOnce:
    """The same for a press: what is not there is made here, and nobody is waited for who stands aside for it."""

    beneath: Kept

    def get(self, key: Hashable, make: Callable[[], Any], size: Callable[[Any], int] | None = None) -> Any:
        """Return what is kept under a key, made and kept for all when it is not."""
        made = self.beneath.peek(key)
        if made is None:
            made = make()
            self.beneath.put(key, made, size(made) if size else _GUESS_BYTES)
        return made


@dataclass(eq=False)
class KeptAside:
    """What a unit of work that writes works out: nobody else sees it before it is committed, or after it is undone."""

    beneath: Kept
    _made: dict[Hashable, tuple[Any, int]] = field(default_factory=dict)

    def get(self, key: Hashable, make: Callable[[], Any], size: Callable[[Any], int] | None = None) -> Any:
        """Return what is kept under a key, here or beneath; what is made new is kept here alone."""
        if key not in self._made:
            made = self.beneath.peek(key)
            made = make() if made is None else made
            self._made[key] = (made, size(made) if size else _GUESS_BYTES)
        return self._made[key][0]

    def put(self, key: Hashable, made: Any, weight: int) -> None:
        """Keep what was made elsewhere."""
        self._made[key] = (made, weight)

    def clear(self) -> None:
        """Forget all: what it was made from has changed."""
        self._made.clear()

    def commit(self) -> None:
        """Let all others have it: it is true now."""
        for key, (made, weight) in self._made.items():
            self.beneath.put(key, made, weight)


def rough_size(value: Any) -> int:
    """What an object takes by itself; what it refers to is the maker's to say. [bytes]"""
    return int(sys.getsizeof(value))

"""Files that were looked at and not taken yet: kept for an hour, a few of them, and gone when the program ends."""

import secrets
import time
from collections import OrderedDict
from dataclasses import dataclass, field
from threading import Lock
from typing import Any

MOST_BYTES = 24_000_000
LASTS_S = 3600.0


@dataclass(eq=False)
class AtHand:
    """What was read out of a file, under a name that nobody can guess; the oldest goes when there is too much."""

    most_bytes: int = MOST_BYTES
    _kept: OrderedDict[str, tuple[Any, int, float]] = field(default_factory=OrderedDict)
    _lock: Lock = field(default_factory=Lock)

    def put(self, what: Any, size: int) -> str:
        """Keep something of a size [bytes]; return its name."""
        name = secrets.token_urlsafe(12)
        with self._lock:
            self._kept[name] = (what, size, time.monotonic())
            while len(self._kept) > 1 and (self._size() > self.most_bytes or self._is_old()):
                self._kept.popitem(last=False)
        return name

    def get(self, name: str) -> Any:
        """Return what is kept under a name; None when it is gone."""
        with self._lock:
            while self._kept and self._is_old():
                self._kept.popitem(last=False)
            found = self._kept.get(name)
            return None if found is None else found[0]

    def drop(self, name: str) -> None:
        """Let go of it: it was taken."""
        with self._lock:
            self._kept.pop(name, None)

    def _size(self) -> int:
        return sum(size for _, size, _ in self._kept.values())

    def _is_old(self) -> bool:
        return time.monotonic() - next(iter(self._kept.values()))[2] > LASTS_S

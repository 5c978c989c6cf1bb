"""News: what was written since the start, so that a page that is open elsewhere knows whether to look again."""

import time
from collections.abc import Iterable
from dataclasses import dataclass, field
from threading import Lock
from uuid import UUID


def _after_all_before() -> int:
    """A number above any that a program told that ran here earlier: its pages may still be open."""
    return int(time.time() * 1000)


@dataclass(eq=False)
class News:
    """How often something was written, and what of it bears on which part.

    Attributes:
        count: Grows with every write; above all that was told before the program was started again.
    """

    count: int = field(default_factory=_after_all_before)
    _all: int = 0
    _parts: dict[UUID, int] = field(default_factory=dict)
    _lock: Lock = field(default_factory=Lock)

    def __post_init__(self) -> None:
        self._all = self.count

    def tell(self, parts: Iterable[UUID] | None = None) -> None:
        """Count something that was written: about these parts alone, or about what may show anywhere."""
        with self._lock:
            self.count += 1
            if parts is None:
                self._all = self.count
                self._parts.clear()
            else:
                self._parts.update(dict.fromkeys(parts, self.count))

    def of(self, part: UUID | None) -> int:
        """Return the count of the last thing that a page has to show: one of a part, or one of the whole shop."""
        with self._lock:
            return self.count if part is None else max(self._all, self._parts.get(part, 0))

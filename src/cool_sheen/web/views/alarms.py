"""Alarms: what rings, when, in which words, and where it leads; the same on every page."""

from collections.abc import Iterable
from dataclasses import dataclass
from uuid import UUID

from cool_sheen.web.views.mixing import BatchCard

# The first word of an alarm's key says what it is of.
WORDS = {
    "test": "go and test", "closing": "the window may be closing", "sand": "go and test: sandable by the clock",
    "wait": "the wait is over: go on", "done": "full cure by the clock",
    "pot": "the pot life is over: what is left is waste",
    "induct": "induction is over: go on mixing",
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class Alarm:
    """An alarm, by a key under which it rings once.

    Attributes:
        name: What it is about.
        href: Where one sees to it.
        words: What is to be done.
        at_ms: When it rings; None when it is due already. [ms since 1970]
    """

    key: str
    name: str
    href: str
    words: str
    at_ms: int | None


def of_part(part: UUID, name: str, rings: Iterable[tuple[str, int | None]]) -> list[Alarm]:
    """Return the alarms of a part by their keys: those that are due, and the one that is counted to."""
    return [Alarm(key, name, f"/parts/{part}", _words(key), at) for key, at in rings if key]


def of_batch(card: BatchCard) -> list[Alarm]:
    """Return the alarms of a batch that runs: the end of its induction, and of its pot life."""
    out = []
    about, where = f"Batch of {card.name}", f"/mix/{card.uuid}"
    if card.inducts_ms:
        key = f"induct:{card.uuid}:{card.inducts_ms}"
        out.append(Alarm(key, about, where, _words(key), card.inducts_ms))
    if card.ends_ms:
        key = f"pot:{card.uuid}:{card.ends_ms // 60_000}"
        out.append(Alarm(key, about, where, _words(key), None if card.gelled else card.ends_ms))
    return out


def _words(key: str) -> str:
    return WORDS.get(key.partition(":")[0], "due")

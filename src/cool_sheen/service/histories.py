"""The folded log of parts."""

from collections.abc import Hashable, Sequence
from uuid import UUID

from cool_sheen.core.log.entries import Recorded
from cool_sheen.core.log.fold import fold
from cool_sheen.core.log.history import History
from cool_sheen.service.briefs import brief_of
from cool_sheen.service.unit import Unit
from cool_sheen.store import changes, log
from cool_sheen.store.models import Part

_MOST_KEPT = 2_000  # entries of a part that are kept as they were read


def entries_of(unit: Unit, part: UUID) -> Sequence[Recorded]:
    """Return every entry about a part, in sequence: a log only grows, so what was read before is not read again.

    Others see of it what is committed, and a unit of work is given no more than was there when it began.
    """
    key = ("entries", part)
    known: tuple[int, tuple[Recorded, ...]] = unit.workshop.kept.peek(key) or (0, ())
    wrote = changes.wrote(unit.session)  # whoever writes is alone: there is nothing newer than what is read here
    newest = None if wrote else log.last_seq(unit.session, part)
    if newest is not None and known[0] >= newest:
        return known[1] if known[0] == newest else tuple(row for row in known[1] if row.seq <= newest)
    rows = (*known[1], *log.of_part(unit.session, part, known[0]))
    if rows and len(rows) <= _MOST_KEPT:
        kept = unit.aside if wrote else unit.workshop.kept
        kept.put(key, (rows[-1].seq, rows), 500 + 2_000 * len(rows))
    return rows


def history_of(unit: Unit, part: Part, seq: int | None = None) -> History:
    """Return the folded log of a part as of a sequence number; its newest when None."""
    newest = log.last_seq(unit.session, part.uuid) if seq is None else seq

    def make() -> History:
        brief = brief_of(unit, part)
        return fold(entries_of(unit, part.uuid), brief.live, brief.heirs)

    found: History = unit.kept.get(key_of(part, newest), make, weight_of)
    return found


def key_of(part: Part, seq: int) -> tuple[Hashable, ...]:
    """The key under which a part's folded log is kept."""
    return "history", part.uuid, seq, part.changes


WEIGHT_OF_BATCH = 12_000  # what a folded batch takes. [bytes]


def key_of_batch(batch: UUID, seq: int) -> tuple[Hashable, ...]:
    """The key under which a batch is kept as it stands with its newest entry."""
    return "batch", batch, seq


def weight_of(history: History) -> int:
    """What a folded log takes. [bytes]"""
    return 2_000 + 900 * history.places

"""Records: the log of all parts searched by words, product, defect, weather and date."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from uuid import UUID

from cool_sheen.core.log.entries import Recorded
from cool_sheen.service import log_words
from cool_sheen.service.briefs import brief_of
from cool_sheen.service.jobs import PartFacts, parts_named
from cool_sheen.service.unit import Missing, Unit
from cool_sheen.store import log_text
from cool_sheen.store.models import Part

PAGE = 40
_NEWER = 2**62  # than any entry
_COLDEST_C, _WARMEST_C = -40, 60


@dataclass(frozen=True, slots=True)
class Sought:
    """What is looked for; what is left out is not asked.

    Attributes:
        words: Each is in the entry, by its beginning.
        product, defect: Keys.
        air_c, rh_pct: From and to; what was known when the entry was logged. [°C, %]
        since, until: Of the time at which it happened.
        before: The number of the entry before which the page begins; None for the newest.
    """

    words: tuple[str, ...] = ()
    product: str = ""
    defect: str = ""
    kind: str = ""
    air_c: tuple[float | None, float | None] = (None, None)
    rh_pct: tuple[float | None, float | None] = (None, None)
    since: datetime | None = None
    until: datetime | None = None
    before: int | None = None

    @property
    def asks(self) -> bool:
        """Whether anything is asked at all."""
        told = (self.words, self.product, self.defect, self.kind, self.since, self.until)
        return any(told) or any(v is not None for v in (*self.air_c, *self.rh_pct))


@dataclass(frozen=True, slots=True)
class Line:
    """An entry that was found."""

    row: Recorded
    part: PartFacts | None
    says: str
    stands: bool


@dataclass(frozen=True)
class Found:
    """A page of what was found; ``further`` is where the next one begins, None after the last."""

    lines: list[Line]
    further: int | None


def search(unit: Unit, sought: Sought) -> Found:
    """Search the log of all parts, the newest entry first."""
    asked = log_text.asked_for(sought.words, _tags(unit, sought))
    seqs = log_text.found(unit.session, asked, sought.before or _NEWER, PAGE + 1, sought.since, sought.until)
    rows = log_text.entries(unit.session, seqs)
    further = rows[PAGE].seq + 1 if len(rows) > PAGE else None
    return Found(_lines(unit, rows[:PAGE]), further)


def _tags(unit: Unit, sought: Sought) -> list[Sequence[str]]:
    """What an entry has to have, group by group: one tag of each."""
    out: list[Sequence[str]] = []
    for letter, key in (("k", sought.kind), ("p", sought.product), ("d", sought.defect)):
        if key:
            out.append([f"{letter}_{key.replace('-', '_')}"])
    low, high = sought.air_c
    if low is not None or high is not None:
        first, last = _COLDEST_C if low is None else low, _WARMEST_C if high is None else high
        out.append(log_text.tags_of_air(round(max(first, _COLDEST_C)), round(min(last, _WARMEST_C))) or ["t_none"])
    low, high = sought.rh_pct
    if low is not None or high is not None:
        out.append(
            log_text.tags_of_humidity(0.0 if low is None else low, 100.0 if high is None else high) or ["h_none"]
        )
    if sought.since is not None or sought.until is not None:
        since = sought.since or log_text.first_at(unit.session) or unit.now
        out.append(log_text.tags_of_months(since, sought.until or unit.now) or ["m_none"])
    return out


def _lines(unit: Unit, rows: Sequence[Recorded]) -> list[Line]:
    about = {row.seq: next((t.part for t in row.entry.targets if t.part), None) for row in rows}
    facts = {p.uuid: p for p in parts_named(unit, {uuid for uuid in about.values() if uuid})}
    names = {uuid: _names(unit, uuid) for uuid in facts}
    gone = log_text.taken_back(unit.session, rows)
    out = []
    for row in rows:
        part = about[row.seq]
        known = names.get(part, {}) if part else {}
        says = log_words.says_logged(unit, row, known, unit.the_shop.units)
        out.append(Line(row, facts.get(part) if part else None, says, str(row.entry.uuid) not in gone))
    return out


def _names(unit: Unit, uuid: UUID) -> dict[str, str]:
    part = unit.session.get(Part, uuid)
    if part is None:
        raise Missing("part")
    return log_words.names_for(unit, uuid, brief_of(unit, part).system)

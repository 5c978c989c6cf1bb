"""Two jobs side by side: what each was, took and cost, and their coats in pairs."""

from collections import Counter
from dataclasses import dataclass
from datetime import datetime
from difflib import SequenceMatcher
from uuid import UUID

from cool_sheen.core.log.history import LaidCoat
from cool_sheen.core.log.looked import MarkPayload
from cool_sheen.core.materials.cost import Cost
from cool_sheen.core.units import Hours
from cool_sheen.service.costs import cost_of_part
from cool_sheen.service.finding import Wanted, projects_page
from cool_sheen.service.job_sheet import CoatLine, PartSheet, sheet_of
from cool_sheen.service.jobs import PartFacts
from cool_sheen.service.part_now import PartNow
from cool_sheen.service.unit import Unit

_MOST_OFFERED = 24


@dataclass(frozen=True, slots=True)
class CoatBeside:
    """A coat of one of two jobs, with the time since the coat below it [h]; None where it is the first."""

    line: CoatLine
    since: Hours | None


Pair = tuple[CoatBeside | None, CoatBeside | None]


@dataclass(frozen=True)
class Side:
    """One of two jobs: its sheet, what it costs over all its steps, and how often each defect was marked, by key."""

    sheet: PartSheet
    cost: Cost
    defects: Counter[str]
    coats: list[CoatBeside]

    @property
    def found(self) -> PartNow:
        """The part as it is now."""
        return self.sheet.found

    @property
    def hours_per_m2(self) -> Hours:
        """Hands-on hours of all its steps by its area. [h/m²]"""
        return self.cost.hours / self.found.part.area_m2

    @property
    def lasted(self) -> tuple[datetime, datetime]:
        """When the first and the last thing was logged; now where more is to come."""
        return self.sheet.told.since, self.sheet.told.until


def side_of(unit: Unit, found: PartNow) -> Side:
    """Gather one of two jobs."""
    sheet = sheet_of(unit, found)
    marks = (r.entry.payload for r in sheet.told.happened)
    defects = Counter(m.defect for m in marks if isinstance(m, MarkPayload) and m.what == "defect")
    return Side(sheet, cost_of_part(unit, unit.the_shop, found), defects, _timed(sheet.coats))


def _timed(lines: list[CoatLine]) -> list[CoatBeside]:
    return [CoatBeside(line, _since(line.coat, lines[:n])) for n, line in enumerate(lines)]


def _since(coat: LaidCoat, before: list[CoatLine]) -> Hours | None:
    under = [line.coat.ended_at for line in before if line.coat.zones & coat.zones]
    return (coat.ended_at - max(under)).total_seconds() / 3600 if under else None


def paired(ours: list[CoatBeside], theirs: list[CoatBeside]) -> list[Pair]:
    """Line the coats of two parts up: the same product and kind of coat beside each other, in the order of both."""
    one, other = ([(c.line.product, c.line.coat.payload.coat_kind) for c in side] for side in (ours, theirs))
    out: list[Pair] = []
    for same, a, a_end, b, b_end in SequenceMatcher(None, one, other, autojunk=False).get_opcodes():
        if same == "equal":
            out += zip(ours[a:a_end], theirs[b:b_end], strict=True)
        else:
            out += [(c, None) for c in ours[a:a_end]]
            out += [(None, c) for c in theirs[b:b_end]]
    return out


def offered(unit: Unit, found: PartNow, words: tuple[str, ...]) -> list[PartFacts]:
    """Return parts to put beside one: those that were asked for by words, or those with most of its products first."""
    asked = [Wanted(words=words)] if words else [Wanted(product=key) for key in found.products]
    shares: Counter[UUID] = Counter()
    parts: dict[UUID, PartFacts] = {}
    for wanted in asked:
        there = {p.uuid: p for project in projects_page(unit, 1, wanted).projects for p in project.parts}
        parts |= there
        shares.update(there.keys())
    shares.pop(found.part.uuid, None)
    return [parts[uuid] for uuid, _ in shares.most_common(_MOST_OFFERED)]

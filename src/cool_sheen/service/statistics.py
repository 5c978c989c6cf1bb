"""What the shop's own records come to: jobs against their estimates, hours by kind of work, defects and causes."""

from collections import Counter
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from datetime import datetime
from decimal import Decimal
from uuid import UUID

from sqlalchemy import func, select

from cool_sheen.core.log.looked import MarkPayload
from cool_sheen.core.log.spent import WorkKind
from cool_sheen.core.log.standing import unvoided
from cool_sheen.core.materials.cost import Cost, cents
from cool_sheen.core.materials.yields import Yield
from cool_sheen.core.statistics.accounts import Account, Together, together
from cool_sheen.core.statistics.hours import WORKS, HoursLine, PartHours, lines
from cool_sheen.core.takeoff.amounts import paint_of
from cool_sheen.core.takeoff.needs import TakeOff, take_off, work_of
from cool_sheen.core.units import Hours
from cool_sheen.core.work.labour import transfer_efficiency
from cool_sheen.core.work.steps import CoatStep, Step
from cool_sheen.service import batches
from cool_sheen.service.clinic.findings import found_before
from cool_sheen.service.costs import estimate_of, materials_of, unit_prices
from cool_sheen.service.jobs import part_facts
from cool_sheen.service.learning import taught_of
from cool_sheen.service.own_ways import equipment_of
from cool_sheen.service.packs import packs_on_offer
from cool_sheen.service.part_now import PartNow, parts_of
from cool_sheen.service.shelf_now import shelf_now
from cool_sheen.service.spent import hours_of
from cool_sheen.service.unit import Unit
from cool_sheen.store import changes, log, statuses
from cool_sheen.store.models import LessonRow, LogEntry, LogTarget, Part, Project

MOST_JOBS = 24  # each of them reads the whole log of its parts
_MOST_TAUGHT = 8


@dataclass(frozen=True)
class Job:
    """A project with its account, and the hours of its parts."""

    uuid: UUID
    name: str
    account: Account
    parts: tuple[PartHours, ...]

    @property
    def hours(self) -> list[HoursLine]:
        """Its hours by kind of work."""
        return lines(self.parts)

    @property
    def untold(self) -> list[WorkKind]:
        """Kinds of work of which nobody knows what they took."""
        untold = {work for part in self.parts for work in part.untold}
        return [work for work in WORKS if work in untold]


@dataclass(frozen=True)
class Jobs:
    """Jobs with hours that were entered, those that were worked on last first.

    Attributes:
        rows: Up to ``MOST_JOBS``.
        more: How many there are beyond those.
        lines: Hours by kind of work over all of their parts.
        together: The finished ones with a price, together; None where there is none.
    """

    rows: tuple[Job, ...]
    more: int
    lines: tuple[HoursLine, ...]
    together: Together | None


def jobs(unit: Unit, since: datetime | None) -> Jobs:
    """Return the jobs on which hours were entered since an instant; ever when None."""
    named = _with_hours(unit, since)
    some = named[:MOST_JOBS]
    projects = {p.uuid: p for p in unit.session.scalars(select(Project).where(Project.uuid.in_(some)))}
    found = _kept_jobs(unit, [projects[uuid] for uuid in some])
    rows = [job for job in found if any(part.entered for part in job.parts)]
    every = [part for job in rows for part in job.parts]
    return Jobs(tuple(rows), len(named) - len(some), tuple(lines(every)), together(row.account for row in rows))


def _kept_jobs(unit: Unit, projects: list[Project]) -> list[Job]:
    """Projects as they came, each kept by what its account depends on: its log, its terms, batches, prices, rates."""
    numbers = changes.generations(unit.settled())
    facts = part_facts(unit, Part.project_uuid.in_([p.uuid for p in projects]))
    seqs = {uuid: row.seq for uuid, row in statuses.of_parts(unit.session, [f.uuid for f in facts]).items()}
    shop, out = unit.the_shop, []
    around = (numbers.get(changes.SHELF, 0), numbers.get(changes.BATCHES, 0), shop.labour_rate, repr(shop.equipment))
    for project in projects:
        terms = (project.name, project.price, project.hire_cost, project.hire_hours_saved, project.goodwill_hours)
        mark = tuple((f.uuid, seqs.get(f.uuid, 0), f.changes) for f in facts if f.project_uuid == project.uuid)

        def make(project: Project = project) -> Job:
            return _job(unit, project, parts_of(unit, [project.uuid]))

        out.append(unit.kept.get(("job as it came", project.uuid, terms, mark, around), make, lambda _: 4_000))
    return out


def _with_hours(unit: Unit, since: datetime | None) -> list[UUID]:
    last = func.max(LogEntry.occurred_at)
    query = (
        select(Part.project_uuid)
        .join(LogTarget, LogTarget.part_uuid == Part.uuid)
        .join(LogEntry, LogEntry.seq == LogTarget.seq)
        .where(LogEntry.kind == "hours", Part.away != "deleted")
        .group_by(Part.project_uuid)
        .order_by(last.desc())
    )
    return list(unit.session.scalars(query.where(LogEntry.occurred_at >= since) if since else query))


def _job(unit: Unit, project: Project, parts: list[PartNow]) -> Job:
    prices = unit_prices(o.pack for o in packs_on_offer(unit).values())
    hours = tuple(hours_of(unit, found) for found in parts)
    cost, weighed = _as_it_came(unit, project, parts, sum(part.hours for part in hours), prices)
    area = sum(found.part.area_m2 for found in parts)
    finished = not any(found.owed.left() for found in parts)
    account = Account(estimate_of(unit, project, parts, prices), cost, area, weighed, finished)
    return Job(project.uuid, project.name, account, hours)


def _as_it_came(
    unit: Unit, project: Project, parts: list[PartNow], hours: Hours, prices: Mapping[str, Decimal]
) -> tuple[Cost, float]:
    """What a project came to so far, and the share of its coats that came out of a batch that was poured here.

    Paint out of a batch costs what was poured, shared among its coats by their films; other coats of the plan cost what
    the take-off says of them, and so does what sanding, masking and cleaning wore out.
    """
    poured, out_of, coats, need = Decimal(0), 0, 0, TakeOff()
    for found in parts:
        named = {coat.payload.batch for coat in found.history.coats if coat.payload.batch}
        states = [state for state in batches.named(unit, named) if state.pours]
        for state, shares in zip(states, batches.shares_by_part(unit, states), strict=True):
            lot = zip(state.plan.lines, state.poured_ml(), strict=True)
            paid = sum((prices.get(li.component, Decimal(0)) * Decimal(str(ml)) for li, ml in lot), Decimal(0))
            poured += paid * Decimal(str(shares.get(found.part.uuid, 0.0)))
        there = {state.uuid for state in states}
        weighed = [coat for coat in found.history.coats if coat.payload.batch in there]
        out_of, coats = out_of + len(weighed), coats + len(found.history.coats)
        need.add(_done(unit, found, {coat.planned_step for coat in weighed}))
    cost = Cost(
        hours,
        unit.the_shop.labour_rate,
        cents(poured) + materials_of(unit, need, prices),
        Decimal(0),
        project.price,
        project.hire_cost or Decimal(0),
        project.hire_hours_saved or 0.0,
        project.goodwill_hours or 0.0,
    )
    return cost, out_of / coats if coats else 0.0


def _done(unit: Unit, found: PartNow, weighed: set[str | None]) -> TakeOff:
    """The take-off of what is done on a part, without the paint of coats that was weighed in."""
    equipment = equipment_of(unit.the_shop)
    steps: list[Step] = [row.step for row in found.owed.rows if row.status == "done"]
    on_it = batches.transfer_on(found.part.lands_pct, transfer_efficiency)
    coats = [paint_of(s, found.zones, found.products, on_it) for s in steps if isinstance(s, CoatStep)]
    free = [coat for coat in coats if coat.step.id not in weighed]
    made = take_off(found.part.name, free, found.products, shelf_now(unit).supplies, equipment)
    made.used, made.hours = work_of(steps, coats, equipment, unit.catalogue.rates)
    return made


@dataclass(frozen=True, slots=True)
class DefectLine:
    """A defect: how often it was marked, and which causes it was found to have."""

    defect: str
    marks: int
    parts: int
    causes: tuple[tuple[str, int], ...]

    @property
    def known(self) -> int:
        """How often a cause was found."""
        return sum(n for _, n in self.causes)


def defects(unit: Unit) -> list[DefectLine]:
    """Return the defects that were marked in this shop, or had a cause found, the most frequent first."""
    number = changes.generations(unit.settled()).get(changes.ANYTHING, 0)

    def count() -> list[DefectLine]:
        marks: Counter[str] = Counter()
        parts: dict[str, set[UUID]] = {}
        for row in unvoided(log.of_kinds(unit.session, ("mark", "void", "amend"))):
            said = row.entry.payload
            if isinstance(said, MarkPayload) and said.what == "defect" and said.defect:
                marks[said.defect] += 1
                parts.setdefault(said.defect, set()).update(t.part for t in row.entry.targets if t.part)
        causes = found_before(unit)
        rows = [
            DefectLine(d, marks[d], len(parts.get(d, ())), tuple(causes.get(d, Counter()).most_common()))
            for d in marks.keys() | causes.keys()
        ]
        return sorted(rows, key=lambda row: (-row.marks, -row.known, row.defect))

    found: list[DefectLine] = unit.kept.get(("defects counted", number), count, lambda x: 300 * len(x))
    return found


def yields(unit: Unit) -> list[Yield]:
    """Return what this shop really uses, the most used ways first."""
    return sorted(batches.yields(unit).values(), key=lambda y: -y.used_ml)


@dataclass(frozen=True, slots=True)
class Factor:
    """How a product dries in a space, times its sheet: how many coats told it, and where the next one will lie."""

    product: str
    space: UUID | None
    driven_by: str
    mist: bool
    coats: int
    likely: float
    next_coat: tuple[float, float]


def factors(unit: Unit) -> list[Factor]:
    """Return what was learned of the products that were tested most, the most tested first."""
    number = changes.generations(unit.settled()).get(changes.LESSONS, 0)

    def look() -> list[Factor]:
        query = select(LessonRow.product).group_by(LessonRow.product).order_by(func.count().desc()).limit(_MOST_TAUGHT)
        rows = [
            Factor(key, t.space, t.mode.value, t.mist, len(t.lessons), t.belief.factor_p50, t.next_coat)
            for key in unit.session.scalars(query)
            for t in taught_of(unit, key)
        ]
        return sorted(rows, key=lambda row: -row.coats)[:_MOST_TAUGHT]

    found: list[Factor] = unit.kept.get(("factors shown", number), look, lambda rows: 300 * len(rows))
    return found


def names(unit: Unit, products: Iterable[str]) -> dict[str, str]:
    """Return what products are called on the shelf; their keys where it has them no more."""
    shelf = shelf_now(unit).products
    return {key: shelf[key].name if key in shelf else key for key in products}

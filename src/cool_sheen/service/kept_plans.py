"""Plans that were kept: rows with what was asked and what came of it, what of them is done, whether they still hold."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from uuid import UUID, uuid4

from pydantic import AwareDatetime, BaseModel, ConfigDict
from sqlalchemy import delete, select

from cool_sheen.core.once import cached_property
from cool_sheen.core.part.due import Due
from cool_sheen.core.scheduling.again import Before, LoadedFor, MixedFor, StepOf
from cool_sheen.core.scheduling.booking import Booked, PieceOf
from cool_sheen.core.scheduling.diary import Taken
from cool_sheen.core.scheduling.serial import PartPlan, ShopPlan
from cool_sheen.core.takeoff.amounts import paint_of
from cool_sheen.core.work.steps import CoatStep
from cool_sheen.core.work.walk import Stand
from cool_sheen.service.batches import transfer_of, transfer_on
from cool_sheen.service.part_now import PartNow, live_mark, live_parts
from cool_sheen.service.planning import Asked, kept_to
from cool_sheen.service.unit import Missing, Refused, Unit
from cool_sheen.service.weather_now import weather_now
from cool_sheen.store.models import PlanRow

MOST_KEPT = 30
NOBODY = UUID(int=0)
LATE = timedelta(minutes=5)  # what moves by less stands where it stood


class HoldSaid(BaseModel):
    """One thing that held a step, and until when."""

    model_config = ConfigDict(extra="ignore")
    wait: str
    until: AwareDatetime
    because: str


class LineSaid(BaseModel):
    """One line of a kept plan."""

    model_config = ConfigDict(extra="ignore")
    n: int
    kind: str
    label: str
    start: AwareDatetime
    end: AwareDatetime
    hands_min: float
    worker: str
    part: UUID | None = None
    step: str = ""
    zones: tuple[UUID, ...] = ()
    because: str = ""
    holds: tuple[HoldSaid, ...] = ()
    opens: AwareDatetime | None = None
    closes: AwareDatetime | None = None
    inserted: bool = False
    batch: int | None = None
    product: str = ""
    tool: str = ""
    place: int = 0
    ml: float | None = None
    pinned: bool = False


class PartSaid(BaseModel):
    """What became of a part."""

    model_config = ConfigDict(extra="ignore")
    part: UUID
    name: str
    project: str
    ends: AwareDatetime | None
    stuck: str = ""
    cured: AwareDatetime | None = None  # past full cure, by the late edge


class PlanSaid(BaseModel):
    """A plan as it is kept."""

    model_config = ConfigDict(extra="ignore")
    lines: tuple[LineSaid, ...]
    parts: tuple[PartSaid, ...]
    now: AwareDatetime
    weather: AwareDatetime | None = None  # of when the weather was that it went by

    @property
    def ends(self) -> datetime | None:
        """When the last part is done."""
        return max((p.ends for p in self.parts if p.ends), default=None)

    @property
    def hands_on_h(self) -> float:
        """Hands-on time. [h]"""
        return sum(line.hands_min for line in self.lines) / 60

    @property
    def keyings(self) -> int:
        """Keys and fresh coats that are put in because a window closes first."""
        return sum(line.inserted and line.step.endswith((":key", ":pad", ":fresh")) for line in self.lines)

    def named(self) -> dict[UUID, PartSaid]:
        """Its parts by their ids."""
        return {p.part: p for p in self.parts}


@dataclass(frozen=True)
class Kept:
    """A kept plan, read."""

    uuid: UUID
    made_at: datetime
    name: str
    state: str
    asked: Asked
    said: PlanSaid


def said_of(unit: Unit, plan: ShopPlan) -> PlanSaid:
    """Put a plan into words that can be kept."""
    jobs = {p.job.key: p.job for p in plan.parts}
    lands = {p.part.uuid: p.part.lands_pct for p in live_parts(unit) if p.part.uuid in jobs}
    transfer = transfer_of(unit)

    def ml_of(line: Booked) -> float | None:
        step = line.planned.step if line.planned else None
        if not isinstance(step, CoatStep) or line.part is None:
            return None
        sit = jobs[line.part].situation
        return paint_of(step, sit.zones, sit.products, transfer_on(lands.get(line.part), transfer)).ml

    lines = lines_of(plan, ml_of)
    return PlanSaid(lines=lines, parts=tuple(map(_part, plan.parts)), now=plan.shop.now, weather=weather_now(unit).tick)


def _part(found: PartPlan) -> PartSaid:
    job, tops = found.job, [top for top in found.tops.values() if top]
    bands = [band for top in tops if (band := top.band_of("full_cure")[1])]
    cured = max((band.late for band in bands if band.late), default=None)
    return PartSaid(part=job.key, name=job.name, project=job.project, ends=found.ends, stuck=found.stuck, cured=cured)


def lines_of(plan: ShopPlan, ml_of: Callable[[Booked], float | None] = lambda _: None) -> tuple[LineSaid, ...]:
    """Return the lines of a plan as they are kept; ``ml_of`` says what paint a coat takes. [ml]"""
    return tuple(_line(n, line, ml_of(line), plan) for n, line in enumerate(plan.lines))


def _line(n: int, line: Booked, ml: float | None, plan: ShopPlan) -> LineSaid:
    placed = line.planned
    own = {
        "n": n, "kind": line.kind, "label": line.label, "start": line.start, "end": line.end, "worker": line.worker,
        "hands_min": line.hands.total_seconds() / 60, "batch": line.batch, "product": line.product, "tool": line.tool,
        "place": line.place, "ml": ml,
    }  # fmt: skip
    if placed is None or line.part is None:
        return LineSaid.model_validate(own)
    holds = tuple(HoldSaid(wait=h.wait.value, until=h.until, because=h.because) for h in placed.holds)
    return LineSaid.model_validate(
        own
        | {
            "part": line.part,
            "step": placed.step.id,
            "zones": tuple(sorted(placed.step.zones)),
            "because": placed.reason,
            "holds": holds,
            "opens": placed.waits.late if placed.waits else None,
            "closes": placed.closes.early if placed.closes else None,
            "inserted": placed.inserted,
            "pinned": (line.part, placed.step.id) in plan.shop.pins,
        }
    )


# --- rows ----------------------------------------------------------------------------------------------
def keep(unit: Unit, asked: Asked, said: PlanSaid, name: str, *, follow: bool = True) -> UUID:
    """Keep a plan; when it is followed, no other one is."""
    if follow:
        for row in unit.session.scalars(select(PlanRow).where(PlanRow.state == "followed")):
            row.state = "kept"
    row = PlanRow(
        uuid=uuid4(),
        made_at=unit.now,
        name=name,
        state="followed" if follow else "kept",
        asked=asked.model_dump(mode="json"),
        said=said.model_dump(mode="json"),
    )
    unit.session.add(row)
    unit.session.flush()
    newest = select(PlanRow.uuid).order_by(PlanRow.made_at.desc()).limit(MOST_KEPT)
    old = unit.session.scalars(newest).all()
    unit.session.execute(delete(PlanRow).where(PlanRow.uuid.not_in(old), PlanRow.state != "followed"))
    return row.uuid


def followed(unit: Unit) -> Kept | None:
    """Return the plan that is followed; None where there is none."""
    named = unit.session.execute(select(PlanRow.uuid, PlanRow.made_at).where(PlanRow.state == "followed")).first()
    return None if named is None else find_plan(unit, named.uuid)


def find_plan(unit: Unit, uuid: UUID) -> Kept:
    """Return a kept plan. Raises Missing."""
    row = unit.session.get(PlanRow, uuid)
    if row is None:
        raise Missing("plan")

    def read() -> tuple[Asked, PlanSaid]:
        return Asked.model_validate(row.asked), PlanSaid.model_validate(row.said)

    asked, said = unit.kept.get(("plan", uuid), read, lambda made: 5_000 + 1_500 * len(made[1].lines))
    return Kept(row.uuid, row.made_at, row.name, row.state, asked, said)


def kept_plans(unit: Unit) -> list[tuple[UUID, datetime, str, str]]:
    """Return the kept plans by name, the newest first."""
    rows = unit.session.execute(
        select(PlanRow.uuid, PlanRow.made_at, PlanRow.name, PlanRow.state).order_by(PlanRow.made_at.desc())
    )
    return [(r.uuid, r.made_at, r.name, r.state) for r in rows]


def follow(unit: Unit, uuid: UUID) -> None:
    """Follow another plan; nothing else is followed then. Raises Missing."""
    find_plan(unit, uuid)
    for row in unit.session.scalars(select(PlanRow)):
        row.state = "followed" if row.uuid == uuid else "kept"


def let_go(unit: Unit) -> None:
    """Follow no plan any more. Raises Refused: none is followed."""
    rows = unit.session.scalars(select(PlanRow).where(PlanRow.state == "followed")).all()
    if not rows:
        raise Refused("No plan is followed.", status=409)
    for row in rows:
        row.state = "kept"


# --- how it stands -------------------------------------------------------------------------------------
@dataclass(frozen=True, slots=True)
class Moved:
    """A line that stands elsewhere by now, and why."""

    line: LineSaid
    start: datetime
    because: str

    @property
    def by(self) -> timedelta:
        """How much later."""
        return self.start - self.line.start


@dataclass(frozen=True)
class Standing:
    """How a kept plan stands now: what is done, and what it has become if it is kept to as far as it can be."""

    plan: Kept
    now: datetime
    done: frozenset[int]
    again: ShopPlan | None
    moved: tuple[Moved, ...]
    put_in: tuple[str, ...]  # keys and fresh coats that are needed by now
    new: tuple[str, ...]  # steps that it does not have

    @cached_property
    def ahead(self) -> list[LineSaid]:
        """What is still to be done, in order."""
        return [line for line in self.plan.said.lines if line.n not in self.done and line.kind != "wait"]

    @property
    def ends(self) -> datetime | None:
        """When all is done by now."""
        return self.again.ends if self.again else self.plan.said.ends

    @property
    def holds(self) -> bool:
        """Whether it can be followed as it stands."""
        return not (self.moved or self.put_in or self.new or self.stuck)

    @property
    def stuck(self) -> list[PartPlan]:
        """The parts that have no end by now, and had one when it was made."""
        had_none = {p.part for p in self.plan.said.parts if p.stuck}
        return [p for p in self.again.parts if p.stuck and p.job.key not in had_none] if self.again else []


def standing(unit: Unit, plan: Kept) -> Standing:
    """Say how a kept plan stands; kept for the minute as long as nothing changes."""
    key = ("plan stands", plan.uuid, live_mark(unit), unit.now.replace(second=0, microsecond=0))
    made: Standing = unit.kept.get(key, lambda: _stands(unit, plan), lambda s: 20_000 + 2_500 * len(s.plan.said.lines))
    return made


def _stands(unit: Unit, plan: Kept) -> Standing:
    live = {p.part.uuid: p for p in live_parts(unit)}
    done = _done(plan.said, live)
    left = [line for line in plan.said.lines if line.n not in done]
    asked = plan.asked.model_copy(update={"begins": None})
    try:
        again = kept_to(unit, asked, before_of(left)) if left else None
    except Refused:
        again = None
    if again is None:
        return Standing(plan, unit.now, done, None, (), (), ())
    was = {(line.part, line.step): line for line in left if line.part and not line.inserted}
    names = {p.job.key: p.job.name for p in again.parts}
    moved, put_in, new, seen = [], [], [], set()
    for line in again.lines:
        if line.planned is None or line.part is None or line.kind == "wait":
            continue
        name = (line.part, line.planned.step.id)
        if line.planned.opens_again and not any(i.part == line.part and i.step == name[1] for i in left):
            put_in.append(f"{names[line.part]}: {line.label}: {line.planned.reason}")
        elif not line.planned.inserted and name not in was:
            new.append(f"{names[line.part]}: {line.label}")
        elif name in was and name not in seen:
            seen.add(name)
            if line.start - was[name].start > LATE:
                held = [h for h in line.planned.holds if h.wait != "planned"]
                moved.append(Moved(was[name], line.start, held[-1].because if held else line.planned.reason))
    return Standing(plan, unit.now, done, again, tuple(moved), tuple(put_in), tuple(new))


def before_of(lines: Sequence[LineSaid]) -> Before:
    """What is still ahead of a plan, as the planner keeps to it."""
    own = [line for line in lines if line.part is not None and line.kind != "wait"]
    due: dict[UUID, tuple[Due, ...]] = {}
    usual: dict[PieceOf, tuple[str, int]] = {}
    for line in sorted(own, key=lambda line: (line.start, line.n)):
        part, zones = line.part or NOBODY, frozenset(line.zones)
        due[part] = (*due.get(part, ()), Due(line.step, zones, line.start))
        usual.setdefault((part, line.step, zones), (line.worker, line.place))
    coats = [line for line in own if line.kind == "coat"]
    first = {line.batch: line for line in reversed(coats)}
    mixes = [MixedFor(_step_of(c), m.start, m.worker) for m in lines if m.kind == "mix" and (c := first.get(m.batch))]
    loads = [load for c in lines if c.kind == "clean_gun" and (load := _loaded(c, lines, coats))]
    return Before(due, usual, mixes, loads)


def _step_of(line: LineSaid) -> StepOf:
    return line.part or NOBODY, line.step


def _loaded(clean: LineSaid, lines: Sequence[LineSaid], coats: Sequence[LineSaid]) -> LoadedFor | None:
    """What a tool is loaded with until a clean-out: the coats since the one before."""
    same = [c for c in lines if c.kind == "clean_gun" and (c.tool, c.place) == (clean.tool, clean.place)]
    since = max((c.start for c in same if c.start < clean.start), default=None)
    mine = [
        c for c in coats
        if (c.tool, c.place, c.product) == (clean.tool, clean.place, clean.product)
        and c.end <= clean.start and (since is None or c.start >= since)
    ]  # fmt: skip
    if not mine:
        return None
    taken = Taken(clean.start, clean.end, f"{clean.label[0].lower()}{clean.label[1:]}")
    first, last = min(c.start for c in mine), max(c.end for c in mine)
    return LoadedFor(_step_of(mine[0]), clean.tool, clean.place, first, last, taken, clean.worker)


def _done(said: PlanSaid, live: dict[UUID, PartNow]) -> frozenset[int]:
    """Which lines are done by the log: nothing of them is owed any more."""
    own = {line.n: _is_done(line, live) for line in said.lines if line.part and not line.inserted}
    out = {n for n, done in own.items() if done}
    for line in said.lines:
        if line.n in own:
            continue
        if line.part:  # put in: done when what follows on the part is
            later = [m for m in said.lines if m.part == line.part and m.n in own and m.start >= line.start]
            is_done = own[later[0].n] if later else line.part not in live
        else:  # what the shop does around it: done when all its coats are
            coats = [m for m in said.lines if m.kind == "coat" and _goes_with(line, m)]
            is_done = bool(coats) and all(own.get(m.n, True) for m in coats)
        if is_done:
            out.add(line.n)
    return frozenset(out)


def _goes_with(line: LineSaid, coat: LineSaid) -> bool:
    """Whether a mix or a clean-out belongs to a coat."""
    if line.kind == "mix":
        return coat.batch == line.batch
    return coat.tool == line.tool and coat.product == line.product and coat.end <= line.start


def _is_done(line: LineSaid, live: dict[UUID, PartNow]) -> bool:
    found = live.get(line.part) if line.part else None
    if found is None:
        return True
    place = next((n for n, s in enumerate(found.owed.steps) if s.id == line.step), None)
    if place is None:
        return True
    return not any(found.owed.by_zone.get(z, {}).get(place) is Stand.OWED for z in line.zones)


def turns(unit: Unit, plan: Kept, parts: Sequence[PartNow]) -> dict[UUID, datetime]:
    """Return when it is the turn of each part by a plan: of the first of its lines that is not done.

    Args:
        unit: The unit of work.
        plan: The plan.
        parts: All live parts.
    """
    done = _done(plan.said, {p.part.uuid: p for p in parts})
    out: dict[UUID, datetime] = {}
    for line in plan.said.lines:
        if line.part is not None and line.hands_min and line.n not in done:
            out.setdefault(line.part, line.start)
    return out


def next_lines(stands: Standing, most: int) -> Sequence[LineSaid]:
    """Return what comes next by a plan."""
    return stands.ahead[:most]

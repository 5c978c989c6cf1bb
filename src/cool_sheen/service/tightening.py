"""A plan made tighter by a process of its own: begun, watched, stopped, taken; what is best by then is always kept."""

import time
from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime, timedelta
from pathlib import Path
from typing import Any
from uuid import UUID, uuid4

from sqlalchemy import delete, select

from cool_sheen.core.scheduling.serial import ShopPlan
from cool_sheen.core.scheduling.tighten import Progress, tighten
from cool_sheen.core.work.steps import CoatStep
from cool_sheen.service.apart import Apart, Told
from cool_sheen.service.kept_plans import PlanSaid, followed, keep, said_of
from cool_sheen.service.part_now import live_parts
from cool_sheen.service.planning import Asked, from_now, jobs_of, parts_for, shop_of
from cool_sheen.service.unit import Refused, Unit, Workshop
from cool_sheen.store.models import TighteningRow

AT_WORK, DONE, STOPPED, FAILED, INTERRUPTED = "at work", "done", "stopped", "failed", "interrupted"
LEAST_S, MOST_S, A_STEP_S = 15.0, 120.0, 0.25
_MOST_KEPT = 5
_MOST_NAMED = 6
_WORTH_SAYING = timedelta(hours=6)
_PLAN, _ENDED = "plan", "plan, ended"  # one search at a time, and the one that ended last
_TELL_EVERY_S, _KEEP_EVERY_S = 0.3, 2.0


@dataclass(frozen=True)
class Tightened:
    """A search as it stands: at work, done, stopped, failed; interrupted where the program ended before it did."""

    uuid: UUID
    begun_at: datetime
    state: str
    asked: Asked
    told: Told
    said: PlanSaid | None

    @property
    def is_better(self) -> bool:
        """Whether a plan was found that is done sooner, or that has less in it that closes."""
        return self.said is not None and bool(self.told.get("better"))


# --- in the process of its own ---------------------------------------------------------------------------
def errand(unit: Unit, asked: dict[str, Any], seconds: float, tell: Callable[[Told], bool]) -> None:
    """Look for a better plan, and tell of every one that is found.

    Args:
        unit: A unit of work that reads.
        asked: What the plan is asked for.
        seconds: How long to look. [s]
        tell: Is told how far it is, and says whether to go on.
    """
    plan_asked = Asked.model_validate(asked)
    parts = parts_for(unit, plan_asked)
    begun = time.monotonic()
    told_at = 0.0
    told_of: ShopPlan | None = None

    def goes_on(found: Progress) -> bool:
        nonlocal told_at, told_of
        spent = time.monotonic() - begun
        news = found.best is not told_of
        if not news and spent - told_at < _TELL_EVERY_S and spent < seconds:
            return True
        told_at, told_of = spent, found.best
        line = words_of(found, spent, seconds)
        if news and found.best is not found.first:
            line["said"] = said_of(unit, found.best).model_dump(mode="json")
            line["asked"] = plan_asked.wishing(found.wishes).model_dump(mode="json")
        return tell(line) and spent < seconds

    jobs, shop = jobs_of(parts, plan_asked), shop_of(unit, plan_asked)
    tell(words_of(tighten(jobs, shop, goes_on, plan_asked.wishes), time.monotonic() - begun, seconds))


def words_of(found: Progress, spent: float, seconds: float) -> Told:
    """Put how far a search is into what can be told."""

    def ends(at: datetime | None) -> str | None:
        return at.isoformat() if at else None

    return {
        "tries": found.tries,
        "spent": round(spent, 1),
        "seconds": seconds,
        "first": ends(found.first.ends),
        "best": ends(found.best.ends),
        "bound": ends(found.bound),
        "gap": found.gap,
        "is_best": found.is_best,
        "better": found.best is not found.first,
        "stuck": len(found.best.stuck),
        "over": found.over,
    }


# --- in the shop ------------------------------------------------------------------------------------------
@dataclass(eq=False)
class Search:
    """A search that is at work in a process of its own, and what of it is kept."""

    workshop: Workshop
    uuid: UUID
    apart: Apart | None = None
    told: Told | None = None
    kept_at: float = 0.0
    best: Told | None = None  # the best plan so far
    is_kept: bool = True  # whether the row has it
    state: str = AT_WORK

    def hear(self, line: Told) -> None:
        """Take note of what was told, and keep the best plan now and then: an end of the program loses little."""
        if "said" in line:
            self.best, self.is_kept = line, False
        self.told = {key: value for key, value in line.items() if key not in ("said", "asked")}
        if not self.is_kept and time.monotonic() - self.kept_at > _KEEP_EVERY_S:
            self.keep()

    def over(self, went_well: bool) -> None:
        """Keep how it ended."""
        stopped = self.apart is not None and self.apart.stopped
        self.state = FAILED if not went_well else STOPPED if stopped else DONE
        try:
            self.keep()
        finally:  # who looked at the file before that was written still finds how it ended
            self.workshop.searches[_ENDED] = self
            self.workshop.searches.pop(_PLAN, None)

    def keep(self) -> None:
        """Write down how far it is."""
        with self.workshop.write() as unit:
            row = unit.session.get(TighteningRow, self.uuid)
            if row is None:
                return
            row.state = self.state
            row.told = {**row.told, **(self.told or {})}
            if self.best is not None:
                row.said, row.asked = self.best["said"], self.best["asked"]
        self.is_kept, self.kept_at = True, time.monotonic()


def begin(workshop: Workshop) -> UUID:
    """Begin to look for a plan that is done sooner than the one that is followed.

    Raises: Refused: no plan is followed, nothing of it is left, or one is looked for by now.
    """
    with workshop.read() as unit:
        plan = followed(unit)
        if plan is None:
            raise Refused("No plan is followed: press Plan first.", status=409)
        asked, now = from_now(unit, plan.asked), unit.now
        steps = sum(len(part.ahead()) for part in parts_for(unit, asked))
    seconds = min(max(LEAST_S, A_STEP_S * steps), MOST_S)
    uuid = uuid4()
    search = Search(workshop, uuid)
    if workshop.searches.setdefault(_PLAN, search) is not search:
        raise Refused("A better plan is being looked for already.", status=409)
    try:
        with workshop.write() as unit:
            row = TighteningRow(
                uuid=search.uuid,
                plan_uuid=plan.uuid,
                begun_at=now,
                state=AT_WORK,
                asked=asked.model_dump(mode="json"),
                told={},
                said=None,
            )
            unit.session.add(row)
            unit.session.flush()
            newest = unit.session.scalars(
                select(TighteningRow.uuid).order_by(TighteningRow.begun_at.desc()).limit(_MOST_KEPT)
            ).all()
            unit.session.execute(delete(TighteningRow).where(TighteningRow.uuid.not_in(newest)))
        search.apart = Apart(
            "tighten", asked.model_dump(mode="json"), file=Path(str(workshop.engine.url.database)), now=now,
            seconds=seconds, hear=search.hear, over=search.over,
        )  # fmt: skip
    except BaseException:
        workshop.searches.pop(_PLAN, None)
        raise
    return uuid


def stop(workshop: Workshop) -> None:
    """Stop looking: the best plan by then is kept. Raises Refused: nothing is looked for."""
    search: Search | None = workshop.searches.get(_PLAN)
    if search is None:
        raise Refused("No better plan is being looked for.", status=409)
    if search.apart is not None:
        search.apart.stop()


def end_all(workshop: Workshop) -> None:
    """Stop whatever is looked for, and wait until it has ended: the shop is closed."""
    for search in list(workshop.searches.values()):
        if (apart := search.apart) is not None:
            apart.end()


def newest(unit: Unit, plan: UUID) -> Tightened | None:
    """Return the newest search for something better than a plan; None where nobody looked yet."""
    searches: list[Search | None] = [unit.workshop.searches.get(name) for name in (_PLAN, _ENDED)]
    of_plan = select(TighteningRow).where(TighteningRow.plan_uuid == plan)
    row = unit.session.scalars(of_plan.order_by(TighteningRow.begun_at.desc()).limit(1)).first()
    if row is None:
        return None
    mine = next((s for s in searches if s is not None and s.uuid == row.uuid), None)
    state = row.state if row.state != AT_WORK else mine.state if mine else INTERRUPTED
    told = (mine.told if mine else None) or row.told
    best = (mine.best if mine else None) or {"asked": row.asked, "said": row.said}

    def read() -> tuple[Asked, PlanSaid | None]:
        return Asked.model_validate(best["asked"]), PlanSaid.model_validate(best["said"]) if best["said"] else None

    if state == AT_WORK:
        return Tightened(row.uuid, row.begun_at, state, Asked.model_validate(row.asked), told, None)
    asked, said = unit.kept.get(("tightened", row.uuid, state), read, lambda _: 500_000)
    return Tightened(row.uuid, row.begun_at, state, asked, told, said)


def told_now(workshop: Workshop) -> Told | None:
    """Return what the search that is at work told last; None where none is."""
    at_work: Search | None = workshop.searches.get(_PLAN)
    return None if at_work is None else at_work.told or {}


def changes(unit: Unit, was: Asked, will: Asked) -> list[str]:
    """Say what a better plan does otherwise than another, in words."""
    parts = {p.part.uuid: p for p in live_parts(unit)}
    before, after = was.wishes, will.wishes
    moved = {key: by - before.hurry.get(key, timedelta(0)) for key, by in after.hurry.items() if key in parts}
    sooner = sorted((by, parts[key].part.name) for key, by in moved.items() if by >= _WORTH_SAYING)
    later = sorted(((by, parts[key].part.name) for key, by in moved.items() if by <= -_WORTH_SAYING), reverse=True)
    said = (("go before others", sooner[::-1]), ("can wait", later))
    out = [f"{words}: {_listed([name for _, name in names])}" for words, names in said if names]
    for (key, layer), gap in after.gaps.items():
        if key in parts and before.gaps.get((key, layer)) != gap:
            steps = (s for s in parts[key].owed.steps if isinstance(s, CoatStep) and s.layer.id == layer)
            name = next((s.layer.name for s in steps), layer)
            apart = f"kept {_span(gap)} apart" if gap else "put on as soon as they can be"
            out.append(f"coats of {name} on {parts[key].part.name} are {apart}")
    return out


def _listed(names: list[str]) -> str:
    more = len(names) - _MOST_NAMED
    return "; ".join(names[:_MOST_NAMED]) + (f"; and {more} more" if more > 0 else "")


def _span(gap: timedelta) -> str:
    minutes = round(gap.total_seconds() / 60)
    return f"{minutes} min" if minutes < 120 else f"{minutes / 60:g} h"


def take(unit: Unit, uuid: UUID, name: str) -> None:
    """Follow the best plan that a search found. Raises Refused: it was for another plan, or it found none."""
    plan = followed(unit)
    found = newest(unit, plan.uuid) if plan else None
    if found is None or found.uuid != uuid:
        raise Refused("That was found for the plan before: look again.", status=409)
    if found.said is None:
        raise Refused("No better plan was found: there is nothing to take over.", status=409)
    keep(unit, found.asked, found.said, name)

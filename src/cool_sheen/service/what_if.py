"""What if: the same job in other air, later, or with another hardener; each laid out by the plan itself."""

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime, timedelta

from sqlalchemy.orm import Session

from cool_sheen.core.climate.series import instant
from cool_sheen.core.coatings.products import Product
from cool_sheen.core.planning.film_clock import coat_clocks
from cool_sheen.core.planning.next_action import Outlook
from cool_sheen.core.planning.part_climate import Change, PartClimate
from cool_sheen.core.planning.sequence import Sequence as Plan
from cool_sheen.core.planning.sequence import plan_rest
from cool_sheen.core.planning.steps import Step, following_product
from cool_sheen.service.desk import Desk, Refused
from cool_sheen.service.jobs import Standing, working_day
from cool_sheen.store.models import Shop


@dataclass(frozen=True, slots=True)
class Case:
    """One way that it could go."""

    key: str
    words: str
    change: Change = field(default_factory=Change)
    later: timedelta = timedelta(0)


@dataclass(frozen=True)
class Outcome:
    """A case laid out: when it ends, how tight its tightest window is, how often a key is put in."""

    case: Case
    plan: Plan
    ends: datetime | None
    hands_on_h: float
    keyings: int
    tightest_h: float | None


def cases(found: Standing, wished: Change | None = None) -> list[Case]:
    """Return what is worth comparing for a part: as it is, warmer, drier, faster, tomorrow, in a week."""
    air = found.climate.air_at(found.look.now)
    warm = [t for t in (15, 20, 25) if t > air + 1][:2]
    out = [Case("now", "as it is")]
    out += [Case(f"heat-{t}", f"heated to {t} °C", Change(heat_to_c=t)) for t in warm]
    out += [
        Case("dry", "dehumidified to 50 %", Change(dry_to_pct=50)),
        Case("fast", "with the fast hardener", Change(hardener_speed="fast")),
        Case("tomorrow", "begun tomorrow", later=timedelta(days=1)),
        Case("week", "begun in a week", later=timedelta(days=7)),
    ]
    reaches = instant(float(found.climate.series.at_s[-1])) - found.look.now
    months = [(30, "in a month, by the typical year"), (90, "in three months, by the typical year")]
    out += [
        Case(f"days-{n}", f"begun {words}", later=timedelta(days=n)) for n, words in months if reaches.days > n + 10
    ]
    if wished is not None:
        out.insert(1, Case("wished", _words(wished), wished))
    return out


def _words(change: Change) -> str:
    parts = []
    if change.heat_to_c is not None:
        parts.append(f"heated to {change.heat_to_c:g} °C")
    if change.dry_to_pct is not None:
        parts.append(f"dehumidified to {change.dry_to_pct:g} %")
    return " and ".join(parts) or "as it is"


def compare(desk: Desk, opened: Session, shop: Shop, found: Standing, asked: Sequence[Case]) -> list[Outcome]:
    """Lay the rest of a part's work out for each case, by the same plan. Raises Refused when nothing is left."""
    left = [p.step for p in found.steps if p.status in ("next", "ahead")]
    if not left:
        raise Refused("Nothing is left to do on this part: there is nothing to compare.", status=409)
    revisions = {c.payload.coating: desk.revision(opened, c.payload.coating) for c in found.state.coats}
    return [_outcome(shop, found, left, case, revisions) for case in asked]


def _outcome(shop: Shop, found: Standing, left: list[Step], case: Case, revisions: dict[str, Product]) -> Outcome:
    climate = found.climate.changed(found.look.now, case.change)
    look = _look(found, climate, case, revisions)
    steps = [_hardened(step, case.change.hardener_speed) for step in left]
    plan = plan_rest(steps, look, working_day(shop), found.part.area_m2)
    spare = [p.spare for p in plan.steps if p.spare is not None]
    return Outcome(
        case, plan, plan.steps[-1].end if plan.steps and not plan.stuck else None,
        sum((p.labour for p in plan.steps), timedelta()).total_seconds() / 3600,
        sum(p.step.id.endswith(":key") for p in plan.steps),
        min(spare).total_seconds() / 3600 if spare else None,
    )  # fmt: skip


def _look(found: Standing, climate: PartClimate, case: Case, revisions: dict[str, Product]) -> Outlook:
    if climate is found.climate:
        clocks, groups = found.look.clocks, found.look.groups
    else:
        following = following_product([p.step for p in found.steps], found.state, found.products)
        clocks = coat_clocks(found.look.state, climate, following, revisions, found.look.factor)
        groups = tuple(
            (zones, coat_clocks(found.state.seen_by(zones), climate, following, revisions, found.look.factor))
            for zones, _ in found.look.groups
        )
    now = found.look.now + case.later
    return replace(found.look, climate=climate, clocks=clocks, groups=groups, now=now)


def _hardened(step: Step, speed: str) -> Step:
    if step.layer is None or speed == "standard":
        return step
    return replace(step, layer=step.layer.model_copy(update={"hardener_speed": speed}))

"""What if: the same job in other air, later, or with another hardener; each laid out by the plan itself."""

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime, timedelta

from cool_sheen.core.climate.series import instant
from cool_sheen.core.coatings.systems import System
from cool_sheen.core.part.climate import Change, PartClimate
from cool_sheen.core.part.situation import Situation, zone_films
from cool_sheen.core.plan.rest import Rest, rest_of
from cool_sheen.core.work.owed import Owed, owed_to, waited_out
from cool_sheen.core.work.steps import CoatStep, Step, steps_of
from cool_sheen.service.part_now import PartNow
from cool_sheen.service.unit import Refused, Unit


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
    plan: Rest
    ends: datetime | None
    hands_on_h: float
    keyings: int
    tightest_h: float | None


def cases(found: PartNow, wished: Change | None = None) -> list[Case]:
    """Return what is worth comparing for a part: as it is, warmer, drier, faster, tomorrow, in a week."""
    air = found.climate.air_at(found.now)
    warm = [t for t in (15, 20, 25) if t > air + 1][:2]
    out = [Case("now", "as it is")]
    out += [Case(f"heat-{t}", f"heated to {t} °C", Change(heat_to_c=t)) for t in warm]
    out += [
        Case("dry", "dehumidified to 50 %", Change(dry_to_pct=50)),
        Case("fast", "with the fast hardener", Change(hardener_speed="fast")),
        Case("tomorrow", "begun tomorrow", later=timedelta(days=1)),
        Case("week", "begun in a week", later=timedelta(days=7)),
    ]
    reaches = instant(float(found.climate.series.at_s[-1])) - found.now
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


def compare(unit: Unit, found: PartNow, asked: Sequence[Case]) -> list[Outcome]:
    """Lay the rest of a part's work out for each case, by the same account. Raises Refused when nothing is left."""
    if not found.ahead():
        raise Refused("Nothing is left to do on this part: there is nothing to compare.", status=409)
    return [_outcome(case, rest_of(_situation(unit, found, case))) for case in asked]


def _outcome(case: Case, plan: Rest) -> Outcome:
    spare = [p.spare for p in plan.steps if p.spare is not None]
    hands_on = sum((p.labour for p in plan.steps), timedelta()).total_seconds() / 3600
    tightest = min(spare).total_seconds() / 3600 if spare else None
    return Outcome(case, plan, plan.ends, hands_on, plan.keyings, tightest)


def _situation(unit: Unit, found: PartNow, case: Case) -> Situation:
    """The part as it would be in a case."""
    there = situation_with(unit, found, case.change)
    return replace(there, now=there.now + case.later)


def situation_with(unit: Unit, found: PartNow, change: Change) -> Situation:
    """The part as it would be: other air, or another hardener from the next mix on."""
    now = found.situation
    climate = now.climate.changed(now.now, change)
    owed, pots = now.owed, now.pots
    if change.hardener_speed is not None:
        speed = change.hardener_speed
        owed, pots = Owed(tuple(_hardened(s, speed) for s in owed.steps), owed.by_zone), {}
    there = replace(now, owed=owed, pots=pots)
    return there if climate is now.climate else films_in(unit, found, climate, there)


def films_in(unit: Unit, found: PartNow, climate: PartClimate, there: Situation | None = None) -> Situation:
    """The part as it would be in another climate: its films go on in that."""
    there = there or found.situation
    revisions = {name: unit.revision(name) for name in {c.payload.coating for c in there.history.coats}}
    films = zone_films(there.history, there.owed, climate, there.products, revisions, there.factor)
    return replace(there, climate=climate, films=films)


def situation_as(unit: Unit, found: PartNow, system: System) -> Situation:
    """The part as it would be with another system: what is logged stays, what is owed is owed by that."""
    steps = steps_of(system, found.zones, found.products)
    owed = waited_out(owed_to(steps, found.history, found.zones), found.history, found.zones, found.now)
    there = replace(found.situation, owed=owed)
    return films_in(unit, found, there.climate, there)


def _hardened(step: Step, speed: str) -> Step:
    if not isinstance(step, CoatStep):
        return step
    return replace(step, layer=step.layer.model_copy(update={"hardener_speed": speed}))

"""What would make a plan shorter, or fit at all, each way worked out before it is offered; what it costs to wait."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from functools import partial
from typing import Any
from uuid import UUID, uuid4

from cool_sheen.core.coatings.systems import System
from cool_sheen.core.log.entries import MovePayload, Target
from cool_sheen.core.log.history import History, Stay
from cool_sheen.core.part.climate import Change, PartClimate
from cool_sheen.core.part.placed import Wait
from cool_sheen.core.scheduling.booking import Booked, Job
from cool_sheen.core.scheduling.crew import Shop
from cool_sheen.core.scheduling.risk import Risk, risk
from cool_sheen.core.scheduling.serial import ShopPlan, plan_shop
from cool_sheen.service import journal
from cool_sheen.service.building import change_part
from cool_sheen.service.climate import part_climate
from cool_sheen.service.jobs import spaces_by_id
from cool_sheen.service.kept_plans import Kept
from cool_sheen.service.part_now import PartNow, live_mark
from cool_sheen.service.planning import Asked, crew_of, jobs_of, keep_crew, parts_for, plan_now, shop_of
from cool_sheen.service.shops import NewSpace, change_space
from cool_sheen.service.unit import Refused, Unit
from cool_sheen.service.what_if import films_in, situation_with

WORTH_IT = timedelta(minutes=30)
_DEGREES = (2, 4, 7)
_WARMEST_C = 32
_GOOD_ENOUGH = 0.8  # the smallest of the same kind that brings so much of the best of them
_MOST_WITHOUT = 3
_STARTS: dict[str, tuple[str, timedelta]] = {
    "0": ("begun as planned", timedelta(0)),
    "2": ("nothing is done for two hours", timedelta(hours=2)),
    "24": ("begun a day later", timedelta(days=1)),
    "48": ("two days later", timedelta(days=2)),
    "72": ("three days later", timedelta(days=3)),
    "120": ("five days later", timedelta(days=5)),
    "168": ("a week later", timedelta(days=7)),
}
_WEAKEST, _SAFE_ENOUGH = 4, 0.97
Built = Callable[[], tuple[list[Job], Shop]]


@dataclass(frozen=True)
class Way:
    """A change, and the plan with it."""

    key: str
    words: str
    plan: ShopPlan
    was: ShopPlan
    left_out: int = 0

    @property
    def sooner(self) -> timedelta | None:
        """How much sooner all is done; None where the one or the other has no end."""
        return self.was.ends - self.plan.ends if self.was.ends and self.plan.ends else None

    @property
    def frees(self) -> int:
        """How many parts fit with it that did not."""
        return len(self.was.stuck) - len(self.plan.stuck) - self.left_out

    @property
    def helps(self) -> bool:
        """Whether it is worth offering."""
        if self.plan.stuck and len(self.plan.stuck) >= len(self.was.stuck):
            return False
        return self.frees > 0 or (self.sooner or timedelta(0)) >= WORTH_IT or self.plan.keyings < self.was.keyings


def ways(unit: Unit, plan: Kept) -> list[Way]:
    """Find what would help a plan, the most helpful first; kept for the minute."""
    key = ("plan ways", plan.uuid, live_mark(unit), unit.now.replace(second=0, microsecond=0))
    made: list[Way] = unit.kept.get(key, lambda: _ways(unit, plan.asked), lambda w: 300_000 * (1 + len(w)))
    return made


@dataclass(frozen=True)
class Start:
    """The same plan begun at another time: what comes of it, and how likely it holds."""

    key: str
    words: str
    begins: datetime
    plan: ShopPlan
    risk: Risk

    @property
    def hands_on_h(self) -> float:
        """Hands-on time. [h]"""
        return sum((line.hands for line in self.plan.lines), timedelta()).total_seconds() / 3600

    @property
    def weakest(self) -> list[tuple[Booked, float]]:
        """The coats that hold the least often, with the share of worlds in which they do."""
        least = sorted(self.risk.by_line.items(), key=lambda row: row[1])[:_WEAKEST]
        return [(self.plan.lines[n], share) for n, share in least if share < _SAFE_ENOUGH]


def starts(unit: Unit, plan: Kept) -> list[Start]:
    """Say what comes of beginning now, and later; kept for the minute."""
    key = ("plan starts", plan.uuid, live_mark(unit), unit.now.replace(second=0, microsecond=0))
    made: list[Start] = unit.kept.get(key, lambda: _starts(unit, plan.asked), lambda w: 300_000 * (1 + len(w)))
    return made


def _now(unit: Unit, asked: Asked) -> Asked:
    begins = asked.begins if asked.begins and asked.begins > unit.now else None
    return asked.model_copy(update={"begins": begins})


def _starts(unit: Unit, asked: Asked) -> list[Start]:
    asked = _now(unit, asked)
    base = asked.begins or unit.now
    out = []
    for key, (words, later) in _STARTS.items():
        begins = base + later
        plan = plan_now(unit, asked.model_copy(update={"begins": begins}) if later else asked)
        out.append(Start(key, words, begins, plan, risk(plan)))
    return out


def _ways(unit: Unit, asked: Asked) -> list[Way]:
    asked = _now(unit, asked)
    was = plan_now(unit, asked)
    parts = parts_for(unit, asked)
    jobs, shop = jobs_of(parts, asked), shop_of(unit, parts, asked)
    found = [
        Way(key, words, plan_shop(*build(), asked.wishes), was, left_out)
        for key, words, left_out, build in [*_hands(jobs, shop, asked, was), *_fewer(jobs, shop, was)]
    ]
    found += _best_of_a_kind(
        [Way(k, w, plan_shop(*b(), asked.wishes), was) for k, w, _, b in _warmer(unit, parts, asked, shop, was)]
    )
    found += [Way(k, w, plan_shop(*b(), asked.wishes), was) for k, w, _, b in _others(unit, parts, asked, shop, was)]
    helping = [way for way in found if way.helps]
    return sorted(helping, key=lambda way: (-way.frees, -(way.sooner or timedelta(0))))


Candidate = tuple[str, str, int, Built]


def _held_by(plan: ShopPlan, *waits: Wait) -> bool:
    """Whether something of the plan is held by one of these, or stuck for it."""
    lines = (b.planned for b in plan.lines if b.planned)
    return any(h.wait in waits for p in lines for h in p.holds) or any(p.held in waits for p in plan.parts)


def _hands(jobs: list[Job], shop: Shop, asked: Asked, was: ShopPlan) -> list[Candidate]:
    crew, out = shop.crew, []
    if not crew.helper and _held_by(was, Wait.HANDS):
        with_helper = replace(shop, crew=replace(crew, helper=True))
        out.append(("helper", "a helper, who turns, wipes and tacks off", 0, lambda: (jobs, with_helper)))
    if _held_by(was, Wait.HANDS):
        more = replace(shop, crew=replace(crew, painters=crew.painters + 1))
        out.append(("painter", "one painter more", 0, lambda: (jobs, more)))
    if _held_by(was, Wait.GUN):
        guns = replace(shop, crew=replace(crew, guns=crew.guns + 1))
        out.append(("gun", "one gun more", 0, lambda: (jobs, guns)))
    if asked.begins is not None:
        sooner = replace(shop, begins=None)
        out.append(("begin", "begun now", 0, lambda: (jobs, sooner)))
    return out


def _fewer(jobs: list[Job], shop: Shop, was: ShopPlan) -> list[Candidate]:
    """Without the project that has the most to be done: it comes later."""
    work: dict[str, timedelta] = {}
    names = {job.key: job.project for job in jobs}
    for line in was.lines:
        if line.part is not None:
            work[names[line.part]] = work.get(names[line.part], timedelta()) + line.hands
    out: list[Candidate] = []
    if len(work) < 2:
        return out
    for project in sorted(work, key=lambda name: work[name], reverse=True)[:_MOST_WITHOUT]:
        left = [job for job in jobs if job.project != project]
        if any(job.after and names.get(job.after) == project for job in left):
            continue
        gone = sum(p.job.project == project for p in was.stuck)
        out.append((f"without:{project}", f"{project} left for later", gone, partial(_as_it_is, left, shop)))
    return out


def _as_it_is(jobs: list[Job], shop: Shop) -> tuple[list[Job], Shop]:
    return jobs, shop


def _warmer(unit: Unit, parts: Sequence[PartNow], asked: Asked, shop: Shop, was: ShopPlan) -> list[Candidate]:
    """Rooms heated by some degrees, where films or the gate hold something."""
    out: list[Candidate] = []
    if not _held_by(was, Wait.FILM, Wait.GATE):
        return out
    for room, space in spaces_by_id(unit).items():
        mine = [p for p in parts if p.space.uuid == room]
        if not mine or mine[0].situation.climate.outdoors:
            continue
        air = mine[0].climate.air_at(unit.now)
        for more in _DEGREES:
            degree = round(max(air, space.heater_min_c or air)) + more
            if degree > _WARMEST_C:
                continue
            change = Change(heat_to_c=float(degree))

            def build(room: UUID = room, change: Change = change) -> tuple[list[Job], Shop]:
                jobs = [
                    replace(job, situation=situation_with(unit, p, change)) if p.space.uuid == room else job
                    for job, p in zip(jobs_of(parts, asked), parts, strict=True)
                ]
                return jobs, shop

            out.append((f"heat:{room}:{degree}", f"{space.name} heated to {degree} °C", 0, build))
    return out


def _best_of_a_kind(found: list[Way]) -> list[Way]:
    """Of several of one kind the smallest that brings most of what the best of them brings."""
    kinds: dict[str, list[Way]] = {}
    for way in found:
        kinds.setdefault(way.key.rpartition(":")[0], []).append(way)
    out = []
    for of_kind in kinds.values():
        best = max((way.sooner or timedelta(0)) for way in of_kind)
        most = max(way.frees for way in of_kind)
        fits = (w for w in of_kind if w.frees >= most and (w.sooner or timedelta(0)) >= best * _GOOD_ENOUGH)
        out.append(next(fits, of_kind[-1]))
    return out


def _others(unit: Unit, parts: Sequence[PartNow], asked: Asked, shop: Shop, was: ShopPlan) -> list[Candidate]:
    """The fast hardener, and another room for the parts of one."""
    out: list[Candidate] = []
    if _held_by(was, Wait.FILM):

        def fast() -> tuple[list[Job], Shop]:
            change = Change(hardener_speed="fast")
            jobs = jobs_of(parts, asked)
            return [
                replace(job, situation=situation_with(unit, p, change)) for job, p in zip(jobs, parts, strict=True)
            ], shop

        out.append(("fast", "the fast hardener", 0, fast))
    if not _held_by(was, Wait.FILM, Wait.GATE, Wait.ROOM):
        return out
    rooms = spaces_by_id(unit)
    for left in {p.space.uuid for p in parts}:
        for to, space in rooms.items():
            if to == left or space.kind in ("outdoors", "open_shed"):
                continue

            def moved(left: UUID = left, to: UUID = to) -> tuple[list[Job], Shop]:
                jobs = [
                    replace(job, space=to, situation=films_in(unit, p, _climate_in(unit, p, to)))
                    if p.space.uuid == left
                    else job
                    for job, p in zip(jobs_of(parts, asked), parts, strict=True)
                ]
                return jobs, shop

            out.append((f"room:{left}:{to}", f"{space.name} instead of {rooms[left].name}", 0, moved))
    return out


def _climate_in(unit: Unit, found: PartNow, room: UUID) -> PartClimate:
    """What a part sees that is carried into another room now."""
    history: History = replace(found.history, stays=[*found.history.stays, Stay(unit.now, room)])
    return part_climate(unit, history, unit.catalogue.substrates[found.part.substrate].mass)


# --- taking one ----------------------------------------------------------------------------------------
def take(unit: Unit, asked: Asked, key: str) -> Asked:
    """Do what a way says; return what is to be planned with it. Raises Refused, Missing."""
    kind, _, rest = key.partition(":")
    crew = asked.crew or crew_of(unit)
    if kind in ("helper", "painter", "gun"):
        grown: dict[str, Any] = {"painter": {"painters": crew.painters + 1}, "gun": {"guns": crew.guns + 1}}
        more = grown.get(kind, {"helper": True})
        crew = crew.model_copy(update=more)
        keep_crew(unit, crew)
        return asked.model_copy(update={"crew": crew})
    if kind == "begin":
        later = _STARTS.get(rest, ("", timedelta(0)))[1]
        return asked.model_copy(update={"begins": (asked.begins or unit.now) + later if later else None})
    if kind == "without":
        return _without(unit, asked, rest)
    doing = {"heat": _heat, "fast": _harden, "room": _carry}.get(kind)
    if doing is None:
        raise Refused("That way is not known: look at the plan again.", status=422)
    doing(unit, parts_for(unit, asked), rest)
    return asked


def _without(unit: Unit, asked: Asked, project: str) -> Asked:
    left = {p.part.project_uuid for p in parts_for(unit, asked) if p.part.project_name != project}
    if not left:
        raise Refused("Nothing else is in this plan.", status=409)
    return asked.model_copy(update={"projects": tuple(sorted(left))})


def _heat(unit: Unit, parts: Sequence[PartNow], rest: str) -> None:
    room, _, degree = rest.partition(":")
    space = next((s for uuid, s in spaces_by_id(unit).items() if str(uuid) == room), None)
    if space is None or not degree.isdigit():
        raise Refused("That room is not there any more: look at the plan again.", status=409)
    said = {name: getattr(space, name) for name in NewSpace.model_fields}
    change_space(unit, space.uuid, NewSpace.model_validate(said | {"heater_min_c": float(degree)}))


def _harden(unit: Unit, parts: Sequence[PartNow], rest: str) -> None:
    def faster(system: System) -> System:
        layers = tuple(layer.model_copy(update={"hardener_speed": "fast"}) for layer in system.layers)
        return system.model_copy(update={"layers": layers})

    for found in parts:
        change_part(unit, found.part.uuid, faster)


def _carry(unit: Unit, parts: Sequence[PartNow], rest: str) -> None:
    left, _, to = rest.partition(":")
    room = next((uuid for uuid in spaces_by_id(unit) if str(uuid) == to), None)
    if room is None:
        raise Refused("That room is not there any more: look at the plan again.", status=409)
    for found in parts:
        if str(found.space.uuid) == left:
            whole = (Target(project=found.part.project_uuid, part=found.part.uuid),)
            journal.write(unit, whole, MovePayload(space=room), journal.Press(uuid4(), unit.now))


def starts_with(way: Way, part: UUID | None, step: str) -> datetime | None:
    """When a step begins by a way; None where it has it no more."""
    return next((b.start for b in way.plan.lines if b.planned and b.part == part and b.planned.step.id == step), None)

"""What would make a plan shorter, or fit at all, each way worked out before it is offered; what it costs to wait."""

import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from datetime import timedelta
from functools import partial
from typing import Any
from uuid import UUID

from cool_sheen.core.coatings.systems import System
from cool_sheen.core.log.history import History, Stay
from cool_sheen.core.part.climate import Change, PartClimate
from cool_sheen.core.part.placed import Wait
from cool_sheen.core.scheduling.booking import Job
from cool_sheen.core.scheduling.crew import Shop
from cool_sheen.core.scheduling.risk import risk
from cool_sheen.core.scheduling.serial import A_KEY_COSTS, ShopPlan, plan_shop
from cool_sheen.service.apart import Told
from cool_sheen.service.climate import part_climate
from cool_sheen.service.jobs import spaces_by_id
from cool_sheen.service.part_now import PartNow
from cool_sheen.service.plan_answers import STARTS, Answer, StartSaid, WaySaid, WeakSaid
from cool_sheen.service.plan_schools import other_system
from cool_sheen.service.planning import Asked, jobs_of, parts_for, plan_now, shop_of
from cool_sheen.service.unit import Unit
from cool_sheen.service.what_if import films_in, situation_as, situation_with

WORTH_IT = timedelta(minutes=30)
_DEGREES = (2, 4, 7)
_WARMEST_C = 32
_GOOD_ENOUGH = 0.8  # the smallest of the same kind that brings so much of the best of them
_MOST_WITHOUT = 3
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
        if self.frees < 0:
            return False
        more = self.plan.keyings - self.was.keyings
        costs = WORTH_IT + max(more, 0) * A_KEY_COSTS
        return self.frees > 0 or (self.sooner or timedelta(0)) >= costs or more < 0

    def said(self) -> WaySaid:
        """Put it into what can be told."""
        lines = [(b.part, b.planned.step.id, b.start) for b in self.plan.lines if b.planned and b.part]
        return WaySaid(
            key=self.key, words=self.words, ends=self.plan.ends, sooner=self.sooner, keyings=self.plan.keyings,
            frees=self.frees, begins={f"{part} {step}": at for part, step, at in reversed(lines)},
        )  # fmt: skip


def _now(unit: Unit, asked: Asked) -> Asked:
    begins = asked.begins if asked.begins and asked.begins > unit.now else None
    return asked.model_copy(update={"begins": begins})


def errand(unit: Unit, asked: dict[str, Any], seconds: float, tell: Callable[[Told], bool]) -> None:
    """Work out what would help a plan, and what it costs to wait; tell how far that is, and at the end all of it.

    Args:
        unit: A unit of work that reads.
        asked: What the plan is asked for.
        seconds: How long it may take; what is not worked out by then is left out. [s]
        tell: Is told how far it is, and says whether to go on.
    """
    wanted, ends = _now(unit, Asked.model_validate(asked)), time.monotonic() + seconds
    was = plan_now(unit, wanted)
    candidates = _candidates(unit, wanted, was)
    of = len(candidates) + len(STARTS)
    found, begun = [], []
    for done, (key, (words, later)) in enumerate(STARTS.items()):
        if not tell({"done": done, "of": of}) or time.monotonic() > ends:
            return
        begun.append(_start(unit, wanted, key, words, later))
    for done, (key, words, left_out, build) in enumerate(candidates, len(STARTS)):
        if not tell({"done": done, "of": of}):
            return
        if time.monotonic() < ends:
            found.append(Way(key, words, plan_shop(*build(), wanted.wishes), was, left_out))
    helping = [way for way in _best_of_a_kind(found) if way.helps]
    helping.sort(key=lambda way: (-way.frees, -(way.sooner or timedelta(0))))
    said = Answer(ways=tuple(way.said() for way in helping), starts=tuple(begun))
    tell({"done": of, "of": of, "answer": said.model_dump(mode="json")})


def _start(unit: Unit, asked: Asked, key: str, words: str, later: timedelta) -> StartSaid:
    begins = (asked.begins or unit.now) + later
    plan = plan_now(unit, asked.model_copy(update={"begins": begins}) if later else asked)
    worlds = risk(plan)
    hands = sum((line.hands for line in plan.lines), timedelta())
    least = sorted(worlds.by_line.items(), key=lambda row: row[1])[:_WEAKEST]
    weakest = tuple(
        WeakSaid(label=plan.lines[n].label, part=plan.lines[n].part, start=plan.lines[n].start, share=share)
        for n, share in least
        if share < _SAFE_ENOUGH
    )
    return StartSaid(
        key=key, words=words, begins=begins, ends=plan.ends, keyings=plan.keyings, chance=worlds.chance,
        finish=worlds.finish, hands_on_h=hands.total_seconds() / 3600, weakest=weakest,
    )  # fmt: skip


def _candidates(unit: Unit, asked: Asked, was: ShopPlan) -> "list[Candidate]":
    parts = parts_for(unit, asked)
    jobs, shop = jobs_of(parts, asked), shop_of(unit, asked)
    return [
        *_hands(jobs, shop, asked, was),
        *_fewer(jobs, shop, was),
        *_warmer(unit, parts, asked, shop, was),
        *_others(unit, parts, asked, shop, was),
        *_schools(unit, parts, asked, shop),
    ]


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
        kinds.setdefault(way.key.rpartition(":")[0] if way.key.startswith("heat:") else way.key, []).append(way)
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


def _schools(unit: Unit, parts: Sequence[PartNow], asked: Asked, shop: Shop) -> list[Candidate]:
    """The other side of each question on which practitioners disagree, on every part on which it arises."""
    out: list[Candidate] = []
    for school in unit.catalogue.schools:
        for side in school.sides:
            other = {p.part.uuid: system for p in parts if (system := other_system(unit, p, school, side.key))}
            if not other:
                continue

            def build(other: dict[UUID, System] = other) -> tuple[list[Job], Shop]:
                jobs = [
                    replace(job, situation=situation_as(unit, p, other[job.key])) if job.key in other else job
                    for job, p in zip(jobs_of(parts, asked), parts, strict=True)
                ]
                return jobs, shop

            names = [p.part.name for p in parts if p.part.uuid in other]
            on = f", on {names[0]}" if len(names) == 1 else f", on {len(names)} parts"
            out.append((f"school:{school.key}:{side.key}", f"another school: {side.words}{on}", 0, build))
    return out

"""One job on paper for each shipped system: looked over, planned, worked, and looked at while it dries."""

from datetime import datetime, timedelta
from functools import cache

import numpy as np

from cool_sheen.core.advice.consequence import Setting, consequence, methods_compared, riskier
from cool_sheen.core.advice.findings import Bed, Ground, look_over
from cool_sheen.core.advice.schools import Draft, sides_of
from cool_sheen.core.climate.gates import Shut
from cool_sheen.core.climate.series import Series, seconds
from cool_sheen.core.errors import CoreError
from cool_sheen.core.part.climate import PartClimate
from cool_sheen.core.part.placed import Planned
from cool_sheen.core.part.placing import gates_of
from cool_sheen.core.part.status import statuses
from cool_sheen.core.plan.last_start import last_starts
from cool_sheen.core.survey.below import what_is_below
from cool_sheen.core.takeoff.amounts import coats_ahead, waiting_coats
from cool_sheen.core.takeoff.equipment import Equipment
from cool_sheen.core.takeoff.needs import take_off, work_of
from cool_sheen.core.work.steps import CoatStep, SandStep
from cool_sheen.formats.catalogue import compatibility, shipped
from tests.support import T0
from tests.told.telling import Page
from tests.unit.paper import UTC_DAY, PaperPart, at, zone

SHIPPED = shipped()
GROUNDS = {
    "cabinet-waterborne": "bare_timber", "casein-under-clear": "bare_timber", "dope-on-fabric": "fabric",
    "lacquer-build": "bare_timber", "solid-stain-masonry": "masonry", "sump-membrane": "masonry",
    "epoxy-barrier-mixed": "gel_coat",
}  # fmt: skip


@cache
def weather() -> PartClimate:
    """Days of 22 °C and nights of 6, damp in the small hours, and a surface that follows within the hour."""
    at_s = seconds(T0) - 10 * 86_400 + 1800.0 * np.arange(40 * 48)
    hour = (at_s / 3600) % 24
    air = 14 + 8 * np.sin(2 * np.pi * (hour - 9) / 24)
    damp = 66 - 26 * np.sin(2 * np.pi * (hour - 9) / 24)
    surface = 14 + 7.2 * np.sin(2 * np.pi * (hour - 10) / 24)
    return PartClimate(Series(at_s, air, damp).with_surface(surface), T0 - timedelta(days=9), "gentle", 1.0, at(48))


def spans_of(shut: list[Shut], now: datetime) -> list[tuple[float, float, str]]:
    """The first stretches in which a gate is shut, in hours from now."""
    return [((s.since_s - seconds(now)) / 3600, (s.to_s - seconds(now)) / 3600, s.reason) for s in shut[:2]]


def job(key: str) -> str:
    """Tell the job of a system, on a face and its edge, half of it old finish where the system is for that."""
    ground = GROUNDS.get(key, "bare_steel")
    face = zone("face", 1.2, ground=ground, shape="sheet")
    rim = zone("rim", 0.25, ground=ground, kind="edge", setting=2, shape="spindles")
    part = PaperPart(key, weather(), face, rim, day=UTC_DAY)
    page = Page({face.uuid: "face", rim.uuid: "rim"})
    page.say(part.system.name)
    _looked_over(page, part)
    _planned(page, part)
    _taken_off(page, part)
    _worked(page, part)
    return page.text()


def _looked_over(page: Page, part: PaperPart) -> None:
    page.head("looked over, and worked out from bare")
    grounds = [Ground((z,), what_is_below(z, []).below) for z in part.zones]
    findings = look_over(part.system, SHIPPED.products, Bed(grounds), compatibility())
    for f in findings:
        page.say(f.verdict, f.place, f.title, f.rule)
    setting = Setting(part.zones, part.climate, UTC_DAY, T0, SHIPPED.products)
    _figures(page, "as it is", consequence(part.system, setting, findings))
    for cost in methods_compared(part.system, setting):
        page.say(cost, hours=cost.hours)
    for school in SHIPPED.schools:
        sides = {}
        for side, after in sides_of(school, Draft(part.system, part.zones, SHIPPED.products)):
            there = Setting(after.zones, part.climate, UTC_DAY, T0, SHIPPED.products)
            sides[side.key] = consequence(after.system, there)
            _figures(page, f"{school.key}: {side.key}", sides[side.key])
        page.say("riskiest in", dict(zip(sides, riskier(list(sides.values())), strict=True)))


def _figures(page: Page, words, found) -> None:
    page.say(
        words, hours=found.hands_on_h, days=found.days, ends=found.ends, litres=found.litres, film=found.film_um,
        coats=found.coats, keyings=found.keyings, tightest=found.tightest_h, reserve=found.reserve_over_um,
        run=found.run_margin_pct, verdict=found.verdict, cares=found.cares, stuck=found.stuck,
    )  # fmt: skip


def _planned(page: Page, part: PaperPart) -> None:
    page.head("planned from the first minute")
    rest = part.rest(0)
    for planned in rest.steps:
        _step(page, planned)
    page.say("ends", rest.ends, stuck=rest.stuck, keyings=rest.keyings)


def _step(page: Page, p: Planned) -> None:
    more = {"um": p.step.coat.wet_film_um} if isinstance(p.step, CoatStep) else {}
    if isinstance(p.step, SandStep):
        more = {"takes": p.step.removal_um}
    page.say(
        p.start, p.end, p.step.id, p.step.label, p.step.zones, m2=p.step.area_m2, labour=p.labour, because=p.reason,
        waits=p.waits, closes=p.closes, spare=p.spare, inserted=p.inserted, **more,
    )  # fmt: skip


def _taken_off(page: Page, part: PaperPart) -> None:
    page.head("what it takes")
    owed = part.look(0).owed
    coats = coats_ahead(owed, part.zones, part.products)
    gun = Equipment()
    need = take_off("it", coats, part.products, SHIPPED.supplies, gun)
    for layer in need.layers:
        page.say(
            layer.layer, coats=layer.coats, m2=layer.area_m2, net=layer.net_ml, loss=layer.loss_ml, fills=layer.fills
        )
    page.say(need.components)
    page.say(*work_of(part.steps, coats, gun, SHIPPED.rates))
    page.say("next to mix", {k: [c.step.id for c in found] for k, found in waiting_coats(coats, owed).items()})


def _worked(page: Page, part: PaperPart) -> None:
    """Follow the plan a little late, tests and wet sanding among it, and look again and again."""
    page.head("worked, a quarter of an hour late with everything, and looked at")
    hours, looked = 0.0, 0
    for _ in range(60):
        rest = part.rest(hours)
        if not rest.steps or looked > 9:
            break
        first = rest.steps[0]
        hours = (first.start - T0).total_seconds() / 3600 + 0.25
        _done(part, first, hours)
        if first.step.kind in ("coat", "sand", "bake"):
            looked += 1
            for later in (0.6, 26) if looked % 3 == 1 else (0.3,):
                _looked(page, part, hours + later)
        if first.step.kind == "coat" and looked % 2 == 0:
            _touched(page, part, hours)
            hours += 0.1


def _done(part: PaperPart, planned: Planned, hours: float) -> None:
    step = planned.step
    where = " ".join(z.name for z in part.zones if z.uuid in step.zones)
    if isinstance(step, CoatStep):
        part.coat(hours, step.layer.id, step.coat.kind, step.coat.wet_film_um, where,
                  counts=step.coat.counted, hardener_speed=step.layer.hardener_speed)  # fmt: skip
    elif isinstance(step, SandStep):
        part.sand(hours, step.grit, step.removal_um, where, wet=step.wet)
    elif step.kind == "bake":
        part.skip(hours, step.id, zones=where)
    else:
        part.step(hours, step.kind, step.id, where)


def _touched(page: Page, part: PaperPart, hours: float) -> None:
    top = max((f.top for f in part.look(hours).films if f.top), key=lambda top: top.coat.ended_at)
    if (band := top.opens) is None or band.likely is None:
        return
    wait = (band.likely - top.coat.ended_at).total_seconds() / 3600
    milestone = top.rule.opens
    part.touch(hours + 0.8 * wait, False, milestone)
    part.touch(hours + 1.1 * wait, True, milestone)
    top = max((f.top for f in part.look(hours + 1.2 * wait).films if f.top), key=lambda top: top.coat.ended_at)
    page.say("  touched", bands=top.bands)


def _looked(page: Page, part: PaperPart, hours: float) -> None:
    situation, action = part.look(hours), part.action(hours)
    page.say(
        at(hours), action.state, action.says, action.does, action.zones, counts=action.counts_to,
        counting=action.counting, because=action.because, resumes=action.resumes, band=action.band, alarm=action.alarm,
    )  # fmt: skip
    for row in statuses(situation):
        key, top = row.film.key, row.film.top
        page.say("   ", row.zones, row.state, until=row.until, closes=row.closes, tested=row.tested, key=key,
                 below=top.film.below_um if top else 0.0, warnings=row.warnings)  # fmt: skip
    if hours % 24 < 8:
        last = last_starts(situation)
        page.say("    today", one=last.one, all=last.all_coats, coats=last.coats)
    step = next((p.step for p in part.rest(hours).steps if isinstance(p.step, CoatStep)), None)
    if step is not None:
        for gate in gates_of(situation, step, situation.now):
            try:
                page.say("    gate", shut=gate.shut_at(situation.now), opens=gate.opens(situation.now), closes=gate.closes(situation.now),
                         spans=spans_of(gate.spans(situation.now), situation.now))  # fmt: skip
            except CoreError as error:
                page.say("    gate", str(error))

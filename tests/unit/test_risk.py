"""The chance that a plan holds, against worlds that are followed one by one through the log."""

from dataclasses import replace
from datetime import timedelta
from uuid import UUID

import numpy as np
import pytest
from tests.support import T0
from tests.unit.paper import PaperPart, climate, zone
from tests.unit.plan_check import _write
from tests.unit.test_shop_plan import DAY, plan_of, quick

from cool_sheen.core.climate.air import relative_humidity
from cool_sheen.core.climate.series import Series
from cool_sheen.core.part.climate import PartClimate
from cool_sheen.core.part.gate import CoatGate, GoingOn
from cool_sheen.core.scheduling.crew import Shop
from cool_sheen.core.scheduling.risk import Errors, risk

OFF_BY_K = 1.2
ERRORS = Errors((OFF_BY_K, 0.0, OFF_BY_K), (0.0, 0.0, 0.0), 0.0, 0.0, indoors=1.0)
CERTAIN = Errors((0.0, 0.0, 0.0), (0.0, 0.0, 0.0), 0.0, 0.0)


def shifted(seen: PartClimate, kelvin: float) -> PartClimate:
    """The same climate some degrees warmer, with the moisture that it has."""
    s = seen.series
    warm = Series(
        s.at_s,
        s.air_temp_c + kelvin,
        relative_humidity(s.air_temp_c + kelvin, s.humidity_ratio),
        s.surface_temp_c + kelvin,
    )
    return PartClimate(warm, seen.origin)


def holds_in(plan, paper: PaperPart, factors: dict, kelvin: float) -> bool:
    """Follow a plan through the log in a world: later where the film is not ready; whether every window and gate holds."""
    world = paper.copy()
    world.climate = shifted(paper.climate, kelvin)
    world.factor = lambda asked: (factors[asked.product.key, asked.mode], 1e-9)
    end = plan.shop.now
    for line in (b for b in plan.lines if b.part is not None):
        start, step = max(line.start, end), line.planned.step
        film = world.look_at(start).film_of(next(iter(step.zones)))
        top = film.top
        if line.kind == "coat":
            product = world.products[step.layer.product]
            if top is not None and film.key.sanded is None:
                rule = top.product.rule_for(product)
                start = max(start, top.bands[rule.opens].likely)
                if rule.closes and start > top.bands[rule.closes].likely + timedelta(minutes=1):
                    return False
            below = plan_below(film)
            coat = GoingOn(product.drying, product.limits.limits(), step.coat.wet_film_um, line.hands.total_seconds() / 60,
                           coat_kind=step.coat.kind, ln_factor_sd=0.0, below=below)  # fmt: skip
            mode = product.drying.named("dew_safe") or product.drying.named("dust_free")
            coat = replace(coat.mixed(line.planned.blend), ln_factor_mean=factors[product.key, mode.mode])
            if CoatGate(world.climate, coat).shut_at(start):
                return False
        elif top is not None and (step.kind == "sand" or getattr(step, "after", None)):
            name = "sand" if step.kind == "sand" else step.after
            mark = next(m for m in (name, "handle", "sand") if m in top.bands)
            start = max(start, top.bands[mark].likely or start)
            if line.planned.opens_again and (lifts := top.rule.lifts_until):
                start = max(start, top.bands[lifts].likely)
        end = start + (line.end - line.start)
        _write(world, replace(line, end=end))
    return True


def plan_below(film):
    from cool_sheen.core.part.top import Top

    top = Top.of(film)
    return top.below if top else None


@pytest.mark.parametrize(
    ("part", "hours"),
    [
        (quick(20, 95, coats=3), 0.0),
        (
            PaperPart(
                "one-pack-enamel", climate(17, 50, night_c=6), zone("z", 0.5, uuid=UUID(int=3)), day=DAY
            ).prepared(),
            5.0,
        ),
    ],
)
def test_the_chance_is_right_within_five_points_against_two_hundred_worlds(part, hours):
    plan, _ = plan_of([part], Shop(DAY, T0 + timedelta(hours=hours)))
    assert not plan.stuck
    said = risk(plan, ERRORS, draws=4000).chance
    rng = np.random.default_rng(5)
    keys = sorted({(p.key, m.mode) for p in part.products.values() for m in p.drying.milestones})
    held = 0
    for _ in range(200):
        factors = {key: 0.25 * rng.standard_normal() for key in keys}
        held += holds_in(plan, part, factors, OFF_BY_K * rng.standard_normal())
    assert abs(said - held / 200) < 0.05


def test_a_tighter_window_holds_less_often_and_a_forecast_that_is_wrong_more_costs_chances():
    shop = Shop(DAY, T0)
    wide, tight = (risk(plan_of([quick(20, closes, coats=4)], shop)[0]) for closes in (300, 60))
    assert wide.chance == 1.0
    assert tight.chance <= wide.chance
    edge = PaperPart(
        "one-pack-enamel", climate(17, 50, night_c=6), zone("z", 0.5, uuid=UUID(int=3)), day=DAY
    ).prepared()
    plan, _ = plan_of([edge], Shop(DAY, T0 + timedelta(hours=5)))
    assert risk(plan, ERRORS).chance < risk(plan, CERTAIN).chance <= 1.0
    early, middle, late = risk(plan).finish
    assert early <= middle <= late
    assert risk(plan).chance == risk(plan).chance  # the same seed draws the same worlds

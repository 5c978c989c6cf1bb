"""How fast: the take-off of sixty parts, the mixing bench, the gates of the whole shelf."""

import time
from datetime import timedelta

import numpy as np
import pytest
from tests.support import A_SLOW_MACHINE, T0, ShopOnTrial

from cool_sheen.core.climate.rooms import surface_temperature
from cool_sheen.core.climate.series import Series, seconds
from cool_sheen.core.part.climate import PartClimate
from cool_sheen.core.part.gate import CoatGate, GoingOn
from cool_sheen.core.plan.openings import open_slots
from cool_sheen.formats.catalogue import shipped

SYSTEMS = ("two-stage-epoxy", "single-stage-epoxy", "one-pack-enamel", "cabinet-waterborne", "lacquer-build")


@pytest.mark.parametrize(("address", "mark"), [("/stores", 0.200), ("/mix", 0.080), ("/stores/cost", 0.200)])
def test_a_take_off_of_sixty_parts_and_the_mixing_bench_answer_in_time(tmp_path, benchmark, address, mark):
    shop = ShopOnTrial(tmp_path)
    for place in range(60):
        shop.new_part(SYSTEMS[place % 5], "bare_steel_sheet", area=f"{0.3 + place / 20:.2f}")
    spent = []

    def ask():
        shop.clock.turn(seconds=20)
        begun = time.process_time()
        assert shop.http.get(address).status_code == 200
        spent.append(time.process_time() - begun)

    benchmark.pedantic(ask, rounds=25, warmup_rounds=1)
    assert np.percentile(spent[1:], 95) < mark * A_SLOW_MACHINE


def test_gates_and_last_safe_starts_of_forty_products_over_ten_days_take_under_a_third_of_a_second(benchmark):
    products = list(shipped().products.values())[:40]
    at = seconds(T0) + 3600.0 * np.arange(-48, 24 * 14)
    wave = np.sin(at / 13_751)

    def run():
        air = Series(at, 14 + 7 * wave, 65 + 25 * np.cos(at / 20_000))
        climate = PartClimate(air.with_surface(surface_temperature(air, 0.8)), T0, "gentle", 0.8, T0)
        gates = [CoatGate(climate, GoingOn.of_sheet(p)) for p in products]
        slots = [open_slots(gate.spans(T0), T0, T0 + timedelta(days=10)) for gate in gates]
        return slots, [gate.closes(found[0].since) for gate, found in zip(gates, slots, strict=True) if found]

    slots, last_starts = benchmark(run)
    assert len(slots) == 40
    assert len(last_starts) > 20
    assert all(slot.since < slot.to for found in slots for slot in found)
    assert benchmark.stats.stats.median < 0.3 * A_SLOW_MACHINE

"""How fast the stores answer: the take-off of sixty parts, and the mixing bench."""

import time

import numpy as np
import pytest
from tests.support import ShopOnTrial

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

    benchmark.pedantic(ask, rounds=60, warmup_rounds=1)
    assert np.percentile(spent[1:], 95) < mark

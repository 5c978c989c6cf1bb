"""Hours as they came against the table, and jobs against their estimates: nothing counts twice, and no silence counts."""

from datetime import timedelta
from decimal import Decimal
from types import SimpleNamespace
from uuid import uuid4

import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.support import T0

from cool_sheen.core.log.entries import CoatPayload, Entry, Recorded, SandPayload, StepPayload
from cool_sheen.core.log.spent import MOST_MINUTES, HoursPayload
from cool_sheen.core.materials.cost import Cost
from cool_sheen.core.statistics.accounts import Account, together
from cool_sheen.core.statistics.hours import PartHours, Spent, estimated, lines, spent
from cool_sheen.core.work.labour import labour_minutes


def row(payload, at=T0):
    return Recorded(seq=1, recorded_at=at, entry=Entry(uuid=uuid4(), payload=payload, occurred_at=at))


def hours(work, minutes):
    return row(HoursPayload(work=work, minutes=minutes))


def coat(started_before=None, paused=None):
    started = None if started_before is None else T0 - timedelta(minutes=started_before)
    said = {"layer_id": "primer", "coating": "x", "volume_solids_pct": 50, "wet_film_um": 100}
    return row(CoatPayload(**said, started_at=started, paused_min=paused))


def sanding(minutes):
    return row(SandPayload(grit="P320", removal_um=0, minutes=minutes))


def test_what_was_entered_of_a_kind_is_all_of_it_and_elsewhere_the_work_speaks_for_itself():
    told = [sanding(30), sanding(None), coat(20, 5), coat(), row(StepPayload(kind="mask", minutes=15))]
    told.append(row(StepPayload(kind="bake", minutes=90)))  # an oven works alone
    assert spent(told) == {"sand": Spent(30, False), "coat": Spent(15, False), "prepare": Spent(15, False)}
    entered = spent([*told, hours("sand", 50), hours("sand", 10), hours("finish", 5)])
    assert entered["sand"] == Spent(60, True)
    assert entered["coat"] == Spent(15, False)
    assert entered["finish"] == Spent(5, True)
    assert spent([coat(10, 30)]) == {}  # a pause longer than the coat says nothing


@given(st.lists(st.tuples(st.sampled_from(["prepare", "sand", "coat"]), st.floats(0.5, 600)), max_size=12))
def test_hours_add_up_whatever_the_work_says_of_itself(entries):
    rows = [hours(work, minutes) for work, minutes in entries]
    got = spent([*rows, sanding(7), coat(9)])
    for work in ("prepare", "sand", "coat"):
        mine = [minutes for kind, minutes in entries if kind == work]
        said = {"sand": 7, "coat": 9}.get(work, 0)
        assert (got[work].minutes if work in got else 0) == pytest.approx(sum(mine) if mine else said)


def test_an_entry_of_hours_has_an_end_and_a_bound():
    assert HoursPayload(work="other", minutes=MOST_MINUTES).minutes == 6000
    for wrong in (0, -1, MOST_MINUTES + 1, float("nan"), float("inf")):
        with pytest.raises(ValueError, match="minutes"):
            HoursPayload(work="other", minutes=wrong)


def test_steps_are_summed_by_kind_of_work():
    def step(kind):
        return SimpleNamespace(kind=kind, area_m2=2.0, method="brush", minutes=None, per_m2=False)

    found = estimated([step(kind) for kind in ("wash", "mask", "sand", "mix", "coat", "coat", "polish", "own")])
    assert found["prepare"] == labour_minutes("wash", 2) + labour_minutes("mask", 2, "brush")
    assert found["coat"] == labour_minutes("mix", 2) + 2 * labour_minutes("coat", 2, "brush")
    assert (found["finish"], found["other"]) == (labour_minutes("polish", 2), labour_minutes("own", 2))


def test_parts_that_do_not_tell_a_kind_are_left_out_of_it_on_both_sides():
    quick = PartHours(1.0, {"sand": 60.0, "coat": 30.0}, {"sand": Spent(90, True)})
    full = PartHours(3.0, {"sand": 40.0, "coat": 50.0}, {"sand": Spent(10, False), "coat": Spent(80, True)})
    silent = PartHours(9.0, {"sand": 500.0}, {"sand": Spent(1, False)})  # nobody entered anything
    sand, coating = lines([quick, full, silent])
    assert (sand.work, sand.table, sand.took, sand.area_m2, sand.ratio) == ("sand", 100, 100, 4, 1.0)
    assert (coating.table, coating.took, coating.area_m2) == (50, 80, 3)
    assert coating.hours_per_m2 == pytest.approx(80 / 60 / 3)
    assert quick.untold == ["coat"]
    assert full.untold == []
    assert lines([silent]) == []


def cost(hours, price=None, goodwill=0.0):
    money = None if price is None else Decimal(price)
    return Cost(hours, Decimal(40), Decimal(40), Decimal(0), money, Decimal(10), 0.0, goodwill)


def account(hours, price=None, goodwill=0.0, finished=True):
    return Account(cost(8, price), cost(hours, price, goodwill), 2.0, 1.0, finished)


def test_profit_is_for_each_hour_that_was_charged_and_goodwill_stands_apart():
    mine = account(10, "450", goodwill=2)
    assert mine.profit_per_hour == Decimal("10.00")  # 450 - 8 h x 40 - 40 - 10 = 80, over 8 hours
    assert mine.came.goodwill == Decimal("80.00")
    assert mine.hours_per_m2 == 5
    assert account(10).profit_per_hour is None
    assert account(2, "450", goodwill=2).profit_per_hour is None  # all of it was given
    assert Account(cost(8), cost(0), 2.0, 1.0, True).hours_per_m2 is None


def test_jobs_together_are_those_that_are_finished_with_a_price_and_hours():
    counted = [account(10, "450", goodwill=2), account(5, "300")]
    found = together([*counted, account(5), account(0, "100"), account(9, "1", finished=False)])
    assert (found.jobs, found.hours, found.estimated, found.goodwill_hours) == (2, 15, 16, 2)
    assert found.profit == Decimal("80.00") + Decimal("50.00")
    assert found.profit_per_hour == Decimal("10.00")  # 130 over 13 hours
    assert found.per_hour == Decimal("43.33")  # (750 - 100) over 15 hours
    assert together([account(5)]) is None

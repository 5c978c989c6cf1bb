"""The axis of a story, on which idle time is folded away, and what was promised against what came."""

import itertools
from datetime import timedelta
from uuid import uuid4

import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.support import T0

from cool_sheen.core.drying.clock import Band
from cool_sheen.core.log.history import LaidCoat
from cool_sheen.core.part.story import Came
from cool_sheen.web.views.story import IDLE, folded

minutes = st.lists(st.integers(0, 60_000), min_size=1, max_size=30)


def at(m):
    return T0 + timedelta(minutes=m)


@given(minutes, st.sampled_from([340.0, 1180.0]))
def test_the_axis_keeps_the_order_of_time_and_has_room_for_all_of_it(some, width):
    frame = folded([at(m) for m in some], at(min(some)), at(max(some)), width)
    xs = [frame.x(at(m)) for m in sorted(some)]
    assert xs == sorted(xs)
    assert 0 <= xs[0] <= xs[-1] <= width + 0.2
    ends = [(s.x, s.x + s.width) for s in frame.stretches]
    assert all(one[1] <= other[0] + 0.2 for one, other in itertools.pairwise(ends))
    assert abs(ends[-1][1] - width) < 0.5
    assert [frame.x(s.since) for s in frame.stretches] == [s.x for s in frame.stretches]


@pytest.mark.parametrize(("gap", "stretches"), [(IDLE, 1), (IDLE + timedelta(minutes=1), 2)])
def test_time_is_folded_where_nothing_was_done_for_longer_than_that(gap, stretches):
    frame = folded([T0, T0 + gap], T0, T0 + gap, 1000.0)
    assert len(frame.stretches) == stretches


@pytest.mark.parametrize(
    ("tested", "verdict", "off"), [(9, "early", -3.0), (10, "within", -2.0), (20, "within", 8.0), (21, "late", 9.0)]
)
def test_the_finger_is_held_against_the_band_and_against_the_minute_that_was_said(tested, verdict, off):
    came = Came(LaidCoat(uuid4(), T0, None), None, Band(at(10), at(14), at(20)), at(12), at(tested))
    assert (came.verdict, came.late_by) == (verdict, off)


def test_where_nobody_touched_it_nothing_is_held_against_anything():
    came = Came(LaidCoat(uuid4(), T0, None), None, Band(at(10), at(14), at(20)))
    assert (came.verdict, came.late_by) == ("", None)
    assert Came(LaidCoat(uuid4(), T0, None), None, Band(at(10), at(14), None), None, at(99)).late_by == 85.0

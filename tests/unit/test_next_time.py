"""Notes that come back: where all of what has to be the same is, at the work they help with, and nowhere else."""

from uuid import UUID

import pytest
from hypothesis import given
from hypothesis import strategies as st

from cool_sheen.core.coatings.systems import STEP_WORDS
from cool_sheen.core.log.next_time import SUCH_AIR_K, SUCH_AIR_PCT, Here, NextTimePayload, returns

SPACES = (UUID(int=1), UUID(int=2))
HERE = Here("coat", "epoxy-primer-grey", "radiator", "bare_steel", SPACES[0], 18.0, 60.0)


def note(**said):
    return NextTimePayload(text="Warm the tin first.", **said)


@pytest.mark.parametrize(
    ("same", "other"),
    [({"product": "epoxy-primer-grey"}, {"product": "clear"}), ({"part_kind": "Radiator"}, {"part_kind": "frame"}),
     ({"substrate": "bare_steel"}, {"substrate": "oak"}), ({"space": SPACES[0]}, {"space": SPACES[1]}),
     ({"air_temp_c": 18.0 + SUCH_AIR_K}, {"air_temp_c": 18.01 + SUCH_AIR_K}),
     ({"rh_pct": 60.0 - SUCH_AIR_PCT}, {"rh_pct": 59.9 - SUCH_AIR_PCT}),
     ({"moment": "coat"}, {"moment": "sand"}), ({"moment": "mix"}, {"moment": "finish"})],
)  # fmt: skip
def test_a_note_comes_back_with_what_is_the_same_and_not_with_another(same, other):
    assert returns(note(**same), HERE)
    assert not returns(note(**other), HERE)


conditions = st.fixed_dictionaries(
    {},
    optional={
        "product": st.sampled_from(["epoxy-primer-grey", "clear"]),
        "part_kind": st.sampled_from(["radiator", "frame"]),
        "substrate": st.sampled_from(["bare_steel", "oak"]),
        "space": st.sampled_from(SPACES),
        "air_temp_c": st.floats(10, 30),
        "moment": st.sampled_from(["any", "coat", "sand", "mix"]),
    },
)


@given(conditions)
def test_a_note_that_asks_for_more_never_comes_back_more_often(said):
    whole = returns(note(**said), HERE)
    for name in said:
        fewer = {k: v for k, v in said.items() if k != name}
        assert returns(note(**fewer), HERE) or not whole


@given(st.sampled_from(sorted(STEP_WORDS)))
def test_a_note_for_every_step_comes_back_at_each_of_them(does):
    assert returns(note(), Here(does))

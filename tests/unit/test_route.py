"""The order of the pieces of a coat, what a sleeve would brush, what is in hand, and when a part can be turned."""

from datetime import timedelta
from uuid import UUID, uuid4

import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.support import T0

from cool_sheen.core.log.history import Begun, History, LaidCoat
from cool_sheen.core.work.route import Piece, brushed, in_order, moved, rank

FACE, OTHER = UUID(int=1), UUID(int=2)
kinds = st.sampled_from(["face", "edge", "inside", "underside", "patch"])
pieces = st.lists(
    st.builds(
        Piece,
        zone=st.uuids(),
        name=st.text("abc", min_size=1, max_size=3),
        kind=kinds,
        face=st.sampled_from([FACE, OTHER]),
        place=st.integers(0, 9),
        shuts=st.booleans(),
    ),
    max_size=9,
    unique_by=lambda p: p.zone,
)


def test_by_the_rule_what_is_hidden_comes_first_then_edges_then_from_the_top_down():
    rows = [("foot", "face", 3, False), ("head", "face", 1, False), ("rim", "edge", 2, False),
            ("below", "underside", 0, False), ("hollow", "inside", 4, False), ("rebate", "face", 5, True)]  # fmt: skip
    order = in_order([Piece(uuid4(), name, kind, FACE, place, shuts) for name, kind, place, shuts in rows])
    assert [p.name for p in order] == ["rebate", "hollow", "below", "rim", "head", "foot"]


@given(pieces)
def test_the_rule_never_has_a_sleeve_brush_what_is_wet(some):
    order = in_order(some)
    assert sorted(p.zone for p in order) == sorted(p.zone for p in some)
    assert [rank(p) for p in order] == sorted(rank(p) for p in some)
    assert brushed(order) == []


@given(pieces, st.data(), st.integers(-12, 12))
def test_a_piece_that_is_moved_changes_no_order_among_the_others(some, data, by):
    if not some:
        return
    one = data.draw(st.sampled_from(some)).zone
    before = [p.zone for p in in_order(some)]
    after = moved(some, one, by)
    assert [z for z in after if z != one] == [z for z in before if z != one]
    assert after.index(one) == min(max(before.index(one) + by, 0), len(before) - 1)


@pytest.mark.parametrize(
    ("hidden", "outer", "same_face", "warned"),
    [({"shuts": True}, "face", True, True), ({"kind": "inside"}, "edge", True, True), ({}, "face", True, False),
     ({"shuts": True}, "face", False, False), ({"kind": "inside"}, "underside", True, False)],
)  # fmt: skip
def test_a_hidden_piece_after_its_outer_neighbour_is_warned_of(hidden, outer, same_face, warned):
    before = Piece(uuid4(), "front", outer, FACE)
    after = Piece(uuid4(), "rebate", face=FACE if same_face else OTHER, **hidden)
    found = brushed([before, after])
    assert [(b.hidden.name, b.outer.name) for b in found] == ([("rebate", "front")] if warned else [])
    assert brushed([after, before]) == []


def test_a_pause_is_none_of_the_work_and_a_coat_ends_what_is_in_hand():
    zone = frozenset({uuid4()})

    def at(minutes):
        return T0 + timedelta(minutes=minutes)

    history = History()
    assert history.in_hand() is None
    history.begun = [Begun(uuid4(), at(m), layer, zone, n) for n, (m, layer) in
                     enumerate([(0, "p"), (4, ""), (9, "p"), (12, "")], 1)]  # fmt: skip
    hand = history.in_hand()
    assert (hand.since, hand.paused_min, hand.rests_since) == (at(0), 5.0, at(12))
    assert hand.rested_min(at(15)) == 8.0
    history.coats = [LaidCoat(uuid4(), at(16), None, 5, zone)]
    assert history.in_hand() is None
    history.begun.append(Begun(uuid4(), at(30), "p", zone, 6))
    assert history.in_hand().since == at(30)

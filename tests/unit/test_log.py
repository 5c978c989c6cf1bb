"""The log folded: counts, film, undo; and what an entry may be."""

from datetime import timedelta
from uuid import UUID, uuid4

import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError
from tests.support import T0

from cool_sheen.core.film.build import GROUND, Build
from cool_sheen.core.log.entries import (
    CheckPayload,
    ClaimPayload,
    CoatPayload,
    Entry,
    MovePayload,
    NotePayload,
    Recorded,
    SandPayload,
    StepPayload,
    Target,
    VoidPayload,
    read_payload,
)
from cool_sheen.core.log.fold import fold
from cool_sheen.core.log.history import Stay
from cool_sheen.core.log.standing import unvoided, voids_that_stand

FACE, EDGES = uuid4(), uuid4()


def coat(layer: str = "build", counts: bool = True) -> CoatPayload:
    kind = "full" if counts else "mist"
    return CoatPayload(
        layer_id=layer, coat_kind=kind, counts=counts, coating="x", volume_solids_pct=50, wet_film_um=100
    )


def log(*lines: tuple[int, object, UUID | None]) -> list[Recorded]:
    """Entries from (minute, payload, zone or None for the whole part)."""
    return [
        Recorded(
            seq=seq,
            recorded_at=T0,
            entry=Entry(
                uuid=uuid4(),
                payload=payload,
                occurred_at=T0 + timedelta(minutes=minute),
                targets=(Target(zone=zone),) if zone else (),
            ),
        )
        for seq, (minute, payload, zone) in enumerate(lines, start=1)
    ]


def void(seq: int, target: Recorded) -> Recorded:
    entry = Entry(uuid=uuid4(), payload=VoidPayload(), occurred_at=T0 + timedelta(hours=9), voids=target.entry.uuid)
    return Recorded(seq=seq, recorded_at=T0, entry=entry)


@given(st.permutations(range(6)))
def test_the_fold_goes_by_the_time_of_the_work_whatever_order_the_entries_arrive_in(order):
    lines = log(
        (0, coat(), None),
        (10, coat(), None),
        (20, SandPayload(grit="P320", removal_um=30), None),
        (30, coat("colour"), None),
        (40, coat("colour", counts=False), None),
        (50, NotePayload(text="looks flat"), None),
    )
    state = fold([lines[n] for n in order], [FACE])
    assert state.counts == {"build": 2, "colour": 1}
    assert [round(layer.left_um) for layer in state.builds[FACE].layers] == [70, 100]
    assert [c.payload.layer_id for c in state.coats] == ["build", "build", "colour", "colour"]


def test_a_layer_has_as_many_coats_as_its_poorest_zone():
    state = fold(log((0, coat(), None), (10, coat(), EDGES), (20, coat(), FACE), (30, coat(), EDGES)), [FACE, EDGES])
    assert state.counts["build"] == 2
    assert state.coats_by_zone[EDGES]["build"] == 3
    assert state.builds[EDGES].total_um == pytest.approx(150)


def test_a_voided_entry_counts_no_more_and_a_voided_void_brings_it_back():
    first, second = log((0, coat(), None), (10, coat(), None))
    gone = void(3, second)
    assert fold([first, second, gone], [FACE]).counts["build"] == 1
    assert fold([first, second, gone, void(4, gone)], [FACE]).counts["build"] == 2


def test_sanding_takes_the_top_off_first_and_says_when_it_went_through():
    state = fold(
        log((0, coat(), None), (9, coat("colour"), None), (20, SandPayload(grit="P80", removal_um=70), None)), [FACE]
    )
    assert [layer.left_um for layer in state.builds[FACE].layers] == [30, 0]
    gone = state.breaks[0]
    assert (gone.layers, gone.shows, gone.seen) == (("colour",), "build", False)
    through = fold(log((0, coat(), None), (20, SandPayload(grit="P80", removal_um=70), None)), [FACE])
    assert [(b.layers, b.shows) for b in through.breaks] == [(("build",), GROUND)]
    for removal, breaks in ((49.9, 0), (50.0, 1)):
        just = fold(log((0, coat(), None), (20, SandPayload(grit="P80", removal_um=removal), None)), [FACE])
        assert len(just.breaks) == breaks


@given(st.lists(st.tuples(st.sampled_from("abc"), st.floats(1, 80), st.floats(0, 60)), max_size=12))
def test_film_never_goes_below_nothing_and_no_micron_is_lost(work):
    build, put, taken = Build(), 0.0, 0.0
    for layer, dry, removal in work:
        build.coat(layer, dry)
        put += dry
        before = build.total_um
        build.sand(removal)
        taken += before - build.total_um
        assert before - build.total_um == pytest.approx(min(removal, before), abs=1e-6)
    assert build.total_um == pytest.approx(put - taken, abs=1e-6)
    assert all(layer.left_um >= 0 for layer in build.layers)


def test_the_same_entry_has_the_same_content_hash_and_another_one_has_not():
    one, other = (e.entry for e in log((0, coat(), FACE), (0, coat("colour"), FACE)))
    again = Entry.model_validate(one.model_dump(mode="json"))
    assert again.content_hash == one.content_hash != other.content_hash


def test_an_entry_from_a_newer_program_is_refused_not_guessed():
    with pytest.raises(ValueError, match="newer than this program's 1"):
        read_payload({"kind": "note", "text": "hello"}, 2)


@pytest.mark.parametrize(
    "payload",
    [
        {"kind": "coat", "layer_id": "a", "coating": "x", "volume_solids_pct": 50, "wet_film_um": -3},
        {"kind": "coat", "layer_id": "a", "coating": "x", "volume_solids_pct": 50, "wet_film_um": float("nan")},
        {"kind": "sand", "grit": "coarse"},
        {"kind": "stroke"},
        {"kind": "note", "text": "a", "surprise": 1},
    ],
)
def test_nonsense_never_becomes_an_entry(payload):
    with pytest.raises(ValidationError, match="payload"):
        Entry.model_validate({"uuid": str(uuid4()), "payload": payload, "occurred_at": T0})
    with pytest.raises(ValidationError, match="timezone"):
        Entry.model_validate({"uuid": str(uuid4()), "payload": {"kind": "wipe"}, "occurred_at": "2026-06-08T08:00:00"})


@pytest.mark.parametrize(
    ("said", "heats"),
    [
        ({"kind": "bake", "metal_temp_c": 120, "minutes": 30}, True), ({"kind": "bake", "minutes": 30}, False),
        ({"kind": "bake", "metal_temp_c": 120}, False), ({"kind": "wash", "metal_temp_c": 40, "minutes": 30}, False),
    ],
)  # fmt: skip
def test_a_bake_heats_when_it_says_how_hot_and_how_long_and_ends_when_it_was_logged(said, heats):
    history = fold(log((40, StepPayload(**said), FACE)), [FACE, EDGES])
    assert [w.kind for w in history.works] == [said["kind"]]
    assert len(history.bakes) == heats
    for heated in history.bakes:
        assert heated.zones == {FACE}
        assert (heated.bake.start, heated.bake.end) == (T0 + timedelta(minutes=10), T0 + timedelta(minutes=40))
        assert (heated.bake.metal_temp_c, heated.bake.minutes) == (120, 30)


@pytest.mark.parametrize(("holds", "works"), [(True, 1), (False, 0), (None, 0)])
def test_a_claim_is_work_when_somebody_looked_and_found_that_it_holds(holds, works):
    claim = Entry(uuid=uuid4(), payload=ClaimPayload(says="degrease", whose="the owner"), occurred_at=T0)
    lines = [Recorded(seq=1, recorded_at=T0, entry=claim)]
    if holds is not None:
        for seq, about in ((2, claim.uuid), (3, uuid4())):  # and one of a claim that nobody made
            check = CheckPayload(claim=about, holds=holds)
            entry = Entry(uuid=uuid4(), payload=check, occurred_at=T0)
            lines.append(Recorded(seq=seq, recorded_at=T0, entry=entry))
    history = fold(lines, [FACE])
    assert [work.kind for work in history.works] == ["degrease"] * works
    assert history.claims[claim.uuid].holds is holds


def test_a_part_stands_where_it_was_moved_from_then_on():
    one, other = uuid4(), uuid4()
    history = fold(log((0, MovePayload(space=one), None), (30, MovePayload(space=other), None)), [FACE])
    assert history.stays == [Stay(T0, one), Stay(T0 + timedelta(minutes=30), other)]


def test_the_last_coats_of_a_zone_and_what_was_taken_back():
    rows = log((0, coat("a"), FACE), (10, coat("b"), EDGES), (20, coat("c"), FACE), (30, coat("d"), None))
    history = fold(rows, [FACE, EDGES])
    assert [c.payload.layer_id for c in history.lately(FACE, 2)] == ["c", "d"]
    assert [c.payload.layer_id for c in history.lately(EDGES, 5)] == ["b", "d"]
    gone = Entry(uuid=uuid4(), payload=VoidPayload(), occurred_at=T0, targets=(), voids=rows[2].entry.uuid)
    back = Entry(uuid=uuid4(), payload=VoidPayload(), occurred_at=T0, targets=(), voids=gone.uuid)
    taken = [*rows, Recorded(seq=9, recorded_at=T0, entry=gone)]
    assert rows[2] not in unvoided(taken)
    assert [r.entry.uuid for r in voids_that_stand(taken)] == [gone.uuid]
    again = [*taken, Recorded(seq=10, recorded_at=T0, entry=back)]
    assert rows[2] in unvoided(again)
    assert [r.entry.uuid for r in voids_that_stand(again)] == [back.uuid]

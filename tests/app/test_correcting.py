"""An entry put right: what it says, where it was and when; the first word stays, and the better one can be taken back."""

from datetime import timedelta
from uuid import uuid4

import pytest
from tests.app.test_inspection import split, until, zones_of
from tests.app.test_presses import HX, entries
from tests.fuzz.forms import filled_as_shown

from cool_sheen.core.work.steps import CoatStep, SandStep


def of_kind(shop, part, kind):
    return [r.entry for r in entries(shop, part) if r.entry.payload.kind == kind][-1]


def form_of(shop, part, entry):
    page = shop.http.get(f"/parts/{part}/correct", params={"entry": str(entry.uuid)}, headers=HX)
    assert page.status_code == 200, page.text
    return filled_as_shown(page.text, "/correct")


def put_right(shop, part, wrong, **fields):
    return shop.log(part, "correct", **{**form_of(shop, part, wrong), "press": str(uuid4()), **fields})


def a_coat(shop, part):
    until(shop, part, lambda s: isinstance(s, CoatStep))
    shop.log(part, "coat")
    return of_kind(shop, part, "coat")


def test_a_coat_is_put_right_in_film_zones_and_time_and_keeps_its_tests(shop):
    part = shop.new_part()
    split(shop, part, "Rim")
    coat = a_coat(shop, part)
    shop.clock.turn(minutes=25)
    shop.log(part, "touch", ready="yes", sure="test")
    rim = zones_of(shop, part)["Rim"]
    others = {f"zone_{z}": "" for z in zones_of(shop, part).values() if z != rim}
    form = {k: v for k, v in form_of(shop, part, coat).items() if k not in others}
    early = coat.occurred_at - timedelta(minutes=7)
    local = early.astimezone(shop.standing(part)._day.zone)
    told = {"wet_film_measured_um": "140 µm", "at": local.strftime("%Y-%m-%dT%H:%M")}
    answer = shop.log(part, "correct", **{**form, "press": str(uuid4()), **told})
    assert answer.status_code == 200, answer.text
    now = shop.standing(part)
    (stands,) = now.history.coats
    assert (stands.uuid, stands.payload.film_um, stands.zones) == (coat.uuid, 140.0, {rim})
    assert stands.ended_at == early.replace(second=0, microsecond=0)
    assert [t.payload.coat for t in now.history.touches] == [coat.uuid]
    owed = {z for row in now.rows if isinstance(row.step, CoatStep) and row.step.number == 1 for z in row.owed}
    assert set(zones_of(shop, part).values()) - {rim} <= owed
    page = shop.http.get(f"/parts/{part}").text
    assert "140 µm wet" in page
    assert "was:" in page
    better = of_kind(shop, part, "amend")
    assert f'value="{better.uuid}"' in page  # it can be taken back from its line
    shop.log(part, "undo", entry=str(better.uuid))
    (first,) = shop.standing(part).history.coats
    assert (first.ended_at, first.payload, len(first.zones)) == (coat.occurred_at, coat.payload, 2)


def test_a_coat_that_was_a_mist_counts_as_one_and_the_coat_is_owed_again(shop):
    part = shop.new_part()
    coat = a_coat(shop, part)
    left = len(shop.standing(part).ahead())
    assert put_right(shop, part, coat, coat_kind="mist").status_code == 200
    now = shop.standing(part)
    assert not now.history.coats[0].payload.counts
    assert len(now.ahead()) == left + 1
    assert put_right(shop, part, coat, coat_kind="full").status_code == 200
    assert shop.standing(part).history.coats[0].payload.counts


def test_a_grit_a_reading_a_note_and_a_touch_test_are_put_right(shop):
    part = shop.new_part()
    until(shop, part, lambda s: isinstance(s, SandStep))
    shop.log(part, "sand", grit="P120")
    assert put_right(shop, part, of_kind(shop, part, "sand"), grit="P180", minutes="12").status_code == 200
    a_coat(shop, part)
    shop.log(part, "reading", readings="left 100; right 120")
    assert (
        put_right(shop, part, of_kind(shop, part, "film_reading"), readings_um="left: 90\nright: 110").status_code
        == 200
    )
    shop.log(part, "note", text="The seat was maskd.")
    assert put_right(shop, part, of_kind(shop, part, "note"), text="The seat was masked.").status_code == 200
    shop.clock.turn(minutes=25)
    shop.log(part, "touch", ready="no", sure="test")
    assert put_right(shop, part, of_kind(shop, part, "touch_test"), ready="yes").status_code == 200
    now = shop.standing(part).history
    assert next((w.grit, w.sanding.minutes) for w in now.works if w.kind == "sand") == ("P180", 12.0)
    assert [w.grit for w in now.works if w.kind == "sand"][1] == "P120"  # which the plan went on asking for
    assert now.coats[0].payload.film_um == 100.0
    assert now.touches[-1].payload.ready
    page = shop.http.get(f"/parts/{part}").text
    assert "The seat was masked." in page
    assert "The seat was maskd." in page
    assert "Sanded P180" in page


@pytest.mark.parametrize(
    ("fields", "says"),
    [({}, "Nothing of it was changed"), ({"wet_film_measured_um": "a lot"}, "wet_film_measured_um"),
     ({"coat_kind": "double"}, "Choose from the list"), ({"at": "2031-01-01T00:00"}, "future"),
     ({f"zone_{uuid4()}": "1"}, "no such zone"), ({"entry": "x"}, "no such entry")],
)  # fmt: skip
def test_what_cannot_be_is_refused_in_words_and_nothing_is_changed(shop, fields, says):
    part = shop.new_part()
    coat = a_coat(shop, part)
    before = entries(shop, part)
    answer = put_right(shop, part, coat, **fields)
    assert answer.status_code in (409, 422)
    assert says.lower() in answer.text.lower()
    assert entries(shop, part) == before


def test_an_entry_of_another_part_or_one_that_was_taken_back_is_not_put_right(shop):
    part, other = shop.new_part(), shop.new_part()
    coat = a_coat(shop, other)
    form = {**form_of(shop, other, coat), "coat_kind": "mist"}
    assert shop.log(part, "correct", **{**form, "press": str(uuid4())}).status_code == 409
    shop.log(other, "undo", entry=str(coat.uuid))
    assert shop.log(other, "correct", **{**form, "press": str(uuid4())}).status_code == 409

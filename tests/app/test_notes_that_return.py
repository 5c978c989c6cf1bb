"""A note for the next time, from the part on which it was learned to those on which it helps."""

from uuid import uuid4

import pytest
from tests.app.test_inspection import until
from tests.app.test_presses import HX
from tests.fuzz.forms import filled_as_shown

from cool_sheen.core.work.steps import CoatStep, SandStep

WORDS = "Warm the tin in the water bath first"


def noted(shop, part, *same, moment="coat", text=WORDS):
    return shop.log(part, "note", text=text, moment=moment, **{f"same_{name}": "1" for name in same})


def shown(shop, part):
    """On which pages of a part the note comes back."""
    lane = shop.http.get("/").text
    at = lane.find(f'id="lane-{part}"')
    mine = lane[at : lane.find('class="lane', at + 20)] if at >= 0 else ""
    return {
        "bench": WORDS in mine,
        "part": f"Next time:</b> {WORDS}" in " ".join(shop.http.get(f"/parts/{part}").text.split()),
    }


def test_a_note_comes_back_on_another_part_at_its_step_and_goes_when_it_is_dropped(shop):
    first, second = shop.new_part(), shop.new_part()
    step = until(shop, first, lambda s: isinstance(s, CoatStep))
    dialog = shop.http.get(f"/parts/{first}/note", headers=HX).text
    assert "when coating" in dialog
    assert "such air" in dialog
    assert noted(shop, first, "product", "air").status_code == 200
    assert not any(shown(shop, second).values())  # it is still being prepared
    until(shop, second, lambda s: isinstance(s, CoatStep) and s.layer.product == step.layer.product)
    assert all(shown(shop, second).values())
    until(shop, second, lambda s: isinstance(s, SandStep))
    assert not any(shown(shop, second).values())
    page = shop.http.get("/next-time").text
    assert "when coating" in page
    assert "Headstock" in page
    note = page.partition("/next-time/")[2].partition("/drop")[0]
    for _ in range(2):
        press = str(uuid4())
        assert shop.http.post(f"/next-time/{note}/drop", data={"press": press}).status_code in (303, 409)
    assert WORDS not in shop.http.get("/next-time").text
    assert "taken back" in shop.http.get(f"/parts/{first}").text


def test_a_note_for_mixing_comes_back_at_the_mixing_bench_of_its_product_alone(shop):
    part = shop.new_part()
    step = until(shop, part, lambda s: isinstance(s, CoatStep))
    noted(shop, part, "product", moment="mix")
    assert WORDS in shop.http.get("/mix/new", params={"product": step.layer.product}).text
    assert WORDS not in shop.http.get("/mix/new", params={"product": "urethane-clear"}).text


@pytest.mark.parametrize(
    ("fields", "says"),
    [({"text": ""}, "Nothing was written"), ({"text": "x" * 401}, "too long"), ({"moment": "noon"}, "come back")],
)
def test_a_note_that_says_nothing_or_too_much_is_refused(shop, fields, says):
    part = shop.new_part()
    answer = shop.log(part, "note", **{"text": WORDS, "moment": "any", **fields})
    assert (answer.status_code, says in answer.text) == (422, True)


def test_the_kind_of_a_part_is_said_once_and_offered_then(shop):
    part, other = shop.new_part(), shop.new_part()
    for uuid, kind in ((part, "radiator"), (other, "frame")):
        page = shop.http.get(f"/parts/{uuid}/tend").text
        form = filled_as_shown(page, "/tend")
        assert shop.http.post(f"/parts/{uuid}/tend", data={**form, "kind": kind}).status_code == 303
    assert '<option value="radiator">' in shop.http.get("/jobs/new").text
    noted(shop, part, "part_kind", moment="any")
    assert shown(shop, part)["part"]
    assert not shown(shop, other)["part"]

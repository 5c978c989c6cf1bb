"""The way out of an error: an address that is loaded again shows its form, and refusals speak as people do."""

import re
from uuid import uuid4

import pytest
from pydantic import BaseModel, Field, ValidationError

from cool_sheen.core.complaints import complaints

AGAIN = {
    "/shop/demo": "/shop", "/data/copy": "/data", "/weather/readings": "/weather", "/weather/door": "/weather",
    "/systems/two-stage-epoxy/change": "/systems/two-stage-epoxy", "/shelf/clear-two-pack/remove": "/shelf/clear-two-pack",
}  # fmt: skip


def test_an_address_that_is_loaded_again_leads_to_its_form(shop):
    for address, form in AGAIN.items():
        answer = shop.http.get(address)
        assert (answer.status_code, answer.headers["location"]) == (303, form)
        assert shop.http.get(form).status_code == 200
    part = shop.new_part()
    for verb in ("move", "undo", "passed", "again", "system/change", "survey/zone"):
        answer = shop.http.get(f"/parts/{part}/{verb}")
        assert answer.status_code == 303, verb
        assert shop.http.get(answer.headers["location"]).status_code == 200


def test_a_dialog_is_told_which_of_its_fields_is_wrong(shop):
    part = shop.new_part()
    form = {"press": str(uuid4()), "grit": "P12345", **shop.offered(part, "sand", {})}
    answer = shop.http.post(f"/parts/{part}/sand", data=form, headers={"HX-Request": "true"})
    assert answer.status_code == 422
    assert re.search(r'<span hidden data-field="grit">Use a name such as P320', answer.text)


class Odd(BaseModel):
    name: str = Field(pattern="^x$", default="x")
    raw: bytes = b""
    when: int = 0


@pytest.mark.parametrize("data", [{"name": "y"}, {"raw": ["no"]}, {"when": "soon"}, {"when": {}}, {"name": 5}])
def test_no_refusal_speaks_as_a_machine_does(data):
    with pytest.raises(ValidationError) as wrong:
        Odd.model_validate(data)
    for words in complaints(wrong.value).values():
        assert not re.search(r"[Ii]nput|[Ss]tring|pattern|_|Value error|required", words), words

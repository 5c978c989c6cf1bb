"""What a sheet or a step asks to be seen to: asked with the press, and in the log, seen to or not."""

from tests.app.test_inspection import until
from tests.app.test_presses import HX, entries

from cool_sheen.core.work.steps import CoatStep, SandStep
from cool_sheen.service.jobs import find_part


def asking(shop, part, kind, words):
    """Let the steps of a kind in a part's own system ask for something."""
    with shop.workshop.write() as unit:
        row = find_part(unit, part)
        system = dict(row.system)
        system["prepare"] = [{**t, "prompts": words} if t["kind"] == kind else t for t in system["prepare"]]
        row.system, row.changes = system, row.changes + 1


def test_a_sheet_that_asks_has_its_button_open_the_form_and_what_is_not_ticked_stands_in_the_log(shop):
    part = shop.new_part("high-heat-staged")
    until(shop, part, lambda s: isinstance(s, CoatStep))
    lane = shop.http.get(f"/parts/{part}/live").text
    assert f'hx-get="/parts/{part}/coat"' in lane
    dialog = shop.http.get(f"/parts/{part}/coat", headers=HX).text
    assert "screen out of the gun" in dialog
    assert "The first coat:" in dialog
    shop.log(part, "coat", ask_0="screen out of the gun", ask_1="something else")
    said = entries(shop, part)[-1].entry.payload
    assert (said.ticked, said.unticked) == (("screen out of the gun",), ("vent open",))
    assert "screen out of the gun; not ticked: vent open" in shop.http.get(f"/parts/{part}").text


def test_steps_of_a_system_ask_too_and_one_that_asks_for_nothing_is_logged_as_ever(shop):
    part = shop.new_part()
    plain = shop.standing(part).action.does
    shop.log(part, "step", kind=plain)
    assert entries(shop, part)[-1].entry.payload.unticked == ()
    asking(shop, part, "mask", "tape pressed down; drain holes shut")
    asking(shop, part, "sand", "dust mask on")
    until(shop, part, lambda s: isinstance(s, SandStep))
    assert "dust mask on" in shop.http.get(f"/parts/{part}/sand", headers=HX).text
    shop.log(part, "sand", grit=shop.standing(part).action.grit, tick_0="1", ask_0="dust mask on")
    assert entries(shop, part)[-1].entry.payload.ticked == ("rinsed", "dust mask on")
    until(shop, part, lambda s: s.kind == "mask")
    shop.log(part, "step", kind="mask", ask_1="drain holes shut")
    said = entries(shop, part)[-1].entry.payload
    assert (said.ticked, said.unticked) == (("drain holes shut",), ("tape pressed down",))


def test_what_a_step_asks_for_is_written_in_the_builder_and_on_the_sheet(shop):
    shop.http.post("/systems/single-stage-epoxy/copy")
    page = shop.http.get("/shelf/new?copy=high-heat-black").text
    assert "screen out of the gun; vent open" in page
    assert "To be ticked with it" in shop.http.get("/systems/single-stage-epoxy").text

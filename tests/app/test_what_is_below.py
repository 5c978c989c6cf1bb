"""What was found below, stripped, abraded and sanded through: said alike on every page until it is seen to."""

import re
from datetime import timedelta
from uuid import uuid4

import pytest
from tests.app.test_build_journeys import change, split, zones_of

from cool_sheen.core.coatings.systems import named_tasks
from cool_sheen.service import building

HX = {"HX-Request": "true"}


def said(shop, part):
    """The findings of a part, which the builder and the part's own page must have alike; those that are not good."""
    with shop.workshop.read() as unit:
        built = building.built_on_part(unit, part)
        own = building.findings_of(unit, shop.standing(part))
    rows = [(f.rule, f.place, f.standing) for f in built.findings]
    assert sorted(rows) == sorted((f.rule, f.place, f.standing) for f in own)
    page = shop.http.get(f"/parts/{part}").text
    for finding in own:
        if finding.standing == "no":
            assert finding.title in page
    return {rule: standing for rule, _, standing in rows if standing != "good"}


def find_out(shop, part, key, **fields):
    return shop.http.post(f"/parts/{part}/survey/test", data={"press": str(uuid4()), "test": key, **fields})


def below(shop, part):
    page = shop.http.get(f"/parts/{part}/survey").text
    row = page.split("<tbody>")[1].split("</tbody>")[0]
    return re.sub(r"\s+", " ", re.sub("<[^>]+>", " ", row))


def strip(shop, part, **fields):
    return shop.log(part, "step", kind="strip", **fields)


def test_rubs_at_depths_and_what_was_stripped_since_decide_what_may_go_on(shop):
    part = shop.new_part("single-stage-epoxy", "unknown")
    assert find_out(shop, part, "solvent_rub", result="unaffected", held="0.5").status_code == 303
    assert "Held for 0.5 h only" in shop.http.get(f"/parts/{part}/survey").text
    assert "an unknown finish" in below(shop, part)
    wild = find_out(shop, part, "solvent_rub", result="unaffected", held="-3", films_down="1", depth="the red one")
    assert wild.status_code == 422
    assert 'value="the red one"' in wild.text
    assert '<option value="1" selected>one film down' in wild.text
    find_out(shop, part, "solvent_rub", result="unaffected")
    assert "two-pack urethane, keyed" in below(shop, part)
    find_out(shop, part, "solvent_rub", result="dissolves", films_down="1")
    find_out(shop, part, "solvent_rub", result="unaffected", films_down="2")
    assert "lacquer, keyed" in below(shop, part)
    assert "by the solvent rub, one film down" in below(shop, part)
    assert said(shop, part)["epoxy-isolates"] == "care"
    assert strip(shop, part, stripped="the moon").status_code == 422
    assert strip(shop, part, stripped="2").status_code == 200
    assert "two-pack urethane, keyed" in below(shop, part)
    assert "epoxy-isolates" not in said(shop, part)
    shop.log(part, "undo")
    assert "lacquer, keyed" in below(shop, part)
    shop.clock.turn(hours=1)
    assert strip(shop, part).status_code == 200, "the plain press: to the substrate"
    assert "stripped to the substrate" in below(shop, part)
    assert "an unknown finish" in below(shop, part), "what it is made of was never said"


def test_bare_metal_that_stood_asks_to_be_abraded_until_that_is_logged_zone_by_zone(shop):
    part = shop.new_part("two-stage-epoxy")
    whole = zones_of(shop, part)["whole"]
    since = shop.clock.at - timedelta(hours=30)
    assert split(shop, part, name="Rim", width="60", bare_since=f"{since:%Y-%m-%dT%H:%M}").status_code == 303
    assert said(shop, part) == {"bare-gone-off": "care"}
    page = shop.http.get(f"/parts/{part}").text
    assert "Rim: with care" in page.replace("</b>", "")
    assert "bare for 32 h without being abraded again" in page  # typed by the clock of the shop
    rim = zones_of(shop, part)["Rim"].uuid
    shop.log(part, "sand", grit="P120", **{f"zone_{whole.uuid}": "1"})
    assert said(shop, part) == {"bare-gone-off": "care"}
    shop.log(part, "sand", grit="P120", **{f"zone_{rim}": "1"})
    assert said(shop, part) == {}
    shop.clock.turn(hours=8, minutes=1)
    assert said(shop, part) == {"bare-gone-off": "care"}
    kinds = [step.kind for step in shop.standing(part).system.prepare]
    assert change(shop, f"/parts/{part}/system", "way", rule="bare-gone-off", way="clean-bright",
                  at_place="epoxy on bare_steel weathered").status_code == 200  # fmt: skip
    after = [step.kind for step in shop.standing(part).system.prepare]
    assert after.count("sand") == kinds.count("sand") + 1


@pytest.mark.parametrize(
    ("key", "result", "rule", "way"),
    [
        ("rust", "pits", "rust-blocker", "isolate"),
        ("bleed", "stain", "stain-blocker", "stain-block"),
        ("grain", "open", "grain-filler", "fill-grain"),
        ("water_break", "breaks", "wax-off", "degrease-again"),
    ],
)
def test_what_the_survey_finds_stands_on_every_page_until_its_way_is_taken_or_words_are_given(
    shop, key, result, rule, way
):
    timber = key in ("bleed", "grain")
    part = shop.new_part("one-pack-enamel", "bare_timber" if timber else "bare_steel_sheet")
    for name, _ in reversed(named_tasks("prepare", shop.standing(part).system.prepare)):
        change(shop, f"/parts/{part}/system", "task", spot="prepare", do="remove", task=name)
    assert rule not in said(shop, part)
    assert find_out(shop, part, key, result=result).status_code == 303
    verdict = said(shop, part)[rule]
    builder = shop.http.get(f"/parts/{part}/system").text
    place = next(m for m in re.findall(r'name="at_place" value="([^"]+)"', builder) if m.endswith(f"for {rule}"))
    words = {"rule": rule, "at_place": place, "reason": "the customer wants it so", "press": str(uuid4())}
    assert change(shop, f"/parts/{part}/system", "override", **words).status_code == 200
    assert said(shop, part)[rule] == "care"
    assert "the customer wants it so" in shop.http.get(f"/parts/{part}").text
    assert change(shop, f"/parts/{part}/system", "undo").status_code == 200
    assert said(shop, part)[rule] == verdict
    for _ in range(2):
        if rule in said(shop, part):
            assert change(shop, f"/parts/{part}/system", "way", rule=rule, at_place=place, way=way).status_code == 200
    assert rule not in said(shop, part)
    clean = {"rust": "none", "bleed": "white", "grain": "closed", "water_break": "closed"}[key]
    while change(shop, f"/parts/{part}/system", "undo").status_code == 200:
        pass
    shop.clock.turn(minutes=5)
    assert find_out(shop, part, key, result=clean).status_code == 303
    assert rule not in said(shop, part), "tested again, and it is clean"


def test_sanding_through_is_told_with_its_place_and_asked_for_on_every_page_until_it_is_mended(shop):
    part = shop.new_part("two-stage-epoxy")
    split(shop, part, name="Rim", width="60")
    while shop.standing(part).action.does != "sand" or shop.standing(part).action.step.layer is None:
        shop.do_next(part)
    rim = zones_of(shop, part)["Rim"].uuid
    grit = shop.standing(part).action.grit
    dialog = shop.http.get(f"/parts/{part}/sand", headers=HX).text
    shows = dialog[dialog.index('name="shows"') :]
    assert re.findall(r'<option value="[^"]*"[^>]*>([^<]+)', shows) == [
        "the layer below the top one", "Epoxy primer", "bare steel or iron",
    ]  # fmt: skip
    broke = {"grit": grit, "break_through": "1", "broke_at": "left edge", f"zone_{rim}": "1"}
    assert shop.log(part, "sand", **broke, shows="colour").status_code == 422
    assert shop.log(part, "sand", **(broke | {"broke_at": "x" * 121})).status_code == 422
    assert shop.log(part, "sand", **broke, shows="x" * 200).status_code == 422
    assert shop.log(part, "sand", **broke, shows="epoxy").status_code == 200
    notice = "Sanded through: Rim, left edge."
    assert notice in shop.http.get(f"/parts/{part}").text
    mend = "High-build again where it broke through: Rim"
    assert mend in [p.step.label for p in shop.standing(part).rest.steps]
    assert "Headstock casting</th><td>High-build</td>" in shop.http.get("/stores").text
    done = []
    while mend in [p.step.label for p in shop.standing(part).rest.steps]:
        done.append(shop.do_next(part))
        assert len(done) < 20
    assert "coat" in done
    assert notice not in shop.http.get(f"/parts/{part}").text
    flush = f"Sand {grit} again where it was mended: Rim"
    assert flush in [p.step.label for p in shop.standing(part).rest.steps]
    assert "Headstock casting</th><td>High-build</td>" not in shop.http.get("/stores").text
    log = shop.http.get(f"/parts/{part}").text
    assert "broke through (left edge): Epoxy primer shows: Rim" in log
    entry = re.search(r'name="entry" value="([0-9a-f-]+)"[^§]{0,160}aria-label="Take back: Sanded [^"]*broke', log)[1]
    assert shop.log(part, "undo", entry=entry).status_code == 200
    assert flush not in [p.step.label for p in shop.standing(part).rest.steps]

"""Sheets of one's own: copied in short, with components, thinner, sizes and supplies that no sheet of ours has."""

import html
import json
import re

import pytest

from cool_sheen.core.mixing.recipes import Choice, mix_of
from cool_sheen.service.packs import sizes_of
from cool_sheen.service.shelf_now import shelf_now


def form_at(shop, address):
    """A form as it is filled when it is opened."""
    page = shop.http.get(address).text
    page = page[page.index('id="f-sheet"') :]
    out = {}
    for tag in re.findall(r"<input[^>]*>", page):
        name, value = (re.search(rf'\b{a}="([^"]*)"', tag) for a in ("name", "value"))
        if name and ('type="checkbox"' not in tag or " checked" in tag):
            out[name[1]] = html.unescape(value[1]) if value else ""
    for name, options in re.findall(r'<select[^>]*name="([^"]+)"[^>]*>(.*?)</select>', page, re.S):
        chosen = re.search(r'value="([^"]*)" selected', options)
        out[name] = chosen[1] if chosen else ""
    return out


def shelf(shop):
    with shop.workshop.read() as unit:
        return shelf_now(unit)


def test_a_copied_sheet_takes_its_labels_figures_and_its_own_data_win_at_the_scale(shop):
    form = form_at(shop, "/shelf/new?copy=single-stage-two-pack")
    assert form["milestones.0.ref_minutes"] == "20 min"
    row = next(n.split(".")[1] for n, v in form.items() if n.endswith(".name") and v == "tape_over")
    form |= {
        "name": "Machine enamel, moss", "mix.parts.0.parts": "6", "mix.parts.1.name": "Härter B", "mix.parts.1.parts": "2",
        "mix.parts.1.density_g_per_ml": "1.11", "mix.parts.2.name": "Flow agent", "mix.parts.2.parts": "0.5",
        "mix.parts.2.density_g_per_ml": "0.9", "mix.reducer.name": "Moss thinner", "mix.reducer.usual_pct": "3 : 1",
        "mix.reducer.max_pct": "150", "mix.reducer.of": "paint", "mix.reducer.density_g_per_ml": "0.8",
        "milestones.0.ref_minutes": "10-15 min", f"milestones.{row}.ref_minutes": "5 h",
        f"milestones.{row}.counts_for": "build", "pack_amount": "1 gal", "pack_price": "48.5", "pack_with": "1.2 l",
    }  # fmt: skip
    answer = shop.http.post("/shelf/new", data=form)
    assert answer.headers["location"] == "/shelf/machine-enamel-moss", re.findall(
        r"is-danger[^>]*>([^<]+)", answer.text
    )
    found = shelf(shop)
    sheet = found.products["machine-enamel-moss"]
    marks = {m.name: (m.ref_minutes, m.counts_for) for m in sheet.milestones}
    assert (marks["flash"], marks["tape_over"]) == ((15, None), (300, "build"))
    assert sheet.mix.reducer.usual_pct == pytest.approx(100 / 3)
    mix = mix_of(sheet, found.supplies, Choice())
    assert [(c.key, round(s.density_g_per_ml, 2)) for c, s in zip(mix.components, _things(mix), strict=True)] == [
        ("paint:machine-enamel-moss", 1.18), ("h-rter-b:machine-enamel-moss", 1.11),
        ("flow-agent:machine-enamel-moss", 0.9), ("reducer:moss-thinner", 0.8),
    ]  # fmt: skip
    with shop.workshop.read() as unit:
        size = sizes_of(unit, "paint:machine-enamel-moss")[0]
    assert size.contains["h-rter-b:machine-enamel-moss"] == 1200
    assert round(size.contains["paint:machine-enamel-moss"]) == 3785
    page = shop.http.get("/mix/new?product=machine-enamel-moss&how=ready&amount=500 ml").text
    assert "Moss thinner" in page
    assert "Härter B" in page
    again = form_at(shop, "/shelf/machine-enamel-moss/edit")
    assert shop.http.post("/shelf/machine-enamel-moss/edit", data=again).status_code == 303
    kept = shelf(shop).products["machine-enamel-moss"]
    assert (kept.milestones, kept.windows, kept.mix.parts) == (sheet.milestones, sheet.windows, sheet.mix.parts)


def _things(mix):
    return [*mix.recipe.parts, *mix.recipe.additions]


def test_a_hardener_of_the_shelf_is_weighed_by_the_products_sheet_and_a_named_thinner_is_no_other(shop):
    form = form_at(shop, "/shelf/new?copy=clear-two-pack") | {
        "name": "Own clear",
        "mix.parts.1.density_g_per_ml": "1.23",
    }
    assert shop.http.post("/shelf/new", data=form).status_code == 303
    found = shelf(shop)
    mix = mix_of(found.products["own-clear"], found.supplies, Choice(hardener_speed="slow"))
    assert (mix.components[1].key, mix.recipe.parts[1].density_g_per_ml) == ("supply:hardener-urethane-slow", 1.23)
    form |= {"name": "Odd clear", "mix.reducer.name": "Odd thinner"}
    assert shop.http.post("/shelf/new", data=form).status_code == 303
    asks = shop.http.get("/mix/new?product=odd-clear&how=ready&amount=500 ml").text
    assert "Odd thinner has no density on its sheet" in asks
    form |= {"name": "Third clear", "mix.reducer.name": "White spirit"}
    assert shop.http.post("/shelf/new", data=form).status_code == 303
    third = mix_of(shelf(shop).products["third-clear"], found.supplies, Choice())
    assert third.components[2].key == "supply:white-spirit"  # named: whatever it is usually for


def test_a_window_without_a_closing_is_one_that_was_left_empty(shop):
    form = form_at(shop, "/shelf/new?copy=epoxy-primer-grey")
    row = next(n.split(".")[1] for n, v in form.items() if n.endswith(".name") and v == "recoat_closes")
    answer = shop.http.post("/shelf/new", data=form | {"name": "Open primer", f"milestones.{row}.ref_minutes": ""})
    assert answer.status_code == 303
    assert shelf(shop).products["open-primer"].windows[0].closes is None
    missing = shop.http.post("/shelf/new", data=form | {"name": "No flash", "milestones.0.ref_minutes": ""})
    assert missing.status_code == 422
    assert 'href="#f-milestones.0.ref_minutes"' in missing.text


def test_rows_are_as_many_as_it_takes_and_asking_for_one_saves_nothing(shop):
    form = form_at(shop, "/shelf/new?copy=epoxy-primer-grey") | {"name": "Many parts"}
    for count in (4, 5, 6):
        page = shop.http.post("/shelf/new", data=form | {"more": "mix.parts"}).text
        assert f'name="mix.parts.{count - 1}.name"' in page
        assert 'value="Many parts"' in page
        form |= {f"mix.parts.{count - 1}.{f}": "" for f in ("name", "parts", "density_g_per_ml")}
    assert "many-parts" not in shelf(shop).products


def test_supplies_are_edited_as_products_are_and_go_into_the_mix_on_any_basis(shop):
    form = form_at(shop, "/shelf/supplies/new?copy=accelerator-urethane")
    assert "hardener_speed" not in form
    form |= {"name": "Kicker", "dose_ml_per_l": "20", "max_dose_ml_per_l": "40", "dose_of": "paint", "time_factor": "0.5",
             "pack_amount": "250 ml", "pack_price": "9", "tick.families.urethane_2k": "1"}  # fmt: skip
    answer = shop.http.post("/shelf/supplies/new", data=form)
    assert answer.headers["location"] == "/shelf/supplies/kicker", re.findall(r"is-danger[^>]*>([^<]+)", answer.text)
    assert "Your own supply" in shop.http.get("/shelf/supplies/kicker").text
    found = shelf(shop)
    product = found.products["clear-two-pack"]

    def dosed(dose, of=""):
        of = (("kicker", of),) if of else ()
        return mix_of(product, found.supplies, Choice(doses_ml_per_l=(("kicker", dose),), dose_of=of))

    usual = dosed(20)
    assert dict(usual.blend.doses).popitem()[1] == pytest.approx(0.5)
    share = usual.recipe.parts[0].parts / sum(p.parts for p in usual.recipe.parts)
    same = dosed(20 * share, "mixed")
    assert dict(same.blend.doses).popitem()[1] == pytest.approx(0.5)
    page = shop.http.get(
        "/mix/new?product=clear-two-pack&how=ready&amount=500 ml&dose.kicker=20&dose_of.kicker=paint"
    ).text
    assert "<b>20 ml</b> of the paint alone" in page
    over = shop.http.get(
        "/mix/new?product=clear-two-pack&how=ready&amount=500 ml&dose.kicker=60&dose_of.kicker=paint"
    ).text
    assert "at most 40 ml for a litre of the paint alone" in over
    grit = next(s for s in found.supplies.values() if s.kind == "grit")
    changed = form_at(shop, f"/shelf/supplies/{grit.key}/edit") | {"blend.0.grain_mm": "0.3", "blend.0.parts": "2"}
    assert shop.http.post(f"/shelf/supplies/{grit.key}/edit", data=changed).status_code == 303
    shown = shop.http.get(f"/shelf/supplies/{grit.key}").text
    assert re.sub(r"\s+", " ", shown).count("with 2 parts of 0.3 mm") == 1
    assert shop.http.post(f"/shelf/supplies/{grit.key}/remove").status_code == 303
    assert not shelf(shop).supplies[grit.key].blend


@pytest.mark.parametrize(
    ("field", "value", "says"),
    [
        ("mix.reducer.usual_pct", "3 : ", "enter a percentage such as 10, or parts such as 3 : 1"),
        ("mix.reducer.max_pct", "1000", "Enter 900 or less"), ("pack_price", "cheap", "Enter an amount of money"),
        ("pack_amount", "a tin", "is no volume"), ("name", "", "Fill this in"), ("swatch", "", "Fill this in"),
        ("volume_solids_pct", "1,400", "two ways"), ("milestones.0.ref_minutes", "soon", "is no time"),
    ],
)  # fmt: skip
def test_what_a_label_cannot_say_is_refused_at_its_field(shop, field, value, says):
    form = form_at(shop, "/shelf/new?copy=clear-two-pack") | {"name": "Own", "pack_amount": "1 l", "pack_price": "10"}
    answer = shop.http.post("/shelf/new", data=form | {field: value})
    assert answer.status_code == 422
    note = re.search(rf'id="n-{re.escape(field)}">([^<]+)', answer.text)
    assert note, re.findall(r"is-danger[^>]*>([^<]+)", answer.text)
    assert says in html.unescape(note[1])
    assert "own" not in shelf(shop).products


def test_a_us_shop_types_and_reads_a_sheet_in_its_own_units(shop):
    shop.change(units="us")
    form = form_at(shop, "/shelf/new?copy=clear-two-pack")
    page = shop.http.get("/shelf/new?copy=clear-two-pack").text
    for sign in ("mil</span>", "°F</span>", "lb/gal</span>", "ft²/gal</span>"):
        assert sign in page
    assert float(form["mix.parts.0.density_g_per_ml"]) == pytest.approx(8.3454 * 1, rel=0.3)
    form |= {"name": "US clear", "mix.parts.0.density_g_per_ml": "9.5", "limits.dew_margin_k": "5", "pack_amount": "1 qt",
             "pack_price": "31"}  # fmt: skip
    assert shop.http.post("/shelf/new", data=form).status_code == 303
    data = json.loads(shop.http.get("/shelf/export.json?product=us-clear").text)["products"][0]
    assert data["mix"]["parts"][0]["density_g_per_ml"] == pytest.approx(1.138, rel=1e-3)
    assert data["limits"]["dew_margin_k"] == pytest.approx(5 / 1.8)
    assert "US clear, 1 qt" in shop.http.get("/shelf/us-clear").text

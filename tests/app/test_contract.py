"""The JSON contract: worked examples, and what is refused."""

import copy
from datetime import datetime
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from tests.support import ShopOnTrial, examples
from tests.unit.test_solve import broken

from cool_sheen.core.scheduling.instance import Placed
from cool_sheen.web.api.planning import SolveShape

CALLS = {
    "climate_air": "climate/air",
    "climate_surface": "climate/surface",
    "climate_space": "climate/space",
    "drying_clock": "drying/clock",
    "drying_phases": "drying/phases",
    "drying_touch_tests": "drying/touch-tests",
    "film_coats": "film/coats",
    "sanding_ladder": "sanding/ladder",
    "coatings_compatibility": "coatings/compatibility",
    "film_wet_readings": "film/wet-readings",
    "gun_compressor": "gun/compressor",
    "gun_hose": "gun/hose",
    "gun_pass": "gun/pass",
    "gun_water": "gun/water",
    "materials_quantity": "materials/quantity",
    "materials_kits": "materials/kits",
    "materials_cans": "materials/cans",
    "mixing_batch": "mixing/batch",
    "mixing_rescue": "mixing/rescue",
    "mixing_pot_life": "mixing/pot-life",
    "planning_solve": "planning/solve",
}
CASES = [(path, case) for name, path in CALLS.items() for case in examples(name)]


@pytest.fixture(scope="module")
def api(tmp_path_factory):
    shop = ShopOnTrial(tmp_path_factory.mktemp("api"), empty=True)
    shop.http.headers.pop("Origin")  # a script has none
    return shop.http


def agrees(found: Any, told: Any, start: datetime | None, tolerance: dict[str, Any], key: str = "") -> None:
    """Compare as the examples want it: 0.5 %, or 2 % of the time elapsed, at least a minute."""
    if isinstance(told, dict) and "$any_of" in told:
        assert found in told["$any_of"]
    elif isinstance(told, dict):
        for name, value in told.items():
            agrees(found[name], value, start, tolerance, name)
    elif isinstance(told, list):
        assert len(found) == len(told), (found, told)
        for one, other in zip(found, told, strict=True):
            agrees(one, other, start, tolerance, key)
    elif isinstance(told, str) and told[:2] == "20":
        at, wanted = datetime.fromisoformat(found), datetime.fromisoformat(told)
        start = start or wanted
        assert abs((at - wanted).total_seconds()) <= max(60, 0.02 * (wanted - start).total_seconds()), (
            key,
            found,
            told,
        )
        assert at.utcoffset() == wanted.utcoffset()
    elif isinstance(told, float | int):
        within = tolerance.get(key, {})
        rel = within.get("rel", 0 if "abs" in within else 0.005)
        assert found == pytest.approx(told, abs=within.get("abs"), rel=rel), key
    else:
        assert found == told, key


def keeps_every_rule_and_ends_as_soon(found: dict[str, Any], case: dict[str, Any]) -> None:
    """One good plan of several: ours obeys every rule, and ends within 5 % of it or sooner."""
    told, asked = case["response"], SolveShape.model_validate(case["request"])
    assert found["feasible"] is told["feasible"]
    if not told["feasible"]:
        assert (found["steps"], found["finish"], bool(found["reasons"])) == ([], None, True)
        return
    start = datetime.fromisoformat(case["request"]["start"])
    steps = [Placed(s["id"], *map(datetime.fromisoformat, (s["start"], s["end"]))) for s in found["steps"]]
    assert broken(asked.instance(), steps) == []
    finish, wanted = (datetime.fromisoformat(x["finish"]) for x in (found, told))
    assert finish - start <= 1.05 * (wanted - start)
    assert finish.utcoffset() == wanted.utcoffset()


@pytest.mark.parametrize(("path", "case"), CASES, ids=[f"{path}: {case['name']}" for path, case in CASES])
def test_every_worked_example_comes_out(api, path, case):
    answer = api.post(f"/api/v1/{path}", json=case["request"])
    told = case["response"]
    if told.get("status") == "4xx":
        refused(answer, told["field"])
        return
    assert answer.status_code == 200, answer.text
    if path == "planning/solve":
        keeps_every_rule_and_ends_as_soon(answer.json(), case)
        return
    start = case["request"].get("start")
    agrees(answer.json(), told, datetime.fromisoformat(start) if start else None, case.get("tolerance") or {})


def refused(answer: Any, field: str) -> None:
    assert 400 <= answer.status_code < 500
    assert answer.headers["content-type"] == "application/problem+json"
    body = answer.json()
    assert {"title", "status", "detail", "errors"} <= set(body)
    assert body["status"] == answer.status_code
    assert any(field in error["field"] or field in error["message"] for error in body["errors"]), body


GOOD = next(case["request"] for case in examples("drying_phases"))
BAD = {
    "no offset": ("start", "2026-06-08T08:00:00", "start"),
    "a time as a number": ("start", 1780000000, "start"),
    "a time out of our time": ("start", "9999-12-31T23:00:00+00:00", "start"),
    "a string for a number": ("wet_film_um", "70", "wet_film_um"),
    "a negative film": ("wet_film_um", -70, "wet_film_um"),
    "no film": ("wet_film_um", 0, "wet_film_um"),
    "an unknown movement": ("air_movement", "storm", "air_movement"),
    "an unknown field": ("colour", "red", "colour"),
    "an empty climate": ("climate", [], "climate"),
    "times that do not ascend": ("climate", [GOOD["climate"][0]] * 2, "climate.1.at"),
    "over-long climate": ("climate", [GOOD["climate"][0]] * 10_001, "climate"),
    "humidity over a hundred": ("climate", [{**GOOD["climate"][0], "rh_pct": 101}], "climate.0.rh_pct"),
    "too hot": ("climate", [{**GOOD["climate"][0], "air_temp_c": 201}], "climate.0.air_temp_c"),
    "no recoat rule": ("product", {**GOOD["product"], "recoat": None}, "recoat"),
    "a rule without its milestone": (
        "product",
        {**GOOD["product"], "recoat": {"opens": "later"}},
        "product.recoat.opens",
    ),
    "a milestone twice": (
        "product",
        {**GOOD["product"], "milestones": GOOD["product"]["milestones"] * 2},
        "milestones",
    ),
    "no reference film": ("product", {**GOOD["product"], "ref_wet_film_um": 0}, "product.ref_wet_film_um"),
}


@pytest.mark.parametrize("name", BAD)
def test_bad_input_is_refused_at_its_field(api, name):
    field, value, says = BAD[name]
    refused(api.post("/api/v1/drying/phases", json={**copy.deepcopy(GOOD), field: value}), says)


def test_water_at_a_reference_of_full_humidity_would_divide_by_nought(api):
    product = copy.deepcopy(GOOD["product"])
    product["ref_rh_pct"] = 100
    product["milestones"][0]["mode"] = "water"
    refused(api.post("/api/v1/drying/clock", json={**GOOD, "product": product}), "ref_rh_pct")


@pytest.mark.parametrize(
    "body",
    [
        b"",
        b"{",
        b"[1]",
        b'{"air_temp_c": NaN, "rh_pct": 50}',
        b'{"air_temp_c": 1e999, "rh_pct": 5}',
        b"\xff\xfe\x00",
        b"[" * 5000,
    ],
)
def test_a_body_that_is_no_request_is_refused(api, body):
    answer = api.post("/api/v1/climate/air", content=body, headers={"Content-Type": "application/json"})
    assert 400 <= answer.status_code < 500
    assert answer.headers["content-type"] == "application/problem+json"


@given(
    st.recursive(
        st.none() | st.booleans() | st.floats() | st.text(max_size=8),
        lambda x: (
            st.lists(x, max_size=3)
            | st.dictionaries(st.sampled_from(["air_temp_c", "rh_pct", "surface_temp_c", "pressure_pa"]), x, max_size=4)
        ),
        max_leaves=8,
    )
)
@settings(max_examples=80, deadline=None)
def test_whatever_is_asked_of_the_air_ends_in_figures_or_a_refusal(api, body):
    import json

    answer = api.post("/api/v1/climate/air", content=json.dumps(body), headers={"Content-Type": "application/json"})
    assert answer.status_code == 200 or answer.headers["content-type"] == "application/problem+json"
    assert answer.status_code < 500


def test_the_contract_describes_itself_and_says_when_it_can_serve(api):
    assert api.get("/healthz").json() == {"status": "ok"}
    described = api.get("/api/openapi.json").json()
    assert {f"/api/v1/{path}" for path in CALLS.values()} <= set(described["paths"])
    assert api.get("/docs").status_code == 404
    assert api.get("/api/v1/nothing").headers["content-type"] == "application/problem+json"

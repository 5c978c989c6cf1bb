"""What a sheet, a supply, a system, a survey's test and an entry may not say, with the words that refuse it."""

from typing import Any
from uuid import uuid4

from pydantic import BaseModel, ValidationError

from cool_sheen.core.complaints import complaints
from cool_sheen.core.log.entries import Entry, read_payload
from tests.support import T0
from tests.told.jobs import SHIPPED
from tests.told.telling import Page


def refused() -> str:
    """Each change alone, on the edge and over it."""
    page = Page()
    for tell in (_sheets, _limits, _supplies, _systems, _surveys, _entries):
        tell(page)
    return page.text()


def _sheets(page: Page) -> None:
    surfacer = SHIPPED.products["high-build-surfacer"]
    window = surfacer.windows[0].model_dump()
    marks = [m.model_dump() for m in surfacer.milestones]
    minutes = {m.name: m.ref_minutes for m in surfacer.milestones}
    page.head("a sheet")
    _tried(page, surfacer, {
        "a mark twice": {"milestones": [*marks, marks[0]]}, "an unknown mark": {"milestones": [*marks, {**marks[0], "name": "purple"}]},
        "a window without its mark": {"windows": [{**window, "opens": "stack"}]},
        "closes as it opens": {"windows": [{**window, "opens": "handle", "closes": "handle"}]},
        "closes later": {"windows": [{**window, "opens": min(minutes, key=minutes.__getitem__), "closes": max(minutes, key=minutes.__getitem__)}]},
        "stages level": {"heat_stages": [{"metal_temp_c": t, "hold_minutes": 30} for t in (120, 120)]},
        "stages rising": {"heat_stages": [{"metal_temp_c": t, "hold_minutes": 30} for t in (120, 121)]},
        "runs at its least": {"sag_limit_um": surfacer.wet_film_min_um}, "runs under it": {"sag_limit_um": surfacer.wet_film_min_um - 1},
        "one film": {"wet_film_min_um": surfacer.wet_film_max_um, "sag_limit_um": None},
        "films turned round": {"wet_film_min_um": surfacer.wet_film_max_um + 1, "sag_limit_um": None},
    })  # fmt: skip
    _tried(page, surfacer, {
        "a key with a space": {"key": "own primer"}, "no name": {"name": ""}, "a name too long": {"name": "n" * 200},
        "no solids": {"volume_solids_pct": 0}, "all solids": {"volume_solids_pct": 101}, "half a coat": {"coats_a_day": 1.5},
        "no coat": {"coats_a_day": 0}, "a word for a film": {"wet_film_min_um": "thin"}, "an endless film": {"wet_film_min_um": float("inf")},
        "a strange family": {"family": "ghost"}, "a strange field": {"gloss": 3}, "no milestone": {"milestones": []},
        "five tests": {"ready_tests": ["thumbnail"] * 5}, "perhaps": {"never_sanded": "perhaps"}, "a figure for a name": {"name": 3},
        "a word for a count": {"coats_a_day": "two"}, "nothing for a film": {"wet_film_min_um": None},
    })  # fmt: skip


def _limits(page: Page) -> None:
    limits = {
        "air": ("air_min_c", "air_max_c"),
        "humidity": ("rh_min_pct", "rh_max_pct"),
        "surface": ("surface_min_c", "surface_max_c"),
    }
    for words, (low, high) in limits.items():
        _tried(
            page,
            SHIPPED.products["high-build-surfacer"].limits,
            {f"{words} at one": {low: 30, high: 30}, f"{words} in a range": {low: 30, high: 30.1}},
        )


def _supplies(page: Page) -> None:
    page.head("a supply")
    for kind in ("reducer", "hardener", "abrasive", "grit", "retarder"):
        supply = next((s for s in SHIPPED.supplies.values() if s.kind == kind), None)
        if supply is None:
            continue
        least = {"reducer": "reducer_speed", "hardener": "hardener_speed", "abrasive": "grits", "grit": "grain_mm",
                 "retarder": "time_factor"}[kind]  # fmt: skip
        _tried(page, supply, {
            f"{kind} without {least}": {least: () if least == "grits" else None},
            f"{kind} counted": {"measured_in": "a capful", "ml_each": 5}, f"{kind} counted, of what size": {"measured_in": "a capful", "ml_each": None},
            f"{kind} best at one": {"best_from_c": 20, "best_to_c": 20}, f"{kind} best in a range": {"best_from_c": 20, "best_to_c": 20.1},
            f"{kind} dose at most": {"dose_ml_per_l": 30, "max_dose_ml_per_l": 30}, f"{kind} dose over": {"dose_ml_per_l": 31, "max_dose_ml_per_l": 30},
        })  # fmt: skip


def _systems(page: Page) -> None:
    page.head("a system")
    system = SHIPPED.systems["two-stage-epoxy"]
    layers = [la.model_dump() for la in system.layers]
    _tried(page, system, {
        "a layer twice": {"layers": [*layers, layers[0]]}, "no layer": {"layers": []},
        "all left out": {"layers": [{**la, "left_out": True, "must_stay": None} for la in layers]},
        "all but one": {"layers": [*({**la, "left_out": True, "must_stay": None} for la in layers[1:]), layers[0]]},
        "left out though it must stay": {"layers": [*layers[1:], {**layers[0], "left_out": True, "must_stay": "it carries the rest"}]},
        "sanding without grit": {"prepare": [{"kind": "sand"}]}, "a wash with grit": {"prepare": [{"kind": "wash", "grit": "P180"}]},
        "30 coats": {"layers": [{**layers[0], "coats": 30, "wet_film_um": 60}]}, "31 coats": {"layers": [{**layers[0], "coats": 31, "wet_film_um": 60}]},
        "no coat": {"layers": [{**layers[0], "coats": 0, "wet_film_um": 60}]}, "a reason": {"overrides": [{"rule": "x", "place": "y", "reason": "why"}]},
        "hardly a reason": {"overrides": [{"rule": "x", "place": "y", "reason": "no"}]},
    })  # fmt: skip


def _surveys(page: Page) -> None:
    page.head("a survey's test")
    tests = list(SHIPPED.tests.values()) if isinstance(SHIPPED.tests, dict) else list(SHIPPED.tests)
    reads = next(t for t in tests if t.reads)
    _tried(page, reads, {"bounds falling": {"results": [r.model_dump() for r in reversed(reads.results)]},
                         "a bound amiss": {"results": [{**r.model_dump(), "up_to": None} for r in reads.results]}})  # fmt: skip
    for reading in (reads.low, reads.low - 0.01, reads.high, reads.high + 0.01):
        page.say("reads", reading, _said(lambda reading=reading: reads.of_reading(reading).key))


def _entries(page: Page) -> None:
    page.head("an entry")
    note, void = {"kind": "note", "text": "dust"}, {"kind": "void"}
    skip = {"kind": "skip", "steps": ["mask"], "words": "Mask"}
    for name, payload, more in (
        ("a note", note, {}), ("a note that voids", note, {"voids": uuid4()}), ("a void", void, {"voids": uuid4()}), ("a void of nothing", void, {}),
        ("skipped", skip, {"reason": "plain"}), ("skipped without a word", skip, {"reason": "  "}),
    ):  # fmt: skip
        page.say(
            name, _said(lambda p=payload, m=more: Entry(uuid=uuid4(), payload=p, occurred_at=T0, **m).payload.kind)
        )
    for version in (1, 2, 3, 99):
        page.say("version", version, _said(lambda v=version: read_payload(note, v).kind))


def _tried(page: Page, model: BaseModel, changes: dict[str, dict[str, Any]]) -> None:
    plain = model.model_dump()
    for name, change in changes.items():
        page.say(name, _said(lambda change=change: type(model).model_validate({**plain, **change}) and "taken"))


def _said(ask: Any) -> str:
    try:
        return str(ask())
    except ValidationError as error:
        return "; ".join(f"{place}: {words}" for place, words in list(complaints(error).items())[:2])
    except Exception as error:
        return f"{type(error).__name__}: {error}"

"""The surveys of the demo shop: parts with several zones, tests that were made, and a word that is not checked yet."""

from datetime import timedelta
from typing import Any
from uuid import uuid4

from cool_sheen.core.log.entries import ClaimPayload, SurveyTestPayload
from cool_sheen.service import survey
from cool_sheen.service.jobs import find_part
from cool_sheen.service.journal import Press
from cool_sheen.service.unit import Unit
from cool_sheen.store.models import Part

_RIM = {"kind": "tube", "diameter_m": 0.03, "length_m": 1.2}


def _sheet(length: float, width: float, **more: Any) -> dict[str, Any]:
    return {"kind": "sheet", "length_m": length, "width_m": width, **more}


def _box(length: float, width: float, height: float) -> dict[str, Any]:
    return {"kind": "box", "length_m": length, "width_m": width, "height_m": height}


# Part -> its zones; the first one is what the part starts with, the others are split off it. Old enamel, an unknown
# film, bare iron, timber, zinc: the bench end has them all.
ZONES: dict[str, list[dict[str, Any]]] = {
    "Bench end, north": [
        {"name": "Scroll faces", "shape": _sheet(0.9, 0.42, sides=2), "old_finish": "enamel_1k",
         "old_state": "weathered"},
        {"name": "Scroll edges", "kind": "edge", "shape": {**_RIM, "count": 4}, "old_finish": "enamel_1k",
         "old_state": "weathered"},
        {"name": "Foot", "shape": _box(0.3, 0.12, 0.08), "old_finish": "unknown", "word_of_another": True},
        {"name": "Bared patch at the lug", "kind": "patch", "shape": _sheet(0.14, 0.09), "strip": "substrate",
         "bare_h": 30},
        {"name": "Bared patch at the foot", "kind": "patch",
         "shape": _sheet(0.1, 0.06), "strip": "substrate", "bare_h": 5},
        {"name": "Slats on top", "shape": _sheet(0.62, 0.07, count=4), "substrate": "bare_timber"},
        {"name": "Slats below", "kind": "underside", "shape": _sheet(0.62, 0.07, count=4),
         "substrate": "bare_timber", "face": "Underside"},
        {"name": "Galvanised bolts", "shape": {"kind": "cylinder", "diameter_m": 0.02, "length_m": 0.05, "count": 8},
         "substrate": "bare_zinc"},
        {"name": "Cast number plate", "shape": _sheet(0.2, 0.12), "old_finish": "enamel_1k",
         "old_state": "cured", "keep_texture": True},
    ],
    "Steps, treads 1–4": [
        {"name": "Treads", "shape": _sheet(0.8, 0.3, count=4)},
        {"name": "Nosings", "kind": "edge", "shape": {**_RIM, "length_m": 0.8, "count": 4}},
        {"name": "Undersides", "kind": "underside", "shape": _sheet(0.8, 0.3, count=4), "face": "Underside"},
    ],
    "Column radiator": [
        {"name": "Columns, outside", "shape": {"kind": "typed", "typed_m2": 1.4}},
        {"name": "Columns, inside", "kind": "inside", "shape": {"kind": "typed", "typed_m2": 0.8}},
        {"name": "Feet and lugs", "kind": "edge", "shape": {"kind": "typed", "typed_m2": 0.15}},
        {"name": "Top rail", "shape": {"kind": "typed", "typed_m2": 0.25}},
    ],
    "Carved horse": [
        {"name": "Body", "shape": {"kind": "typed", "typed_m2": 1.15}, "old_finish": "casein_paint",
         "old_state": "cured", "keep_texture": True},
        {"name": "Legs", "shape": {"kind": "tube", "diameter_m": 0.07, "length_m": 0.55, "count": 4},
         "old_finish": "casein_paint", "old_state": "cured"},
        {"name": "Mended ear and hoof", "kind": "patch", "shape": {"kind": "sphere", "diameter_m": 0.12, "count": 2},
         "strip": "substrate", "bare_h": 50},
    ],
}  # fmt: skip
_METHODS = {"Steps, treads 1–4": "roller", "Carved horse": "brush"}
_SUPPORT = {"Underside": "two trestles, padded; marks at the ends get a touch-in"}


def take(unit: Unit, part: Part) -> None:
    """Survey a part of the demo shop; one that is not named here stays one bare zone."""
    zones = ZONES.get(part.name)
    if zones is None:
        return
    found = find_part(unit, part.uuid)
    whole = found.faces[0]
    method = _METHODS.get(part.name, "hvlp")
    upper = survey.FaceSaid.model_validate({"name": "Upper side", "method": method})
    survey.edit_face(unit, found, whole.uuid, upper)
    faces = {"Upper side": whole.uuid}
    for place, facts in enumerate(zones):
        name = facts.get("face", "Upper side")
        if name not in faces:
            said = {"name": name, "setting": 2, "support": _SUPPORT.get(name, ""), "method": method}
            faces[name] = survey.add_face(unit, found, survey.FaceSaid.model_validate(said)).uuid
        first = found.live_zones[0]
        said_zone = _said(unit, part, facts, faces[name])
        if place == 0:
            survey.edit_zone(unit, found, first.uuid, said_zone)
        else:
            survey.split_off(unit, found, first.uuid, said_zone, from_its_area=False)
    if part.name == "Bench end, north":
        _tests(unit, found)


def _said(unit: Unit, part: Part, facts: dict[str, Any], face: Any) -> survey.ZoneSaid:
    hours = facts.get("bare_h")
    return survey.ZoneSaid.model_validate(
        {
            "substrate": part.substrate,
            **{key: value for key, value in facts.items() if key not in ("face", "bare_h")},
            "face": face,
            "bare_since": unit.now - timedelta(hours=hours) if hours else None,
        }
    )


def _tests(unit: Unit, part: Part) -> None:
    """Rubs on the scroll at two depths, rust at the lug, damp slats, and the parish's word on the foot."""
    zones = {zone.name: zone.uuid for zone in part.live_zones}
    where = frozenset({zones["Scroll faces"], zones["Scroll edges"]})
    for hours, result, down, film in ((6, "unaffected", 0, "the green one"), (2, "softens", 1, "the red one")):
        rub = SurveyTestPayload(test="solvent_rub", result=result, films_down=down, depth=film, held_h=2)
        survey.log_test(unit, part, Press(uuid4(), unit.now - timedelta(hours=hours), where), rub)
    skin = SurveyTestPayload(test="rust", result="skin")
    patch = frozenset({zones["Bared patch at the lug"]})
    survey.log_test(unit, part, Press(uuid4(), unit.now - timedelta(hours=1), patch), skin)
    damp = SurveyTestPayload(test="timber_moisture", result="", reading=13.5)
    slats = frozenset({zones["Slats on top"], zones["Slats below"]})
    survey.log_test(unit, part, Press(uuid4(), unit.now - timedelta(hours=1), slats), damp)
    word = ClaimPayload(says="strip", whose="the parish")
    survey.log_claim(unit, part, Press(uuid4(), zones=frozenset({zones["Foot"]})), word)

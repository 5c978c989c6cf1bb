"""Something went wrong on a zone, or on a patch of it: the branch of steps that mends it there, and there alone."""

from collections.abc import Iterable
from datetime import datetime
from typing import Annotated
from uuid import UUID

from pydantic import Field

from cool_sheen.core.coatings.sheet_fields import Strict
from cool_sheen.core.film.grits import MEAN_UM
from cool_sheen.core.inspection.defects import way_back
from cool_sheen.core.log.entries import Recorded
from cool_sheen.core.log.history import Zones
from cool_sheen.core.log.looked import MendStep, MishapPayload
from cool_sheen.core.survey.shapes import Shape
from cool_sheen.service.journal import Press, pressed_before, write_on_part
from cool_sheen.service.part_now import PartNow
from cool_sheen.service.survey import ZoneSaid, find_zone, split_off
from cool_sheen.service.unit import Refused, Unit
from cool_sheen.store.models import Part


class Patch(Strict):
    """A patch that is cut out of a zone, so that only it is mended."""

    name: Annotated[str, Field(min_length=1, max_length=60)]
    area_m2: Annotated[float, Field(gt=0, le=10_000, allow_inf_nan=False)]


class MishapSaid(Strict):
    """What went wrong, where, and the steps that mend it; with a patch on that alone."""

    defect: str = ""
    words: Annotated[str, Field(max_length=200)] = ""
    steps: tuple[MendStep, ...]
    zones: tuple[UUID, ...] = ()
    patch: Patch | None = None
    marks: tuple[UUID, ...] = ()


def usual_steps(unit: Unit, found: PartNow, defect: str, zones: Iterable[UUID]) -> list[MendStep]:
    """Return the way back from a defect on some zones, as the table has it; nothing for one that it does not know."""
    known = unit.catalogue.defects.get(defect)
    if known is None:
        return []
    there = frozenset(zones) or found.situation.all_zones
    on = [c.payload.layer_id for c in found.history.coats if c.zones & there]
    return way_back(known.way_back, found.system, on[-1] if on else None)


def went_wrong(unit: Unit, found: PartNow, uuid: UUID, said: MishapSaid, at: datetime | None = None) -> Recorded:
    """Log a mishap with its branch; a patch is cut out of its zone first, and is there from now on.

    Raises: Refused: no zone, no step, a layer or a grit that is not there, a patch larger than its zone. Missing.
    """
    if before := pressed_before(unit, uuid):
        return before
    _check(unit, found, said)
    zones = frozenset(said.zones)
    if len(found.zones) == 1 and not zones:
        zones = found.situation.all_zones
    if not zones:
        raise Refused("On which zones did it happen? Tick them.")
    if zones - found.situation.all_zones:
        raise Refused("This part has no such zone any more: load the page again.", status=409)
    if said.patch is not None:
        zones, at = frozenset({_cut_out(unit, found.row, zones, said.patch)}), None
    marks = tuple(name for name in said.marks if name in found.history.marks)
    payload = MishapPayload(defect=said.defect, words=said.words, steps=said.steps, marks=marks)
    return write_on_part(unit, found.row, payload, Press(uuid, at, zones))


def _check(unit: Unit, found: PartNow, said: MishapSaid) -> None:
    if said.defect and said.defect not in unit.catalogue.defects:
        raise Refused("There is no such defect.", {"defect": "Choose a defect from the list."})
    if not said.steps:
        raise Refused("Choose what is done first: the branch has one step at least.")
    layers = {layer.id for layer in found.system.used}
    for number, step in enumerate(said.steps):
        if step.does == "coat" and step.layer_id not in layers:
            raise Refused("This part has no such layer.", {f"layer_{number}": "Choose one of the part's layers."})
        if step.grit and step.grit not in MEAN_UM:
            raise Refused(f"“{step.grit}” is no grit.", {f"grit_{number}": "Use a name such as P320."})


_AS_ITS_ZONE = ("old_finish", "old_state", "word_of_another", "strip", "keep_texture", "bare_since")


def _cut_out(unit: Unit, part: Part, zones: Zones, patch: Patch) -> UUID:
    """Make a patch a zone of its own, with the history of the one that it is cut out of."""
    if len(zones) > 1:
        raise Refused("A patch lies on one zone.", {"patch": "Tick the one zone that it is cut out of."})
    source = find_zone(part, next(iter(zones)))
    told = {name: getattr(source, name) for name in _AS_ITS_ZONE}
    shape = Shape(kind="typed", typed_m2=patch.area_m2)
    made = {"name": patch.name, "kind": "patch", "shape": shape, "substrate": source.substrate or part.substrate}
    said = ZoneSaid.model_validate({**told, **made, "face": source.face_uuid})
    return split_off(unit, part, source.uuid, said, from_its_area=True).uuid

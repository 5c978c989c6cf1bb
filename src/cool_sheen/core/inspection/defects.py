"""Defects by how they look, and the way back that each asks for."""

from collections.abc import Sequence
from typing import Annotated, Literal

from pydantic import Field

from cool_sheen.core.coatings.sheet_fields import Key, Strict, Text
from cool_sheen.core.coatings.systems import System
from cool_sheen.core.log.looked import MendStep

TOP, PRIMER = "@top", "@primer"  # layers of a way back, before it is known on what it is mended
_PRIMES = ("primer", "sealer", "surfacer")


class Defect(Strict):
    """A defect: its name, what it looks like, and the steps that mend it, in order."""

    key: Key
    name: Text
    looks: Text
    way_back: Annotated[tuple[MendStep, ...], Field(min_length=1, max_length=12)]
    kind: Literal["film", "dirt", "below"] = "film"


def way_back(steps: Sequence[MendStep], system: System, on: str | None) -> list[MendStep]:
    """Return the steps of a way back on a part.

    Args:
        steps: As the table has them: ``@top`` is the layer on which it is mended, ``@primer`` the one that primes.
        system: What goes on the part.
        on: The layer on top where it happened; None on bare ground.

    Returns: The steps with layers of the system. What primes is left out where nothing of the system does.
    """
    used = {layer.id for layer in system.used}
    top = on if on in used else system.used[0].id
    primer = next((la.id for la in system.used if la.role in _PRIMES), None)
    named = {TOP: top, PRIMER: primer}
    out = []
    for step in steps:
        layer = named.get(step.layer_id, step.layer_id)
        if step.does != "coat" or layer is not None:
            out.append(step.model_copy(update={"layer_id": layer or ""}))
    return out

"""A zone: the smallest area with one history, and what the survey says of it."""

from dataclasses import dataclass, replace
from datetime import datetime
from typing import Literal, get_args
from uuid import UUID

from cool_sheen.core.coatings.families import Ground, State
from cool_sheen.core.coatings.sheet_fields import Method
from cool_sheen.core.units import Hours, SquareMetres

ZoneKind = Literal["face", "edge", "inside", "underside", "patch"]
Strip = Literal["nothing", "keyed", "sound", "planned", "substrate"]
ZONE_KINDS: tuple[str, ...] = get_args(ZoneKind)
STRIP_WORDS: dict[str, str] = {
    "nothing": "not stripped", "keyed": "keyed only", "sound": "stripped to sound film",
    "planned": "to be stripped to the substrate", "substrate": "stripped to the substrate",
}  # fmt: skip
OLD_FINISHES: tuple[str, ...] = (
    "none", "unknown", "enamel_1k", "lacquer", "dope", "shellac", "acrylic_water", "casein_paint", "stain_solid",
    "urethane_2k", "epoxy_2k", "polyester_2k", "gel_coat", "high_heat", "membrane", "primer_1k", "acid_etch",
    "basecoat_solvent", "basecoat_water", "filler_polyester", "filler_epoxy",
)  # fmt: skip
# How long bare metal may stand before it is abraded again: a working day for steel, a day for what skins over. [h]
GOES_OFF_AFTER_H: dict[Ground, Hours] = {"bare_steel": 8.0, "bare_aluminium": 24.0, "bare_zinc": 24.0}


@dataclass(frozen=True, slots=True)
class ZoneFacts:
    """One zone. ``setting`` numbers the settings-up: zones of one number can be coated together."""

    uuid: UUID
    name: str
    area_m2: SquareMetres
    kind: str = "face"
    setting: int = 1
    ground: Ground = "unknown"
    bare_since: datetime | None = None
    strip: str = "nothing"
    keep_texture: bool = False
    old_finish: str = "unknown"
    old_state: State = "unknown"
    word_of_another: bool = False
    method: Method = "hvlp"
    shape: str = "typed"

    @property
    def bare(self) -> bool:
        """Whether the first coat finds the substrate: it shows, or the preparation strips down to it."""
        return self.strip in ("planned", "substrate") or self.old_finish == "none"

    @property
    def as_it_is(self) -> "ZoneFacts":
        """The zone without a strip that is planned and not done: what a survey finds there."""
        return replace(self, strip="nothing") if self.strip == "planned" else self

    def takes(self, where: str) -> bool:
        """Whether a coat that is meant for ``where`` goes on this zone."""
        if where in ("all", f"zone:{self.name}"):
            return True
        if where in ("bare", "coated"):
            return self.bare == (where == "bare")
        return where == self.kind


def bared_first(zones: list[ZoneFacts]) -> list[ZoneFacts]:
    """Return the bare zones, the one that was bared first at the head: it is the first to be abraded again."""
    bare = [z for z in zones if z.bare and z.bare_since]
    return sorted(bare, key=lambda z: z.bare_since.timestamp() if z.bare_since else 0)


def gone_off(ground: Ground, hours: Hours | None) -> bool:
    """Whether bare metal has stood too long for a coat: it is abraded again first.

    Args:
        ground: What shows.
        hours: Since it was bared, or abraded again; None where nobody said. [h]

    Source: docs/trade.md, Survey: shop rules. Steel rusts from the hour that it is bare, light metals skin over.
    """
    most = GOES_OFF_AFTER_H.get(ground)
    return most is not None and hours is not None and hours > most

"""A zone: the smallest area with one history, and what the survey says of it."""

from dataclasses import dataclass
from datetime import datetime
from typing import Literal, get_args
from uuid import UUID

from cool_sheen.core.coatings.compatibility import Below
from cool_sheen.core.coatings.families import BELOW_WORDS, STATE_WORDS, BelowFamily, Ground, State
from cool_sheen.core.coatings.sheet_fields import Method
from cool_sheen.core.units import SquareMetres

ZoneKind = Literal["face", "edge", "inside", "underside", "patch"]
Strip = Literal["nothing", "keyed", "sound", "substrate"]
ZONE_KINDS: tuple[str, ...] = get_args(ZoneKind)
STRIP_WORDS: dict[str, str] = {
    "nothing": "not stripped", "keyed": "keyed only", "sound": "stripped to sound film",
    "substrate": "stripped to the substrate",
}  # fmt: skip
OLD_FINISHES: tuple[str, ...] = (
    "none", "unknown", "enamel_1k", "lacquer", "dope", "shellac", "acrylic_water", "casein_paint", "stain_solid",
    "urethane_2k", "epoxy_2k", "polyester_2k", "gel_coat", "high_heat", "membrane", "primer_1k", "acid_etch",
    "basecoat_solvent", "basecoat_water", "filler_polyester", "filler_epoxy",
)  # fmt: skip
RUSTS_AFTER_H = 8.0


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
        """Whether the substrate shows."""
        return self.strip == "substrate" or self.old_finish == "none"

    def takes(self, where: str) -> bool:
        """Whether a coat that is meant for ``where`` goes on this zone."""
        if where in ("all", f"zone:{self.name}"):
            return True
        if where in ("bare", "coated"):
            return self.bare == (where == "bare")
        return where == self.kind


@dataclass(frozen=True, slots=True)
class Evidence:
    """What a survey test or an own check said of a zone: the latest comes last."""

    test: str
    at: datetime
    family: BelowFamily | None = None
    state: State | None = None


@dataclass(frozen=True, slots=True)
class Found:
    """What is below, and from what that follows."""

    below: Below
    why: str

    @property
    def words(self) -> str:
        """It in words, such as ``one-pack enamel, weathered``."""
        family = BELOW_WORDS[self.below.family]
        return family if self.below.state == "bare" else f"{family}, {STATE_WORDS[self.below.state]}"


def what_is_below(zone: ZoneFacts, evidence: list[Evidence], *, keyed: bool = False) -> Found:
    """Say what a zone offers to the first coat.

    Args:
        zone: What the survey says.
        evidence: Test results of the zone, in order of time.
        keyed: Whether the preparation abrades what is there.

    Returns: Family and state. A test beats a word, a later test an earlier one; somebody else's word alone is
        ``unknown``: it stays a claim until the refinisher's own check.
    """
    if zone.bare:
        return Found(Below(zone.ground, "bare"), "the substrate shows")
    family: BelowFamily = zone.old_finish  # type: ignore[assignment]  # checked on the way in
    state, why = zone.old_state, "as the survey says"
    if zone.word_of_another:
        family, state, why = "unknown", "unknown", "somebody else's word, not checked yet"
    for one in evidence:
        if one.family or one.state:
            family, state = one.family or family, one.state or state
            why = f"by the {one.test.replace('_', ' ')}"
    if zone.strip == "sound" and state in ("failing", "weathered", "unknown") and family != "unknown":
        state, why = "cured", f"stripped to sound film; {why}"
    if state in ("cured", "open") and (keyed or zone.strip == "keyed"):
        state, why = "keyed", f"keyed in the preparation; {why}"
    return Found(Below(family, state), why)


def bared_first(zones: list[ZoneFacts]) -> list[ZoneFacts]:
    """Return the bare zones, the one that was bared first at the head: it is the first to be abraded again."""
    bare = [z for z in zones if z.bare and z.bare_since]
    return sorted(bare, key=lambda z: z.bare_since.timestamp() if z.bare_since else 0)


def rusting(zone: ZoneFacts, now: datetime) -> bool:
    """Whether bare steel has stood longer than a working day: it rusts from the hour that it is bare."""
    if zone.ground != "bare_steel" or not zone.bare or zone.bare_since is None:
        return False
    return (now - zone.bare_since).total_seconds() > RUSTS_AFTER_H * 3600

"""What goes over what, over JSON."""

from fastapi import APIRouter

from cool_sheen.core.coatings.compatibility import Below, Over, Verdict
from cool_sheen.core.coatings.families import BelowFamily, Family, Role, State
from cool_sheen.formats.catalogue import compatibility
from cool_sheen.web.api.models import Answer, Shape

router = APIRouter(tags=["coatings"])


class BelowShape(Shape):
    """What is there."""

    family: BelowFamily
    state: State
    role: Role | None = None


class OverShape(Shape):
    """What goes on; its role decides where a family has two uses."""

    family: Family
    role: Role | None = None


class PairShape(Shape):
    """One thing over another."""

    below: BelowShape
    over: OverShape


class VerdictAnswer(Answer):
    """The verdict, why, by which rule, and the ways out."""

    verdict: Verdict
    reasons: list[str]
    ways: list[str]
    rule: str
    source: str


@router.post("/coatings/compatibility")
def coatings_compatibility(asked: PairShape) -> VerdictAnswer:
    """Whether one coating may go over another."""
    below = Below(asked.below.family, asked.below.state, asked.below.role)
    found = compatibility().judge(below, Over(asked.over.family, asked.over.role))
    return VerdictAnswer(
        verdict=found.verdict,
        reasons=[found.cited],
        ways=[way.words for way in found.ways],
        rule=found.rule,
        source=found.source,
    )

"""The mixing bench, over JSON."""

from typing import Annotated, Literal

from fastapi import APIRouter
from pydantic import Field

from cool_sheen.core.coatings.sheet_fields import Basis
from cool_sheen.core.mixing.pot_life import pot_life
from cool_sheen.core.mixing.pours import rescue
from cool_sheen.core.mixing.ratios import Addition, Recipe, RecipePart, batch
from cool_sheen.web.api.models import AboveNought, Answer, Name, NotNegative, Percentage, Shape, Temp

router = APIRouter(tags=["mixing"])


class PartShape(Shape):
    """A component with its parts of the ratio."""

    name: Name
    parts: AboveNought
    density_g_per_ml: AboveNought
    volume_solids_pct: Percentage


class ReducerShape(Shape):
    """A percentage, and what it is of."""

    name: Name
    pct: Percentage
    of: Basis
    density_g_per_ml: AboveNought


class BatchShape(Shape):
    """What to mix, and how much of it."""

    measure: Literal["volume", "weight"]
    parts: Annotated[list[PartShape], Field(min_length=1, max_length=1000)]
    reducers: Annotated[list[ReducerShape], Field(max_length=1000, default_factory=list)]
    ready_ml: AboveNought
    cup_tare_g: NotNegative = 0.0


class PourAnswer(Answer):
    """One pour; ``scale_g`` is cumulative with the tare."""

    name: str
    ml: float
    g: float
    scale_g: float


class BatchAnswer(Answer):
    """The pours in their order."""

    pours: list[PourAnswer]
    ready_ml: float
    ready_g: float
    volume_solids_pct: float
    cup_min_ml: float


class PouredShape(Shape):
    """A component, its parts, and what is in the cup of it."""

    name: Name
    parts: AboveNought
    poured: NotNegative


class RescueShape(Shape):
    """A cup in which something went over."""

    tolerance_pct: Percentage = 5.0
    parts: Annotated[list[PouredShape], Field(min_length=1, max_length=1000)]


class AddAnswer(Answer):
    """What to add of one component."""

    name: str
    amount: float


class RescueAnswer(Answer):
    """What brings the ratio back."""

    within_tolerance: bool
    add: list[AddAnswer]
    total: float


class PotLifeShape(Shape):
    """A pot life, and the temperature that it is asked for."""

    ref_minutes: AboveNought
    ref_temp_c: Temp
    temp_c: Temp
    halves_per_k: AboveNought = 10.0


class PotLifeAnswer(Answer):
    """The pot life at that temperature."""

    minutes: float


@router.post("/mixing/batch")
def mixing_batch(asked: BatchShape) -> BatchAnswer:
    """Pours by volume and on the scale for so much ready mix."""
    recipe = Recipe(
        asked.measure,
        tuple(RecipePart(p.name, p.parts, p.density_g_per_ml, p.volume_solids_pct) for p in asked.parts),
        tuple(Addition(r.name, r.pct, r.of, r.density_g_per_ml) for r in asked.reducers),
    )
    found = batch(recipe, asked.ready_ml, asked.cup_tare_g)
    return BatchAnswer(
        pours=[PourAnswer(name=p.name, ml=p.ml, g=p.g, scale_g=p.scale_g) for p in found.pours],
        ready_ml=found.ready_ml,
        ready_g=found.ready_g,
        volume_solids_pct=found.volume_solids_pct,
        cup_min_ml=found.cup_min_ml,
    )


@router.post("/mixing/rescue")
def mixing_rescue(asked: RescueShape) -> RescueAnswer:
    """What to add after an over-pour; nothing is taken out."""
    found = rescue([p.parts for p in asked.parts], [p.poured for p in asked.parts], asked.tolerance_pct)
    add = [AddAnswer(name=p.name, amount=a) for p, a in zip(asked.parts, found.add, strict=True)]
    return RescueAnswer(within_tolerance=found.within_tolerance, add=add, total=found.total)


@router.post("/mixing/pot-life")
def mixing_pot_life(asked: PotLifeShape) -> PotLifeAnswer:
    """Pot life at another temperature."""
    return PotLifeAnswer(minutes=pot_life(asked.ref_minutes, asked.ref_temp_c, asked.temp_c, asked.halves_per_k))

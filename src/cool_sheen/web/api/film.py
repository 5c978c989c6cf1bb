"""Film and sanding, over JSON."""

from typing import Annotated

from fastapi import APIRouter
from pydantic import Field

from cool_sheen.core.film.build import coats_needed
from cool_sheen.core.film.gauge import judge_readings
from cool_sheen.core.film.ladder import ladder
from cool_sheen.web.api.models import AboveNought, Answer, Name, NotNegative, Shape

router = APIRouter(tags=["film"])


class CoatsShape(Shape):
    """A layer that will be sanded, and what must be left of it."""

    wet_film_um: AboveNought
    volume_solids_pct: Annotated[float, Field(strict=True, allow_inf_nan=False, ge=1e-6, le=100)]
    sanding_um: NotNegative
    reserve_um: NotNegative


class CoatsAnswer(Answer):
    """Dry film of one coat, and how many it takes."""

    dry_um_per_coat: float
    coats: int


class LadderShape(Shape):
    """Where a ladder begins and ends, and what is at hand."""

    from_: Annotated[Name, Field(alias="from")]
    to: Name
    available: Annotated[list[Name], Field(max_length=1000)] | None = None


class RungAnswer(Answer):
    """One step; ``ratio`` is null at the first."""

    grit: str
    mean_um: float
    ratio: float | None
    removal_um: float


class LadderAnswer(Answer):
    """The steps, from coarse to fine."""

    steps: list[RungAnswer]


class ReadingsShape(Shape):
    """What the comb showed, and the product's range."""

    readings_um: Annotated[list[NotNegative], Field(min_length=1, max_length=1000)]
    min_um: AboveNought
    max_um: AboveNought


class ReadingsAnswer(Answer):
    """The verdict, and the places that are far off, from 0."""

    mean_um: float
    verdict: str
    low: list[int]
    high: list[int]


@router.post("/film/wet-readings")
def film_wet_readings(asked: ReadingsShape) -> ReadingsAnswer:
    """Judge wet film readings against a range."""
    found = judge_readings(asked.readings_um, asked.min_um, asked.max_um)
    return ReadingsAnswer(mean_um=found.mean_um, verdict=found.verdict, low=list(found.low), high=list(found.high))


@router.post("/film/coats")
def film_coats(asked: CoatsShape) -> CoatsAnswer:
    """How many coats, so that enough is left after sanding."""
    dry, coats = coats_needed(asked.wet_film_um, asked.volume_solids_pct, asked.sanding_um, asked.reserve_um)
    return CoatsAnswer(dry_um_per_coat=dry, coats=coats)


@router.post("/sanding/ladder")
def sanding_ladder(asked: LadderShape) -> LadderAnswer:
    """The fewest grits from coarse to fine that skip no step."""
    rungs = ladder(asked.from_, asked.to, asked.available)
    return LadderAnswer(
        steps=[RungAnswer(grit=r.grit, mean_um=r.mean_um, ratio=r.ratio, removal_um=r.removal_um) for r in rungs]
    )

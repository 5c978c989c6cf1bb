"""The drying clock, over JSON."""

from datetime import datetime
from typing import Annotated, Literal, Self

from fastapi import APIRouter
from pydantic import Field, model_validator

from cool_sheen.core.drying.clock import DEFAULT_LN_SD, Band, Film, simulate
from cool_sheen.core.drying.phases import likely, phases
from cool_sheen.core.drying.touch import TouchTest, learn
from cool_sheen.core.errors import Inconsistent
from cool_sheen.web.api.models import AboveNought, Answer, At, Climate, ProductShape, Shape, series_of

router = APIRouter(tags=["drying"])


class ClockShape(Shape):
    """A coat and the climate that it sees."""

    start: At
    climate: Climate
    air_movement: Literal["still", "gentle", "booth"]
    wet_film_um: AboveNought
    hardener_speed: Literal["fast", "standard", "slow"] = "standard"
    reducer_speed: Literal["fast", "medium", "slow", "extra_slow"] = "medium"
    ln_factor_mean: Annotated[float, Field(strict=True, allow_inf_nan=False, ge=-10, le=10)] = 0
    ln_factor_sd: Annotated[float, Field(strict=True, allow_inf_nan=False, ge=0, le=5)] = DEFAULT_LN_SD
    product: ProductShape

    def film(self) -> Film:
        """Return the core's film."""
        return Film(
            self.start,
            self.wet_film_um,
            self.hardener_speed,
            self.reducer_speed,
            ln_factor_mean=self.ln_factor_mean,
            ln_factor_sd=self.ln_factor_sd,
        )


class MilestoneAnswer(Answer):
    """When a milestone is reached: 10th, 50th and 90th percentile; null when not in the series' reach."""

    name: str
    early_at: datetime | None
    likely_at: datetime | None
    late_at: datetime | None


class ClockAnswer(Answer):
    """All milestones, in the product's order."""

    milestones: list[MilestoneAnswer]


class PhaseAnswer(Answer):
    """A phase; ``to`` is null when it stays."""

    phase: str
    from_: datetime = Field(alias="from")
    to: datetime | None


class PhasesAnswer(Answer):
    """The phases in order of time."""

    phases: list[PhaseAnswer]


@router.post("/drying/clock")
def clock(asked: ClockShape) -> ClockAnswer:
    """When a coat reaches each milestone of its product, early, likely and late."""
    zone = asked.start.tzinfo

    def local(at: datetime | None) -> datetime | None:
        return at.astimezone(zone) if at else None

    def row(name: str, band: Band) -> MilestoneAnswer:
        return MilestoneAnswer(
            name=name, early_at=local(band.early), likely_at=local(band.likely), late_at=local(band.late)
        )

    bands = simulate(asked.product.data(), series_of(asked.climate), asked.film(), asked.air_movement)
    return ClockAnswer(milestones=[row(name, band) for name, band in bands.items()])


@router.post("/drying/phases")
def drying_phases(asked: ClockShape) -> PhasesAnswer:
    """The next-coat phases of a coat, at the likely times."""
    if asked.product.recoat is None:
        raise Inconsistent("The product needs a recoat rule for its phases.", "product.recoat")
    bands = simulate(asked.product.data(), series_of(asked.climate), asked.film(), asked.air_movement)
    try:
        spans = phases(asked.start, asked.product.recoat.rule(), likely(bands))
    except Inconsistent as error:
        raise Inconsistent(str(error), f"product.{error.field}") from error
    zone = asked.start.tzinfo
    return PhasesAnswer(
        phases=[
            PhaseAnswer.model_validate(
                {
                    "phase": str(span.phase),
                    "from": span.since.astimezone(zone),
                    "to": span.to.astimezone(zone) if span.to else None,
                }
            )
            for span in spans
        ]
    )


Spread = Annotated[float, Field(strict=True, allow_inf_nan=False, ge=1e-4, le=5)]


class TouchShape(Shape):
    """A film that was predicted for one time, and seen not ready or ready at others."""

    predicted_minutes: AboveNought
    not_ready_minutes: AboveNought | None = None
    ready_minutes: AboveNought | None = None

    @model_validator(mode="after")
    def _some_evidence_in_order(self) -> Self:
        if self.not_ready_minutes is None and self.ready_minutes is None:
            raise ValueError("ready_minutes: give not_ready_minutes, ready_minutes, or both")
        if self.not_ready_minutes and self.ready_minutes and self.ready_minutes <= self.not_ready_minutes:
            raise ValueError("ready_minutes: it must come later than not_ready_minutes")
        return self


class TouchTestsShape(Shape):
    """Touch tests of one product in one space."""

    prior_ln_sd: Spread = 0.25
    noise_ln_sd: Spread = 0.10
    tests: Annotated[list[TouchShape], Field(max_length=1000)]


class FactorAnswer(Answer):
    """What is believed about the factor on the product's times."""

    ln_mean: float
    ln_sd: float
    factor_p10: float
    factor_p50: float
    factor_p90: float


@router.post("/drying/touch-tests")
def touch_tests(asked: TouchTestsShape) -> FactorAnswer:
    """What touch tests say about the factor on a product's times."""
    tests = [TouchTest(t.predicted_minutes, t.not_ready_minutes, t.ready_minutes) for t in asked.tests]
    found = learn(tests, asked.prior_ln_sd, asked.noise_ln_sd)
    return FactorAnswer(
        ln_mean=found.ln_mean,
        ln_sd=found.ln_sd,
        factor_p10=found.factor_p10,
        factor_p50=found.factor_p50,
        factor_p90=found.factor_p90,
    )

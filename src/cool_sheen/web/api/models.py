"""The shapes of the contract: units in the names, everything checked, nothing unknown taken."""

from datetime import datetime, timedelta
from typing import Annotated, Literal, Self

from pydantic import AwareDatetime, BaseModel, ConfigDict, Field, PlainSerializer, StrictFloat, StrictInt, model_validator

from cool_sheen.core.climate.series import Series
from cool_sheen.core.drying.milestones import DryingData, Milestone, Mode
from cool_sheen.core.drying.phases import RecoatRule

Figure = Annotated[StrictFloat | StrictInt, Field(allow_inf_nan=False)]


class Shape(BaseModel):
    """A request: unknown fields are refused."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)


class Answer(BaseModel):
    """A response."""


Number = Annotated[float, Field(strict=True, allow_inf_nan=False)]
Temp = Annotated[float, Field(strict=True, allow_inf_nan=False, ge=-100, le=200)]
Humidity = Annotated[float, Field(strict=True, allow_inf_nan=False, ge=0, le=100)]
AboveNought = Annotated[float, Field(strict=True, allow_inf_nan=False, gt=0, le=1e9)]
Name = Annotated[str, Field(strict=True, min_length=1, max_length=200)]


def _text(value: object) -> object:
    if not isinstance(value, str):
        raise ValueError("a time is a text such as 2026-06-08T08:00:00+02:00")
    return value


class At(AwareDatetime):
    """An instant with an offset."""


class ClimatePoint(Shape):
    """One point of a climate series."""

    at: AwareDatetime
    air_temp_c: Temp
    rh_pct: Humidity
    surface_temp_c: Temp | None = None


class MilestoneShape(Shape):
    """One milestone of a product."""

    name: Name
    mode: Mode
    ref_minutes: AboveNought
    activation_kj_per_mol: Annotated[float, Field(strict=True, allow_inf_nan=False, ge=0, le=1000)] | None = None


class RecoatShape(Shape):
    """The recoat rule for what follows, naming milestones."""

    opens: Name
    closes: Name | None = None
    lifts_until: Name | None = None
    sand: Name | None = None
    redissolves: bool = False

    def rule(self) -> RecoatRule:
        """Return the core's rule."""
        return RecoatRule(self.opens, self.closes, self.lifts_until, self.sand, self.redissolves)


class ProductShape(Shape):
    """What the clock needs of a product."""

    ref_temp_c: Temp
    ref_rh_pct: Humidity
    ref_wet_film_um: AboveNought
    stall_temp_c: Temp | None = None
    min_film_forming_temp_c: Temp | None = None
    milestones: Annotated[list[MilestoneShape], Field(min_length=1, max_length=1000)]
    recoat: RecoatShape | None = None

    @model_validator(mode="after")
    def _names_once(self) -> Self:
        names = [m.name for m in self.milestones]
        if len(set(names)) < len(names):
            raise ValueError("milestones: each name may stand once only")
        return self

    def data(self) -> DryingData:
        """Return the core's data."""
        return DryingData(
            ref_temp_c=self.ref_temp_c,
            ref_rh_pct=self.ref_rh_pct,
            ref_wet_film_um=self.ref_wet_film_um,
            milestones=tuple(
                Milestone(m.name, m.mode, m.ref_minutes, m.activation_kj_per_mol) for m in self.milestones
            ),
            stall_temp_c=self.stall_temp_c,
            min_film_forming_temp_c=self.min_film_forming_temp_c,
        )

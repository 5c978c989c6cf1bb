"""The shapes of the contract: units in the names, everything checked, nothing unknown taken."""

from datetime import UTC, datetime
from typing import Annotated, Self

from pydantic import AfterValidator, AwareDatetime, BaseModel, BeforeValidator, ConfigDict, Field, model_validator

from cool_sheen.core.climate.series import Series
from cool_sheen.core.drying.milestones import DryingData, Mode
from cool_sheen.core.drying.phases import RecoatRule


class Shape(BaseModel):
    """A request: unknown fields are refused."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)


class Answer(BaseModel):
    """A response."""


Number = Annotated[float, Field(strict=True, allow_inf_nan=False)]
Temp = Annotated[float, Field(strict=True, allow_inf_nan=False, ge=-100, le=200)]
Humidity = Annotated[float, Field(strict=True, allow_inf_nan=False, ge=0, le=100)]
AboveNought = Annotated[float, Field(strict=True, allow_inf_nan=False, ge=1e-6, le=1e9)]
NotNegative = Annotated[float, Field(strict=True, allow_inf_nan=False, ge=0, le=1e9)]
Percentage = Annotated[float, Field(strict=True, allow_inf_nan=False, ge=0, le=100)]
Name = Annotated[str, Field(strict=True, min_length=1, max_length=200)]


Switch = Annotated[bool, Field(strict=True)]


def _whole(value: object) -> object:
    """A JSON number has no kinds: 2.0 is as whole as 2."""
    return int(value) if isinstance(value, float) and value.is_integer() else value


Count = Annotated[int, BeforeValidator(_whole), Field(strict=True, ge=0, le=10_000)]
EARLIEST, LATEST = datetime(1900, 1, 1, tzinfo=UTC), datetime(2200, 1, 1, tzinfo=UTC)


def _is_text(value: object) -> object:
    if not isinstance(value, str):
        raise ValueError("a time is a text such as 2026-06-08T08:00:00+02:00")
    return value


def _in_our_time(value: datetime) -> datetime:
    if not EARLIEST <= value <= LATEST:
        raise ValueError("times from 1900 to 2200 are read")
    return value


At = Annotated[AwareDatetime, BeforeValidator(_is_text), AfterValidator(_in_our_time)]


class ClimatePoint(Shape):
    """One point of a climate series."""

    at: At
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
    redissolves: Switch = False

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
        return DryingData.of(self)


def series_of(points: list[ClimatePoint]) -> Series:
    """Return a climate series. Raises CoreError for times that do not ascend."""
    return Series.of(
        [p.at for p in points],
        [p.air_temp_c for p in points],
        [p.rh_pct for p in points],
        [p.surface_temp_c for p in points],
    )


Climate = Annotated[list[ClimatePoint], Field(min_length=1, max_length=10_000)]

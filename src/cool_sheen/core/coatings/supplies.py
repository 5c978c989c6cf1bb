"""What stands beside the coatings on the shelf: reducers, hardeners, additives, strippers, cleaners, abrasives."""

from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from cool_sheen.core.coatings.families import Family
from cool_sheen.core.coatings.sheet_fields import (
    GritName,
    Key,
    Positive,
    ReducerSpeed,
    Speed,
    Strict,
    Temperature,
    Text,
)
from cool_sheen.core.drying.blend import OwnHardener
from cool_sheen.core.drying.milestones import Mode

SupplyKind = Literal["reducer", "hardener", "retarder", "accelerator", "stripper", "cleaner", "abrasive", "grit"]
SUPPLY_WORDS: dict[str, str] = {
    "reducer": "reducer", "hardener": "hardener", "retarder": "retarder", "accelerator": "accelerator",
    "stripper": "stripper", "cleaner": "cleaner", "abrasive": "abrasive", "grit": "anti-slip grit",
}  # fmt: skip
_DOSED = ("retarder", "accelerator")


class Supply(Strict):
    """A thing that is used up and leaves no film. Doses are ml for a litre of ready mix."""

    key: Key
    name: Text
    kind: SupplyKind
    note: Text = "no note"
    source: Text
    families: tuple[Family, ...] = ()
    hardener_speed: Speed | None = None
    reducer_speed: ReducerSpeed | None = None
    used_by: Literal["any", "spray", "brush"] = "any"
    best_from_c: Temperature | None = None
    best_to_c: Temperature | None = None
    density_g_per_ml: Positive | None = None
    dose_ml_per_l: Positive | None = None
    max_dose_ml_per_l: Positive | None = None
    measured_in: Text | None = None  # a capful, a drop: what the dose is counted in, with its ml
    ml_each: Positive | None = None
    keeps_days_opened: Annotated[int, Field(ge=1, le=10_000)] | None = None
    time_factor: Annotated[float, Field(gt=0, le=10, allow_inf_nan=False)] | None = None
    acts_on: Mode | None = None  # which times a dose moves: a retarder those of solvent, an accelerator the reaction
    speed_factor: Annotated[float, Field(gt=0, le=10, allow_inf_nan=False)] | None = None  # a hardener's own
    stall_temp_c: Temperature | None = None
    air_min_c: Temperature | None = None
    air_max_c: Temperature | None = None
    dwell_minutes: Positive | None = None
    grits: tuple[GritName, ...] = ()
    grain_mm: Positive | None = None
    cautions: tuple[Key, ...] = ()

    @model_validator(mode="after")
    def _by_kind(self) -> Self:
        wanted = {
            "hardener": ("hardener_speed",),
            "reducer": ("reducer_speed",),
            "abrasive": ("grits",),
            "grit": ("grain_mm",),
            "retarder": ("dose_ml_per_l", "max_dose_ml_per_l", "time_factor"),
            "accelerator": ("dose_ml_per_l", "max_dose_ml_per_l", "time_factor"),
        }
        if missing := [name for name in wanted.get(self.kind, ()) if not getattr(self, name)]:
            raise ValueError(f"say {', '.join(missing)} of this {SUPPLY_WORDS[self.kind]}")
        if self.kind in _DOSED and (self.dose_ml_per_l or 0) > (self.max_dose_ml_per_l or 0):
            raise ValueError("dose_ml_per_l must not be over max_dose_ml_per_l")
        if (self.measured_in is None) != (self.ml_each is None):
            raise ValueError("measured_in and ml_each belong together")
        if self.best_from_c is not None and self.best_to_c is not None and self.best_from_c >= self.best_to_c:
            raise ValueError("the temperatures between which it is best must ascend")
        if self.air_min_c is not None and self.air_max_c is not None and self.air_min_c >= self.air_max_c:
            raise ValueError("the temperatures between which it works must ascend")
        return self

    @property
    def moves(self) -> Mode:
        """The drying mode whose times a dose of it moves."""
        return self.acts_on or (Mode.SOLVENT if self.kind == "retarder" else Mode.REACTIVE)

    @property
    def own(self) -> OwnHardener | None:
        """What a hardener says of itself; None where it goes by the sheet."""
        said = OwnHardener(self.stall_temp_c, self.air_min_c, self.air_max_c, self.speed_factor)
        return None if said == OwnHardener() else said

"""What stands beside the coatings on the shelf: reducers, hardeners, additives, strippers, cleaners, abrasives."""

from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from cool_sheen.core.coatings.families import Family
from cool_sheen.core.coatings.sheet_fields import (
    Basis,
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
_CALLED = {
    "hardener_speed": "speed", "reducer_speed": "speed", "grits": "grits", "grain_mm": "grain",
    "dose_ml_per_l": "usual dose", "max_dose_ml_per_l": "largest dose", "time_factor": "factor on the times",
}  # fmt: skip
_DOSED = ("retarder", "accelerator")


class BlendPart(Strict):
    """A grain of a blend of grit, and how many parts of it there are to one of the grain that it is called by."""

    grain_mm: Positive
    parts: Positive


class Supply(Strict):
    """A thing that is used up and leaves no film. Doses are ml for a litre of what ``dose_of`` says."""

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
    dose_of: Basis = "ready"
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
    blend: Annotated[tuple[BlendPart, ...], Field(max_length=8)] = ()  # of grit: other grains in it, by parts
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
            said = " and ".join(_CALLED[name] for name in missing)
            raise ValueError(f"say the {said} of this {SUPPLY_WORDS[self.kind]}")
        if self.kind in _DOSED and (self.dose_ml_per_l or 0) > (self.max_dose_ml_per_l or 0):
            raise ValueError("the usual dose must not be over the most")
        if (self.measured_in is None) != (self.ml_each is None):
            raise ValueError("what a dose is counted in, and how much that is, belong together")
        if self.blend and self.kind != "grit":
            raise ValueError("only grit is a blend")
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

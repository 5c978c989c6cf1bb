"""A product's data as the shop keeps them: everything that the calculators need, checked when it is read."""

import hashlib
from typing import Annotated, Literal, Self

from pydantic import BaseModel, ConfigDict, Field, StringConstraints, model_validator

from cool_sheen.core.climate.gates import Limits
from cool_sheen.core.drying.milestones import WORDS, DryingData, Mode
from cool_sheen.core.drying.phases import RecoatRule

Key = Annotated[str, StringConstraints(pattern=r"^[a-z0-9][a-z0-9_-]{0,60}$")]
Text = Annotated[str, StringConstraints(min_length=1, max_length=200)]
Positive = Annotated[float, Field(gt=0, le=1e6, allow_inf_nan=False)]
Share = Annotated[float, Field(ge=0, le=100, allow_inf_nan=False)]
Temperature = Annotated[float, Field(ge=-100, le=200, allow_inf_nan=False)]

Family = Literal[
    "epoxy_2k", "urethane_2k", "polyester_2k", "acid_etch", "primer_1k", "enamel_1k", "lacquer", "dope",
    "basecoat_solvent", "basecoat_water", "acrylic_water", "casein_paint", "shellac", "high_heat", "stain_solid",
    "membrane", "filler_polyester", "filler_epoxy",
]  # fmt: skip
Role = Literal["primer", "surfacer", "sealer", "colour", "single_stage", "clear"]

FAMILY_WORDS: dict[str, str] = {
    "epoxy_2k": "two-pack epoxy", "urethane_2k": "two-pack urethane", "polyester_2k": "two-pack polyester",
    "acid_etch": "acid etch primer", "primer_1k": "one-pack primer", "enamel_1k": "one-pack enamel",
    "lacquer": "lacquer", "dope": "dope", "basecoat_solvent": "solvent basecoat",
    "basecoat_water": "waterborne basecoat",
    "acrylic_water": "waterborne acrylic", "casein_paint": "casein paint", "shellac": "shellac",
    "high_heat": "high-heat coating", "stain_solid": "solid stain", "membrane": "membrane",
    "filler_polyester": "polyester filler", "filler_epoxy": "epoxy filler",
}  # fmt: skip


class Strict(BaseModel):
    """Frozen, and without room for fields that nobody knows."""

    model_config = ConfigDict(extra="forbid", frozen=True)


class MilestoneData(Strict):
    """One milestone on a product sheet: minutes at the reference climate and film."""

    name: Key
    mode: Mode
    ref_minutes: Positive
    activation_kj_per_mol: Annotated[float, Field(ge=0, le=500, allow_inf_nan=False)] | None = None


class WindowData(Strict):
    """A recoat rule and what must follow for it to hold: ``itself``, a family, or ``any``."""

    follows: Literal["any", "itself"] | Family = "any"
    opens: Key
    closes: Key | None = None
    lifts_until: Key | None = None
    sand: Key | None = None
    redissolves: bool = False

    def rule(self) -> RecoatRule:
        """Return the rule without its condition."""
        return RecoatRule(self.opens, self.closes, self.lifts_until, self.sand, self.redissolves)


class LimitData(Strict):
    """The climate that a product asks for while it is open."""

    air_min_c: Temperature
    air_max_c: Temperature
    rh_max_pct: Share
    rh_min_pct: Share = 0
    surface_min_c: Temperature | None = None
    surface_max_c: Temperature | None = None
    dew_margin_k: Annotated[float, Field(ge=0, le=20)] = 3.0

    @model_validator(mode="after")
    def _ascending(self) -> Self:
        if self.air_min_c >= self.air_max_c:
            raise ValueError("air_min_c must be under air_max_c")
        return self

    def limits(self) -> Limits:
        """Return the gate's limits; a surface without its own goes by the air's."""
        return Limits(
            air_c=(self.air_min_c, self.air_max_c),
            surface_c=(
                self.air_min_c if self.surface_min_c is None else self.surface_min_c,
                self.air_max_c if self.surface_max_c is None else self.surface_max_c,
            ),
            rh_pct=(self.rh_min_pct, self.rh_max_pct),
            dew_margin_k=self.dew_margin_k,
        )


class MixPart(Strict):
    """One component of the mix."""

    name: Text
    parts: Positive
    density_g_per_ml: Positive


class ReducerData(Strict):
    """How far a product may be thinned, and what the percentage is of."""

    name: Text
    max_pct: Share
    of: Literal["mixed", "paint", "ready"]
    usual_pct: Share = 0


class MixData(Strict):
    """How the ready mix is made."""

    measure: Literal["volume", "weight"] = "volume"
    parts: Annotated[tuple[MixPart, ...], Field(min_length=1)]
    reducer: ReducerData | None = None
    induction_minutes: Annotated[float, Field(ge=0, le=240)] = 0
    pot_life_minutes: Positive | None = None
    strainer_um: Positive | None = None

    @property
    def ratio(self) -> str:
        """The ratio as painters write it, such as ``4 : 1``."""
        return " : ".join(f"{part.parts:g}" for part in self.parts)


class Product(Strict):
    """One coating on the shelf. The drying times are those of the ready mix at the reference climate."""

    key: Key
    name: Text
    family: Family
    role: Role
    swatch: Annotated[str, StringConstraints(pattern=r"^#[0-9a-f]{6}$")]
    note: Text = "no note"
    source: Text
    volume_solids_pct: Annotated[float, Field(gt=0, le=100)]
    wet_film_min_um: Positive
    wet_film_max_um: Positive
    ref_temp_c: Temperature
    ref_rh_pct: Share
    ref_wet_film_um: Positive
    stall_temp_c: Temperature | None = None
    min_film_forming_temp_c: Temperature | None = None
    milestones: Annotated[tuple[MilestoneData, ...], Field(min_length=1, max_length=40)]
    windows: Annotated[tuple[WindowData, ...], Field(min_length=1, max_length=20)]
    limits: LimitData
    mix: MixData
    key_grit: Text = "P400"
    coats_a_day: Annotated[int, Field(ge=1, le=20)] | None = None
    nozzle_mm: tuple[Positive, Positive] | None = None
    never_sanded: bool = False
    first_coat: Text = "a first coat that looks thin is often right"
    cautions: tuple[Key, ...] = ()

    @model_validator(mode="after")
    def _sound(self) -> Self:
        names = [m.name for m in self.milestones]
        if len(set(names)) < len(names):
            raise ValueError("each milestone may stand once only")
        if unknown := [n for n in names if n not in WORDS]:
            raise ValueError(f"no such milestone: {', '.join(unknown)}")
        for window in self.windows:
            if missing := [n for n in window.rule().names().values() if n not in names]:
                raise ValueError(f"a window names {', '.join(missing)}, which is no milestone of this product")
        if self.wet_film_min_um > self.wet_film_max_um:
            raise ValueError("wet_film_min_um must not be over wet_film_max_um")
        return self

    @property
    def drying(self) -> DryingData:
        """What the clock needs."""
        return DryingData.of(self)

    def rule_for(self, following: "Product | None") -> RecoatRule:
        """Return the recoat rule kept by what follows: itself first, then its family, then anything."""
        wanted = ["any"]
        if following is not None:
            wanted = (["itself"] if following.key == self.key else []) + [following.family, "any"]
        for name in wanted:
            for window in self.windows:
                if window.follows == name:
                    return window.rule()
        return self.windows[0].rule()

    @property
    def content_hash(self) -> str:
        """SHA-256 of the data; the name of a revision."""
        return hashlib.sha256(self.model_dump_json().encode()).hexdigest()


class Caution(Strict):
    """A warning that is shown where the work can hurt."""

    key: Key
    title: Text
    text: Annotated[str, StringConstraints(min_length=1, max_length=600)]


SAFETY_FOOTING = "The safety data sheet, local codes and licensed practice decide."

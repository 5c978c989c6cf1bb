"""Guns and tools as the shop has them: what they ask of the air, what they lay down, which controls they have."""

from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from cool_sheen.core.coatings.families import Family, Role
from cool_sheen.core.coatings.sheet_fields import Key, Method, Positive, Strict, Text

Place = Literal["cap", "inlet", "regulator", "compressor"]
State = Literal["rest", "air_only", "pulled"]
PLACE_WORDS: dict[str, str] = {
    "cap": "at the air cap", "inlet": "at the gun's inlet", "regulator": "at the regulator",
    "compressor": "at the compressor",
}  # fmt: skip
STATE_WORDS: dict[str, str] = {
    "rest": "trigger released", "air_only": "air only, first stop", "pulled": "trigger pulled",
}  # fmt: skip
Nozzle = Annotated[float, Field(ge=0.1, le=12, allow_inf_nan=False)]  # mm; a hopper gun for texture has the widest
Source = Literal["compressor", "turbine", "pump", "none"]


class Band(Strict):
    """A pressure from which to start, where and in which state it is read. [bar]"""

    place: Place
    state: State
    low: Positive
    usual: Positive
    high: Positive

    @model_validator(mode="after")
    def _ascends(self) -> Self:
        if not self.low <= self.usual <= self.high:
            raise ValueError("a starting pressure lies between its least and its most")
        return self


class Tip(Strict):
    """An airless tip: its opening and the fan that it makes. [mm]"""

    orifice_mm: Nozzle
    fan_mm: Positive


class Control(Strict):
    """A control of the gun: how it is opened from closed, and what is then to be seen."""

    name: Text
    opens: Text
    see: Text


class GunType(Strict):
    """A kind of gun or tool.

    Attributes:
        demand_l_per_min: Free air with the trigger pulled at the usual starting pressure. [l/min]
        air_only_share: Share of that at the trigger's first stop. [1]
        cap_share: Pressure at the air cap by that at the inlet; None where a cap gauge says nothing. [1]
        cap_most_bar: Most at the cap that this kind of gun is called by. [bar]
        least_bar: Below it, where the starting pressure is read, it does not atomise. [bar]
        flow_ml_per_min: Paint through the nozzle of ``flow_nozzle_mm`` with its controls open. [ml/min]
        fan_mm: Width of the fan at the usual distance. [mm]
        screen_um: Mesh of the screen in the gun or its cup; None where there is none. [um]
    """

    key: Key
    name: Text
    method: Method
    source: Source = "none"
    feed: Literal["gravity", "suction", "pressure", "pump", "can", "hand"] = "hand"
    start: Band | None = None
    least_bar: Positive | None = None
    demand_l_per_min: Positive | None = None
    air_only_share: Annotated[float, Field(gt=0, le=1)] = 1.0
    cap_share: Annotated[float, Field(gt=0, le=1)] | None = None
    cap_most_bar: Positive | None = None
    nozzles_mm: tuple[Nozzle, ...] = ()
    tips: tuple[Tip, ...] = ()
    flow_ml_per_min: Positive | None = None
    flow_nozzle_mm: Nozzle | None = None
    fan_mm: Positive | None = None
    distance_mm: tuple[Positive, Positive, Positive] | None = None
    screen_um: Positive | None = None
    controls: tuple[Control, ...] = ()
    cautions: tuple[Key, ...] = ()
    note: Text = "no note"

    @property
    def sprays(self) -> bool:
        """Whether it lays paint down through the air."""
        return self.feed != "hand"

    @property
    def openings(self) -> tuple[float, ...]:
        """Nozzles or tips that there are for it. [mm]"""
        return self.nozzles_mm or tuple(tip.orifice_mm for tip in self.tips)


class OwnGun(Strict):
    """A gun of the shop: a name, its kind, and what is known better than the kind does."""

    name: Text
    type: Key
    nozzles_mm: Annotated[tuple[Nozzle, ...], Field(max_length=12)] = ()
    start_bar: Positive | None = None
    demand_l_per_min: Positive | None = None
    flow_ml_per_min: Positive | None = None
    fan_mm: Positive | None = None
    screen_um: Positive | None = None
    no_screen: bool = False

    def of(self, kind: GunType) -> GunType:
        """The kind of gun with what is known better of this one."""
        known = self.model_dump(
            exclude_none=True, include={"demand_l_per_min", "flow_ml_per_min", "fan_mm", "screen_um"}
        )
        if self.no_screen:
            known["screen_um"] = None
        if self.nozzles_mm and kind.nozzles_mm:
            known["nozzles_mm"] = self.nozzles_mm
        if self.nozzles_mm and kind.tips:
            fan = {tip.orifice_mm: tip.fan_mm for tip in kind.tips}
            widest = max(fan.values())
            known["tips"] = tuple(Tip(orifice_mm=mm, fan_mm=fan.get(mm, widest)) for mm in self.nozzles_mm)
        if self.start_bar is not None and kind.start is not None:
            known["start"] = kind.start.model_copy(
                update={
                    "usual": self.start_bar,
                    "low": min(kind.start.low, self.start_bar),
                    "high": max(kind.start.high, self.start_bar),
                }
            )
        return kind.model_copy(update=known | {"name": self.name})


class AirSupply(Strict):
    """The compressor of the shop, its tank, its hose and what cleans the air on the way.

    Attributes:
        tank_l: What the tank holds. [l]
        fad_l_per_min: Free air delivery: what it really gives, not what it takes in. [l/min]
        treatment_bar: What filter, dryer and regulator take of the pressure. [bar]
        line_over_k: By how much the air in the line is warmer than the air taken in. [K]
        bowl_ml: What the bowl of the water trap holds. [ml]
    """

    tank_l: Annotated[float, Field(gt=0, le=5000, allow_inf_nan=False)]
    cut_in_bar: Annotated[float, Field(gt=0, le=40, allow_inf_nan=False)]
    cut_out_bar: Annotated[float, Field(gt=0, le=40, allow_inf_nan=False)]
    fad_l_per_min: Annotated[float, Field(gt=0, le=20_000, allow_inf_nan=False)]
    hose_m: Annotated[float, Field(ge=0, le=200, allow_inf_nan=False)] = 10.0
    hose_bore_mm: Annotated[float, Field(gt=1, le=60, allow_inf_nan=False)] = 9.0
    treatment_bar: Annotated[float, Field(ge=0, le=3, allow_inf_nan=False)] = 0.3
    line_over_k: Annotated[float, Field(ge=-40, le=80, allow_inf_nan=False)] = 5.0
    bowl_ml: Annotated[float, Field(gt=0, le=5000, allow_inf_nan=False)] = 50.0

    @model_validator(mode="after")
    def _ascends(self) -> Self:
        if not self.cut_in_bar < self.cut_out_bar:
            raise ValueError("a compressor cuts in below the pressure at which it cuts out")
        return self


class Technique(Strict):
    """How a tool is led with products of some families and roles; empty: with all."""

    methods: tuple[Method, ...]
    families: tuple[Family, ...] = ()
    roles: tuple[Role, ...] = ()
    says: Annotated[tuple[Text, ...], Field(min_length=1)]

    def fits(self, method: str, family: str, role: str) -> bool:
        """Whether it speaks of this product and tool."""
        return (
            method in self.methods
            and (not self.families or family in self.families)
            and (not self.roles or role in self.roles)
        )


class Opening(Strict):
    """Nozzles, or airless tips, by what is sprayed; the first that fits. [mm]"""

    families: tuple[Family, ...] = ()
    roles: tuple[Role, ...] = ()
    nozzle_mm: tuple[Nozzle, Nozzle]
    tip_mm: tuple[Nozzle, Nozzle]

    def fits(self, family: str, role: str) -> bool:
        """Whether it speaks of this product."""
        return (not self.families or family in self.families) and (not self.roles or role in self.roles)


class Check(Strict):
    """One thing to look at when a gun misbehaves: how long it takes, what to do, what it is when it helps."""

    at: Literal["paint", "control", "air", "screen", "tip", "tube", "cup", "packing"]
    minutes: Positive
    do: Text
    then: Text


class Fault(Strict):
    """How a gun misbehaves, and what to look at; ``sources`` are the kinds of air that it speaks of."""

    key: Key
    name: Text
    looks: Text
    sources: tuple[Source, ...]
    checks: Annotated[tuple[Check, ...], Field(min_length=1, max_length=12)]

    def in_order(self) -> tuple[Check, ...]:
        """Its checks, the cheapest first."""
        return tuple(sorted(self.checks, key=lambda check: check.minutes))


class Armoury(Strict):
    """All that ships about guns."""

    guns: tuple[GunType, ...]
    techniques: tuple[Technique, ...]
    openings: tuple[Opening, ...]
    faults: tuple[Fault, ...]

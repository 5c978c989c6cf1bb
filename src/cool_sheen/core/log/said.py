"""What payloads of the log share: fields that were added later, words and amounts, what is said of a mix."""

from dataclasses import asdict
from typing import Annotated, Any, ClassVar, Literal

from pydantic import Field, SerializerFunctionWrapHandler, model_serializer

from cool_sheen.core.coatings.sheet_fields import Strict
from cool_sheen.core.drying.blend import Blend, OwnHardener, doses_of
from cool_sheen.core.drying.milestones import Mode

ShortText = Annotated[str, Field(max_length=200)]
LongText = Annotated[str, Field(max_length=4000)]
Amount = Annotated[float, Field(ge=0, le=1e6, allow_inf_nan=False)]


class Grown(Strict):
    """A payload that got more fields: an entry that does not use them reads, and hashes, as it did before."""

    _GROWN: ClassVar[tuple[str, ...]] = ()

    @model_serializer(mode="wrap")
    def _as_ever(self, handler: SerializerFunctionWrapHandler) -> dict[str, Any]:
        data: dict[str, Any] = handler(self)
        return {name: value for name, value in data.items() if value or name not in self._GROWN}


class HardenerSaid(Strict):
    """What the hardener of a mix said of itself when it was mixed."""

    stall_temp_c: Annotated[float, Field(ge=-100, le=200)] | None = None
    air_min_c: Annotated[float, Field(ge=-100, le=200)] | None = None
    air_max_c: Annotated[float, Field(ge=-100, le=200)] | None = None
    factor: Annotated[float, Field(gt=0, le=10, allow_inf_nan=False)] | None = None

    def own(self) -> OwnHardener:
        """Return it as clock and gate take it."""
        return OwnHardener(self.stall_temp_c, self.air_min_c, self.air_max_c, self.factor)


class Blended(Grown):
    """What an entry says of a mix: its speeds, its doses by drying mode, and what its hardener says of itself.

    ``time_factor`` is on all times: entries of before know no more.
    """

    hardener_speed: Literal["fast", "standard", "slow"] = "standard"
    reducer_speed: Literal["fast", "medium", "slow", "extra_slow"] = "medium"
    time_factor: Annotated[float, Field(gt=0, le=10, allow_inf_nan=False)] = 1.0
    doses: dict[Mode, Annotated[float, Field(gt=0, le=100, allow_inf_nan=False)]] = Field(default_factory=dict)
    own_hardener: HardenerSaid | None = None

    _GROWN: ClassVar[tuple[str, ...]] = ("doses", "own_hardener")

    @property
    def blend(self) -> Blend:
        """The mix, as far as clock and gate care."""
        hardener = self.own_hardener.own() if self.own_hardener else None
        return Blend(self.hardener_speed, self.reducer_speed, doses_of(self.doses), hardener, self.time_factor)


def blended(blend: Blend) -> dict[str, Any]:
    """Return a mix as an entry says it."""
    return {
        "hardener_speed": blend.hardener_speed,
        "reducer_speed": blend.reducer_speed,
        "time_factor": blend.factor,
        "doses": {mode.value: factor for mode, factor in blend.doses},
        "own_hardener": asdict(blend.hardener) if blend.hardener else None,
    }

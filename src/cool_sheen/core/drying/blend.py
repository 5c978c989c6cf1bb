"""What of a mix the clock and the gate mind: hardener and reducer, and what doses do to which drying mode."""

from collections.abc import Mapping
from dataclasses import dataclass, replace

from cool_sheen.core.climate.gates import Limits
from cool_sheen.core.drying.milestones import HARDENER_FACTOR, DryingData, Mode
from cool_sheen.core.units import Celsius

Doses = tuple[tuple[Mode, float], ...]


@dataclass(frozen=True, slots=True)
class OwnHardener:
    """What a hardener says of itself: where it stalls, in which air it works, how fast. None: as the sheet."""

    stall_temp_c: Celsius | None = None
    air_min_c: Celsius | None = None
    air_max_c: Celsius | None = None
    factor: float | None = None  # on reactive times, in place of its speed's


@dataclass(frozen=True, slots=True)
class Blend:
    """A mix, as far as clock and gate care. ``factor`` is on all times: entries of before know no more."""

    hardener_speed: str = "standard"
    reducer_speed: str = "medium"
    doses: Doses = ()
    hardener: OwnHardener | None = None
    factor: float = 1.0

    @property
    def reactive_factor(self) -> float:
        """What hardener and catalyst do to the pot life: the reaction alone. [1]

        Source: docs/trade.md, Mixing.
        """
        own = self.hardener.factor if self.hardener else None
        speed = HARDENER_FACTOR[self.hardener_speed] if own is None else own
        return speed * dict(self.doses).get(Mode.REACTIVE, 1.0) * self.factor


AS_USUAL = Blend()


def doses_of(said: Mapping[Mode, float]) -> Doses:
    """Return doses as an entry has them."""
    return tuple(sorted(said.items()))


def drying_with(data: DryingData, hardener: OwnHardener | None) -> DryingData:
    """The times of a sheet with a hardener that stalls elsewhere."""
    if hardener is None or hardener.stall_temp_c is None:
        return data
    return replace(data, stall_temp_c=hardener.stall_temp_c)


def limits_with(limits: Limits, hardener: OwnHardener | None) -> Limits:
    """The limits of a sheet with a hardener that has its own: they are of the air and of the surface.

    Source: docs/trade.md, Mixing.
    """
    if hardener is None or (hardener.air_min_c is None and hardener.air_max_c is None):
        return limits
    low = limits.air_c[0] if hardener.air_min_c is None else hardener.air_min_c
    high = limits.air_c[1] if hardener.air_max_c is None else hardener.air_max_c
    cold = limits.surface_c[0] if hardener.air_min_c is None else low
    hot = limits.surface_c[1] if hardener.air_max_c is None else high
    return replace(limits, air_c=(low, high), surface_c=(cold, hot))

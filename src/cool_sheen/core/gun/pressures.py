"""A pressure means nothing without its place and its state: all of them, from any one that was read."""

from collections.abc import Callable
from dataclasses import dataclass

from cool_sheen.core.errors import Inconsistent
from cool_sheen.core.gun.air import ATMOSPHERE_BAR, hose_feed
from cool_sheen.core.gun.guns import AirSupply, GunType, Place, State
from cool_sheen.core.units import Bar

_MOST_BAR, _HALVINGS = 40.0, 60
_SECONDS_PER_MINUTE = 60
NO_HOSE = AirSupply(tank_l=1, cut_in_bar=1, cut_out_bar=2, fad_l_per_min=1, hose_m=0, treatment_bar=0)


@dataclass(frozen=True, slots=True)
class Pressures:
    """Pressure by place and state; None where a gauge there says nothing. [bar]

    Attributes:
        regulator_bar: The same in every state: it holds what it is set to.
        inlet_bar: By state.
        cap_bar: By state.
        compressor_bar: Least that has to stand in the tank.
        hose_bar: What the hose takes, by state.
        demand_l_per_min: Free air, by state. [l/min]
    """

    regulator_bar: Bar
    inlet_bar: dict[State, Bar]
    cap_bar: dict[State, Bar | None]
    compressor_bar: Bar
    hose_bar: dict[State, Bar]
    demand_l_per_min: dict[State, float]

    def at(self, place: Place, state: State) -> Bar | None:
        """What a gauge shows at a place in a state; None where none says anything. [bar]"""
        if place == "inlet":
            return self.inlet_bar[state]
        if place == "cap":
            return self.cap_bar[state]
        return self.regulator_bar if place == "regulator" else self.compressor_bar


def demand(gun: GunType, inlet_bar: Bar, share: float = 1.0) -> float:
    """Free air that a gun takes at a pressure of its inlet.

    Args:
        gun: With its demand at the usual starting pressure.
        inlet_bar: At the inlet while the air flows. [bar]
        share: Of the full opening of its air valve. [1]

    Returns: Free air. [l/min]
    Source: docs/trade.md, Gun: air through a gun goes by the absolute pressure at its inlet.
    """
    usual = gun.start.usual + ATMOSPHERE_BAR if gun.start else 1.0
    return share * (gun.demand_l_per_min or 0.0) * (inlet_bar + ATMOSPHERE_BAR) / usual


def pressures(gun: GunType, air: AirSupply | None, bar: Bar, place: Place, state: State) -> Pressures:
    """Work out the pressures at all places and in all states from one that was read.

    Args:
        gun: The gun, fed by a compressor.
        air: What feeds it; without it no hose takes anything.
        bar: What the gauge showed. [bar]
        place: Where it was read.
        state: In which state.

    Raises: Inconsistent: a gauge that says nothing there, or more than any regulator gives.
    Source: docs/trade.md, Gun: the loss of a hose, and what a gun takes by its pressure.
    """
    line = air or NO_HOSE
    if place == "compressor":
        raise Inconsistent("What stands in the tank is behind the regulator: read it at the regulator.", "place")
    if place == "cap" and (gun.cap_share is None or state == "rest"):
        raise Inconsistent("A gauge at the air cap says nothing there: read it at the gun's inlet.", "place")
    share: dict[State, float] = {"rest": 0.0, "air_only": gun.air_only_share, "pulled": 1.0}

    def feed(inlet: Bar, of: State) -> Bar:
        return hose_feed(demand(gun, inlet, share[of]) / _SECONDS_PER_MINUTE, line.hose_m, line.hose_bore_mm, inlet)

    regulator = bar
    if place != "regulator":
        inlet = bar / (gun.cap_share or 1.0) if place == "cap" else bar
        regulator = feed(inlet, state)
    if regulator > _MOST_BAR:
        raise Inconsistent(f"No regulator gives {regulator:.0f} bar: enter a lower pressure.", "bar")
    at = {of: _solved(lambda p, of=of: feed(p, of), regulator) for of in share}  # type: ignore[misc]
    return Pressures(
        regulator,
        at,
        {of: gun.cap_share * p if gun.cap_share and of != "rest" else None for of, p in at.items()},
        regulator + line.treatment_bar,
        {of: regulator - p for of, p in at.items()},
        {of: demand(gun, p, share[of]) for of, p in at.items()},
    )


def _solved(feed: Callable[[Bar], Bar], regulator_bar: Bar) -> Bar:
    """The pressure at the inlet for which the hose asks what the regulator gives: it grows with it. [bar]"""
    low, high = 0.0, regulator_bar
    if feed(low) >= regulator_bar:
        return 0.0
    for _ in range(_HALVINGS):
        middle = (low + high) / 2
        low, high = (middle, high) if feed(middle) < regulator_bar else (low, middle)
    return high

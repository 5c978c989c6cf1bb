"""What is to be said of a set-up: its pressure, the air that feeds it, and what the pauses of a small tank do."""

import math
from dataclasses import dataclass

from cool_sheen.core.errors import OutOfRange
from cool_sheen.core.gun.air import Duty
from cool_sheen.core.gun.fitting import Finding
from cool_sheen.core.gun.guns import PLACE_WORDS, STATE_WORDS, AirSupply, GunType, Place, State
from cool_sheen.core.gun.pressures import Pressures
from cool_sheen.core.units import Bar, Millilitres, Minutes, Seconds

_ROUNDING_BAR = 0.005  # half of what a gauge and a page show


def judge_start(gun: GunType, bar: Bar) -> Finding:
    """Judge the pressure where the kind of gun is set by it, and in that state.

    Args:
        gun: The gun, with the band from which it starts.
        bar: There. [bar]

    Raises: OutOfRange: a tool that has no pressure.
    Source: docs/trade.md, Gun: too low is orange peel, too high is dry spray and waste.
    """
    if gun.start is None:
        raise OutOfRange("This tool has no pressure to be set.", "bar")
    band = gun.start
    where = f"{PLACE_WORDS[band.place]}, {STATE_WORDS[band.state]}"
    why = f"From {_bar(band.low)} to {_bar(band.high)} {where}."
    if gun.least_bar is not None and bar < gun.least_bar - _ROUNDING_BAR:
        return Finding(
            "bad", f"Too low to atomise: under {_bar(gun.least_bar)} it throws drops, while paint flows.", why
        )
    if bar < band.low - _ROUNDING_BAR:
        return Finding("care", "Low: the drops are coarse, and the film lies like rind.", why)
    if bar > band.high + _ROUNDING_BAR:
        return Finding("care", "High: the drops dry on the way, and more goes past.", why)
    return Finding("good", "The pressure is in its band.", why)


def judge_air(gun: GunType, found: Pressures, air: AirSupply | None) -> list[Finding]:
    """Judge what cap, hose and compressor say of a set-up.

    Source: docs/trade.md, Gun.
    """
    out = []
    cap = found.cap_bar["pulled"]
    if cap is not None and gun.cap_most_bar is not None and cap > gun.cap_most_bar + _ROUNDING_BAR:
        out.append(
            Finding(
                "care",
                f"At the cap {_bar(cap)}: over {_bar(gun.cap_most_bar)} it is low pressure no longer.",
                "Local codes may go by it; most of the paint lands because the air is slow.",
            )
        )
    if air is None:
        return out
    needed = found.compressor_bar
    if needed > air.cut_out_bar + _ROUNDING_BAR:
        out.append(
            Finding(
                "bad",
                f"The compressor never gives it: it stops at {_bar(air.cut_out_bar)}, and the tank would need "
                f"{_bar(needed)}.",
                "A shorter or wider hose, or a gun that asks for less.",
            )
        )
    elif needed > air.cut_in_bar + _ROUNDING_BAR:
        out.append(
            Finding(
                "care",
                f"The pressure sags before the compressor starts: it needs {_bar(needed)} in the tank, and cuts in at "
                f"{_bar(air.cut_in_bar)}.",
                "Let it fill between strokes, or set its cut-in higher.",
            )
        )
    hose = found.hose_bar["pulled"]
    if hose > 0.5 * found.inlet_bar["pulled"]:
        out.append(
            Finding(
                "care",
                f"The hose takes {_bar(hose)}: more than half of what the gun gets.",
                "A bore of two millimetres more takes a third of it.",
            )
        )
    return out


def _bar(value: Bar) -> str:
    return f"{value:.3g} bar"


@dataclass(frozen=True, slots=True)
class CoatTime:
    """How long a coat takes at the trigger, and with the pauses of the tank.

    Attributes:
        trigger_s: With the trigger pulled. [s]
        pauses: How often the tank has to be waited for.
        whole_s: With its pauses. [s]
    """

    trigger_s: Seconds
    pauses: int
    whole_s: Seconds

    @property
    def longer_min(self) -> Minutes:
        """By how much the pauses stretch it. [min]"""
        return (self.whole_s - self.trigger_s) / 60


def coat_time(ready_ml: Millilitres, flow_ml_per_min: float, duty: Duty) -> CoatTime:
    """Work out how long a coat takes.

    Args:
        ready_ml: Paint that goes through the gun. [ml]
        flow_ml_per_min: With the trigger pulled. [ml/min, above 0]
        duty: What the compressor gives.

    Raises: OutOfRange: no flow.
    Source: docs/trade.md, Gun: spells of t = V (p1 - p2) / (demand - FAD), a full tank first, a pause between two.
    """
    if not flow_ml_per_min > 0:
        raise OutOfRange("Paint that does not flow never gets on.", "flow")
    trigger = 60 * ready_ml / flow_ml_per_min
    if duty.spray_s is None or duty.recover_s is None:
        return CoatTime(trigger, 0, trigger)
    pauses = max(0, math.ceil(round(trigger / duty.spray_s, 9)) - 1)
    return CoatTime(trigger, pauses, trigger + pauses * duty.recover_s)


def judge_pauses(duty: Duty, time: CoatTime | None, wet_edge_s: Seconds | None) -> Finding:
    """Say whether a compressor keeps up, and what its pauses do to the wet edge.

    Args:
        duty: What the compressor gives.
        time: Of the coat at hand; None where there is none.
        wet_edge_s: Until the film flashes, at the early end of its band; None where nothing is known. [s]

    Source: docs/trade.md, Gun.
    """
    if duty.spray_s is None or duty.recover_s is None:
        return Finding("good", "The compressor keeps up: spray as long as you like.", "It delivers what the gun takes.")
    spells = f"Spray {span_words(duty.spray_s)}, then wait {span_words(duty.recover_s)}."
    why = "The tank lends what the compressor does not give, and has to be filled again."
    if time is not None and time.pauses == 0:
        return Finding("good", f"The tank lasts for this coat. {spells}", why)
    if wet_edge_s is None:
        return Finding("care", f"{spells} End each spell at a break, not within a face.", why)
    if duty.recover_s >= wet_edge_s:
        return Finding(
            "bad",
            f"{spells} The edge that you left flashes after {span_words(wet_edge_s)}: it is dry before you go on. "
            "End each spell at a break, work a smaller piece, or take less air.",
            why,
        )
    return Finding(
        "care",
        f"{spells} The edge that you left stays wet for {span_words(wet_edge_s)}: after a pause "
        f"{span_words(wet_edge_s - duty.recover_s)} of it are left.",
        why,
    )


def span_words(seconds: Seconds) -> str:
    """Write a span as it is counted at the gun: ``50 s``, ``3.2 min``. [s]"""
    if seconds < 99.5:
        return f"{seconds:.0f} s"
    minutes = seconds / 60
    return f"{minutes:.1f} min" if minutes < 19.95 else f"{minutes:.0f} min"


def reading_place(gun: GunType) -> tuple[Place, State]:
    """Where a kind of gun is set, and in which state: what is asked for first."""
    return (gun.start.place, gun.start.state) if gun.start else ("inlet", "pulled")

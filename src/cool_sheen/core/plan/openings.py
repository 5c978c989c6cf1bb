"""When a gate opens, and the smallest change that would open it; each is worked out again before it is offered."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from datetime import datetime, timedelta

from cool_sheen.core.climate.gates import Shut
from cool_sheen.core.climate.series import instant
from cool_sheen.core.drying.blend import OwnHardener
from cool_sheen.core.part.climate import Change, PartClimate
from cool_sheen.core.part.gate import CoatGate, GoingOn
from cool_sheen.core.units import Celsius

PATIENCE = timedelta(hours=4)
_WORTH_IT = timedelta(minutes=15)  # sooner than it opens by itself, for a way to be offered
_LEAST_SLOT = timedelta(minutes=30)
_WARMEST_HEAT_C: Celsius = 35.0
_DRIEST_PCT, _DRY_STEP_PCT = 30, 5


@dataclass(frozen=True, slots=True)
class Slot:
    """A stretch in which a coat may start."""

    since: datetime
    to: datetime


@dataclass(frozen=True, slots=True)
class WayOpen:
    """A change that opens the gate, worked out again with it: from when on a coat may start, and what it does."""

    words: str
    change: Change
    opens: datetime
    last_start: datetime | None
    does: str = ""


def open_slots(shut: Sequence[Shut], now: datetime, until: datetime) -> list[Slot]:
    """Return the stretches between two instants in which the gate is open, those of half an hour and more."""
    slots, at = [], now
    for span in shut:
        slots.append(Slot(at, min(instant(span.since_s), until)))
        at = max(at, instant(span.to_s))
    slots.append(Slot(at, until))
    return [slot for slot in slots if slot.to - slot.since >= _LEAST_SLOT]


Try = Callable[[Change, str], WayOpen | None]


def ways_to_open(climate: PartClimate, coat: GoingOn, now: datetime, fast: OwnHardener | None = None) -> list[WayOpen]:
    """Find the smallest changes that would open a shut gate within a few hours.

    Args:
        climate: What a surface in the space sees.
        coat: What would go on.
        now: The present.
        fast: What its fast hardener says of itself.

    Returns: In a room: heating to the lowest degree that does it, drying to the highest humidity that does it, both
        where neither alone is enough, the doors open. Outdoors: shade, a wind-break, both where that is sooner. And a
        faster hardener. Each is worked out again, with the instant at which it opens and what it does.
        Nothing when it is open now.
    Source: docs/trade.md, Gate: the room holds the heat and the humidity from now on, its surfaces lag.
    """
    gate = CoatGate(climate, coat)
    if gate.shut_at(now) is None:
        return []
    by_itself = gate.opens(now)

    def tried(change: Change, words: str) -> WayOpen | None:
        faster = replace(coat.blend, hardener_speed="fast", hardener=fast)
        return _opened(climate, coat if change.hardener_speed is None else coat.mixed(faster), now, change, words)

    found = _outdoors(tried) if climate.outdoors else _in_a_room(tried, climate, coat, now)
    found.append(tried(Change(hardener_speed="fast"), "take the fast hardener"))
    return [way for way in found if way and (by_itself is None or way.opens <= by_itself - _WORTH_IT)]


def _opened(climate: PartClimate, coat: GoingOn, now: datetime, change: Change, words: str) -> WayOpen | None:
    gate = CoatGate(climate.changed(now, change), coat)
    slots = open_slots(gate.spans(now), now, now + timedelta(days=2))
    if not slots or slots[0].since > now + PATIENCE:
        return None
    beyond = slots[0].to >= now + timedelta(days=2)
    does = _does(climate, gate.climate, slots[0].since)
    return WayOpen(words, change, slots[0].since, None if beyond else slots[0].to, does)


def _does(before: PartClimate, after: PartClimate, at: datetime) -> str:
    """What a change does to air, surface, humidity, wind and sun when a coat may start: those that it moves."""
    was, will = before.at(at), after.at(at)
    figures = [
        ("air", was.air_temp_c, will.air_temp_c, "°C"),
        ("surface", was.surface_temp_c, will.surface_temp_c, "°C"),
        ("humidity", was.rh_pct, will.rh_pct, "%"),
    ]
    if (sky := before.sky_at(at)) is not None and (changed := after.sky_at(at)) is not None:
        figures.append(("wind", sky.wind_m_per_s, changed.wind_m_per_s, "m/s"))
        figures.append(("sun", 100 * sky.sun, 100 * changed.sun, "%"))
    moved = [(what, float(a[0]), float(b[0]), sign) for what, a, b, sign in figures if abs(a[0] - b[0]) >= 0.5]
    return ", ".join(f"{what} {a:.0f} to {b:.0f} {sign}" for what, a, b, sign in moved)


def _in_a_room(tried: Try, climate: PartClimate, coat: GoingOn, now: datetime) -> list[WayOpen | None]:
    found = [_heat(tried, climate, coat, now), _dry(tried, climate, coat, now)]
    if not any(found):
        found.append(_both(tried, climate, coat, now))
    if climate.outdoor is not None:
        found.append(tried(Change(vent=True), "open the doors"))
    return found


def _outdoors(tried: Try) -> list[WayOpen | None]:
    """Shade, a wind-break, and both where together they open it sooner than either."""
    one = [tried(Change(shade=True), "put it in the shade"), tried(Change(wind_break=True), "put up a wind-break")]
    both = tried(Change(shade=True, wind_break=True), "shade and a wind-break")
    if both is not None and all(way is None or both.opens < way.opens for way in one):
        one.append(both)
    return one


def _heat(tried: Try, climate: PartClimate, coat: GoingOn, now: datetime) -> WayOpen | None:
    """The lowest whole degree, by halving: what a degree opens a warmer room opens too, up to the product's cap."""
    low = int(climate.air_at(now)) + 1
    high = int(min(coat.limits.air_c[1], _WARMEST_HEAT_C))
    best = tried(Change(heat_to_c=high), f"heat to {high} °C") if low <= high else None
    while best is not None and low < high:
        middle = (low + high) // 2
        found = tried(Change(heat_to_c=middle), f"heat to {middle} °C")
        if found is None:
            low = middle + 1
        else:
            best, high = found, middle
    return best


def _dry(tried: Try, climate: PartClimate, coat: GoingOn, now: datetime) -> WayOpen | None:
    """The highest humidity in steps of five per cent that does it."""
    for rh in range(80, _DRIEST_PCT - 1, -_DRY_STEP_PCT):
        if rh < climate.humidity_at(now) and (found := tried(Change(dry_to_pct=rh), f"dehumidify to {rh} %")):
            return found
    return None


def _both(tried: Try, climate: PartClimate, coat: GoingOn, now: datetime) -> WayOpen | None:
    """Heat and dry together, the mildest pair of a few."""
    least = int(climate.air_at(now)) + 1
    for degree in range(max(least, 15), int(min(coat.limits.air_c[1], _WARMEST_HEAT_C)) + 1, 5):
        for rh in (65, 50, 40):
            if found := tried(Change(degree, rh), f"heat to {degree} °C and dehumidify to {rh} %"):
                return found
    return None

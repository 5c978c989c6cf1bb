"""When a gate opens, and the smallest change that would open it; each is worked out again before it is offered."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from functools import partial

from cool_sheen.core.climate.gates import Shut
from cool_sheen.core.climate.series import instant, seconds
from cool_sheen.core.coatings.products import Product
from cool_sheen.core.drying.clock import Film
from cool_sheen.core.planning.film_clock import FactorOf, taught, unknown_factor
from cool_sheen.core.planning.labour import labour_minutes
from cool_sheen.core.planning.paint import CoatPaint
from cool_sheen.core.planning.part_climate import Change, PartClimate
from cool_sheen.core.units import Celsius

PATIENCE = timedelta(hours=4)
_LEAST_SLOT = timedelta(minutes=30)
_STEP = timedelta(minutes=10)
_WARMEST_HEAT_C: Celsius = 35.0
_DRIEST_PCT, _DRY_STEP_PCT = 30, 5


@dataclass(frozen=True, slots=True)
class Slot:
    """A stretch in which a coat may start."""

    since: datetime
    to: datetime


@dataclass(frozen=True, slots=True)
class WayOpen:
    """A change that opens the gate, worked out again with it: from when on a coat may start."""

    words: str
    change: Change
    opens: datetime
    last_start: datetime | None


def open_slots(shut: Sequence[Shut], now: datetime, until: datetime) -> list[Slot]:
    """Return the stretches between two instants in which the gate is open, those of half an hour and more."""
    out, at = [], now
    for span in (s for s in shut if s.to_s > seconds(now)):
        begins, ends = instant(span.since_s), instant(span.to_s)
        if begins - at >= _LEAST_SLOT:
            out.append(Slot(at, min(begins, until)))
        at = max(at, ends)
        if at >= until:
            return [s for s in out if s.to - s.since >= _LEAST_SLOT]
    if until - at >= _LEAST_SLOT:
        out.append(Slot(at, until))
    return [s for s in out if s.to - s.since >= _LEAST_SLOT]


def ways_to_open(climate: PartClimate, product: Product, now: datetime) -> list[WayOpen]:
    """Find the smallest changes that would open a shut gate within a few hours.

    Args:
        climate: What a surface in the space sees.
        product: Whose gate it is.
        now: The present.

    Returns: Heating to the lowest degree that does it, drying to the highest humidity that does it, both where neither
        alone is enough, a faster hardener; each worked out again, with the instant at which it opens. Nothing when it
        is open now.
    Source: trade reference 3, gate; the room holds the heat and the humidity from now on, its surfaces lag.
    """
    if climate.gate_at(product, now, now) is None:
        return []

    def tried(change: Change, words: str) -> WayOpen | None:
        return _opened(climate, product, now, change, words)

    found = [_heat(tried, climate, product, now), _dry(tried, climate, product, now)]
    if not any(found):
        found.append(_both(tried, climate, product, now))
    found.append(tried(Change(hardener_speed="fast"), "take the fast hardener"))
    return [way for way in found if way is not None]


Try = Callable[[Change, str], WayOpen | None]


def _opened(climate: PartClimate, product: Product, now: datetime, change: Change, words: str) -> WayOpen | None:
    changed = climate.changed(now, change)
    slots = open_slots(changed.shut(product, now, change.hardener_speed), now, now + timedelta(days=2))
    if not slots or slots[0].since > now + PATIENCE:
        return None
    beyond = slots[0].to >= now + timedelta(days=2)
    return WayOpen(words, change, slots[0].since, None if beyond else slots[0].to)


def _heat(tried: Try, climate: PartClimate, product: Product, now: datetime) -> WayOpen | None:
    """The lowest whole degree, by halving: what a degree opens a warmer room opens too, up to the product's cap."""
    low = int(climate.air_at(now)) + 1
    high = int(min(product.limits.air_max_c, _WARMEST_HEAT_C))
    best = tried(Change(heat_to_c=high), f"heat to {high} °C") if low <= high else None
    while best is not None and low < high:
        middle = (low + high) // 2
        found = tried(Change(heat_to_c=middle), f"heat to {middle} °C")
        if found is None:
            low = middle + 1
        else:
            best, high = found, middle
    return best


def _dry(tried: Try, climate: PartClimate, product: Product, now: datetime) -> WayOpen | None:
    """The highest humidity in steps of five per cent that does it."""
    least = max(product.limits.rh_min_pct, _DRIEST_PCT)
    for rh in range(80, _DRIEST_PCT - 1, -_DRY_STEP_PCT):
        if rh < climate.humidity_at(now) and rh >= least and (
            found := tried(Change(dry_to_pct=rh), f"dehumidify to {rh} %")
        ):  # fmt: skip
            return found
    return None


def _both(tried: Try, climate: PartClimate, product: Product, now: datetime) -> WayOpen | None:
    """Heat and dry together, the mildest pair of a few."""
    least = int(climate.air_at(now)) + 1
    for degree in range(max(least, 15), int(min(product.limits.air_max_c, _WARMEST_HEAT_C)) + 1, 5):
        for rh in (65, 50, 40):
            if found := tried(Change(degree, rh), f"heat to {degree} °C and dehumidify to {rh} %"):
                return found
    return None


@dataclass(frozen=True, slots=True)
class LastStart:
    """How late today a coat may start, and how late the first of all of today's coats."""

    one: datetime | None
    all_coats: datetime | None
    coats: int


def last_starts(
    climate: PartClimate,
    product: Product,
    coats: Sequence[CoatPaint],
    now: datetime,
    closes: datetime,
    factor: FactorOf = unknown_factor,
) -> LastStart:
    """Work out how late a part's coats may start today.

    Args:
        climate: What the part sees.
        product: What goes on.
        coats: The coats of its next layer that are to come.
        now: The present.
        closes: When the working day ends.
        factor: What the shop has learned of the product where the part stands.

    Returns: The last safe start of one coat, and of the first one so that all of them are safe and done by the end of
        the day; None where it is too late, or the gate stays shut.
    """
    shut = climate.shut(product, now)
    candidates = [s for s in open_slots(shut, now, closes) if s.since < closes]
    if not candidates:
        return LastStart(None, None, len(coats))
    latest = min(candidates[-1].to, closes - _minutes(coats[0]))
    one = latest if latest >= candidates[0].since else None
    at = latest
    while at >= now:
        if _fits(climate, product, coats, at, closes, factor):
            return LastStart(one, at, len(coats))
        at -= _STEP
    return LastStart(one, None, len(coats))


def _minutes(coat: CoatPaint) -> timedelta:
    return timedelta(minutes=labour_minutes("coat", coat.area_m2, coat.method))


def _fits(
    climate: PartClimate,
    product: Product,
    coats: Sequence[CoatPaint],
    at: datetime,
    closes: datetime,
    factor: FactorOf,
) -> bool:
    """Whether coats one after the other, each as soon as the one below is open by the late clock, all start safely."""
    clock, opens = climate.clock(product), product.rule_for(product).opens
    for coat in coats:
        ends = at + _minutes(coat)
        if ends > closes or climate.gate_at(product, at, at) is not None:
            return False
        film = Film(ends, coat.zones[0].wet_film_um if coat.zones else product.ref_wet_film_um, climate.air_movement)
        band = taught(clock, film, [], partial(factor, product.key, None)).get(opens)
        if band is None or band.late is None:
            return False
        at = band.late
    return True

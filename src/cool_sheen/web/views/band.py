"""The weather band: air, surface and dew point, the margin between them filled, shut gates hatched."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from zoneinfo import ZoneInfo

import numpy as np

from cool_sheen.core.climate.air import Floats
from cool_sheen.core.climate.gates import Shut
from cool_sheen.core.climate.series import Series, instant, seconds
from cool_sheen.web.views.ribbon import Block, Frame, Tick, hours


@dataclass(frozen=True, slots=True)
class LastStart:
    """The last safe start before the gate shuts."""

    at: datetime
    x: float
    text: str
    label_x: float
    anchor: str


@dataclass(frozen=True, slots=True)
class Band:
    """All that the macro draws."""

    width: float
    height: float
    now_x: float
    gap: str
    air: str
    surface: str
    dew: str
    gates: list[Block]
    hours: list[Tick]
    degrees: list[tuple[float, str]]
    last: LastStart | None
    says: str


def draw(
    climate: Series,
    frame: Frame,
    zone: ZoneInfo,
    *,
    height: float,
    shut: Sequence[Shut] = (),
    product_name: str = "",
    fahrenheit: bool = False,
) -> Band:
    """Compute a weather band.

    Args:
        climate: Air and surface of a space; sampled along the frame.
        frame: Stretch of time and width.
        zone: The shop's time zone.
        height: Of the picture.
        shut: When the gate of a product is shut.
        product_name: Whose gate it is.
        fahrenheit: Whether the scale is in Fahrenheit.
    """
    count = int(min(240, frame.width // 3))
    at = np.linspace(seconds(frame.since), seconds(frame.to), count)
    shown = climate.sampled(at)
    low = float(min(shown.dew_point_c.min(), shown.surface_temp_c.min())) - 1.5
    high = float(max(shown.air_temp_c.max(), shown.surface_temp_c.max())) + 1.5
    xs = np.round(np.linspace(0, frame.width, count), 1)

    def path(values: Floats) -> str:
        ys = height - (values - low) / (high - low) * height
        return "M" + " L".join(f"{x:g} {y:.1f}" for x, y in zip(xs, ys, strict=True))

    def back(values: Floats) -> str:
        ys = height - (values - low) / (high - low) * height
        return " L".join(f"{x:g} {y:.1f}" for x, y in zip(xs[::-1], ys[::-1], strict=True))

    gates = [
        _gate(frame, max(instant(s.since_s), frame.now), instant(s.to_s))
        for s in shut
        if s.to_s > seconds(max(frame.since, frame.now)) and s.since_s < seconds(frame.to)
    ]
    margin = shown.surface_temp_c - shown.dew_point_c
    says = f"dew margin from {margin.min():.1f} to {margin.max():.1f} K"
    return Band(
        frame.width,
        height,
        frame.x(frame.now),
        f"{path(shown.surface_temp_c)} L{back(shown.dew_point_c)} Z",
        path(shown.air_temp_c),
        path(shown.surface_temp_c),
        path(shown.dew_point_c),
        gates,
        hours(frame, zone),
        _degrees(low, high, height, fahrenheit),
        _last(shut, frame, zone, product_name),
        says,
    )


def _gate(frame: Frame, since: datetime, to: datetime) -> Block:
    return Block("gate", frame.x(since), round(frame.x(to) - frame.x(since), 1))


def measured(spans: Sequence[tuple[datetime, datetime, str]], frame: Frame) -> list[Block]:
    """Return where the air was measured, by source: the rest of the band is the model, and gaps stay gaps."""
    shown = [s for s in spans if s[1] >= frame.since and s[0] <= frame.to]
    return [
        Block(source, frame.x(since), round(max(3.0, frame.x(to) - frame.x(since)), 1)) for since, to, source in shown
    ]


def last_safe_start(shut: Sequence[Shut], now: datetime) -> datetime | None:
    """Return when the open gate shuts next; None when it is shut now, or stays open as far as the forecast goes."""
    when = seconds(now)
    if any(s.since_s <= when < s.to_s for s in shut):
        return None
    ahead = [s.since_s for s in shut if s.since_s > when]
    return instant(min(ahead)) if ahead else None


def _last(shut: Sequence[Shut], frame: Frame, zone: ZoneInfo, product: str) -> LastStart | None:
    at = last_safe_start(shut, frame.now)
    if at is None or at > frame.to:
        return None
    x = frame.x(at)
    text = f"last safe start {at.astimezone(zone):%H:%M}" + (f", {product}" if product else "")
    anchor = "end" if x > frame.width * 0.55 else "start"
    return LastStart(at, x, text, x - 6 if anchor == "end" else x + 6, anchor)


def _degrees(low: float, high: float, height: float, fahrenheit: bool) -> list[tuple[float, str]]:
    if fahrenheit:
        low, high = low * 1.8 + 32, high * 1.8 + 32
    step = next(s for s in (1, 2, 5, 10, 20, 50) if (high - low) / s <= 6)
    first = int(low // step + 1) * step
    values = np.arange(first, high, step)
    return [(round(height - (v - low) / (high - low) * height, 1), f"{v:g}") for v in values.tolist()]

"""Stretches of time as painters write them, and how long a film took the last times."""

from collections.abc import Sequence
from datetime import timedelta

from cool_sheen.core.units import amount
from cool_sheen.service.learning import FoundReady


def minutes(value: float) -> str:
    """Write minutes as painters do: ``45 min``, ``6 h``, ``2 d 4 h``."""
    span = timedelta(minutes=round(value))
    if span < timedelta(hours=2):
        return f"{value:g} min"
    days, rest = divmod(round(span.total_seconds() / 360) / 10, 24)
    if not days:
        return f"{rest:g} h"
    return f"{days:.0f} d {rest:.0f} h" if round(rest) else f"{days:.0f} d"


def last_times(found: Sequence[FoundReady], units: str) -> str:
    """Write how long a film took the last times: ``41 min, 43 min, 38 min at 19 °C``; nothing where it never did."""
    if not found:
        return ""
    air = sum(f.air_temp_c for f in found) / len(found)
    return f"{', '.join(minutes(round(f.minutes)) for f in found)} at {amount(air, 'temperature', units, 0)}"

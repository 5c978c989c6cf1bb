"""The climate gate: whether a coat may start, and when next."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from cool_sheen.core.climate.air import Floats
from cool_sheen.core.climate.series import Series
from cool_sheen.core.units import Celsius, Kelvin, Percent


@dataclass(frozen=True, slots=True)
class Limits:
    """Ranges that air, surface, humidity and dew margin must keep while a film is open."""

    air_c: tuple[Celsius, Celsius]
    surface_c: tuple[Celsius, Celsius]
    rh_pct: tuple[Percent, Percent]
    dew_margin_k: Kelvin = 3.0


@dataclass(frozen=True, slots=True)
class Shut:
    """A stretch in which a coat may not start, and the first reason. Ends are seconds since 1970."""

    since_s: float
    to_s: float
    reason: str


def _breaches(climate: Series, limits: Limits) -> list[tuple[str, NDArray[np.bool_]]]:
    margin = climate.surface_temp_c - climate.dew_point_c
    low, high = limits.air_c
    s_low, s_high = limits.surface_c
    return [
        (f"air under {low:g} °C", climate.air_temp_c < low),
        (f"air over {high:g} °C", climate.air_temp_c > high),
        (f"surface under {s_low:g} °C", climate.surface_temp_c < s_low),
        (f"surface over {s_high:g} °C", climate.surface_temp_c > s_high),
        (f"humidity under {limits.rh_pct[0]:g} %", climate.rh_pct < limits.rh_pct[0]),
        (f"humidity over {limits.rh_pct[1]:g} %", climate.rh_pct > limits.rh_pct[1]),
        (f"dew margin under {limits.dew_margin_k:g} K", margin < limits.dew_margin_k),
    ]


def shut_spans(climate: Series, limits: Limits, safe_at_s: Floats) -> list[Shut]:
    """Stretches of a series in which a coat may not start.

    Args:
        climate: The climate, sampled as finely as the answer should be.
        limits: What the product asks for.
        safe_at_s: For a start at each point, when the film would be dew-safe; NaN for never. [s since 1970]

    Returns: Spans in order, each with the reason of its first instant; the last may end with the series.
    Source: a start is safe when all limits hold from it until dew-safe (ISO 8502-4 for the margin of 3 K).
    """
    breaches = _breaches(climate, limits)
    shut_now = np.any([breach for _, breach in breaches], axis=0)
    # Next breach at or after each point, by index; one past the end when there is none.
    index = np.arange(len(climate.at_s))
    following = np.minimum.accumulate(np.where(shut_now, index, len(index))[::-1])[::-1]
    breach_at = np.append(climate.at_s, np.inf)[following]
    unsafe = shut_now | (breach_at < safe_at_s) | np.isnan(safe_at_s)
    edges = np.flatnonzero(np.diff(np.concatenate([[False], unsafe, [False]]).astype(int)))
    spans = []
    for begin, end in zip(edges[::2].tolist(), edges[1::2].tolist(), strict=True):
        spans.append(
            Shut(
                float(climate.at_s[begin]),
                float(climate.at_s[min(end, len(index) - 1)]),
                _reason(breaches, int(following[begin]), begin),
            )
        )
    return spans


def _reason(breaches: list[tuple[str, NDArray[np.bool_]]], at: int, begin: int) -> str:
    if at >= len(breaches[0][1]):
        return "too cold or damp to dry in time"
    words = next(words for words, breach in breaches if breach[at])
    return words if at == begin else f"{words} before it is dew safe"

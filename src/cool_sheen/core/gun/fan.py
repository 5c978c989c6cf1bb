"""What a stroke lays down: film, speed and the profile across the fan."""

import math

import numpy as np

from cool_sheen.core.climate.air import Floats
from cool_sheen.core.errors import OutOfRange
from cool_sheen.core.units import Micron, Minutes, Seconds

PROFILE_POWER = 1.5  # b in (1 - (2y/w)^2)^b
# What the profile holds of a band as wide as the fan and as high as its middle: the integral of (1 - u^2)^b over -1..1.
PROFILE_SHARE = math.sqrt(math.pi) / 2 * math.gamma(PROFILE_POWER + 1) / math.gamma(PROFILE_POWER + 1.5)
SPOT_MM = 18.0  # how far along the stroke the spot reaches, as a standard deviation
FALL_OFF_MM = 450.0  # within so much more distance what arrives falls to 1/e
MOST_ARRIVES = 0.95
_ML_PER_MIN_TO_MM3_PER_S, _MM_TO_UM = 1000 / 60, 1000


def pass_film(flow_ml_per_min: float, transfer: float, fan_mm: float, overlap: float, speed_mm_per_s: float) -> Micron:
    """Wet film of strokes that overlap, as the mean over a pitch.

    Args:
        flow_ml_per_min: Paint that leaves the gun. [ml/min]
        transfer: Share of it that arrives. [1, up to 1]
        fan_mm: Width of the fan on the panel. [mm, above 0]
        overlap: Share of the fan that the next stroke covers again. [1, under 1]
        speed_mm_per_s: Of the gun. [mm/s, above 0]

    Returns: Wet film. [um]
    Raises: OutOfRange: a fan, a speed or an overlap of nothing.
    Source: docs/trade.md, Gun: v = Q TE / (w (1 - overlap) WFT), solved for the film.
    """
    return _laid(flow_ml_per_min, transfer, fan_mm, overlap) / _above_nought(speed_mm_per_s, "speed_mm_per_s")


def pass_speed(flow_ml_per_min: float, transfer: float, fan_mm: float, overlap: float, wet_film_um: Micron) -> float:
    """Speed of the gun that lays a film.

    Args:
        flow_ml_per_min: Paint that leaves the gun. [ml/min]
        transfer: Share of it that arrives. [1, up to 1]
        fan_mm: Width of the fan on the panel. [mm, above 0]
        overlap: Share of the fan that the next stroke covers again. [1, under 1]
        wet_film_um: Film wanted. [um, above 0]

    Returns: Speed. [mm/s]
    Raises: OutOfRange: a fan, a film or an overlap of nothing.
    Source: docs/trade.md, Gun: v = Q TE / (w (1 - overlap) WFT).
    """
    return _laid(flow_ml_per_min, transfer, fan_mm, overlap) / _above_nought(wet_film_um, "target_wet_um")


def _laid(flow_ml_per_min: float, transfer: float, fan_mm: float, overlap: float) -> float:
    """Film times speed. [um mm/s]"""
    if not 0 <= overlap < 1:
        raise OutOfRange("Strokes overlap by less than the whole fan: enter a share under 1.", "overlap")
    pitch = _above_nought(fan_mm, "fan_mm") * (1 - overlap)
    return flow_ml_per_min * _ML_PER_MIN_TO_MM3_PER_S * transfer / pitch * _MM_TO_UM


def _above_nought(value: float, name: str) -> float:
    if not value > 0:
        raise OutOfRange("Enter more than nought.", name)
    return value


def across(y_mm: Floats, fan_mm: Floats | float) -> Floats:
    """Share of the paint by millimetre across the fan; its integral is 1.

    Args:
        y_mm: Distance from the middle of the fan. [mm]
        fan_mm: Width of the fan there. [mm, above 0]

    Returns: Shares, nought outside the fan. [1/mm]
    Source: docs/trade.md, Gun: f(y) ~ (1 - (2y/w)^2)^b, with b = 1.5.
    """
    left = np.maximum(0.0, 1 - np.square(2 * y_mm / fan_mm))
    return np.asarray(left * np.sqrt(left) / (PROFILE_SHARE * fan_mm))


def fan_at(fan_mm: float, usual_mm: float, distance_mm: Floats | float) -> Floats:
    """Width of the fan at a distance. [mm]

    Args:
        fan_mm: Width at the usual distance. [mm]
        usual_mm: That distance. [mm]
        distance_mm: Of the gun. [mm]

    Source: docs/trade.md, Gun: a fan opens in proportion to the distance.
    """
    return np.asarray(fan_mm * np.asarray(distance_mm) / usual_mm)


def arrives(transfer: float, usual_mm: float, distance_mm: Floats | float) -> Floats:
    """Share of the paint that arrives from a distance. [1]

    Args:
        transfer: Share at the usual distance. [1]
        usual_mm: That distance. [mm]
        distance_mm: Of the gun. [mm]

    Source: docs/trade.md, Gun: what arrives falls to 1/e within 450 mm more, and is never over 0.95.
    """
    return np.minimum(MOST_ARRIVES, transfer * np.exp((usual_mm - np.asarray(distance_mm)) / FALL_OFF_MM))


def beat(length_mm: float, speed_mm_per_s: float) -> Seconds:
    """Time of one stroke at a speed: what a metronome counts. [s] Source: docs/trade.md, Gun."""
    return length_mm / _above_nought(speed_mm_per_s, "speed_mm_per_s")


def round_minutes(length_mm: float, height_mm: float, pitch_mm: float, speed_mm_per_s: float, turn_s: float) -> Minutes:
    """Time until the gun is back at the line where it began: once over an area, stroke by stroke.

    Args:
        length_mm: Of a stroke. [mm]
        height_mm: Over which strokes are laid. [mm]
        pitch_mm: Between two strokes. [mm, above 0]
        speed_mm_per_s: Of the gun. [mm/s, above 0]
        turn_s: What turning round takes between two strokes. [s]

    Returns: Time. [min]
    Source: docs/trade.md, Gun: strokes times (length / speed + turn).
    """
    strokes = math.ceil(round(height_mm / pitch_mm, 9)) + 1
    return strokes * (beat(length_mm, speed_mm_per_s) + turn_s) / 60

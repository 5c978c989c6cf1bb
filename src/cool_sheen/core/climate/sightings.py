"""What somebody saw of the sky, in words or in figures: "windy", "it rains", "6 m/s, covered"."""

import re

from cool_sheen.core.climate.sky import RAINS_MM_PER_H, WINDY_M_PER_S
from cool_sheen.core.errors import NotReadable

# word -> (figure, what it stands for): wind in m/s, rain in mm/h, cloud in per cent of the sky.
_WIND, _RAIN, _CLOUD = "wind_m_per_s", "rain_mm_per_h", "cloud_pct"
WORDS: dict[str, tuple[str, float]] = {
    "calm": (_WIND, 0.5), "still": (_WIND, 0.5), "no wind": (_WIND, 0.5), "light wind": (_WIND, 2.0),
    "breeze": (_WIND, 4.0), "breezy": (_WIND, 4.0), "windy": (_WIND, WINDY_M_PER_S), "gusty": (_WIND, WINDY_M_PER_S),
    "storm": (_WIND, 18.0), "stormy": (_WIND, 18.0),
    "dry": (_RAIN, 0.0), "no rain": (_RAIN, 0.0), "drizzle": (_RAIN, 0.3), "rain": (_RAIN, RAINS_MM_PER_H),
    "it rains": (_RAIN, RAINS_MM_PER_H), "raining": (_RAIN, RAINS_MM_PER_H), "showers": (_RAIN, RAINS_MM_PER_H),
    "clear": (_CLOUD, 0.0), "sun": (_CLOUD, 0.0), "sunny": (_CLOUD, 0.0), "half covered": (_CLOUD, 50.0),
    "cloudy": (_CLOUD, 85.0), "covered": (_CLOUD, 100.0), "overcast": (_CLOUD, 100.0),
}  # fmt: skip
_PER_M_PER_S = {"m/s": 1.0, "km/h": 1 / 3.6, "kmh": 1 / 3.6, "mph": 0.44704, "kn": 0.514444, "knots": 0.514444}
_SPEED = re.compile(r"(?:wind )?(\d{1,3}(?:[.,]\d{1,2})?) ?([a-z/]+)")


def read_sky(text: str) -> dict[str, float]:
    """Read what was seen of the sky.

    Args:
        text: Words of the list or a speed of the wind, parted by commas or "and".

    Returns: Figures by name: ``wind_m_per_s`` [m/s], ``rain_mm_per_h`` [mm/h], ``cloud_pct`` [%].
    Raises: NotReadable: a word that is not known, or two that contradict each other.
    Source: docs/trade.md, Readings.
    """
    out: dict[str, float] = {}
    for said in filter(None, (part.strip() for part in re.split(r",|;|\band\b", text.casefold()))):
        name, figure = WORDS.get(said) or _wind(said)
        if out.setdefault(name, figure) != figure:
            raise NotReadable(f"“{said}” contradicts what stands before it: say one of the two.")
    return out


def _wind(said: str) -> tuple[str, float]:
    found = _SPEED.fullmatch(said)
    if found and found.group(2) in _PER_M_PER_S:
        return _WIND, float(found.group(1).replace(",", ".")) * _PER_M_PER_S[found.group(2)]
    raise NotReadable(
        f"“{said[:30]}” is no sight of the sky that is known: use windy, breeze or calm, it rains or dry, clear, half "
        "covered or covered, or a wind such as 6 m/s."
    )

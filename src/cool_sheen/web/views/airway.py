"""The way of the air: how the pressure falls from the tank to the cap, in each state of the trigger."""

from collections.abc import Callable
from dataclasses import dataclass, field

from cool_sheen.core.gun.guns import AirSupply, Place, State
from cool_sheen.core.gun.pressures import Pressures
from cool_sheen.core.units import amount

_LEFT, _RIGHT, _TOP, _BOTTOM = 54.0, 18.0, 34.0, 30.0
_NAMES: tuple[tuple[Place, str], ...] = (
    ("compressor", "tank"), ("regulator", "regulator"), ("inlet", "gun's inlet"), ("cap", "cap"),
)  # fmt: skip
_STATES: tuple[tuple[State, str], ...] = (("pulled", "pulled"), ("air_only", "air only"), ("rest", "released"))
_LEAST_APART = 15.0


@dataclass(frozen=True, slots=True)
class Stop:
    """A place along the way."""

    x: float
    name: str


@dataclass(frozen=True, slots=True)
class Fall:
    """The pressure in one state along the way, and its figures."""

    state: State
    words: str
    points: str
    figures: tuple[tuple[float, float, str], ...]  # x, y, what stands there


@dataclass(slots=True)
class Airway:
    """The picture."""

    width: float
    height: float
    stops: list[Stop]
    falls: list[Fall]
    ticks: list[tuple[float, str]]
    base: float
    left: float
    tank: tuple[float, float, float, float] | None = None  # x, y, width, height: from cut-in to cut-out
    says: str = ""
    tank_words: list[tuple[float, float, str]] = field(default_factory=list)


def draw(found: Pressures, air: AirSupply | None, units: str, width: float = 560.0, height: float = 236.0) -> Airway:
    """Draw the way of the air to scale: one line for each state of the trigger."""
    most = max(found.regulator_bar, air.cut_out_bar if air else 0.0) * 1.06
    inside = height - _TOP - _BOTTOM

    def y(bar: float) -> float:
        return round(_TOP + inside * (1 - bar / most), 1)

    places = _NAMES if air else _NAMES[1:]
    pitch = (width - _LEFT - _RIGHT - 60) / (len(places) - 1)
    stops = [Stop(round(_LEFT + 30 + n * pitch, 1), name) for n, (_, name) in enumerate(places)]
    x = {place: stop.x for (place, _), stop in zip(places, stops, strict=True)}
    falls = [_fall(found, state, words, x, y, units) for state, words in _STATES]
    _apart(falls)
    picture = Airway(width, height, stops, falls, _ticks(most, y, units), height - _BOTTOM, _LEFT)
    if air:
        picture.tank = (x["compressor"] - 24, y(air.cut_out_bar), 48, y(air.cut_in_bar) - y(air.cut_out_bar))
        picture.tank_words = [
            (x["compressor"], y(air.cut_out_bar) - 5, amount(air.cut_out_bar, "pressure", units)),
            (x["compressor"], y(air.cut_in_bar) + 15, amount(air.cut_in_bar, "pressure", units)),
        ]
    picture.says = "; ".join(
        f"{name}: {amount(bar, 'pressure', units, 2)}"
        for place, name in _NAMES[1:]
        if (bar := found.at(place, "pulled")) is not None
    )
    return picture


def _fall(
    found: Pressures, state: State, words: str, x: dict[Place, float], y: Callable[[float], float], units: str
) -> Fall:
    digits = 0 if units == "us" else 2
    at = [(x[place], found.at(place, state)) for place, _ in _NAMES[1:]]
    there = [(place_x, bar) for place_x, bar in at if bar is not None]
    points = " ".join(f"{place_x},{y(bar)}" for place_x, bar in there)
    figures = tuple((place_x, y(bar), amount(bar, "pressure", units, digits)) for place_x, bar in there[1:])
    return Fall(state, words, points, figures)


def _apart(falls: list[Fall]) -> None:
    """Move figures at one place so far apart that each can be read, from the highest down."""
    for n in range(2):
        at = sorted(((f.figures[n][1], i) for i, f in enumerate(falls) if len(f.figures) > n), key=lambda pair: pair[0])
        last = -_LEAST_APART
        for wanted, i in at:
            placed = max(wanted, last + _LEAST_APART)
            figures = list(falls[i].figures)
            figures[n] = (figures[n][0], round(placed, 1), figures[n][2])
            falls[i] = Fall(falls[i].state, falls[i].words, falls[i].points, tuple(figures))
            last = placed


def _ticks(most: float, y: Callable[[float], float], units: str) -> list[tuple[float, str]]:
    """Round pressures up the side, five at most."""
    step = next(s for s in (0.25, 0.5, 1, 2, 5, 10) if most / s <= 5.5)
    return [
        (y(n * step), amount(n * step, "pressure", units, 0 if step >= 1 else 2)) for n in range(int(most / step) + 1)
    ]

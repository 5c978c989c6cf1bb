"""The way of the air: how the pressure falls from the tank to the cap, in each state of the trigger."""

from collections.abc import Callable
from dataclasses import dataclass, field

from cool_sheen.core.gun.guns import AirSupply, Place, State
from cool_sheen.core.gun.pressures import Pressures
from cool_sheen.core.units import amount

_LEFT, _RIGHT, _TOP, _BOTTOM = 54.0, 48.0, 34.0, 30.0
_NAMES: tuple[tuple[Place, str], ...] = (
    ("compressor", "tank"), ("regulator", "regulator"), ("inlet", "gun's inlet"), ("cap", "cap"),
)  # fmt: skip
_STATES: tuple[tuple[State, str], ...] = (("pulled", "pulled"), ("air_only", "air only"), ("rest", "released"))


@dataclass(frozen=True, slots=True)
class Stop:
    """A place along the way."""

    x: float
    name: str


@dataclass(frozen=True, slots=True)
class Fall:
    """The pressure in one state along the way."""

    state: State
    words: str
    points: str


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
    figures: list[tuple[float, float, str, bool]] = field(default_factory=list)  # x, y, figure, whether it ends there


def draw(found: Pressures, air: AirSupply | None, units: str, width: float = 470.0, height: float = 210.0) -> Airway:
    """Draw the way of the air to scale: one line for each state of the trigger."""
    most = max(found.regulator_bar, air.cut_out_bar if air else 0.0) * 1.06
    inside = height - _TOP - _BOTTOM

    def y(bar: float) -> float:
        return round(_TOP + inside * (1 - bar / most), 1)

    places = _NAMES if air else _NAMES[1:]
    pitch = (width - _LEFT - _RIGHT - 60) / (len(places) - 1)
    stops = [Stop(round(_LEFT + 30 + n * pitch, 1), name) for n, (_, name) in enumerate(places)]
    x = {place: stop.x for (place, _), stop in zip(places, stops, strict=True)}
    falls = [_fall(found, state, words, x, y) for state, words in _STATES]
    picture = Airway(width, height, stops, falls, _ticks(most, y, units), height - _BOTTOM, _LEFT)
    picture.figures = _figures(found, x, y, units)
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


def _fall(found: Pressures, state: State, words: str, x: dict[Place, float], y: Callable[[float], float]) -> Fall:
    at = [(x[place], found.at(place, state)) for place, _ in _NAMES[1:]]
    return Fall(state, words, " ".join(f"{place_x},{y(bar)}" for place_x, bar in at if bar is not None))


def _figures(
    found: Pressures, x: dict[Place, float], y: Callable[[float], float], units: str
) -> list[tuple[float, float, str, bool]]:
    """Where figures stand that no line crosses: of the regulator over its line, of inlet and cap under theirs."""
    digits = 0 if units == "us" else 2
    regulator, inlet, cap = found.regulator_bar, found.inlet_bar["pulled"], found.cap_bar["pulled"]
    out = [(x["regulator"] - 8, y(regulator) - 7, amount(regulator, "pressure", units, digits), False)]
    out.append((x["inlet"] - 6, y(inlet) + 18, amount(inlet, "pressure", units, digits), True))
    if cap is not None:
        out.append((x["cap"] + 8, y(cap) + 2, amount(cap, "pressure", units, digits), False))
    return [(round(px, 1), round(py, 1), words, ends) for px, py, words, ends in out]


def _ticks(most: float, y: Callable[[float], float], units: str) -> list[tuple[float, str]]:
    """Round pressures up the side, five at most."""
    step = next(s for s in (0.25, 0.5, 1, 2, 5, 10) if most / s <= 5.5)
    return [
        (y(n * step), amount(n * step, "pressure", units, 0 if step >= 1 else 2)) for n in range(int(most / step) + 1)
    ]

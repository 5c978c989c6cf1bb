"""The outline of a part, made from its zones: where marks lie on it."""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from uuid import UUID

from cool_sheen.core.log.looks import Mark
from cool_sheen.core.survey.zones import ZoneFacts

WIDE, NARROW = 720.0, 340.0
GAP, HEAD = 10.0, 18.0
_HEIGHTS = {"edge": 44.0, "patch": 84.0}  # an edge is a strip
_HEIGHT, _LEAST = 128.0, 96.0
_PIN = 13.0
_LETTER = 7.4


@dataclass(frozen=True, slots=True)
class Tile:
    """One zone as it is drawn; ``label`` is its name as far as it has room."""

    zone: UUID
    name: str
    label: str
    kind: str
    x: float
    y: float
    width: float
    height: float
    state: str  # passed, marked, to_look


@dataclass(frozen=True, slots=True)
class Pin:
    """One mark: its number in the list, and where it lies."""

    number: int
    x: float
    y: float
    state: str  # open, over, closed
    says: str


@dataclass(frozen=True, slots=True)
class Side:
    """What is coated in one setting-up: where its name stands."""

    y: float
    words: str


@dataclass(frozen=True, slots=True)
class Outline:
    """All that the macro draws."""

    width: float
    height: float
    sides: list[Side]
    tiles: list[Tile]
    pins: list[Pin]
    says: str


def draw(
    zones: Sequence[ZoneFacts],
    marks: Sequence[tuple[int, Mark, str]],
    states: dict[UUID, str],
    faces: dict[int, str],
    width: float = WIDE,
) -> Outline:
    """Lay zones side by side, a row for each setting-up, as wide as they are large.

    Args:
        zones: The zones of the part.
        marks: The marks that are shown: number in the list, mark, and how it stands (``open``, ``over``, ``closed``).
        states: How each zone stands: ``passed``, ``marked``, ``to_look``.
        faces: What is said of each setting-up.
        width: That of the picture.
    """
    tiles: list[Tile] = []
    sides: list[Side] = []
    y = 0.0
    settings = sorted({z.setting for z in zones})
    rows = {setting: _rows([z for z in zones if z.setting == setting], width) for setting in settings}
    scale = min((_spare(row, width) / sum(map(_side, row)) for there in rows.values() for row in there), default=0.0)
    for setting in settings:
        if len(settings) > 1:
            sides.append(Side(y + HEAD - 5, faces.get(setting, f"Side {setting}")))
            y += HEAD
        for row in rows[setting]:
            tiles += _row(row, y, scale, states)
            y += max(t.height for t in tiles[-len(row) :]) + GAP
    pins = [pin for number, mark, state in marks for pin in _pins(number, mark, state, tiles)]
    said = ", ".join(f"{t.name}: {t.state.replace('_', ' ')}" for t in tiles)
    return Outline(width, max(y - GAP, 1.0), sides, tiles, pins, f"Outline of the part. {said}.")


@dataclass(frozen=True, slots=True)
class OnPhoto:
    """A photo as an outline, with the marks that were put on it."""

    photo: UUID
    name: str
    width: float
    height: float
    pins: list[Pin]


def on_photo(
    photo: UUID, name: str, size: tuple[int, int], marks: Sequence[tuple[int, Mark, str]], width: float = WIDE
) -> OnPhoto:
    """Lay the marks of a photo on it.

    Args:
        photo: Which one.
        name: The name of its picture.
        size: Its width and height. [pixels]
        marks: Number in the list, mark, and how it stands; those of other outlines are left out.
        width: That of the picture.
    """
    height = round(width * size[1] / size[0], 1)
    put = [(number, mark.payload, state) for number, mark, state in marks if mark.payload.photo == photo]
    pins = [Pin(n, _within(said.x, width), _within(said.y, height), state, said.where) for n, said, state in put]
    return OnPhoto(photo, name, width, height, pins)


def _within(share: float | None, length: float) -> float:
    return round(min(max((share or 0.0) * length, _PIN), length - _PIN), 1)


def _rows(zones: Sequence[ZoneFacts], width: float) -> list[list[ZoneFacts]]:
    most = max(1, int((width + GAP) // (_LEAST + GAP)))
    return [list(zones[n : n + most]) for n in range(0, len(zones), most)]


def _side(zone: ZoneFacts) -> float:
    """Zones are as wide as the side of a square of their area: a patch is seen beside a face."""
    return math.sqrt(max(zone.area_m2, 1e-6))


def _spare(row: Sequence[ZoneFacts], width: float) -> float:
    """What the zones of a row share beyond the least that each has."""
    return width - GAP * (len(row) - 1) - _LEAST * len(row)


def _row(zones: Sequence[ZoneFacts], y: float, scale: float, states: dict[UUID, str]) -> list[Tile]:
    """A row to the scale of the fullest one: what is large is large in every row."""
    x, tiles = 0.0, []
    for zone in zones:
        wide = _LEAST + scale * _side(zone)
        letters = max(3, int(wide / _LETTER) - 2)
        label = zone.name if len(zone.name) <= letters else f"{zone.name[: letters - 1]}…"
        height = _HEIGHTS.get(zone.kind, _HEIGHT)
        state = states.get(zone.uuid, "to_look")
        tiles.append(Tile(zone.uuid, zone.name, label, zone.kind, round(x, 1), y, round(wide, 1), height, state))
        x += wide + GAP
    return tiles


def _pins(number: int, mark: Mark, state: str, tiles: Sequence[Tile]) -> list[Pin]:
    """A mark on each of its zones: where it was put, else in a row at the foot of the zone."""
    out = []
    for tile in tiles:
        if tile.zone not in mark.zones:
            continue
        if mark.payload.x is None or mark.payload.y is None or mark.payload.photo:
            per_row = max(1, int((tile.width - 6) // (2 * _PIN + 4)))
            x = tile.x + _PIN + 6 + ((number - 1) % per_row) * (2 * _PIN + 4)
            y = tile.y + tile.height - _PIN - 4
        else:
            x, y = tile.x + mark.payload.x * tile.width, tile.y + mark.payload.y * tile.height
        x = min(max(x, tile.x + _PIN), tile.x + tile.width - _PIN)
        y = min(max(y, tile.y + _PIN), tile.y + tile.height - _PIN)
        out.append(Pin(number, round(x, 1), round(y, 1), state, mark.payload.where))
    return out

"""How a gun is held, as pictures: fan and stroke on the face, the air cap from the front, the tube in its cup."""

from dataclasses import dataclass, field

from cool_sheen.core.gun.handling import Hold, Lay

_FACE_W, _FACE_H = 240.0, 150.0
_INSET = 26.0
_STROKES = 4


@dataclass(slots=True)
class HoldPicture:
    """Three pictures side by side.

    Attributes:
        strokes: Where strokes run over the face, each with its head. [x1, y1, x2, y2]
        fan: The spot of the fan on it. [cx, cy, rx, ry]
        horns: Where the horns of the cap stand, seen from the front. [cx, cy]
        tilt: How far the gun looks down from level; below nought it looks up. [degrees]
        tube: From where to where the suction tube runs in the cup. [x1, y1, x2, y2]
    """

    strokes: list[tuple[float, float, float, float]]
    fan: tuple[float, float, float, float]
    horns: list[tuple[float, float]]
    tilt: int
    tube: tuple[float, float, float, float] | None
    says: str
    heads: list[str] = field(default_factory=list)


_TILT: dict[str, int] = {"upright": 0, "level": 60, "underside": -60}


def draw(hold: Hold, lay: Lay, *, below: bool, horned: bool = True) -> HoldPicture:
    """Draw how a gun is held; ``below``: its cup hangs under it; ``horned``: its cap shapes the fan."""
    strokes, heads = [], []
    across = hold.fan == "up_down"
    for n in range(_STROKES):
        share = n / (_STROKES - 1)
        there = n % 2 == 0
        if across:
            y = _INSET + share * (_FACE_H - 2 * _INSET)
            line = (_INSET, y, _FACE_W - _INSET, y) if there else (_FACE_W - _INSET, y, _INSET, y)
        else:
            x = _INSET + share * (_FACE_W - 2 * _INSET)
            line = (x, _INSET, x, _FACE_H - _INSET) if there else (x, _FACE_H - _INSET, x, _INSET)
        strokes.append(tuple(round(v, 1) for v in line))
        heads.append(_head(line))
    fan = (_INSET + 40, _INSET, 9.0, 24.0) if across else (_INSET, _INSET + 34, 24.0, 9.0)
    horns: list[tuple[float, float]] = []
    if horned:
        horns = [(18.0, 60.0), (102.0, 60.0)] if across else [(60.0, 18.0), (60.0, 102.0)]
    tube = None
    if hold.tube:
        tube = (0.0, 0.0, -20.0 if hold.tube == "forward" else 20.0, 52.0)
    where = "below it" if below else "above it"
    says = f"{hold.stroke_words} {hold.fan_words} Cup {where}. {hold.tube_words}"
    return HoldPicture(strokes, fan, horns, _TILT[lay], tube, says.strip(), heads)  # type: ignore[arg-type]


def _head(line: tuple[float, float, float, float]) -> str:
    x1, y1, x2, y2 = line
    if y1 == y2:
        back = -7 if x2 > x1 else 7
        return f"M{x2 + back:.1f} {y2 - 5:.1f}L{x2:.1f} {y2:.1f}L{x2 + back:.1f} {y2 + 5:.1f}"
    back = -7 if y2 > y1 else 7
    return f"M{x2 - 5:.1f} {y2 + back:.1f}L{x2:.1f} {y2:.1f}L{x2 + 5:.1f} {y2 + back:.1f}"

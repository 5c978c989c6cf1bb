"""How a gun is held for the face at hand: which way the fan stands, where the tube looks, which way the stroke goes."""

from dataclasses import dataclass
from typing import Literal

from cool_sheen.core.gun.guns import GunType

Lay = Literal["upright", "level", "underside"]
Stroke = Literal["across", "up_down"]
LAY_WORDS: dict[str, str] = {"upright": "upright", "level": "level, from above", "underside": "underside, from below"}
STROKE_WORDS: dict[str, str] = {"across": "from side to side", "up_down": "up and down"}
_ALONG: dict[str, str] = {"across": "from side to side", "up_down": "away from you and back"}


@dataclass(frozen=True, slots=True)
class Hold:
    """How a gun is held.

    Attributes:
        fan: Which way the fan's long side stands on the panel: ``up_down`` or ``across``.
        fan_words: What that asks of the air cap.
        tube: Where the end of a suction tube looks: ``forward``, ``back``; empty where there is none.
        tube_words: Why.
        stroke_words: Which way the stroke goes.
        order_words: Where to begin, and which way to go on.
    """

    fan: Stroke
    fan_words: str
    tube: str
    tube_words: str
    stroke_words: str
    order_words: str


_ORDER: dict[tuple[str, str], str] = {
    ("upright", "across"): "Begin at the top, and come down: what falls lands on what is still to be coated.",
    ("upright", "up_down"): "Begin at the side away from the light, and go towards it.",
    ("level", "across"): "Begin at the edge next to you, and go away from you, so that no sleeve hangs over wet paint.",
    ("level", "up_down"): "Begin at the side that the extraction draws from, and go with the air.",
    ("underside", "across"): "Begin at the far edge, and come towards you; stand out of what falls.",
    ("underside", "up_down"): "Begin at the side that the extraction draws from, and go with the air.",
}
_TUBE: dict[str, tuple[str, str]] = {
    "upright": (
        "forward",
        "The cup hangs forward a little: the tube's end looks to the front, where the paint is.",
    ),
    "level": (
        "forward",
        "The gun looks down: the tube's end looks to the front, or it draws air too soon.",
    ),
    "underside": ("back", "The gun looks up: the tube's end looks to the back, where the paint runs to."),
}


def hold_for(gun: GunType, lay: Lay, stroke: Stroke) -> Hold:
    """Say how a gun is held for a face.

    Args:
        gun: The gun: a suction cup has a tube.
        lay: How the face lies.
        stroke: Which way the stroke goes.

    Source: docs/trade.md, Gun: the fan stands across the stroke; the tube forward for down, back for up.
    """
    fan: Stroke = "up_down" if stroke == "across" else "across"
    horns = "level, left and right" if fan == "up_down" else "upright, above and below"
    tube, tube_words = _TUBE[lay] if gun.feed == "suction" else ("", "")
    along = STROKE_WORDS[stroke] if lay == "upright" else _ALONG[stroke]
    return Hold(
        fan,
        f"Turn the air cap until its horns stand {horns}: they press the cone flat across the stroke."
        if gun.source in ("compressor", "turbine")
        else "Turn the tip until its slot stands across the stroke.",
        tube,
        tube_words,
        f"Strokes {along}, the gun square to the face all the way: the arm goes, not the wrist.",
        _ORDER[(lay, stroke)],
    )

"""Photos of the demo shop: drawn, as nothing real may stand in them. A frame and fork on its stand, stage by stage."""

from io import BytesIO

from PIL import Image, ImageDraw

Colour = tuple[int, int, int]
_SIZE = (1200, 900)
_BACK: Colour = (206, 200, 188)
_BENCH: Colour = (128, 108, 86)
_RUST: Colour = (150, 84, 44)
# Tubes of the frame: from, to, how thick.
_TUBES: tuple[tuple[tuple[int, int], tuple[int, int], int], ...] = (
    ((330, 330), (740, 300), 26), ((340, 350), (560, 640), 30), ((740, 300), (560, 640), 26),
    ((740, 300), (940, 620), 16), ((560, 640), (940, 620), 18), ((325, 270), (345, 400), 38),
    ((345, 400), (240, 680), 20), ((730, 250), (745, 330), 30),
)  # fmt: skip
_SPOTS = ((400, 430), (520, 575), (800, 400), (255, 640), (640, 470), (870, 622), (450, 322))


def frame_and_fork(colour: Colour, *, rusty: bool = False, shine: bool = False) -> bytes:
    """Draw the frame in a colour.

    Args:
        colour: Of its tubes.
        rusty: Whether rust comes through.
        shine: Whether light runs along the tubes.

    Returns: A JPEG file.
    """
    image = Image.new("RGB", _SIZE, _BACK)
    draw = ImageDraw.Draw(image)
    draw.rectangle((0, 760, _SIZE[0], _SIZE[1]), fill=_BENCH)
    draw.line((560, 640, 560, 770), fill=(60, 62, 64), width=22)
    for begin, end, width in _TUBES:
        draw.line((*begin, *end), fill=_darker(colour), width=width + 6)
        draw.line((*begin, *end), fill=colour, width=width)
        if shine:
            draw.line((begin[0], begin[1] - width // 4, end[0], end[1] - width // 4), fill=(250, 250, 250), width=4)
    draw.ellipse((530, 610, 590, 670), fill=_darker(colour))
    for x, y in _SPOTS if rusty else ():
        draw.ellipse((x - 17, y - 12, x + 17, y + 12), fill=_RUST)
    out = BytesIO()
    image.save(out, "JPEG", quality=88)
    return out.getvalue()


def _darker(colour: Colour) -> Colour:
    red, green, blue = colour
    return int(red * 0.7), int(green * 0.7), int(blue * 0.7)

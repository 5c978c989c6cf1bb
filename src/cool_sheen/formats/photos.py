"""Photos that are brought in: decoded under limits, turned upright, made smaller, and stripped of all that they say."""

from dataclasses import dataclass
from datetime import datetime
from io import BytesIO
from threading import Lock

from PIL import Image, ImageOps

from cool_sheen.core.errors import NotReadable, OutOfRange

MOST_PIXELS = 60_000_000  # three times what a good camera makes: what says more is opened no further
LONG_EDGE, SMALL_EDGE = 2000, 480
_QUALITY, _SMALL_QUALITY = 85, 78
_TAKEN, _EXIF = 0x9003, 0x8769  # when the camera says that it was taken, and the block in which it stands
_TOO_MANY = f"This photo has {{}}: up to {MOST_PIXELS / 1e6:.0f} are taken. Save it smaller first."
_KINDS = ("JPEG", "PNG", "WEBP")
_AS_THEY_ARE = ("RGB", "RGBA", "L", "LA", "CMYK")  # how pixels lie that are made smaller as they are
_ONE_AT_A_TIME = Lock()  # a decoded photo is large: several at once would not fit a small machine


@dataclass(frozen=True, slots=True)
class Photo:
    """A photo as it is kept: JPEG without metadata, large and small; ``taken`` is on the camera's own clock."""

    large: bytes
    small: bytes
    width: int
    height: int
    taken: datetime | None


def read_photo(content: bytes) -> Photo:
    """Decode a photo under limits.

    Args:
        content: The file: JPEG, PNG or WebP.

    Returns: The photo, upright, its long edge 2000 pixels at most.
    Raises: NotReadable: it is no photo, or it is cut off. OutOfRange: it has more pixels than are opened.
    """
    if not content:
        raise NotReadable("Choose a photo first.", "photo")
    try:
        with _ONE_AT_A_TIME, Image.open(BytesIO(content), formats=_KINDS) as image:
            if image.width * image.height > MOST_PIXELS:
                raise OutOfRange(_TOO_MANY.format(f"{image.width * image.height / 1e6:.0f} megapixels"), "photo")
            return _made(image)
    except Image.DecompressionBombError:  # the decoder's own bound, which lies further out
        raise OutOfRange(_TOO_MANY.format("far more megapixels"), "photo") from None
    # Whatever a broken file makes the decoder raise, it is the file that cannot be read.
    except (OSError, ValueError, SyntaxError, EOFError, MemoryError, IndexError, TypeError):
        raise NotReadable(
            "This is no photo that can be read here. Choose a JPEG, PNG or WebP file; if it is one, it is damaged.",
            "photo",
        ) from None


def _made(image: Image.Image) -> Photo:
    taken = _taken(image)
    image.draft("RGB", (LONG_EDGE, LONG_EDGE))  # a JPEG is decoded at a half or a quarter where that is enough
    whole = image if image.mode in _AS_THEY_ARE else image.convert("RGBA")
    whole.thumbnail((LONG_EDGE, LONG_EDGE), Image.Resampling.LANCZOS, reducing_gap=2.0)  # first: the rest is small then
    plain = _on_white(ImageOps.exif_transpose(whole))
    large = _jpeg(plain, _QUALITY)
    width, height = plain.size
    plain.thumbnail((SMALL_EDGE, SMALL_EDGE), Image.Resampling.BICUBIC, reducing_gap=2.0)
    return Photo(large, _jpeg(plain, _SMALL_QUALITY), width, height, taken)


def _on_white(image: Image.Image) -> Image.Image:
    """Return it without transparency, which a JPEG does not have."""
    if image.mode in ("RGBA", "LA", "PA") or "transparency" in image.info:
        layered = image.convert("RGBA")
        white = Image.new("RGB", layered.size, "white")
        white.paste(layered, mask=layered.getchannel("A"))
        return white
    return image.convert("RGB")


def _jpeg(image: Image.Image, quality: int) -> bytes:
    """Write pixels alone: a fresh picture carries no metadata, no colour profile, no place."""
    out = BytesIO()
    bare = Image.new("RGB", image.size)
    bare.paste(image)
    bare.save(out, "JPEG", quality=quality, optimize=False, progressive=True)
    return out.getvalue()


def _taken(image: Image.Image) -> datetime | None:
    exif = image.getexif()
    said = exif.get_ifd(_EXIF).get(_TAKEN) or exif.get(0x0132)
    try:
        return datetime.strptime(str(said)[:19], "%Y:%m:%d %H:%M:%S")  # noqa: DTZ007 - a camera knows no time zone
    except ValueError:
        return None

"""A photo that is brought in: decoded under limits, upright, smaller, and silent about where it was taken."""

import io
import struct
import zlib
from datetime import datetime

import pytest
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image

from cool_sheen.core.errors import CoreError, NotReadable, OutOfRange
from cool_sheen.formats.photos import LONG_EDGE, MOST_PIXELS, SMALL_EDGE, read_photo


def written(width, height, kind="JPEG", mode="RGB", **how):
    out = io.BytesIO()
    Image.new(mode, (width, height), 120 if mode == "L" else None).save(out, kind, **how)
    return out.getvalue()


def said_by_a_camera():
    exif = Image.Exif()
    exif[0x0112], exif[0x010F] = 6, "a camera"  # held on its side
    exif.get_ifd(0x8769)[0x9003] = "2026:06:08 09:10:11"
    exif.get_ifd(0x8825)[2] = (51.0, 30.0, 0.0)
    return exif


def png_that_says(width, height):
    """A PNG that says how large it is, and has next to nothing in it."""

    def chunk(name, body):
        return struct.pack(">I", len(body)) + name + body + struct.pack(">I", zlib.crc32(name + body))

    head = struct.pack(">IIBBBBB", width, height, 8, 0, 0, 0, 0)
    return b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", head) + chunk(b"IDAT", zlib.compress(b"\0" * 64)) + chunk(b"IEND", b"")


def test_a_photo_is_turned_upright_made_smaller_and_stripped_of_all_that_it_says():
    made = read_photo(written(3000, 1500, exif=said_by_a_camera()))
    assert (made.width, made.height, made.taken) == (LONG_EDGE // 2, LONG_EDGE, datetime(2026, 6, 8, 9, 10, 11))  # noqa: DTZ001 - on the camera's own clock
    for content, longest in ((made.large, LONG_EDGE), (made.small, SMALL_EDGE)):
        with Image.open(io.BytesIO(content)) as kept:
            assert (kept.format, max(kept.size), dict(kept.getexif())) == ("JPEG", longest, {})
        assert b"a camera" not in content
        assert b"Exif" not in content


@pytest.mark.parametrize(
    ("kind", "mode"), [("PNG", "RGBA"), ("PNG", "L"), ("PNG", "P"), ("WEBP", "RGB"), ("JPEG", "CMYK")]
)
def test_every_kind_of_picture_becomes_a_plain_one_no_larger_than_it_was(kind, mode):
    made = read_photo(written(300, 200, kind, mode))
    assert (made.width, made.height, made.taken) == (300, 200, None)
    with Image.open(io.BytesIO(made.large)) as kept:
        assert (kept.format, kept.mode) == ("JPEG", "RGB")
        if mode == "RGBA":
            assert min(kept.getpixel((5, 5))) > 250  # what shows through is white, and not black


def test_a_picture_bomb_is_told_by_what_it_says_and_never_opened():
    side = int(MOST_PIXELS**0.5)
    with pytest.raises(OutOfRange, match="60 are taken"):
        read_photo(png_that_says(side + 1, side + 1))
    with pytest.raises(OutOfRange, match="megapixels"):
        read_photo(png_that_says(60_000, 60_000))
    with pytest.raises(NotReadable):  # as large as may be, and nothing in it
        read_photo(png_that_says(4000, 3000))


@given(st.one_of(st.binary(max_size=300), st.integers(0, 700).map(lambda cut: written(64, 64)[:cut])))
def test_whatever_is_no_whole_photo_is_refused_in_words(content):
    whole = written(64, 64)
    try:
        made = read_photo(content)
    except CoreError as refusal:
        said = refusal
    else:
        assert (made.width, content) == (64, whole[: len(content)])  # nothing but its end was cut off
        return
    assert (said.field, str(said)[-1]) == ("photo", ".")

"""Photos of a part: brought in once, by stage, served by name, marked on, erased for good, and taken along."""

import io
from datetime import timedelta
from uuid import uuid4
from zipfile import ZipFile

import pytest
from tests.app.test_inspection import inspect, zones_of
from tests.unit.test_photo_files import png_that_says, said_by_a_camera, written

from cool_sheen.service import photos
from cool_sheen.service.keeping import file_of
from cool_sheen.service.part_now import part_now
from cool_sheen.store import photos as on_disk
from cool_sheen.web.security import MOST_UPLOAD_BYTES


def bring(shop, part, content, press=None, **fields):
    data = {"press": str(press or uuid4()), "stage": "came", **fields}
    return shop.http.post(f"/parts/{part}/photos", data=data, files={"photo": ("shown.jpg", content, "image/jpeg")})


def kept(shop, part):
    with shop.workshop.read() as unit:
        return photos.of_part(unit, part)


def test_a_photo_is_kept_once_by_stage_and_served_by_its_content(shop):
    part, press = shop.new_part(), uuid4()
    for _ in range(2):
        assert (
            bring(shop, part, written(640, 480, exif=said_by_a_camera()), press, words="As it came").status_code == 303
        )
    (row,) = kept(shop, part)
    local = row.taken_at.astimezone(shop.standing(part)._day.zone)
    assert (row.stage, row.width, row.height, local.hour, local.minute) == ("came", 480, 640, 9, 10)
    for name in (row.content_hash, f"{row.content_hash}-small"):
        answer = shop.http.get(f"/photos/{name}.jpg")
        assert (answer.status_code, answer.headers["content-type"]) == (200, "image/jpeg")
        assert "immutable" in answer.headers["cache-control"]
        assert b"a camera" not in answer.content
    for page in (f"/parts/{part}", f"/parts/{part}/photos", f"/parts/{part}/photos/{row.uuid}"):
        assert "As it came" in shop.http.get(page).text
    for strange in ("0" * 64, "..%2f..%2fshop", "x"):
        assert shop.http.get(f"/photos/{strange}.jpg").status_code == 404
    bring(shop, part, written(64, 64), at=(shop.clock.at + timedelta(days=2)).isoformat())
    assert len(kept(shop, part)) == 1  # nothing was taken in the future


@pytest.mark.parametrize(
    ("by_camera", "kept_ago", "taken_ago"),
    [(False, 7, 7), (False, None, 0), (False, -60, 0), (True, 7, 49)],
    ids=["a device that kept it", "nobody", "a device ahead of time", "its camera"],
)
def test_a_photo_that_a_device_kept_is_as_old_as_that_unless_its_camera_says(shop, by_camera, kept_ago, taken_ago):
    part, sent = shop.new_part(), {}
    if kept_ago is not None:
        sent["kept_at"] = (shop.clock.at - timedelta(minutes=kept_ago)).isoformat()
    content = written(64, 64, **({"exif": said_by_a_camera()} if by_camera else {}))
    assert bring(shop, part, content, **sent).status_code == 303
    (row,) = kept(shop, part)
    assert (shop.clock.at - row.taken_at) // timedelta(minutes=1) == taken_ago


def test_the_stage_that_is_offered_follows_the_log(shop):
    part, seen = shop.new_part(), []
    while shop.standing(part).is_live and len(seen) < 80:
        with shop.workshop.read() as unit:
            seen.append(photos.stage_now(part_now(unit, part)))
        shop.do_next(part)
    assert list(dict.fromkeys(seen)) == ["came", "prepared", "primed", "coloured", "cleared", "done"]


@pytest.mark.parametrize(
    ("content", "status", "says"),
    [(b"no photo at all", 422, "no photo that can be read"), (b"", 422, "Choose a photo first"),
     (png_that_says(60_000, 60_000), 422, "megapixels"), (b"\xff\xd8" + b"x" * 40_000_000, 413, "21 MB"),
     (written(900, 700)[:2000], 422, "damaged")],
    ids=["words", "nothing", "bomb", "40 MB", "cut off"],
)  # fmt: skip
def test_what_is_no_photo_gets_a_clear_answer_and_keeps_what_was_typed(shop, content, status, says):
    part = shop.new_part()
    answer = bring(shop, part, content, words="the left foot")
    assert (answer.status_code, says in answer.text) == (status, True)
    assert status == 413 or "the left foot" in answer.text
    assert not kept(shop, part)
    assert not on_disk.all_of(file_of(shop.workshop))


def test_the_limit_of_what_is_sent_lies_where_it_says(shop):
    part = shop.new_part()
    for size, status in ((MOST_UPLOAD_BYTES - 2_000, 422), (MOST_UPLOAD_BYTES + 1, 413)):
        assert bring(shop, part, b"x" * size).status_code == status


def test_a_photo_is_the_outline_of_a_mark_and_the_mark_outlives_it(shop):
    part = shop.new_part()
    bring(shop, part, written(800, 400))
    (row,) = kept(shop, part)
    zone = str(next(iter(zones_of(shop, part).values())))
    answer = inspect(shop, part, "mark", what="thin", zone=zone, x="0.25", y="0.5", photo=str(row.uuid))
    assert answer.headers["location"].endswith(f"photo={row.uuid}")
    page = shop.http.get(f"/parts/{part}/inspect?photo={row.uuid}").text
    assert "translate(180.0 180.0)" in page  # a quarter and a half of 720 by 360
    assert inspect(shop, part, "mark", what="thin", zone=zone, x="0.2", y="0.5", photo=str(uuid4())).status_code == 404
    assert shop.http.post(f"/parts/{part}/photos/{row.uuid}", data={"does": "erase"}).status_code == 303
    assert shop.http.get(f"/photos/{row.content_hash}.jpg").status_code == 404
    assert not on_disk.all_of(file_of(shop.workshop))
    assert shop.http.get(f"/parts/{part}/photos/{row.uuid}").status_code == 404
    assert "thin place" in shop.http.get(f"/parts/{part}/inspect").text.lower()


def test_a_picture_that_two_parts_have_is_erased_with_the_last_of_them(shop):
    parts = [shop.new_part(), shop.new_part()]
    for part in parts:
        bring(shop, part, written(300, 300))
    rows = [kept(shop, part)[0] for part in parts]
    for row, status in zip(rows, (200, 404), strict=True):
        shop.http.post(f"/parts/{row.part_uuid}/photos/{row.uuid}", data={"does": "erase"})
        assert shop.http.get(f"/photos/{row.content_hash}.jpg").status_code == status


def test_photos_are_given_out_whole_and_go_along_with_a_copy(shop, tmp_path):
    part = shop.new_part()
    bring(shop, part, written(300, 200))
    (row,) = kept(shop, part)
    with ZipFile(io.BytesIO(shop.http.get("/data/photos.zip").content)) as packed:
        assert sum(row.content_hash in name for name in packed.namelist()) == 2
    elsewhere = tmp_path / "copy.sqlite3"
    assert on_disk.bring(file_of(shop.workshop), elsewhere) == 1
    there = on_disk.path_of(elsewhere, row.content_hash)
    assert there.read_bytes() == shop.http.get(f"/photos/{row.content_hash}.jpg").content
    assert "photos.zip" in shop.http.get("/data").text


def test_a_part_that_is_deleted_takes_its_photos_with_it(shop):
    part = shop.new_part()
    bring(shop, part, written(300, 200))
    assert shop.http.post(f"/parts/{part}/tend", data={"op": "delete"}).status_code == 303
    assert not on_disk.all_of(file_of(shop.workshop))

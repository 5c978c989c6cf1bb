"""Who goes first, and who hears of it: a press before whoever looks, each page what bears on it."""

import time
from collections import Counter
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from itertools import pairwise
from threading import Event, Thread
from uuid import uuid4

import pytest
from hypothesis import given
from hypothesis import strategies as st
from sqlalchemy import event, select
from tests.support import SURE, ShopOnTrial

from cool_sheen.core.once import cached_property
from cool_sheen.service import unit as units_of_work
from cool_sheen.service.jobs import find_part, spaces_by_id
from cool_sheen.service.kept import Kept, KeptAtOnce
from cool_sheen.service.news import News
from cool_sheen.store.models import LessonRow


@pytest.fixture
def shop(tmp_path) -> ShopOnTrial:
    return ShopOnTrial(tmp_path)


# --- what twenty ask for is made once ------------------------------------------------------------------


def test_what_many_ask_for_at_once_is_made_once_and_of_the_others_each_waits_for_its_own():
    kept, made, go_on = Kept(), [], Event()

    def make(key: str) -> str:
        made.append(key)
        go_on.wait(5)
        return key

    with ThreadPoolExecutor(13) as hands:
        slow = [hands.submit(kept.get, "slow", lambda: make("slow")) for _ in range(12)]
        while not made:
            time.sleep(0.001)
        assert hands.submit(kept.get, "quick", lambda: "quick").result(5) == "quick"  # nobody waits for another key
        go_on.set()
        assert {one.result(5) for one in slow} == {"slow"}
    assert made == ["slow"]


def test_when_the_maker_fails_the_next_one_makes_it_and_what_asks_for_itself_does_not_wait_for_itself():
    kept = Kept()
    with pytest.raises(ValueError, match="no"):
        kept.get("it", lambda: int("no"))
    assert kept.get("it", lambda: kept.get("it", lambda: 7) + 1) == 7  # kept by the one within


def test_a_press_waits_for_nobody_who_makes_the_same_and_keeps_it_for_all():
    kept, begun, go_on = Kept(), Event(), Event()

    def make() -> str:
        begun.set()
        go_on.wait(5)
        return "looked"

    looks = Thread(target=lambda: kept.get("it", make))
    looks.start()
    assert begun.wait(5)
    assert KeptAtOnce(kept).get("it", lambda: "pressed") == "pressed"
    go_on.set()
    looks.join(5)
    assert kept.peek("it") == "pressed"


def test_what_one_thing_works_out_keeps_no_other_of_its_kind_waiting():
    begun, go_on = Event(), Event()

    class Thing:
        def __init__(self, *, waits: bool) -> None:
            self.waits = waits

        @cached_property
        def worth(self) -> int:
            """Takes long where it waits."""
            if self.waits:
                begun.set()
                assert go_on.wait(5)
            return 3

    slow, quick = Thing(waits=True), Thing(waits=False)
    other = Thread(target=lambda: slow.worth)
    other.start()
    assert begun.wait(5)
    assert quick.worth == 3  # and not only after the other
    go_on.set()
    other.join(5)
    assert vars(slow)["worth"] == 3
    assert isinstance(Thing.worth, cached_property)


# --- a press goes first ----------------------------------------------------------------------------------


def test_whoever_looks_lets_a_press_go_first_but_waits_for_no_long_write_and_a_press_waits_for_no_look(shop):
    order, writing, go_on = [], Event(), Event()

    def press() -> None:
        with shop.workshop.first_served():
            writing.set()
            go_on.wait(5)
            order.append("pressed")

    def look() -> None:
        with shop.workshop.read():
            order.append("looked")

    hands = [Thread(target=press), Thread(target=look)]
    hands[0].start()
    assert writing.wait(5)
    with shop.workshop.first_served(), shop.workshop.read() as unit:  # another press looks up what it answers
        assert isinstance(unit.kept, KeptAtOnce)
        order.append("answered")
    hands[1].start()
    Thread(target=lambda: (time.sleep(0.05), go_on.set())).start()
    for one in hands:
        one.join(5)
    assert order == ["answered", "pressed", "looked"]
    order.clear()
    go_on.clear()
    long = Thread(target=press)
    long.start()
    time.sleep(0.3)  # no press takes so long: a file is being taken
    for _ in range(40):
        look()
    assert order == ["looked"] * 40
    go_on.set()
    long.join(5)


def test_a_look_in_hand_lets_a_press_go_first_between_two_statements(shop, monkeypatch):
    monkeypatch.setattr(units_of_work, "_WITHIN_A_LOOK_S", 30)
    monkeypatch.setattr(units_of_work, "_LONG_WRITE_S", 30)
    order, looking, pressing = [], Event(), Event()

    def press() -> None:
        with shop.workshop.first_served():
            pressing.set()
            time.sleep(0.05)
            order.append("pressed")

    def look() -> None:
        with shop.workshop.read() as unit:
            assert unit.shop is not None
            looking.set()
            assert pressing.wait(5)
            assert spaces_by_id(unit)
            order.append("looked")

    hands = [Thread(target=look), Thread(target=press)]
    hands[0].start()
    assert looking.wait(5)
    hands[1].start()
    for one in hands:
        one.join(30)
    assert order == ["pressed", "looked"]


# --- a press asks for each thing once --------------------------------------------------------------------


@contextmanager
def _asked(shop: ShopOnTrial) -> Iterator[list[list[tuple[str, str]]]]:
    """What is asked of the disk meanwhile: a list for each transaction."""
    seen: list[list[tuple[str, str]]] = []

    def note(_connection, _cursor, statement, parameters, *_) -> None:
        if statement.startswith("BEGIN"):
            seen.append([])
        elif not statement.startswith("PRAGMA"):
            seen[-1].append((statement, repr(parameters)))

    event.listen(shop.workshop.engine, "before_cursor_execute", note)
    try:
        yield seen
    finally:
        event.remove(shop.workshop.engine, "before_cursor_execute", note)


@pytest.mark.parametrize(
    ("verb", "fields", "most"),
    [
        ("note", {"text": "dust"}, 22),
        ("touch", {"ready": "yes"}, 40),
        ("coat", {}, 45),
        ("reading", {"readings": "90"}, 45),
    ],
)
def test_a_press_asks_the_disk_for_each_thing_once(shop, verb, fields, most):
    part = shop.new_part("two-stage-epoxy")
    for before in ("coat", "note"):
        assert shop.log(part, before, text="first").status_code == 200
        shop.clock.turn(minutes=240)
    shown = shop.offered(part, verb, fields) or {"offered": ""}
    with _asked(shop) as asked:
        assert "logged" in shop.log(part, verb, **fields, **shown, sure=SURE).headers["HX-Trigger"]
    assert len(asked) == 2  # it writes, and answers
    for transaction in asked:
        assert [said for said, times in Counter(transaction).items() if times > 1] == []
    assert sum(map(len, asked)) <= most


def test_what_a_part_teaches_is_written_where_it_changed_and_nobody_elses_is_stale(shop):
    def lessons() -> list[int]:
        with shop.workshop.read() as unit:
            return list(unit.session.scalars(select(LessonRow.id)))

    part = shop.new_part("two-stage-epoxy")
    shop.log(part, "coat")
    shop.clock.turn(minutes=30)
    shop.log(part, "touch", ready="no")
    first = lessons()
    assert first
    shop.clock.turn(minutes=240)
    for verb, fields in (("note", {"text": "dust"}), ("coat", {}), ("reading", {"readings": "90"})):
        assert "logged" in shop.log(part, verb, **fields).headers["HX-Trigger"]
        assert lessons() == first
    shop.clock.turn(minutes=30)
    assert "logged" in shop.log(part, "touch", ready="no").headers["HX-Trigger"]
    assert min(lessons()) > max(first)


# --- news ------------------------------------------------------------------------------------------------

PARTS = [uuid4() for _ in range(3)]
TOLD = st.lists(st.one_of(st.none(), st.sets(st.sampled_from(PARTS), min_size=1)), max_size=20)


@given(TOLD)
def test_a_page_hears_of_its_own_part_and_of_what_may_show_anywhere_and_of_nothing_else(told):
    news = News()
    before = {part: news.of(part) for part in (*PARTS, None)}
    for about in told:
        news.tell(about)
        for part in (*PARTS, None):
            hears = part is None or about is None or part in about
            assert (news.of(part) > before[part]) is hears
            before[part] = news.of(part)


def test_what_is_told_after_a_new_start_is_above_all_that_was_told_before():
    first = News()
    for _ in range(50):
        first.tell()
    time.sleep(0.06)
    assert News().of(None) > first.of(None)


def _heard(shop: ShopOnTrial, about: list) -> list[int]:
    return [shop.workshop.news.of(part) for part in about]


def test_a_press_is_told_to_its_own_part_and_to_what_comes_after_it_and_the_air_to_all(shop):
    first, after, other = (shop.new_part(name) for name in ("two-stage-epoxy",) * 3)
    with shop.workshop.write() as unit:
        find_part(unit, after).after_uuid = first
    states = [_heard(shop, [first, after, other, None])]
    for verb, fields in (("note", {"text": "dust"}), ("coat", {}), ("touch", {"ready": "yes"})):
        assert shop.log(first, verb, **fields).status_code == 200
        states.append(_heard(shop, [first, after, other, None]))
        shop.clock.turn(minutes=90)
    for before, now in pairwise(states):
        assert [n > b for b, n in zip(before, now, strict=True)] == [True, True, False, True]
    coat = shop.standing(first).history.coats[-1].uuid
    assert shop.log(first, "undo", entry=str(coat)).status_code == 200
    states.append(_heard(shop, [first, after, other, None]))
    assert [n > b for b, n in zip(states[-2], states[-1], strict=True)] == [True, True, False, True]
    assert not shop.standing(first).history.coats
    page = shop.http.get(f"/parts/{other}/live")
    assert int(page.headers["X-News"]) == shop.workshop.news.count
    space = shop.standing(other).space.uuid
    assert (
        shop.http.post(
            "/weather/readings", data={"press": str(uuid4()), "space": str(space), "air": "17", "rh": "60"}
        ).status_code
        == 303
    )
    assert [n > b for b, n in zip(states[-1], _heard(shop, [first, after, other, None]), strict=True)] == [True] * 4

"""The plan of the shop over HTTP: from nothing, with parts of one's own, followed, late, moved, and asked absurdly."""

import itertools
import re
import time
from datetime import timedelta
from itertools import pairwise
from uuid import UUID, uuid4

import pytest
from icalendar import Calendar
from tests.support import T0, ShopOnTrial

from cool_sheen.service.jobs import find_part, spaces_by_id
from cool_sheen.service.kept_plans import followed, standing
from cool_sheen.service.part_now import live_parts
from cool_sheen.service.plan_schools import other_system
from cool_sheen.service.what_if import situation_as


@pytest.fixture
def shop(tmp_path):
    return ShopOnTrial(tmp_path)


def another_part(
    shop: ShopOnTrial, name: str, system: str, project: str = "Toolroom lathe", substrate: str = "bare_steel_cast"
) -> UUID:
    with shop.workshop.read() as unit:
        space = next(iter(spaces_by_id(unit)))
    form = {
        "project_name": project,
        "name": name,
        "substrate": substrate,
        "area": "0,6",
        "space": str(space),
        "system": system,
    }
    answer = shop.http.post("/jobs/new", data=form)
    assert answer.status_code == 303, answer.text
    return UUID(answer.headers["location"].rsplit("/", 1)[1])


def press_plan(shop: ShopOnTrial, **said: str):
    return shop.http.post("/plan", data={"painters": "1", "guns": "1", "use": "handle", **said})


def plan_of(shop: ShopOnTrial):
    with shop.workshop.read() as unit:
        plan = followed(unit)
        return plan, standing(unit, plan) if plan else None


def worked_out(shop: ShopOnTrial, address: str) -> str:
    """What a page says when all that is worked out elsewhere is there."""
    begun = time.monotonic()
    while "data-waits" in (page := shop.http.get(address).text):
        assert time.monotonic() - begun < 90, "it does not come to its end"
        time.sleep(0.1)
    return page


def line_of(shop: ShopOnTrial, part: UUID, kind: str):
    return next(line for line in plan_of(shop)[0].said.lines if line.part == part and line.kind == kind)


def test_a_shop_without_parts_says_what_to_do_first_and_one_with_parts_asks_for_the_press(shop):
    assert "New part" in shop.http.get("/plan").text
    answer = press_plan(shop)
    assert answer.status_code == 409
    assert "there is nothing to plan" in answer.text
    shop.new_part()
    page = shop.http.get("/plan").text
    assert "Nothing is planned yet" in page
    assert "Toolroom lathe" in page
    assert shop.http.get("/plan/strip").text == ""


def test_two_parts_are_planned_with_one_pair_of_hands_and_every_page_says_the_same(shop):
    lathe, cover = shop.new_part(), another_part(shop, "Gear cover", "single-stage-epoxy")
    assert press_plan(shop).status_code == 303
    plan, stands = plan_of(shop)
    assert stands.holds
    busy = sorted(
        (line.start, line.start + timedelta(minutes=line.hands_min)) for line in plan.said.lines if line.hands_min
    )
    assert all(a[1] <= b[0] for a, b in pairwise(busy))
    first = plan.said.lines[0]
    assert first.start == T0
    assert shop.standing(first.part).action.says == first.label
    page, strip = shop.http.get("/plan").text, shop.http.get("/plan/strip").text
    sheet = shop.http.get(f"/plan/sheet?day={T0:%Y-%m-%d}").text
    for said in (page, strip, sheet):
        assert first.label in said
        assert "10:00" in said  # the shop's clock
    events = list(Calendar.from_ical(shop.http.get("/plan/plan.ics").content).walk("VEVENT"))
    assert len(events) == len([line for line in plan.said.lines if line.hands_min])
    mine = next(
        e
        for e in events
        if e["SUMMARY"] == f"{first.label}: Headstock casting" or e["SUMMARY"] == f"{first.label}: Gear cover"
    )
    assert mine["DTSTART"].dt == first.start
    coat = line_of(shop, cover, "coat")
    event = next(e for e in events if e["DTSTART"].dt == coat.start)
    assert next(a["TRIGGER"].dt for a in event.walk("VALARM")) == -timedelta(minutes=15)
    mix = next(line for line in plan.said.lines if line.kind == "mix" and line.batch == coat.batch)
    assert mix.end <= coat.start
    rows = re.findall(r"<tr[^>]*>.*?</tr>", shop.http.get(f"/plan/sheet?day={mix.start:%Y-%m-%d}").text)
    row = next(r for r in rows if mix.label in r)
    wanted = sum(line.ml for line in plan.said.lines if line.kind == "coat" and line.batch == mix.batch)
    assert f"{wanted:.0f} ml for" in row
    bench = shop.http.get("/").text
    turns = dict.fromkeys(str(line.part) for line in plan.said.lines if line.part)
    assert re.findall(r'role="listitem" data-part="([^"]+)"', bench) == list(turns)
    assert "in the plan’s order" in bench
    assert {p.name for p in plan.said.parts} == {"Headstock casting", "Gear cover"}
    assert lathe in {p.part for p in plan.said.parts}


def test_what_is_done_is_ticked_and_a_late_start_moves_the_rest_until_it_is_taken_over(shop):
    part = shop.new_part()
    press_plan(shop)
    first, second = plan_of(shop)[0].said.lines[:2]
    shop.clock.turn(minutes=first.hands_min)
    shop.log(part, "step", kind=first.kind)
    plan, stands = plan_of(shop)
    assert first.n in stands.done
    assert (second.n in stands.done, stands.holds) == (False, True)
    shop.clock.turn(hours=3)
    plan, stands = plan_of(shop)
    assert not stands.holds
    assert stands.moved[0].line.n == second.n
    assert stands.moved[0].start >= shop.clock.at
    assert stands.ends > plan.said.ends
    page = shop.http.get("/plan").text
    assert "This plan no longer holds" in page
    assert "no longer holds" in shop.http.get("/plan/strip").text
    assert "Take this over" in shop.http.get("/plan/holds").text
    assert shop.http.post("/plan/keep-to").status_code == 303
    taken, stands = plan_of(shop)
    assert stands.holds
    assert taken.said.ends == pytest.approx(stands.ends, abs=timedelta(minutes=1))
    assert "no longer holds" not in shop.http.get("/plan").text
    assert first.label not in [line.label for line in taken.said.lines[:1]]


def test_a_step_is_moved_after_it_was_shown_what_moves_and_let_go_again(shop):
    part = shop.new_part()
    press_plan(shop)
    step = line_of(shop, part, "mask")
    later = (step.start + timedelta(days=2)).astimezone(T0.tzinfo)
    typed = f"{later:%Y-%m-%dT%H:%M}+00:00"
    shown = shop.http.get(f"/plan/lines/{step.n}/move", params={"at": typed}).text
    assert "If it is put there" in shown
    assert "steps move" in shown
    assert "Headstock casting is done" in shown
    assert line_of(shop, part, "mask").start == step.start  # nothing was changed by looking
    assert shop.http.post(f"/plan/lines/{step.n}/move", data={"at": typed}).status_code == 303
    moved = line_of(shop, part, "mask")
    assert (moved.start, moved.pinned) == (later.replace(second=0, microsecond=0), True)
    assert "put there" in shop.http.get(f"/plan/lines/{moved.n}").text
    assert shop.http.post(f"/plan/lines/{moved.n}/free").status_code == 303
    assert line_of(shop, part, "mask").start == step.start


def test_a_coat_that_is_put_after_its_window_says_that_a_key_is_put_in(shop):
    part = shop.new_part()
    press_plan(shop)
    coats = [line for line in plan_of(shop)[0].said.lines if line.part == part and line.kind == "coat"]
    before, step = next((a, b) for a, b in pairwise(coats) if b.closes)
    shop.http.post(f"/plan/lines/{before.n}/move", data={"at": f"{before.start:%Y-%m-%dT%H:%M:%S}+00:00"})
    step = next(line for line in plan_of(shop)[0].said.lines if line.part == part and line.step == step.step)
    late = f"{step.closes + timedelta(days=2):%Y-%m-%dT%H:%M}+00:00"
    shown = shop.http.get(f"/plan/lines/{step.n}/move", params={"at": late}).text
    assert "a window closes first" in shown


@pytest.mark.parametrize(
    ("said", "words"),
    [
        ({"by": "2026-06-01T10:00"}, "That is past"),
        ({"painters": "0"}, "from 1 to 8"),
        ({"painters": "two"}, "painters"),
        ({"guns": "1.5"}, "a whole number from 1 to 8"),
        ({"use": "sell"}, "Choose from the list"),
        ({"off_0": "2026-06-09T10:00", "off_to_0": "2026-06-09T08:00"}, "the end after the begin"),
        ({"begins": "soon"}, "such as 2026-06-08 14:30"),
    ],
)
def test_what_cannot_be_is_told_and_what_was_typed_stays(shop, said, words):
    shop.new_part()
    answer = press_plan(shop, **said)
    assert answer.status_code == 422
    assert words in answer.text
    typed = next(iter(said.values()))
    assert f'value="{typed}"' in answer.text or "use" in said
    assert plan_of(shop)[0] is None


def test_working_hours_that_admit_no_step_and_parts_in_a_circle_are_answered_in_words(shop):
    part = shop.new_part(area="40")
    shop.change(**{f"opens_{d}": "08:00" for d in range(7)}, **{f"closes_{d}": "09:00" for d in range(7)})
    assert press_plan(shop).status_code == 303
    plan, _ = plan_of(shop)
    assert plan.said.ends is None
    assert "no working day has that" in plan.said.parts[0].stuck
    page = shop.http.get("/plan").text
    assert "no working day has that" in page
    assert "no longer holds" not in page  # it says so where it was so when it was made
    assert all(line.start >= T0 for line in plan.said.lines)
    assert part == plan.said.parts[0].part


def test_it_is_planned_backwards_from_when_it_has_to_be_usable(shop):
    shop.new_part("one-pack-enamel")
    by = T0 + timedelta(days=21)
    assert press_plan(shop, by=f"{by:%Y-%m-%dT%H:%M}", use="handle").status_code == 303
    plan, _ = plan_of(shop)
    assert plan.said.lines[0].start > T0 + timedelta(days=5)
    assert plan.said.ends <= by
    page = shop.http.get("/plan").text
    assert "safe to be carried" in page
    assert "not yet safe for all uses" in page or "safe for all uses" in page


def test_ways_are_worked_out_and_taken_with_one_press(shop):
    for n in range(4):
        another_part(shop, f"Panel {n}", "two-stage-epoxy", f"Job {n}")
    press_plan(shop)
    before = plan_of(shop)[0].said.ends
    assert "laid out anew" in shop.http.get("/plan/ways").text  # in a process of its own
    found = worked_out(shop, "/plan/ways")
    assert "one painter more" in found
    assert "what it costs to wait" in found
    chances = [int(c) for c in re.findall(r'<td class="figure">(\d+) %</td>', found)]
    assert len(chances) == 7
    assert all(0 <= c <= 100 for c in chances)
    assert shop.http.post("/plan/ways", data={"way": "begin:72"}).status_code == 303
    assert plan_of(shop)[0].said.lines[0].start >= T0 + timedelta(days=3)
    assert shop.http.post("/plan/ways", data={"way": "begin"}).status_code == 303
    assert plan_of(shop)[0].said.ends == before
    said = re.search(r"one painter more.*?<td class=\"figure\">(.*?)</td>", found).group(1)
    assert shop.http.post("/plan/ways", data={"way": "painter"}).status_code == 303
    plan, _ = plan_of(shop)
    assert plan.said.ends < before
    assert f"{plan.said.ends + timedelta(hours=2):%a %-d %b %H:%M}" == said
    assert shop.http.post("/plan/ways", data={"way": "magic"}).status_code == 422


def test_another_school_is_worked_out_on_the_parts_on_which_it_arises_and_changes_them_when_it_is_taken(shop):
    parts = [another_part(shop, f"Panel {n}", "two-stage-epoxy") for n in range(2)]
    press_plan(shop)
    with shop.workshop.read() as unit:
        school = next(s for s in unit.catalogue.schools if s.key == "between-coats")
        found = {p.part.uuid: p for p in live_parts(unit)}
        padded = {uuid: other_system(unit, found[uuid], school, "degloss") for uuid in parts}
        assert other_system(unit, found[parts[0]], school, "when-shut") is None  # it is done so by now
        there = situation_as(unit, found[parts[0]], padded[parts[0]])
        pads = sum(s.kind == "degloss" for s in there.owed.steps)
        assert pads > 0
    stopped = shop.http.post("/plan/ways/stop")
    assert stopped.status_code == 409
    assert shop.http.post("/plan/ways", data={"way": "school:between-coats:degloss"}).status_code == 303
    assert sum(line.kind == "degloss" for line in plan_of(shop)[0].said.lines) == 2 * pads
    assert shop.http.post("/plan/ways", data={"way": "school:between-coats:degloss"}).status_code == 409
    assert shop.http.post("/plan/ways", data={"way": "school:none:keyed"}).status_code == 409


def test_what_is_worked_out_can_be_stopped_and_asked_for_again(shop):
    for n in range(2):
        another_part(shop, f"Panel {n}", "two-stage-epoxy", f"Job {n}")
    press_plan(shop)
    line = line_of(shop, plan_of(shop)[0].said.parts[0].part, "coat")
    assert "laid out anew" in shop.http.get(f"/plan/lines/{line.n}/sooner").text
    assert shop.http.post("/plan/ways/stop").status_code == 303
    assert shop.http.get("/plan/ways/stream").text.endswith("event: over\ndata: {}\n\n")
    assert "Stopped." in shop.http.get("/plan/ways").text
    assert "laid out anew" in shop.http.get("/plan/ways?again=1").text
    found = worked_out(shop, f"/plan/lines/{line.n}/sooner")
    assert "Each was worked out for the whole plan" in found or "None of the changes" in found


def test_a_guess_is_held_against_the_plan_and_says_where_the_time_goes(shop):
    shop.new_part()
    press_plan(shop)
    plan, _ = plan_of(shop)
    takes = (plan.said.ends - T0).total_seconds() / 86_400
    page = shop.http.get("/plan?guess=1").text
    assert f"<b>{takes:.1f} days</b> planned" in page
    hours = [float(h) for h in re.findall(r"<li>[^<]*: <b>([\d.]+) h</b></li>", page)]
    assert sum(hours) == pytest.approx(24 * takes, rel=0.02)
    assert "Enter" in shop.http.get("/plan?guess=a while").text


def test_a_plan_is_kept_followed_and_let_go_and_blocked_hours_are_kept_free(shop):
    shop.new_part()
    press_plan(shop)
    off, to = T0 + timedelta(hours=1), T0 + timedelta(hours=5)
    press_plan(
        shop, off_0=f"{off:%Y-%m-%dT%H:%M}+00:00", off_to_0=f"{to:%Y-%m-%dT%H:%M}+00:00", off_why_0="the booth is let"
    )
    plan, _ = plan_of(shop)
    worked = [
        (line.start, line.start + timedelta(minutes=line.hands_min)) for line in plan.said.lines if line.hands_min
    ]
    assert not [span for span in worked if span[0] < to and off < span[1]]
    page = shop.http.get("/plan").text
    other = re.search(r'name="plan" value="([0-9a-f-]+)"', page).group(1)
    beside = shop.http.get("/plan/compare", params={"plan": other}).text
    assert "Plans side by side" in beside
    assert "steps move" in beside
    assert shop.http.get("/plan/compare?plan=none").status_code == 422
    assert shop.http.post("/plan/follow", data={"plan": other}).status_code == 303
    assert str(plan_of(shop)[0].uuid) == other
    assert shop.http.post("/plan/let-go").status_code == 303
    assert plan_of(shop)[0] is None
    assert shop.http.get("/plan/lines/0").status_code == 409
    assert shop.http.post("/plan/follow", data={"plan": "none"}).status_code == 422


def test_a_part_that_comes_after_another_begins_when_that_is_done(shop):
    first, then = shop.new_part("one-pack-enamel"), another_part(shop, "Guard", "one-pack-enamel")
    with shop.workshop.write() as unit:
        find_part(unit, then).after_uuid = first
    press_plan(shop)
    lines = plan_of(shop)[0].said.lines
    ends = max(line.end for line in lines if line.part == first)
    assert min(line.start for line in lines if line.part == then) >= ends
    assert "comes first" in " ".join(h.because for line in lines if line.part == then for h in line.holds)


@pytest.mark.parametrize(
    "address", ["?day=9999-12-31&view=week", "?day=nonsense&view=silly", "/sheet?day=0001-01-01", "?guess=1e400"]
)
def test_days_that_nobody_plans_show_the_plan_as_it_is(shop, address):
    shop.new_part()
    press_plan(shop)
    answer = shop.http.get(f"/plan{address}")
    assert answer.status_code == 200
    assert "Wash" in answer.text


def test_who_works_late_is_there_for_every_part_on_the_bench_and_in_the_plan_alike(shop):
    """The plan had work at 19:27 beside lanes that said "outside working hours": each part knew its own late work."""
    headstock = shop.new_part()
    other = another_part(shop, "Tailstock", "single-stage-epoxy")
    shop.clock.at = T0.replace(hour=17)  # seven in the evening; the shop closes at six

    def said():
        shop.clock.turn(minutes=1)
        assert shop.http.post("/plan", data={"painters": "1", "guns": "1"}).status_code == 303
        with shop.workshop.read() as unit:
            first = standing(unit, followed(unit)).ahead[0].start
        waits = first > shop.clock.at
        assert shop.http.get("/").text.count("Outside working hours until Tue 08:00") == (3 if waits else 0)  # a strip
        assert {shop.standing(p).action.resumes for p in (headstock, other)} == {first if waits else None}
        return first

    morning = T0.replace(day=9, hour=6)
    assert said() == morning
    shop.do_next(other)
    assert said() < T0.replace(hour=18)
    shop.http.post(f"/parts/{other}/undo", data={"press": str(uuid4())})
    assert said() == morning


def test_a_plan_is_followed_for_days_with_lateness_and_planned_again_each_morning(shop):
    late = itertools.cycle([0, 0, 3, 0, 10, 45, 0])
    parts = [another_part(shop, "Headstock", "two-stage-epoxy"), another_part(shop, "Guard", "one-pack-enamel")]
    press_plan(shop)
    promised, days, taken = plan_of(shop)[0].said.ends, {T0.date()}, 0
    for _ in range(80):
        _, stands = plan_of(shop)
        own = [line for line in stands.ahead if line.part]
        if not own:
            break
        if own[0].start.date() not in days:
            days.add(own[0].start.date())
            shop.clock.at = max(shop.clock.at, own[0].start - timedelta(minutes=30))
            assert shop.http.post("/plan/again").status_code == 303
            own = [line for line in plan_of(shop)[1].ahead if line.part]
        line = own[0]
        shop.clock.at = max(shop.clock.at, line.start + timedelta(minutes=next(late))) + timedelta(
            minutes=line.hands_min
        )
        step = next((s for s in shop.standing(line.part).owed.steps if s.id == line.step), None)
        said = {"coat": {"layer_id": getattr(step, "slot", "")}, "sand": {"grit": getattr(step, "grit", "")}}
        answer = shop.log(
            line.part, line.kind if line.kind in said else "step", **said.get(line.kind, {"kind": line.kind})
        )
        assert answer.status_code == 200, answer.text[:300]
        if not plan_of(shop)[1].holds:
            taken += 1
            assert shop.http.post("/plan/keep-to").status_code == 303
    assert plan_of(shop)[1].ahead == []
    assert len(days) >= 4
    assert taken > 0
    for part in parts:
        found = shop.standing(part)
        assert (found.ahead(), found.owed.passed_over()) == ([], [])
    assert shop.clock.at < promised + timedelta(days=3)

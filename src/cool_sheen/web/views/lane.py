"""A lane of the Bench: a part's portrait, its ribbon, the next action and its countdown."""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from functools import partial
from typing import Any
from uuid import UUID, uuid4
from zoneinfo import ZoneInfo

from cool_sheen.core.climate.gates import Shut
from cool_sheen.core.drying.clock import DEFAULT_LN_SD, Band
from cool_sheen.core.drying.milestones import WORDS as MARK_WORDS
from cool_sheen.core.part.action import Action
from cool_sheen.core.part.film_clock import known_of, mark_of
from cool_sheen.core.part.placed import Wait
from cool_sheen.core.part.placing import slowest_gate
from cool_sheen.core.part.situation import ZoneFilm
from cool_sheen.core.part.status import State, ZoneStatus, statuses
from cool_sheen.core.plan.last_start import LastOfCoat, last_of
from cool_sheen.core.units import amount
from cool_sheen.core.work.steps import CoatStep, Step
from cool_sheen.service import next_time
from cool_sheen.service.confirmations import offer_of
from cool_sheen.service.part_now import PartNow
from cool_sheen.service.projections import layer_words
from cool_sheen.web.views import looking, ribbon, section, through

STATE_WORDS: dict[str, str] = {
    "wet": "wet", "open": "open", "closing": "closing", "locked": "locked", "key": "key first", "keyed": "keyed",
    "cured": "cured", "curing": "curing", "bare": "ready to start", "gate": "gate shut", "done": "nothing to do",
    "shut": "fresh coat first", "limit": "done for today",
}  # fmt: skip
LAST_HOURS = timedelta(hours=3)
URGENCY = (
    "closing", "open", "keyed", "key", "shut", "bare", "wet", "gate", "limit", "locked", "curing", "cured", "done",
)  # fmt: skip
# Where the button itself logs: the dialog that asks when and where it was; the others open theirs anyway.
_EARLIER = {"coat": "coat", "touch_test": "", "sand": "", "bake": "", "strip": "", "inspect": ""}
_HAZARDS = {
    "isocyanate": "isocyanates: supplied air",
    "fire": "no flames or sparks",
    "solvent": "solvent: extraction on",
}
_BUTTON = {
    "coat": "Coat on", "touch_test": "Touch test", "sand": "Log sanding", "bake": "Log the heat",
    "strip": "Log the strip", "inspect": "Inspect", "": "",
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class Count:
    """A countdown: to when, from early to late, and what it is for."""

    to_ms: int
    text: str
    span: str
    alarm: str
    key: str  # under which the alarm rings once, whether the count runs out here or the server says so
    after: str = ""  # what is lost when it has run out


@dataclass(frozen=True, slots=True)
class Why:
    """A figure's inputs."""

    label: str
    value: str


@dataclass(frozen=True, slots=True)
class ZoneRow:
    """Zones that stand alike, beside the others of the part."""

    names: str
    state: str
    word: str
    until: str
    warnings: tuple[str, ...]


@dataclass(frozen=True, eq=False, kw_only=True)
class Row:
    """Zones with the same next thing: what it is, where, from when to when, its countdown and its buttons."""

    uuid: UUID  # of the part
    row: str  # its name: a press carries it
    state: str
    word: str
    says: str
    where: str  # the zones that it is for, by name; empty for all
    zones_named: tuple[UUID, ...]  # the same, as a press names them; nothing on a part of one zone
    because: str
    hours: str  # when work resumes, where working hours hold it
    does: str
    button: str
    also: list[str]
    grit: str | None
    count: Count | None
    tested: bool
    milestone: str
    due: list[str]  # keys of the alarms that are due by now
    press: str  # the uuid of the entry that the button will write
    offered: str  # the mark of what its buttons offer
    earlier: str  # the dialog in which the press is given a time of its own; empty where the button opens it
    ticks: bool  # whether the step asks for something to be seen to: its button opens the dialog


@dataclass(frozen=True, eq=False, kw_only=True)
class Lane(Row):
    """All that the lane's template shows: its first row on top, ``more`` of them below."""

    name: str
    project: str
    place: str
    done: str
    hazards: list[str]
    more: list[Row]
    wide: ribbon.Ribbon
    narrow: ribbon.Ribbon
    portrait: section.Section
    why: list[Why]
    mix: str  # where the next coat is mixed; empty when it needs no mixing
    zones: list[ZoneRow]  # side by side where they differ; nothing where all stand alike
    closes_first: str
    asks: str  # what was passed over and is asked for
    through: str  # where it was sanded through, until that is mended
    marks: str = ""  # what is marked and not coated over, where the action is
    comes_after: str = ""  # the part that is to be finished first
    next_time: tuple[str, ...] = ()  # notes that come back here
    pieces: bool = False  # whether the coat that is next goes on several pieces


def story_of(found: PartNow, film: ZoneFilm, shut: Sequence[Shut] = ()) -> ribbon.Story:
    """Return what the ribbon of some zones tells."""
    top = film.top
    cured = None
    if top and (mark := mark_of(top.product, "full_cure")):
        cured = top.bands[mark].likely
    mine = found.history.of(film.zones)
    shown = {clock.coat.uuid for clock in film.clocks}
    return ribbon.Story(
        clocks=film.clocks,
        sandings=[w.at for w in mine.works if w.kind == "sand"],
        tests=[(t.at, t.payload.ready) for t in mine.touches if shown & set(t.payload.coats)],
        keyed=(film.key.since or film.key.sanded) if top else None,
        finishing=film.following is None,
        cured_at=cured,
        shut=shut,
    )


def shut_spans(found: PartNow) -> tuple[Shut, ...]:
    """Return when the next coat of a part may not start: its own gate, as the account has it."""
    step = found.action.step
    if not isinstance(step, CoatStep):
        return ()
    return tuple(slowest_gate(found.situation, step, found.now).spans(found.now))


def row_of(found: PartNow, zone: ZoneInfo, press: str = "") -> dict[str, Any]:
    """Return what a row shows of the part, looked at on that row."""
    action = found.action
    untested = action.state in (State.OPEN, State.CLOSING) and not action.tested
    word = STATE_WORDS[str(action.state)]
    if action.alarm == "wait":
        word = "waiting"
    elif action.state in (State.OPEN, State.CLOSING) and found.top is not None:
        word = f"{word}, {'test first' if untested else 'tested'}"
    zones = action.zones if len(found.zones) > 1 else frozenset()
    return {
        "uuid": found.part.uuid,
        "row": action.row,
        "state": str(action.state),
        "word": word,
        "says": action.says,
        "where": found.situation.names(action.zones) if action.zones else "",
        "zones_named": tuple(z.uuid for z in found.zones if z.uuid in zones),
        "because": action.because,
        "hours": hours_words(action, found.now, zone),
        "does": action.does,
        "button": button_word(action.does, action.says),
        "also": _also(found),
        "grit": action.grit,
        "count": _count(found, zone),
        "tested": action.tested,
        "milestone": MARK_WORDS.get(action.milestone or "", ""),
        "due": _due(found),
        "press": press or str(uuid4()),
        "offered": offer_of(found),
        "earlier": _EARLIER.get(action.does, "step") if action.does else "",
        "ticks": bool(action.step and action.step.to_tick),
    }


def lane(found: PartNow, zone: ZoneInfo, units: str = "metric", press: str = "") -> Lane:
    """Compute a lane: the row that is looked at on top, the others below it.

    Args:
        found: The part.
        zone: The shop's time zone.
        units: The shop's units.
        press: What the ids of its presses begin with; new ones when it is empty.
    """
    now, action = found.now, found.action
    shut = shut_spans(found)
    story = story_of(found, found.film, shut)
    row = row_of(found, zone, press)
    row["count"] = _or_last_start(found, row["count"], zone)
    rows = statuses(found.situation)
    others = [other for other in found.actions if other is not action]
    more = [
        Row(**row_of(found.on_row(other.row), zone, press and f"{press}{place}"))
        for place, other in enumerate(others, start=1)
    ]
    return Lane(
        **row,
        name=found.part.name,
        project=found.part.project_name,
        place=found.space.name,
        done=layer_count(found),
        hazards=hazards(found),
        more=more,
        wide=ribbon.draw(story, ribbon.frame_around(now, timedelta(hours=2), timedelta(hours=6)), zone),
        narrow=ribbon.draw(story, ribbon.frame_around(now, timedelta(hours=1), timedelta(hours=3), 340.0), zone),
        portrait=portrait(found),
        why=why(found, zone, units),
        mix=mix_address(found),
        zones=[] if more else zone_rows(found, rows, zone),
        closes_first=_closes_first(found, rows, zone),
        asks=_asks(found),
        through=through.in_short(found),
        marks=looking.open_in_short(found, action.zones or found.situation.all_zones),
        comes_after=found.comes_after,
        next_time=tuple(r.note.said.text for r in next_time.of_part(found)),
        pieces=isinstance(action.step, CoatStep) and len(action.zones or found.situation.all_zones) > 1,
    )


def zone_rows(found: PartNow, rows: Sequence[ZoneStatus], zone: ZoneInfo) -> list[ZoneRow]:
    """Return the zones side by side where they differ; nothing where all of them stand alike."""
    if len({(row.state, row.until) for row in rows}) < 2 and not any(row.warnings for row in rows):
        return []
    return [_zone_row(found, row, zone) for row in rows]


def _zone_row(found: PartNow, row: ZoneStatus, zone: ZoneInfo) -> ZoneRow:
    names = found.situation.names(row.zones) or "all zones"
    word = STATE_WORDS[row.state]
    if row.state in (State.OPEN, State.CLOSING):
        word = f"{word}, {'tested' if row.tested else 'test first'}"
    until = ""
    if row.closes and row.closes.early:
        until = _closing(row.closes, zone, found.now)
    elif row.until:
        until = f"until {clock_time(row.until, zone, found.now)}"
    return ZoneRow(names, row.state.value, word, until, row.warnings)


def _closing(closes: Band, zone: ZoneInfo, now: datetime) -> str:
    """When a window closes: by its early edge while that lies ahead, then by the likely one, with the doubt said."""
    if closes.early and closes.early > now:
        return f"closes {clock_time(closes.early, zone, now)}"
    likely = f", likely {clock_time(closes.likely, zone, now)}" if closes.likely else ""
    return f"may close any time{likely}"


def _closes_first(found: PartNow, rows: Sequence[ZoneStatus], zone: ZoneInfo) -> str:
    """Say when the window closes: of the zones that close first, or of all where nothing else on the lane says it."""
    first = rows[0] if rows else None
    if first is None or first.closes is None or first.closes.early is None:
        return ""
    if len(rows) > 1:
        when = _closing(first.closes, zone, found.now)
        return f"{found.situation.names(first.zones)} closes first: {when.removeprefix('closes ')}"
    if first.state != State.CLOSING or found.action.counts_to:
        return ""
    return _closing(first.closes, zone, found.now)


def _asks(found: PartNow) -> str:
    """Name what was passed over: it stays in the plan until it is said to be done, or why not."""
    passed = found.owed.passed_over()
    if not passed:
        return ""
    names = list(dict.fromkeys(row.step.label for row in passed))
    return ", ".join(names[:3]) + (f" and {len(names) - 3} more" if len(names) > 3 else "")


def mix_address(found: PartNow) -> str:
    """Return where the next coat of a part is mixed; nothing for one out of a can, and after the last coat."""
    step = found.next_coat()
    if step is None or found.products[step.layer.product].aerosol is not None:
        return ""
    return f"/mix/new?product={step.layer.product}&part_{found.part.uuid}=1"


def portrait(found: PartNow) -> section.Section:
    """Return a part's film as a small picture: its first zone."""
    first = next(iter(found.history.builds.values()))
    drawn: section.Section = found.unit.kept.get(
        ("portrait", found.version),
        lambda: section.draw({"film": first}, found.system, found.products, section.Canvas(58, 72)),
        lambda _: 6_000,
    )
    return drawn


def layer_count(found: PartNow) -> str:
    """Say how many coats of the layer in hand are on, such as ``Primer 2 of 3``."""
    return layer_words(found.system, found.history, found.rows)


def button_word(does: str, says: str) -> str:
    """Return the word on the big button."""
    return _BUTTON.get(does, f"{says.partition(':')[0]} done")


def hazards(found: PartNow) -> list[str]:
    """Return the gravest hazard of the coat that is next, for the lane itself."""
    step = found.action.step
    if not isinstance(step, CoatStep):
        return []
    cautions = found.products[step.layer.product].cautions
    return [word for key, word in _HAZARDS.items() if key in cautions][:1]


def _also(found: PartNow) -> list[str]:
    """Return what else makes sense now, beside the big button."""
    action = found.action
    also = []
    if action.does == "touch_test" and isinstance(action.step, CoatStep):
        also.append("coat")
    if action.does != "touch_test" and found.top and action.state in ("wet", "open", "closing", "locked", "curing"):
        also.append("touch_test")
    if action.does == "touch_test" and action.step and action.step.kind == "sand":
        also.append("sand")
    return also[:1]


def clock_time(at: datetime | None, zone: ZoneInfo, now: datetime) -> str:
    """Write an instant as painters say it: with the day when it is not today."""
    if at is None:
        return "never here"
    local, today = at.astimezone(zone), now.astimezone(zone).date()
    if local.date() == today:
        return f"{local:%H:%M}"
    return f"{local:%a %H:%M}" if abs((local.date() - today).days) < 7 else f"{local:%-d %b %H:%M}"


def hours_words(action: Action, now: datetime, zone: ZoneInfo) -> str:
    """Say when work resumes, where working hours hold an action; nothing where they do not."""
    if action.planned is None or action.resumes is None or action.resumes <= now:
        return ""
    words = "Outside working hours until" if action.planned.wait is Wait.HOURS else "Planned for"
    return f"{words} {clock_time(action.resumes, zone, now)}"


def _count(found: PartNow, zone: ZoneInfo) -> Count | None:
    action, now = found.action, found.now
    if action.counts_to is None:
        return None
    band = action.band
    return Count(
        to_ms=_ms(action.counts_to),
        text=action.counting,
        span=_stretch(band, zone, now) if band else "",
        alarm=action.alarm,
        key=_alarm_key(found, action.alarm),
    )


def _or_last_start(found: PartNow, count: Count | None, zone: ZoneInfo) -> Count | None:
    """In the last hours in which a coat may start, count down to the last start and say what comes after it."""
    action, now = found.action, found.now
    ready = action.does and action.state in (State.OPEN, State.CLOSING, State.KEYED, State.BARE)
    if not isinstance(action.step, CoatStep) or not ready or action.planned is None or action.resumes:
        return count
    last = last_of(found.situation, action.planned)
    is_near = now < last.at <= now + LAST_HOURS and (count is None or _ms(last.at) < count.to_ms)
    return _count_to(last, f"closing:{found.part.uuid}:{action.step.id}:last", now, zone) if is_near else count


def _count_to(last: LastOfCoat, key: str, now: datetime, zone: ZoneInfo) -> Count:
    if last.wait is Wait.HOURS:  # nothing spoils: no alarm
        return Count(_ms(last.at), "last start today in", "", "", "", f"After it: {clock_time(last.again, zone, now)}.")
    again = f"until {clock_time(last.again, zone, now)}" if last.again else "as far as the forecast goes"
    return Count(_ms(last.at), "last safe start in", "", "closing", key, f"After it: {last.because}, {again}.")


def _ms(at: datetime) -> int:
    return int(at.timestamp() * 1000)


def _stretch(band: Band, zone: ZoneInfo, now: datetime) -> str:
    """Write a band as short as a lane needs it: hours when it is near, else days, else dates."""
    if band.early is None or band.late is None:
        return "early or never" if band.early else ""
    ahead = band.late - now
    pattern = "%H:%M" if ahead < timedelta(hours=20) else "%a" if ahead < timedelta(days=6) else "%-d %b"
    early, late = (t.astimezone(zone).strftime(pattern) for t in (band.early, band.late))
    return early if early == late else f"earliest {early}, latest {late}"


def _alarm_key(found: PartNow, alarm: str) -> str:
    if alarm == "wait" and found.action.step:
        return _wait_key(found, found.action.step)
    step, top = found.action.step, found.top
    about = step.id if step and getattr(step, "after", None) else ""
    return f"{alarm}:{top.coat.uuid if top else found.part.uuid}:{about}" if alarm else ""


def _wait_key(found: PartNow, step: Step) -> str:
    return f"wait:{found.part.uuid}:{step.id}"


def _waits_over(found: PartNow) -> list[str]:
    """The waits of the system that are over, and which what is next has waited for."""
    step = found.action.step
    if step is None or found.action.alarm == "wait":
        return []
    place = next((n for n, s in enumerate(found.owed.steps) if s.id == step.id), 0)
    before = found.owed.steps[place - 1] if place else None
    over = [before] if before and before.kind == "wait" else []
    return [_wait_key(found, s) for s in (*over, *([step] if step.wait_minutes else []))]


def _due(found: PartNow) -> list[str]:
    """Return the alarms that a page which has been open should have rung by now."""
    action = found.action
    if found.top is None:
        return _waits_over(found)
    is_open = action.state in (State.OPEN, State.CLOSING)
    rings = {
        "test": (is_open and not action.tested)
        or bool(getattr(action.step, "after", None) and action.does != "touch_test"),
        "closing": action.state == State.CLOSING,
        "sand": action.does == "sand",
        "done": action.state == State.CURED,
    }
    return [*(_alarm_key(found, alarm) for alarm, due in rings.items() if due), *_waits_over(found)]


def why(found: PartNow, zone: ZoneInfo, units: str = "metric") -> list[Why]:
    """Return the inputs of the countdown: product data, film, climate along the way, speed, air, tests."""
    top, now = found.top, found.now
    if top is None:
        return [Why("nothing is coated yet", "")]
    at = found.film.climate.at(now)
    payload = top.coat.payload
    film, warmth = (partial(amount, dimension=d, units=units) for d in ("film", "temperature"))
    rows = [
        *([Why("zones", names)] if (names := found.situation.names(found.film.zones)) else []),
        Why("coat ended", clock_time(top.coat.ended_at, zone, now)),
        Why("product", top.product.name),
        Why("film", f"{film(top.film.wet_film_um)} wet, reference {film(top.product.ref_wet_film_um)}"),
        Why("still drying below", f"{film(top.film.below_um)} wet"),
        Why("surface now", f"{warmth(at.surface_temp_c[0])}, reference {warmth(top.product.ref_temp_c)}"),
        Why("humidity now", f"{at.rh_pct[0]:.0f} %, reference {top.product.ref_rh_pct:g} %"),
        Why("air", f"{payload.air_movement}; hardener {payload.hardener_speed}, reducer {payload.reducer_speed}"),
        Why("this shop's times", _learned(found)),
        Why("touch tests of this coat", str(sum(top.coat.uuid in t.payload.coats for t in found.history.touches))),
    ]
    if band := found.action.band:
        stretch = " – ".join(clock_time(t, zone, now) for t in (band.early, band.likely, band.late))
        rows.append(Why("early – likely – late", stretch))
    if payload.promised and payload.promised.opens:
        rows.append(Why("promised at the press", f"open {clock_time(payload.promised.opens, zone, now)}"))
    return rows


def _learned(found: PartNow) -> str:
    """Say what the shop's own tests make of the product's times here."""
    top = found.top
    if top is None:
        return ""
    mark = next((m for m in top.product.milestones if m.name == top.rule.opens), top.product.milestones[0])
    known = known_of(found.situation.factor, top.product, top.coat.payload.coat_kind, top.coat.uuid)
    mean, spread = known(mark.mode, found.space.uuid)
    if (mean, spread) == (0.0, DEFAULT_LN_SD):
        return "as the sheet says: no test taught it here yet"
    return f"× {math.exp(mean):.2f} of the sheet, spread {100 * spread:.0f} % (25 % untaught)"


def strip_depths(found: PartNow) -> list[tuple[str, str]]:
    """Return how deep a strip may have gone; what the survey means at the head, where it says anything."""
    films = [
        (str(n), f"{words} off") for n, words in enumerate(("one film", "two films", "three films", "four films"), 1)
    ]
    usual = [("substrate", "to the substrate"), ("sound", "to sound film"), *films]
    means = {z.strip for z in found.zones} & {"sound", "substrate"}
    return [("", "as the survey says of each zone"), *usual] if means else usual

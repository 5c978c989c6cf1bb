"""The plan as a calendar: for every pair of hands and every part what is done when, with the films between."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime, time, timedelta
from itertools import pairwise
from uuid import UUID
from zoneinfo import ZoneInfo

from cool_sheen.service.kept_plans import LineSaid, PlanSaid
from cool_sheen.web.views.ribbon import Block, Frame, Tick, hours

WIDTH, ROW, BAR = 960.0, 38.0, 22.0
VIEWS = {"day": "Day", "week": "Week", "all": "Whole job"}
_CHAR, _LEAST_BAR = 6.4, 2.5
_LOOKS: dict[str, str] = {  # how a step is drawn: what it does to the film
    "coat": "coat", "sand": "sand", "degloss": "sand", "polish": "sand", "strip": "sand", "bake": "heat", "mix": "pot",
    "clean_gun": "pot", "turn": "turn", "unmask": "turn", "assemble": "turn",
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class Bar:
    """A step: which line of the plan it is, where it stands, and its words where they have room."""

    n: int
    look: str
    x: float
    width: float
    text: str
    says: str
    done: bool
    pinned: bool


@dataclass(frozen=True, slots=True)
class Row:
    """A pair of hands, or a part: its films between the steps, its steps, and where its plan ends."""

    key: str
    name: str
    more: str
    y: float
    blocks: list[Block]
    bars: list[Bar]
    end_x: float | None
    stuck: str


@dataclass(frozen=True, slots=True)
class Picture:
    """All that the macro draws."""

    width: float
    height: float
    now_x: float | None
    hours: list[Tick]
    days: list[Block]
    rows: list[Row]
    since_ms: int
    ms_per_px: float


def frame_of(view: str, day: date, zone: ZoneInfo, said: PlanSaid, now: datetime, opens: time, closes: time) -> Frame:
    """Return the stretch of time that a view shows.

    Args:
        view: A day, a week from it on, or all of the plan.
        day: The day.
        zone: The shop's time zone.
        said: The plan.
        now: The present.
        opens: When the shop opens; a day is shown from an hour before.
        closes: When it closes; a day is shown to an hour after.
    """
    midnight = datetime.combine(day, time(0), zone)
    if view == "all":
        last = max([line.end for line in said.lines], default=now + timedelta(days=1))
        first = min([line.start for line in said.lines], default=now)
        return Frame(min(first, now), max(last, now) + timedelta(hours=6), now, WIDTH)
    if view == "week":
        return Frame(midnight, datetime.combine(day + timedelta(days=7), time(0), zone), now, WIDTH)
    ends = [b.end for b in said.lines if b.start.astimezone(zone).date() == day and b.hands_min]
    begins = [b.start for b in said.lines if b.start.astimezone(zone).date() == day and b.hands_min]
    first = min([datetime.combine(day, opens, zone), *begins]) - timedelta(minutes=30)
    last = max([datetime.combine(day, closes, zone), *ends]) + timedelta(minutes=30)
    return Frame(first, last, now, WIDTH)


def draw(said: PlanSaid, frame: Frame, zone: ZoneInfo, done: frozenset[int] = frozenset()) -> Picture:
    """Compute the calendar: hands first, then the parts in the order in which they go on.

    Args:
        said: The plan.
        frame: The stretch that is shown.
        zone: The shop's time zone.
        done: The lines that are done by now.
    """
    rows: list[Row] = []
    for worker in dict.fromkeys(line.worker for line in said.lines if line.hands_min):
        mine = [line for line in said.lines if line.worker == worker and line.hands_min]
        bars = [_bar(line, frame, zone, done, hands=True) for line in mine]
        rows.append(Row(f"hands:{worker}", worker, "", len(rows) * ROW, [], [b for b in bars if b], None, ""))
    by_part: dict[UUID, list[LineSaid]] = {}
    for line in said.lines:
        if line.part is not None:
            by_part.setdefault(line.part, []).append(line)
    for part in sorted(said.parts, key=lambda p: (_first_in(by_part.get(p.part, ()), frame), p.name)):
        mine = by_part.get(part.part, [])
        bars = [_bar(line, frame, zone, done) for line in mine if line.kind != "wait"]
        end_x = frame.x(part.ends) if part.ends and frame.since <= part.ends <= frame.to else None
        films, drawn = [*_films(mine, frame), *_cures(part.ends, part.cured, frame)], [b for b in bars if b]
        rows.append(Row(str(part.part), part.name, part.project, len(rows) * ROW, films, drawn, end_x, part.stuck))
    now_x = frame.x(frame.now) if frame.since <= frame.now <= frame.to else None
    ms = (frame.to - frame.since).total_seconds() * 1000
    height = len(rows) * ROW + 4
    return Picture(
        frame.width,
        height,
        now_x,
        hours(frame, zone),
        _nights(frame, zone),
        rows,
        int(frame.since.timestamp() * 1000),
        ms / frame.width,
    )


def _first_in(lines: Sequence[LineSaid], frame: Frame) -> float:
    shown = [line.start.timestamp() for line in lines if line.end > frame.since and line.start < frame.to]
    return min(shown, default=float("inf"))


def _bar(line: LineSaid, frame: Frame, zone: ZoneInfo, done: frozenset[int], *, hands: bool = False) -> Bar | None:
    end = line.start + timedelta(minutes=line.hands_min) if hands else line.end
    if end <= frame.since or line.start >= frame.to:
        return None
    x, to = frame.x(line.start), frame.x(end)
    width = max(round(to - x, 1), _LEAST_BAR)
    at, until = (t.astimezone(zone) for t in (line.start, end))
    says = f"{at:%a %H:%M} to {until:%H:%M}: {line.label}"
    room = int((width - 8) / _CHAR)
    text = line.label if len(line.label) <= room else line.label.split(",")[0].split(":")[0]
    return Bar(
        line.n, _LOOKS.get(line.kind, "hand"), x, width, text if 3 <= len(text) <= room else "", says, line.n in done,
        line.pinned,
    )  # fmt: skip


def _films(lines: Sequence[LineSaid], frame: Frame) -> list[Block]:
    """What the film does between two steps: wet until the next may follow, open until it has to, else it cures."""
    out: list[tuple[str, datetime, datetime]] = []
    for before, after in pairwise(line for line in lines if line.kind != "wait"):
        if after.start <= before.end:
            continue
        film = max((h.until for h in after.holds if h.wait in ("film", "damp", "time")), default=before.end)
        film = min(max(film, before.end), after.start)
        if film > before.end:
            out.append(("wet" if before.kind == after.kind == "coat" else "curing", before.end, film))
        if after.closes is not None and after.start > film:
            out.append(("open", film, after.start))
        gates = [h.until for h in after.holds if h.wait == "gate"]
        if gates and min(gates[-1], after.start) > film:
            out.append(("gate", film, min(gates[-1], after.start)))
    drawn = (
        Block(phase, frame.x(since), round(frame.x(to) - frame.x(since), 1))
        for phase, since, to in out
        if to > frame.since and since < frame.to
    )
    return [block for block in drawn if block.width > 0]


def _cures(ends: datetime | None, cured: datetime | None, frame: Frame) -> list[Block]:
    """What a part does when all is done on it: it cures."""
    if ends is None or cured is None or cured <= max(ends, frame.since) or ends >= frame.to:
        return []
    x = frame.x(ends)
    block = Block("cured", x, round(frame.x(cured) - x, 1))
    return [block] if block.width > 0 else []


def _nights(frame: Frame, zone: ZoneInfo) -> list[Block]:
    """Every other day is shaded, so that days can be told apart."""
    out, day = [], frame.since.astimezone(zone).date()
    while (begin := datetime.combine(day, time(0), zone)) < frame.to:
        if day.toordinal() % 2:
            x = frame.x(begin)
            to = frame.x(datetime.combine(day + timedelta(days=1), time(0), zone))
            out.append(Block("day", x, round(to - x, 1)))
        day += timedelta(days=1)
    return [block for block in out if block.width > 0]


@dataclass(frozen=True, slots=True)
class Why:
    """Why a step stands where it does: what held it, one after the other, and what binds."""

    what: str
    until: datetime
    binds: bool


WAIT_WORDS: Mapping[str, str] = {
    "film": "the film", "damp": "water", "time": "a wait of the system", "gate": "the gate", "limit": "coats a day",
    "hours": "working hours", "hands": "hands", "gun": "the gun", "room": "the room", "mix": "the mix",
    "after": "another part", "pinned": "put there", "planned": "the plan before", "window": "the window after it",
    "spaced": "coats apart",
}  # fmt: skip


def why(line: LineSaid) -> list[Why]:
    """Return what held a line, in order; the last one binds."""
    return [
        Why(f"{WAIT_WORDS.get(h.wait, h.wait)}: {h.because.removeprefix('then ')}", h.until, n + 1 == len(line.holds))
        for n, h in enumerate(line.holds)
    ]


def spent(lines: Sequence[LineSaid], since: datetime) -> list[tuple[str, float]]:
    """Return where the time of a part goes, in hours: hands, and each thing that held it; the longest first.

    Args:
        lines: The lines of a part in order.
        since: When the plan begins.
    """
    out: dict[str, float] = {}
    at = since
    for line in (one for one in lines if one.kind != "wait"):
        for hold in line.holds:
            until = min(hold.until, line.start)
            if until > at:
                words = WAIT_WORDS.get(hold.wait, hold.wait)
                out[words] = out.get(words, 0.0) + (until - at).total_seconds() / 3600
                at = until
        worked = (line.end - max(at, line.start)).total_seconds() / 3600
        out["work"] = out.get("work", 0.0) + max(worked, 0.0)
        at = max(at, line.end)
    return sorted(((words, h) for words, h in out.items() if h >= 0.05), key=lambda row: -row[1])


@dataclass(frozen=True, slots=True)
class Shift:
    """A step that stands elsewhere in another plan."""

    label: str
    part: str
    was: datetime
    will: datetime
    because: str


@dataclass(frozen=True, slots=True)
class Comparison:
    """Two plans side by side: what moves, when each part ends, what is put in, what is stuck."""

    asked: LineSaid | None  # the step that was to be moved, where it stands then
    shifts: list[Shift]
    ends: list[tuple[str, datetime, datetime]]
    put_in: list[str]
    stuck: list[str]

    @property
    def breaks(self) -> bool:
        """Whether something no longer comes right by it."""
        return bool(self.put_in or self.stuck)


_STAYS = timedelta(minutes=5)


def compared(was: PlanSaid, will: PlanSaid, about: LineSaid | None = None) -> Comparison:
    """Say what changes from one plan to another.

    Args:
        was: The plan that is followed.
        will: The other one.
        about: The step that was moved, if one was.
    """
    names = {p.part: p.name for p in (*was.parts, *will.parts)}
    before = {(x.part, x.step): x for x in reversed(was.lines) if x.part and not x.inserted}
    after = {(x.part, x.step): x for x in reversed(will.lines) if x.part and not x.inserted}
    shifts = []
    for key, now in after.items():
        then = before.get(key)
        if then is not None and abs(now.start - then.start) > _STAYS and now.part is not None:
            because = now.holds[-1].because if now.holds else now.because
            shifts.append(Shift(now.label, names[now.part], then.start, now.start, because))
    known = {(x.part, x.step) for x in was.lines if x.inserted}
    keys = (x for x in will.lines if x.inserted and x.step.endswith((":key", ":pad", ":fresh")))
    put_in = [f"{x.label}, {names[x.part]}" for x in keys if x.part and (x.part, x.step) not in known]
    ended = {p.part: p.ends for p in was.parts}
    ends = [
        (p.name, before_that, p.ends)
        for p in will.parts
        if p.ends and (before_that := ended.get(p.part)) and abs(p.ends - before_that) > _STAYS
    ]
    stuck = [f"{p.name}: {p.stuck}" for p in will.parts if p.stuck and not was.named()[p.part].stuck]
    asked = next((x for x in after.values() if about and (x.part, x.step) == (about.part, about.step)), None)
    shifts.sort(key=lambda s: s.will)
    return Comparison(asked, shifts, ends, put_in, stuck)


@dataclass(frozen=True, slots=True)
class StartBar:
    """A start: from when to when its plan goes, and the stretch in which it most likely ends."""

    x: float
    width: float
    likely: Block | None


@dataclass(frozen=True, slots=True)
class Starts:
    """Starts side by side along one stretch of time."""

    width: float
    hours: list[Tick]
    bars: list[StartBar]


_STARTS_WIDTH = 520.0


def draw_starts(
    starts: Sequence[tuple[datetime, datetime | None, tuple[datetime, datetime, datetime] | None]],
    now: datetime,
    zone: ZoneInfo,
) -> Starts:
    """Draw plans by when they are begun: each from its begin to its end, and where nine of ten worlds end.

    Args:
        starts: Begin, end, and the best tenth, the middle and the worst tenth of its end in many worlds.
        now: The present.
        zone: The shop's time zone.
    """
    last = max([end for _, end, _ in starts if end] + [f[2] for _, _, f in starts if f], default=now)
    frame = Frame(now, max(last, now + timedelta(days=1)) + timedelta(hours=12), now, _STARTS_WIDTH)
    bars = []
    for begins, ends, finish in starts:
        x, to = frame.x(begins), frame.x(ends or frame.to)
        likely = None
        if finish is not None and ends is not None:
            early, late = frame.x(finish[0]), frame.x(finish[2])
            likely = Block("curing", early, max(round(late - early, 1), _LEAST_BAR))
        bars.append(StartBar(x, max(round(to - x, 1), _LEAST_BAR), likely))
    return Starts(frame.width, hours(frame, zone), bars)


@dataclass(frozen=True, slots=True)
class Side:
    """What a plan takes."""

    ends: datetime | None
    hands_on_h: float
    keyings: int
    mixes: int
    parts: int
    stuck: int


def side_of(said: PlanSaid) -> Side:
    """Return what a plan takes, for plans side by side."""
    mixes = sum(line.kind == "mix" for line in said.lines)
    stuck = sum(bool(p.stuck) for p in said.parts)
    return Side(said.ends, said.hands_on_h, said.keyings, mixes, len(said.parts), stuck)

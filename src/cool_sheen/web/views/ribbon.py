"""The ribbon: a part's phases along time, as rectangles, ticks and labels that never cross the now line."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from functools import lru_cache
from zoneinfo import ZoneInfo

from cool_sheen.core.climate.gates import Shut
from cool_sheen.core.climate.series import instant
from cool_sheen.core.drying.phases import Phase, Span
from cool_sheen.core.part.film_clock import CoatClock

WIDTH, BAR_TOP, BAR_HEIGHT, HEIGHT = 690.0, 18.0, 26.0, 58.0
_CHAR, _PAD = 6.4, 6.0  # of the label's type, in units of the picture
_KEEP_OFF = 5.0  # a label stays this far from the now line

WORDS: dict[str, tuple[str, ...]] = {  # the longest that fits is written
    "wet": ("wet – hands off", "wet"),
    "open": ("open – coat as is", "open"),
    "untested": ("open – test first", "open"),
    "closing": ("closing",),
    "locked": ("locked – neither coat nor sand", "locked"),
    "key": ("key first – sand, wipe, coat", "key first", "key"),
    "keyed": ("keyed – wipe, then coat", "keyed"),
    "curing": ("curing", "cure"),
    "cured": ("cured",),
    "bare": ("not coated yet", "bare"),
    "shut": ("window shut – a fresh coat first", "fresh coat first", "fresh"),
}


@dataclass(frozen=True, slots=True)
class Frame:
    """The stretch of time that a picture shows."""

    since: datetime
    to: datetime
    now: datetime
    width: float = WIDTH

    def x(self, at: datetime) -> float:
        """Place of an instant, held inside the picture."""
        share = (at - self.since) / (self.to - self.since)
        return round(min(max(share, 0.0), 1.0) * self.width, 1)


@dataclass(frozen=True, slots=True)
class Block:
    """One phase."""

    phase: str
    x: float
    width: float


@dataclass(frozen=True, slots=True)
class Label:
    """A word on its own plate, so that no hatch runs through it."""

    text: str
    phase: str
    x: float
    width: float


@dataclass(frozen=True, slots=True)
class Tick:
    """A coat, a sanding or a test."""

    kind: str
    x: float
    text: str


@dataclass(frozen=True, slots=True)
class Ribbon:
    """All that the macro draws."""

    width: float
    now_x: float
    blocks: list[Block]
    gates: list[Block]
    labels: list[Label]
    ticks: list[Tick]
    hours: list[Tick]
    says: str
    height: float = HEIGHT
    bar_top: float = BAR_TOP
    bar_height: float = BAR_HEIGHT


@dataclass(frozen=True, slots=True)
class Story:
    """What a ribbon tells: the clocks of the coats, and what else was done."""

    clocks: Sequence[CoatClock]
    sandings: Sequence[datetime] = ()
    tests: Sequence[tuple[datetime, bool]] = ()
    keyed: datetime | None = None
    finishing: bool = False  # nothing more is to come on top
    cured_at: datetime | None = None
    shut: Sequence[Shut] = field(default_factory=tuple)


def frame_around(now: datetime, back: timedelta, ahead: timedelta, width: float = WIDTH) -> Frame:
    """Return a frame around the present."""
    return Frame(now - back, now + ahead, now, width)


def draw(story: Story, frame: Frame, zone: ZoneInfo) -> Ribbon:
    """Compute a ribbon.

    Args:
        story: What there is to tell.
        frame: The stretch of time and the width of the picture.
        zone: The shop's time zone, for the hours.
    """
    spans = _spans(story) or [("bare", frame.since, None)]
    blocks = [b for phase, since, to in spans if (b := _block(phase, since, to, frame))]
    gates = [b for s in story.shut if (b := _block("gate", max(instant(s.since_s), frame.now), instant(s.to_s), frame))]
    ticks = _ticks(story, frame)
    labels = _labels(blocks, frame)
    return Ribbon(
        frame.width, frame.x(frame.now), blocks, gates, labels, ticks, hours(frame, zone), _says(spans, frame, zone)
    )


def _spans(story: Story) -> list[tuple[str, datetime, datetime | None]]:
    """Phases of coat after coat: each coat's end where the next one begins."""
    out: list[tuple[str, datetime, datetime | None]] = []
    for place, clock in enumerate(story.clocks):
        last = place + 1 == len(story.clocks)
        until = None if last else story.clocks[place + 1].coat.ended_at
        spans = _finishing(clock, story) if last and story.finishing else [_named(s, clock) for s in clock.spans]
        if last and story.keyed:
            spans = [*_cut(spans, story.keyed), (Phase.KEYED, story.keyed, None)]
        out += _cut(spans, until) if until else spans
    return out


def _named(span: Span, clock: CoatClock) -> tuple[str, datetime, datetime | None]:
    word = "untested" if span.phase is Phase.OPEN and not clock.tested else str(span.phase)
    return word, span.since, span.to


def _finishing(clock: CoatClock, story: Story) -> list[tuple[str, datetime, datetime | None]]:
    """Nothing more is to come on top: after wet the film only cures."""
    wet = [_named(s, clock) for s in clock.spans if s.phase is Phase.WET]
    begins = wet[-1][2] if wet else clock.coat.ended_at
    if begins is None:
        return wet
    if story.cured_at is None:
        return [*wet, ("curing", begins, None)]
    return [*wet, ("curing", begins, max(begins, story.cured_at)), ("cured", max(begins, story.cured_at), None)]


def _cut(
    spans: list[tuple[str, datetime, datetime | None]], until: datetime
) -> list[tuple[str, datetime, datetime | None]]:
    return [(p, since, until if to is None else min(to, until)) for p, since, to in spans if since < until]


def _block(phase: str, since: datetime, to: datetime | None, frame: Frame) -> Block | None:
    if since >= frame.to or (to is not None and (to <= frame.since or to <= since)):
        return None
    x0, x1 = frame.x(since), frame.x(to or frame.to)
    return Block(phase, x0, round(x1 - x0, 1)) if x1 > x0 else None


def _labels(blocks: list[Block], frame: Frame) -> list[Label]:
    """Write the longest word that fits beside the now line; a block without room has none."""
    now_x = frame.x(frame.now)
    out = []
    for block in blocks:
        end = block.x + block.width
        rooms = [(block.x, end)]
        if block.x < now_x < end:  # what is to come matters more than what was
            rooms = [(now_x + _KEEP_OFF - _PAD / 2, end), (block.x, now_x - _KEEP_OFF + _PAD / 2)]
        fits = (
            Label(word, block.phase, round(left + _PAD / 2, 1), round(len(word) * _CHAR + _PAD, 1))
            for word in WORDS.get(block.phase, ())
            for left, right in rooms
            if len(word) * _CHAR + 2 * _PAD <= right - left
        )
        if label := next(fits, None):
            out.append(label)
    return out


def _ticks(story: Story, frame: Frame) -> list[Tick]:
    numbers: dict[str, int] = {}
    ticks = []
    for clock in story.clocks:
        layer = clock.coat.payload.layer_id
        numbers[layer] = numbers.get(layer, 0) + 1
        ticks.append(("coat", clock.coat.ended_at, f"{layer[0]}{numbers[layer]}"))
    ticks += [("sand", at, "") for at in story.sandings]
    ticks += [("ready" if ready else "not-ready", at, "") for at, ready in story.tests]
    drawn = [Tick(kind, frame.x(at), text) for kind, at, text in ticks if frame.since <= at <= frame.to]
    return _without_crowding(drawn)


def _without_crowding(ticks: list[Tick]) -> list[Tick]:
    """Drop the text of a tick whose neighbour to the right stands too close for it."""
    out = []
    for tick in ticks:
        crowded = any(o is not tick and o.text and 0 <= o.x - tick.x < 20 for o in ticks)
        out.append(Tick(tick.kind, tick.x, "") if crowded else tick)
    return out


_HOUR_STEPS = (1, 2, 3, 6, 12, 24, 48, 96)


def hours(frame: Frame, zone: ZoneInfo) -> list[Tick]:
    """Full hours along the top, as many as have room; over two days and more, days."""
    return list(_hours(frame, zone))


@lru_cache(maxsize=16)  # all lanes of a Bench share their frames
def _hours(frame: Frame, zone: ZoneInfo) -> tuple[Tick, ...]:
    span_h = (frame.to - frame.since).total_seconds() / 3600
    step = next((s for s in _HOUR_STEPS if frame.width / (span_h / s) >= 46), _HOUR_STEPS[-1])
    local = frame.since.astimezone(zone).replace(minute=0, second=0, microsecond=0)
    at = local + timedelta(hours=1)
    out = []
    while at.astimezone(frame.to.tzinfo) <= frame.to:
        if at.hour % min(step, 24) == 0 and (step <= 24 or at.toordinal() % (step // 24) == 0):
            text = f"{at:%a %-d}" if step >= 24 or (step >= 6 and at.hour == 0) else f"{at:%H:%M}"
            out.append(Tick("hour", frame.x(at), text))
        at = (at.astimezone(frame.to.tzinfo) + timedelta(hours=1)).astimezone(zone)
    return tuple(out)


def _says(spans: list[tuple[str, datetime, datetime | None]], frame: Frame, zone: ZoneInfo) -> str:
    """The ribbon in words, for who cannot see it."""
    ahead = [(p, since, to) for p, since, to in spans if to is None or to > frame.now]
    words = [
        f"{WORDS[p][0]} until {to.astimezone(zone):%a %H:%M}" if to else f"{WORDS[p][0]} from then on"
        for p, _, to in ahead
    ]
    return "; ".join(words)

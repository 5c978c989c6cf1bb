"""The story of a part as pictures: zones, climate, batches and what happened on one axis that leaves idle time out."""

from bisect import bisect_right
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from zoneinfo import ZoneInfo

import numpy as np

from cool_sheen.core.climate.series import Series, seconds
from cool_sheen.core.log.entries import Recorded
from cool_sheen.core.part.story import Came, ZoneStory
from cool_sheen.core.units import amount
from cool_sheen.service.part_now import PartNow
from cool_sheen.service.story import Story
from cool_sheen.store.models import Photo
from cool_sheen.web.views import ribbon
from cool_sheen.web.views.ribbon import Frame, Ribbon

WIDTH, NARROW = 1180.0, 340.0
IDLE = timedelta(hours=5)  # longer than that without anything done is left out
_GAP, _AROUND, _LEAST = 30.0, timedelta(minutes=25), timedelta(minutes=50)
_AIR_HEIGHT, _MARK_ROW = 84.0, 26.0
_POINTS = 360


@dataclass(frozen=True, slots=True)
class Stretch:
    """A stretch of work on the axis; what lies between two of them is left out."""

    since: datetime
    to: datetime
    x: float
    width: float


@dataclass(frozen=True, slots=True)
class Folded(Frame):
    """A frame whose idle time is folded away."""

    stretches: tuple[Stretch, ...] = ()

    def x(self, at: datetime) -> float:
        """Place of an instant, held inside the picture; idle time has no more than the width of its fold."""
        n = bisect_right([s.since for s in self.stretches], at) - 1
        if n < 0:
            return 0.0
        here = self.stretches[n]
        if at <= here.to:
            share = (at - here.since) / (here.to - here.since)
            return round(here.x + share * here.width, 1)
        if n + 1 == len(self.stretches):
            return round(here.x + here.width, 1)
        after = self.stretches[n + 1]
        share = (at - here.to) / (after.since - here.to)
        return round(here.x + here.width + share * (after.x - here.x - here.width), 1)


@dataclass(frozen=True, slots=True)
class Fold:
    """Where idle time is folded away, and how much of it."""

    x: float
    width: float
    words: str


@dataclass(frozen=True, slots=True)
class Word:
    """A word on the axis, or beside a picture."""

    x: float
    text: str


@dataclass(frozen=True, slots=True)
class Sign:
    """Something that happened: its number in the list below, and what it is."""

    number: int
    x: float
    y: float
    kind: str
    words: str


@dataclass(frozen=True, slots=True)
class Pot:
    """A batch, from its first pour to its end."""

    x: float
    width: float
    y: float
    words: str
    address: str


@dataclass(frozen=True, slots=True)
class Air:
    """The climate under it all: lines stretch by stretch, and what each end of the scale means."""

    height: float
    air: str
    surface: str
    humidity: str
    low: str
    high: str
    says: str


@dataclass(frozen=True, slots=True)
class Picture:
    """All that the page draws, on one axis."""

    width: float
    days: list[Word]
    hours: list[Word]
    folds: list[Fold]
    zones: list[tuple[str, Ribbon]]
    air: Air
    signs: list[Sign]
    signs_height: float
    pots: list[Pot]
    pots_height: float


def folded(times: Sequence[datetime], since: datetime, until: datetime, width: float) -> Folded:
    """Return a frame over a life, with stretches of idle time folded away.

    Args:
        times: When something was done.
        since: When it begins.
        until: When it ends.
        width: Of the picture.
    """
    spans: list[list[datetime]] = []
    for at in sorted({*times, since, until}):
        if spans and at - spans[-1][1] <= IDLE:
            spans[-1][1] = at
        else:
            spans.append([at, at])
    ends = [(a - _AROUND, b + _AROUND) for a, b in spans]
    gap = min(_GAP, 0.4 * width / len(ends))
    lengths = [max(b - a, _LEAST) / timedelta(hours=1) for a, b in ends]
    scale = (width - gap * (len(ends) - 1)) / sum(lengths)
    x, stretches = 0.0, []
    for (a, b), length in zip(ends, lengths, strict=True):
        stretches.append(Stretch(a, b, round(x, 1), round(length * scale, 1)))
        x += length * scale + gap
    return Folded(ends[0][0], ends[-1][1], until, width, tuple(stretches))


def draw(
    story: Story, found: PartNow, photos: Sequence[Photo], zone: ZoneInfo, units: str, width: float = WIDTH
) -> Picture:
    """Draw a story.

    Args:
        story: What there is to tell.
        found: The part, for the names of its zones.
        photos: Its photos.
        zone: The shop's time zone.
        units: The shop's units.
        width: Of the picture.
    """
    times = [*story.works, *(p.taken_at for p in photos), *(b.begun for b in story.batches)]
    frame = folded([t for t in times if t <= story.until], story.since, story.until, width)
    rows = numbered(story, photos, lambda row: "")
    signs = [Sign(r.number, 0.0, 0.0, r.kind, r.words) for r in rows]
    placed, height = _placed([(s, _inside(frame.x(r.at), width)) for s, r in zip(signs, rows, strict=True)])
    pots, pots_height = _pots(story, frame, found)
    return Picture(
        width,
        _days(frame, zone),
        _hours(frame, zone),
        _folds(frame),
        [(found.situation.names(z.zones), _ribbon(z, found, frame, zone)) for z in story.zones],
        _air(story.air, frame, units),
        placed,
        height,
        pots,
        pots_height,
    )


def _ribbon(told: ZoneStory, found: PartNow, frame: Folded, zone: ZoneInfo) -> Ribbon:
    film = next(f for f in found.situation.films if f.zones & told.zones)
    key = film.key.since or film.key.sanded
    return ribbon.draw(
        ribbon.Story(
            clocks=told.clocks,
            sandings=[w.at for w in told.history.works if w.kind == "sand"],
            tests=[(t.at, t.payload.ready) for t in told.history.touches],
            keyed=key if told.clocks else None,
            finishing=film.following is None,
            cured_at=_cured(told),
        ),
        frame,
        zone,
    )


def _cured(told: ZoneStory) -> datetime | None:
    band = told.clocks[-1].bands.get("full_cure") if told.clocks else None
    return band.likely if band else None


def _days(frame: Folded, zone: ZoneInfo) -> list[Word]:
    """The date at the head of each stretch, and at each midnight inside one; what has no room is left out."""
    out: list[Word] = []
    for stretch in frame.stretches:
        at = stretch.since.astimezone(zone)
        while at <= stretch.to:
            x = frame.x(at)
            if not out or x - out[-1].x >= 44:
                out.append(Word(x, f"{at:%-d %b}"))
            at = (at + timedelta(days=1)).replace(hour=0, minute=0, second=0, microsecond=0)
    return out


def _hours(frame: Folded, zone: ZoneInfo) -> list[Word]:
    out: list[Word] = []
    for stretch in frame.stretches:
        at = stretch.since.astimezone(zone).replace(minute=0, second=0, microsecond=0) + timedelta(hours=1)
        while at <= stretch.to:
            x = frame.x(at)
            if 12 <= x - stretch.x <= stretch.width - 12 and (not out or x - out[-1].x >= 40):
                out.append(Word(x, f"{at:%H}"))
            at += timedelta(hours=1)
    return out


def _folds(frame: Folded) -> list[Fold]:
    out = []
    for one, other in zip(frame.stretches, frame.stretches[1:], strict=False):
        idle = (other.since - one.to) / timedelta(hours=1)
        words = f"{idle / 24:.0f} d" if idle >= 36 else f"{idle:.0f} h"
        left = one.x + one.width
        out.append(Fold(round(left, 1), round(other.x - left, 1), words))
    return out


def _air(series: Series, frame: Folded, units: str) -> Air:
    """Lines of the air, the surface and the humidity, broken where time is folded away."""
    pieces = []
    for stretch in frame.stretches:
        count = max(3, int(_POINTS * stretch.width / frame.width))
        at = np.linspace(seconds(stretch.since), seconds(stretch.to), count)
        pieces.append((np.linspace(stretch.x, stretch.x + stretch.width, count), series.sampled(at)))
    temps = np.concatenate([np.concatenate([s.air_temp_c, s.surface_temp_c]) for _, s in pieces])
    low, high = float(temps.min()) - 1.0, float(temps.max()) + 1.0

    def path(value: Callable[[Series], np.ndarray], least: float, most: float) -> str:
        lines = []
        for xs, shown in pieces:
            ys = _AIR_HEIGHT - (value(shown) - least) / (most - least) * _AIR_HEIGHT
            lines.append("M" + " L".join(f"{x:.1f} {y:.1f}" for x, y in zip(xs, ys, strict=True)))
        return " ".join(lines)

    humid = np.concatenate([s.rh_pct for _, s in pieces])
    coldest, warmest = (amount(t, "temperature", units, 0) for t in (low + 1.0, high - 1.0))
    return Air(
        _AIR_HEIGHT,
        path(lambda s: s.air_temp_c, low, high),
        path(lambda s: s.surface_temp_c, low, high),
        path(lambda s: s.rh_pct, 0.0, 100.0),
        coldest,
        warmest,
        f"Air and surface from {coldest} to {warmest}, humidity from {humid.min():.0f} to {humid.max():.0f} %.",
    )


def _inside(x: float, width: float) -> float:
    return min(max(x, _MARK_ROW / 2), width - _MARK_ROW / 2)


def _placed(signs: Sequence[tuple[Sign, float]]) -> tuple[list[Sign], float]:
    """Put signs in as few rows as keep them apart."""
    rows: list[float] = []
    out = []
    for sign, x in signs:
        n = next((n for n, last in enumerate(rows) if x - last >= _MARK_ROW), len(rows))
        if n == len(rows):
            rows.append(x)
        rows[n] = x
        out.append(Sign(sign.number, x, n * _MARK_ROW + _MARK_ROW / 2, sign.kind, sign.words))
    return out, max(1, len(rows)) * _MARK_ROW


def _pots(story: Story, frame: Folded, found: PartNow) -> tuple[list[Pot], float]:
    rows: list[float] = []
    out = []
    for state in story.batches:
        x0 = frame.x(state.begun)
        x1 = max(x0 + 8, frame.x(state.ended or story.until))
        n = next((n for n, end in enumerate(rows) if x0 - end >= 4), len(rows))
        if n == len(rows):
            rows.append(x1)
        rows[n] = x1
        name = found.products[state.plan.product].name if state.plan.product in found.products else state.plan.name
        out.append(Pot(x0, round(x1 - x0, 1), n * 18.0, name, f"/mix/{state.uuid}"))
    return out, len(rows) * 18.0


@dataclass(frozen=True, slots=True)
class Line:
    """A line of the list below the picture."""

    number: int
    at: datetime
    kind: str
    words: str
    photo: Photo | None = None


def numbered(story: Story, photos: Sequence[Photo], words: Callable[[Recorded], str]) -> list[Line]:
    """Return what happened, photos among it, numbered in order of time."""
    told: list[tuple[datetime, str, str, Photo | None]] = [
        (r.entry.occurred_at, r.entry.payload.kind, words(r), None) for r in story.happened
    ]
    told += [(p.taken_at, "photo", p.words or "Photo", p) for p in photos]
    told.sort(key=lambda row: row[0])
    return [Line(n, at, kind, said, photo) for n, (at, kind, said, photo) in enumerate(told, 1)]


@dataclass(frozen=True, slots=True)
class CameRow:
    """A coat in the table of what was promised against what came."""

    coat: str
    zones: str
    on: datetime
    film: str
    promised: str
    came: str
    off: str
    verdict: str
    followed: str


_VERDICTS = {"within": "within the band", "early": "before the band", "late": "after the band", "": ""}


def came_rows(story: Story, found: PartNow, zone: ZoneInfo, units: str) -> list[CameRow]:
    """Return every coat once: those of several groups of zones with the first of them."""
    seen: set[object] = set()
    out = []
    for told in story.zones:
        for row in told.came:
            key = (row.coat.uuid, row.tested)
            if key not in seen:
                seen.add(key)
                out.append(_came_row(row, found, zone, units))
    return sorted(out, key=lambda r: r.on)


def _came_row(row: Came, found: PartNow, zone: ZoneInfo, units: str) -> CameRow:
    coat = row.coat
    names = {layer.id: layer.name for layer in found.system.layers}
    kind = "" if coat.payload.coat_kind == "full" else f", {coat.payload.coat_kind}"
    band = row.promised
    said = ""
    if band is not None and band.early:
        said = f"{_clock(band.early, zone)} to {_until(band.late, band.early, zone)}"
    late = row.late_by
    off = (
        ""
        if late is None
        else "on time"
        if abs(late) < 1
        else f"{abs(late):.0f} min {'later' if late > 0 else 'sooner'}"
    )
    return CameRow(
        f"{names.get(coat.payload.layer_id, coat.payload.layer_id)}{kind}",
        found.situation.names(coat.zones),
        coat.ended_at,
        amount(coat.payload.film_um, "film", units),
        said,
        _clock(row.tested, zone) if row.tested else "not touched",
        off,
        _VERDICTS[row.verdict],
        _clock(row.followed, zone) if row.followed else "",
    )


def _until(at: datetime | None, since: datetime, zone: ZoneInfo) -> str:
    if at is None:
        return "never"
    same_day = at.astimezone(zone).date() == since.astimezone(zone).date()
    return f"{at.astimezone(zone):%H:%M}" if same_day else _clock(at, zone)


def _clock(at: datetime, zone: ZoneInfo) -> str:
    return f"{at.astimezone(zone):%-d %b %H:%M}"

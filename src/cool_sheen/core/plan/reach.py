"""What a part has reached by a date: which marks of its last films, and what it may be used for by then."""

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from uuid import UUID

from cool_sheen.core.drying.clock import Band
from cool_sheen.core.drying.milestones import WORDS
from cool_sheen.core.part.placing import lay_all
from cool_sheen.core.part.situation import Situation
from cool_sheen.core.part.top import Top
from cool_sheen.core.work.steps import CoatStep

# Mark -> what is safe from it on. A shop rule; the sheet decides.
USES: dict[str, tuple[str, ...]] = {
    "turn": ("turn it over on padding",),
    "handle": ("carry", "hang"),
    "assemble": ("fit together",),
    "full_cure": ("stack", "wash", "load"),
}
_SHOWN = tuple(name for name in WORDS if name not in ("flash", "recoat_closes"))


@dataclass(frozen=True, slots=True)
class Reached:
    """A mark by a date: ``yes`` by the late edge, ``likely`` by the middle of the band, else ``no``."""

    name: str
    answer: str
    band: Band


@dataclass(frozen=True, slots=True)
class ByDate:
    """What is reached by a date, what is safe by then and what is not yet, and what of the plan comes after it."""

    at: datetime
    marks: tuple[Reached, ...]
    safe: tuple[str, ...]
    not_yet: tuple[str, ...]
    last_coat: datetime | None  # when the last coat is on by the plan; None where none is to come
    stuck: str = ""


def by_date(situation: Situation, at: datetime) -> ByDate:
    """Say what a part reaches by a date, when its work goes on as planned.

    Args:
        situation: The part at this moment.
        at: The date.

    Returns: The marks of the films that lie on top when all is done, each by the slowest zone, in the usual order.
    Source: docs/trade.md, Phases: openings are taken late.
    """
    placed, tops, stuck = lay_all(situation)
    coats = [p.end for p in placed if isinstance(p.step, CoatStep)]
    return reached(tops, at, max(coats, default=None), stuck)


def reached(tops: Mapping[UUID, Top | None], at: datetime, last_coat: datetime | None, stuck: str = "") -> ByDate:
    """Say what films reach by a date that lie on top when all is done; nothing is, where a zone stays bare."""
    films = list(dict.fromkeys(t for t in tops.values() if t is not None))
    if len(films) == 0 or any(t is None for t in tops.values()):
        return ByDate(at, (), (), tuple(u for uses in USES.values() for u in uses), last_coat, stuck)
    marks = tuple(_reached(name, [t.bands[name] for t in films if name in t.bands], at) for name in _SHOWN)
    safe = [use for name, uses in USES.items() if _safe(name, films, at) for use in uses]
    not_yet = [use for uses in USES.values() for use in uses if use not in safe]
    known = tuple(mark for mark in marks if mark is not None)
    return ByDate(at, known, tuple(safe), tuple(not_yet), last_coat, stuck)


def _reached(name: str, bands: list[Band], at: datetime) -> Reached | None:
    """A mark by the slowest film; None where no film has it."""
    if not bands:
        return None
    slowest = max(bands, key=lambda b: _never_last(b.late))
    answer = "yes" if _by(slowest.late, at) else "likely" if _by(slowest.likely, at) else "no"
    return Reached(name, answer, slowest)


def _safe(name: str, films: list[Top], at: datetime) -> bool:
    """Whether every film has reached a mark, or the one that stands in for it, by the late edge."""
    bands = [film.band_of(name)[1] for film in films]
    return all(band is not None and _by(band.late, at) for band in bands)


def _by(reached: datetime | None, at: datetime) -> bool:
    return reached is not None and reached <= at


def _never_last(at: datetime | None) -> float:
    return float("inf") if at is None else at.timestamp()

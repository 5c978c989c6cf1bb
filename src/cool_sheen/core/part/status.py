"""How each zone stands now, side by side: its phase, until when, and which closes first."""

from dataclasses import dataclass
from datetime import datetime
from enum import StrEnum

from cool_sheen.core.drying.clock import Band
from cool_sheen.core.drying.phases import Phase
from cool_sheen.core.log.history import Zones
from cool_sheen.core.part.film_clock import CoatClock, mark_of
from cool_sheen.core.part.situation import Situation, ZoneFilm


class State(StrEnum):
    """How zones, or what is next for them, stand: the phases, and what lies over them."""

    WET = "wet"
    OPEN = "open"
    CLOSING = "closing"
    LOCKED = "locked"
    KEY = "key"
    KEYED = "keyed"
    SHUT = "shut"
    CURED = "cured"
    CURING = "curing"
    BARE = "bare"
    GATE = "gate"
    LIMIT = "limit"
    DONE = "done"


@dataclass(frozen=True, slots=True)
class ZoneStatus:
    """Zones that stand alike. ``until`` is when the state likely ends; ``closes`` the band of an open window's end."""

    zones: Zones
    state: State
    until: datetime | None
    closes: Band | None
    tested: bool
    film: ZoneFilm
    warnings: tuple[str, ...] = ()


def statuses(situation: Situation) -> list[ZoneStatus]:
    """Say how every zone stands, those that close first at the head."""
    rows = [status_of(film, situation.now) for film in situation.films]
    far = datetime.max.replace(tzinfo=situation.now.tzinfo)
    return sorted(rows, key=lambda row: row.closes.early if row.closes and row.closes.early else far)


def status_of(film: ZoneFilm, now: datetime) -> ZoneStatus:
    """Say how zones with one film stand.

    Args:
        film: Their clocks and their key.
        now: The present.
    """
    top = film.top
    if top is None:
        return ZoneStatus(film.zones, State.BARE, None, None, False, film)
    warnings = (_no_key(top),) if film.key.too_early else ()
    state, until = _finishing(top, now) if film.following is None else _state(film, top, now)
    closes = _window_end(film) if state in (State.OPEN, State.CLOSING) else None
    if closes and closes.early and closes.early <= now:
        state = State.CLOSING
    return ZoneStatus(film.zones, state, until, closes, top.tested, film, warnings)


def _no_key(top: CoatClock) -> str:
    """Why what was abraded is not keyed."""
    if "sand" in top.keyed_by:
        return "sanded before it could take it: that is no key, sand it again when it is dry"
    how = "a pad keys it when it is dry" if top.keyed_by else "it wants a fresh coat of itself"
    return f"sanded, and {'grit' if top.gritty else 'this film'} is never sanded: that is no key, {how}"


def _window_end(film: ZoneFilm) -> Band | None:
    """When the open window of a film closes; None for what has no closing."""
    top = film.top
    return None if top is None or film.key.sanded else top.closes


def _state(film: ZoneFilm, top: CoatClock, now: datetime) -> tuple[State, datetime | None]:
    if film.key.sanded is not None:
        return State.KEYED, None
    span = top.phase_at(now)
    return State(span.phase.value), span.to


def _finishing(top: CoatClock, now: datetime) -> tuple[State, datetime | None]:
    """Nothing more is to come on top: after wet the film only cures."""
    span = top.phase_at(now)
    if span.phase is Phase.WET:
        return State.WET, span.to
    mark = mark_of(top.product, "full_cure")
    cured = top.bands[mark].likely if mark else None
    return (State.CURED, None) if mark is None or (cured and cured <= now) else (State.CURING, cured)

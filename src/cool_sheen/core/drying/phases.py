"""What may happen to a film as it stands: wet, open, locked, key."""

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime, timedelta
from enum import StrEnum

from cool_sheen.core.drying.clock import Band
from cool_sheen.core.errors import Inconsistent


class Phase(StrEnum):
    """The next-coat phases, in order of time; ``closing`` is the last part of ``open``."""

    WET = "wet"
    OPEN = "open"
    CLOSING = "closing"
    LOCKED = "locked"
    KEY = "key"
    KEYED = "keyed"
    SHUT = "shut"  # past its window, and never sanded: a fresh coat of itself
    CURED = "cured"


@dataclass(frozen=True, slots=True)
class RecoatRule:
    """Which milestones bound the window for what follows."""

    opens: str
    closes: str | None = None
    lifts_until: str | None = None
    sand: str | None = None
    redissolves: bool = False

    def names(self) -> dict[str, str]:
        """Return the milestones that the rule speaks of, by the rule's own words."""
        pairs = {"opens": self.opens, "closes": self.closes, "lifts_until": self.lifts_until, "sand": self.sand}
        return {key: name for key, name in pairs.items() if name}


@dataclass(frozen=True, slots=True)
class Span:
    """A phase and its time; ``to`` is None when it stays."""

    phase: Phase
    since: datetime
    to: datetime | None


_CLOSING_SHARE, _CLOSING_AT_MOST = 0.25, timedelta(hours=1)


def phases(start: datetime, rule: RecoatRule, marks: Mapping[str, datetime | None]) -> list[Span]:
    """Phases of a film from its coat on.

    Args:
        start: When the coat ended.
        rule: The recoat rule for what follows.
        marks: When each milestone is reached; None for one that never is.

    Returns: Spans without gaps, the last one open-ended; empty phases are left out.
    Raises: Inconsistent: the rule names a milestone that is not in ``marks``.
    """
    for word, name in rule.names().items():
        if name not in marks:
            raise Inconsistent(f"The recoat rule names “{name}”, which is no milestone here.", f"recoat.{word}")
    opens = marks[rule.opens]
    if opens is None:
        return [Span(Phase.WET, start, None)]
    closes = None if rule.redissolves or rule.closes is None else marks[rule.closes]
    wet = [Span(Phase.WET, start, opens)] if opens > start else []
    if closes is None:
        return [*wet, Span(Phase.OPEN, max(opens, start), None)]
    spans = wet
    if closes > opens:
        spans.append(Span(Phase.OPEN, max(opens, start), closes))
    shut = max(opens, closes)
    waits = [marks[name] for name in (rule.sand, rule.lifts_until) if name]
    if any(wait is None for wait in waits):
        return [*spans, Span(Phase.LOCKED, shut, None)]
    ends = max([w for w in waits if w is not None], default=shut)
    if ends > shut:
        spans.append(Span(Phase.LOCKED, shut, ends))
    return [*spans, Span(Phase.KEY, max(shut, ends), None)]


def with_closing(spans: list[Span]) -> list[Span]:
    """Show the last quarter of an open window, an hour at most, as closing."""
    out: list[Span] = []
    for span in spans:
        if span.phase is Phase.OPEN and span.to is not None:
            turn = span.to - min((span.to - span.since) * _CLOSING_SHARE, _CLOSING_AT_MOST)
            out += [Span(Phase.OPEN, span.since, turn), Span(Phase.CLOSING, turn, span.to)]
        else:
            out.append(span)
    return out


def never_keyed(spans: list[Span]) -> list[Span]:
    """Phases of a film that is never sanded: past its window it has no key, and wants a fresh coat of itself."""
    out: list[Span] = []
    for span in spans:
        phase = Phase.SHUT if span.phase in (Phase.LOCKED, Phase.KEY) else span.phase
        if out and out[-1].phase is phase:
            out[-1] = Span(phase, out[-1].since, span.to)
        else:
            out.append(Span(phase, span.since, span.to))
    return out


def likely(bands: Mapping[str, Band]) -> dict[str, datetime | None]:
    """Return the likely instants of all milestones."""
    return {name: band.likely for name, band in bands.items()}

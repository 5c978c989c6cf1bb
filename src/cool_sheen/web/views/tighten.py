"""How far the search for a better plan is: what no plan beats, the best so far, the plan as it was, on one line."""

from dataclasses import dataclass
from datetime import datetime
from typing import Any
from zoneinfo import ZoneInfo

from cool_sheen.service.apart import Told

WIDTH = 480.0
_BEFORE, _AFTER = 0.1, 0.06  # of the width is left on either side
_LEAST_S = 3600.0


@dataclass(frozen=True, slots=True)
class Tightening:
    """How far it is.

    Attributes:
        tries: Plans that were laid out.
        share: Of the time that it has. [0 to 1]
        bound: Before which no plan has all done.
        best: When the best plan has.
        first: When the plan had before.
        gap: How much longer the best takes than the bound, as a share; None where a part has no end.
        is_best: Whether nothing can end sooner.
        stuck: Parts without an end.
    """

    tries: int
    share: float
    bound: datetime | None
    best: datetime | None
    first: datetime | None
    gap: float | None
    is_best: bool
    stuck: int

    @property
    def x(self) -> dict[str, float]:
        """Where bound, best and first stand on a line. [px]"""
        named = {"bound": self.bound, "best": self.best, "first": self.first}
        known = {name: at.timestamp() for name, at in named.items() if at}
        if not known:
            return {}
        since, until = min(known.values()), max(known.values())
        per = WIDTH * (1 - _BEFORE - _AFTER) / max(until - since, _LEAST_S)
        return {name: round(WIDTH * _BEFORE + (at - since) * per, 1) for name, at in known.items()}

    @property
    def sooner_h(self) -> float:
        """How much sooner the best has all done than the plan before. [h]"""
        return (self.first - self.best).total_seconds() / 3600 if self.first and self.best else 0.0

    @property
    def gap_words(self) -> str:
        """How far from the bound it is, in words."""
        if self.best is None:
            return "no part has an end" if self.tries else "the first is laid out"
        if self.gap is None:
            return "how much sooner it could be is not known"
        words = (
            "no plan is done sooner" if self.is_best else f"at most {100 * self.gap:.1f} % longer than it has to take"
        )
        stuck = f"; {self.stuck} {'part has' if self.stuck == 1 else 'parts have'} no end" if self.stuck else ""
        return words + stuck

    def shown(self, zone: ZoneInfo) -> dict[str, Any]:
        """All that an open page shows of it."""
        best = "–" if self.best is None else self.best.astimezone(zone).strftime("%a %-d %b %H:%M")
        words = {"best": best, "tries": str(self.tries), "gap": self.gap_words}
        return {"words": words, "share": round(self.share, 3), "x": self.x}


def tightening(told: Told) -> Tightening:
    """Read what a search told; nothing was told yet when it is empty."""

    def at(name: str) -> datetime | None:
        return datetime.fromisoformat(told[name]) if told.get(name) else None

    spent, seconds = float(told.get("spent", 0.0)), float(told.get("seconds", 0.0))
    return Tightening(
        tries=int(told.get("tries", 0)),
        share=min(spent / seconds, 1.0) if seconds else 0.0,
        bound=at("bound"),
        best=at("best"),
        first=at("first"),
        gap=told.get("gap"),
        is_best=bool(told.get("is_best")),
        stuck=int(told.get("stuck", 0)),
    )

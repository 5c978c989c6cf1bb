"""The gate of the coat that will really go on: its film, hardener, doses, learned factor, and its minutes."""

import math
from dataclasses import dataclass, replace
from datetime import datetime

from cool_sheen.core.climate.gates import Breach, Limits, Shut, first_met
from cool_sheen.core.climate.series import instant, seconds
from cool_sheen.core.coatings.products import Product
from cool_sheen.core.drying.blend import AS_USUAL, Blend, drying_with, limits_with
from cool_sheen.core.drying.clock import DEFAULT_LN_SD, P90, Clock, FilmBelow, film_with, still_to_go
from cool_sheen.core.drying.milestones import DryingData, Milestone
from cool_sheen.core.once import cached_property
from cool_sheen.core.part.climate import PartClimate
from cool_sheen.core.units import Micron, Minutes

STANDS_STILL = "too cold or damp to dry in time"
_SETTLED_S = 0.5


@dataclass(frozen=True, slots=True)
class GoingOn:
    """A coat that will go on, as far as its gate cares."""

    drying: DryingData
    limits: Limits
    wet_film_um: Micron
    minutes: Minutes = 0.0  # that putting it on takes
    blend: Blend = AS_USUAL
    coat_kind: str = "full"
    ln_factor_mean: float = 0.0  # what the shop learned
    ln_factor_sd: float = DEFAULT_LN_SD
    below: FilmBelow | None = None  # what may still be drying under it

    @classmethod
    def of_sheet(cls, product: Product, blend: Blend = AS_USUAL) -> "GoingOn":
        """A coat as the sheet lays it: its reference film, and no more known of it than its mix."""
        return cls(product.drying, product.limits.limits(), product.ref_wet_film_um).mixed(blend)

    def mixed(self, blend: Blend) -> "GoingOn":
        """The same coat out of another mix: its hardener's own stall and limits go with it."""
        return replace(
            self,
            drying=drying_with(self.drying, blend.hardener),
            limits=limits_with(self.limits, blend.hardener),
            blend=blend,
        )


def safe_mark(data: DryingData) -> Milestone:
    """The milestone from which weather does a film no more harm: dew safe, else dust free, else the first there is."""
    return data.named("dew_safe") or data.named("dust_free") or data.milestones[0]


def dust_mark(data: DryingData) -> Milestone:
    """The milestone from which sun does a film no more harm: dust free, else tack free, else dew safe."""
    return data.named("dust_free") or data.named("tack_free") or safe_mark(data)


@dataclass(eq=False)
class CoatGate:
    """When one coat may start in one climate: all limits hold from its start until it is dew safe, by the late edge."""

    climate: PartClimate
    coat: GoingOn

    @cached_property
    def _safe(self) -> Milestone:
        return safe_mark(self.coat.drying)

    @cached_property
    def _dust_free(self) -> Milestone:
        return dust_mark(self.coat.drying)

    @cached_property
    def _clock(self) -> Clock:
        return self.climate.clock(self.coat.drying)

    @cached_property
    def _met(self) -> list[Breach]:
        return self.climate.breaches(self.coat.limits)

    @cached_property
    def _met_by_sun(self) -> bool:
        return any(b.until_dust_free for b in self._met)

    def _needed_s(self, ended_s: float, mark: Milestone) -> float:
        """Progress that the coat needs when it ends at an instant, by the late edge. [reference s]"""
        coat = self.coat
        film = film_with(instant(ended_s), coat.wet_film_um, coat.coat_kind, coat.blend)
        film = replace(film, below_um=still_to_go(coat.below, self.climate.clock, film.start))
        late = film.ln_factor_mean + coat.ln_factor_mean + P90 * coat.ln_factor_sd
        return self._clock.needed_s(mark, film) * math.exp(late)

    def safe_s(self, start_s: float, mark: Milestone | None = None) -> float:
        """When a coat that starts at an instant is dew safe, or at another mark; infinite when never. [s since 1970]"""
        ended, mark = start_s + 60 * self.coat.minutes, mark or self._safe
        return self._clock.curve(mark).reached_once(ended, self._needed_s(ended, mark))

    def _stopped_by(self, start_s: float) -> Breach | None:
        safe = self.safe_s(start_s)
        dust_free = self.safe_s(start_s, self._dust_free) if self._met_by_sun else safe
        met = first_met(self._met, start_s, safe, dust_free)
        return Breach(start_s, math.inf, STANDS_STILL) if met is None and math.isinf(safe) else met

    def shut_at(self, at: datetime) -> Shut | None:
        """The stretch that keeps a coat from starting at an instant; None when it may start."""
        start = seconds(at)
        met = self._stopped_by(start)
        if met is None:
            return None
        return Shut(start, self._opens_s(start), _in_words(met, start))

    def _opens_s(self, start_s: float) -> float:
        """When the gate is open next, from an instant on: a whole second in which it is. [s since 1970]"""
        at = start_s
        while (met := self._stopped_by(at)) is not None and at < self.climate.ends_s:
            if math.isinf(met.to_s):
                return math.inf
            at = max(met.to_s, at + _SETTLED_S)
        return math.ceil(at) if met is None else math.inf

    def opens(self, at: datetime) -> datetime | None:
        """The first instant from one on at which a coat may start; None when there is none within the forecast."""
        opens = self._opens_s(seconds(at))
        return None if math.isinf(opens) else instant(opens)

    def closes(self, at: datetime) -> datetime | None:
        """The last instant at which a coat may still start, from an open one on; None when the gate stays open."""
        closes = self._closes_s(seconds(at))
        return None if math.isinf(closes) else instant(closes)

    def _closes_s(self, start_s: float) -> float:
        last = math.inf
        for mark, by_sun in ((self._safe, False), (self._dust_free, True)):
            met = next((b for b in self._met if b.since_s > start_s and b.until_dust_free is by_sun), None)
            if met is not None:
                last = min(last, self._last_start_s(met.since_s, mark))
        if math.isinf(self.safe_s(self.climate.ends_s)):  # where the climate ends nothing dries any more
            last = min(last, self._last_start_s(float(self._clock.knots_s[-1]), self._safe))
        return max(start_s, last if math.isinf(last) else math.floor(last))

    def _last_start_s(self, safe_by_s: float, mark: Milestone) -> float:
        """The last start from which the coat is safe by an instant: what lies below weighs less the later it is."""
        ended = safe_by_s
        for _ in range(40):
            earlier = self._clock.curve(mark).begun(safe_by_s, self._needed_s(ended, mark))
            if ended - earlier < _SETTLED_S or math.isinf(earlier):
                ended = earlier
                break
            ended = earlier
        return ended - 60 * self.coat.minutes

    def spans(self, since: datetime) -> list[Shut]:
        """All stretches in which a coat may not start, from an instant until the forecast ends."""
        at, out = seconds(since), []
        while at < self.climate.ends_s:
            met = self._stopped_by(at)
            if met is None:
                last = self._closes_s(at)
                if last >= self.climate.ends_s:
                    break
                at, since_s = last + 2 * _SETTLED_S, last
                met = self._stopped_by(at)
                if met is None:
                    continue
            else:
                since_s = at
            to = self._opens_s(at)
            out.append(Shut(since_s, min(to, self.climate.ends_s), _in_words(met, since_s)))
            at = to
        return out


def _in_words(met: Breach, start_s: float) -> str:
    if met.since_s <= start_s:
        return met.reason
    return f"{met.reason} before it is {'dust free' if met.until_dust_free else 'dew safe'}"

"""When work and coats can start: film, key, day's limit, gate and working hours, one after the other."""

import math
from dataclasses import replace
from datetime import datetime

from cool_sheen.core.climate.gates import Shut
from cool_sheen.core.climate.series import instant
from cool_sheen.core.coatings.products import Product
from cool_sheen.core.drying.clock import Band
from cool_sheen.core.part.film_clock import known_of
from cool_sheen.core.part.gate import CoatGate, GoingOn, safe_mark
from cool_sheen.core.part.hands import Asked
from cool_sheen.core.part.memory import Held, Memory
from cool_sheen.core.part.placed import Fit, Stuck, Wait
from cool_sheen.core.part.top import Top, Window
from cool_sheen.core.work.steps import CoatStep, Step, Zones

_TRIES = 60


def waited(held: Held) -> str:
    """Say why a step waits for a time of the system's own."""
    return f"a wait of the system: {held.why}" if held.why else "a wait of the system"


class Times:
    """Times of steps on the zones as a memory has them."""

    def __init__(self, memory: Memory) -> None:
        self.memory = memory

    def milestone(self, step: Step, name: str) -> tuple[datetime, Band | None] | None:
        """When the last of a step's zones reaches a milestone; None where nothing is on them that has it."""
        latest: tuple[datetime, Band] | None = None
        for top in self.memory.tops_on(step.zones):
            mark, band = top.band_of(name)
            if mark is None or band is None:
                continue
            ready = self.memory.edge(band, opening=True)
            if ready is None:
                words = f"{top.product.name} does not get {mark.replace('_', ' ')} in this climate."
                raise Stuck(words, step, Wait.FILM, "the film stands still in this climate")
            if name == "sand":
                ready, band = self._unlocked(top, ready, band, step.zones)
            if latest is None or ready > latest[0]:
                latest = ready, band
        return latest

    def _unlocked(self, top: Top, ready: datetime, band: Band, zones: Zones) -> tuple[datetime, Band]:
        """A film that would lift is neither coated nor sanded from its closing until then."""
        coats = (self.memory.steps[n] for z in zones for n in self.memory.ahead.get(z, ()))
        following = next((self.memory.product(s.layer) for s in coats if isinstance(s, CoatStep)), None)
        rule = top.product.rule_for(following)
        if not rule.lifts_until or not rule.closes or rule.redissolves:
            return ready, band
        lift = top.bands[rule.lifts_until]
        closes, lifts = self.memory.edge(top.bands[rule.closes]), self.memory.edge(lift, opening=True)
        if closes is None or lifts is None:
            return ready, band
        return (lifts, lift) if closes <= max(ready, self.memory.now) < lifts else (ready, band)

    def closing(self, window: Window | None) -> datetime:
        """When a window closes, for the order alone."""
        return (self.memory.edge(window.closes) if window else None) or self.memory.sit.now

    def misses(self, window: Window, start: datetime) -> bool:
        """Whether a window has closed when a coat would start."""
        if window.closes is None:
            return False
        edge = self.memory.closing(window.closes, start)
        return edge is not None and start > edge

    def time(self, step: CoatStep, product: Product, groups: list[tuple[Zones, Window | None]]) -> Fit:
        """When a coat can start: its film open, and then by the day's limit, the gate and the working hours."""
        earliest = self.memory.now
        for zones, window in groups:
            if window is None:
                continue
            opens = self.memory.edge(window.opens, opening=True)
            if opens is None:
                name = self.memory.tops_on(zones)[0].product.name
                raise Stuck(
                    f"{name} does not flash in this climate.", step, Wait.FILM, "the film stands still in this climate"
                )
            earliest = max(earliest, opens)
        if earliest > self.memory.now:
            fit = Fit.by(earliest, Wait.FILM, "open by the late clock")
        else:
            keyed = any(t.key.since for t in self.memory.tops_on(step.zones))
            fit = Fit(earliest, Wait.NOTHING, "keyed" if keyed else "follows at once")
        if (held := self.memory.held(step)) and held.until > earliest:
            fit = Fit.by(held.until, Wait.TIME, waited(held))
        closings = [edge for _, w in groups if w and (edge := self.memory.edge(w.closes))]
        return self._allowed(step, product, fit, min(closings, default=None))

    def _allowed(self, step: CoatStep, product: Product, fit: Fit, closes: datetime | None) -> Fit:
        labour = self.memory.labour(step)
        for _ in range(_TRIES):
            if self.memory.day_is_full(product, step.zones, fit.at):
                fit = fit.held(
                    self.memory.sit.day.next_midnight(fit.at), Wait.LIMIT, f"{product.coats_a_day} coats a day at most"
                )
                continue
            if shut := self._shut(step, product, fit.at):
                if math.isinf(shut.to_s):
                    words = f"No gate for {product.name} within the forecast: {shut.reason}."
                    raise Stuck(words, step, Wait.GATE, f"{shut.reason}, as far as the forecast goes")
                fit = fit.held(instant(shut.to_s), Wait.GATE, f"the gate was shut: {shut.reason}", shut)
                continue
            asked = Asked(step, fit.at, labour, labour, self.memory.mix(step.layer, fit.at), closes)
            if (busy := self.memory.hands.busy(asked)) is None:
                return fit
            fit = fit.held(busy.until, busy.wait, busy.because, by=busy.by)
        held = fit.holds[-1].wait if fit.holds else Wait.GATE
        what = f"No gate for {product.name} within the forecast" if held is Wait.GATE else f"No time for {step.label}"
        raise Stuck(f"{what}: {fit.because}.", step, held, fit.because)

    def _shut(self, step: CoatStep, product: Product, at: datetime) -> Shut | None:
        """What keeps a coat from starting: of zones with several films below, the one that needs the longest."""
        shut = [shut for gate in self.gates(step, product, at) if (shut := gate.shut_at(at))]
        return max(shut, key=lambda s: s.to_s, default=None)

    def gates(self, step: CoatStep, product: Product, at: datetime) -> list[CoatGate]:
        """The gates of the coat that will really go on, for each film that it goes on."""
        known = known_of(self.memory.sit.factor, product, step.coat.kind)
        mean, spread = known(safe_mark(product.drying).mode, self.memory.sit.climate.space)
        minutes = self.memory.labour(step).total_seconds() / 60
        film = step.coat.wet_film_um
        coat = GoingOn(product.drying, product.limits.limits(), film, minutes, coat_kind=step.coat.kind)
        coat = replace(coat, ln_factor_mean=mean, ln_factor_sd=spread).mixed(self.memory.mix(step.layer, at))
        below = dict.fromkeys(
            (self.memory.seen[z], t.below if (t := self.memory.tops.get(z)) else None)
            for z in self.memory.in_order(step.zones)
        )
        return [CoatGate(climate, replace(coat, below=film)) for climate, film in below]

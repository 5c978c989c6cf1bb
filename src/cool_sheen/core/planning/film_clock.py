"""Where the log meets the clock: the film of each coat of a part, with what touch tests said of it."""

import math
from collections.abc import Mapping
from dataclasses import dataclass, replace
from datetime import datetime, timedelta

from cool_sheen.core.climate.series import seconds
from cool_sheen.core.coatings.products import Product
from cool_sheen.core.drying.clock import Band, Clock, Film, stacked
from cool_sheen.core.drying.milestones import Milestone
from cool_sheen.core.drying.phases import Phase, RecoatRule, Span, likely, phases, with_closing
from cool_sheen.core.drying.touch import TouchTest, learn
from cool_sheen.core.log.fold import Coat, PartState, Touch
from cool_sheen.core.planning.part_climate import PartClimate

ABRADES = ("sand", "degloss")
_ASK_AGAIN_SHARE, _ASK_AGAIN_AT_LEAST = 0.1, timedelta(minutes=2)


@dataclass(frozen=True, slots=True)
class CoatClock:
    """One coat: its film as the clock sees it, its milestones, and the phases until the next coat."""

    coat: Coat
    product: Product
    film: Film
    bands: Mapping[str, Band]
    rule: RecoatRule
    spans: list[Span]
    tested: bool  # somebody touched it and it was ready for the next coat

    @property
    def opens(self) -> Band | None:
        """When the next coat may go on."""
        return self.bands.get(self.rule.opens)

    def phase_at(self, at: datetime) -> Span:
        """Return the span that holds an instant; the first one for an instant before it."""
        return next((s for s in self.spans if s.to is None or at < s.to), self.spans[-1])


def coat_clocks(
    state: PartState,
    climate: PartClimate,
    following: Product | None,
    revisions: Mapping[str, Product],
) -> list[CoatClock]:
    """Work out the clock of every coat on a part, bottom first.

    Args:
        state: The folded log.
        climate: What the part sees.
        following: The product that comes on top of the last coat; None when nothing does.
        revisions: Product data by content hash, as the coats were put on with them.
    """
    sheets = [revisions[c.payload.coating] for c in state.coats]
    films = [
        Film(
            c.ended_at,
            c.payload.film_um,
            c.payload.air_movement,
            c.payload.hardener_speed,
            c.payload.reducer_speed,
            ln_factor_mean=math.log(c.payload.time_factor),
        )
        for c in state.coats
    ]
    clocks = [climate.clock(sheet) for sheet in sheets]
    weighed = stacked(list(zip(clocks, films, strict=True)))
    out = []
    for place, (coat, sheet, clock, film) in enumerate(zip(state.coats, sheets, clocks, weighed, strict=True)):
        on_top = sheets[place + 1] if place + 1 < len(sheets) else following
        rule = sheet.rule_for(on_top)
        tests = state.tests_of(coat.uuid)
        bands = taught(clock, film, tests)
        spans = with_closing(phases(film.start, rule, likely(bands)))
        tested = any(t.payload.ready and t.payload.milestone == rule.opens for t in tests)
        out.append(CoatClock(coat, sheet, film, bands, rule, spans, tested))
    return out


def taught(clock: Clock, film: Film, tests: list[Touch]) -> dict[str, Band]:
    """Bands of a film after its touch tests: each teaches the factor of its drying mode; ready means ready."""
    if not tests:
        return clock.bands(film)
    factors = {}
    for mode in {m.mode for m in clock.data.milestones}:
        evidence = [e for m in clock.data.milestones if m.mode is mode and (e := _evidence(clock, film, m, tests))]
        if evidence:
            belief = learn(evidence, prior_ln_sd=film.ln_factor_sd, prior_ln_mean=film.ln_factor_mean)
            factors[mode] = (belief.ln_mean, belief.ln_sd)
    bands = {}
    for mark in clock.data.milestones:
        mean, spread = factors.get(mark.mode, (film.ln_factor_mean, film.ln_factor_sd))
        band = clock.band(mark.name, replace(film, ln_factor_mean=mean, ln_factor_sd=spread))
        assert band is not None
        bands[mark.name] = _overruled(band, film.start, [t for t in tests if t.payload.milestone == mark.name])
    return bands


def _evidence(clock: Clock, film: Film, mark: Milestone, tests: list[Touch]) -> TouchTest | None:
    """One interval from all tests of a milestone, in minutes of progress, so that the climate is taken out."""
    mine = [t for t in tests if t.payload.milestone == mark.name]
    made = {t.uuid: clock.curve(mark).progress(seconds(film.start), seconds(t.at)) / 60 for t in mine}
    ready = min((made[t.uuid] for t in mine if t.payload.ready), default=None)
    not_yet = [made[t.uuid] for t in mine if not t.payload.ready and made[t.uuid] > 0]
    before = max((m for m in not_yet if ready is None or m < ready), default=None)
    if not (ready or before):
        return None
    needed = clock.needed_s(mark, film) / 60
    return TouchTest(needed, before or None, ready or None) if math.isfinite(needed) else None


def _overruled(band: Band, start: datetime, tests: list[Touch]) -> Band:
    """The coat at hand goes by the finger: ready is ready, and not ready is asked again after a tenth of its time."""
    ready = min((t.at for t in tests if t.payload.ready), default=None)
    if ready is not None:
        return Band(ready, ready, ready)
    refused = max((t.at for t in tests), default=None)
    if refused is None:
        return band
    again = refused + max((refused - start) * _ASK_AGAIN_SHARE, _ASK_AGAIN_AT_LEAST)
    early, middle, late = (None if t is None else max(t, again) for t in (band.early, band.likely, band.late))
    return Band(early, middle, late)


def keyed_since(state: PartState) -> datetime | None:
    """When the film on top became keyed: sanded after its coat and since wiped (or sanded alone, as yet unwiped)."""
    after = state.done_on_top()
    sanded = max((d.place for d in after if d.kind in ABRADES), default=None)
    if sanded is None:
        return None
    return max(d.at for d in after if d.place >= sanded and d.kind in (*ABRADES, "wipe", "tack", "degrease"))


def current_phase(last: CoatClock, keyed: datetime | None, now: datetime) -> Phase:
    """Return the phase of the film on top."""
    if keyed is not None and keyed <= now:
        return Phase.KEYED
    return last.phase_at(now).phase

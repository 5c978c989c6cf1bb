"""From the log of a part to the case of one coat: what was done before it, what it saw, how long things took."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from typing import Any
from uuid import UUID

import numpy as np

from cool_sheen.core.climate.gates import GUST_M_PER_S, WIND_M_PER_S
from cool_sheen.core.climate.series import seconds
from cool_sheen.core.clinic.case import Case, Off
from cool_sheen.core.coatings.compatibility import Below, Over, RuleTable
from cool_sheen.core.coatings.products import Product
from cool_sheen.core.drying.clock import Film
from cool_sheen.core.film.grits import mean_grain
from cool_sheen.core.log.batches import BatchState
from cool_sheen.core.log.history import History, LaidCoat, Work, ZoneHistory
from cool_sheen.core.part.climate import PartClimate
from cool_sheen.core.part.film_clock import CoatClock, coat_clocks, mark_of
from cool_sheen.core.part.gate import safe_mark
from cool_sheen.core.survey.zones import ZoneFacts
from cool_sheen.core.units import Kelvin, Minutes, Percent
from cool_sheen.core.work.steps import ABRADES

_DAY = timedelta(hours=24)
_HARD = ("block", "long_board", "orbital")
_STEP_S = 600.0
_SAFE_AT_LEAST = timedelta(minutes=30)
_AS_A_STATE = {"wet": "open", "key": "cured", "closing": "open", "shut": "cured"}
STAINING = ("stain-block", "isolate")  # ways that a survey asks for where something may come through


@dataclass(frozen=True)
class Around:
    """What stands beside the log of the part.

    Attributes:
        table: What sticks and what lifts.
        batch: The mix that the coat came out of.
        pot_ends: When that mix gelled, or would have.
        stamps: Steps of the room's list on that day, with when.
        room: Steps that the room has.
        below: What the survey says is below the first coat.
        asked: Ways that the survey asks for, below the first coat.
        reducer: How its speed stands to the heat of the day.
        bar, distance: The gun against its bands.
        planned: Coats of the layer in the system.
    """

    table: RuleTable
    batch: BatchState | None = None
    pot_ends: datetime | None = None
    stamps: Mapping[str, datetime] = field(default_factory=dict)
    room: frozenset[str] = frozenset()
    below: Below | None = None
    asked: frozenset[str] = frozenset()
    reducer: Off | None = None
    bar: Off | None = None
    distance: Off | None = None
    planned: int | None = None


def suspect(history: History, zone: UUID, seen_at: datetime) -> LaidCoat | None:
    """Return the coat in which a defect was seen: the last one on a zone by then."""
    return next((c for c in reversed(history.coats) if zone in c.zones and c.ended_at <= seen_at), None)


def case_of(
    history: History,
    zone: ZoneFacts,
    coat: LaidCoat,
    seen_at: datetime,
    climate: PartClimate,
    revisions: Mapping[str, Product],
    around: Around,
) -> Case:
    """Work out what the log knows of a coat.

    Args:
        history: The folded log.
        zone: Where the defect is.
        coat: The coat that is suspected.
        seen_at: When the defect was seen.
        climate: What the part saw.
        revisions: Sheets by content hash.
        around: What stands beside the log.

    Source: docs/trade.md, Clinic.
    """
    product = revisions[coat.payload.coating]
    mine = history.of(frozenset({zone.uuid}))
    before = [c for c in mine.coats if c.place < coat.place]
    begun = coat.payload.started_at or coat.ended_at
    under = _under(mine, coat, climate, product, revisions)
    works = [w for w in mine.works if w.place < coat.place and (not before or w.place > before[-1].place)]
    after = [w for w in mine.works if w.place > coat.place and w.at <= seen_at]
    sanded = [w for w in works if w.kind in ABRADES]
    since = works[works.index(sanded[-1]) + 1 :] if sanded else works
    bands = climate.clock(product.drying).bands(Film(coat.ended_at, coat.payload.film_um))
    counted = [c for c in [*before, coat] if c.payload.layer_id == coat.payload.layer_id and c.payload.counts]
    opens = under.opens.likely if under and under.opens else None
    return Case(
        product=product,
        film_um=coat.payload.film_um,
        measured=coat.payload.wet_film_measured_um is not None,
        coats_that_day=1 + sum(c.ended_at > coat.ended_at - _DAY for c in before),
        coats_of_layer=len(counted),
        coats_planned=around.planned,
        **_air(climate, coat, begun, seen_at, product),
        gap_min=_minutes(before[-1].ended_at, begun) if before else None,
        opens_min=_minutes(before[-1].ended_at, opens) if before and opens else None,
        phase_below=str(under.phase_at(begun).phase) if under else None,
        keyed=bool(sanded),
        over_verdict=_verdict(around, under, begun, bool(sanded), product),
        baked_early=_baked_early(mine, coat, bands.get("flash")),
        moved_early=_moved_early(history, after, coat, bands, product),
        unmasked_min=next((_minutes(coat.ended_at, w.at) for w in after if w.kind == "unmask"), None),
        tape_from_min=_mark_min(bands, product, "unmask", coat),
        reducer=around.reducer,
        **_mix(product, around),
        degreased=_done(since, ("degrease",), needed=bool(sanded) or not before),
        wiped=_done(since, ("wipe", "degrease", "tack"), needed=bool(sanded) or not before),
        tacked=_done(since, ("tack",), needed=bool(sanded) or not before),
        wiped_in_vain=sum(
            w.place < coat.place and (not before or w.place > before[-1].place) and zone.uuid in w.zones
            for w in history.soiled
        ),
        last_grit_um=_grain(sanded),
        asked_grit_um=_asked_grain(under, product) if sanded else None,
        hard_pad=sanded[-1].sanding.method in _HARD if sanded and sanded[-1].sanding else None,
        went_through=any(zone.uuid in b.zones and b.place < coat.place for b in history.breaks),
        wet_sanded_h=next((_minutes(w.at, begun) / 60 for w in reversed(sanded) if w.wet), None),
        bare_h=history.bare_h(zone, begun) if not before else None,
        bar=around.bar,
        distance=around.distance,
        **_room(around, begun),
        old_finish=zone.old_finish if not before else None,
        stains=bool(around.asked & set(STAINING)) if not before or around.asked else None,
    )


def _minutes(since: datetime, until: datetime) -> Minutes:
    return (until - since).total_seconds() / 60


def _under(
    mine: ZoneHistory, coat: LaidCoat, climate: PartClimate, product: Product, revisions: Mapping[str, Product]
) -> CoatClock | None:
    """The coat below, as its clock saw it, with this product on top."""
    coats = tuple(c for c in mine.coats if c.place < coat.place)
    if not coats:
        return None
    touches = tuple(t for t in mine.touches if t.at <= coat.ended_at)
    until = ZoneHistory(mine.zones, coats[-4:], mine.works, touches, mine.bakes)
    return coat_clocks(until, climate.heated(mine.bakes), product, revisions)[-1]


def _air(climate: PartClimate, coat: LaidCoat, begun: datetime, seen_at: datetime, product: Product) -> dict[str, Any]:
    at = climate.at(begun)
    safe = climate.clock(product.drying).band(safe_mark(product.drying).name, Film(coat.ended_at, coat.payload.film_um))
    until = max(safe.likely, coat.ended_at + _SAFE_AT_LEAST) if safe and safe.likely else coat.ended_at + _DAY
    until = min(until, max(seen_at, coat.ended_at + _SAFE_AT_LEAST))
    over = climate.series.sampled(np.arange(seconds(begun), seconds(until) + 1, _STEP_S))
    wind = None
    if climate.sky is not None:
        sky = climate.sky.sampled(over.at_s)
        outside = bool(np.any(sky.wind_m_per_s > 0))
        blew = bool(np.any((sky.wind_m_per_s > WIND_M_PER_S) | (sky.gust_m_per_s > GUST_M_PER_S)))
        wind = blew if outside else None
    return {
        "air_c": float(at.air_temp_c[0]),
        "rh_pct": float(np.max(over.rh_pct)),
        "margin_k": float(np.min(over.surface_temp_c - over.dew_point_c)),
        "wind": wind,
        "fall_k": _fall(climate, coat, seen_at),
    }


def _fall(climate: PartClimate, coat: LaidCoat, seen_at: datetime) -> Kelvin:
    """The largest fall of the air within a day after a coat."""
    until = min(seen_at, coat.ended_at + _DAY)
    at = np.arange(seconds(coat.ended_at), max(seconds(until), seconds(coat.ended_at) + 1), _STEP_S)
    air = climate.series.sampled(at).air_temp_c
    return float(np.max(np.maximum.accumulate(air) - air))


def _verdict(around: Around, under: CoatClock | None, begun: datetime, keyed: bool, product: Product) -> str | None:
    below = around.below
    if under is not None:
        phase = str(under.phase_at(begun).phase)
        state = (
            "keyed" if keyed else {"wet": "open", "key": "cured", "closing": "open", "shut": "cured"}.get(phase, phase)
        )
        below = Below(under.product.family, state, under.product.role)  # type: ignore[arg-type]
    if below is None:
        return None
    return around.table.judge(below, Over(product.family, product.role)).verdict


def _baked_early(mine: ZoneHistory, coat: LaidCoat, flash: object) -> bool | None:
    likely = getattr(flash, "likely", None)
    later = [b for b in mine.bakes if b.start >= coat.ended_at]
    return any(b.start < likely for b in later) if likely is not None else None


def _moved_early(
    history: History, after: Sequence[Work], coat: LaidCoat, bands: Mapping[str, object], product: Product
) -> bool | None:
    name = mark_of(product, "turn")
    ready = getattr(bands.get(name), "likely", None) if name else None
    if ready is None:
        return None
    turns = [w.at for w in after if w.kind == "turn"]
    turns += [stay.since for stay in history.stays if stay.since > coat.ended_at]
    return any(at < ready for at in turns)


def _mark_min(bands: Mapping[str, object], product: Product, name: str, coat: LaidCoat) -> Minutes | None:
    mark = mark_of(product, name)
    likely = getattr(bands.get(mark), "likely", None) if mark else None
    return None if likely is None else _minutes(coat.ended_at, likely)


def _mix(product: Product, around: Around) -> dict[str, Any]:
    """How far it was thinned, whether hardener and paint were in their ratio, how old it was."""
    batch = around.batch
    out: dict[str, Any] = {}
    reducer = product.mix.reducer
    if reducer is not None:
        out |= {"reducer_cap_pct": reducer.max_pct, "reducer_usual_pct": reducer.usual_pct}
    if batch is None:
        return out
    poured: dict[str, float] = {}
    meant: dict[str, float] = {}
    for line, ml in zip(batch.plan.lines, batch.poured_ml(), strict=True):
        poured[line.role] = poured.get(line.role, 0.0) + ml
        meant[line.role] = meant.get(line.role, 0.0) + line.ml_per_ml
    if reducer is not None:
        out["reduced_pct"] = _reduced(poured, reducer.of)
    if poured.get("paint") and meant.get("paint") and meant.get("hardener"):
        wanted = meant["hardener"] / meant["paint"]
        out["ratio_off_pct"] = 100 * (poured.get("hardener", 0.0) / poured["paint"] / wanted - 1)
    if around.pot_ends is not None and batch.hardened_at is not None and batch.coats:
        used = max(entry.occurred_at for entry in batch.coats)
        out["pot_share"] = (used - batch.hardened_at) / (around.pot_ends - batch.hardened_at)
    return out


def _reduced(poured: Mapping[str, float], of: str) -> Percent | None:
    paint, mixed = poured.get("paint", 0.0), poured.get("paint", 0.0) + poured.get("hardener", 0.0)
    whole = {"paint": paint, "mixed": mixed, "ready": sum(poured.values())}[of]
    return 100 * poured.get("reducer", 0.0) / whole if whole > 0 else None


def _done(works: Sequence[Work], kinds: tuple[str, ...], *, needed: bool) -> bool | None:
    done = any(w.kind in kinds for w in works)
    return True if done else False if needed else None


def _grain(sanded: Sequence[Work]) -> float | None:
    grits = [w.grit for w in sanded if w.grit]
    return mean_grain(grits[-1]) if grits else None


def _asked_grain(under: CoatClock | None, product: Product) -> float:
    return mean_grain(under.product.key_grit if under else product.key_grit)


def _room(around: Around, begun: datetime) -> dict[str, bool | None]:
    """What was seen to in the room that day; nothing is known where its list was not kept at all."""
    kept = {key for key, at in around.stamps.items() if at <= begun}
    steps = {"air_drained": "air_drained", "floor_damped": "floor_damped", "swept": "swept", "filters": "filters"}
    if not around.stamps:
        return dict.fromkeys(steps)
    return {name: key in kept if key in around.room else None for name, key in steps.items()}

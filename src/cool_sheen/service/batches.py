"""Batches as they stand: which are running, what is left and offered, and what the shop learned from them."""

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from uuid import UUID

from sqlalchemy import select

from cool_sheen.core.coatings.products import Product
from cool_sheen.core.drying.blend import Blend
from cool_sheen.core.log.batches import BatchState, fold_batches
from cool_sheen.core.log.entries import CoatPayload
from cool_sheen.core.materials.yields import Use, Yield, learn_yields
from cool_sheen.core.mixing.pot_life import pot_life_ends
from cool_sheen.core.part.situation import Pot
from cool_sheen.core.takeoff.amounts import Transfer
from cool_sheen.core.units import Millilitres, Minutes, Percent
from cool_sheen.core.work.labour import transfer_efficiency
from cool_sheen.service.climate import space_series
from cool_sheen.service.histories import WEIGHT_OF_BATCH, key_of_batch
from cool_sheen.service.unit import Missing, Unit
from cool_sheen.service.weather_now import Weather, weather_now
from cool_sheen.store import changes, log, statuses
from cool_sheen.store.models import Face, Part, Space, Zone

_RUNS_AT_MOST = timedelta(days=7)
_LEARNED_FROM = timedelta(days=730)
_MOST_LEARNED = 300


@dataclass(frozen=True, slots=True)
class RunningBatch:
    """A batch and its pot life."""

    state: BatchState
    pot_life_ends: datetime | None

    def usable(self, now: datetime) -> bool:
        """Whether the mix can still be used."""
        return self.pot_life_ends is None or now < self.pot_life_ends

    @property
    def open(self) -> bool:
        """Whether it is being mixed or used."""
        return self.state.ended is None

    def offered(self, now: datetime) -> bool:
        """Whether what is left waits for another part."""
        return self.state.goes == "offered" and self.state.left_ml > 0 and self.usable(now)


def pot_minutes(minutes: Minutes | None, blend: Blend) -> Minutes | None:
    """Pot life at the reference temperature with the hardener and the catalyst of the day. [min]"""
    return minutes * blend.reactive_factor if minutes else None


def ends_of(unit: Unit, state: BatchState, weather: Weather) -> datetime | None:
    """When the pot life of a batch ends, by the air of its space; None while there is no hardener in it."""
    plan, start = state.plan, state.hardened_at
    minutes = pot_minutes(plan.pot_life_minutes, plan.blend)
    if minutes is None or start is None:
        return None
    return pot_end(unit, plan.space, start, minutes, plan.pot_life_ref_c, weather)


def pot_end(
    unit: Unit, space: UUID | None, start: datetime, minutes: Minutes, ref_c: float, weather: Weather
) -> datetime | None:
    """When a mix gels that got its hardener at ``start`` and stands in a space."""
    where = (unit.session.get(Space, space) if space else None) or unit.session.scalar(
        select(Space).order_by(Space.name)
    )
    if where is None:
        return start + timedelta(minutes=minutes)
    series = space_series(unit, where, start - timedelta(hours=1), weather)
    return pot_life_ends(start, minutes, ref_c, series)


def find(unit: Unit, uuid: UUID, weather: Weather | None = None) -> RunningBatch:
    """Return a batch. Raises Missing."""
    state = fold_batches(log.of_batches(unit.session, [uuid])).get(uuid)
    if state is None:
        raise Missing("batch")
    return RunningBatch(state, ends_of(unit, state, weather or weather_now(unit)))


def recent(unit: Unit) -> list[RunningBatch]:
    """Return the batches of the last days, newest first: those that run and those that are ended."""
    number = changes.generations(unit.settled()).get(changes.BATCHES, 0)
    key = ("batches", number, unit.now.date())
    rows: list[tuple[UUID, int]] = unit.kept.get(
        key, lambda: statuses.batches_since(unit.session, unit.now - _RUNS_AT_MOST), lambda found: 100 * len(found)
    )
    states = [_state(unit, uuid, seq) for uuid, seq in rows]
    weather = weather_now(unit)
    return [RunningBatch(s, _kept_end(unit, s, seq, weather)) for s, (_, seq) in zip(states, rows, strict=True) if s]


def _state(unit: Unit, uuid: UUID, seq: int) -> BatchState | None:
    def fold() -> BatchState | None:
        return fold_batches(log.of_batches(unit.session, [uuid])).get(uuid)

    found: BatchState | None = unit.kept.get(key_of_batch(uuid, seq), fold, lambda _: WEIGHT_OF_BATCH)
    return found


def _kept_end(unit: Unit, state: BatchState, seq: int, weather: Weather) -> datetime | None:
    key = ("pot ends", state.uuid, seq, weather.version)
    found: datetime | None = unit.kept.get(key, lambda: ends_of(unit, state, weather), lambda _: 200)
    return found


def batch_for(unit: Unit, part: UUID, product: str, at: datetime) -> BatchState | None:
    """Return the mix that a coat on a part comes out of: mixed for it, or left over and offered; the newest first.

    Args:
        unit: The unit of work.
        part: What is coated.
        product: The key of its coating.
        at: When the coat ended.
    """
    found = _batch_for(recent(unit), part, product, at)
    return found.state if found else None


def _batch_for(batches: Sequence[RunningBatch], part: UUID, product: str, at: datetime) -> RunningBatch | None:
    fits = [
        b for b in batches if b.state.plan.product == product and b.state.pours and b.state.begun <= at and b.usable(at)
    ]
    mine = [
        b
        for b in fits
        if (b.state.ended is None or at <= b.state.ended)
        and (not b.state.plan.uses or part in {u.part for u in b.state.plan.uses})
    ]
    others = [b for b in fits if b.state.ended and b.state.ended <= at and b.offered(at)]
    return next(iter([*mine, *others]), None)


def pots_in_use(
    usable: Sequence[RunningBatch], part: UUID, products: Mapping[str, Product], now: datetime
) -> dict[str, Pot]:
    """Return the mix that each product's next coat on a part would come out of, of those that can be used."""
    out = {}
    for key in {b.state.plan.product for b in usable} & products.keys():
        batch = _batch_for(usable, part, key, now)
        if batch is not None:
            plan = batch.state.plan
            out[key] = Pot(plan.blend, batch.pot_life_ends)
    return out


def yields(unit: Unit) -> dict[tuple[str, str], Yield]:
    """Return what this shop really uses by shape and method, learned from its ended batches."""
    number = changes.generations(unit.settled()).get(changes.BATCHES, 0)
    mark = unit.kept.get(("ended", number), lambda: statuses.ended_mark(unit.session))
    key = ("yields", mark)
    found: dict[tuple[str, str], Yield] = unit.kept.get(key, lambda: _learn(unit))
    return found


def _learn(unit: Unit) -> dict[tuple[str, str], Yield]:
    names = log.batches_since(unit.session, unit.now - _LEARNED_FROM)[:_MOST_LEARNED]
    states = (
        [s for s in fold_batches(log.of_batches(unit.session, names)).values() if s.ended and s.coats] if names else []
    )
    return learn_yields(use for uses in uses_of(unit, [s for s in states if s.teaches]) for use in uses)


def uses_of(unit: Unit, states: Sequence[BatchState]) -> list[list[Use]]:
    """Return what each batch took, shared among its coats."""
    wanted = {t.zone for s in states for coat in s.coats for t in coat.targets if t.zone}
    rows = unit.session.execute(
        select(Zone.uuid, Zone.area_m2, Zone.shape, Face.method)
        .join(Face, Face.uuid == Zone.face_uuid)
        .where(Zone.uuid.in_(wanted))
    )
    zones = {uuid: (area, (shape or {}).get("kind", "typed"), method) for uuid, area, shape, method in rows}
    return [_uses(state, zones) for state in states]


def named(unit: Unit, uuids: Iterable[UUID]) -> list[BatchState]:
    """Return batches as they stand by their log."""
    wanted = list(uuids)
    return list(fold_batches(log.of_batches(unit.session, wanted)).values()) if wanted else []


def shares_by_part(unit: Unit, states: Sequence[BatchState]) -> list[dict[UUID, float]]:
    """Return which share of each batch went on which part, by the films of its coats. [1]"""
    wanted = {t.zone for s in states for coat in s.coats for t in coat.targets if t.zone}
    areas = dict[UUID, float]()
    for uuid, area in unit.session.execute(select(Zone.uuid, Zone.area_m2).where(Zone.uuid.in_(wanted))):
        areas[uuid] = area
    return [_shares(state, areas) for state in states]


def _shares(state: BatchState, areas: Mapping[UUID, float]) -> dict[UUID, float]:
    film: dict[UUID, float] = {}
    for coat in state.coats:
        if isinstance(coat.payload, CoatPayload):
            for t in coat.targets:
                if t.part and t.zone and t.zone in areas:
                    film[t.part] = film.get(t.part, 0.0) + areas[t.zone] * coat.payload.film_um
    whole = sum(film.values())
    return {part: laid / whole for part, laid in film.items()} if whole > 0 else {}


def used_by_coats(unit: Unit, state: BatchState, transfer: Callable[[str, str], float]) -> Millilitres:
    """What the coats out of a batch have taken, by their films and the transfer of their way. [ml]"""
    wanted = {t.zone for coat in state.coats for t in coat.targets if t.zone}
    if not wanted:
        return 0.0
    rows = unit.session.execute(select(Zone.uuid, Zone.area_m2, Zone.shape).where(Zone.uuid.in_(wanted)))
    zones: dict[UUID, tuple[float, str]] = {
        uuid: (area, (shape or {}).get("kind", "typed")) for uuid, area, shape in rows
    }
    parts = {t.part for coat in state.coats for t in coat.targets if t.part}
    own = unit.session.execute(select(Part.uuid, Part.lands_pct).where(Part.uuid.in_(parts)))
    lands: dict[UUID | None, float | None] = {row.uuid: row.lands_pct for row in own}
    return sum(
        zones[t.zone][0]
        * coat.payload.film_um
        / transfer_on(lands.get(t.part), transfer)(coat.payload.method, zones[t.zone][1])
        for coat in state.coats
        if isinstance(coat.payload, CoatPayload)
        for t in coat.targets
        if t.zone in zones
    )


def cup_left(unit: Unit, state: BatchState) -> Millilitres:
    """What is left in a cup: what was mixed, less what the coats out of it took by their films and transfer. [ml]"""
    mixed = state.cup.ready_ml + state.plan.jar_ml
    return max(0.0, mixed - used_by_coats(unit, state, transfer_of(unit)))


def _uses(state: BatchState, zones: dict[UUID, tuple[float, str, str]]) -> list[Use]:
    """Share what a batch took among its coats by the film that each laid down."""
    laid = [
        (zones[t.zone], coat.payload.film_um, coat.payload.method)
        for coat in state.coats
        if isinstance(coat.payload, CoatPayload)
        for t in coat.targets
        if t.zone in zones
    ]
    film = sum(area * um for (area, _, _), um, _ in laid)
    return [
        Use(shape, method, area, um, state.used_ml * area * um / film)
        for (area, shape, _), um, method in laid
        if film > 0
    ]


def transfer_on(lands_pct: Percent | None, transfer: Transfer) -> Transfer:
    """Return the transfer on a part: its own share where it has one, whatever the shape and the method. [1]"""
    if lands_pct is None:
        return transfer
    return lambda *_: lands_pct / 100


def transfer_of(unit: Unit, by: str = "shop") -> Callable[[str, str], float]:
    """Return the transfer efficiency to reckon with: the shop's own where it was learned, else the book's."""
    learned = yields(unit) if by == "shop" else {}

    def transfer(method: str, shape: str = "sheet") -> float:
        book = transfer_efficiency(method, shape)
        own = learned.get((shape, method))
        return own.blended(book) if own else book

    return transfer

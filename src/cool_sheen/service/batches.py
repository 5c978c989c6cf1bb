"""Batches as they stand: which are running, what is left and offered, and what the shop learned from them."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from datetime import datetime, timedelta
from uuid import UUID

from sqlalchemy import select

from cool_sheen.core.coatings.products import Product
from cool_sheen.core.drying.milestones import HARDENER_FACTOR
from cool_sheen.core.log.batches import BatchState, fold_batches
from cool_sheen.core.log.entries import CoatPayload
from cool_sheen.core.materials.yields import Use, Yield, learn_yields
from cool_sheen.core.mixing.pot_life import pot_life_ends
from cool_sheen.core.part.situation import Pot
from cool_sheen.core.units import Minutes
from cool_sheen.core.work.labour import transfer_efficiency
from cool_sheen.service.climate import Weather, space_series, weather_now
from cool_sheen.service.unit import Missing, Unit
from cool_sheen.store import log
from cool_sheen.store.models import Face, Space, Zone

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


def pot_minutes(minutes: Minutes | None, hardener_speed: str, time_factor: float = 1.0) -> Minutes | None:
    """Pot life at the reference temperature with the hardener and the doses of the day. [min]"""
    return minutes * HARDENER_FACTOR[hardener_speed] * time_factor if minutes else None


def ends_of(unit: Unit, state: BatchState, weather: Weather) -> datetime | None:
    """When the pot life of a batch ends, by the air of its space; None while there is no hardener in it."""
    plan, start = state.plan, state.hardened_at
    minutes = pot_minutes(plan.pot_life_minutes, plan.hardener_speed, plan.time_factor)
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


def recent(unit: Unit, weather: Weather) -> list[RunningBatch]:
    """Return the batches of the last days, newest first: those that run and those that are ended."""
    key = ("batches", log.newest(unit.session), unit.now.date())

    def make() -> list[BatchState]:
        names = log.batches_since(unit.session, unit.now - _RUNS_AT_MOST)
        found = fold_batches(log.of_batches(unit.session, names)) if names else {}
        return [found[name] for name in names if name in found]

    states: list[BatchState] = unit.kept.get(key, make)
    return [RunningBatch(state, ends_of(unit, state, weather)) for state in states]


def batch_for(unit: Unit, part: UUID, product: str, at: datetime) -> BatchState | None:
    """Return the mix that a coat on a part comes out of: mixed for it, or left over and offered; the newest first.

    Args:
        unit: The application.
        opened: A session.
        part: What is coated.
        product: The key of its coating.
        at: When the coat ended.
    """
    fits = [
        b for b in recent(unit, weather_now(unit))
        if b.state.plan.product == product and b.state.pours and b.state.begun <= at and b.usable(at)
    ]  # fmt: skip
    mine = [
        b for b in fits
        if (b.state.ended is None or at <= b.state.ended)
        and (not b.state.plan.uses or part in {u.part for u in b.state.plan.uses})
    ]  # fmt: skip
    others = [b for b in fits if b.state.ended and b.state.ended <= at and b.offered(at)]
    return next((b.state for b in [*mine, *others]), None)


def pots_in_use(unit: Unit, part: UUID, products: Mapping[str, Product]) -> dict[str, Pot]:
    """Return the mix that each product's next coat on a part would come out of, where one is mixed."""
    running = recent(unit, weather_now(unit))
    mixed = {b.state.plan.product for b in running if b.state.pours and b.usable(unit.now)}
    out = {}
    for key in mixed & products.keys():
        state = batch_for(unit, part, key, unit.now)
        if state is not None:
            ends = next(b.pot_life_ends for b in running if b.state is state)
            plan = state.plan
            out[key] = Pot(plan.hardener_speed, plan.reducer_speed, plan.time_factor, ends)
    return out


def yields(unit: Unit) -> dict[tuple[str, str], Yield]:
    """Return what this shop really uses by shape and method, learned from its ended batches."""
    key = ("yields", log.newest_seq(unit.session, "batch_end"), log.newest_seq(unit.session, "void"))
    found: dict[tuple[str, str], Yield] = unit.kept.get(key, lambda: _learn(unit))
    return found


def _learn(unit: Unit) -> dict[tuple[str, str], Yield]:
    names = log.batches_since(unit.session, unit.now - _LEARNED_FROM)[:_MOST_LEARNED]
    states = (
        [s for s in fold_batches(log.of_batches(unit.session, names)).values() if s.ended and s.coats] if names else []
    )
    wanted = {t.zone for s in states for coat in s.coats for t in coat.targets if t.zone}
    rows = unit.session.execute(
        select(Zone.uuid, Zone.area_m2, Zone.shape, Face.method)
        .join(Face, Face.uuid == Zone.face_uuid)
        .where(Zone.uuid.in_(wanted))
    )
    zones = {uuid: (area, (shape or {}).get("kind", "typed"), method) for uuid, area, shape, method in rows}
    return learn_yields(use for state in states for use in _uses(state, zones))


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


def transfer_of(unit: Unit, by: str = "shop") -> Callable[[str, str], float]:
    """Return the transfer efficiency to reckon with: the shop's own where it was learned, else the book's."""
    learned = yields(unit) if by == "shop" else {}

    def transfer(method: str, shape: str = "sheet") -> float:
        book = transfer_efficiency(method, shape)
        own = learned.get((shape, method))
        return own.blended(book) if own else book

    return transfer

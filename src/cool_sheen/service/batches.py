"""Batches as they stand: which are running, what is left and offered, and what the shop learned from them."""

from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime, timedelta
from uuid import UUID

from sqlalchemy import select
from sqlalchemy.orm import Session

from cool_sheen.core.drying.milestones import HARDENER_FACTOR
from cool_sheen.core.log.batches import BatchState, fold_batches
from cool_sheen.core.log.entries import CoatPayload
from cool_sheen.core.materials.yields import Use, Yield, learn_yields
from cool_sheen.core.mixing.pot_life import pot_life_ends
from cool_sheen.core.planning.labour import transfer_efficiency
from cool_sheen.core.units import Minutes
from cool_sheen.service.climate import Weather, look, space_series
from cool_sheen.service.desk import Desk, Missing
from cool_sheen.store import log
from cool_sheen.store.models import Face, Space, Zone

_RUNS_AT_MOST = timedelta(days=7)
_LEARNED_FROM = timedelta(days=730)
_MOST_LEARNED = 300


@dataclass(frozen=True, slots=True)
class Standing:
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


def ends_of(desk: Desk, opened: Session, state: BatchState, weather: Weather) -> datetime | None:
    """When the pot life of a batch ends, by the air of its space; None while there is no hardener in it."""
    plan, start = state.plan, state.hardened_at
    minutes = pot_minutes(plan.pot_life_minutes, plan.hardener_speed, plan.time_factor)
    if minutes is None or start is None:
        return None
    return pot_end(desk, opened, plan.space, start, minutes, plan.pot_life_ref_c, weather)


def pot_end(
    desk: Desk, opened: Session, space: UUID | None, start: datetime, minutes: Minutes, ref_c: float, weather: Weather
) -> datetime | None:
    """When a mix gels that got its hardener at ``start`` and stands in a space."""
    where = (opened.get(Space, space) if space else None) or opened.scalar(select(Space).order_by(Space.name))
    if where is None:
        return start + timedelta(minutes=minutes)
    series = space_series(desk, opened, where, start - timedelta(hours=1), weather)
    return pot_life_ends(start, minutes, ref_c, series)


def find(desk: Desk, opened: Session, uuid: UUID, weather: Weather | None = None) -> Standing:
    """Return a batch. Raises Missing."""
    state = fold_batches(log.of_batches(opened, [uuid])).get(uuid)
    if state is None:
        raise Missing("batch")
    return Standing(state, ends_of(desk, opened, state, weather or look(desk, opened)))


def recent(desk: Desk, opened: Session, weather: Weather) -> list[Standing]:
    """Return the batches of the last days, newest first: those that run and those that are ended."""
    key = ("batches", log.newest(opened), desk.now().date())

    def make() -> list[BatchState]:
        names = log.batches_since(opened, desk.now() - _RUNS_AT_MOST)
        found = fold_batches(log.of_batches(opened, names)) if names else {}
        return [found[name] for name in names if name in found]

    states: list[BatchState] = desk.memo.get(key, make)
    return [Standing(state, ends_of(desk, opened, state, weather)) for state in states]


def batch_for(desk: Desk, opened: Session, part: UUID, product: str, at: datetime) -> BatchState | None:
    """Return the mix that a coat on a part comes out of: mixed for it, or left over and offered; the newest first.

    Args:
        desk: The application.
        opened: A session.
        part: What is coated.
        product: The key of its coating.
        at: When the coat ended.
    """
    fits = [
        b for b in recent(desk, opened, look(desk, opened))
        if b.state.plan.product == product and b.state.pours and b.state.begun <= at and b.usable(at)
    ]  # fmt: skip
    mine = [
        b for b in fits
        if (b.state.ended is None or at <= b.state.ended)
        and (not b.state.plan.uses or part in {u.part for u in b.state.plan.uses})
    ]  # fmt: skip
    others = [b for b in fits if b.state.ended and b.state.ended <= at and b.offered(at)]
    return next((b.state for b in [*mine, *others]), None)


def yields(desk: Desk, opened: Session) -> dict[tuple[str, str], Yield]:
    """Return what this shop really uses by shape and method, learned from its ended batches."""
    key = ("yields", log.newest_seq(opened, "batch_end"), log.newest_seq(opened, "void"))
    found: dict[tuple[str, str], Yield] = desk.memo.get(key, lambda: _learn(desk, opened))
    return found


def _learn(desk: Desk, opened: Session) -> dict[tuple[str, str], Yield]:
    names = log.batches_since(opened, desk.now() - _LEARNED_FROM)[:_MOST_LEARNED]
    states = [s for s in fold_batches(log.of_batches(opened, names)).values() if s.ended and s.coats] if names else []
    wanted = {t.zone for s in states for coat in s.coats for t in coat.targets if t.zone}
    rows = opened.execute(
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


def transfer_of(desk: Desk, opened: Session, by: str = "shop") -> Callable[[str, str], float]:
    """Return the transfer efficiency to reckon with: the shop's own where it was learned, else the book's."""
    learned = yields(desk, opened) if by == "shop" else {}

    def transfer(method: str, shape: str = "sheet") -> float:
        book = transfer_efficiency(method, shape)
        own = learned.get((shape, method))
        return own.blended(book) if own else book

    return transfer

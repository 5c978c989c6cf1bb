"""Stock on disk: movements are appended, balances are sums."""

from collections.abc import Iterable
from datetime import datetime

from sqlalchemy import func, or_, select
from sqlalchemy.orm import Session

from cool_sheen.store.models import PackSheet, StockMovement


def append(session: Session, movement: StockMovement) -> StockMovement:
    """Write a movement once; one that is there under its uuid stays as it is."""
    found = session.scalar(select(StockMovement).where(StockMovement.uuid == movement.uuid))
    if found is not None:
        return found
    session.add(movement)
    session.flush()
    return movement


def balances(session: Session) -> dict[str, float]:
    """Return what there is of each item. [ml]"""
    rows = session.execute(select(StockMovement.item, func.sum(StockMovement.ml)).group_by(StockMovement.item))
    return {item: float(ml) for item, ml in rows}


def opened_at(session: Session) -> dict[str, datetime]:
    """Return when the tin of each item that is in use was opened: the first use after the last purchase or count."""
    filled = (
        select(StockMovement.item, func.max(StockMovement.at).label("at"))
        .where(StockMovement.kind.in_(["bought", "counted", "jar"]))
        .group_by(StockMovement.item)
        .subquery()
    )
    query = (
        select(StockMovement.item, func.min(StockMovement.at))
        .join(filled, filled.c.item == StockMovement.item, isouter=True)
        .where(StockMovement.kind == "used", or_(filled.c.at.is_(None), StockMovement.at >= filled.c.at))
        .group_by(StockMovement.item)
    )
    return {item: at for item, at in session.execute(query) if at is not None}


def movements(session: Session, item: str | None = None, most: int = 100) -> list[StockMovement]:
    """Return the latest movements, of one item or of all."""
    query = select(StockMovement).order_by(StockMovement.seq.desc()).limit(most)
    return list(session.scalars(query.where(StockMovement.item == item) if item else query))


def newest(session: Session) -> int:
    """Return the sequence number of the newest movement; 0 when there is none."""
    return session.scalar(select(func.max(StockMovement.seq))) or 0


def pack_sheets(session: Session) -> dict[str, PackSheet]:
    """Return how the shop buys each size that it has an opinion on."""
    return {row.sku: row for row in session.scalars(select(PackSheet))}


def jars(session: Session) -> Iterable[tuple[str, float, str, datetime]]:
    """Return the labelled jars that are not empty: item, what is in it [ml], its label, since when."""
    query = (
        select(StockMovement.item, func.sum(StockMovement.ml), func.max(StockMovement.note), func.min(StockMovement.at))
        .where(StockMovement.item.startswith("jar:"))
        .group_by(StockMovement.item)
        .having(func.sum(StockMovement.ml) > 0.5)
    )
    return [(item, float(ml), note, at) for item, ml, note, at in session.execute(query)]

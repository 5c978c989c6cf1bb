"""Settings that worked: kept as cards, offered next time, and written into the log with the coats that follow."""

from datetime import datetime, timedelta
from typing import Any
from uuid import UUID

from pydantic import ValidationError
from sqlalchemy import select

from cool_sheen.core.complaints import complaints
from cool_sheen.core.gun.cards import SET_FOR, Card, CardSaid, offered
from cool_sheen.service.unit import Missing, Refused, Unit
from cool_sheen.store.models import GunCard

_REGRET = timedelta(days=1)
SPRAYED = ("hvlp", "conventional", "airless")  # what is set by a card


def of_product(unit: Unit, product: str) -> list[Card]:
    """Return the cards of a product, the newest first."""
    query = select(GunCard).where(GunCard.product == product, GunCard.away_at.is_(None))
    return [_card(row) for row in unit.session.scalars(query.order_by(GunCard.set_at.desc()))]


def thrown_away(unit: Unit, product: str) -> list[Card]:
    """Return the cards of a product that were thrown away within a day: they can be had back."""
    since = unit.now - _REGRET
    query = select(GunCard).where(GunCard.product == product, GunCard.away_at > since).order_by(GunCard.away_at)
    return [_card(row) for row in unit.session.scalars(query)]


def _card(row: GunCard) -> Card:
    return Card(uuid=row.uuid, said=CardSaid.model_validate(row.data), made_at=row.made_at, set_at=row.set_at)


def offer(unit: Unit, product: str, gun: str = "", temp_c: float | None = None) -> list[Card]:
    """Return the cards of a product in the order in which they help today."""
    return offered(of_product(unit, product), gun, temp_c)


def set_by(unit: Unit, product: str, at: datetime) -> Card | None:
    """Return the card by which the gun was set for a product at an instant; None where nobody has said."""
    query = (
        select(GunCard)
        .where(GunCard.product == product, GunCard.away_at.is_(None))
        .where(GunCard.set_at <= at, GunCard.set_at > at - SET_FOR)
        .order_by(GunCard.set_at.desc())
        .limit(1)
    )
    row = unit.session.scalar(query)
    return None if row is None else _card(row)


def in_the_log(unit: Unit, product: str, method: str, at: datetime) -> dict[str, str] | None:
    """Return what goes into the log of a coat about its gun; None where it was not set by a card."""
    card = set_by(unit, product, at) if method in SPRAYED else None
    return card.said.in_the_log() if card else None


def keep(unit: Unit, uuid: UUID, said: dict[str, Any]) -> None:
    """Keep a card: the gun is set by it from now on. The same press again is the same card. Raises Refused."""
    try:
        card = CardSaid.model_validate({name: value for name, value in said.items() if value is not None})
    except ValidationError as error:
        raise Refused("Check what was entered.", complaints(error)) from None
    if not card.says_anything:
        raise Refused("Check what was entered.", {"inlet_bar": "Enter what the gun was set to, the pressure at least."})
    if unit.session.get(GunCard, uuid) is not None:
        return
    data = card.model_dump(mode="json")
    row = GunCard(
        uuid=uuid, gun=card.gun, product=card.product, temp_c=card.temp_c, data=data, made_at=unit.now, set_at=unit.now
    )
    unit.session.add(row)
    unit.session.flush()


def take_up(unit: Unit, uuid: UUID) -> Card:
    """Set the gun by a card: coats from now on were sprayed so. Raises Missing."""
    row = _row(unit, uuid)
    row.set_at = unit.now
    unit.session.flush()
    return _card(row)


def throw_away(unit: Unit, uuid: UUID, *, back: bool = False) -> None:
    """Offer a card no longer, or again. Raises Missing."""
    row = unit.session.get(GunCard, uuid)
    if row is None:
        raise Missing("card")
    row.away_at = None if back else row.away_at or unit.now
    unit.session.flush()


def _row(unit: Unit, uuid: UUID) -> GunCard:
    row = unit.session.get(GunCard, uuid)
    if row is None or row.away_at is not None:
        raise Missing("card")
    return row

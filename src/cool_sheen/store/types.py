"""Column types: instants in UTC that refuse to be naive, and money that stays exact."""

from datetime import UTC, datetime
from decimal import Decimal
from typing import Any

from sqlalchemy import DateTime, String
from sqlalchemy.types import TypeDecorator


class UtcDateTime(TypeDecorator[datetime]):
    """An instant, kept in UTC. A time without an offset is refused."""

    impl = DateTime
    cache_ok = True

    def process_bind_param(self, value: datetime | None, dialect: Any) -> datetime | None:
        """Bring an instant to UTC. Raises ValueError for a naive one."""
        if value is None:
            return None
        if value.tzinfo is None:
            raise ValueError(f"{value.isoformat()} has no offset from UTC")
        return value.astimezone(UTC).replace(tzinfo=None)

    def process_result_value(self, value: datetime | None, dialect: Any) -> datetime | None:
        """Return the instant with its zone."""
        return None if value is None else value.replace(tzinfo=UTC)


class Money(TypeDecorator[Decimal]):
    """An amount of money, kept as its digits: a float would not give them back."""

    impl = String
    cache_ok = True

    def process_bind_param(self, value: Decimal | None, dialect: Any) -> str | None:
        """Write the digits."""
        return None if value is None else str(value)

    def process_result_value(self, value: str | None, dialect: Any) -> Decimal | None:
        """Read the digits."""
        return None if value is None else Decimal(value)

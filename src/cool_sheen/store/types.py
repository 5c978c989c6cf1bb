"""Column types: instants in UTC that refuse to be naive."""

from datetime import UTC, datetime
from typing import Any

from sqlalchemy import DateTime
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

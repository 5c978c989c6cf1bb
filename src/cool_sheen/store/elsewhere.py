"""The weather of other shops on disk, which came in with their projects."""

from collections.abc import Sequence
from datetime import datetime
from typing import Any
from uuid import UUID

from sqlalchemy import delete, insert, select
from sqlalchemy.orm import Session

from cool_sheen.store.models import WeatherElsewhere

COLUMNS = ("air_temp_c", "rh_pct", "wind_m_per_s", "gust_m_per_s", "rain_mm_per_h", "cloud_pct")


def weather(session: Session, shop: UUID, since: datetime, until: datetime) -> list[tuple[Any, ...]]:
    """Return the weather of another shop between two instants, by time.

    Returns: Rows of time, air [°C], humidity [%], wind, gusts [m/s], rain [mm/h], cloud [%].
    """
    columns = (getattr(WeatherElsewhere, name) for name in COLUMNS)
    query = select(WeatherElsewhere.at, *columns).where(
        WeatherElsewhere.shop_uuid == shop, WeatherElsewhere.at.between(since, until)
    )
    return [tuple(row) for row in session.execute(query.order_by(WeatherElsewhere.at))]


def put_weather(session: Session, shop: UUID, rows: Sequence[tuple[Any, ...]]) -> None:
    """Write a stretch of the weather of another shop, in place of what was known of it."""
    if not rows:
        return
    mine = WeatherElsewhere.shop_uuid == shop
    session.execute(delete(WeatherElsewhere).where(mine, WeatherElsewhere.at.between(rows[0][0], rows[-1][0])))
    said = [{"shop_uuid": shop, "at": at, **dict(zip(COLUMNS, figures, strict=True))} for at, *figures in rows]
    # Past the mapper: it copies each row for objects that nobody wants.
    session.connection().execute(insert(WeatherElsewhere.__table__), said)  # type: ignore[arg-type]

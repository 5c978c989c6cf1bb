"""Climate records on disk."""

from collections.abc import Iterable
from datetime import datetime
from typing import Any
from uuid import UUID

from sqlalchemy import delete, func, insert, select, true
from sqlalchemy.orm import Session

from cool_sheen.store.models import ClimateImport, ClimatePoint, SpaceAsItWas


def taken_points(
    session: Session, since: datetime, until: datetime, space: UUID | None = None, kind: str = "record"
) -> list[tuple[datetime, float, float]]:
    """Return the points of all taken imports of a kind and space, by time; of two at one instant the later import's."""
    rows = session.execute(
        select(ClimatePoint.at, ClimatePoint.air_temp_c, ClimatePoint.rh_pct)
        .join(ClimateImport, ClimateImport.uuid == ClimatePoint.import_uuid)
        .where(ClimateImport.kind == kind, ClimateImport.state == "taken", ClimatePoint.at.between(since, until))
        .where(ClimateImport.space_uuid == space if space else true())
        .order_by(ClimatePoint.at, ClimateImport.recorded_at)
    )
    newest = {at: (at, air, rh) for at, air, rh in rows}
    return list(newest.values())


def taken_sky(
    session: Session, since: datetime, until: datetime, kind: str, spaces: Iterable[UUID] | None = None
) -> list[tuple[Any, ...]]:
    """Return the sky of all taken imports of a kind, by time; of some spaces alone where they are given.

    Returns: Rows of time, humidity [%], wind, gusts [m/s], rain [mm/h], cloud [%]; None is not known.
    """
    columns = (ClimatePoint.wind_m_per_s, ClimatePoint.gust_m_per_s, ClimatePoint.rain_mm_per_h, ClimatePoint.cloud_pct)
    rows = session.execute(
        select(ClimatePoint.at, ClimatePoint.rh_pct, *columns)
        .join(ClimateImport, ClimateImport.uuid == ClimatePoint.import_uuid)
        .where(ClimateImport.kind == kind, ClimateImport.state == "taken", ClimatePoint.at.between(since, until))
        .where(ClimateImport.space_uuid.in_(list(spaces)) if spaces is not None else true())
        .order_by(ClimatePoint.at, ClimateImport.recorded_at)
    )
    newest = {row[0]: tuple(row) for row in rows if kind != "record" or any(v is not None for v in row[2:])}
    return list(newest.values())


def spaces_as_they_were(session: Session) -> dict[UUID, list[SpaceAsItWas]]:
    """Return how each space was, the oldest first."""
    out: dict[UUID, list[SpaceAsItWas]] = {}
    for row in session.scalars(select(SpaceAsItWas).order_by(SpaceAsItWas.since, SpaceAsItWas.id)):
        out.setdefault(row.space_uuid, []).append(row)
    return out


def forget_how_it_was(session: Session, space: UUID) -> None:
    """Drop how a space was: it was described wrongly."""
    session.execute(delete(SpaceAsItWas).where(SpaceAsItWas.space_uuid == space))


def add_points(session: Session, points: list[dict[str, object]]) -> None:
    """Write many points at once."""
    if points:
        # Past the mapper: it copies each row for objects that nobody wants.
        session.connection().execute(insert(ClimatePoint.__table__), points)  # type: ignore[arg-type]


def drop_points(session: Session, of: UUID) -> None:
    """Drop the points of an import that counts for nothing."""
    session.execute(delete(ClimatePoint).where(ClimatePoint.import_uuid == of))


def forget_drafts(session: Session, before: datetime, most: int, but: UUID) -> None:
    """Drop files that were looked at before an instant and never taken, and all but the newest few and one."""
    drafts = session.execute(
        select(ClimateImport.uuid, ClimateImport.recorded_at)
        .where(ClimateImport.state == "draft", ClimateImport.uuid != but)
        .order_by(ClimateImport.recorded_at.desc())
    ).all()
    gone = [uuid for place, (uuid, at) in enumerate(drafts) if at < before or place >= most]
    for uuid in gone:
        drop_points(session, uuid)
    session.execute(delete(ClimateImport).where(ClimateImport.uuid.in_(gone)))


def has_kind(session: Session, kind: str) -> bool:
    """Whether a file of a kind was taken and not taken back."""
    taken = select(ClimateImport.uuid).where(ClimateImport.kind == kind, ClimateImport.state == "taken").limit(1)
    return session.scalar(taken) is not None


def version(session: Session) -> tuple[int, str]:
    """Return something that changes whenever an import is taken or withdrawn."""
    states = session.execute(select(ClimateImport.state, func.count()).group_by(ClimateImport.state)).all()
    return sum(n for _, n in states), ",".join(sorted(f"{state}{n}" for state, n in states))


def imports(session: Session) -> list[ClimateImport]:
    """Return all imports that were taken or withdrawn, newest first."""
    return list(
        session.scalars(
            select(ClimateImport).where(ClimateImport.state != "draft").order_by(ClimateImport.recorded_at.desc())
        )
    )

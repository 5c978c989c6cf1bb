"""Climate records on disk."""

from datetime import datetime
from uuid import UUID

from sqlalchemy import func, insert, select, true
from sqlalchemy.orm import Session

from cool_sheen.store.models import ClimateImport, ClimatePoint


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


def add_points(session: Session, points: list[dict[str, object]]) -> None:
    """Write many points at once."""
    if points:
        session.execute(insert(ClimatePoint), points)


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

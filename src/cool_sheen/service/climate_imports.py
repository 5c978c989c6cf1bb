"""Climate records: looked at first, then taken, and taken back whole when they were wrong."""

import hashlib
from dataclasses import asdict, dataclass
from datetime import timedelta
from typing import Any
from uuid import UUID, uuid4
from zoneinfo import available_timezones

from sqlalchemy import delete, func, select

from cool_sheen.formats.climate_files import read_climate_file
from cool_sheen.formats.logger_csv import LoggerRecord, NotALog, Options, guess
from cool_sheen.service.learning import learn_again
from cool_sheen.service.unit import Missing, Refused, Unit
from cool_sheen.store import climate
from cool_sheen.store.models import ClimateImport, ClimatePoint, Space

_DRAFTS_KEPT = timedelta(hours=24)


@dataclass(frozen=True)
class Preview:
    """What would be taken; or why nothing can be. Nothing has changed yet."""

    draft: ClimateImport
    options: Options
    record: LoggerRecord | None
    refusal: str
    rows: list[list[str]]  # the first rows as they stand in the file
    future: int
    already: int  # points that an import of this space has already


def start(unit: Unit, space: UUID, file_name: str, content: bytes, options: Options) -> Preview:
    """Keep a file as a draft, and say what is in it. Raises Refused for a space that is not here."""
    if unit.session.get(Space, space) is None:
        raise Refused("Something is missing.", {"space": "Choose the space that the logger hung in."})
    _check_zone(options)
    unit.session.execute(
        delete(ClimateImport).where(ClimateImport.state == "draft", ClimateImport.recorded_at < unit.now - _DRAFTS_KEPT)
    )
    draft = ClimateImport(
        uuid=uuid4(),
        space_uuid=space,
        file_name=file_name[:200] or "record.csv",
        options=asdict(options),
        content=content,
        content_hash=hashlib.sha256(content).hexdigest(),
        state="draft",
        recorded_at=unit.now,
    )
    unit.session.add(draft)
    unit.session.flush()
    return _preview(unit, draft, options)


def again(unit: Unit, uuid: UUID, options: Options) -> Preview:
    """Look at a draft with other options. Raises Missing."""
    draft = _draft(unit, uuid)
    _check_zone(options)
    draft.options = asdict(options)
    return _preview(unit, draft, options)


def take(unit: Unit, uuid: UUID) -> ClimateImport:
    """Take a draft into the record of its space. Taking it twice is taking it once.

    Raises: Missing: no such draft. Refused: nothing in it can be read.
    """
    found = unit.session.get(ClimateImport, uuid)
    if found is not None and found.state == "taken":
        return found
    draft = _draft(unit, uuid)
    preview = _preview(unit, draft, _options(draft.options))
    if preview.record is None:
        raise Refused(preview.refusal)
    readings = preview.record.readings
    climate.add_points(
        unit.session,
        [
            {"import_uuid": uuid, "at": r.at, "air_temp_c": r.air_temp_c, "rh_pct": r.rh_pct, **asdict(r.sky)}
            for r in readings
        ],
    )
    draft.state, draft.content, draft.points = "taken", None, len(readings)
    draft.first_at, draft.last_at, draft.recorded_at = readings[0].at, readings[-1].at, unit.now
    learn_again(unit, readings[0].at, readings[-1].at)
    return draft


def withdraw(unit: Unit, uuid: UUID) -> ClimateImport:
    """Take a whole import back; its points stay, and count no more. Raises Missing."""
    found = unit.session.get(ClimateImport, uuid)
    if found is None or found.state == "draft":
        raise Missing("climate record")
    found.state = "withdrawn"
    if found.first_at and found.last_at:
        learn_again(unit, found.first_at, found.last_at)
    return found


def _draft(unit: Unit, uuid: UUID) -> ClimateImport:
    draft = unit.session.get(ClimateImport, uuid)
    if draft is None or draft.state != "draft" or draft.content is None:
        raise Missing("record in preview: choose the file again")
    return draft


def _check_zone(options: Options) -> None:
    if options.time_zone not in available_timezones():
        raise Refused("Something is missing.", {"time_zone": "Choose the time zone of the logger's clock."})


def _options(data: dict[str, Any]) -> Options:
    columns = data.get("columns")
    return Options(**{**data, "columns": tuple(columns) if columns else None})


def _preview(unit: Unit, draft: ClimateImport, options: Options) -> Preview:
    if draft.content is None:
        raise Refused("This file was taken or thrown away by now: choose it again.", {"file": "Choose the file."})
    rows = list(guess(draft.content))
    try:
        draft.kind, record = read_climate_file(draft.content, options, unit.now)
    except NotALog as refusal:
        return Preview(draft, options, None, str(refusal), rows, 0, 0)
    now = unit.now
    future = sum(r.at > now for r in record.readings)
    already = unit.session.scalar(
        select(func.count())
        .select_from(ClimatePoint)
        .join(ClimateImport, ClimateImport.uuid == ClimatePoint.import_uuid)
        .where(
            ClimateImport.space_uuid == draft.space_uuid,
            ClimateImport.state == "taken",
            ClimateImport.kind == draft.kind,
            ClimatePoint.at.between(record.readings[0].at, record.readings[-1].at),
        )
    )
    return Preview(draft, options, record, "", rows, future, already or 0)

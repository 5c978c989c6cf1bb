"""Climate records: looked at first, then taken, and taken back whole when they were wrong."""

import hashlib
from dataclasses import asdict, dataclass
from datetime import timedelta
from typing import Any
from uuid import UUID, uuid4
from zoneinfo import available_timezones

from sqlalchemy import func, select

from cool_sheen.formats.climate_files import read_climate_file
from cool_sheen.formats.logger_csv import LoggerRecord, NotALog, Options, Reading, guess
from cool_sheen.formats.sky_columns import COLUMNS
from cool_sheen.service.learning import learn_again
from cool_sheen.service.unit import Missing, Refused, Unit, Workshop
from cool_sheen.store import climate
from cool_sheen.store.models import ClimateImport, ClimatePoint, Space

_DRAFTS_KEPT = timedelta(hours=1)
_MOST_DRAFTS = 3
_LOT = 2000  # readings in one transaction: about a hundredth of a second


@dataclass(frozen=True)
class Preview:
    """What would be taken; or why nothing can be. Nothing has changed yet."""

    draft: ClimateImport
    kind: str  # what the file is, by what is in it
    options: Options
    record: LoggerRecord | None
    refusal: str
    rows: list[list[str]]  # the first rows as they stand in the file
    future: int
    already: int  # points that an import of this space has already


def start(workshop: Workshop, space: UUID, file_name: str, content: bytes, options: Options) -> UUID:
    """Keep a file as a draft, to be looked at. Raises Refused for a space that is not here."""
    _check_zone(options)
    draft = ClimateImport(
        uuid=uuid4(),
        space_uuid=space,
        file_name=file_name[:200] or "record.csv",
        options=asdict(options),
        content=content,
        content_hash=hashlib.sha256(content).hexdigest(),
        state="draft",
    )
    with workshop.write() as unit:
        if unit.session.get(Space, space) is None:
            raise Refused("Something is missing.", {"space": "Choose the space that the logger hung in."})
        draft.recorded_at = unit.now
        unit.session.add(draft)
        unit.session.flush()
        climate.forget_drafts(unit.session, unit.now - _DRAFTS_KEPT, _MOST_DRAFTS, draft.uuid)
    return draft.uuid


def again(workshop: Workshop, uuid: UUID, options: Options) -> None:
    """Have a draft read with other options. Raises Missing."""
    _check_zone(options)
    with workshop.write() as unit:
        _draft(unit, uuid).options = asdict(options)


def preview(unit: Unit, uuid: UUID) -> Preview:
    """Say what is in a draft; nothing is changed. Raises Missing."""
    draft = _draft(unit, uuid)
    return _preview(unit, draft, _options(draft.options))


def take(workshop: Workshop, uuid: UUID) -> UUID:
    """Take a draft into the record of its space. Taking it twice is taking it once.

    It is read before anybody has to wait; its points are written in lots, between which others write, and count from
    the last short transaction on.

    Returns: The space.
    Raises: Missing: no such draft. Refused: nothing in it can be read.
    """
    with workshop.read() as unit:
        found = unit.session.get(ClimateImport, uuid)
        if found is not None and found.state == "taken":
            return found.space_uuid
        looked = preview(unit, uuid)
    if looked.record is None:
        raise Refused(looked.refusal)
    readings, kind = looked.record.readings, looked.kind
    with workshop.taking(uuid):
        for begin in range(0, len(readings), _LOT):
            lot = readings[begin : begin + _LOT]
            rows = [_row(uuid, reading) for reading in lot]
            with workshop.write() as unit:
                _draft(unit, uuid)
                if begin == 0:
                    climate.drop_points(unit.session, uuid)  # of a taking that was broken off
                climate.add_points(unit.session, rows)
            workshop.took(uuid, begin + len(lot), len(readings))
        with workshop.write() as unit:
            draft = _draft(unit, uuid)
            draft.kind, draft.state, draft.content, draft.points = kind, "taken", None, len(readings)
            draft.first_at, draft.last_at, draft.recorded_at = readings[0].at, readings[-1].at, unit.now
            learn_again(unit, readings[0].at, readings[-1].at)
            return draft.space_uuid


def _row(uuid: UUID, reading: Reading) -> dict[str, object]:
    sky = {name: getattr(reading.sky, name) for name in COLUMNS}
    return {"import_uuid": uuid, "at": reading.at, "air_temp_c": reading.air_temp_c, "rh_pct": reading.rh_pct, **sky}


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
        kind, record = read_climate_file(draft.content, options, unit.now)
    except NotALog as refusal:
        return Preview(draft, draft.kind, options, None, str(refusal), rows, 0, 0)
    now = unit.now
    future = sum(r.at > now for r in record.readings)
    already = unit.session.scalar(
        select(func.count())
        .select_from(ClimatePoint)
        .join(ClimateImport, ClimateImport.uuid == ClimatePoint.import_uuid)
        .where(
            ClimateImport.space_uuid == draft.space_uuid,
            ClimateImport.state == "taken",
            ClimateImport.kind == kind,
            ClimatePoint.at.between(record.readings[0].at, record.readings[-1].at),
        )
    )
    return Preview(draft, kind, options, record, "", rows, future, already or 0)

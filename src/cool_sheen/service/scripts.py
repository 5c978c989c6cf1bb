"""Scripts and wall displays: tokens with which they are let in, and what they read of a part."""

import hashlib
from secrets import token_urlsafe
from typing import Any
from uuid import UUID

from sqlalchemy import select

from cool_sheen.core.drying.clock import Band
from cool_sheen.core.log.entries import Recorded
from cool_sheen.core.part.film_clock import CoatClock
from cool_sheen.core.part.situation import ZoneFilm
from cool_sheen.service import log_words
from cool_sheen.service.confirmations import offer_of
from cool_sheen.service.part_now import PartNow
from cool_sheen.service.unit import Missing, Refused, Unit
from cool_sheen.store import log, log_text
from cool_sheen.store.models import ScriptToken

MOST_TOKENS = 30
_BYTES = 32


class NotLetIn(Refused):
    """A script without a token that holds, or without the right to write."""


def make(unit: Unit, uuid: UUID, name: str, *, may_write: bool) -> str:
    """Make a token, and return it: it is kept by its hash alone, and shown once.

    Raises: Refused: no name, too many, or this press made one already.
    """
    if not name:
        raise Refused("Check what was entered.", {"name": "Enter what it is for, such as “wall display”."})
    if unit.session.get(ScriptToken, uuid) is not None:
        raise Refused("This token was made already. It is shown once: end it, and make another.", status=409)
    if len(standing(unit)) >= MOST_TOKENS:
        raise Refused(f"{MOST_TOKENS} tokens hold: end one first.", status=409)
    token = token_urlsafe(_BYTES)
    row = ScriptToken(uuid=uuid, name=name, token_hash=_hash(token), may_write=may_write, made_at=unit.now)
    unit.session.add(row)
    unit.session.flush()
    return token


def _hash(token: str) -> str:
    return hashlib.sha256(token.encode("utf-8", "replace")).hexdigest()


def standing(unit: Unit) -> list[ScriptToken]:
    """Return the tokens that hold, the oldest first."""
    query = select(ScriptToken).where(ScriptToken.ended_at.is_(None)).order_by(ScriptToken.made_at)
    return list(unit.session.scalars(query))


def end(unit: Unit, uuid: UUID) -> None:
    """End a token: whoever has it is let in no more. Raises Missing."""
    row = unit.session.get(ScriptToken, uuid)
    if row is None:
        raise Missing("token")
    row.ended_at = row.ended_at or unit.now
    unit.session.flush()


def let_in(unit: Unit, token: str, *, writes: bool = False) -> str:
    """Return the name of whoever has a token. Raises NotLetIn: no such token holds, or it may only read."""
    row = unit.session.scalar(select(ScriptToken).where(ScriptToken.token_hash == _hash(token)))
    if row is None or row.ended_at is not None:
        raise NotLetIn("A token that holds is wanted: make one in the shop's settings, under scripts.", status=401)
    if writes and not row.may_write:
        raise NotLetIn("This token may only read: make one that may write.", status=403)
    return row.name


def status_of(unit: Unit, found: PartNow) -> dict[str, Any]:
    """Say how a part stands, for a script: what its page says, as data."""
    action, part = found.action, found.part
    return {
        "uuid": part.uuid,
        "name": part.name,
        "project": part.project_name,
        "space": found.space.name,
        "system": found.system.name,
        "offer": offer_of(found),
        "state": str(action.state),
        "does": action.does,
        "says": action.says,
        "counts_to": action.counts_to,
        "rows": [_row(found.on_row(row.row)) for row in found.actions],
        "zones": [{"uuid": z.uuid, "name": z.name, "area_m2": z.area_m2} for z in found.zones],
        "layers": [
            {"id": la.id, "name": la.name, "coats": found.layers_done[la.id], "of": sum(c.counted for c in la.coats)}
            for la in found.system.layers
        ],
        "films": [_film(found, film) for film in found.situation.films],
        "live": found.is_live,
    }


def _row(found: PartNow) -> dict[str, Any]:
    """Zones with the same next thing: what an entry for them names."""
    action = found.action
    zones = [z.uuid for z in found.zones if z.uuid in action.zones]
    shown = {"state": str(action.state), "does": action.does, "says": action.says, "counts_to": action.counts_to}
    shown["work_resumes"] = action.resumes
    return {"offer": offer_of(found), "zones": zones, **shown}


def _film(found: PartNow, film: ZoneFilm) -> dict[str, Any]:
    top: CoatClock | None = film.top
    told: dict[str, Any] = {"zones": sorted(film.zones, key=str), "coated_at": None, "product": None, "phase": None}
    if top is None:
        return told | {"opens": None, "closes": None}
    return told | {
        "coated_at": top.coat.ended_at,
        "product": top.product.key,
        "phase": str(top.phase_at(found.now).phase),
        "opens": _band(top.opens),
        "closes": _band(top.closes),
    }


def _band(band: Band | None) -> dict[str, Any] | None:
    return None if band is None else {"early_at": band.early, "likely_at": band.likely, "late_at": band.late}


def log_of(unit: Unit, found: PartNow, after: int, most: int) -> list[dict[str, Any]]:
    """Return entries of a part after a number, in sequence, as data and in words."""
    rows = log.of_part(unit.session, found.part.uuid, after)[:most]
    names = log_words.names_for(unit, found.part.uuid, found.system)
    gone = log_text.taken_back(unit.session, rows)
    return [_entry(row, log_words.says_logged(unit, row, names), str(row.entry.uuid) in gone) for row in rows]


def _entry(row: Recorded, says: str, taken_back: bool) -> dict[str, Any]:
    entry = row.entry
    return {
        "seq": row.seq,
        "uuid": entry.uuid,
        "kind": entry.payload.kind,
        "happened_at": entry.occurred_at,
        "recorded_at": row.recorded_at,
        "person": entry.person,
        "device": entry.device,
        "zones": [t.zone for t in entry.targets if t.zone],
        "reason": entry.reason,
        "voids": entry.voids,
        "taken_back": taken_back,
        "says": says,
        "payload": entry.payload.model_dump(mode="json"),
    }

"""What is asked back before it is logged: what a press contradicts, and a button that is not what is next any more."""

import re
from collections.abc import Iterable, Sequence
from datetime import datetime, timedelta

from cool_sheen.core.coatings.systems import Coat, Layer
from cool_sheen.core.log.batches import BatchState
from cool_sheen.core.log.entries import MIXING, Recorded
from cool_sheen.core.log.history import Zones
from cool_sheen.core.log.standing import unvoided
from cool_sheen.core.press.contradictions import Contradiction, Intent, contradictions, minutes_since
from cool_sheen.core.takeoff.amounts import paint_of
from cool_sheen.core.work.steps import CoatStep, Step, only_on
from cool_sheen.service.batches import cup_left, transfer_of, transfer_on
from cool_sheen.service.histories import entries_of
from cool_sheen.service.part_now import PartNow
from cool_sheen.service.rooms import room_list, stamps_today
from cool_sheen.service.unit import Refused, Unit
from cool_sheen.store.models import Space

HASTY = timedelta(seconds=1)  # nobody has read what a button says in less
_SEQ = re.compile(r"[0-9]{1,18}")


class AskedBack(Refused):
    """What was pressed is asked back: confirmed, it is logged."""

    def __init__(self, found: Sequence[Contradiction]) -> None:
        super().__init__(" ".join(c.words for c in found), {"sure": "If it is so, confirm it."}, status=409)
        self.found = tuple(found)


def confirmed(unit: Unit, found: Iterable[Contradiction]) -> str | None:
    """Ask back what the presser has not confirmed.

    Args:
        unit: The unit of work: who presses, and what was confirmed, having been asked.
        found: What the press contradicts.

    Returns: What was asked and confirmed, as it stays with the entry; None where nothing was asked.
    Raises: AskedBack.
    """
    asked = list(found)
    if any(c.code not in unit.asking.sure for c in asked):
        raise AskedBack(asked)
    return f"{' '.join(c.words for c in asked)[:3900]} Confirmed." if asked else None


def asked_of(unit: Unit, intent: Intent) -> str | None:
    """Ask back what a press contradicts by the table of checks. Raises AskedBack."""
    return confirmed(unit, contradictions(intent))


def intent_of(unit: Unit, found: PartNow, does: str, zones: Zones, at: datetime | None, step: Step | None) -> Intent:
    """Return what a press means to log, as far as all presses have it."""
    return Intent(found.situation, does, zones, at or unit.now, lambda at: clock_words(unit, at), step)


def coat_intent(
    unit: Unit, found: PartNow, about: Intent, layer: Layer, coat: Coat, ticked: tuple[str, ...], cup: BatchState | None
) -> Intent:
    """Return what the press of a coat means to log: with its film, what is left in its cup, and its room."""
    is_open = cup is not None and cup.ended is None
    return Intent(
        about.situation,
        "coat",
        about.zones,
        about.at,
        about.clock,
        about.step,
        layer,
        coat,
        ticked=ticked,
        cup_ml=cup_left(unit, cup) if cup is not None and is_open else None,
        takes_ml=_takes(unit, found, about) if is_open else 0.0,
        dehumidifier_in=_dehumidifier(unit, found),
    )


def _takes(unit: Unit, found: PartNow, about: Intent) -> float:
    if not isinstance(about.step, CoatStep) or not about.zones:
        return 0.0
    transfer = transfer_of(unit)
    here = only_on(about.step, about.zones, found.zones)
    return paint_of(here, found.zones, found.products, transfer_on(found.part.lands_pct, transfer)).ml


def _dehumidifier(unit: Unit, found: PartNow) -> str:
    """Who keeps the room's list today and has not stamped the dehumidifier off is asked whether it is."""
    space = unit.session.get(Space, found.space.uuid)
    if space is None or space.dehumidifier_max_rh_pct is None or not stamps_today(unit, space.uuid):
        return ""
    listed = room_list(unit, space)
    kept = any(s.done_at is not None for s in listed if s.step.key not in ("reading", "dehumidifier_off"))
    off = next((s for s in listed if s.step.key == "dehumidifier_off"), None)
    return space.name if kept and off is not None and off.done_at is None else ""


# --- the row that was offered -----------------------------------------------------------------------------
def offer_of(found: PartNow) -> str:
    """Return the mark of what a row's buttons offer: the newest entry that they know of, and the row."""
    return f"{found.version[1]}:{found.action.row}"


def row_offered(unit: Unit) -> str:
    """The row that a press carries; empty where it carries none."""
    seq, _, row = unit.asking.offered.partition(":")
    return row if _SEQ.fullmatch(seq) else ""


def on_offered_row(unit: Unit, found: PartNow) -> PartNow:
    """Return the part with the row that a press carries as what is to be done.

    Raises: Refused: the press carries no row.
    """
    row = row_offered(unit)
    if not row:
        raise Refused("This press does not say which row it is for: load the page again.", status=409)
    return found.on_row(row)


def check_offer(unit: Unit, found: PartNow) -> None:
    """See to it that a press logs what its button offered.

    Raises: AskedBack: that is logged already, and the next action is another one; or the button had only just changed.
    """
    seq, _, row = unit.asking.offered.partition(":")
    if not _SEQ.fullmatch(seq):
        return
    since = [r for r in _entries(unit, found) if r.seq > int(seq)] if int(seq) != found.version[1] else []
    if unit.asking.mine and all(str(r.entry.uuid) in unit.asking.mine for r in since):
        return
    if since and found.row_named(row) is None:
        logged = next((r for r in reversed(since) if r.entry.planned_step == row), since[-1])
        asked = Contradiction("offer", f"{_was_logged(unit, logged)} What comes next is: {found.action.says}.")
        confirmed(unit, [asked])
    if since or "offer" in unit.asking.sure:
        return
    newest = next((r for r in reversed(_entries(unit, found)) if r.entry.payload.kind != "move"), None)
    if newest and newest.entry.device == unit.device and timedelta(0) <= unit.now - newest.recorded_at < HASTY:
        words = f"{_was_logged(unit, newest)} This button had only just come: what it says is {found.action.says}."
        raise AskedBack([Contradiction("offer", words)])


def _entries(unit: Unit, found: PartNow) -> list[Recorded]:
    """What was done to a part, in sequence; what is in a cup is pressed elsewhere."""
    rows = unvoided(entries_of(unit, found.part.uuid))
    return sorted((r for r in rows if r.entry.payload.kind not in (*MIXING, "stamp")), key=lambda row: row.seq)


def _was_logged(unit: Unit, row: Recorded) -> str:
    by = "by this device" if row.entry.device == unit.device else "by another device"
    return f"That was logged already, {minutes_since(unit.now - row.recorded_at)} ago, {by}."


def clock_words(unit: Unit, at: datetime) -> str:
    """Write an instant in the shop's time, with its day when it is not today."""
    local, today = at.astimezone(unit.zone), unit.now.astimezone(unit.zone).date()
    return f"{local:%H:%M}" if local.date() == today else f"{local:%a %H:%M}"

"""What looks found on a part: marks and readings in rows, and how each zone stands."""

from collections.abc import Sequence
from dataclasses import dataclass
from uuid import UUID
from zoneinfo import ZoneInfo

from cool_sheen.core.coatings.systems import COAT_WORDS, Layer
from cool_sheen.core.inspection.comb import Combed, combed
from cool_sheen.core.log.history import Zones
from cool_sheen.core.log.looked import MARK_WORDS
from cool_sheen.core.log.looks import Mark
from cool_sheen.core.plan.rounds import RoundsRange
from cool_sheen.core.survey.zones import ZoneFacts
from cool_sheen.core.units import amount
from cool_sheen.core.work.steps import CoatStep
from cool_sheen.core.work.walk import Stand
from cool_sheen.formats.catalogue import shipped
from cool_sheen.service.looks import due_zones
from cool_sheen.service.part_now import PartNow

_SHOWN_CLOSED = 6
_ON_A_LANE, _ON_A_PAGE = 3, 8  # marks that are named; the others are counted
STATE_WORDS = {"open": "open", "over": "coated over: look again", "closed": "settled"}


@dataclass(frozen=True, slots=True)
class MarkRow:
    """One mark: its number on the outline, what and where it is, and how it stands."""

    number: int
    mark: Mark
    what: str
    where: str
    state: str  # open, over, closed
    word: str

    @property
    def uuid(self) -> str:
        """The mark's id."""
        return str(self.mark.uuid)

    @property
    def in_short(self) -> str:
        """What and where, as short as a lane needs it."""
        return ", ".join(w for w in (self.what.lower(), self.where) if w)

    @property
    def in_words(self) -> str:
        """What and where it is, and how it stands."""
        return f"{self.in_short} ({self.word})"


@dataclass(frozen=True, slots=True)
class ZoneLook:
    """One zone: how it stands, and what is said of it when nothing is chosen."""

    uuid: UUID
    name: str
    state: str  # passed, marked, to_look
    word: str
    asked: bool  # the look that is owed is for it


@dataclass(frozen=True, slots=True)
class ReadingRow:
    """Readings that were taken together, in words."""

    combed: Combed
    title: str
    spots: Sequence[tuple[str, str, str]]  # where, how much, verdict
    says: str
    zones: str


def what_of(mark: Mark) -> str:
    """Say what a mark is: its defect by name, else its kind."""
    found = shipped().defects.get(mark.payload.defect)
    return found.name if found else MARK_WORDS[mark.payload.what].capitalize()


def mark_rows(found: PartNow) -> list[MarkRow]:
    """Return the marks of a part: those that are open, those that were coated over since, the last that are settled."""
    stand = {mark.uuid: _state(found, mark) for mark in found.history.marks.values()}
    newest = sorted(found.history.marks.values(), key=lambda m: -m.place)
    closed = [m for m in newest if stand[m.uuid] == "closed"][:_SHOWN_CLOSED]
    shown = [m for state in ("open", "over") for m in reversed(newest) if stand[m.uuid] == state] + closed
    numbers = {mark.uuid: n for n, mark in enumerate(reversed(newest), start=1)}  # as they are pencilled on the part
    return [_mark_row(found, numbers[mark.uuid], mark, stand[mark.uuid]) for mark in shown]


def _mark_row(found: PartNow, number: int, mark: Mark, state: str) -> MarkRow:
    names = found.situation.names(mark.zones)
    where = ", ".join(w for w in (names, mark.payload.where) if w)
    word = STATE_WORDS[state]
    if mark.accepted:
        word = f"accepted: {mark.accepted.reason}"
    elif state == "open" and not mark.holds:
        word = "touched in at the end"
    return MarkRow(number, mark, what_of(mark), where, state, word)


def _state(found: PartNow, mark: Mark) -> str:
    if not mark.open_on or (not mark.holds and _touched_in(found, mark)):
        return "closed"
    over = {m.uuid for z in mark.open_on for m in found.history.open_marks(z, coated=True)}
    bare = {m.uuid for z in mark.open_on for m in found.history.open_marks(z)}
    return "over" if mark.holds and mark.uuid in over - bare else "open"


def _touched_in(found: PartNow, mark: Mark) -> bool:
    places = [n for n, step in enumerate(found.owed.steps) if step.mends == mark.uuid]
    return bool(places) and all(found.owed.zones_with(n, Stand.DONE) for n in places)


def open_in_short(found: PartNow, zones: Zones) -> str:
    """Say what is marked on some zones and not coated over yet: the list of the next coat there."""
    rows = [r.in_short for r in mark_rows(found) if r.state == "open" and r.mark.holds and r.mark.open_on & zones]
    return some_of(rows, _ON_A_LANE)


def some_of(words: Sequence[str], most: int) -> str:
    """Join words, as many as there is room for, and say how many more there are."""
    more = f"; and {len(words) - most} more" if len(words) > most else ""
    return f"{'; '.join(words[:most])}{more}"


def marked_in_words(found: PartNow) -> str:
    """Say what is marked on a part and not settled, and how it stands; nothing where nothing is."""
    return some_of([r.in_words for r in mark_rows(found) if r.state != "closed"], _ON_A_PAGE)


def zone_looks(found: PartNow, zone: ZoneInfo) -> list[ZoneLook]:
    """Return how each zone stands by the look that is owed, else by the last one."""
    asked = due_zones(found)
    return [_zone_look(found, facts.uuid, facts.name, asked, zone) for facts in found.zones]


def _zone_look(found: PartNow, uuid: UUID, name: str, asked: Zones, zone: ZoneInfo) -> ZoneLook:
    marks = [m for m in found.history.open_marks(uuid) if m.holds]
    again = [m for m in found.history.open_marks(uuid, coated=True) if m.holds]
    looks = [look for look in found.history.looks if uuid in look.zones]
    coats = [c.place for c in found.history.coats if uuid in c.zones]
    if marks:
        count = f"{len(marks)} {'mark' if len(marks) == 1 else 'marks'} open"
        return ZoneLook(uuid, name, "marked", count, uuid in asked)
    if again:
        return ZoneLook(uuid, name, "to_look", "coated over: look again", uuid in asked)
    if looks and looks[-1].place > max(coats, default=-1):
        at = looks[-1].at.astimezone(zone)
        word = f"{'passed' if looks[-1].passed else 'did not pass'} {at:%a %H:%M}"
        return ZoneLook(uuid, name, "passed" if looks[-1].passed else "to_look", word, uuid in asked)
    return ZoneLook(uuid, name, "to_look", "not looked at since its last coat" if coats else "bare", uuid in asked)


def rounds_words(rounds: RoundsRange | None, zone: ZoneInfo) -> str:
    """Say how many rounds there may be, and when the part is done with the fewest and with the most."""
    if rounds is None:
        return ""
    few, most = rounds.fewest, max(rounds.most, rounds.reckoned)
    count = f"{few} to {most}" if few < most else str(most)
    words = f"{rounds.layer}: {rounds.on} on, {count} in all, {rounds.reckoned} reckoned with."
    if rounds.ends_early is None:
        return words
    early = rounds.ends_early.astimezone(zone)
    late = rounds.ends_late.astimezone(zone) if rounds.ends_late else None
    if late is None:
        return f"{words} Done from {early:%a %-d %b %H:%M} on; with the most it does not fit into the forecast."
    if late == early:
        return f"{words} Done {early:%a %-d %b %H:%M}."
    return f"{words} Done from {early:%a %-d %b %H:%M} to {late:%a %-d %b %H:%M}."


def reading_rows(found: PartNow, units: str, most: int = 8) -> list[ReadingRow]:
    """Return the newest readings of a part, in words."""
    names = {layer.id: layer.name for layer in found.system.layers}
    return [_reading_row(found, one, units, names) for one in combed(found.history, found.revisions)[:most]]


def _reading_row(found: PartNow, one: Combed, units: str, names: dict[str, str]) -> ReadingRow:
    spots = [(s.where, amount(s.um, "film", units), s.verdict) for s in one.spots]
    low, high = (amount(um, "film", units) for um in (one.low_um, one.high_um))
    mean = amount(one.mean_um, "film", units)
    if not one.wet:
        told = amount((one.low_um + one.high_um) / 2, "film", units)
        says = f"mean {mean}; the ledger has {told} there"
        says += ": far apart, one of the two is wrong" if one.verdict == "off" else ""
        return ReadingRow(one, "Dry film", spots, says, found.situation.names(one.zones))
    words = {"ok": "in its range", "thin": "thin", "heavy": "heavy", "uneven": "uneven"}[one.verdict]
    says = f"mean {mean}, {words}; {low} to {high} is wanted"
    if one.accepted:
        says += f"; accepted: {one.accepted}"
    elif one.verdict != "ok" and not one.open_on:
        says += "; mended since"
    return ReadingRow(one, f"Wet film, {names.get(one.layer_id, '')}", spots, says, found.situation.names(one.zones))


def coats_in_words(found: PartNow, zone: ZoneFacts, layer: Layer) -> list[str]:
    """Say how many coats of a layer a zone has, and is to have: those that count, and each other kind by its name."""
    kinds: dict[str, list[bool]] = {"": []}
    for place, stand in found.owed.by_zone[zone.uuid].items():
        step = found.owed.steps[place]
        if isinstance(step, CoatStep) and step.layer.id == layer.id:
            kind = "" if step.coat.counted else COAT_WORDS[step.coat.kind].removesuffix(" coat")
            kinds.setdefault("to mend" if step.mends else kind, []).append(stand is Stand.DONE)
    counted = found.history.coats_by_zone[zone.uuid][layer.id]  # one too many is on, too
    words = [f"{counted} of {len(kinds.pop(''))}"]
    return words + [f"{kind} {sum(done)} of {len(done)}" for kind, done in kinds.items()]


def film_notices(rows: Sequence[ReadingRow]) -> list[ReadingRow]:
    """Return the readings whose finding is not mended yet."""
    return [row for row in rows if row.combed.open_on]

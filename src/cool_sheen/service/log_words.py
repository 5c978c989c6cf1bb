"""The log in words."""

from collections.abc import Callable, Mapping
from typing import Any
from uuid import UUID

from sqlalchemy import select

from cool_sheen.core.coatings.sheet_fields import TOUCH_WORDS
from cool_sheen.core.coatings.systems import CLOTH, STEP_WORDS, System
from cool_sheen.core.drying.milestones import WORDS
from cool_sheen.core.film.build import GROUND
from cool_sheen.core.log.entries import SAND_METHOD_WORDS, Recorded, StepPayload
from cool_sheen.core.log.looked import BECAUSE_WORDS, MARK_WORDS
from cool_sheen.core.log.spent import WORK_WORDS
from cool_sheen.core.mixing.order import GATES
from cool_sheen.core.survey.below import DEPTH_WORDS
from cool_sheen.core.units import amount
from cool_sheen.formats.catalogue import causes, shipped
from cool_sheen.service.unit import Unit
from cool_sheen.store import log
from cool_sheen.store.models import Space, Zone


def says(row: Recorded, names: dict[str, str], units: str = "metric") -> str:
    """Return an entry in words."""
    failed = getattr(row.entry.payload, "not_passed", False)
    if not failed:
        return _says(row, names, units)
    why = "the cloth is not clean yet" if row.entry.payload.kind in CLOTH else "not passed"
    return f"{_says(row, names, units)}: {why}"


def _says(row: Recorded, names: dict[str, str], units: str) -> str:
    payload: Any = row.entry.payload
    if payload.kind == "override":
        return f"Against the advice, {payload.rule}: {row.entry.reason}"
    return _of_payload(payload, names, units)


def _of_payload(payload: Any, names: dict[str, str], units: str) -> str:
    if payload.kind in _SAYS:
        return _SAYS[payload.kind](payload, names, units)
    words = STEP_WORDS.get(payload.kind, str(payload.kind).replace("_", " ").capitalize())
    return f"{words}{_seen_to(payload)}" if isinstance(payload, StepPayload) else words


def _says_coat(payload: Any, names: dict[str, str], units: str) -> str:
    kind = "" if payload.coat_kind == "full" else f" ({payload.coat_kind} coat)"
    film = amount(payload.film_um, "film", units)
    layer = names.get(payload.layer_id, payload.layer_id)
    said = f"{layer} coated{kind}, {film} wet{_lasted(payload)}{_seen_to(payload)}"
    return f"{said}; {gun_words(payload.gun, units)}" if payload.gun else said


_BARS = (("inlet_bar", "at the inlet"), ("cap_bar", "at the cap"), ("regulator_bar", "at the regulator"))


def gun_words(gun: Mapping[str, str], units: str = "metric") -> str:
    """Say how a gun was set, as the log or a card has it: its name, its nozzle, and the pressure that was read."""
    nozzle = f", {gun['opening_mm']} mm" if "opening_mm" in gun else ""
    bar = next(((gun[name], where) for name, where in _BARS if name in gun), None)
    digits = 0 if units == "us" else 2
    pressed = f", {amount(float(bar[0]), 'pressure', units, digits)} {bar[1]}" if bar else ""
    return f"{gun['gun_name']}{nozzle}{pressed}"


def hours_words(minutes: float) -> str:
    """Return hands-on time in words."""
    hours, rest = divmod(round(minutes), 60)
    return " ".join([f"{hours} h"] * bool(hours) + [f"{rest} min"] * bool(rest or not hours))


def _lasted(payload: Any) -> str:
    return f", {payload.paused_min:.0f} min paused" if payload.paused_min else ""


def _seen_to(payload: Any) -> str:
    """What was asked to be seen to, and was or was not."""
    seen = f", {', '.join(payload.ticked)}" if payload.ticked else ""
    return f"{seen}; not ticked: {', '.join(payload.unticked)}" if payload.unticked else seen


def _says_sand(payload: Any, names: dict[str, str], units: str) -> str:
    wet = "wet" if payload.wet else "dry"
    basis = "measured" if payload.measured else "by estimate"
    took = f", {amount(payload.removal_um, 'film', units)} off {basis}" if payload.removal_um else ""
    through = ""
    if payload.break_through:
        shows = "the substrate" if payload.shows == GROUND else names.get(payload.shows, "")
        through = f", broke through ({payload.break_through}){f': {shows} shows' if shows else ''}"
    how = f" by {SAND_METHOD_WORDS[payload.method].removeprefix('by ')}" if payload.minutes or payload.ticked else ""
    lasted = f" for {payload.minutes:g} min" if payload.minutes else ""
    return f"Sanded {payload.grit} {wet}{how}{lasted}{took}{_seen_to(payload)}{through}"


def _says_touch(payload: Any, names: dict[str, str], units: str) -> str:
    mark = WORDS.get(payload.milestone, payload.milestone)
    how = "" if payload.how == "thumb_on_tape" else f", by {TOUCH_WORDS[payload.how]}"
    return f"Touched: {mark}{how}" if payload.ready else f"Touched: not yet {mark}{how}"


def _says_bake(payload: Any, units: str) -> str:
    if not payload.minutes:
        return "Heated"
    seen = f", {', '.join(payload.ticked)}" if payload.ticked else ""
    missed = f"; {payload.note}" if payload.note else ""
    metal = amount(payload.metal_temp_c, "temperature", units, 0)
    return f"Heated: {metal} metal for {payload.minutes:g} min{seen}{missed}"


def _says_test(payload: Any, names: dict[str, str], units: str) -> str:
    test = shipped().tests.get(payload.test)
    result = test.result(payload.result) if test else None
    if test is None or result is None:
        return f"Tested: {payload.test}"
    deep = f", {DEPTH_WORDS[payload.films_down]}" if payload.films_down else ""
    held = "" if payload.held_h is None else f", held {payload.held_h:g} h"
    short = "" if test.proves(result, payload.held_h) else ": too short to say anything"
    return f"{test.title}{deep}: {result.words}{held}{short}"


def _says_mark(payload: Any, names: dict[str, str], units: str) -> str:
    what = defect_name(payload.defect) if payload.what == "defect" else MARK_WORDS[payload.what]
    return f"Marked: {what.lower()}{f', {payload.where}' if payload.where else ''}"


def defect_name(key: str) -> str:
    """Return what a defect is called."""
    found = shipped().defects.get(key)
    return found.name if found else key or "a defect"


def _says_mishap(payload: Any, names: dict[str, str], units: str) -> str:
    what = ", ".join(w for w in (defect_name(payload.defect) if payload.defect else "", payload.words) if w)
    steps = len(payload.steps)
    return f"Went wrong: {what or 'to be mended'}; {steps} {'step' if steps == 1 else 'steps'} to mend it"


def _says_reading(payload: Any, names: dict[str, str], units: str) -> str:
    places = [*payload.places, *[""] * len(payload.readings_um)]
    rows = zip(places, payload.readings_um, strict=False)
    shown = [f"{place} {amount(um, 'film', units)}".strip() for place, um in rows]
    more = f" and {len(shown) - 6} more" if len(shown) > 6 else ""
    return f"{'Wet' if payload.state == 'wet' else 'Dry'} film read: {', '.join(shown[:6])}{more}"


def cause_words(defect: str, cause: str) -> str:
    """Say a cause by its name; by its key where the table has it no more."""
    return next((c.name for c in causes().get(defect, ()) if c.key == cause), cause)


def _says_judgement(payload: Any, names: dict[str, str], units: str) -> str:
    layer = names.get(payload.layer_id, payload.layer_id)
    return f"{layer}: {'enough' if payload.enough else 'not enough, another coat'} before {payload.grit}"


def _says_accept(payload: Any, names: dict[str, str], units: str) -> str:
    far = f", from {payload.seen_from_m:g} m" if payload.seen_from_m else ""
    return f"Accepted as it is: {BECAUSE_WORDS[payload.because]}{far}"


_DEEP = {"sound": " to sound film", "substrate": " to the substrate"}
_DEEP |= {"1": ", one film", "2": ", two films", "3": ", three films", "4": ", four films"}
_SAYS: dict[str, Callable[[Any, dict[str, str], str], str]] = {
    "coat": _says_coat,
    "sand": _says_sand,
    "touch_test": _says_touch,
    "survey_test": _says_test,
    "bake": lambda p, _, units: _says_bake(p, units),
    "own": lambda p, *_: f"{p.note or STEP_WORDS['own']}{_seen_to(p)}",
    "strip": lambda p, *_: f"Stripped{_DEEP.get(p.stripped, '')}{_seen_to(p)}",
    "climate_reading": lambda p, names, units: (
        f"Read in {names.get(str(p.space), 'a space')}: {amount(p.air_temp_c, 'temperature', units)}, {p.rh_pct:.0f} %"
        + (f", surface {amount(p.surface_temp_c, 'temperature', units)}" if p.surface_temp_c is not None else "")
    ),
    "move": lambda p, names, _: f"Stands in {names.get(str(p.space), 'another space')}",
    "begin": lambda p, names, _: f"Begun: {names.get(p.layer_id, p.layer_id)}",
    "pause": lambda *_: "Paused",
    "skip": lambda p, *_: f"Not done: {p.words}",
    "void": lambda *_: "Took an entry back",
    "retime": lambda *_: "Time put right",
    "amend": lambda p, names, units: f"Put right, {_of_payload(p.says, names, units)}",
    "note": lambda p, *_: str(p.text),
    "hours": lambda p, *_: f"{hours_words(p.minutes)} of {WORK_WORDS[p.work]}{f': {p.note}' if p.note else ''}",
    "cause": lambda p, *_: f"The cause of {defect_name(p.defect).lower()}: {cause_words(p.defect, p.cause).lower()}",
    "next_time": lambda p, *_: f"Next time: {p.text}",
    "claim": lambda p, *_: f"{STEP_WORDS[p.says]}: done, says {p.whose}",
    "batch": lambda p, _, units: f"Batch of {p.name} begun, {amount(p.ready_ml, 'volume', units)} ready to use",
    "pour": lambda p, _, units: f"Poured {amount(p.ml, 'volume', units)} into the cup",
    "viscosity": lambda p, *_: f"Runs {p.seconds:g} s by the {p.by}",
    "batch_end": lambda p, _, units: (
        "Batch used up" if p.goes == "nothing_left" else f"Batch ended, {amount(p.left_ml, 'volume', units)} left"
    ),
    "stamp": lambda p, *_: f"{GATES[p.gate][0] if p.gate in GATES else p.gate}: done",
    "mark": _says_mark,
    "accept": _says_accept,
    "mishap": _says_mishap,
    "judgement": _says_judgement,
    "film_reading": _says_reading,
    "check": lambda p, *_: "Checked: it holds" if p.holds else "Checked: it does not hold",
}


def names_for(unit: Unit, part: UUID, system: System) -> dict[str, str]:
    """Return the names that a part's log speaks of: layers, spaces, and its zones, those that were split as well."""
    spaces = {str(uuid): name for uuid, name in unit.session.execute(select(Space.uuid, Space.name))}
    rows = unit.session.execute(select(Zone.uuid, Zone.name, Zone.was_split).where(Zone.part_uuid == part)).all()
    zones, live = {str(row.uuid): row.name for row in rows}, sum(not row.was_split for row in rows)
    return spaces | zones | {layer.id: layer.name for layer in system.layers} | {_LIVE: str(live)}


_LIVE = "live zones"


def where_of(row: Recorded, names: dict[str, str]) -> str:
    """Name the zones that an entry is about, where the part has several: all of them, or which."""
    aimed = list(dict.fromkeys(names[str(t.zone)] for t in row.entry.targets if str(t.zone) in names))
    if int(names.get(_LIVE, "1")) < 2 or not aimed or row.entry.payload.kind not in _HAS_ZONES:
        return ""
    return "all zones" if len(aimed) >= int(names[_LIVE]) else ", ".join(aimed)


_HAS_ZONES = frozenset(
    {"amend", "begin", "pause", "coat", "sand", "touch_test", "skip", "mark", "accept", "mishap", "judgement",
     "film_reading", "note", "next_time", "cause", *STEP_WORDS}
)  # fmt: skip


_WITH_REASON = ("skip", "accept")  # whose reason is half of what they say


def says_logged(unit: Unit, row: Recorded, names: dict[str, str], units: str = "metric") -> str:
    """Return what was just logged, in words and with its zones; of a void what it took back."""
    gone = log.by_uuid(unit.session, row.entry.voids) if row.entry.voids else None
    if gone is None:
        return _with_zones(row, names, units)
    if gone.entry.voids:
        back = log.by_uuid(unit.session, gone.entry.voids)
        return f"– put back: {_with_zones(back, names, units)}" if back else says(row, names, units)
    return f"– taken back: {_with_zones(gone, names, units)}"


def _with_zones(row: Recorded, names: dict[str, str], units: str) -> str:
    words, where = says(row, names, units), where_of(row, names)
    reason = f" – {row.entry.reason}" if row.entry.payload.kind in _WITH_REASON else ""
    return f"{words}: {where}{reason}" if where else f"{words}{reason}"

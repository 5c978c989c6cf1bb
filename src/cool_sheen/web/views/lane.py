"""A lane of the Bench: a part's portrait, its ribbon, the next action and its countdown."""

import math
from dataclasses import dataclass
from datetime import datetime, timedelta
from functools import lru_cache, partial
from uuid import UUID, uuid4
from zoneinfo import ZoneInfo

import numpy as np

from cool_sheen.core.climate.air import Floats
from cool_sheen.core.climate.gates import Shut
from cool_sheen.core.drying.clock import DEFAULT_LN_SD, Band
from cool_sheen.core.drying.milestones import WORDS as MARK_WORDS
from cool_sheen.core.drying.phases import Phase
from cool_sheen.core.planning.film_clock import keyed_since
from cool_sheen.core.planning.next_action import mark_of
from cool_sheen.core.units import amount
from cool_sheen.service.jobs import Standing
from cool_sheen.web.views import ribbon, section

STATE_WORDS: dict[str, str] = {
    "wet": "wet", "open": "open", "closing": "closing", "locked": "locked", "key": "key first", "keyed": "keyed",
    "cured": "cured", "curing": "curing", "bare": "ready to start", "gate": "gate shut", "done": "nothing to do",
}  # fmt: skip
_URGENCY = ("closing", "open", "keyed", "key", "bare", "wet", "gate", "locked", "curing", "cured", "done")
_HAZARDS = {
    "isocyanate": "isocyanates: supplied air",
    "fire": "no flames or sparks",
    "solvent": "solvent: extraction on",
}
_BUTTON = {"coat": "Coat on", "touch_test": "Touch test", "sand": "Log sanding", "bake": "Log the heat", "": ""}


@dataclass(frozen=True, slots=True)
class Count:
    """A countdown: to when, from early to late, and what it is for."""

    to_ms: int
    text: str
    span: str
    alarm: str
    key: str  # under which the alarm rings once, whether the count runs out here or the server says so


@dataclass(frozen=True, slots=True)
class Why:
    """A figure's inputs."""

    label: str
    value: str


@dataclass(frozen=True, eq=False)
class Lane:
    """All that the lane's template shows."""

    uuid: UUID
    name: str
    project: str
    place: str
    done: str
    hazards: list[str]
    state: str
    word: str
    says: str
    because: str
    does: str
    button: str
    also: list[str]
    grit: str | None
    count: Count | None
    tested: bool
    milestone: str
    wide: ribbon.Ribbon
    narrow: ribbon.Ribbon
    portrait: section.Section
    due: list[str]  # keys of the alarms that are due by now
    press: str  # the uuid of the entry that the button will write
    why: list[Why]
    mix: str  # where the next coat is mixed; empty when it needs no mixing


def story_of(found: Standing, with_gate: bool = True) -> ribbon.Story:
    """Return what a part's ribbon tells."""
    top = found.look.top
    step = found.action.step
    coats_to_come = any(p.status in ("next", "ahead") and p.step.kind == "coat" for p in found.steps)
    shut: tuple[Shut, ...] = ()
    if with_gate and step and step.layer and step.kind == "coat":
        shut = tuple(found.climate.shut(found.products[step.layer.product], found.look.now))
    cured = None
    if top and (mark := mark_of(top.product, "full_cure")):
        cured = top.bands[mark].likely
    return ribbon.Story(
        clocks=found.clocks,
        sandings=[d.at for d in found.state.done if d.kind == "sand"],
        tests=[(t.at, t.payload.ready) for t in found.state.touches],
        keyed=keyed_since(found.look.state) if top else None,
        finishing=not coats_to_come,
        cured_at=cured,
        shut=shut,
    )


def lane(found: Standing, zone: ZoneInfo, units: str = "metric") -> Lane:
    """Compute a lane."""
    now, action = found.look.now, found.action
    story = story_of(found)
    wide = ribbon.draw(story, ribbon.frame_around(now, timedelta(hours=2), timedelta(hours=6)), zone)
    narrow = ribbon.draw(story, ribbon.frame_around(now, timedelta(hours=1), timedelta(hours=3), 340.0), zone)
    untested = action.state in (Phase.OPEN, Phase.CLOSING) and not action.tested
    word = STATE_WORDS[str(action.state)]
    if action.state in (Phase.OPEN, Phase.CLOSING) and found.look.top is not None:
        word = f"{word}, {'test first' if untested else 'tested'}"
    return Lane(
        uuid=found.part.uuid,
        name=found.part.name,
        project=found.part.project.name,
        place=found.space.name,
        done=layer_count(found),
        hazards=hazards(found),
        state=str(action.state),
        word=word,
        says=action.says,
        because=action.because,
        does=action.does,
        button=button_word(action.does, action.says),
        also=_also(found),
        grit=action.grit,
        count=_count(found, zone),
        tested=action.tested,
        milestone=MARK_WORDS.get(action.milestone or "", ""),
        wide=wide,
        narrow=narrow,
        portrait=portrait(found),
        due=_due(found),
        press=str(uuid4()),
        why=why(found, zone, units),
        mix=mix_address(found),
    )


def mix_address(found: Standing) -> str:
    """Return where the next coat of a part is mixed; nothing for one out of a can, and after the last coat."""
    ahead = (p.step.layer for p in found.steps if p.status in ("next", "ahead") and p.step.kind == "coat")
    layer = next(ahead, None)
    if layer is None or found.products[layer.product].aerosol is not None:
        return ""
    return f"/mix/new?product={layer.product}&part_{found.part.uuid}=1"


def lanes(standings: list[Standing], zone: ZoneInfo, units: str = "metric") -> list[Lane]:
    """Compute the lanes of all live parts, the most urgent first."""
    live = [s for s in standings if s.action.state not in ("cured", "done")]
    live.sort(key=lambda s: (_URGENCY.index(str(s.action.state)), s.action.counts_to or s.look.now))
    return [lane(s, zone, units) for s in live]


def portrait(found: Standing) -> section.Section:
    """Return a part's film as a small picture: its first zone."""
    return _portrait(_Seen(found))


class _Seen:
    """A standing that is the same as another one of its version."""

    def __init__(self, found: Standing) -> None:
        self.found = found

    def __hash__(self) -> int:
        return hash(self.found.version)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _Seen) and self.found.version == other.found.version


@lru_cache(maxsize=256)
def _portrait(seen: _Seen) -> section.Section:
    found = seen.found
    first = next(iter(found.state.builds.values()))
    return section.draw({"film": first}, found.system, found.products, section.Canvas(58, 72))


def layer_count(found: Standing) -> str:
    """Say how many coats of the layer in hand are on, such as ``Primer 2 of 3``."""
    if not found.clocks:
        return "no coat yet"
    layer_id = found.clocks[-1].coat.payload.layer_id
    layer = next((la for la in found.system.layers if la.id == layer_id), None)
    if layer is None:
        return "a layer that was taken out"
    on, of = coats_of(found, layer_id)
    return f"{layer.name} {on} of {of}"


def coats_of(found: Standing, layer_id: str) -> tuple[int, int]:
    """Return how many coats of a layer count, and how many it is to have: extra ones count beyond the target."""
    steps = [p for p in found.steps if p.step.kind == "coat" and p.step.layer and p.step.layer.id == layer_id]
    counted = [p for p in steps if p.step.coat and p.step.coat.counted]
    done = sum(p.status == "done" for p in counted)
    return (max(done, found.state.counts[layer_id]) if len(counted) == done else done), len(counted)


def button_word(does: str, says: str) -> str:
    """Return the word on the big button."""
    return _BUTTON.get(does, f"{says} done")


def hazards(found: Standing) -> list[str]:
    """Return the gravest hazard of the coat that is next, for the lane itself."""
    step = found.action.step
    if step is None or step.layer is None or step.kind != "coat":
        return []
    cautions = found.products[step.layer.product].cautions
    return [word for key, word in _HAZARDS.items() if key in cautions][:1]


def _also(found: Standing) -> list[str]:
    """Return what else makes sense now, beside the big button."""
    does = found.action.does
    coatable = any(p.status in ("next", "ahead") and p.step.kind == "coat" for p in found.steps)
    also = []
    if does != "coat" and coatable and found.action.state not in ("locked", "key", "bare"):
        also.append("coat")
    if does != "touch_test" and found.clocks and found.action.state in ("wet", "open", "closing", "locked", "curing"):
        also.append("touch_test")
    if does == "touch_test" and found.action.step and found.action.step.kind == "sand":
        also.append("sand")
    return also[:1]


def clock_time(at: datetime | None, zone: ZoneInfo, now: datetime) -> str:
    """Write an instant as painters say it: with the day when it is not today."""
    if at is None:
        return "never here"
    local, today = at.astimezone(zone), now.astimezone(zone).date()
    if local.date() == today:
        return f"{local:%H:%M}"
    return f"{local:%a %H:%M}" if abs((local.date() - today).days) < 7 else f"{local:%-d %b %H:%M}"


def _count(found: Standing, zone: ZoneInfo) -> Count | None:
    action, now = found.action, found.look.now
    if action.counts_to is None:
        return None
    band = action.band
    return Count(
        to_ms=int(action.counts_to.timestamp() * 1000),
        text=action.counting,
        span=_stretch(band, zone, now) if band else "",
        alarm=action.alarm,
        key=_alarm_key(found, action.alarm),
    )


def _stretch(band: Band, zone: ZoneInfo, now: datetime) -> str:
    """Write a band as short as a lane needs it: hours when it is near, else days, else dates."""
    if band.early is None or band.late is None:
        return "early or never" if band.early else ""
    ahead = band.late - now
    pattern = "%H:%M" if ahead < timedelta(hours=20) else "%a" if ahead < timedelta(days=6) else "%-d %b"
    early, late = (t.astimezone(zone).strftime(pattern) for t in (band.early, band.late))
    return early if early == late else f"{early} – {late}"


def _alarm_key(found: Standing, alarm: str) -> str:
    step = found.action.step
    top = found.look.top
    about = step.id if step and step.after else ""
    return f"{alarm}:{top.coat.uuid if top else found.part.uuid}:{about}" if alarm else ""


def _due(found: Standing) -> list[str]:
    """Return the alarms that a page which has been open should have rung by now."""
    action = found.action
    if found.look.top is None:
        return []
    is_open = action.state in (Phase.OPEN, Phase.CLOSING)
    rings = {
        "test": (is_open and not action.tested)
        or bool(action.step and action.step.after and action.does != "touch_test"),
        "closing": action.state == Phase.CLOSING,
        "sand": action.does == "sand",
        "done": action.state == Phase.CURED,
    }
    return [_alarm_key(found, alarm) for alarm, due in rings.items() if due]


def why(found: Standing, zone: ZoneInfo, units: str = "metric") -> list[Why]:
    """Return the inputs of the countdown: product data, film, climate along the way, speed, air, tests."""
    top, now = found.look.top, found.look.now
    if top is None:
        return [Why("nothing is coated yet", "")]
    at = found.climate.series.sampled(_instants(now))
    payload = top.coat.payload
    film, warmth = (partial(amount, dimension=d, units=units) for d in ("film", "temperature"))
    rows = [
        Why("coat ended", clock_time(top.coat.ended_at, zone, now)),
        Why("product", top.product.name),
        Why("film", f"{film(top.film.wet_film_um)} wet, reference {film(top.product.ref_wet_film_um)}"),
        Why("still drying below", f"{film(top.film.below_um)} wet"),
        Why("surface now", f"{warmth(at.surface_temp_c[0])}, reference {warmth(top.product.ref_temp_c)}"),
        Why("humidity now", f"{at.rh_pct[0]:.0f} %, reference {top.product.ref_rh_pct:g} %"),
        Why("air", f"{payload.air_movement}; hardener {payload.hardener_speed}, reducer {payload.reducer_speed}"),
        Why("this shop's times", _learned(found)),
        Why("touch tests of this coat", str(len(found.state.tests_of(top.coat.uuid)))),
    ]
    if band := found.action.band:
        stretch = " – ".join(clock_time(t, zone, now) for t in (band.early, band.likely, band.late))
        rows.append(Why("early – likely – late", stretch))
    if payload.promised and payload.promised.opens:
        rows.append(Why("promised at the press", f"open {clock_time(payload.promised.opens, zone, now)}"))
    return rows


def _learned(found: Standing) -> str:
    """Say what the shop's own tests make of the product's times here."""
    top = found.look.top
    assert top is not None
    mark = next((m for m in top.product.milestones if m.name == top.rule.opens), top.product.milestones[0])
    mean, spread = found.look.factor(top.product.key, top.coat.uuid, mark.mode)
    if (mean, spread) == (0.0, DEFAULT_LN_SD):
        return "as the sheet says: no test taught it here yet"
    return f"× {math.exp(mean):.2f} of the sheet, spread {100 * spread:.0f} % (25 % untaught)"


def _instants(now: datetime) -> Floats:
    return np.array([now.timestamp()])

"""The trainer: what a drawn film says, told by the equations of the field, and the record of it."""

from dataclasses import dataclass
from datetime import datetime
from typing import Any
from uuid import UUID

from sqlalchemy import select

from cool_sheen.core.climate.air import Floats
from cool_sheen.core.gun.fan import PROFILE_SHARE, SPOT_MM, arrives, fan_at, pass_speed
from cool_sheen.core.gun.field import MM_TO_UM, REACH, STEP_SHARE, Evenness, Panel, Sample, Spray, draw, evenness
from cool_sheen.core.gun.training import Drill, Hand, hand_of, is_passed, told
from cool_sheen.core.units import Micron
from cool_sheen.formats.catalogue import drills
from cool_sheen.service.gun.bench import SetUp
from cool_sheen.service.gun.field import FieldAsked, usual
from cool_sheen.service.unit import Missing, Refused, Unit
from cool_sheen.store.models import StrokeRun

CELL_MM = 8.0
MOST_SAMPLES = 20_000
MOST_SHOWN = 14


@dataclass(frozen=True, slots=True)
class Course:
    """A drill with today's gun and product: all that a drawn film is worked out from.

    Attributes:
        target_um: Film that is wanted, of all coats. [um]
        least_um, runs_over_um: Of all coats. [um]
        speed_mm_per_s: That lays it. [mm/s]
    """

    drill: Drill
    panel: Panel
    spray: Spray
    distance_mm: float
    target_um: Micron
    least_um: Micron
    runs_over_um: Micron
    speed_mm_per_s: float
    pitch_mm: float

    def constants(self) -> dict[str, float]:
        """What the page reckons with: it has none of its own."""
        return {
            "rate": self.spray.mm3_per_s * float(self._arrives) * MM_TO_UM,
            "fan": self.fan_mm,
            "share": PROFILE_SHARE,
            "spot": SPOT_MM,
            "step": STEP_SHARE,
            "reach": REACH,
            "width": self.panel.width_mm,
            "height": self.panel.height_mm,
            "columns": self.panel.columns,
            "rows": self.panel.rows,
            "speed": self.speed_mm_per_s,
            "pitch": self.pitch_mm,
            "seconds": self.drill.seconds,
            "top": 1.2 * self.runs_over_um,
            "least": self.least_um,
            "over": self.runs_over_um,
        }

    @property
    def fan_mm(self) -> float:
        """Width of the fan on the panel. [mm]"""
        return float(fan_at(self.spray.fan_mm, self.spray.usual_mm, self.distance_mm))

    @property
    def _arrives(self) -> Floats:
        return arrives(self.spray.transfer, self.spray.usual_mm, self.distance_mm)


def course(found: SetUp, key: str) -> Course:
    """Return a drill with what is set up. Raises Refused: a tool that does not spray."""
    drill = next((d for d in drills() if d.key == key), drills()[0])
    spray, distance = usual(found, FieldAsked())
    panel = Panel(drill.width_mm, drill.height_mm, round(drill.width_mm / CELL_MM), round(drill.height_mm / CELL_MM))
    fan = float(fan_at(spray.fan_mm, spray.usual_mm, distance))
    product, wet = found.at.product, found.at.wet_um
    speed = pass_speed(spray.flow_ml_per_min, spray.transfer, fan, drill.overlap, wet)
    return Course(
        drill, panel, spray, distance, wet * drill.coats, min(product.wet_film_min_um, wet) * drill.coats,
        max(product.runs_over_um * drill.sag_share, 1.1 * wet) * drill.coats, speed, fan * (1 - drill.overlap),
    )  # fmt: skip


def following(drill: Drill) -> Drill | None:
    """Return the next harder drill; None after the last."""
    keys = [d.key for d in drills()]
    place = keys.index(drill.key) + 1
    return drills()[place] if place < len(keys) else None


@dataclass(frozen=True)
class Drawn:
    """What was drawn, and what is said of it."""

    film_um: Floats
    even: Evenness
    hand: Hand
    says: list[str]
    passed: bool


def judge(on: Course, samples: list[Sample]) -> Drawn:
    """Lay a drawn film, and tell how even it came out."""
    film = draw(on.panel, on.spray, samples, on.distance_mm)
    counts = on.drill.part_that_counts(film)
    even = evenness(counts, on.least_um, on.runs_over_um)
    hand = hand_of(samples)
    says = told(on.drill, counts, even, hand, on.target_um, on.least_um, on.runs_over_um)
    return Drawn(film, even, hand, says, is_passed(on.drill, even))


def read_samples(text: str, panel: Panel) -> list[Sample]:
    """Read what a page drew: ``ms x y pulled down`` in tenths of a millimetre, parted by semicolons.

    Raises: Refused: something else, or more than a drill holds.
    """
    rows = [row for row in text.split(";") if row]
    if len(rows) > MOST_SAMPLES:
        raise Refused("That was drawn for too long: begin again.")
    out: list[Sample] = []
    far = 100 * max(panel.width_mm, panel.height_mm)
    for row in rows:
        words = row.split(" ")
        if len(words) != 5 or not all(w.removeprefix("-").isascii() and w.removeprefix("-").isdigit() for w in words):
            raise Refused("What was drawn cannot be read: load the page again.")
        if any(len(w) > 9 for w in words):
            raise Refused("What was drawn cannot be read: load the page again.")
        at, x, y, pulled, down = (int(w) for w in words)
        if abs(x) > far or abs(y) > far or at < 0 or (out and at / 1000 < out[-1].at_s):
            raise Refused("What was drawn cannot be read: load the page again.")
        out.append(Sample(at / 1000, x / 10, y / 10, pulled == 1, down == 1))
    return out


@dataclass(frozen=True, slots=True)
class Run:
    """A drill as it stands in the record."""

    at: datetime
    person: str
    spread_pct: float
    mean_um: Micron
    target_um: Micron
    thin_pct: float
    over_pct: float
    passed: bool


def keep(unit: Unit, uuid: UUID, on: Course, drawn: Drawn, found: SetUp) -> None:
    """Keep a drill in the record; what landed nowhere is none. The same press is kept once."""
    if drawn.even.most_um <= 0 or unit.session.get(StrokeRun, uuid) is not None:
        return
    data: dict[str, Any] = {
        "spread_pct": round(drawn.even.spread_pct, 2), "mean_um": round(drawn.even.mean_um, 2),
        "target_um": round(on.target_um, 2), "thin_pct": round(drawn.even.thin_pct, 2),
        "over_pct": round(drawn.even.over_pct, 2), "passed": drawn.passed, "gun": found.gun.name,
        "product": found.at.product.name,
    }  # fmt: skip
    unit.session.add(StrokeRun(uuid=uuid, at=unit.now, person=unit.person, drill=on.drill.key, data=data))
    unit.session.flush()


def record(unit: Unit, drill: str) -> list[Run]:
    """Return the last runs of a drill, the oldest first."""
    query = select(StrokeRun).where(StrokeRun.drill == drill).order_by(StrokeRun.at.desc()).limit(MOST_SHOWN)
    rows = list(unit.session.scalars(query))[::-1]
    return [Run(row.at, row.person, **{n: row.data[n] for n in Run.__slots__ if n in row.data}) for row in rows]


def passed(unit: Unit) -> set[str]:
    """Return the drills that were ever as even as they ask."""
    rows = unit.session.execute(select(StrokeRun.drill, StrokeRun.data))
    return {row.drill for row in rows if row.data.get("passed")}


def forget(unit: Unit, drill: str) -> None:
    """Empty the record of a drill. Raises Missing: there is no such drill."""
    if drill not in {d.key for d in drills()}:
        raise Missing("drill")
    for row in unit.session.scalars(select(StrokeRun).where(StrokeRun.drill == drill)):
        unit.session.delete(row)
    unit.session.flush()

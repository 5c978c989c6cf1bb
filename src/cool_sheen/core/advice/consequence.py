"""What follows from a system: hours, days, litres, film and risk, by the functions that the plan uses."""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from cool_sheen.core.advice.findings import Finding, worst
from cool_sheen.core.coatings.compatibility import GRAVITY, Verdict
from cool_sheen.core.coatings.products import Product
from cool_sheen.core.coatings.systems import System
from cool_sheen.core.film.build import Build
from cool_sheen.core.film.planned import planned_build
from cool_sheen.core.log.history import History
from cool_sheen.core.materials.quantity import ready_volume
from cool_sheen.core.part.climate import PartClimate
from cool_sheen.core.part.film_clock import FactorOf, unknown_factor
from cool_sheen.core.part.placed import Planned
from cool_sheen.core.part.situation import Situation, zone_films
from cool_sheen.core.plan.rest import rest_of
from cool_sheen.core.survey.zones import ZoneFacts
from cool_sheen.core.takeoff.amounts import millilitres
from cool_sheen.core.units import Hours, Micron, SquareMetres
from cool_sheen.core.work.hours import WorkingHours
from cool_sheen.core.work.labour import WAYS, labour_minutes, transfer_efficiency
from cool_sheen.core.work.owed import owed_to
from cool_sheen.core.work.steps import CoatStep, steps_of


@dataclass(frozen=True, slots=True)
class Setting:
    """Where and when a system would be worked: zones, climate, working day, and the sheets."""

    zones: tuple[ZoneFacts, ...]
    climate: PartClimate
    day: WorkingHours
    now: datetime
    products: Mapping[str, Product]
    factor: FactorOf = unknown_factor

    @property
    def area_m2(self) -> SquareMetres:
        """Area of all zones. [m2]"""
        return sum(zone.area_m2 for zone in self.zones)


@dataclass(frozen=True, slots=True)
class Consequence:
    """The figures of one system, and the inputs that they came from."""

    hands_on_h: Hours
    days: float
    ends: datetime | None
    litres: float
    film_um: Micron
    coats: int
    keyings: int
    tightest: Planned | None
    reserve_over_um: Micron | None
    run_margin_pct: float
    verdict: Verdict
    cares: int
    stuck: str
    steps: tuple[Planned, ...]

    @property
    def tightest_h(self) -> Hours | None:
        """What the tightest window has to spare. [h]"""
        spare = self.tightest.spare if self.tightest else None
        return None if spare is None else spare.total_seconds() / 3600


def consequence(system: System, setting: Setting, findings: Sequence[Finding] = ()) -> Consequence:
    """Work a system out from bare to finished.

    Args:
        system: The stack.
        setting: Zones, climate, working day, sheets.
        findings: What the look over the stack found.

    Returns: Hands-on hours, days until everything is done, litres of ready mix, the thinnest zone's film, and what is
        at risk: the tightest window, the film over the reserve, the distance to a run.
    """
    steps = steps_of(system, setting.zones, setting.products)
    plan = rest_of(as_if_bare(system, setting))
    coats = [p for p in plan.steps if isinstance(p.step, CoatStep)]
    span = (plan.steps[-1].end - plan.steps[0].start) if plan.steps else timedelta()
    with_end = [p for p in coats if p.spare is not None]
    return Consequence(
        hands_on_h=sum((p.labour for p in plan.steps), timedelta()).total_seconds() / 3600,
        days=span.total_seconds() / 86_400,
        ends=plan.ends,
        litres=sum(millilitres(step, setting.zones, setting.products) for step in steps) / 1000,
        film_um=min(planned_build(system, setting.products, zone).total_um for zone in setting.zones),
        coats=sum(isinstance(step, CoatStep) for step in steps),
        keyings=plan.keyings,
        tightest=min(with_end, key=lambda p: p.spare or timedelta.max, default=None),
        reserve_over_um=_over_reserve(system, setting),
        run_margin_pct=_run_margin(system, setting.products),
        verdict=worst(findings),
        cares=sum(f.standing != "good" for f in findings),
        stuck=plan.stuck,
        steps=tuple(plan.steps),
    )


def as_if_bare(system: System, setting: Setting) -> Situation:
    """A part as it is before any work of a system: the same account lays it out that lays out a part in hand."""
    history = History(builds={zone.uuid: Build() for zone in setting.zones})
    owed = owed_to(steps_of(system, setting.zones, setting.products), history, setting.zones)
    films = zone_films(history, owed, setting.climate, setting.products, {})
    return Situation(
        setting.now, setting.zones, owed, films, history, setting.climate, setting.products, setting.day, setting.factor
    )


def _over_reserve(system: System, setting: Setting) -> Micron | None:
    """The least that is left over a reserve after its sanding, over all layers and zones."""
    least: list[Micron] = []
    wanted = {layer.id: layer.reserve_um for layer in system.used if layer.reserve_um}
    for zone in setting.zones:
        build = planned_build(system, setting.products, zone)
        least += [film.left_um - wanted[film.layer_id] for film in build.layers if film.layer_id in wanted]
    return min(least, default=None)


def _run_margin(system: System, products: Mapping[str, Product]) -> float:
    """How far the thickest coat stays under the film that runs. [%]"""
    shares = [c.wet_film_um / products[la.product].runs_over_um for la in system.used for c in la.coats]
    return 100 * (1 - max(shares))


@dataclass(frozen=True, slots=True)
class MethodCost:
    """One way of applying a system to a face."""

    method: str
    words: str
    masking_min: float
    coating_min: float
    cleaning_min: float
    litres: float
    too_thick: tuple[str, ...]

    @property
    def hours(self) -> Hours:
        """All hands-on time that the method decides. [h]"""
        return (self.masking_min + self.coating_min + self.cleaning_min) / 60


def methods_compared(system: System, setting: Setting) -> list[MethodCost]:
    """Compare the ways of applying a system to the same zones: masking against slower coats, and paint gone past."""
    steps = [s for s in steps_of(system, setting.zones) if isinstance(s, CoatStep)]
    out = []
    for method, way in WAYS.items():
        possible = [la for la in system.used if method in setting.products[la.product].methods]
        if not possible:
            continue
        litres = sum(
            ready_volume(s.area_m2, s.coat.wet_film_um, transfer_efficiency(method, _shape(setting))) for s in steps
        )
        thick = tuple(
            la.name
            for la in system.used
            if method not in setting.products[la.product].methods or la.wet_film_um > way.thickest_um
        )
        out.append(
            MethodCost(
                method,
                way.words,
                labour_minutes("mask", setting.area_m2, method),
                sum(labour_minutes("coat", s.area_m2, method) for s in steps),
                way.cleaning * len(system.used),
                litres / 1000,
                thick,
            )
        )
    return out


def _shape(setting: Setting) -> str:
    """The shape of most of the area: open work wastes paint."""
    open_area = sum(z.area_m2 for z in setting.zones if z.shape in ("frame", "spindles"))
    return "frame" if open_area > setting.area_m2 / 2 else "sheet"


RISKS: tuple[tuple[str, str], ...] = (
    ("window", "tightest window"),
    ("reserve", "film over the reserve"),
    ("run", "distance to a run"),
    ("verdict", "compatibility"),
    ("keyings", "windows that are missed"),
)


def riskier(sides: Sequence[Consequence]) -> list[list[str]]:
    """Say for each side in which respects it is the riskiest of all: worst where the others are better."""
    measures = {
        "window": [c.tightest_h if c.tightest_h is not None else math.inf for c in sides],
        "reserve": [c.reserve_over_um if c.reserve_over_um is not None else math.inf for c in sides],
        "run": [c.run_margin_pct for c in sides],
        "verdict": [-float(GRAVITY[c.verdict]) - c.cares / 100 for c in sides],
        "keyings": [-float(c.keyings) for c in sides],
    }
    out: list[list[str]] = [[] for _ in sides]
    for key, words in RISKS:
        figures = [round(figure, 6) for figure in measures[key]]
        for place, figure in enumerate(figures):
            if figure == min(figures) < max(figures):
                out[place].append(words)
    return out

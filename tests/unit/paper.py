"""A part on paper: a log, a climate and a system, put together in the core alone."""

from copy import copy
from datetime import datetime, time, timedelta
from typing import Any
from uuid import UUID, uuid4
from zoneinfo import ZoneInfo

import numpy as np
from tests.support import T0

from cool_sheen.core.climate.series import Series, seconds
from cool_sheen.core.coatings.products import Product
from cool_sheen.core.coatings.sheet_fields import TouchHow
from cool_sheen.core.coatings.systems import System
from cool_sheen.core.log.entries import (
    CoatPayload,
    Entry,
    Recorded,
    SandPayload,
    SkipPayload,
    StepPayload,
    Target,
    TouchTestPayload,
)
from cool_sheen.core.log.fold import fold
from cool_sheen.core.part.action import Action
from cool_sheen.core.part.climate import PartClimate
from cool_sheen.core.part.film_clock import CoatClock, unknown_factor
from cool_sheen.core.part.rows import next_actions
from cool_sheen.core.part.situation import Situation, zone_films
from cool_sheen.core.plan.rest import Rest, rest_of
from cool_sheen.core.survey.zones import ZoneFacts
from cool_sheen.core.work.hours import WorkingHours
from cool_sheen.core.work.owed import owed_to, waited_out
from cool_sheen.core.work.steps import steps_of
from cool_sheen.formats.catalogue import shipped

UTC_DAY = WorkingHours.every_day(time(8), time(18), ZoneInfo("UTC"))
ALWAYS = WorkingHours.every_day(time(0), time(23, 59), ZoneInfo("UTC"))


def climate(air_temp_c: float = 20, rh_pct: float = 50, days: int = 20, night_c: float | None = None) -> PartClimate:
    """Twenty days that stay as they are, or that fall to ``night_c`` between ten at night and six."""
    at = seconds(T0) - 10 * 86_400 + 1800.0 * np.arange(days * 48)
    hour = (at / 3600) % 24
    air = np.full(len(at), float(air_temp_c))
    if night_c is not None:
        air[(hour >= 22) | (hour < 6)] = night_c
    return PartClimate(Series(at, air, np.full(len(at), float(rh_pct))), T0 - timedelta(days=9))


def zone(name: str = "whole", area: float = 1.0, **facts: Any) -> ZoneFacts:
    """A zone of bare steel, unless it is said otherwise."""
    return ZoneFacts(
        **{"uuid": uuid4(), "name": name, "area_m2": area, "ground": "bare_steel", "old_finish": "none", **facts}
    )


class PaperPart:
    """A part whose log is written line by line; ``hours`` are counted from T0. Zones are named; none: all of them."""

    def __init__(
        self, system: str | System = "two-stage-epoxy", sees: PartClimate | None = None, *zones: ZoneFacts,
        day: WorkingHours = ALWAYS,
    ) -> None:  # fmt: skip
        self.system = shipped().systems[system] if isinstance(system, str) else system
        self.products: dict[str, Product] = {key: shipped().products[key] for key in self.system.products()}
        self.climate = sees or climate()
        self.zones = zones or (zone(),)
        self.day = day
        self.lines: list[Recorded] = []
        self.coats: list[UUID] = []
        self.factor = unknown_factor
        self.pots: dict[str, Any] = {}
        self.space: UUID | None = None

    @property
    def steps(self) -> list[Any]:
        return steps_of(self.system, self.zones, self.products)

    def write(self, hours: float, payload: Any, step: str | None = None, zones: str = "", reason: str = "") -> UUID:
        at = T0 + timedelta(hours=hours)
        aimed = tuple(Target(zone=z.uuid) for z in self.zones if not zones or z.name in zones.split())
        entry = Entry(uuid=uuid4(), payload=payload, occurred_at=at, planned_step=step, targets=aimed,
                      reason=reason or None)  # fmt: skip
        self.lines.append(Recorded(seq=len(self.lines) + 1, recorded_at=at, entry=entry))
        return entry.uuid

    def coat(
        self, hours: float, layer_id: str, kind: str = "full", film: float | None = None, zones: str = "", **more: Any
    ) -> UUID:
        layer = next(la for la in self.system.layers if la.id == layer_id)
        product = self.products[layer.product]
        payload = CoatPayload.model_validate(
            {
                "layer_id": layer_id, "coat_kind": kind, "counts": kind in ("full", "cover"),
                "coating": product.content_hash, "volume_solids_pct": product.volume_solids_pct,
                "wet_film_um": film or layer.wet_film_um, **more,
            }
        )  # fmt: skip
        self.coats.append(self.write(hours, payload, zones=zones))
        return self.coats[-1]

    def sand(self, hours: float, grit: str = "P320", removal: float = 10, zones: str = "", wet: bool = False) -> None:
        self.write(hours, SandPayload(grit=grit, removal_um=removal, wet=wet), zones=zones)

    def step(self, hours: float, kind: str, step: str | None = None, zones: str = "") -> None:
        self.write(hours, StepPayload.model_validate({"kind": kind}), step, zones)

    def touch(
        self, hours: float, ready: bool, milestone: str = "flash", zones: str = "", how: TouchHow = "thumb_on_tape"
    ) -> None:
        self.write(hours, TouchTestPayload(coat=self.coats[-1], milestone=milestone, ready=ready, how=how), zones=zones)

    def skip(self, hours: float, *steps: str, reason: str = "not needed here", zones: str = "") -> None:
        self.write(hours, SkipPayload(steps=steps, words=", ".join(steps)), zones=zones, reason=reason)

    def prepared(self, hours: float = -200) -> "PaperPart":
        """The same part with its preparation done, long ago."""
        for step in self.steps:
            if step.id.startswith("prepare:"):
                payload = SandPayload(grit=step.grit) if step.kind == "sand" else StepPayload(kind=step.kind)
                self.write(hours, payload, step.id)
        return self

    def copy(self) -> "PaperPart":
        """The same part with a log of its own."""
        other = copy(self)
        other.lines, other.coats = list(self.lines), list(self.coats)
        return other

    def look(self, hours: float) -> Situation:
        return self.look_at(at(hours))

    def look_at(self, now: datetime) -> Situation:
        history = fold(self.lines, [z.uuid for z in self.zones])
        owed = waited_out(owed_to(self.steps, history, self.zones), history, self.zones, now)
        revisions = {p.content_hash: p for p in self.products.values()}
        films = zone_films(history, owed, self.climate, self.products, revisions, self.factor)
        return Situation(
            now, self.zones, owed, films, history, self.climate, self.products, self.day, self.factor, self.pots
        )

    def top(self, hours: float) -> CoatClock:
        """The clock of the last coat of the first zone."""
        found = self.look(hours).film_of(self.zones[0].uuid).top
        assert found is not None
        return found

    def action(self, hours: float) -> Action:
        return next_actions(self.look(hours))[0]

    def rest(self, hours: float) -> Rest:
        return rest_of(self.look(hours))

    def stands(self, hours: float) -> dict[str, str]:
        """How each step stands on the part as a whole, by its id."""
        return {row.step.id: row.status for row in self.look(hours).owed.rows}


def after(action: Action, hours: float) -> float:
    """Hours from ``hours`` after T0 until an action's count runs out."""
    assert action.counts_to is not None
    return (action.counts_to - (T0 + timedelta(hours=hours))).total_seconds() / 3600


def at(hours: float) -> datetime:
    return T0 + timedelta(hours=hours)

"""A part on paper: a log, a climate and a system, put together in the core alone."""

from datetime import datetime, timedelta
from typing import Any
from uuid import UUID, uuid4

import numpy as np
from tests.support import T0

from cool_sheen.core.climate.series import Series, seconds
from cool_sheen.core.coatings.products import Product
from cool_sheen.core.coatings.systems import System
from cool_sheen.core.log.entries import CoatPayload, Entry, Recorded, SandPayload, StepPayload, TouchTestPayload
from cool_sheen.core.log.fold import fold
from cool_sheen.core.planning.film_clock import coat_clocks
from cool_sheen.core.planning.next_action import Action, Outlook, decide
from cool_sheen.core.planning.part_climate import PartClimate
from cool_sheen.core.planning.steps import following_product, next_step, progress, steps_of
from cool_sheen.formats.catalogue import shipped


def climate(air_temp_c: float = 20, rh_pct: float = 50, days: int = 20, night_c: float | None = None) -> PartClimate:
    """Twenty days that stay as they are, or that fall to ``night_c`` between ten at night and six."""
    at = seconds(T0) - 10 * 86_400 + 1800.0 * np.arange(days * 48)
    hour = (at / 3600) % 24
    air = np.full(len(at), float(air_temp_c))
    if night_c is not None:
        air[(hour >= 22) | (hour < 6)] = night_c
    return PartClimate(Series(at, air, np.full(len(at), float(rh_pct))), T0 - timedelta(days=9))


class PaperPart:
    """A part whose log is written line by line; ``hours`` are counted from T0."""

    def __init__(self, system: str | System = "two-stage-epoxy", sees: PartClimate | None = None) -> None:
        self.system = shipped().systems[system] if isinstance(system, str) else system
        self.products: dict[str, Product] = {key: shipped().products[key] for key in self.system.products()}
        self.climate = sees or climate()
        self.lines: list[Recorded] = []
        self.zone = uuid4()
        self.coats: list[UUID] = []

    def write(self, hours: float, payload: Any, step: str | None = None) -> UUID:
        at = T0 + timedelta(hours=hours)
        entry = Entry(uuid=uuid4(), payload=payload, occurred_at=at, planned_step=step)
        self.lines.append(Recorded(seq=len(self.lines) + 1, recorded_at=at, entry=entry))
        return entry.uuid

    def coat(self, hours: float, layer_id: str, kind: str = "full", film: float | None = None) -> UUID:
        layer = next(la for la in self.system.layers if la.id == layer_id)
        product = self.products[layer.product]
        payload = CoatPayload.model_validate(
            {
                "layer_id": layer_id, "coat_kind": kind, "counts": kind == "full", "coating": product.key,
                "volume_solids_pct": product.volume_solids_pct, "wet_film_um": film or layer.wet_film_um,
            }
        )  # fmt: skip
        self.coats.append(self.write(hours, payload))
        return self.coats[-1]

    def sand(self, hours: float, grit: str = "P320", removal: float = 10) -> None:
        self.write(hours, SandPayload(grit=grit, removal_um=removal))

    def step(self, hours: float, kind: str, step: str | None = None) -> None:
        self.write(hours, StepPayload.model_validate({"kind": kind}), step)

    def touch(self, hours: float, ready: bool, milestone: str = "flash") -> None:
        self.write(hours, TouchTestPayload(coat=self.coats[-1], milestone=milestone, ready=ready))

    def look(self, hours: float) -> Outlook:
        state = fold(self.lines, [self.zone])
        following = following_product(steps_of(self.system), state, self.products)
        clocks = coat_clocks(state, self.climate, following, self.products)
        return Outlook(state, clocks, self.climate, self.products, T0 + timedelta(hours=hours))

    def action(self, hours: float) -> Action:
        look = self.look(hours)
        return decide(next_step(steps_of(self.system), look.state), look)

    def left(self, hours: float) -> list[Any]:
        return [
            p.step for p in progress(steps_of(self.system), self.look(hours).state) if p.status in ("next", "ahead")
        ]


def after(action: Action, hours: float) -> float:
    """Hours from ``hours`` after T0 until an action's count runs out."""
    assert action.counts_to is not None
    return (action.counts_to - (T0 + timedelta(hours=hours))).total_seconds() / 3600


def at(hours: float) -> datetime:
    return T0 + timedelta(hours=hours)

"""A shop after years of work, written straight into its tables: to measure with, not to look at."""

from collections.abc import Iterator
from dataclasses import dataclass
from datetime import datetime, timedelta
from random import Random
from typing import Any
from uuid import UUID, uuid5

from sqlalchemy import insert

from cool_sheen.core.coatings.products import Product
from cool_sheen.core.coatings.systems import System
from cool_sheen.core.log.entries import SCHEMA_VERSION, CoatPayload, SandPayload, StepPayload, TouchTestPayload
from cool_sheen.core.survey.zones import ZoneFacts
from cool_sheen.core.work.steps import CoatStep, SandStep, Step, steps_of
from cool_sheen.demo.shop import SPACES
from cool_sheen.service.own_ways import Ways
from cool_sheen.service.projections import fill
from cool_sheen.service.shops import add_space, set_place, set_up
from cool_sheen.service.unit import Unit
from cool_sheen.store.models import Face, LogEntry, LogTarget, Part, Project, Zone

_NAMES = UUID("6f0f2a6e-5a0e-4d7c-9f0a-2f1f6f0f2a6e")
_SYSTEMS = ("two-stage-epoxy", "single-stage-epoxy", "one-pack-enamel", "cabinet-waterborne", "lacquer-build")
_PARTS_EACH = 8
_AT_ONCE = 20_000


@dataclass(frozen=True, slots=True)
class Years:
    """How much there is to be."""

    projects: int = 500
    entries: int = 200_000
    live: int = 40
    seed: int = 11

    @property
    def parts(self) -> int:
        """How many parts."""
        return self.projects * _PARTS_EACH


@dataclass(frozen=True, slots=True)
class _Line:
    """One line of a story: minutes after its begin, and what is logged; a touch names the coat before it."""

    minute: float
    payload: dict[str, Any]
    step: str | None = None


def lay_years(unit: Unit, years: Years) -> None:
    """Make a shop with years of finished work and some live parts; each part has its steps, coats, tests and notes."""
    set_up(unit, Ways(name="Hollow Lane Refinishing", time_zone="Europe/Berlin"), [], seed=7)
    set_place(unit, 51.0, 10.0)
    spaces = [add_space(unit, new).uuid for new in SPACES.values()]
    random = Random(years.seed)  # noqa: S311 - a shop to measure with
    stories = {key: _story(unit, key, years.entries // years.parts) for key in _SYSTEMS}
    rows: dict[type, list[dict[str, Any]]] = {}
    seq = 0
    for n in range(years.parts):
        system, lines = unit.catalogue.systems[_SYSTEMS[n % len(_SYSTEMS)]], stories[_SYSTEMS[n % len(_SYSTEMS)]]
        is_live = n >= years.parts - years.live
        begun = _begun(unit.now, n, years, random, is_live, lines)
        part = _part_rows(unit, rows, n, system, begun)
        for entry, targets in _log_rows(unit.now, part, lines, begun, spaces[n % 2], seq):
            rows.setdefault(LogEntry, []).append(entry)
            rows.setdefault(LogTarget, []).append(targets)
            seq = entry["seq"]
        if len(rows[LogEntry]) > _AT_ONCE:
            _write(unit, rows)
    _write(unit, rows)
    fill(unit)


def _write(unit: Unit, rows: dict[type, list[dict[str, Any]]]) -> None:
    for table in (Project, Part, Face, Zone, LogEntry, LogTarget):
        if found := rows.pop(table, []):
            unit.session.execute(insert(table), found)


def _begun(now: datetime, n: int, years: Years, random: Random, is_live: bool, lines: list[_Line]) -> datetime:
    """Finished work lies years to months back; live work is somewhere on its way."""
    if is_live:
        return now - timedelta(minutes=random.uniform(0.1, 0.95) * lines[-1].minute)
    return now - timedelta(days=3650 - 3500 * n / years.parts, hours=random.uniform(0, 12))


def _part_rows(
    unit: Unit, rows: dict[type, list[dict[str, Any]]], n: int, system: System, begun: datetime
) -> tuple[UUID, UUID, UUID]:
    project, part, face, zone = (uuid5(_NAMES, f"{kind} {n}") for kind in ("project", "part", "face", "zone"))
    project = uuid5(_NAMES, f"project {n // _PARTS_EACH}")
    if n % _PARTS_EACH == 0:
        name = f"Order {1 + n // _PARTS_EACH}"
        rows.setdefault(Project, []).append({"uuid": project, "name": name, "created_at": begun})
    products = unit.catalogue.products
    rows.setdefault(Part, []).append(
        {
            "uuid": part,
            "project_uuid": project,
            "name": f"Cover plate {n + 1}",
            "substrate": "bare_steel_sheet",
            "area_m2": 0.8,
            "created_at": begun,
            "changes": 1,
            "system": system.model_dump(mode="json"),
            "revisions": {key: unit.keep(products[key]) for key in sorted(system.products())},
            "earlier_systems": [],
        }
    )
    rows.setdefault(Face, []).append(
        {"uuid": face, "part_uuid": part, "name": "whole", "setting": 1, "support": "", "method": "hvlp"}
    )
    rows.setdefault(Zone, []).append(
        {
            "uuid": zone,
            "part_uuid": part,
            "face_uuid": face,
            "name": "whole",
            "area_m2": 0.8,
            "position": 0,
            "was_split": False,
            "kind": "face",
            "shape": {"kind": "typed", "typed_m2": 0.8},
            "strip": "nothing",
            "substrate": "bare_steel_sheet",
            "keep_texture": False,
            "old_finish": "none",
            "old_state": "unknown",
            "word_of_another": False,
            "split_from": None,
            "bare_since": None,
        }
    )
    return project, part, zone


def _log_rows(
    now: datetime, part: tuple[UUID, UUID, UUID], lines: list[_Line], begun: datetime, space: UUID, seq: int
) -> Iterator[tuple[dict[str, Any], dict[str, Any]]]:
    coat = None
    for n, line in enumerate([_Line(0, {"kind": "move", "space": str(space), "place": None}), *lines]):
        at = begun + timedelta(minutes=line.minute)
        if at > now:
            return
        seq += 1
        uuid = uuid5(part[1], str(n))
        payload = dict(line.payload)
        if payload["kind"] == "coat":
            coat, payload["space"] = uuid, str(space)
        elif payload["kind"] == "touch_test":
            payload["coat"] = str(coat)
        entry = {
            "seq": seq,
            "uuid": uuid,
            "kind": payload["kind"],
            "schema_version": SCHEMA_VERSION,
            "payload": payload,
            "content_hash": uuid.hex * 2,
            "occurred_at": at,
            "recorded_at": at,
            "person": "shop",
            "device": "web",
            "planned_step": line.step,
            "reason": None,
            "voids": None,
        }
        yield entry, {"seq": seq, "project_uuid": part[0], "part_uuid": part[1], "zone_uuid": part[2]}


def _story(unit: Unit, key: str, most: int) -> list[_Line]:
    """The work of one part of a system, step by step, filled up with notes to about so many lines."""
    system, products = unit.catalogue.systems[key], unit.catalogue.products
    zone = ZoneFacts(uuid5(_NAMES, "zone"), "whole", 0.8, ground="bare_steel", old_finish="none")
    minute, lines = 10.0, []
    for step in steps_of(system, [zone]):
        for line in _lines_of(step, products, minute):
            lines.append(line)
            minute = line.minute + 12
        if isinstance(step, CoatStep):
            minute += 90
        elif step.slot:
            minute += 600
    more = max(0, most - len(lines))
    note = {"kind": "note", "text": "looked at under the lamp"}
    extra = [_Line(20 + minute * n / more, note) for n in range(more)]
    return sorted([*lines, *extra], key=lambda line: line.minute)


def _lines_of(step: Step, products: dict[str, Product], minute: float) -> list[_Line]:
    if isinstance(step, CoatStep):
        product = products[step.layer.product]
        coat = CoatPayload(
            layer_id=step.layer.id,
            coat_kind=step.coat.kind,
            counts=step.coat.counted,
            coating=product.content_hash,
            volume_solids_pct=product.volume_solids_pct,
            wet_film_um=step.coat.wet_film_um,
        )
        rule = product.rule_for(product)
        touch = TouchTestPayload(coat=_NAMES, milestone=rule.opens, ready=True)
        flash = next(m.ref_minutes for m in product.milestones if m.name == rule.opens)
        wait = flash * step.coat.wet_film_um / product.ref_wet_film_um
        return [
            _Line(minute, coat.model_dump(mode="json"), step.id),
            _Line(minute + 0.7 * wait, touch.model_copy(update={"ready": False}).model_dump(mode="json")),
            _Line(minute + 1.1 * wait, touch.model_dump(mode="json")),
        ]
    if isinstance(step, SandStep):
        sand = SandPayload(grit=step.grit, removal_um=step.removal_um)
        return [_Line(minute, sand.model_dump(mode="json"), step.id)]
    return [_Line(minute, StepPayload.model_validate({"kind": step.kind}).model_dump(mode="json"), step.id)]

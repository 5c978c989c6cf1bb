"""Reads the TOML files that ship, and checks them whole."""

import tomllib
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from functools import cache
from importlib.resources import files
from importlib.resources.abc import Traversable
from typing import Any

from cool_sheen.core.advice.schools import School
from cool_sheen.core.climate.rooms import SURFACE_LAG_H
from cool_sheen.core.clinic.ranking import Cause, CausesOf
from cool_sheen.core.clinic.signs import SIGNS
from cool_sheen.core.coatings.compatibility import Rule, RuleTable, Way
from cool_sheen.core.coatings.families import Ground
from cool_sheen.core.coatings.order import OrderRule
from cool_sheen.core.coatings.products import Product
from cool_sheen.core.coatings.sheet_fields import Caution, Strict
from cool_sheen.core.coatings.supplies import Supply
from cool_sheen.core.coatings.systems import STEP_WORDS, System
from cool_sheen.core.errors import Inconsistent
from cool_sheen.core.gun.guns import Armoury
from cool_sheen.core.gun.training import Drill
from cool_sheen.core.inspection.defects import Defect
from cool_sheen.core.materials.consumables import Consumable, Rates
from cool_sheen.core.materials.packs import Pack
from cool_sheen.core.survey.demands import Demand
from cool_sheen.core.survey.tests import SurveyTest
from cool_sheen.core.work.make_ready import RoomStep


class Substrate(Strict):
    """What a part is made of."""

    name: str
    family: Ground
    mass: str


@dataclass(frozen=True)
class Catalogue:
    """Everything that ships, by key."""

    products: dict[str, Product]
    systems: dict[str, System]
    substrates: dict[str, Substrate]
    cautions: dict[str, Caution]
    rates: Rates
    supplies: dict[str, Supply] = field(default_factory=dict)
    tests: dict[str, SurveyTest] = field(default_factory=dict)
    demands: dict[str, Demand] = field(default_factory=dict)
    schools: tuple[School, ...] = ()
    step_cautions: dict[str, tuple[str, ...]] = field(default_factory=dict)
    packs: dict[str, Pack] = field(default_factory=dict)
    consumables: dict[str, Consumable] = field(default_factory=dict)
    room_steps: tuple[RoomStep, ...] = ()
    defects: dict[str, Defect] = field(default_factory=dict)

    def cautions_for(self, steps: Iterable[str], products: Iterable[Product]) -> list[Caution]:
        """Return the cautions of steps, by kind, and of products, each once."""
        keys = [key for step in steps for key in self.step_cautions.get(step, ())]
        keys += [key for product in products for key in product.cautions]
        return [self.cautions[key] for key in dict.fromkeys(keys)]


@cache
def shipped() -> Catalogue:
    """Read the catalogue that ships. Raises pydantic.ValidationError or Inconsistent when a file is not sound."""
    root = files("cool_sheen") / "catalogue"
    products = [Product.model_validate(data) for data in _folder(root / "products")]
    systems = [System.model_validate(data) for data in _folder(root / "systems")]
    supplies = [Supply.model_validate(data) for data in _read(root / "supplies.toml")["supply"]]
    substrates = {key: Substrate.model_validate(data) for key, data in _read(root / "substrates.toml").items()}
    warnings = _read(root / "cautions.toml")
    cautions = [Caution.model_validate(data) for data in warnings["caution"]]
    tests = [SurveyTest.model_validate(data) for data in _read(root / "survey_tests.toml")["test"]]
    packs = [Pack.model_validate(data) for data in _read(root / "packs.toml")["pack"]]
    wear = _read(root / "consumables.toml")
    catalogue = Catalogue(
        {p.key: p for p in products},
        {s.key: s for s in systems},
        substrates,
        {c.key: c for c in cautions},
        Rates.model_validate(wear["rates"]),
        {s.key: s for s in supplies},
        {t.key: t for t in tests},
        {d.key: d for d in (Demand.model_validate(data) for data in _read(root / "demands.toml")["demand"])},
        tuple(School.model_validate(data) for data in _read(root / "schools.toml")["school"]),
        {step: tuple(keys) for step, keys in warnings["steps"].items()},
        {p.sku: p for p in packs},
        {c.key: c for c in (Consumable.model_validate(data) for data in wear["consumable"])},
        tuple(RoomStep.model_validate(data) for data in _read(root / "make_ready.toml")["step"]),
        {d.key: d for d in (Defect.model_validate(data) for data in _read(root / "defects.toml")["defect"])},
    )
    check(catalogue)
    return catalogue


@cache
def armoury() -> Armoury:
    """Read what ships about guns. Raises pydantic.ValidationError."""
    data = _read(files("cool_sheen") / "catalogue" / "guns.toml")
    rows = {f"{name}s": data[name] for name in ("gun", "technique", "opening", "fault")}
    return Armoury.model_validate(rows)


@cache
def drills() -> tuple[Drill, ...]:
    """Read the drills of the stroke that ship, the easiest first. Raises pydantic.ValidationError."""
    rows = _read(files("cool_sheen") / "catalogue" / "drills.toml")["drill"]
    return tuple(Drill.model_validate(row) for row in rows)


@cache
def causes() -> dict[str, tuple[Cause, ...]]:
    """Read the causes of defects, by defect. Raises pydantic.ValidationError."""
    rows = [CausesOf.model_validate(row) for row in _read(files("cool_sheen") / "catalogue" / "causes.toml")["of"]]
    return {row.defect: row.causes for row in rows}


@cache
def compatibility() -> RuleTable:
    """Read the compatibility table that ships. Raises pydantic.ValidationError or Inconsistent."""
    data = _read(files("cool_sheen") / "catalogue" / "compatibility.toml")
    groups = data["groups"]
    rules = [
        Rule.model_validate(row | {side: _spread(row.get(side, []), groups) for side in ("below", "over")})
        for row in data["rule"]
    ]
    order = _read(files("cool_sheen") / "catalogue" / "order.toml")["rule"]
    ways = [Way.model_validate(row) for row in data["way"]]
    return RuleTable.of(rules, ways, [OrderRule.model_validate(row) for row in order])


def _spread(names: list[str], groups: Mapping[str, list[str]]) -> list[str]:
    """Put the members of each group in the place of ``@group``."""
    return [member for name in names for member in (groups[name[1:]] if name.startswith("@") else [name])]


def missing_in(
    systems: Mapping[str, System], products: Mapping[str, Product], supplies: Mapping[str, Supply]
) -> list[tuple[str, str]]:
    """Return where a system refers to what is not there: the place, and what is missing."""
    return [
        (f"{key}.layers.{place}.{what}", name)
        for key, system in systems.items()
        for place, layer in enumerate(system.layers)
        for what, name, shelf in (("product", layer.product, products), ("broadcast", layer.broadcast, supplies))
        if name is not None and name not in shelf
    ]


def check(catalogue: Catalogue) -> None:
    """Check that everything that is named exists. Raises Inconsistent with all that is missing."""
    missing = [
        f"system {place} names {name}"
        for place, name in missing_in(catalogue.systems, catalogue.products, catalogue.supplies)
    ]
    for kind, sheets in (
        ("product", catalogue.products),
        ("supply", catalogue.supplies),
        ("test", catalogue.tests),
    ):
        missing += [
            f"{kind} {sheet.key} names caution {name}"
            for sheet in sheets.values()
            for name in set(sheet.cautions) - set(catalogue.cautions)
        ]
    missing += [
        f"test {test.key} demands {name}"
        for test in catalogue.tests.values()
        for result in test.results
        for name in set(result.demands) - set(catalogue.demands)
    ]
    ways = compatibility().ways
    missing += [
        f"demand {d.key} names the way {w}" for d in catalogue.demands.values() for w in d.ways if w not in ways
    ]
    missing += [
        f"step {step} names caution {key}"
        for step, keys in catalogue.step_cautions.items()
        for key in keys
        if key not in catalogue.cautions or step not in STEP_WORDS
    ]
    missing += [
        f"substrate {k} names mass {s.mass}" for k, s in catalogue.substrates.items() if s.mass not in SURFACE_LAG_H
    ]
    missing += [
        f"cause {cause.key} of {defect} names the sign {e.sign}"
        for defect, there in causes().items()
        for cause in there
        for e in cause.evidence
        if e.sign not in SIGNS or defect not in catalogue.defects
    ]
    missing += [
        f"gun {gun.key} names caution {name}"
        for gun in armoury().guns
        for name in set(gun.cautions) - set(catalogue.cautions)
    ]
    if missing:
        raise Inconsistent("; ".join(missing) + ": nowhere to be found.")


def _folder(folder: Traversable) -> list[dict[str, Any]]:
    found = sorted((f for f in folder.iterdir() if f.name.endswith(".toml")), key=lambda f: f.name)
    return [_read(f) for f in found]


def _read(file: Traversable) -> dict[str, Any]:
    return tomllib.loads(file.read_text("utf-8"))

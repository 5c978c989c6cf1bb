"""Reads the TOML files that ship, and checks them whole."""

import tomllib
from dataclasses import dataclass
from functools import cache
from importlib.resources import files
from importlib.resources.abc import Traversable
from typing import Any

from cool_sheen.core.climate.rooms import SURFACE_LAG_H
from cool_sheen.core.coatings.products import Caution, Product, Strict
from cool_sheen.core.coatings.systems import System
from cool_sheen.core.errors import Inconsistent


class Substrate(Strict):
    """What a part is made of."""

    name: str
    family: str
    mass: str


@dataclass(frozen=True)
class Catalogue:
    """Everything that ships, by key."""

    products: dict[str, Product]
    systems: dict[str, System]
    substrates: dict[str, Substrate]
    cautions: dict[str, Caution]


@cache
def shipped() -> Catalogue:
    """Read the catalogue that ships. Raises pydantic.ValidationError or Inconsistent when a file is not sound."""
    root = files("cool_sheen") / "catalogue"
    products = [Product.model_validate(data) for data in _folder(root / "products")]
    systems = [System.model_validate(data) for data in _folder(root / "systems")]
    substrates = {key: Substrate.model_validate(data) for key, data in _read(root / "substrates.toml").items()}
    cautions = [Caution.model_validate(data) for data in _read(root / "cautions.toml")["caution"]]
    catalogue = Catalogue(
        {p.key: p for p in products}, {s.key: s for s in systems}, substrates, {c.key: c for c in cautions}
    )
    check(catalogue)
    return catalogue


def check(catalogue: Catalogue) -> None:
    """Check that everything that is named exists. Raises Inconsistent with all that is missing."""
    missing = [
        f"system {s.key} names product {name}"
        for s in catalogue.systems.values()
        for name in s.products() - set(catalogue.products)
    ]
    missing += [
        f"product {p.key} names caution {name}"
        for p in catalogue.products.values()
        for name in set(p.cautions) - set(catalogue.cautions)
    ]
    missing += [
        f"substrate {k} names mass {s.mass}" for k, s in catalogue.substrates.items() if s.mass not in SURFACE_LAG_H
    ]
    if missing:
        raise Inconsistent("; ".join(missing) + ": nowhere to be found.")


def _folder(folder: Traversable) -> list[dict[str, Any]]:
    found = sorted((f for f in folder.iterdir() if f.name.endswith(".toml")), key=lambda f: f.name)
    return [_read(f) for f in found]


def _read(file: Traversable) -> dict[str, Any]:
    return tomllib.loads(file.read_text("utf-8"))

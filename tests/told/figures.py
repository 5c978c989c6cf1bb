"""Every named figure of the core, and every bound of every field: a table to read beside docs/trade.md."""

import importlib
import pkgutil
from collections.abc import Iterator, Mapping
from dataclasses import fields as dataclass_fields
from dataclasses import is_dataclass
from types import ModuleType
from typing import Any

from pydantic import BaseModel
from pydantic_core import PydanticUndefined

import cool_sheen.core
from tests.told.telling import Page


def _modules() -> Iterator[ModuleType]:
    for found in pkgutil.walk_packages(cool_sheen.core.__path__, "cool_sheen.core."):
        yield importlib.import_module(found.name)


def _is_plain(value: Any) -> bool:
    if isinstance(value, Mapping):
        return all(_is_plain(x) for x in value.values())
    if isinstance(value, tuple | list | frozenset | set):
        return all(_is_plain(x) for x in value)
    return isinstance(value, int | float | str) or hasattr(value, "total_seconds")


def figures() -> str:
    """Constants by module; sets and tables whole."""
    page = Page()
    for module in _modules():
        own = {
            name: value for name, value in vars(module).items()
            if name.upper() == name and not name.startswith("__") and any(c.isalpha() for c in name)
            and _is_plain(value) and f"\n{name}" in _source(module)
        }  # fmt: skip
        if own:
            page.head(module.__name__.removeprefix("cool_sheen.core."))
        for name, value in own.items():
            page.say(name, str(sorted(value)) if isinstance(value, frozenset | set) else str(value))
    return page.text()


def _source(module: ModuleType) -> str:
    with open(module.__file__ or "", encoding="utf-8") as file:
        return "\n" + file.read()


def fields() -> str:
    """Bounds and defaults of the fields of every model, in every branch of a union."""
    page = Page()
    for module in _modules():
        for name, model in vars(module).items():
            if isinstance(model, type) and issubclass(model, BaseModel) and model.__module__ == module.__name__:
                page.head(f"{module.__name__.removeprefix('cool_sheen.core.')}.{name}")
                for field, schema in model.model_json_schema(mode="validation").get("properties", {}).items():
                    default = model.model_fields[field].default if field in model.model_fields else None
                    page.say(field, _bounds(schema), default="-" if default is PydanticUndefined else str(default))
            elif isinstance(model, type) and is_dataclass(model) and model.__module__ == module.__name__:
                given = {f.name: f.default for f in dataclass_fields(model) if _is_plain(f.default)}
                if given:
                    page.head(f"{module.__name__.removeprefix('cool_sheen.core.')}.{name}")
                    page.say({field: str(value) for field, value in given.items()})
    return page.text()


def _bounds(schema: Any) -> dict[str, Any]:
    """What a schema bounds, without words and references."""
    if not isinstance(schema, dict):
        return {}
    kept: dict[str, Any] = {}
    for key, value in schema.items():
        if key in ("anyOf", "oneOf", "prefixItems"):
            for n, branch in enumerate(value):
                kept |= {f"{n}.{k}": v for k, v in _bounds(branch).items()}
        elif key in ("items", "additionalProperties") and isinstance(value, dict):
            kept |= {f"each.{k}": v for k, v in _bounds(value).items()}
        elif key not in ("title", "description", "$ref", "default", "type", "const", "discriminator"):
            kept[key] = value if isinstance(value, int | float | str) else str(value)
    return kept

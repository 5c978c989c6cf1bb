"""Turns results into lines that can be read: figures to four places, times by the shop's clock, zones by name."""

from collections.abc import Callable, Iterable, Mapping
from dataclasses import fields, is_dataclass
from datetime import datetime, timedelta
from decimal import Decimal
from enum import Enum
from typing import Any
from uuid import UUID

import numpy as np
from pydantic import BaseModel

from cool_sheen.core.coatings.systems import Task

Names = Mapping[UUID, str]


def told(value: Any, names: Names | None = None) -> str:
    """Write a value on one line."""
    names = names or {}
    for kinds, write in _WAYS:
        if isinstance(value, kinds):
            return write(value, names)
    if is_dataclass(value):
        return _fields(
            {f.name: getattr(value, f.name) for f in fields(value) if f.repr and not f.name.startswith("_")}, names
        )
    raise TypeError(f"{type(value)} cannot be told")


def _row(values: Iterable[Any], names: Names) -> str:
    return "(" + ", ".join(told(x, names) for x in values) + ")"


def _of_model(value: BaseModel, names: Names) -> str:
    if isinstance(value, Task):  # by what it says alone: most of its fields stand as they are usual
        return _fields({k: v for k, v in value.model_dump().items() if k != "kind"} | {"": value.kind}, names)
    return _fields({name: getattr(value, name) for name in type(value).model_fields}, names)


_WAYS: list[tuple[Any, Callable[[Any, Names], str]]] = [
    (type(None), lambda _, __: "-"),
    (Enum, lambda x, _: str(x.value)),
    (float | np.floating, lambda x, _: f"{round(float(x), 9):.5g}"),
    (bool | int | Decimal | str, lambda x, _: str(x)),
    (datetime, lambda x, _: f"{x:%a %d %H:%M:%S}"),
    (timedelta, lambda x, _: f"{x.total_seconds() / 60:.2f} min"),
    (UUID, lambda x, names: names.get(x, "?")),
    (np.ndarray, lambda x, _: "[" + " ".join(told(float(y)) for y in x) + "]"),
    (Mapping, lambda x, n: "{" + ", ".join(f"{told(k, n)}: {told(v, n)}" for k, v in x.items()) + "}"),
    (frozenset | set, lambda x, n: _row(sorted(x, key=lambda y: told(y, n)), n)),
    (list | tuple, _row),
    (BaseModel, _of_model),
]


def _fields(values: Mapping[str, Any], names: Mapping[UUID, str]) -> str:
    said = {name: value for name, value in values.items() if value not in (None, "", ()) and _USUAL.get(name) != value}
    return " ".join(f"{name}={told(value, names)}" for name, value in said.items())


_USUAL = {"wait_minutes": 0.0, "holds": False}  # of most steps


class Page:
    """A text that grows line by line."""

    def __init__(self, names: Mapping[UUID, str] | None = None) -> None:
        self.names = names or {}
        self.lines: list[str] = []

    def head(self, text: str) -> None:
        """Begin a chapter."""
        self.lines += ["", f"== {text}"]

    def say(self, *values: Any, **more: Any) -> None:
        """Add a line."""
        parts = [told(v, self.names) for v in values] + [f"{k}={told(v, self.names)}" for k, v in more.items()]
        self.lines.append("  ".join(parts))

    def text(self) -> str:
        """The whole page."""
        return "\n".join(self.lines).strip() + "\n"

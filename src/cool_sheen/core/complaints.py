"""What Pydantic has against some data, in words for who typed them: what to enter instead."""

from collections.abc import Mapping
from typing import Any

from pydantic import ValidationError

# By the type of the error; figures and lists are those of its context.
_SAYS: dict[str, str] = {
    "missing": "Fill this in.",
    "extra_forbidden": "There is no such field: leave it out.",
    "greater_than": "Enter more than {gt}.",
    "greater_than_equal": "Enter {ge} or more.",
    "less_than": "Enter less than {lt}.",
    "less_than_equal": "Enter {le} or less.",
    "literal_error": "Choose one of {expected}.",
    "enum": "Choose one of {expected}.",
    "string_too_short": "Enter {min_length} characters or more.",
    "string_too_long": "Enter {max_length} characters at most.",
    "string_pattern_mismatch": "This is not written as it has to be.",
    "string_type": "Enter a text.",
    "too_short": "At least {min_length} is wanted here.",
    "too_long": "At most {max_length} can stand here.",
    "int_parsing": "Enter a whole number.",
    "int_type": "Enter a whole number.",
    "int_from_float": "Enter a whole number.",
    "float_parsing": "Enter a number.",
    "float_type": "Enter a number.",
    "decimal_parsing": "Enter a number.",
    "finite_number": "Enter a number that has an end.",
    "bool_parsing": "Choose yes or no.",
    "uuid_parsing": "Choose one that is there.",
    "datetime_parsing": "Enter a day and a time, such as 2026-06-08T14:30:00+02:00.",
    "datetime_from_date_parsing": "Enter a day and a time, such as 2026-06-08T14:30:00+02:00.",
    "timezone_aware": "Say the time zone, too, such as 2026-06-08T14:30:00+02:00.",
}


class FieldError(ValueError):
    """What data say that contradict each other, at the field that is to be changed."""

    def __init__(self, field: str, words: str) -> None:
        super().__init__(words)
        self.field = field


def complaint(error: Mapping[str, Any]) -> str:
    """Return one of Pydantic's errors as a sentence: what to enter instead, or what the data themselves say."""
    kind, figures = str(error["type"]), {key: _figure(value) for key, value in error.get("ctx", {}).items()}
    if kind == "string_too_short" and figures["min_length"] == "1":
        kind = "missing"
    says = _SAYS.get(kind)
    if says is None:
        own = kind in ("value_error", "assertion_error")  # what the data themselves say
        return str(error["msg"]).removeprefix("Value error, ") if own else _SAYS["string_pattern_mismatch"]
    return says.format_map(figures)


def complaints(error: ValidationError, whole: str = "") -> dict[str, str]:
    """Return a sentence for each field that is wrong, by dotted path; ``whole`` stands for all of the data."""
    return {_path(one) or whole: complaint(dict(one)) for one in error.errors()}


def _path(error: Mapping[str, Any]) -> str:
    own = error.get("ctx", {}).get("error")
    return ".".join([*(str(part) for part in error["loc"]), *([own.field] if isinstance(own, FieldError) else [])])


def _figure(value: Any) -> str:
    return f"{value:g}" if isinstance(value, int | float) else str(value)

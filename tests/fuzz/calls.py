"""Calls of the calculators, made from their own description."""

from collections import Counter
from typing import Any

import schemathesis
from hypothesis import HealthCheck, Phase, given, settings


def call_all(app: Any, each: int) -> Counter[int]:
    """Call every calculator so often; return the answers by their status.

    Raises: AssertionError: an answer of 500 and above, with the call that led to it.
    """
    statuses: Counter[int] = Counter()
    for operation in schemathesis.openapi.from_asgi("/api/openapi.json", app).get_all_operations():
        _call(operation.ok(), each, statuses)
    return statuses


def _call(operation: Any, each: int, statuses: Counter[int]) -> None:
    @settings(max_examples=each, database=None, phases=[Phase.generate], suppress_health_check=list(HealthCheck))
    @given(case=operation.as_strategy())
    def calls(case: Any) -> None:
        answer = case.call()
        statuses[answer.status_code] += 1
        assert answer.status_code < 500, (operation.path, case.body, answer.text[:500])

    calls()

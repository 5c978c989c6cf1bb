"""Looks the log through: every line can be read, and none is missing."""

import json
from contextlib import closing
from pathlib import Path

from pydantic import ValidationError

from cool_sheen.core.log.entries import read_payload
from cool_sheen.store.standing import reading


def log_flaws(file: Path, most: int = 20) -> list[str]:
    """Return the lines of the log that are missing or cannot be read; empty when all are whole.

    Args:
        file: A shop's file that is sound as a database.
        most: So many are told at most.
    """
    found: list[str] = []
    expected = 1
    with closing(reading(file)) as connection:
        rows = connection.execute("SELECT seq, payload, schema_version FROM log_entry ORDER BY seq")
        for seq, payload, version in rows:
            if seq != expected:  # numbers are given once, one after the other, and a line that is undone gives its back
                found.append(f"lines {expected} to {seq - 1} of the log are missing")
            expected = seq + 1
            try:
                read_payload(json.loads(payload), version)
            except (ValueError, TypeError, ValidationError):
                found.append(f"line {seq} of the log cannot be read")
            if len(found) >= most:
                break
    return found

"""Tables as CSV, safe to open in a spreadsheet."""

import csv
import io
from collections.abc import Sequence
from typing import Any

_FORMULA = ("=", "+", "-", "@", "\t", "\r")


def csv_text(rows: Sequence[Sequence[Any]]) -> str:
    """Write rows as CSV; a text that a spreadsheet would take for a formula gets a quote before it."""
    out = io.StringIO()
    csv.writer(out).writerows([[_defused(cell) for cell in row] for row in rows])
    return out.getvalue()


def _defused(cell: Any) -> Any:
    return f"'{cell}" if isinstance(cell, str) and cell.startswith(_FORMULA) else cell

"""Entries about hands-on hours: what was spent on a part, by kind of work."""

from typing import Annotated, Literal

from pydantic import Field

from cool_sheen.core.coatings.sheet_fields import Strict
from cool_sheen.core.log.said import ShortText

WorkKind = Literal["prepare", "sand", "coat", "finish", "other"]
WORK_WORDS: dict[WorkKind, str] = {
    "prepare": "preparing and masking", "sand": "sanding", "coat": "mixing and coating", "finish": "finishing",
    "other": "other work",
}  # fmt: skip
MOST_MINUTES = 6000.0  # a hundred hours: more in one entry is a slip


class HoursPayload(Strict):
    """Hands-on time of one kind of work on a part, until the time of the entry. [min]"""

    kind: Literal["hours"] = "hours"
    work: WorkKind
    minutes: Annotated[float, Field(gt=0, le=MOST_MINUTES, allow_inf_nan=False)]
    note: ShortText = ""

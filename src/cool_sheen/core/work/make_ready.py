"""Making a room ready: which steps a space asks for, and how they stand."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Annotated, Literal

from pydantic import Field

from cool_sheen.core.coatings.sheet_fields import Key, Strict, Text

READING = "reading"


class RoomStep(Strict):
    """One step of the list; ``has`` names what a space must have for it."""

    key: Key
    when: Literal["before", "after"]
    has: Annotated[Literal["floor_damped", "extraction", "dehumidifier", "heater"] | None, Field(alias="if")] = None
    title: Text
    text: Text


@dataclass(frozen=True, slots=True)
class Stood:
    """A step of a room: done at, next, or still ahead."""

    step: RoomStep
    done_at: datetime | None
    is_next: bool


def make_ready(
    steps: Sequence[RoomStep],
    has: Mapping[str, bool],
    stamps: Mapping[str, datetime],
    last_coat: datetime | None,
    last_reading: datetime | None,
) -> list[Stood]:
    """Say how the list of a room stands today.

    Args:
        steps: All steps in their order.
        has: What the space has.
        stamps: When each step was stamped today.
        last_coat: When the last coat in the room ended today.
        last_reading: When its air was last read today.

    Returns: The steps that the space asks for. The reading counts only after the last coat: spraying changes the room.
        What comes after spraying is asked for once a coat is on.
    """
    wanted = [s for s in steps if s.has is None or has.get(s.has, False)]
    out: list[Stood] = []
    found_next = False
    for step in wanted:
        done = stamps.get(step.key)
        if step.key == READING:
            done = last_reading if last_reading and (last_coat is None or last_reading >= last_coat) else None
        if step.when == "after" and (last_coat is None or (done is not None and done < last_coat)):
            done = None
        waits = step.when == "after" and last_coat is None
        is_next = done is None and not found_next and not waits
        found_next = found_next or is_next
        out.append(Stood(step, done, is_next))
    return out

"""What every data sheet is made of: strict fields, with their bounds."""

from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, StringConstraints

Key = Annotated[str, StringConstraints(pattern=r"^[a-z0-9][a-z0-9_-]{0,60}$")]
Text = Annotated[str, StringConstraints(min_length=1, max_length=200)]
Positive = Annotated[float, Field(gt=0, le=1e6, allow_inf_nan=False)]
Share = Annotated[float, Field(ge=0, le=100, allow_inf_nan=False)]
Temperature = Annotated[float, Field(ge=-100, le=200, allow_inf_nan=False)]
GritName = Annotated[str, StringConstraints(pattern=r"^[PC]\d{2,4}$")]
Speed = Literal["fast", "standard", "slow"]
ReducerSpeed = Literal["fast", "medium", "slow", "extra_slow"]
Basis = Literal["mixed", "paint", "ready"]
Method = Literal["hvlp", "conventional", "airless", "aerosol", "brush", "roller"]
TouchHow = Literal["thumb_on_tape", "tack", "colour_change", "print"]
TOUCH_WORDS: dict[str, str] = {
    "thumb_on_tape": "thumb on the tape", "tack": "tack", "colour_change": "colour change",
    "print": "print of a finger",
}  # fmt: skip
TYPICAL = "typical of its kind: replace by your data sheet"


class Strict(BaseModel):
    """Frozen, and without room for fields that nobody knows."""

    model_config = ConfigDict(extra="forbid", frozen=True)


class Caution(Strict):
    """A warning that is shown where the work can hurt."""

    key: Key
    title: Text
    text: Annotated[str, StringConstraints(min_length=1, max_length=600)]


SAFETY_FOOTING = "The safety data sheet, local codes and licensed practice decide."


def parted(text: str | None) -> tuple[str, ...]:
    """Return what is to be seen to, out of words that are parted by semicolons."""
    return tuple(piece.strip() for piece in (text or "").split(";") if piece.strip())

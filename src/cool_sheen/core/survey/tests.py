"""The survey's tests: how each is done, how long it takes, how to judge it, and what the result means."""

from typing import Annotated, Self

from pydantic import Field, StringConstraints, model_validator

from cool_sheen.core.coatings.families import BelowFamily, State
from cool_sheen.core.coatings.sheet_fields import Key, Strict, Text
from cool_sheen.core.errors import OutOfRange

Sentence = Annotated[str, Field(min_length=1, max_length=400)]


class Result(Strict):
    """One thing that a test can show. ``up_to`` is its upper bound where a figure is read."""

    key: Key
    words: Text
    means: Sentence
    family: BelowFamily | None = None
    state: State | None = None
    up_to: float | None = None
    stop: bool = False
    demands: tuple[Key, ...] = ()  # what must be there after it
    swatch: Annotated[str, StringConstraints(pattern=r"^#[0-9a-f]{6}$")] | None = None  # the colour that was seen
    in_full: bool = False  # it says something only when the test was held for its whole time


class SurveyTest(Strict):
    """One test."""

    key: Key
    title: Text
    asks: Text
    how: Annotated[tuple[Sentence, ...], Field(min_length=1, max_length=10)]
    judge: Sentence
    source: Text
    timer_minutes: Annotated[float, Field(gt=0, le=2880)] | None = None
    reads: Text | None = None
    low: float = 0
    high: float = 100
    results: Annotated[tuple[Result, ...], Field(min_length=2, max_length=10)]
    cautions: tuple[Key, ...] = ()

    @model_validator(mode="after")
    def _bounds_ascend(self) -> Self:
        bounds = [r.up_to for r in self.results]
        if self.reads and (None in bounds or bounds != sorted(b for b in bounds if b is not None)):
            raise ValueError(f"{self.key} reads a figure: each result needs its bound, ascending")
        return self

    def of_reading(self, reading: float) -> Result:
        """Return what a figure means. Raises OutOfRange for one that the test cannot give."""
        if not self.low <= reading <= self.high:
            raise OutOfRange(f"{self.title} reads from {self.low:g} to {self.high:g} {self.reads}.", "reading")
        return next((r for r in self.results if r.up_to is not None and reading <= r.up_to), self.results[-1])

    def proves(self, result: Result, held_h: float | None) -> bool:
        """Whether a result says anything: what shows nothing must have been held for the test's whole time.

        Args:
            result: What was seen.
            held_h: How long it was held; None for the double rubs, or for its time as it is written. [h]
        """
        wanted = (self.timer_minutes or 0) / 60
        return not result.in_full or held_h is None or held_h >= wanted - 1e-9

    def result(self, key: str) -> Result | None:
        """Return a result by its key."""
        return next((r for r in self.results if r.key == key), None)
